"""Live editing: the stored frames of the present effect, loose frames while it changes, and the clean run.

One thread makes the clean run. Whoever shows pictures asks `frame` from a thread of its own. The document
is handed over with `take`, which is cheap and may be called from the interface thread.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from tenka.base.errors import BadInput, Cancelled, TenkaError
from tenka.base.jobs import Progress
from tenka.base.threads import give_way
from tenka.cache.store import UNSAVED, Frame, FrameStore
from tenka.effect.model import FIELD, Effect, Layer, Trial
from tenka.particles.state import Points
from tenka.run.driver import Report, past_of, simulate, step_parts
from tenka.run.frames import PointFrame
from tenka.run.links import taking_part
from tenka.run.loose import Loose, begin_loose
from tenka.run.plans import Plan, plans_of
from tenka.run.status import AnyFrame, LayerStatus, Shown, Status

REST_SECONDS = 0.4
CLEAN_RUN_NICE = 8


class Session:
    """The simulation side of an open effect.

    Parameters
    ----------
    store : where frames are kept
    file : the effect's own, on whose behalf the frames of its trials are kept; its meshes lie beside it
    changed : called from any thread when `status` has news
    """

    def __init__(
        self, store: FrameStore, file: Path | None = None, changed: Callable[[], None] | None = None
    ) -> None:
        self.store, self.file = store, file
        self.changed = changed or (lambda: None)
        self._lock = threading.Condition()
        self._plans: dict[str, Plan] | None = None
        self._of: Effect | None = None
        self._beside: dict[str, tuple[object, list[Plan]]] = {}
        self._pinned: tuple[Trial, ...] = ()
        self._asked: Effect | None = None
        self._due = 0.0
        self._progress: Progress | None = None
        self._loose: Loose | None = None
        self._last: Shown | None = None
        self._coming: Shown | None = None
        self._problem = ""
        self._figures: dict[str, dict[str, Any]] = {}
        self._pace: dict[str, tuple[dict[int, dict[str, Any]], Layer]] = {}
        self._loose_shown: set[int] = set()
        self._parts: dict[str, dict[str, float]] = {}
        self._at, self._doing = 0, ""
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
            self.store.owner = str(self.file or UNSAVED)  # what is stored from now on is of it
            self._due = time.monotonic() + (REST_SECONDS if wait else 0.0)
            self._lock.notify_all()

    def _plans_now(self) -> dict[str, Plan] | None:
        """The plans of the newest document's layers that take part; made by whichever worker thread asks
        first."""
        with self._lock:
            asked, plans, of = self._asked, self._plans, self._of
        if asked is None or of is asked:
            return plans
        playing = {layer.id for layer in taking_part(asked)} or {layer.id for layer in asked.layers[:1]}
        new = {id: p for id, p in plans_of(asked, self.folder).items() if id in playing} or None
        with self._lock:
            if self._asked is asked:
                same = (
                    plans is not None
                    and new is not None
                    and {i: p.keys for i, p in plans.items()} == {i: p.keys for i, p in new.items()}
                )
                self._plans, self._of = new, asked
                if not same:
                    self._problem = ""
                    self._loose_shown = set()
                    if self._progress is not None:
                        self._progress.cancel()
                self._lock.notify_all()
        return new

    def frame(self, index: int, live: bool = False) -> Shown | None:
        """The frames to show at `index`: stored, or loose while playing (`live`), or None when they must be
        waited for.

        Where only some layers are stored yet, those are shown.
        """
        plans = self._plans_now()
        if not plans:
            return None
        count = next(iter(plans.values())).effect.frames
        index = min(max(index, 0), count - 1)
        frames: dict[str, AnyFrame] = {}
        moving = {id for p in plans.values() for id in p.layer.looks_at()}
        for id, plan in plans.items():
            if self.store.has(plan.name(index)):
                found = plan.read(self.store, index, velocity=live or id in moving)
                if found is None:
                    self.again()  # it was damaged, or taken away from under the session
                else:
                    frames[id] = found
                    self._note(plan, index, found.meta)
        if len(frames) == len(plans):
            self._loose = None
            self._last = Shown(index, frames, False, self._key(plans, index))
            return self._last
        if self._last is None and self._coming is not None:
            return self._coming  # nothing to show yet: the run-up, as it goes
        if not live:
            return Shown(index, frames, False, "part") if frames and self._last is None else None
        if self._about_to_come(index):
            return None
        return self._step_loose(plans, index)

    @staticmethod
    def _key(plans: dict[str, Plan], index: int) -> str:
        return "|".join(p.keys[index] for p in plans.values() if index in p.keys)

    def key_of(self, index: int) -> str:
        """Key of the frames of the newest plans that are ready."""
        with self._lock:
            return self._key(self._plans, index) if self._plans is not None else ""

    def frame_with_velocity(self, index: int, layer: str | None = None) -> Frame | None:
        """A stored frame of a gas, by default the first, with its velocity, for reading values; disturbs
        nothing."""
        plans = self._plans_now() or {}
        gases = [p for id, p in plans.items() if p.layer.HANDS == FIELD and (layer is None or id == layer)]
        return (
            self.store.get_frame(gases[0].name(index), velocity=True)
            if gases and index in gases[0].keys
            else None
        )

    def plan(self, layer: str) -> Plan | None:
        """The plan of a layer that takes part, of the newest document."""
        return (self._plans_now() or {}).get(layer)

    def past(self, layer: str, index: int) -> tuple[tuple[float, Points], ...]:
        """Earlier stored particles of a layer that is drawn along where they were, the newest first."""
        plan = self.plan(layer)
        return past_of(plan, self.store, index) if plan is not None else ()

    def points_at(self, index: int, layer: str) -> PointFrame | None:
        """A stored frame of a layer of particles; disturbs nothing."""
        plan = self.plan(layer)
        found = (
            plan.read(self.store, index)
            if plan is not None and self.store.has(plan.keys.get(index, ""))
            else None
        )
        return found if isinstance(found, PointFrame) else None

    def plans_beside(self, other: str) -> list[Plan]:
        """The plans whose frames `other` ("final", or a trial's id) may have, best first; made when first
        asked for."""
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
            plans = list(plans_of(effect, self.folder, final=True).values())
            if trial is not None:
                plans += [p for p in plans_of(effect, self.folder).values() if p.kind.finer]
            known = (key, plans)
            with self._lock:
                self._beside[other] = known
        return known[1]

    def beside(self, other: str, index: int) -> tuple[Shown, Effect] | None:
        """Stored frames of the final run or of a trial, and the effect that they belong to; None when they
        are not there (yet)."""
        plans = self.plans_beside(other)
        frames: dict[str, AnyFrame] = {}
        for plan in plans:
            if plan.layer.id not in frames and index in plan.keys and self.store.notice(plan.name(index)):
                found = plan.read(self.store, index)
                if found is not None:
                    frames[plan.layer.id] = found
        if not frames or any(p.layer.HANDS == FIELD and p.layer.id not in frames for p in plans):
            return None
        effect = plans[0].document or plans[0].effect
        return Shown(index, frames, False, self._key({p.layer.id: p for p in plans}, index)), effect

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

    def _about_to_come(self, index: int) -> bool:
        """True when the clean run is at the frames just before `index`, so that waiting is short."""
        with self._lock:
            running = self._progress is not None and not self._progress.cancelled
            return running and 0 <= index - self._at <= 1

    def _step_loose(self, plans: dict[str, Plan], index: int) -> Shown | None:
        last, loose = self._last, self._loose
        if loose is None or loose.index not in (index - 1, index) or set(loose.plans) != set(plans):
            if last is None or last.index not in (index - 1, index):
                return None
            loose = begin_loose(plans, last, self.store)
            if loose is None:
                return None
        if loose.plans is not plans:
            if not all(loose.group.members[id].take_settings(plan) for id, plan in plans.items()):
                self._loose = None
                return None
            loose.plans = plans
        try:
            loose.group.take(loose.states)
            states = loose.group.frame(loose.states, loose.index)
            frames = {id: member.frame_of(states[id]) for id, member in loose.group.members.items()}
        except TenkaError as error:
            self._problem, self._loose = str(error), None
            return None
        loose.states, loose.index = states, index
        self._loose = loose
        for id, member in loose.group.members.items():
            self._parts[id] = step_parts(member.substeps, member.parts)
        self._loose_shown.add(index)
        self._last = Shown(index, frames, True)
        self.changed()
        return self._last

    def _note(self, plan: Plan, index: int, meta: dict[str, Any]) -> None:
        self._figures[plan.keys[index]] = meta
        if meta.get("parts"):
            self._parts[plan.layer.id] = meta["parts"]

    def _note_stored(self, plans: dict[str, Plan]) -> None:
        """Take the figures of frames that an earlier session stored."""
        for plan in plans.values():
            for index in range(plan.effect.frames):
                if plan.keys[index] not in self._figures and self.store.has(plan.name(index)):
                    meta = self.store.figures(plan.name(index))
                    if meta is not None:
                        self._note(plan, index, meta)

    @property
    def status(self) -> Status:
        with self._lock:
            plans, progress = self._plans, self._progress
            if not plans:
                return Status(problem=self._problem)
            layers = {}
            for id, plan in plans.items():
                figures = {f: self._figures[k] for f, k in plan.keys.items() if k in self._figures}
                if figures:
                    self._pace[id] = (figures, plan.layer)
                shown = {f: meta for f, meta in figures.items() if f >= 0}
                layers[id] = LayerStatus(plan.stored(self.store), shown, dict(self._parts.get(id, {})))
            return Status(
                stored=[all(row) for row in zip(*(s.stored for s in layers.values()))],
                loose=set(self._loose_shown),
                running=progress is not None,
                at=self._at,
                doing=self._doing,
                seconds_left=progress.seconds_left if progress else None,
                problem=self._problem,
                layers=layers,
                pace=dict(self._pace),
            )

    def wait_until_stored(self, seconds: float = 600.0) -> bool:
        """Block until every frame is stored; False after `seconds` or when a problem stopped the run."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            plans = self._plans_now()
            if plans and self._of is self._asked and all(all(p.stored(self.store)) for p in plans.values()):
                return True
            if self._problem:
                return False
            time.sleep(0.01)
        return False

    def close(self, wait: bool = True) -> None:
        """Stop. Without `wait` its thread ends by itself, after the step that it is in; close again to wait
        for that."""
        with self._lock:
            self._closed = True
            if self._progress is not None:
                self._progress.cancel()
            self._lock.notify_all()
        if wait:
            self._thread.join(10.0)

    def _loop(self) -> None:
        give_way(CLEAN_RUN_NICE)
        finished: Effect | None = None
        while True:
            with self._lock:
                while (
                    not self._closed
                    and not self._run_again
                    and (self._asked is None or finished is self._asked)
                ):
                    self._lock.wait()
                self._run_again = False
                if self._closed:
                    return
                pause = self._due - time.monotonic()
                if pause > 0:
                    self._lock.wait(pause)
                    continue
            try:
                plans = self._plans_now()
            except BadInput as error:
                self._problem, plans = str(error), None
            asked = self._of
            if not plans or asked is not self._asked or asked is None:
                if not plans:
                    with self._lock:
                        if not self._closed and self._due <= time.monotonic():
                            self._lock.wait(0.5)
                continue
            self._note_stored(plans)
            self._pin(asked)
            if self._run(plans):
                finished = asked
            self.changed()

    def _run(self, plans: dict[str, Plan]) -> bool:
        """One clean run of all layers; True when it ended by itself (done, or stopped by a problem)."""
        progress = Progress()
        with self._lock:
            if self._plans is not plans:
                return False
            self._progress = progress

        def made(id: str, index: int, frame: AnyFrame, report: Report) -> None:
            self._note(plans[id], index, frame.meta)
            self._at, self._doing = index, id
            self._coming = None
            self.changed()

        def coming(id: str, index: int, frame: AnyFrame) -> None:
            self._coming = Shown(index, {id: frame}, True)
            self.changed()

        try:
            for plan in plans.values():
                simulate(plan, self.store, progress, made=made, coming=coming)
        except Cancelled:
            return False
        except (TenkaError, MemoryError) as error:
            self._problem = str(error) or "There is not enough memory for this effect."
        except Exception as error:  # a fault of ours must be seen, not end the thread
            self._problem = f"The simulation stopped by a fault: {error!r}."
        finally:
            with self._lock:
                self._progress = None
                self._coming = None
        return True

    def again(self) -> None:
        """Have the clean run look once more for frames that are missing."""
        with self._lock:
            self._run_again = True
            self._lock.notify_all()
