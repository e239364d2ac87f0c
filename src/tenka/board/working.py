"""Measuring one variant, wherever that is done: here, or by a worker of a scheduler elsewhere."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput, Cancelled, TenkaError
from tenka.base.jobs import Progress
from tenka.board.carried import Lacking, lacking, laid_out, take
from tenka.board.looking import Looking
from tenka.board.measuring import Against, Measured, measured
from tenka.board.variants import keep, kept
from tenka.cache.store import FrameStore
from tenka.effect import storage

ASK_EVERY = 0.5  # s, at which a worker asks whether it is still wanted
FOLDER = "TENKA_FRAMES"


@dataclass(frozen=True)
class Job:
    """A variant to be measured, and what it needs, told by content.

    Attributes
    ----------
    run : of which sweep it is
    effect, before : as the bytes of files; the variant, and what it is a variant of
    key : under which its figures are kept
    against : under which the pictures are that it is held against
    names : of stored frames, and of the pictures
    files : what the effect names, and what is in them
    folder : where the effect lies, on the machine that asked
    """

    run: str
    effect: bytes
    before: bytes
    tier: str
    looking: Looking
    key: str
    against: str
    names: tuple[str, ...]
    files: Mapping[str, str] = field(default_factory=dict)
    folder: str = ""


@dataclass(frozen=True)
class Answer:
    """What came of a job: figures, or a fault, or what its machine lacks and who that is."""

    found: Measured | None = None
    fault: str = ""
    lacks: Lacking = field(default_factory=list)
    worker: str = ""
    known: bool = False


class Watched(Progress):
    """Work that stops when somebody does not want it any more."""

    def __init__(self, stopped: Callable[[], bool]) -> None:
        super().__init__()
        self._stopped, self._asked = stopped, 0.0

    def check(self) -> None:
        super().check()
        now = time.monotonic()
        if now - self._asked > ASK_EVERY:
            self._asked = now
            if self._stopped():
                raise Cancelled


HERE: dict[str, tuple[FrameStore, Callable[[], bool]]] = {}
"""Sweeps that run in this process: their store, and whether they are stopped."""


def put_against(store: FrameStore, name: str, against: Against) -> None:
    """Keep the pictures that variants are held against."""
    arrays = {f"{n}": np.stack(row) for n, row in enumerate(against.rows)}
    arrays |= {f"bare{n}": np.stack(row) for n, row in enumerate(against.bare)}
    store.put(name, arrays, {"rows": len(against.rows)})


def against_at(store: FrameStore, name: str) -> Against | None:
    """The pictures under a name; None when they are not there."""
    found = store.get(name) if store.notice(name) else None
    try:
        if found is None:
            return None
        arrays, count = found[0], range(found[1]["rows"])
        return Against([list(arrays[f"{n}"]) for n in count], [list(arrays[f"bare{n}"]) for n in count])
    except KeyError:
        return None


def store_here() -> FrameStore:
    """The store of a worker: its user's, or as its environment names it."""
    named = os.environ.get(FOLDER)
    return FrameStore(Path(named) if named else None)


def work(job: Job) -> Answer:
    """Measure a variant, or tell what is lacking for it."""
    store, stopped = HERE.get(job.run) or (store_here(), None)
    if (known := kept(store, job.key)) is not None:
        return Answer(known, known=True)
    folder = Path(job.folder) if job.folder else None
    if stopped is None:
        wanted = lacking(job.names, job.files, folder, store)
        if wanted:
            return Answer(lacks=wanted, worker=_own_address())
        stopped = _stopped_by(job.run)
    watch = Watched(stopped)
    with tempfile.TemporaryDirectory() as spare:
        try:
            place = laid_out(job.files, folder, store, Path(spare))
            against = against_at(store, job.against)
            if against is None:
                raise BadInput("the pictures that variants are held against are gone")
            effect, before = storage.loads(job.effect), storage.loads(job.before)
            found = measured(effect, job.tier, place, store, job.looking, against, watch, before)
            keep(store, job.key, found)
        except Cancelled:
            return Answer(fault="stopped")
        except TenkaError as error:
            return Answer(fault=str(error))
    return Answer(found)


def provide(parcel: Mapping[str, bytes]) -> None:
    """Take what was sent to this worker."""
    take(parcel, store_here())


def _own_address() -> str:
    from distributed import get_worker

    return str(get_worker().address)


def _stopped_by(run: str) -> Callable[[], bool]:
    """Whether the one who asked for a sweep has stopped it."""
    from distributed import Event, get_client

    event = Event(f"tenka-stop-{run}", client=get_client())

    def stopped() -> bool:
        try:
            return bool(event.is_set())
        except (OSError, RuntimeError, ValueError):
            return False

    return stopped
