"""Deliveries of an effect when its layers change: what is new gets one, and nothing leads to what is gone."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

from tenka.effect.deliveries import Delivery
from tenka.effect.routes import ROUTES, Route

if TYPE_CHECKING:
    from tenka.effect.model import Effect, Layer, Tier


def delivering(effect: Effect, layers: Sequence[Layer]) -> tuple[Delivery, ...]:
    """An effect's deliveries for other layers than its own: those of what is gone go, and what is new gets
    one as its kind has it."""
    there, before = {layer.id for layer in layers}, {layer.id for layer in effect.layers}
    found = []
    for d in effect.deliveries:
        of = tuple(id for id in d.of if id in there)
        if of:
            found.append(d if of == d.of else d.model_copy(update={"of": of}))
    for layer in layers:
        if layer.id not in before and not any(layer.id in d.of for d in found):
            found.append(first_delivery(layer, {d.id for d in found}))
    return tuple(found)


def tidied(effect: Effect) -> dict[str, Any]:
    """Levers and tiers of an effect without what leads to layers and deliveries that are gone."""
    lights = {light.id for light in effect.lights if light.part_of == "effect"}
    there = {("layers", layer.id) for layer in effect.layers} | {("lights", id) for id in lights}
    there |= {("deliveries", d.id) for d in effect.deliveries}

    def leads(path: str) -> bool:
        head = tuple(path.split(".")[:2])
        return head[0] not in ("layers", "deliveries", "lights") or head in there

    levers = tuple(lever for lever in effect.levers if leads(lever.path))
    kept = {lever.id for lever in levers}
    tiers = tuple(
        t.model_copy(
            update={
                "levers": {k: v for k, v in t.levers.items() if k in kept},
                "values": {k: v for k, v in t.values.items() if leads(k)},
                "without": tuple(id for id in t.without if ("deliveries", id) in there),
                "unlit": tuple(id for id in t.unlit if id in lights),
            }
        )
        for t in effect.tiers
    )
    return {"levers": levers, "tiers": tiers}


def first_delivery(layer: Layer, taken: Iterable[str] = (), route: Route | None = None) -> Delivery:
    """The delivery that a layer begins with; `taken` are ids of others."""
    ids = (layer.id, *(f"{layer.id[:36]}_{n}" for n in range(2, 1000)))
    id = next(i for i in ids if i not in set(taken))
    return Delivery(id=id, name=layer.name, of=(layer.id,), route=route or layer.first_route())


def routes_for(layers: Sequence[Layer]) -> list[str]:
    """The routes by which layers can be delivered together."""
    return [
        kind
        for kind, settings in ROUTES.items()
        if (settings.SHARED or len(layers) == 1) and not any(settings().fits(x) for x in layers)
    ]


def rerouted(effect: Effect, delivery_id: str, kind: str) -> Effect:
    """The effect with a delivery by another route, over the same span; what tiers and levers had of the
    former one goes."""
    now = effect.delivery(delivery_id)
    if now.route.kind == kind:
        return effect
    last = round(min(now.route.last, effect.seconds), 4)
    route = ROUTES[kind](first=min(now.route.first, last), last=last)
    deliveries = tuple(
        d.model_copy(update={"route": route}) if d.id == delivery_id else d for d in effect.deliveries
    )
    under = f"deliveries.{delivery_id}.route."
    levers = tuple(lever for lever in effect.levers if not lever.path.startswith(under))
    tiers = tuple(
        t.model_copy(update={"values": {k: v for k, v in t.values.items() if not k.startswith(under)}})
        for t in effect.tiers
    )
    effect = effect.model_copy(update={"deliveries": deliveries, "levers": levers, "tiers": tiers})
    return effect.model_copy(update=tidied(effect))


def check_deliveries(effect: Effect) -> None:
    """Refuse deliveries of layers that are not there, and tiers that name deliveries that are not.

    Raises
    ------
    ValueError
        In a phrase.
    """
    there = {layer.id for layer in effect.layers}
    for delivery in effect.deliveries:
        for id in delivery.of:
            if id not in there:
                raise ValueError(f"delivery {delivery.id} names the layer '{id}', which is not in the effect")
        route = delivery.route
        if len(delivery.of) > 1 and not route.SHARED:
            raise ValueError(f"delivery {delivery.id} takes several layers; as {route.kind} it takes one")
        for layer in effect.layers:
            # a kind that no route knows yet is told of when it is packed
            usual = any(layer.kind in settings.TAKES for settings in ROUTES.values())
            if layer.id in delivery.of and usual and layer.kind not in route.TAKES:
                raise ValueError(f"delivery {delivery.id} cannot deliver {layer.id}: {route.fits(layer)}")
    known = {d.id for d in effect.deliveries}
    for tier in effect.tiers:
        named = [*tier.without]
        for path in tier.values:
            parts = path.split(".")
            if parts[0] == "lights" and len(parts) == 3:
                continue  # lights come and go; what a tier has for one that is gone is passed over
            named.append(parts[1] if parts[0] == "deliveries" and len(parts) > 3 else path)
        astray = next((name for name in named if name not in known), None)
        if astray is not None:
            raise ValueError(f"tier {tier.id} names '{astray[:60]}', which is no delivery of the effect")


def can_differ(effect: Effect, path: str) -> bool:
    """Whether a setting may have a value of its own on a tier: of a delivery, or of the effect's own light;
    the lights of the set are the game's, and the same everywhere."""
    group, id, *rest = (*path.split("."), "", "")
    if group == "lights":
        return rest[0] != "part_of" and any(x.id == id and x.part_of == "effect" for x in effect.lights)
    return group == "deliveries"


def has_own(effect: Effect, tier: Tier | None, path: str) -> bool:
    """Whether a setting has a value of its own on a tier, that counts there."""
    return tier is not None and path in tier.values and can_differ(effect, path)
