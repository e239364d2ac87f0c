"""Live editing: the stored frames of the present effect, loose frames while it changes, and the clean run.

One thread makes the clean run. Whoever shows pictures asks `frame` from a thread of its own. The document
is handed over with `take`, which is cheap and may be called from the interface thread.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tenka.base.errors import BadInput, Cancelled, TenkaError
from tenka.base.jobs import Progress
from tenka.base.threads import give_way
from tenka.cache.store import Frame, FrameStore
from tenka.effect.model import Effect, Trial
from tenka.gas.grid import GasState, Grid
from tenka.gas.solver import GasSolver
from tenka.run.driver import Plan, Report, frame_of_state, simulate, state_of_frame, step_parts

REST_SECONDS = 0.4
CLEAN_RUN_NICE = 8


@dataclass
class Shown:
    """A frame to show, and whether it is loose (of a running state that an edit took hold of)."""

    index: int
    frame: Frame
    loose: bool
    key: str = ""  # of a stored frame


@dataclass
class _Loose:
    index: int
    state: GasState
    solver: GasSolver
    effect: Effect


@dataclass
class Status:
    """A snapshot for the interface."""

    stored: list[bool] = field(default_factory=list)
    loose: set[int] = field(default_factory=set)
    walls: dict[int, list[float]] = field(default_factory=dict)
    densest: float = 0.0
    running: bool = False
    at: int = 0
    seconds_left: float | None = None
    problem: str = ""
    step_parts: dict[str, float] = field(default_factory=dict)  # ms per sub-step
    figures: dict[int, dict[str, Any]] = field(default_factory=dict)  # what was measured of each frame, see run.driver
    pace: tuple[dict[int, dict[str, Any]], Grid] | None = None  # the newest figures that there are, and the grid they belong to


class Session:
    """The simulation side of an open effect.

    Parameters
    ----------
    store : where frames are kept
    file : the effect's own, on whose behalf the frames of its trials are kept; its meshes lie beside it
    changed : called from any thread when `status` has news
    """

    def __init__(self, store: FrameStore, file: Path | None = None, changed: Callable[[], None] | None = None) -> None:
        self.store, self.file = store, file
        self.changed = changed or (lambda: None)
        self._lock = threading.Condition()
        self._plan: Plan | None = None
        self._beside: dict[str, tuple[object, list[Plan]]] = {}
        self._pinned: tuple[Trial, ...] = ()
        self._asked: Effect | None = None
        self._due = 0.0
        self._progress: Progress | None = None
        self._loose: _Loose | None = None
        self._last: Shown | None = None
        self._coming: Shown | None = None
        self._problem = ""
        self._figures: dict[str, dict[str, Any]] = {}
        self._pace: tuple[dict[int, dict[str, Any]], Grid] | None = None
        self._loose_shown: set[int] = set()
        self._parts: dict[str, float] = {}
        self._at = 0
        self._run_again = False
        self._closed = False
        self._thread = threading.Thread(target=self._loop, name="clean run", daemon=True)
        self._thread.start()

    @property
    def folder(self) -> Path | None:
        return self.file.parent if self.file is not None else None

    def take(self, effect: Effect, wait: bool = True) -> None:
        """Take the document's new state; a clean run starts when it has rested (at once without `wait`)."""
        with self._lock:
            if effect is self._asked:
                return
            self._asked = effect
            self._due = time.monotonic() + (REST_SECONDS if wait else 0.0)
            self._lock.notify_all()

    def _plan_now(self) -> Plan | None:
        """The plan of the newest document; made by whichever worker thread asks first."""
        with self._lock:
            asked, plan = self._asked, self._plan
        if asked is None or (plan is not None and plan.effect is asked):
            return plan
        if not asked.layers:
            new = None
        else:
            new = Plan.of(asked, None, self.folder)
        with self._lock:
            if self._asked is asked:
                same = plan is not None and new is not None and new.keys == plan.keys
                self._plan = new
                if not same:
                    self._problem = ""
                    self._loose_shown = set()
                    if self._progress is not None:
                        self._progress.cancel()
                self._lock.notify_all()
        return new

    def frame(self, index: int, live: bool = False) -> Shown | None:
        """The frame to show at `index`: stored, or loose while playing (`live`), or None when it must be waited for."""
        plan = self._plan_now()
        if plan is None:
            return None
        index = min(max(index, 0), plan.effect.frames - 1)
        known = self.store.has(plan.name(index))
        stored = self.store.get_frame(plan.name(index), velocity=live) if known else None
        if known and stored is None:
            self._again()  # it was damaged, or taken away from under the session
        if stored is not None:
            self._note(plan, index, stored.meta)
            self._loose = None
            self._last = Shown(index, stored, False, plan.keys[index])
            return self._last
        if self._last is None and self._coming is not None:
            return self._coming  # nothing to show yet: the run-up, as it goes
        if not live or self._about_to_come(plan, index):
            return None
        return self._step_loose(plan, index)

    def key_of(self, index: int) -> str:
        """Key of a frame of the newest plan that is ready."""
        with self._lock:
            return self._plan.keys.get(index, "") if self._plan is not None else ""

    def frame_with_velocity(self, index: int) -> Frame | None:
        """A stored frame with its velocity, for reading values; disturbs nothing."""
        plan = self._plan_now()
        return self.store.get_frame(plan.name(index), velocity=True) if plan is not None and index in plan.keys else None

    def plans_beside(self, other: str) -> list[Plan]:
        """The plans whose frames `other` ("final", or a trial's id) may have, best first; made when first asked for."""
        with self._lock:
            asked = self._asked
        if asked is None or not asked.layers:
            return []
        trial = next((t for t in asked.trials if t.id == other), None)
        if trial is None and other != "final":
            return []
        key = asked if trial is None else trial
        with self._lock:
            known = self._beside.get(other)
        if known is None or known[0] is not key:
            effect = asked if trial is None else trial.onto(asked)
            plans = [Plan.of(effect, None, self.folder, final=True)] if effect.layers else []
            if trial is not None and plans:
                plans.append(Plan.of(effect, None, self.folder))
            known = (key, plans)
            with self._lock:
                self._beside[other] = known
        return known[1]

    def beside(self, other: str, index: int) -> tuple[Shown, Effect] | None:
        """A stored frame of the final run or of a trial, and the effect that it belongs to; None when it is not there (yet)."""
        for plan in self.plans_beside(other):
            if index in plan.keys and self.store.notice(plan.name(index)):
                frame = self.store.get_frame(plan.name(index))
                if frame is not None:
                    return Shown(index, frame, False, plan.name(index)), plan.effect
        return None

    def _pin(self, effect: Effect) -> None:
        """Hold on to the frames of the effect's trials."""
        if self.file is None or effect.trials == self._pinned:
            return
        self._pinned = effect.trials
        names = set()
        for trial in effect.trials:
            for plan in self.plans_beside(trial.id):
                names |= {plan.name(f) for f in range(plan.effect.frames)}
        self.store.pin(str(self.file), names)

    def _about_to_come(self, plan: Plan, index: int) -> bool:
        """True when the clean run is at the frames just before `index`, so that waiting is short."""
        with self._lock:
            running = self._progress is not None and not self._progress.cancelled
            return running and 0 <= index - self._at <= 1

    def _step_loose(self, plan: Plan, index: int) -> Shown | None:
        last, loose = self._last, self._loose
        if loose is None or loose.index not in (index - 1, index) or loose.solver.box.voxel != plan.layer.domain.voxel:
            if last is None or last.index not in (index - 1, index):
                return None
            if last.frame.velocity is None:  # it was read to be looked at: a step needs all of it
                whole = self.store.get_frame(last.key, velocity=True) if last.key else None
                if whole is None:
                    return None
                last = Shown(last.index, whole, False, last.key)
            try:
                solver = plan.solver()
            except TenkaError:
                return None
            if last.frame.voxel != solver.box.voxel:
                return None
            if solver.layer.domain.follow:
                solver.look_at(last.frame.origin, last.frame.shape)
            elif solver.grid.shape != last.frame.shape or solver.grid.origin != last.frame.origin:
                return None
            loose = _Loose(last.index, state_of_frame(solver.grid, last.frame), solver, plan.effect)
        if loose.effect is not plan.effect:
            if not loose.solver.take_settings(plan.layer, plan.effect.forces, plan.effect.props):
                self._loose = None
                return None
            loose.effect = plan.effect
        try:
            state = loose.solver.frame(loose.state)
            frame = frame_of_state(state, loose.solver.grid, work=loose.solver.work, box=loose.solver.box)
        except TenkaError as error:
            self._problem, self._loose = str(error), None
            return None
        loose.state, loose.index = state, index
        self._loose = loose
        self._parts = step_parts(loose.solver.substeps, loose.solver.work.parts)
        self._loose_shown.add(index)
        self._last = Shown(index, frame, True)
        self.changed()
        return self._last

    def _note(self, plan: Plan, index: int, meta: dict[str, Any]) -> None:
        self._figures[plan.keys[index]] = meta
        self._parts = meta.get("parts") or self._parts

    def _note_stored(self, plan: Plan) -> None:
        """Take the figures of frames that an earlier session stored."""
        for index in range(plan.effect.frames):
            if plan.keys[index] not in self._figures and self.store.has(plan.name(index)):
                meta = self.store.figures(plan.name(index))
                if meta is not None:
                    self._note(plan, index, meta)

    @property
    def status(self) -> Status:
        with self._lock:
            plan, progress = self._plan, self._progress
            if plan is None:
                return Status(problem=self._problem)
            if plan.effect.layers and any(k in self._figures for k in plan.keys.values()):
                self._pace = ({f: self._figures[k] for f, k in plan.keys.items() if k in self._figures}, Grid.of(plan.layer.domain))
            figures = {f: self._figures[k] for f, k in plan.keys.items() if f >= 0 and k in self._figures}
            known = {f: meta.get("wall", []) for f, meta in figures.items()}
            densest = max((meta.get("densest", 0.0) for meta in figures.values()), default=0.0)
            return Status(
                stored=plan.stored(self.store), loose=set(self._loose_shown), walls=known, densest=densest, running=progress is not None,
                at=self._at, seconds_left=progress.seconds_left if progress else None, problem=self._problem, step_parts=dict(self._parts),
                figures=figures, pace=self._pace,
            )  # fmt: skip

    def wait_until_stored(self, seconds: float = 600.0) -> bool:
        """Block until every frame is stored; False after `seconds` or when a problem stopped the run."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            plan = self._plan_now()
            if plan is not None and all(plan.stored(self.store)) and plan.effect is self._asked:
                return True
            if self._problem:
                return False
            time.sleep(0.01)
        return False

    def close(self) -> None:
        with self._lock:
            self._closed = True
            if self._progress is not None:
                self._progress.cancel()
            self._lock.notify_all()
        self._thread.join(10.0)

    def _loop(self) -> None:
        give_way(CLEAN_RUN_NICE)
        finished: Plan | None = None
        while True:
            with self._lock:
                while not self._closed and not self._run_again and (self._asked is None or (finished and finished.effect is self._asked)):
                    self._lock.wait()
                self._run_again = False
                if self._closed:
                    return
                pause = self._due - time.monotonic()
                if pause > 0:
                    self._lock.wait(pause)
                    continue
            try:
                plan = self._plan_now()
            except BadInput as error:
                self._problem, plan = str(error), None
            if plan is None or plan.effect is not self._asked:
                if plan is None:
                    with self._lock:
                        if not self._closed and self._due <= time.monotonic():
                            self._lock.wait(0.5)
                continue
            self._note_stored(plan)
            self._pin(plan.effect)
            if self._run(plan):
                finished = plan
            self.changed()

    def _run(self, plan: Plan) -> bool:
        """One clean run; True when it ended by itself (done, or stopped by a problem)."""
        progress = Progress()
        with self._lock:
            if self._plan is not plan:
                return False
            self._progress = progress

        def made(index: int, frame: Frame, report: Report) -> None:
            self._note(plan, index, frame.meta)
            self._at = index
            self._coming = None
            self.changed()

        def coming(index: int, frame: Frame) -> None:
            self._coming = Shown(index, frame, True)
            self.changed()

        try:
            simulate(plan, self.store, progress, made=made, coming=coming)
        except Cancelled:
            return False
        except (TenkaError, MemoryError) as error:
            self._problem = str(error) or "There is not enough memory for this domain."
        except Exception as error:  # a fault of ours must be seen, not end the thread
            self._problem = f"The simulation stopped by a fault: {error!r}."
        finally:
            with self._lock:
                self._progress = None
                self._coming = None
        return True

    def _again(self) -> None:
        """Have the clean run look once more for frames that are missing."""
        with self._lock:
            self._run_again = True
            self._lock.notify_all()
