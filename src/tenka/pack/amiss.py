"""What is likely wrong with how layers are delivered."""

from __future__ import annotations

from tenka.effect.deliveries import looping, steadiness
from tenka.effect.document import replaced
from tenka.effect.model import ROUTES, Delivery, Effect, rerouted, routes_for
from tenka.effect.routes.base import EVERYWHERE
from tenka.effect.routes.flipbook import Flipbook
from tenka.look.shot import seen
from tenka.pack.layout import packable, second_of, taken
from tenka.run.findings import Finding
from tenka.run.kinds import KINDS


def amiss(effect: Effect, only: str | None = None) -> list[Finding]:
    """All of it, each with a mend where there is one; `only`: id of a delivery or a layer."""
    return [
        *lost_flames(effect, only),
        *unfit(effect, only),
        *never_shown(effect, only),
        *fading_loops(effect, only),
    ]


def unfit(effect: Effect, only: str | None = None) -> list[Finding]:
    """Layers that are seen and cannot go by the route of a delivery that names them, with a mend; `only`: id
    of a delivery or a layer."""
    found = []
    for d in effect.deliveries:
        for layer in seen(effect):
            why = d.route.fits(layer) if layer.id in d.of and layer.kind in KINDS else ""
            if why and only in (None, d.id, layer.id):
                text = f"{layer.name} cannot go as {d.route.TITLE.lower()}, which {why}"
                # of the ways that it can go, one that is written like the one it went
                ways = sorted(
                    routes_for([layer]), key=lambda k: ROUTES[k].__bases__ != type(d.route).__bases__
                )
                if len(d.of) == 1 and ways and ways[0] == d.route.kind:  # otherwise set it can
                    usual = type(d.route)(first=d.route.first, last=d.route.last)
                    mended = replaced(effect, f"deliveries.{d.id}.route", usual)
                    found.append(Finding(text, "Take the usual settings of its route", mended))
                elif len(d.of) == 1 and ways:
                    title = ROUTES[ways[0]].TITLE.lower()
                    found.append(Finding(text, f"Deliver it as {title}", rerouted(effect, d.id, ways[0])))
                else:
                    found.append(Finding(text))
    return found


STEADY = 0.7  # share of the brightest that is left of sprites that are played round and round


def fading_loops(effect: Effect, only: str | None = None) -> list[Finding]:
    """Looped flipbooks whose sprites fade away all together, each with a mend; `only`: id of a delivery or a
    layer."""
    found = []
    for d in effect.deliveries:
        route = d.route
        if not isinstance(route, Flipbook) or not route.loop or only not in (None, d.id, *d.of):
            continue
        left = steadiness(route.player)
        if left < STEADY:
            text = (
                f"{d.name} is looped and fades to {100 * left:.0f} % of its opacity every "
                f"{route.player.life / route.player.count:.2g} s"
            )
            mended = replaced(effect, f"deliveries.{d.id}.route", looping(route))
            found.append(Finding(text, "Let it loop without fading", mended))
    return found


def lost_flames(effect: Effect, only: str | None = None) -> list[Finding]:
    """The deliveries of what burns that hold the heat of its light alone; each with a mend. `only`: id of a
    delivery or a layer."""
    return [
        Finding(
            f"{d.name}'s flames are not in its flipbook: its second atlas holds heat alone",
            "Pack its light",
            replaced(effect, f"deliveries.{d.id}.route.second", "as needed"),
        )
        for d in packable(effect)
        if d.route.kind == "flipbook"
        and any(layer.flames for layer in taken(effect, d))
        and second_of(effect, d) == "temperature"
        and only in (None, d.id, *d.of)
    ]


def never_shown(effect: Effect, only: str | None = None) -> list[Finding]:
    """Deliveries that are shown at no distance."""
    return [
        Finding(
            f"{d.name} is shown at no distance: from {d.route.seen_from:g} m on, up to {d.route.seen_to:g} m",
            "Show it at any",
            replaced(
                replaced(effect, f"deliveries.{d.id}.route.seen_from", 0.0),
                f"deliveries.{d.id}.route.seen_to",
                EVERYWHERE,
            ),
        )
        for d in effect.deliveries
        if d.route.seen_from >= d.route.seen_to and only in (None, d.id, *d.of)
    ]


def _meet(a: Delivery, b: Delivery) -> bool:
    """Whether both are shown at some distance."""
    return max(a.route.seen_from, b.route.seen_from) < min(a.route.seen_to, b.route.seen_to)


def twice_shown(effect: Effect) -> list[str]:
    """Layers that several deliveries show, each as a phrase: a game that plays all of them shows it so many
    times."""
    found = []
    for layer in seen(effect):
        ways = [d for d in packable(effect) if d.route.SHOWS and layer.id in d.of]
        both = [a for n, a in enumerate(ways) if any(_meet(a, b) for b in ways[:n] + ways[n + 1 :])]
        if both:
            found.append(
                f"{layer.name} is shown by {' and by '.join(d.name for d in both)}: a tier may leave one of "
                "them out, or each may be shown at distances of its own"
            )
    return found
