"""The clean run: simulate layers frame by frame, storing each as it is made, resuming where it can."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.jobs import Progress
from tenka.cache.store import Frame, FrameStore
from tenka.effect.model import Effect, GasLayer, Layer, PointLayer, Quality, heard, timed
from tenka.gas.grid import GasState, Grid
from tenka.gas.guide import Guide, led_by
from tenka.gas.solver import GasSolver, run_up_frames
from tenka.particles.state import Points
from tenka.run.frames import PointFrame, drift, frame_of_state, get_points, get_state, put_points, put_state, wander
from tenka.run.keys import first_frame, frame_keys
from tenka.run.links import feeders, groups, needs, taking_part
from tenka.run.members import GasMember, Group, Links, State

CHECKPOINT_EVERY = 12
LEADING = ".leading"  # states of the coarse run beside a finer one; the preview's own may have been made by another span
SHOW_RUN_UP = 3
TRAILS = ("ribbon", "tube")  # forms that are drawn along where particles were


def finer(layer: GasLayer) -> GasLayer:
    """The layer as its final run simulates it."""
    quality = layer.quality.model_copy(update={"most_substeps": layer.quality.most_substeps * layer.quality.detail})
    domain = layer.domain.model_copy(update={"voxel": layer.domain.voxel / layer.quality.detail})
    return layer.model_copy(update={"domain": domain, "quality": quality})


class _Leader:
    """The coarse run beside a finer one, a frame ahead of it, frame by frame."""

    def __init__(self, plan: Plan, state: GasState, member: GasMember, quality: Quality) -> None:
        self.plan, self.state, self.member, self.quality = plan, state, member, quality

    @property
    def solver(self) -> GasSolver:
        return self.member.solver

    def guide(self, rate: float, check: Callable[[], None]) -> Guide:
        """Go one frame on, and hand over both ends of it."""
        before, before_grid, start = led_by(self.state, self.solver.grid), self.solver.grid, self.state.time
        self.member.links.index = round(start * rate)
        self.state = self.solver.frame(self.state, check)
        after = led_by(self.state, self.solver.grid)
        return Guide(before, before_grid, after, self.solver.grid, start, 1.0 / rate, self.quality.detail, self.quality.guidance)


@dataclass
class Plan:
    """A layer's frames and their keys, for one state of the effect.

    Attributes
    ----------
    effect : with its cues put into delays
    group : plans of all layers that are stepped together with this one, itself among them, in their order
    feeds : plans of the layers outside that they take from
    stored_from : first frame that is stored: the run-up is too where another layer takes from it
    gives_events : whether births, bounces and deaths are noted for another layer
    document : the effect as it was given
    """

    effect: Effect
    layer: Layer
    folder: Path | None
    final: bool = False
    keys: dict[int, str] = field(default_factory=dict)
    preview: Plan | None = None  # whose motion a finer final run keeps
    group: dict[str, Plan] = field(default_factory=dict)
    feeds: dict[str, Plan] = field(default_factory=dict)
    stored_from: int = 0
    gives_events: bool = False
    document: Effect | None = None

    @classmethod
    def of(cls, effect: Effect, layer_id: str | None = None, folder: Path | None = None, final: bool = False) -> Plan:
        """The plan of a layer, by default of the first; with a final run, where it is a gas."""
        return plans_of(effect, folder, final)[effect.layer(layer_id).id]

    @property
    def first(self) -> int:
        return min(self.keys)

    @property
    def gas(self) -> GasLayer:
        assert isinstance(self.layer, GasLayer)
        return self.layer

    def name(self, frame: int) -> str:
        return self.keys[frame] + (".final" if self.final else "")

    def state_name(self, frame: int) -> str:
        return self.keys[frame] + ".state"

    def stored(self, store: FrameStore) -> list[bool]:
        """For each shown frame whether it can be opened at once."""
        return [store.has(self.name(f)) for f in range(self.effect.frames)]

    def read(self, store: FrameStore, frame: int, velocity: bool = False) -> Frame | PointFrame | None:
        """A stored frame, of whichever kind; None when it is not there."""
        if frame not in self.keys:
            return None
        if isinstance(self.layer, GasLayer):
            return store.get_frame(self.name(frame), velocity=velocity)
        return get_points(store, self.name(frame))

    def runner(self, store: FrameStore | None) -> Group:
        """Solvers of the whole group."""
        return Group(list(self.group.values()), Links(store, self.effect.rate, dict(self.feeds)))

    def solver(self) -> GasSolver:
        """The solver of a gas that takes from no other layer."""
        member = self.runner(None).members[self.layer.id]
        assert isinstance(member, GasMember)
        return member.solver


def _waiting(effect: Effect) -> Effect:
    """The effect with nothing that feeds the layers that take no part: passed over, or another one is soloed."""
    playing = {layer.id for layer in taking_part(effect)}
    layers = tuple(layer if layer.id in playing else layer.model_copy(update={"sources": ()}) for layer in effect.layers)
    return effect if layers == effect.layers else effect.model_copy(update={"layers": layers})


def plans_of(effect: Effect, folder: Path | None, final: bool = False) -> dict[str, Plan]:
    """Plans of all layers, those that others take from first.

    In final runs a gas is refined; particles stay as they are in the preview, and so does what they feed it.
    """
    document, effect = effect, timed(_waiting(effect))
    by_id = {layer.id: layer for layer in effect.layers}
    taken = {id for layer in effect.layers for id in needs(layer)}
    watched = {
        s.of for layer in effect.layers for s in heard(layer.sources) if s.shape == "particles" and getattr(s, "born_on", "life") != "life"
    }
    plans: dict[str, Plan] = {}
    for members in groups(effect):
        layers = [by_id[id] for id in members]
        first = min(first_frame(layer, effect.rate) for layer in layers)
        if len(layers) > 1:
            layers = [_begun(layer, -first / effect.rate) for layer in layers]
        feeds = {id: plans[id] for id in feeders(effect, members)}
        keys = frame_keys(effect, layers, folder, feeds={id: p.keys for id, p in feeds.items()})
        group: dict[str, Plan] = {}
        for layer in layers:
            group[layer.id] = plans[layer.id] = Plan(
                effect, layer, folder, False, keys[layer.id], None, group, feeds, min(keys[layer.id]) if layer.id in taken else 0,
                layer.id in watched, document,
            )  # fmt: skip
    return {id: _final(p, plans) if final and isinstance(p.layer, GasLayer) else p for id, p in plans.items()}


def _begun(layer: Layer, run_up: float) -> Layer:
    """A layer with a run-up of its group."""
    if isinstance(layer, GasLayer):
        return layer.model_copy(update={"domain": layer.domain.model_copy(update={"run_up": run_up})})
    return layer.model_copy(update={"run_up": run_up})


def _final(plan: Plan, plans: dict[str, Plan]) -> Plan:
    """The final run of a gas: finer where that is asked for, fed by the stored particles of the preview."""
    feeds = {id: plans[id] for id in sorted(needs(plan.layer)) if id in plans}
    fine = plan.gas.quality.detail > 1
    layer = finer(plan.gas) if fine else plan.gas
    keys = plan.keys
    if fine or len(plan.group) > 1:
        keys = frame_keys(plan.effect, [layer], plan.folder, final=fine, feeds={id: p.keys for id, p in feeds.items()})[layer.id]
    group: dict[str, Plan] = {}
    final = Plan(plan.effect, layer, plan.folder, True, keys, plan if fine else None, group, feeds, 0, False, plan.document)
    group[layer.id] = final
    return final


def step_parts(substeps: int, parts: dict[str, float]) -> dict[str, float]:
    """Mean ms that each part of a sub-step took."""
    return {k: round(1000.0 * v / substeps, 3) for k, v in parts.items()} if substeps else {}


USUAL_MS = 2.3e-4  # of one voxel in one step, on two slow cores; taken until something was measured
USUAL_STEPS = 2.0  # in a frame


def predicted_seconds(layer: GasLayer, frames: int, rate: float, figures: dict[int, dict[str, Any]], measured: Grid | None) -> float:
    """How long a layer takes to simulate with its present box, from what was measured of it with the box that it had.

    Smaller voxels need more steps: the Courant number counts voxels crossed.

    Parameters
    ----------
    figures : meta of the frames that are stored, see MEASURES
    measured : the grid that they were made on
    """
    grid = Grid.of(layer.domain)
    known = [(sum(m["parts"].values()), m.get("substeps", USUAL_STEPS)) for m in figures.values() if m.get("parts")]
    count = frames + run_up_frames(layer, rate)
    if not known or measured is None:
        return count * USUAL_STEPS * USUAL_MS * grid.voxels / 1e3
    ms, steps = (float(np.mean([k[n] for k in known])) for n in (0, 1))
    steps = min(max(1.0, steps * measured.voxel / grid.voxel), layer.quality.most_substeps)
    return count * steps * ms / measured.voxels * grid.voxels / 1e3


@dataclass
class Report:
    """What a run did."""

    simulated: int = 0
    reused: int = 0
    substeps: int = 0
    parts: dict[str, float] = field(default_factory=dict)  # seconds per part of the step


Made = Callable[[str, int, Frame | PointFrame, Report], None]
Coming = Callable[[str, int, Frame | PointFrame], None]


def _resumed(plan: Plan, store: FrameStore, group: Group, before: int) -> tuple[int, dict[str, State]] | None:
    """The newest frame at or before `before` from which all of a group can go on to the same result, and its states."""
    for f in range(before, plan.first, -1):
        if not all(store.has(p.state_name(f) if isinstance(p.layer, GasLayer) else p.name(f)) for p in plan.group.values()):
            continue
        states: dict[str, State] = {}
        for id, p in plan.group.items():
            member = group.members[id]
            if isinstance(member, GasMember):
                held = get_state(store, p.state_name(f), member.solver)
                if held is not None:
                    states[id] = held
            else:
                frame = get_points(store, p.name(f), events=True)
                if frame is not None:
                    states[id] = frame.state()
        if len(states) == len(plan.group):
            return f, states
    return None


def simulate(
    plan: Plan,
    store: FrameStore,
    progress: Progress,
    span: tuple[int, int] | None = None,
    made: Made | None = None,
    coming: Coming | None = None,
) -> Report:
    """Make every frame of `span` (first, last; inclusive) that is not stored yet, of the plan's group and of all that it takes from.

    Starts from the newest checkpoint at or before what is missing. A run that is cancelled or killed goes on
    from there to the same arrays. `made` hears of each new frame, with its layer, `coming` of some of those of the run-up,
    which are not stored.

    Raises
    ------
    TooLarge, BadInput, Unstable, Cancelled
    """
    first, last = span or (0, plan.effect.frames - 1)
    report = Report()
    wanted = {id: range(p.stored_from if first == 0 else max(first, p.stored_from), last + 1) for id, p in plan.group.items()}
    missing = sorted({f for id, p in plan.group.items() for f in wanted[id] if not store.has(p.name(f))})
    report.reused = last + 1 - first - len([f for f in missing if f >= 0])
    if not missing:
        progress.begin(0, "Nothing to simulate")
        return report
    for feeder in plan.feeds.values():
        simulate(
            feeder,
            store,
            progress,
            (0, plan.effect.frames - 1 if last == plan.effect.frames - 1 else min(last + 1, plan.effect.frames - 1)),
            made,
            coming,
        )
    group = plan.runner(store)
    resumed = _resumed(plan, store, group, missing[0] - (0 if plan.layer.kind == "gas" and len(plan.group) == 1 else 1))
    start, states = resumed if resumed is not None else (plan.first, None)
    leader = None
    if plan.preview is not None:
        links = Links(store, plan.effect.rate, dict(plan.feeds))
        leading, ahead = GasMember(plan.preview, links), None
        if states is not None:  # both go on from the same frame, or both begin again
            ahead = get_state(store, plan.preview.state_name(start) + LEADING, leading.solver)
            if ahead is None:
                start, states, group = plan.first, None, plan.runner(store)
        leader = _Leader(plan.preview, ahead if ahead is not None else leading.start(), leading, plan.gas.quality)
    if states is None:
        states = group.start()
    group.take(states)
    begun = start
    progress.begin(missing[-1] - start + 1, "Simulating")
    for f in range(start, missing[-1] + 1):
        if f > start:
            if leader is not None:
                solver = group.members[plan.layer.id].solver
                assert isinstance(solver, GasSolver)
                solver.guide = leader.guide(plan.effect.rate, progress.check)
            states = group.frame(states, f - 1, progress.check)
            if f == begun + 1:  # the first step loads the kernels: not a cost of stepping
                for member in group.members.values():
                    member.clear()
        for id, p in plan.group.items():
            if f in wanted[id] and not store.has(p.name(f)):
                _keep(p, store, group, states[id], f, leader, report, made)
            elif coming is not None and f < 0 and f % SHOW_RUN_UP == 0:
                coming(id, f, group.members[id].frame_of(states[id]))
        if (f == 0 or f % CHECKPOINT_EVERY == 0) and f > plan.first:
            _check_point(plan, store, group, states, f, leader)
        progress.step()
    own = group.members[plan.layer.id]
    report.substeps, report.parts = own.substeps, dict(own.parts)
    return report


def _keep(
    plan: Plan, store: FrameStore, group: Group, state: State, f: int, leader: _Leader | None, report: Report, made: Made | None
) -> None:
    """Store one frame of one layer."""
    member = group.members[plan.layer.id]
    frame = member.frame_of(state, plan.final)
    frame.meta["parts"] = step_parts(member.substeps, member.parts)
    if isinstance(frame, Frame):
        if leader is not None:
            coarse = frame_of_state(leader.state, leader.solver.grid, final=True)
            frame.meta.update(drift=drift(coarse, frame, plan.gas.quality.detail), wander=wander(coarse, frame))
        store.put_frame(plan.name(f), frame)
    else:
        put_points(store, plan.name(f), frame)
    if f >= 0:
        report.simulated += 1
    report.substeps, report.parts = member.substeps, dict(member.parts)
    if made is not None and f >= 0:
        made(plan.layer.id, f, frame, report)


def _check_point(plan: Plan, store: FrameStore, group: Group, states: dict[str, State], f: int, leader: _Leader | None) -> None:
    """Store full states of the gases; frames of particles are full states already."""
    for id, p in plan.group.items():
        member, state = group.members[id], states[id]
        if not isinstance(member, GasMember) or not isinstance(state, GasState) or store.has(p.state_name(f)):
            continue
        if leader is not None:
            put_state(store, leader.plan.state_name(f) + LEADING, leader.state, leader.solver.work.guess, leader.solver.grid.origin)
        put_state(store, p.state_name(f), state, member.solver.work.guess, member.solver.grid.origin)


def stored_frames(plan: Plan, store: FrameStore, progress: Progress, frames: list[int]) -> Iterator[tuple[int, Frame]]:
    """The given frames of a gas in turn, simulating first whatever is missing; one is in memory at a time."""
    for f in frames:
        frame = store.get_frame(plan.name(f))
        if frame is None:
            simulate(plan, store, Progress(_cancel=progress._cancel), (min(frames), max(frames)))
            frame = store.get_frame(plan.name(f))
        if frame is None:
            raise RuntimeError(f"frame {f} vanished from the store while it was used")
        yield f, frame


def past_of(plan: Plan, store: FrameStore, index: int) -> tuple[tuple[float, Points], ...]:
    """Earlier frames of a layer of particles that is drawn along its past, the newest first."""
    layer, found = plan.layer, []
    if not isinstance(layer, PointLayer) or layer.look.form not in TRAILS:
        return ()
    for back in range(1, math.ceil(layer.look.trail * plan.effect.rate) + 2):
        frame = plan.read(store, index - back) if index - back in plan.keys and store.has(plan.name(index - back)) else None
        if not isinstance(frame, PointFrame):
            break
        found.append((frame.time, frame.points))
    return tuple(found)
