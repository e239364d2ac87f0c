"""Layers as they are stepped: each by its own solver, and what they hand to each other, live or from stored
frames."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from tenka.base.clock import step_time
from tenka.cache.store import Frame, FrameStore
from tenka.gas.grid import GasState
from tenka.gas.solver import GasSolver
from tenka.particles.solver import PointSolver
from tenka.particles.state import AirField, Events, Points, PointState, begin_frame
from tenka.run.frames import (
    PointFrame,
    frame_of_state,
    get_points,
    get_state,
    live_field,
    point_figures,
    put_points,
    put_state,
    state_of_frame,
)
from tenka.run.given import Links, State
from tenka.water.felt import WaterField
from tenka.water.lumps import Lumps
from tenka.water.pouring import Poured

if TYPE_CHECKING:
    from tenka.run.plans import Plan

LEADING = ".leading"  # states of the coarse run beside a finer one: the preview's may be of another span


class Member(ABC):
    """A layer in a group: its solver, bound to what it takes from, and how its states and frames are kept.

    Attributes
    ----------
    whole_frames : whether a stored frame is a full state, from which a broken run goes on
    """

    whole_frames = False
    solver: Any

    def __init__(self, plan: Plan, links: Links) -> None:
        self.plan, self.links = plan, links
        links.members[plan.layer.id] = self

    # --- stepping

    @abstractmethod
    def start(self) -> State:
        """The state at the beginning of the run-up."""

    @abstractmethod
    def begin(self, state: State) -> tuple[State, int]:
        """Make ready for the next frame, and say how many sub-steps it wants."""

    @abstractmethod
    def part(self, state: State, index: int, sub: int, count: int) -> State:
        """Sub-step `sub` of `count` from frame `index` on."""

    def ended(self, count: int) -> None:
        """A frame of `count` sub-steps is done."""

    def stands_alone(self) -> None:
        """All layers are one group now, whatever the plans say: keep what others may ask for."""

    def take_settings(self, plan: Plan) -> bool:
        """Go on with another state of the effect; False when the running state does not fit it."""
        return False

    # --- what it hands over

    def field_of(self, state: State) -> AirField | None:
        """The field that a state hands over, if any."""
        return None

    def surface_of(self, state: State) -> WaterField | None:
        """The water's surface that a state hands over, if any."""
        return None

    def lumps_of(self, points: Points) -> Lumps | None:
        """Points of its own as hulls in a water, if they can be."""
        return None

    def poured_of(self, state: State) -> Poured | None:
        """What of it fell into a water in the last sub-step."""
        return None

    def events_of(self, state: State, kind: str) -> Events:
        """What happened to the points that a state hands over."""
        return Events()

    # --- frames and states

    @abstractmethod
    def frame_of(self, state: State, final: bool = False) -> Any:
        """What is stored and drawn of a state; it has `time` and `meta`."""

    @abstractmethod
    def put(self, store: FrameStore, name: str, frame: Any) -> None:
        """Store a frame."""

    @abstractmethod
    def of_frame(self, frame: Any, store: FrameStore, name: str) -> State | None:
        """A state to go on from by live editing, near that of a shown frame; `name` is where it is stored."""

    def can_resume(self, store: FrameStore, f: int) -> bool:
        """Whether a full state of frame `f` is stored."""
        return store.has(self.plan.name(f) if self.whole_frames else self.plan.state_name(f))

    @abstractmethod
    def resume(self, store: FrameStore, f: int, ending: str = "") -> State | None:
        """The full state of a frame, when it is stored; with an ending, that of a run of its own."""

    def check_point(self, store: FrameStore, state: State, f: int, ending: str = "") -> None:
        """Store a full state, where a frame is not one already."""

    # --- figures

    def clear(self) -> None:
        """Forget the times measured so far."""
        self.parts.clear()
        self.solver.substeps = 0

    @property
    def parts(self) -> dict[str, float]:
        """Seconds that each part of the step took."""
        found: dict[str, float] = self.solver.parts
        return found

    @property
    def substeps(self) -> int:
        """How many sub-steps were made."""
        count: int = self.solver.substeps
        return count


class GasMember(Member):
    """A gas layer in a group."""

    solver: GasSolver

    def __init__(self, plan: Plan, links: Links) -> None:
        super().__init__(plan, links)
        e = plan.effect
        self.solver = GasSolver(plan.layer, plan.forces, e.props, e.seed, e.rate, plan.folder, links.swept)

    def start(self) -> GasState:
        return self.solver.start()

    def begin(self, state: GasState) -> tuple[GasState, int]:
        return self.solver.begin(state)

    def part(self, state: GasState, index: int, sub: int, count: int) -> GasState:
        return self.solver.part(state, index, sub, count)

    def ended(self, count: int) -> None:
        self.solver.ended(count)

    def take_settings(self, plan: Plan) -> bool:
        return self.solver.take_settings(plan.layer, plan.forces, plan.effect.props)

    def field_of(self, state: GasState) -> AirField | None:
        return live_field(state, self.solver.grid)

    def frame_of(self, state: GasState, final: bool = False) -> Frame:
        return frame_of_state(state, self.solver.grid, final, self.solver.work, self.solver.box)

    def put(self, store: FrameStore, name: str, frame: Frame) -> None:
        store.put_frame(name, frame)

    def of_frame(self, frame: Frame, store: FrameStore, name: str) -> GasState | None:
        if frame.velocity is None:  # it was read to be looked at: a step needs all of it
            whole = store.get_frame(name, velocity=True) if name else None
            if whole is None:
                return None
            frame = whole
        solver = self.solver
        if frame.voxel != solver.box.voxel:
            return None
        if solver.layer.domain.follow:
            solver.look_at(frame.origin, frame.shape)
        elif solver.grid.shape != frame.shape or solver.grid.origin != frame.origin:
            return None
        return state_of_frame(solver.grid, frame)

    def resume(self, store: FrameStore, f: int, ending: str = "") -> GasState | None:
        return get_state(store, self.plan.state_name(f) + ending, self.solver)

    def check_point(self, store: FrameStore, state: GasState, f: int, ending: str = "") -> None:
        name = self.plan.state_name(f) + ending
        if not store.has(name):
            put_state(store, name, state, self.solver.work.guesses, self.solver.grid.origin)

    @property
    def parts(self) -> dict[str, float]:
        return self.solver.work.parts


class PointMember(Member):
    """A layer of particles or debris in a group."""

    whole_frames = True
    solver: PointSolver

    def __init__(self, plan: Plan, links: Links) -> None:
        super().__init__(plan, links)
        self._lost = dict[str, int]()
        e = plan.effect
        self.solver = PointSolver(
            plan.layer,
            plan.forces,
            e.props,
            e.seed,
            e.rate,
            e.frames,
            plan.folder,
            e.camera,
            links.gas,
            links.paths,
            links.events,
            plan.gives_events,
            len(plan.group) > 1,
            water=links.water,
        )

    def start(self) -> PointState:
        return self.solver.start()

    def begin(self, state: PointState) -> tuple[PointState, int]:
        self._lost = dict(state.lost)
        return begin_frame(state), self.solver.layer.steps

    def part(self, state: PointState, index: int, sub: int, count: int) -> PointState:
        rate = self.solver.rate
        state.time = step_time(index, sub, count, rate)
        new, paths = self.solver.step(state, step_time(index, sub + 1, count, rate))
        if paths is not None:
            self.links.live_paths[self.plan.layer.id] = paths
        return new

    def stands_alone(self) -> None:
        self.solver.keeps_paths = self.solver.keeps_events = True

    def take_settings(self, plan: Plan) -> bool:
        self.solver.take_settings(plan.layer, plan.forces, plan.effect.props)
        return True

    def events_of(self, state: PointState, kind: str) -> Events:
        return state.events.get(kind, Events())

    def lumps_of(self, points: Points) -> Lumps | None:
        return self.solver.lumps(points)

    def frame_of(self, state: PointState, final: bool = False) -> PointFrame:
        figures = point_figures(state, self.plan.layer, self._lost)
        ignored = self.solver.ignored()
        if ignored:
            figures["ignored"] = list(ignored)
        return PointFrame(state.points, state.time, figures, state.events)

    def put(self, store: FrameStore, name: str, frame: PointFrame) -> None:
        put_points(store, name, frame)

    def of_frame(self, frame: PointFrame, store: FrameStore, name: str) -> PointState:
        return frame.state()

    def resume(self, store: FrameStore, f: int, ending: str = "") -> PointState | None:
        frame = get_points(store, self.plan.name(f) + ending, events=True)
        return frame.state() if frame is not None else None


class Group:
    """Layers that are stepped together: one clock, in a fixed order in each sub-step."""

    def __init__(self, members: list[Member], links: Links, alone: bool = False) -> None:
        self.links = links
        self.members = {member.plan.layer.id: member for member in members}
        if alone:
            for member in members:
                member.stands_alone()

    def start(self) -> dict[str, State]:
        if len(self.members) > 1:
            self.links.live = {}
        states = dict[str, State]()
        for id, member in self.members.items():  # those of lower rank may be what others begin with
            states[id] = member.start()
            self.take(states)
        return states

    def take(self, states: dict[str, State]) -> None:
        """Make the states known to those that take from them."""
        self.links.live = dict(states) if len(self.members) > 1 else {}

    def frame(
        self, states: dict[str, State], index: int, check: Callable[[], None] | None = None
    ) -> dict[str, State]:
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
