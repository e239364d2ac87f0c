"""The clean run: simulate layers frame by frame, storing each as it is made, resuming where it can."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.run.leading import Leader
from tenka.run.members import Group, State
from tenka.run.noted import note_made
from tenka.run.plans import Plan

CHECKPOINT_EVERY = 12
SHOW_RUN_UP = 3


def step_parts(substeps: int, parts: dict[str, float]) -> dict[str, float]:
    """Mean ms that each part of a sub-step took."""
    return {k: round(1000.0 * v / substeps, 3) for k, v in parts.items()} if substeps else {}


@dataclass
class Report:
    """What a run did."""

    simulated: int = 0
    reused: int = 0
    substeps: int = 0
    parts: dict[str, float] = field(default_factory=dict)  # seconds per part of the step


Made = Callable[[str, int, Any, Report], None]
Coming = Callable[[str, int, Any], None]


def _resumed(plan: Plan, store: FrameStore, group: Group, before: int) -> tuple[int, dict[str, State]] | None:
    """The newest frame at or before `before` from which all of a group can go on to the same result, and its
    states."""
    for f in range(before, plan.first, -1):
        if not all(member.can_resume(store, f) for member in group.members.values()):
            continue
        states = {id: member.resume(store, f) for id, member in group.members.items()}
        if all(state is not None for state in states.values()):
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
    """Make every frame of `span` (first, last; inclusive) that is not stored yet, of the plan's group and of
    all that it takes from.

    Starts from the newest checkpoint at or before what is missing. A run that is cancelled or killed goes on
    from there to the same arrays. `made` hears of each new frame, with its layer, `coming` of some of those
    of the run-up, which are not stored.

    Raises
    ------
    TooLarge, BadInput, Unstable, Cancelled
    """
    first, last = span or (0, plan.effect.frames - 1)
    report = Report()
    store.look_again()
    wanted = {
        id: range(p.stored_from if first == 0 else max(first, p.stored_from), last + 1)
        for id, p in plan.group.items()
    }
    missing = sorted({f for id, p in plan.group.items() for f in wanted[id] if not store.has(p.name(f))})
    report.reused = last + 1 - first - len([f for f in missing if f >= 0])
    if not missing:
        note_made(plan, store)
        progress.begin(0, "Nothing to simulate")
        return report
    for feeder in plan.feeds.values():
        simulate(feeder, store, progress, (0, min(last + 1, plan.effect.frames - 1)), made, coming)
    group = plan.runner(store)
    resumed = _resumed(plan, store, group, missing[0] - (0 if len(plan.group) == 1 else 1))
    start, states = resumed if resumed is not None else (plan.first, None)
    leader = Leader.of(plan, store, start if states is not None else None)
    if leader is not None and not leader.resumed and states is not None:  # both go on, or both begin again
        start, states, group = plan.first, None, plan.runner(store)
    if states is None:
        states = group.start()
    group.take(states)
    begun = start
    progress.begin(missing[-1] - start + 1, "Simulating")
    for f in range(start, missing[-1] + 1):
        if f > start:
            if leader is not None:
                leader.lead(group.members[plan.layer.id], progress.check)
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
            _check_point(store, group, states, leader, f)
        progress.step()
    for p in plan.group.values():
        note_made(p, store)
    own = group.members[plan.layer.id]
    report.substeps, report.parts = own.substeps, dict(own.parts)
    return report


def _check_point(
    store: FrameStore, group: Group, states: dict[str, State], leader: Leader | None, f: int
) -> None:
    """Store what a run can go on from."""
    if leader is not None:
        leader.check_point(store, f)
    for id, member in group.members.items():
        member.check_point(store, states[id], f)


def _keep(
    plan: Plan,
    store: FrameStore,
    group: Group,
    state: State,
    f: int,
    leader: Leader | None,
    report: Report,
    made: Made | None,
) -> None:
    """Store one frame of one layer."""
    member = group.members[plan.layer.id]
    frame = member.frame_of(state, plan.final)
    frame.meta["parts"] = step_parts(member.substeps, member.parts)
    if leader is not None:
        frame.meta.update(leader.compared(frame))
    member.put(store, plan.name(f), frame)
    if f >= 0:
        report.simulated += 1
    report.substeps, report.parts = member.substeps, dict(member.parts)
    if made is not None and f >= 0:
        made(plan.layer.id, f, frame, report)


def frame_at(
    plan: Plan,
    store: FrameStore,
    index: int,
    progress: Progress,
    again: Callable[[str], None] | None = None,
    whole: bool = False,
) -> Any:
    """A layer's frame, simulated when it is not stored or was found damaged.

    Parameters
    ----------
    again : hears a sentence when a frame that had been stored turned out damaged
    whole : also what only a step or a reading of values needs

    Raises
    ------
    BadInput
        When the frame does not stay in the store; and what `simulate` raises.
    """
    known = store.has(plan.name(index))
    frame = plan.read(store, index, whole)
    if frame is None:
        if known and again is not None:
            again(f"Frame {index + 1} of {plan.layer.name} was damaged and is simulated again.")
        simulate(plan, store, Progress(_cancel=progress._cancel), (index, index))
        frame = plan.read(store, index, whole)
    if frame is None:
        raise BadInput(
            f"frame {index + 1} of {plan.layer.name} does not stay in the cache",
            "room, and nobody else who clears it",
            store.folder,
        )
    return frame


def stored_frames(
    plan: Plan, store: FrameStore, progress: Progress, frames: Iterable[int], whole: bool = False
) -> Iterator[tuple[int, Any]]:
    """The given frames of a layer in turn, see `frame_at`; one is in memory at a time."""
    for f in frames:
        yield f, frame_at(plan, store, f, progress, whole=whole)


KEPT = 2  # frames of a layer


def frame_between(
    plan: Plan,
    store: FrameStore,
    t: float,
    progress: Progress,
    whole: bool = False,
    kept: dict[object, Any] | None = None,
) -> Any:
    """A layer at a time, s: a stored frame, or what lies between two of them along their motion.

    Parameters
    ----------
    whole : with its velocity, whether that is needed for the moment or not
    kept : the newest frames of the layer that were read, for who asks for moments in turn

    Raises as `frame_at` does.
    """
    place = min(max(t * plan.effect.rate, 0.0), plan.effect.frames - 1.0)
    index = int(place + 1e-6)
    share = place - index

    def at(f: int, moving: bool) -> Any:
        key = (plan.name(f), moving)
        if kept is None or key not in kept:
            found = frame_at(plan, store, f, progress, whole=moving)
            if kept is None:
                return found
            while len(kept) >= KEPT:
                kept.pop(next(iter(kept)))
            if moving and getattr(found, "velocity", None) is not None:
                found.velocity = np.ascontiguousarray(found.velocity, np.float32)  # once for both sides
            kept[key] = found
        return kept[key]

    first = at(index, whole or share > 1e-4)
    return first if share <= 1e-4 else plan.kind.between(first, at(index + 1, True), share, whole)


def figures_of(plan: Plan, store: FrameStore) -> dict[int, dict[str, Any]]:
    """What was measured of a layer's stored frames, by their index."""
    found = {}
    for f in range(plan.effect.frames):
        meta = store.figures(plan.name(f)) if store.has(plan.name(f)) else None
        if meta is not None:
            found[f] = meta
    return found


def past_of(plan: Plan, store: FrameStore, index: int) -> tuple[tuple[float, Any], ...]:
    """Earlier frames of a layer that is drawn along its past, the newest first: their times and points."""
    found = []
    for back in range(1, math.ceil(plan.layer.drawn_past * plan.effect.rate) + 2):
        if (
            not plan.layer.drawn_past
            or index - back not in plan.keys
            or not store.has(plan.name(index - back))
        ):
            break
        frame = plan.read(store, index - back)
        if frame is None:
            break
        found.append((frame.time, frame.points))
    return tuple(found)
