"""Routes against each other: the same layers by one route and by another, on one clock and by one camera,
from several distances; and which of them to show where."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.sweeping import Bench, measure_all, time_of
from tenka.board.variants import Tried
from tenka.cache.store import FrameStore
from tenka.effect.delivered import first_delivery, rerouted, routes_for, tidied
from tenka.effect.document import delivered_on, with_own
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes import ROUTES
from tenka.effect.routes.base import EVERYWHERE
from tenka.proof.elements import UNPLAYED

STEPS = (0.25, 0.5, 1.0, 2.0, 4.0)  # of a tier's distance
AS_GOOD = 0.0005  # of FLIP: what differs by less is taken for alike, and the cheaper wins


@dataclass(frozen=True)
class Stood:
    """A route from a distance.

    Attributes
    ----------
    kind : of the route
    distance : m
    tried : what the whole effect takes by it, and how like it is
    alone : ms of its own line
    stage : (h, w, 3) uint8, what it is held against
    fault : why nobody can say how like it is
    """

    kind: str
    distance: float
    tried: Tried
    alone: float
    stage: np.ndarray | None = None
    fault: str = ""

    @property
    def loss(self) -> float:
        """What is lost; nan where that is not known."""
        like = self.tried.likeness
        return like.loss if like is not None and not self.fault else math.nan


@dataclass(frozen=True)
class Stretch:
    """Distances over which a route is the one to show, m."""

    kind: str
    near: float
    far: float


def compared_routes(effect: Effect, delivery: Delivery) -> list[str]:
    """The routes by which what a delivery shows could be seen; its own one first."""
    layers = [layer for layer in effect.layers if layer.id in delivery.of]
    kinds = [kind for kind in routes_for(layers) if ROUTES[kind].SHOWS]
    return sorted(kinds, key=lambda kind: kind != delivery.route.kind)


def by_route(effect: Effect, delivery_id: str, kind: str) -> Effect:
    """The effect with a delivery by a route, shown at all distances: with that route's settings of another
    delivery of the same layers, where there is one."""
    own = effect.delivery(delivery_id)
    like = next((d for d in effect.deliveries if set(d.of) == set(own.of) and d.route.kind == kind), None)
    made = rerouted(effect, delivery_id, kind)
    route = like.route if like is not None and like.id != delivery_id else made.delivery(delivery_id).route
    route = route.model_copy(update={"seen_from": 0.0, "seen_to": EVERYWHERE})
    twins = {d.id for d in _twins(effect, own)}
    kept = tuple(
        d.model_copy(update={"route": route}) if d.id == delivery_id else d
        for d in made.deliveries
        if d.id not in twins
    )
    made = made.model_copy(update={"deliveries": kept})
    return made.model_copy(update=tidied(made))  # tiers may name what is gone


def _twins(effect: Effect, own: Delivery) -> list[Delivery]:
    """Deliveries that show the same at other distances, and not beside it."""

    def apart(d: Delivery) -> bool:
        return d.route.seen_to <= own.route.seen_from or own.route.seen_to <= d.route.seen_from

    same = (d for d in effect.deliveries if set(d.of) == set(own.of) and d.id != own.id)
    return [d for d in same if d.route.SHOWS and apart(d)]


def steps_of(effect: Effect, tier: str) -> tuple[float, ...]:
    """Distances at which routes are held against each other where none are given, m."""
    return tuple(float(f"{effect.tier(tier).distance * f:.3g}") for f in STEPS)


def plain(effect: Effect, tier: str) -> Effect:
    """The effect with the deliveries that a tier has, as everyone's."""
    id = effect.tier(tier).id
    bare: dict[str, object] = {"values": {}, "without": ()}
    tiers = tuple(t.model_copy(update=bare) if t.id == id else t for t in effect.tiers)
    return effect.model_copy(update={"deliveries": delivered_on(effect, tier).deliveries, "tiers": tiers})


def standing(effect: Effect, tier: str, distance: float) -> Effect:
    """The effect with a tier that looks on from a distance."""
    id = effect.tier(tier).id
    tiers = tuple(t.model_copy(update={"distance": distance}) if t.id == id else t for t in effect.tiers)
    return effect.model_copy(update={"tiers": tiers})


def compare(
    effect: Effect,
    tier: str,
    delivery: str,
    folder: Path | None,
    store: FrameStore,
    progress: Progress,
    kinds: Sequence[str] = (),
    distances: Sequence[float] = (),
) -> Iterator[Stood]:
    """Measure routes from distances, a route at a time.

    Parameters
    ----------
    delivery : whose layers go by one route and by another
    kinds : of routes; by default all by which they can be seen
    distances : m; by default some about the tier's

    Raises
    ------
    BadInput
        Routes that do not take the layers, distances that are none.
    Cancelled
    """
    effect = plain(effect, tier)
    own = _delivery(effect, delivery)
    possible = compared_routes(effect, own)
    for kind in kinds:
        if kind not in possible:
            raise BadInput(f"{own.name} cannot go as '{kind}'", f"one of: {', '.join(possible)}")
    away = tuple(distances) or steps_of(effect, tier)
    if not all(0.1 <= x <= EVERYWHERE for x in away):
        raise BadInput("a distance that is none", f"0.1 to {EVERYWHERE:g} m")
    benches: dict[float, Bench] = {}
    for kind in kinds or possible:
        for distance in away:
            progress.check()
            if distance not in benches:
                base = by_route(standing(effect, tier, distance), own.id, own.route.kind)
                benches[distance] = Bench(base, tier, folder, store, progress)
            yield _stood(benches[distance], own, kind, distance)


def _delivery(effect: Effect, id: str) -> Delivery:
    try:
        return effect.delivery(id)
    except KeyError:
        names = ", ".join(d.id for d in effect.deliveries) or "none"
        raise BadInput(f"no delivery is called '{id}'", f"one of: {names}") from None


def _stood(bench: Bench, own: Delivery, kind: str, distance: float) -> Stood:
    try:
        made = by_route(bench.effect, own.id, kind)
        book = bench.book(made)
    except BadInput as error:
        nothing = Tried({}, math.inf, math.inf, True, None, bench.blank, fault=str(error))
        return Stood(kind, distance, nothing, math.inf, fault=str(error))
    alone = sum(line.ms for line in book.lines if line.layer == own.name)
    if kind in UNPLAYED:
        tried = Tried({}, time_of(book), book.mb, book.over, None, bench.blank)
        why = "a game solves it, which Proof does not: only what it takes is known"
        return Stood(kind, distance, tried, alone, bench.stage, why)
    tried = next(measure_all(bench, [({}, made, book)]))
    return Stood(kind, distance, tried, alone, bench.stage, tried.fault)


def best_of(stood: Sequence[Stood]) -> Stood | None:
    """Of routes from the same distance the one to show: of those within the budget what loses least, and of
    what loses alike the cheapest; where none is within, the cheapest. None where nothing is known."""
    known = [s for s in stood if math.isfinite(s.loss)]
    within = [s for s in known if not s.tried.over]
    if not within:
        return min(known, key=lambda s: s.tried.ms, default=None)
    least = min(s.loss for s in within)
    return min((s for s in within if s.loss <= least + AS_GOOD), key=lambda s: s.tried.ms)


def winners(stood: Sequence[Stood]) -> list[Stretch]:
    """Which route to show at which distances, from 0 on: it changes in the middle between two distances, as
    ratios."""
    found: list[Stretch] = []
    last = 0.0
    for distance in sorted({s.distance for s in stood}):
        best = best_of([s for s in stood if s.distance == distance])
        if best is None:
            continue
        if not found:
            found.append(Stretch(best.kind, 0.0, EVERYWHERE))
        elif found[-1].kind != best.kind:
            change = float(f"{math.sqrt(last * distance):.3g}")
            found[-1] = replace(found[-1], far=change)
            found.append(Stretch(best.kind, change, EVERYWHERE))
        last = distance
    return found


def taken(effect: Effect, tier: str, delivery: str, stretches: Sequence[Stretch]) -> Effect:
    """The effect with a tier that shows routes where they win: each as a delivery of its own, which the other
    tiers go without.

    Raises
    ------
    BadInput
    """
    _delivery(effect, delivery)
    played, id = plain(effect, tier), effect.tier(tier).id
    own = _delivery(played, delivery)
    used, made = set[str](), effect
    shown: Mapping[str, Stretch] = {}
    for stretch in stretches:
        there = next(
            (
                d
                for d in made.deliveries
                if d.route.kind == stretch.kind and set(d.of) == set(own.of) and d.id not in used
            ),
            None,
        )
        if there is None:
            route = by_route(played, own.id, stretch.kind).delivery(own.id).route
            layer = next(x for x in made.layers if x.id in own.of)
            there = first_delivery(layer, {d.id for d in made.deliveries}, route)
            title = ROUTES[stretch.kind].TITLE.lower()
            there = there.model_copy(update={"of": own.of, "name": f"{own.name[:40]}, {title}"})
            others = tuple(
                t if t.id == id else t.model_copy(update={"without": (*t.without, there.id)})
                for t in made.tiers
            )
            made = made.model_copy(update={"deliveries": (*made.deliveries, there), "tiers": others})
        used.add(there.id)
        shown = {**shown, there.id: stretch}
    for d, stretch in shown.items():
        for name, value in (("seen_from", stretch.near), ("seen_to", stretch.far)):
            made = with_own(made, id, f"deliveries.{d}.route.{name}", value)
    beside = {own.id, *(d.id for d in _twins(played, own))} - used
    tiers = tuple(
        t.model_copy(
            update={"without": tuple(dict.fromkeys((*(x for x in t.without if x not in used), *beside)))}
        )
        if t.id == id
        else t
        for t in made.tiers
    )
    return made.model_copy(update={"tiers": tiers})
