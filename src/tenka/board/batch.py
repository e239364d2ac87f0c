"""Many effects on many tiers: each packed, weighed and looked at, whatever becomes of the others."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tenka.base.errors import BadInput, Cancelled, TenkaError
from tenka.base.files import write_atomic
from tenka.base.jobs import Progress
from tenka.board.likeness import Likeness
from tenka.board.sweeping import Bench, measure_all
from tenka.budget.cost import Ledger, ledger
from tenka.budget.figures import needed_figures
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import on_tier
from tenka.effect.model import Effect, Tier
from tenka.pack.amiss import amiss, twice_shown
from tenka.pack.film import Film, pictures
from tenka.pack.looked import known_cuts
from tenka.pack.packing import pack
from tenka.pack.reels import png_of
from tenka.proof.engine import Package, package_view

PICTURE = (480, 300)  # px
PASSES = 8  # over which the stage's picture is averaged
PICTURES = "pictures"  # the folder they are in
ALL, SUFFIX = "all", ".tenka"


@dataclass(frozen=True)
class Weighed:
    """An effect on a tier.

    Attributes
    ----------
    file : of the effect, below the folder that was asked for
    effect, tier_name : as they are called; tier : the tier's id
    delivered : ids and names of the deliveries that are in it
    ms, update_ms, mb : what it takes, against the budget
    uncounted : what of it is not counted, and why
    remarks : what is amiss with what was written
    like : how like the package is to the stage, where that was asked for
    package : its folder, below where all is written
    bytes : of all files in it
    stage, proof : pictures, below the same
    seconds : that it took
    fault : why there is no package; the figures say nothing then
    """

    file: str
    effect: str
    tier: str
    ms: float = 0.0
    update_ms: float = 0.0
    mb: float = 0.0
    budget_ms: float = 0.0
    budget_mb: float = 0.0
    over: bool = False
    problems: tuple[str, ...] = ()
    uncounted: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()
    calibration: str = ""
    like: Likeness | None = None
    package: str = ""
    bytes: int = 0
    stage: str = ""
    proof: str = ""
    seconds: float = 0.0
    fault: str = ""
    tier_name: str = ""
    delivered: tuple[tuple[str, str], ...] = ()

    def failed(self, accept_uncounted: bool) -> bool:
        """Whether a build that has it should not go out."""
        return bool(self.fault) or self.over or (bool(self.uncounted) and not accept_uncounted)

    @property
    def told(self) -> str:
        """How it ended, in a word or two."""
        if self.fault:
            return "failed"
        return "over" if self.over else "not all counted" if self.uncounted else "within"


def effects_in(folder: Path, out: Path) -> list[Path]:
    """All effects in a folder and those below it, but for what is hidden, and what is written.

    Raises
    ------
    BadInput
        When it is no folder, or has none.
    """
    if not folder.is_dir():
        raise BadInput("is no folder", "one with effects", folder)
    found = []
    for place, below, names in os.walk(folder):
        below[:] = sorted(n for n in below if n[0] != "." and (Path(place) / n).resolve() != out.resolve())
        found += [Path(place) / n for n in sorted(names) if n.endswith(SUFFIX) and n[0] != "."]
    if not found:
        raise BadInput("has no effect in it", f"files that end in {SUFFIX}", folder)
    return found


def batch(
    folder: Path, tier: str, out: Path, store: FrameStore, progress: Progress, likeness: bool = False
) -> Iterator[Weighed]:
    """Pack, weigh and look at every effect of a folder.

    Parameters
    ----------
    tier : its name or id in each effect; "all" for each that an effect has
    out : gets a folder for each effect with one for each tier in it, and pictures
    likeness : whether each is measured against the stage too

    Raises
    ------
    BadInput
        When there are no effects.
    Cancelled
    """
    for file in effects_in(folder, out):
        name = file.relative_to(folder).with_suffix("")
        try:
            effect = storage.load(file)
            if tier != ALL:
                chosen: Sequence[Tier] = [_tier(effect, tier)]
            elif effect.tiers:
                chosen = effect.tiers
            else:
                raise BadInput("the effect has no tier", "one to weigh it on")
        except TenkaError as error:
            yield Weighed(str(name), name.name, "" if tier == ALL else tier, fault=str(error))
            continue
        job = _Job(effect, file.parent, name, out, store, progress, likeness)
        for one in chosen:
            start = time.perf_counter()
            try:
                found = job.weighed(one)
            except Cancelled:
                raise
            except (TenkaError, MemoryError, OSError) as error:
                spent, why = time.perf_counter() - start, str(error) or "there is not enough memory for it"
                found = Weighed(str(name), effect.name, one.name, seconds=spent, fault=why)
            yield found


def _tier(effect: Effect, name: str) -> Tier:
    found = next((t for t in effect.tiers if name.lower() in (t.id, t.name.lower())), None)
    if found is None:
        names = ", ".join(t.name for t in effect.tiers) or "none yet"
        raise BadInput(f"no tier is called '{name}'", f"one of: {names}")
    return found


@dataclass
class _Job:
    """An effect on all its tiers: what they have in common is made once."""

    effect: Effect
    folder: Path
    name: Path
    out: Path
    store: FrameStore
    progress: Progress
    likeness: bool
    written: list[tuple[Path, Effect]] = field(default_factory=list)
    stage: Path | None = None

    def weighed(self, tier: Tier) -> Weighed:
        """Packed, weighed and looked at on a tier."""
        start, effect, folder, store = time.perf_counter(), self.effect, self.folder, self.store
        place, played = self.out / self.name / tier.id, on_tier(effect, tier.id)
        manifest = pack(played, folder, store, place, self.progress, earlier=self.written, packed_for=tier.id)
        self.written.append((place, played))
        figures = needed_figures(effect, folder, store, self.progress)
        book = ledger(effect, tier.id, figures, folder, known_cuts(store, folder))
        stage, proof = self._pictures(place, tier)
        remarks = [e.remark for e in manifest.elements if e.remark]
        remarks += [*twice_shown(played), *(found.text for found in amiss(played, None))]
        return Weighed(
            str(self.name),
            effect.name,
            tier.id,
            tier_name=tier.name,
            delivered=tuple((line.id, line.layer) for line in book.lines),
            **_takes(book),
            remarks=tuple(remarks),
            like=self._like(tier) if self.likeness else None,
            package=str(place.relative_to(self.out)),
            bytes=sum(f.stat().st_size for f in place.iterdir()),
            stage=str(stage.relative_to(self.out)),
            proof=str(proof.relative_to(self.out)),
            seconds=time.perf_counter() - start,
        )

    def _like(self, tier: Tier) -> Likeness | None:
        bench = Bench(self.effect, tier.id, self.folder, self.store, self.progress)
        tried = next(measure_all(bench, [({}, self.effect, bench.book(self.effect))]))
        if tried.fault:
            raise BadInput(f"it cannot be measured: {tried.fault}", "a package that can be")
        return tried.likeness

    def _pictures(self, place: Path, tier: Tier) -> tuple[Path, Path]:
        """The stage and the package in the middle of the effect, from the same camera."""
        effect, index = self.effect, self.effect.frames // 2
        begin = self.out / PICTURES / self.name
        begin.parent.mkdir(parents=True, exist_ok=True)
        if self.stage is None:
            stage = begin.with_name(f"{begin.name}.png")
            film = Film(*PICTURE, passes=PASSES)
            for picture in pictures(effect, self.folder, self.store, film, (index, index), self.progress):
                write_atomic(stage, png_of(picture.rgb), sync=False)
            self.stage = stage
        package = Package(place)
        first = min(e.times[0] for e in package.elements)
        view = package_view(package, *PICTURE, effect.camera)
        shown = package.draw(max(0.0, index / effect.rate - first), view)
        proof = begin.with_name(f"{begin.name}-{tier.id}.png")
        write_atomic(proof, png_of(shown.rgb), sync=False)
        return self.stage, proof


def _takes(book: Ledger) -> dict[str, Any]:
    return {
        "ms": book.ms,
        "update_ms": book.update_ms,
        "mb": book.mb,
        "budget_ms": book.tier.ms,
        "budget_mb": book.tier.mb,
        "over": book.over,
        "problems": book.problems,
        "uncounted": tuple(map(str, book.uncounted)),
        "calibration": book.calibration,
    }
