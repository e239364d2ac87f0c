"""What a change will lose, foretold from a few frames: the same as is measured later, of short stretches."""

from __future__ import annotations

import numpy as np

from tenka.base.jobs import Progress
from tenka.board.measuring import darkened, on_one_sprite, played_otherwise, players_of, shown_at
from tenka.board.shelf import Shelf
from tenka.board.sweeping import Bench
from tenka.board.working import against_at
from tenka.effect.document import delivered_on
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes.flipbook import Flipbook
from tenka.look.flip import flip_error
from tenka.pack.layout import span_of
from tenka.package.parts import Element
from tenka.proof.engine import Package

FRAMES = 2  # of an atlas that are drawn for a probe: those between which its moment lies
PROBES = 3  # moments at which it is made, of those at which it is measured
REACH = 0.15  # s to both sides, of what is written moment by moment
STRETCHED = frozenset(("flipbook", "slices", "shimmer", "volume", "surface", "meshes"))
"""Routes of which a stretch is drawn as the whole would be; others may need all that was before."""

OWN_CLOCK = frozenset(("flipbook", "bodies"))
"""Routes whose elements begin with their first moment, whenever that is."""


def stretch(effect: Effect, delivery: Delivery, t: float) -> Delivery:
    """A delivery with no more than what shows a moment: some frames round it, as far apart, as large."""
    route = delivery.route
    if route.kind not in STRETCHED:
        return delivery
    first, last = span_of(effect, delivery)
    columns, rows = getattr(route, "columns", 0), getattr(route, "rows", 0)
    count = columns * rows
    if not count:
        reach = max(REACH, 2.0 * getattr(route, "every", 1) / effect.rate)
        a, b = max(first, t - reach), min(last, t + reach)
        short: dict[str, object] = {"first": min(a, b), "last": max(a, b)}
        if getattr(route, "ends", "") == "loop":
            short["ends"] = "once"
        return delivery.model_copy(update={"route": route.model_copy(update=short)})
    if count <= FRAMES:
        return delivery
    apart = (last - first) / (count - 1)
    begin = min(max(int((t - first) / max(apart, 1e-9) + 1e-6), 0), count - FRAMES)
    short = {
        "first": first + begin * apart,
        "last": first + (begin + FRAMES - 1) * apart,
        "columns": FRAMES,
        "rows": 1,
    }
    if isinstance(route, Flipbook):
        short |= {"width": FRAMES * (route.width // columns), "height": route.height // rows}
        short |= {"loop": False, "variants": 1, "spacing": "even time"}
    return delivery.model_copy(update={"route": route.model_copy(update=short)})


class Prober:
    """Foretells what variants of an effect on a tier lose, and draws what only drawing tells.

    Parameters
    ----------
    bench : what they have in common
    """

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        firsts = bench.view.firsts
        self.moments = [firsts[round(n)] for n in np.linspace(0, len(firsts) - 1, PROBES)]
        self.moments = list(dict.fromkeys(self.moments))
        self._shelves = [Shelf() for _ in self.moments]
        against = against_at(bench.store, bench.against)
        assert against is not None
        self._against = against

    def probe(self, made: Effect, id: str, progress: Progress) -> tuple[float, list[Element]]:
        """FLIP error at some moments of one delivery of a variant, and its element of each stretch.

        Raises
        ------
        BadInput, TooLarge, Unstable, Cancelled
        """
        found = [self._drawn(made, id, n, progress) for n in range(len(self.moments))]
        package = found[-1][1]
        before, now = (players_of(e, self.bench.tier) for e in (self.bench.effect, made))
        own = [{id: each[id]} if id in each else {} for each in (before, now)]
        playing = played_otherwise(package, self.bench.effect, self.bench.view, *own)
        elements = [package.elements[0] for _, package in found]
        return float(np.mean([error for error, _ in found])) + playing, elements

    def without(self) -> float:
        """FLIP error of leaving what there is out."""
        pairs = [(self._against.rows[0][k], self._against.bare[0][k]) for k in self.moments]
        return float(np.mean([flip_error(a, b) for a, b in pairs]))

    def darkened(self, made: Effect) -> float:
        """FLIP error of the lights that a variant leaves out, of the effect's own."""
        return darkened(
            made, self.bench.tier, self.bench.folder, self.bench.view, self._against, self.moments
        )

    def _drawn(self, made: Effect, id: str, n: int, progress: Progress) -> tuple[float, Package]:
        bench, k = self.bench, self.moments[n]
        t = bench.view.frames[k] / bench.effect.rate
        played = delivered_on(made, bench.tier)
        short = tuple(stretch(played, d, t) for d in played.deliveries)
        short_one = on_one_sprite(played.model_copy(update={"deliveries": short}))
        names = bench.frames
        package = Package(
            self._shelves[n].packed(short_one, bench.folder, bench.store, progress, names, only=id)
        )
        view, backdrop = bench.view.rows(bench.effect)[0]
        package.stand_before(backdrop)
        element = package.elements[0]
        since = t - (element.times[0] if element.route in OWN_CLOCK else 0.0)
        drawn = self._against.changed_as(0, k, *shown_at(package, since, view, bench.view))
        return flip_error(self._against.rows[0][k], drawn), package

    def close(self) -> None:
        """Let go of what was drawn."""
        for shelf in self._shelves:
            shelf.clear()
