"""Suggestions: the changes that bring a tier within its budget with the least loss, foretold and then
measured."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.changes import Change, Ladder, fitting, ladders
from tenka.board.probing import Prober
from tenka.board.sweeping import Bench, measure_all
from tenka.board.variants import Tried, Values
from tenka.budget.cost import Ledger, packed_lines
from tenka.effect.document import delivered_on
from tenka.effect.model import Delivery, Effect
from tenka.pack.cutting import united
from tenka.pack.layout import taken
from tenka.package.elements.flipbook import Flipbook
from tenka.package.parts import Element

WORTH = 0.03  # share of a budget, or of what is taken, that a change must save to be told
AIM = 0.71  # of what is taken, where a tier is within its budget already
MOST_STEPS = 4  # changes that are put together
MOST = 8  # changes that are foretold by drawing


@dataclass(frozen=True)
class Suggestion:
    """A change or several, what it takes and loses as foretold, and as measured.

    Attributes
    ----------
    effect : with the change made on the tier
    ms, mb : what the tier takes then
    over : whether that is more than its budget
    loss : how much FLIP error is added
    tried : as it was measured; None until then
    added : how much FLIP error was added, as it was measured
    """

    changes: tuple[Change, ...]
    effect: Effect
    ms: float
    mb: float
    over: bool
    loss: float
    tried: Tried | None = None
    added: float = math.nan

    @property
    def what(self) -> str:
        return "; ".join(change.what for change in self.changes)

    @property
    def hides(self) -> bool:
        """Whether something is not seen at all any more."""
        return any(change.hides for change in self.changes)

    @property
    def note(self) -> str:
        return "; ".join(change.note for change in self.changes if change.note)


@dataclass(frozen=True)
class Takes:
    """What a variant takes on its tier, as foretold; whether a texture is beyond what the device takes."""

    ms: float
    mb: float
    amiss: bool = False

    def beyond(self, aim: Takes) -> float:
        """By how much more than is aimed at, as shares added up; 0 where it is there."""
        return max(0.0, self.ms / aim.ms - 1.0) + max(0.0, self.mb / aim.mb - 1.0) + float(self.amiss)

    def settles(self, before: Takes, aim: Takes) -> bool:
        """Whether all that is less than before is as little as is aimed at, and something is."""
        less = [(a, c) for a, b, c in ((self.ms, before.ms, aim.ms), (self.mb, before.mb, aim.mb)) if a < b]
        return bool(less) and all(a <= c for a, c in less) and not self.amiss


class Suggester:
    """Looks for changes that bring a tier within its budget, or save much where it is within it.

    Parameters
    ----------
    bench : the effect on the tier
    """

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._prober = Prober(bench)
        self._drawn: dict[str, float] = {}  # share of the counted time, by what is written
        self._base: dict[str, float] = {}
        self._ladders: dict[str, Ladder] = {}  # by the change that was taken of each
        self.tried: Tried | None = None  # the effect as it is, once that is measured
        for delivery in delivered_on(bench.effect, bench.tier).deliveries:
            if delivery.route.told_by_drawing and taken(bench.effect, delivery):
                error, elements = self._prober.probe(bench.effect, delivery.id, bench.progress)
                self._base[delivery.id] = error
                self._note_drawn(bench.effect, delivery, elements)
        self.now = self._takes(bench.effect)
        tier = bench.effect.tier(bench.tier)
        self.budget = Takes(tier.ms, tier.mb)
        self.over = self.now.beyond(self.budget) > 0
        self.aim = self.budget if self.over else Takes(AIM * self.now.ms, AIM * self.now.mb)

    def suggest(
        self, progress: Progress, hear: Callable[[Suggestion], None] = lambda _: None
    ) -> list[Suggestion]:
        """Changes that are enough each, the least loss first; several together, where none is that keeps all
        in sight.

        Parameters
        ----------
        hear : is told of each as soon as it is foretold

        Raises
        ------
        BadInput, TooLarge, Unstable, Cancelled
        """
        try:
            found = self._singles(progress, hear)
            keeping = [s for s in found if not s.hides]
            if self.over and all(s.over for s in keeping):  # rather several than one that hides something
                together = self._together(keeping, progress) or self._together(found, progress)
                found = [*([together] if together is not None else []), *found]
        finally:
            self._prober.close()
        return sorted(found, key=lambda s: (s.over, s.hides, s.loss))

    def _singles(self, progress: Progress, hear: Callable[[Suggestion], None]) -> list[Suggestion]:
        chosen = sorted(self._worth(), key=lambda pair: -pair[1])[:MOST]
        progress.begin(len(chosen), "Foretelling what is lost")
        found = []
        for change, _ in chosen:
            suggestion = self._foretold((change,), progress)
            if suggestion is not None:
                found.append(suggestion)
                hear(suggestion)
            progress.step()
        return found

    def _worth(self) -> Iterator[tuple[Change, float]]:
        """One change of each setting that saves something, and how much of what is too much: the smallest one
        that is enough, else the largest."""
        effect, tier = self.bench.effect, self.bench.tier
        before = self.now.beyond(self.aim)

        def settled(made: Effect) -> bool:
            return self._takes(made).settles(self.now, self.aim)

        for ladder in ladders(effect, tier, self.bench.book(effect)):
            change = fitting(effect, tier, ladder, settled) or ladder[-1]
            self._ladders[change.what] = ladder
            try:
                made = change.on(effect, tier)
                saved = before - self._takes(made).beyond(self.aim)
            except BadInput:
                continue
            if saved > WORTH or any(d.route.told_by_drawing for d in self._changed(made, (change,))):
                yield change, saved

    def _changed(self, made: Effect, changes: tuple[Change, ...]) -> list[Delivery]:
        """The deliveries whose settings some changes touch, as they are then on the tier."""
        paths = (path.split(".") for change in changes for path in change.values)
        ids = {id for group, id, *_ in paths if group == "deliveries"}
        return [d for d in delivered_on(made, self.bench.tier).deliveries if d.id in ids]

    def _takes(self, made: Effect) -> Takes:
        book = self.bench.book(made)
        drawn: dict[tuple[str, str], float] = {
            (d.name, d.route.kind): self._drawn.get(_written(d), 1.0)
            for d in delivered_on(made, self.bench.tier).deliveries
        }
        less = sum((1.0 - drawn.get((line.layer, line.route), 1.0)) * line.ms for line in book.lines)
        return Takes(max(book.ms - less, book.update_ms), book.mb, bool(book.problems))

    def _foretold(self, changes: tuple[Change, ...], progress: Progress) -> Suggestion | None:
        """A suggestion with what it loses; None where it cannot be packed, or saves nothing after all."""
        b, prober, loss = self.bench, self._prober, 0.0
        made = b.effect
        try:
            for change in changes:
                made = change.on(made, b.tier)
            for delivery in self._changed(made, changes):
                error, elements = prober.probe(made, delivery.id, progress)
                loss += error - self._before(delivery.id, progress)
                if delivery.route.told_by_drawing:
                    self._note_drawn(made, delivery, elements)
            for id in (id for change in changes for id in change.without):
                loss += prober.without() - self._before(id, progress)
            if any(change.of_lights for change in changes):
                loss += prober.darkened(made) - prober.darkened(b.effect)
            takes = self._takes(made)
        except BadInput:
            return None
        if self.now.beyond(self.aim) - takes.beyond(self.aim) <= WORTH:
            return None
        return Suggestion(changes, made, takes.ms, takes.mb, takes.beyond(self.budget) > 0, loss)

    def _before(self, id: str, progress: Progress) -> float:
        """What a delivery loses as it is now."""
        if id not in self._base:
            self._base[id] = self._prober.probe(self.bench.effect, id, progress)[0]
        return self._base[id]

    def _note_drawn(self, made: Effect, delivery: Delivery, elements: Sequence[Element]) -> None:
        """What share of the counted time is left by what only drawing tells."""
        cuts = [e.cut_out for e in elements if isinstance(e, Flipbook) and e.cut_out is not None]
        if cuts and all(len(cut.shapes) == 1 for cut in cuts):  # one for all times, not for each stretch
            elements = [elements[0].model_copy(update={"cut_out": united(cuts)})]
        lines = [packed_lines([e], made, self.bench.tier)[0].ms for e in elements]
        counted = next(x.ms for x in self.bench.book(made).lines if x.layer == delivery.name)
        self._drawn[_written(delivery)] = sum(lines) / len(lines) / counted

    def _together(self, singles: Sequence[Suggestion], progress: Progress) -> Suggestion | None:
        """Several changes that are enough together: at each step the one that loses least for what it
        saves."""
        made, takes, changes, left = self.bench.effect, self.now, list[Change](), list(singles)
        while takes.beyond(self.aim) > 0 and left and len(changes) < MOST_STEPS:
            options = []
            for s in left:
                try:
                    after = s.changes[0].on(made, self.bench.tier)
                    saved = takes.beyond(self.aim) - self._takes(after).beyond(self.aim)
                except BadInput:
                    continue
                if saved > WORTH:
                    options.append((max(s.loss, 0.0) / saved, s, after))
            if not options:
                return None
            _, best, made = min(options, key=lambda o: o[0])
            changes.append(best.changes[0])
            touched = best.changes[0].touched
            left = [s for s in left if not touched & s.changes[0].touched]
            takes = self._takes(made)
        if takes.beyond(self.aim) > 0 or len(changes) < 2:
            return None
        loss = {id(s.changes[0]): s.loss for s in singles}
        for change in sorted(changes, key=lambda c: -loss[id(c)]):  # what later steps made needless
            rest = [c for c in changes if c is not change]
            if rest and self._takes(self._with(rest)).beyond(self.aim) <= 0:
                changes = rest
        for change in sorted(changes, key=lambda c: -loss[id(c)]):  # and no further than is needed
            ladder = self._ladders[change.what]
            others = self._with([c for c in changes if c is not change])
            least = fitting(
                others, self.bench.tier, ladder, lambda made: self._takes(made).beyond(self.aim) <= 0
            )
            changes = [least if c is change and least is not None else c for c in changes]
        return self._foretold(tuple(changes), progress) if len(changes) > 1 else None

    def _with(self, changes: Sequence[Change]) -> Effect:
        made = self.bench.effect
        for change in changes:
            made = change.on(made, self.bench.tier)
        return made

    def measure(self, found: Sequence[Suggestion], scheduler: str | None = None) -> Iterator[Suggestion]:
        """The suggestions as they are measured, after what there is now.

        Raises
        ------
        BadInput, Cancelled
        """
        b = self.bench
        wanted: list[tuple[Values, Effect, Ledger]] = [({}, b.effect, b.book(b.effect))]
        wanted += [({"n": n}, s.effect, b.book(s.effect)) for n, s in enumerate(found)]
        waiting: list[Tried] = []
        for tried in measure_all(b, wanted, scheduler):
            if not tried.values:
                self.tried = tried
            else:
                waiting.append(tried)
            if self.tried is None:
                continue
            for one in waiting:
                both = (one.likeness, self.tried.likeness)
                added = both[0].loss - both[1].loss if both[0] and both[1] else math.nan
                yield replace(found[one.values["n"]], tried=one, added=added)
            waiting = []


def _written(delivery: Delivery) -> str:
    """What of a delivery that share hangs on: hardly on how large its frames are."""
    return f"{delivery.id} {getattr(delivery.route, 'cut_out', '')}"


def error_of(foretold: Sequence[float], measured: Sequence[float]) -> float:
    """How far off predictions were, as a mean share of what was measured; not a number for none."""
    shares = [
        abs(a - b) / b for a, b in zip(foretold, measured) if math.isfinite(a) and math.isfinite(b) and b > 0
    ]
    return sum(shares) / len(shares) if shares else math.nan
