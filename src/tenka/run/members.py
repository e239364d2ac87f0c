"""Layers as they are stepped: each by its own solver, and what they hand to each other, live or from stored frames."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from tenka.cache.store import Frame, FrameStore
from tenka.effect.model import GasLayer
from tenka.gas.grid import GasState
from tenka.gas.solver import GasSolver
from tenka.gas.swept import Swept
from tenka.particles.solver import PointSolver, PointState, begin_frame, paths_between, swept_of
from tenka.particles.state import AirField, Events, Paths, all_events
from tenka.run.frames import PointFrame, StoredField, frame_of_state, get_points, live_field, point_figures

if TYPE_CHECKING:
    from tenka.run.driver import Plan

State = GasState | PointState


@dataclass
class Links:
    """Where the members of a group find what they take from: each other, as they are now, or the stored frames of others.

    Attributes
    ----------
    stored : plans of the layers outside the group
    index : the frame that is being left
    """

    store: FrameStore | None
    rate: float
    stored: dict[str, Plan]
    index: int = 0
    live: dict[str, State] = field(default_factory=dict)
    live_paths: dict[str, Paths] = field(default_factory=dict)
    grids: dict[str, GasSolver] = field(default_factory=dict)
    _fields: dict[str, StoredField] = field(default_factory=dict)
    _live_fields: dict[str, tuple[GasState, AirField]] = field(default_factory=dict)
    _paths: dict[tuple[str, int], Paths | None] = field(default_factory=dict)
    _frames: dict[tuple[str, int], PointFrame | None] = field(default_factory=dict)

    def gas(self, id: str) -> AirField | None:
        state = self.live.get(id)
        if isinstance(state, GasState):
            held = self._live_fields.get(id)
            if held is None or held[0] is not state:
                self._live_fields[id] = held = (state, live_field(state, self.grids[id].grid))
            return held[1]
        plan = self.stored.get(id)
        if plan is None or self.store is None:
            return None
        reader = self._fields.setdefault(id, StoredField())
        a, b = (min(max(f, 0), plan.effect.frames - 1) for f in (self.index, self.index + 1))
        return reader.between(self.store, plan.name(a), plan.name(b), self.index / self.rate, (self.index + 1) / self.rate)

    def _frame(self, id: str, index: int) -> PointFrame | None:
        key = (id, index)
        if key not in self._frames:
            plan = self.stored[id]
            for old in [k for k in self._frames if k[0] == id and k[1] < index - 1]:
                self._frames.pop(old)
            known = index in plan.keys and self.store is not None
            self._frames[key] = get_points(self.store, plan.name(index), events=True) if known and self.store is not None else None
        return self._frames[key]

    def paths(self, id: str) -> Paths | None:
        if id in self.live:
            return self.live_paths.get(id)
        if id not in self.stored:
            return None
        key = (id, self.index)
        if key not in self._paths:
            a, b = self._frame(id, self.index), self._frame(id, self.index + 1)
            self._paths = {k: v for k, v in self._paths.items() if k[0] != id}
            self._paths[key] = (
                None if a is None or b is None else paths_between(a.points, b.points, self.index / self.rate, (self.index + 1) / self.rate)
            )
        return self._paths[key]

    def events(self, id: str, kind: str) -> Events:
        state = self.live.get(id)
        if isinstance(state, PointState):
            return state.events.get(kind, Events())
        frames = [self._frame(id, self.index + k) for k in (0, 1)] if id in self.stored else []
        return all_events([f.events[kind] for f in frames if f is not None and kind in f.events])

    def swept(self, id: str, start: float, end: float) -> Swept | None:
        paths = self.paths(id)
        return None if paths is None else swept_of(paths, start, end)


class GasMember:
    """A gas layer in a group."""

    def __init__(self, plan: Plan, links: Links) -> None:
        assert isinstance(plan.layer, GasLayer)
        self.plan, self.links = plan, links
        e = plan.effect
        self.solver = GasSolver(plan.layer, e.forces, e.props, e.seed, e.rate, plan.folder, links.swept)
        links.grids[plan.layer.id] = self.solver

    def start(self) -> GasState:
        return self.solver.start()

    def begin(self, state: State) -> tuple[State, int]:
        assert isinstance(state, GasState)
        return self.solver.begin(state)

    def part(self, state: State, index: int, sub: int, count: int) -> State:
        assert isinstance(state, GasState)
        return self.solver.part(state, index, sub, count)

    def ended(self, count: int) -> None:
        self.solver.ended(count)

    def frame_of(self, state: State, final: bool = False) -> Frame:
        assert isinstance(state, GasState)
        return frame_of_state(state, self.solver.grid, final, self.solver.work, self.solver.box)

    def clear(self) -> None:
        """Forget the times measured so far."""
        self.solver.work.parts.clear()
        self.solver.substeps = 0

    @property
    def parts(self) -> dict[str, float]:
        return self.solver.work.parts

    @property
    def substeps(self) -> int:
        return self.solver.substeps


class PointMember:
    """A layer of particles or debris in a group."""

    def __init__(self, plan: Plan, links: Links) -> None:
        assert not isinstance(plan.layer, GasLayer)
        self.plan, self.links, self._lost = plan, links, dict[str, int]()
        e = plan.effect
        self.solver = PointSolver(plan.layer, e.forces, e.props, e.seed, e.rate, e.frames, plan.folder, e.camera, links.gas, links.paths, links.events,
                                  plan.gives_events, len(plan.group) > 1)  # fmt: skip

    def start(self) -> PointState:
        return self.solver.start()

    def begin(self, state: State) -> tuple[State, int]:
        assert isinstance(state, PointState)
        self._lost = dict(state.lost)
        return begin_frame(state), self.solver.layer.steps

    def part(self, state: State, index: int, sub: int, count: int) -> State:
        assert isinstance(state, PointState)
        state.time = (index + sub / count) / self.solver.rate
        new, paths = self.solver.step(state, 1.0 / (self.solver.rate * count))
        new.time = (index + (sub + 1) / count) / self.solver.rate
        if paths is not None:
            self.links.live_paths[self.plan.layer.id] = paths
        return new

    def ended(self, count: int) -> None:
        """The solver counts its own steps."""

    def frame_of(self, state: State, final: bool = False) -> PointFrame:
        assert isinstance(state, PointState) and not isinstance(self.plan.layer, GasLayer)
        return PointFrame(state.points, state.time, point_figures(state, self.plan.layer, self._lost), state.events)

    def clear(self) -> None:
        self.solver.parts.clear()
        self.solver.substeps = 0

    @property
    def parts(self) -> dict[str, float]:
        return self.solver.parts

    @property
    def substeps(self) -> int:
        return self.solver.substeps


Member = GasMember | PointMember


class Group:
    """Layers that are stepped together: one clock, in a fixed order in each sub-step."""

    def __init__(self, plans: list[Plan], links: Links, paths: bool = False) -> None:
        self.links = links
        self.members: dict[str, Member] = {
            p.layer.id: GasMember(p, links) if isinstance(p.layer, GasLayer) else PointMember(p, links) for p in plans
        }
        if paths:  # all layers are one group here, whatever the plans say
            for member in self.members.values():
                if isinstance(member, PointMember):
                    member.solver.keeps_paths = member.solver.keeps_events = True

    def start(self) -> dict[str, State]:
        if len(self.members) > 1:
            self.links.live = {}
        states: dict[str, State] = {}
        for id, member in self.members.items():
            states[id] = member.start()
        self.take(states)
        return states

    def take(self, states: dict[str, State]) -> None:
        """Make the states known to those that take from them."""
        self.links.live = dict(states) if len(self.members) > 1 else {}

    def frame(self, states: dict[str, State], index: int, check: Callable[[], None] | None = None) -> dict[str, State]:
        """From frame `index` to the next one."""
        self.links.index = index
        states, count = dict(states), 1
        for id, member in self.members.items():
            states[id], wanted = member.begin(states[id])
            count = max(count, wanted)
        self.take(states)
        for sub in range(count):
            if check is not None:
                check()
            for id, member in self.members.items():
                states[id] = member.part(states[id], index, sub, count)
                if len(self.members) > 1:
                    self.links.live[id] = states[id]
        for member in self.members.values():
            member.ended(count)
        return states
