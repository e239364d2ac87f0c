"""An effect whose layers go by every route, small enough to be packed in a moment."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.cache.store import FrameStore
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.document import replaced
from tenka.effect.model import ROUTES, Delivery, Effect
from tenka.effect.starters import STARTERS
from tenka.pack.packing import pack
from tenka.package.manifest import Manifest

SECONDS = 0.5


def many_ways() -> Effect:
    """A fire that is a volume, dense slices and a light; sparks as particles, debris as bodies, a pool."""
    effect = STARTERS["Fire"](Effect())
    for name in ("Sparks", "Debris"):
        effect, _ = with_new_layer(effect, LAYERS[name](effect))
    effect, path = with_new_layer(effect, LAYERS["Sparks"](effect))
    tails = effect.layer(path.split(".")[1])
    look = tails.look.model_copy(update={"form": "ribbon", "trail": 0.15, "scale": 2.0})
    effect = effect.with_layer(tails.model_copy(update={"look": look, "name": "Tails"}))
    gas = effect.gases[0]
    domain = gas.domain.model_copy(update={"voxel": 3.0 * gas.domain.voxel})
    look = gas.look.model_copy(update={"shimmer": 400.0})
    effect = effect.with_layer(gas.model_copy(update={"domain": domain, "look": look}))
    effect, path = with_new_layer(effect, LAYERS["Water"](effect))
    water = effect.layer(path.split(".")[1])
    basin = water.basin.model_copy(
        update={"origin": (1.0, -1.5, -0.4), "size": (2.0, 1.5, 0.8), "depth": 0.35, "cell": 0.05}
    )
    spout = water.new_source("spout", (2.0, -0.8, 0.0)).model_copy(
        update={"push": (0, 0, -1.5), "foams": 4.0}
    )
    effect = effect.with_layer(water.model_copy(update={"basin": basin, "sources": (spout,)}))
    effect, path = with_new_layer(effect, LAYERS["Liquid"](effect))
    liquid = effect.layer(path.split(".")[1])
    tank = liquid.tank.model_copy(
        update={"origin": (-1.6, -0.5, 0.0), "size": (0.8, 0.8, 0.9), "voxel": 0.06}
    )
    jet = liquid.sources[0].model_copy(update={"position": (-1.2, -0.1, 0.25)})
    effect = effect.with_layer(liquid.model_copy(update={"tank": tank, "sources": (jet,)}))
    effect = effect.model_copy(update={"seconds": SECONDS, "name": "Many ways"})
    ids = {layer.kind: layer.id for layer in effect.layers if layer.name != "Tails"}
    ids["tails"] = tails.id
    rows = [
        ("fog", "gas", "volume", {}),
        ("slabs", "gas", "volume", {"form": "dense", "side": 24}),
        ("leaves", "gas", "slices", {"count": 10, "columns": 3, "rows": 3, "side": 48}),
        ("glow", "gas", "light", {}),
        ("live", "gas", "grid", {"rate": 30.0}),
        ("haze", "gas", "shimmer", {}),
        ("specks", "particles", "particles", {}),
        ("drift", "particles", "particles", {"written": "births and law", "fineness": 12}),
        ("tails", "tails", "trails", {}),
        ("chips", "debris", "bodies", {}),
        ("nodes", "debris", "bodies", {"form": "nodes"}),
        ("pond", "water", "surface", {"texels": 40, "flow": True}),
        ("ripples", "water", "livewater", {}),
        ("nets", "liquid", "meshes", {"every": 3}),
        ("book", "gas", "flipbook", {"columns": 2, "rows": 2, "width": 96, "height": 96}),
    ]
    deliveries = tuple(
        Delivery(id=id, name=id.title(), of=(ids[kind],), route=ROUTES[route](last=SECONDS, **more))  # type: ignore[arg-type]
        for id, kind, route, more in rows
    )
    found = effect.model_copy(update={"deliveries": deliveries, "levers": ()})
    return replaced(found, "name", "Many ways")


def packed_alone(effect: Effect, store: FrameStore, out: Path, only: str) -> Manifest:
    """A package of one delivery."""
    return pack(effect, None, store, out, only=only)


def alone(effect: Effect, delivery: str) -> Effect:
    """The effect with the layers of one delivery."""
    of = effect.delivery(delivery).of
    layers = tuple(x for x in effect.layers if x.id in of)
    kept = tuple(d for d in effect.deliveries if d.id == delivery)
    return effect.model_copy(update={"layers": layers, "deliveries": kept})


def brightness(picture: np.ndarray) -> float:
    return float(picture.astype(float).mean())
