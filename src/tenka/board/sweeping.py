"""Sweeps: every combination of some values of settings on a tier, cheapest first.

Each is measured once and kept by what it is made of, so that a sweep that was stopped goes on.
"""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.carried import contents_of, frames_of, named_files
from tenka.board.engine import Engine, check_address
from tenka.board.looking import Looking
from tenka.board.measuring import Measured, references
from tenka.board.variants import VERSION, Tried, Values, combined, keep, kept, key_of
from tenka.board.working import Job, against_at, put_against
from tenka.budget.cost import Ledger, ledger
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.model import Effect
from tenka.look.shot import seen
from tenka.run.driver import figures_of, simulate
from tenka.run.plans import plans_of


@dataclass
class Bench:
    """All that variants of an effect on a tier have in common, once it is simulated.

    Parameters
    ----------
    sides : degrees from which they are looked at
    distance : m, other than the tier's
    looking : instead of as large as the tier shows the effect
    """

    effect: Effect
    tier: str
    folder: Path | None
    store: FrameStore
    progress: Progress
    sides: tuple[float, ...] = (0.0,)
    distance: float | None = None
    looking: Looking | None = None

    def __post_init__(self) -> None:
        self.plans = plans_of(self.effect, self.folder)
        layers = [layer.id for layer in seen(self.effect)]
        for id in layers:
            simulate(self.plans[id], self.store, self.progress)
        self.figures = {id: figures_of(self.plans[id], self.store) for id in layers}
        self.frames = {id: self.plans[id].name(self.effect.frames - 1) for id in layers}
        self.files = contents_of(self.effect, self.folder)
        if self.looking is None:
            tier = self.effect.tier(self.tier)
            self.looking = Looking.on(self.effect, tier, self.figures, self.sides, self.distance)

    @property
    def view(self) -> Looking:
        assert self.looking is not None
        return self.looking

    @cached_property
    def blank(self) -> np.ndarray:
        return np.zeros((*self.view.size[::-1], 3), np.uint8)

    def book(self, made: Effect) -> Ledger:
        """What a variant takes."""
        return ledger(made, self.tier, self.figures, self.folder)

    def key(self, made: Effect) -> str:
        """The name under which a variant's figures are kept."""
        return key_of(made, self.effect, self.tier, self.view, self.frames, self.files)

    @cached_property
    def against(self) -> str:
        """The name under which the stage's pictures are kept, which are drawn when they are first asked
        for."""
        told: list[Any] = [
            VERSION,
            asdict(self.view),
            sorted(self.frames.items()),
            sorted(self.files.items()),
        ]
        plain = self.effect.model_dump(mode="json", exclude={"deliveries", "tiers", "levers", "name"})
        name = hashlib.blake2b(json.dumps([told, plain]).encode(), digest_size=16).hexdigest() + ".against"
        if against_at(self.store, name) is None:
            drawn = references(self.effect, self.folder, self.store, self.view, self.progress)
            put_against(self.store, name, drawn)
        return name

    @property
    def stage(self) -> np.ndarray:
        """The stage's middle picture of what variants are held against, (h, w, 3) uint8."""
        drawn = against_at(self.store, self.against)
        if drawn is None:  # cleaned away meanwhile
            return self.blank
        return drawn.rows[0][self.view.firsts[len(self.view.firsts) // 2]]

    def job(self, made: Effect) -> Job:
        """A variant, to be measured wherever that is."""
        names = (self.against, *frames_of(self.effect, self.folder, self.store))
        return Job(
            "",
            storage.dumps(made),
            storage.dumps(self.effect),
            self.tier,
            self.view,
            self.key(made),
            self.against,
            names,
            self.files,
            str(self.folder or ""),
        )

    def tried(
        self, values: Values, book: Ledger, found: Measured | None, fault: str = "", known: bool = False
    ) -> Tried:
        """What was found out about a variant."""
        if found is None:
            takes = (time_of(book), book.mb, book.over)
            return Tried(values, *takes, None, self.blank, fault, known)
        tier, like = self.effect.tier(self.tier), found.likeness
        over = found.ms > tier.ms or found.mb > tier.mb or bool(book.problems)
        return Tried(values, found.ms, found.mb, over, like, found.picture, fault, known)


def measure_all(
    bench: Bench, wanted: Sequence[tuple[Values, Effect, Ledger]], scheduler: str | None = None
) -> Iterator[Tried]:
    """Measure variants, those that are known first, and the others in the order in which they are given.

    Raises
    ------
    BadInput
        When a scheduler or all its workers are gone.
    Cancelled
    """
    waiting = []
    for values, made, book in wanted:
        known = kept(bench.store, bench.key(made))
        if known is not None:
            yield bench.tried(values, book, known, known=True)
        else:
            waiting.append((values, made, book))
    if not waiting:
        return
    jobs = [bench.job(made) for _, made, _ in waiting]
    bench.progress.begin(len(jobs), "Measuring variants")
    with Engine(bench.store, bench.progress, scheduler) as engine:
        for n, answer in engine.measure(jobs, named_files(bench.effect, bench.folder)):
            values, _, book = waiting[n]
            if answer.found is not None and not bench.store.notice(jobs[n].key):
                keep(bench.store, jobs[n].key, answer.found)
            yield bench.tried(values, book, answer.found, answer.fault, answer.known)
            bench.progress.step()


def sweep(
    effect: Effect,
    tier: str,
    asked: Mapping[str, Sequence[Any]],
    folder: Path | None,
    store: FrameStore,
    progress: Progress | None = None,
    looking: Looking | None = None,
    sides: tuple[float, ...] = (0.0,),
    scheduler: str | None = None,
) -> Iterator[Tried]:
    """Measure all combinations of values on a tier, the cheapest first; one is given as soon as it is known.

    A variant that cannot be packed is given with its fault, and the next one is tried; those that do not even
    fit together come at the end.

    Raises
    ------
    BadInput
        See `combined` and `measure_all`; or nothing that is seen can be simulated.
    Cancelled
    """
    check_address(scheduler)
    combined(effect, tier, asked)  # a fault is told before anything is simulated
    bench = Bench(effect, tier, folder, store, progress or Progress(), sides, looking=looking)
    yield from sweep_on(bench, asked, scheduler)


def sweep_on(
    bench: Bench, asked: Mapping[str, Sequence[Any]], scheduler: str | None = None
) -> Iterator[Tried]:
    """A sweep over what a bench has; see `sweep`."""
    progress, variants = bench.progress, combined(bench.effect, bench.tier, asked)
    costed, unfit = list[tuple[Values, Effect, Ledger]](), list[tuple[Values, str]]()
    for values, made in variants:
        progress.check()
        try:
            costed.append((values, made, bench.book(made)))
        except BadInput as error:
            unfit.append((values, str(error)))
    costed.sort(key=lambda one: (time_of(one[2]), one[2].mb))
    yield from measure_all(bench, costed, scheduler)
    for values, fault in unfit:
        yield Tried(values, math.inf, math.inf, True, None, bench.blank, fault=fault)


def time_of(book: Ledger) -> float:
    """What a tier's budget of time is held against, ms: drawing, or moving sprites beside it."""
    return max(book.ms, book.update_ms)
