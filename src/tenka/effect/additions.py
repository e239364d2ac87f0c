"""What can be added to an effect besides its first gas: layers of every kind, trails, children, cues."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tenka.base.errors import BadInput
from tenka.effect.deliveries import within
from tenka.effect.document import free_id, get
from tenka.effect.layers import HANDED, HANDED_TO
from tenka.effect.model import (
    FROM_LAYER,
    ON_PROP,
    POINTS,
    Cue,
    Effect,
    Feed,
    Flipbook,
    GasLayer,
    InWater,
    Layer,
    ParticleLayer,
    Pieces,
    PointCollider,
    PointLook,
    PointMotion,
    PointSource,
    Route,
    Source,
    WaterSource,
    first_delivery,
    ramp,
)
from tenka.effect.starters import stored, usual_place

POURS_FOAM = 4.0  # 1/s, of what falls into a water

"""Layers that can be added, by name."""


@dataclass(frozen=True)
class NewLayer:
    """A kind of layer that can be added.

    Attributes
    ----------
    file : its name among the starting points that are kept as data
    words : what it is, in a sentence
    in_gas : whether the first gas carries it
    """

    file: str
    words: str
    in_gas: bool = False

    @property
    def route(self) -> Route:
        """By which it is delivered."""
        return stored(self.file).deliveries[0].route

    def __call__(self, effect: Effect) -> Layer:
        """The layer, where other things are, in a box like that of the first gas."""
        layer: Any = stored(self.file).layers[0]
        place = usual_place(effect)
        changes: dict[str, Any] = {
            "sources": tuple(s.model_copy(update={"position": place}) for s in layer.sources)
        }
        gas = effect.gases[0] if effect.gases else None
        if hasattr(layer, "basin"):
            changes.pop("sources")
        if gas is not None and hasattr(layer, "domain"):
            changes["domain"] = gas.domain
        if gas is not None and self.in_gas:
            changes["motion"] = layer.motion.model_copy(update={"follows": gas.id})
        found: Layer = layer.model_copy(update=changes)
        return found


LAYERS = {
    "Gas": NewLayer("layer_gas", "A further gas, in a box like that of the first."),
    "Sparks": NewLayer("layer_sparks", "A burst of sparks: streaks that fly, bounce and cool."),
    "Embers": NewLayer("layer_embers", "Embers that rise and wander with the gas.", True),
    "Dust": NewLayer("layer_dust", "Dust that hangs in the air and goes with the gas.", True),
    "Liquid": NewLayer("layer_liquid", "Thrown water: a jet in a box of its own."),
    "Water": NewLayer("layer_water", "Still water in a basin, for what moves in it and falls into it."),
    "Debris": NewLayer("layer_debris", "Pieces thrown at once, that tumble, bounce and come to rest."),
}
"""Layers that can be added, by name."""


def with_new_layer(effect: Effect, layer: Layer, route: Route | None = None) -> tuple[Effect, str]:
    """The effect with a further layer, on top of the others, delivered by a route (by default as its kind
    begins with), and its path. Layers of the same name are told apart by numbers."""
    id = free_id(effect.layers, layer.id)
    number = id.rpartition("_")[2]
    taken = any(other.name == layer.name for other in effect.layers)
    name = f"{layer.name} {number}" if taken and number.isdigit() else layer.name
    layer = layer.model_copy(update={"id": id, "name": name[:60]})
    book = route or layer.first_route()
    if (
        isinstance(book, Flipbook) and book.last > effect.seconds
    ):  # a sequence that lasts as long as the effect plays at its own pace
        player = book.player.model_copy(update={"life": effect.seconds})
        book = book.model_copy(update={"player": player})
    first = within(first_delivery(layer, {d.id for d in effect.deliveries}, book), effect.seconds)
    effect = effect.model_copy(update={"deliveries": (first, *effect.deliveries)})
    return effect.with_layers((layer, *effect.layers)), f"layers.{id}"


def with_trail(effect: Effect, layer_id: str) -> tuple[Effect, str]:
    """The effect with its first gas fed by the particles of a layer, so that they smoke; and the source's
    path."""
    layer, gas = effect.layer(layer_id), effect.gas()
    id = free_id(gas.sources, "trail")
    source = Source(
        id=id,
        name=f"{layer.name} smoke"[:60],
        shape="particles",
        of=layer_id,
        density=18.0,
        temperature=40.0,
        breakup=0.0,
        grip=4.0,
        carried=ramp((0.0, 0.2), (1.0, 0.2)),
        point_size=2.0 if layer.UNITS == "particles" else 0.8,
        point_least=0.004,
    )
    fed = gas.model_copy(update={"sources": (*gas.sources, source)})
    return effect.with_layer(fed), f"layers.{gas.id}.sources.{id}"


def with_children(effect: Effect, layer_id: str) -> tuple[Effect, str]:
    """The effect with particles that are born where those of a layer bounce, and are stopped by what stops
    them; and the new layer's path."""
    layer: Any = effect.layer(layer_id)  # of particles or pieces
    source = PointSource(
        id="split",
        name="Split",
        shape="particles",
        of=layer_id,
        born_on="bounce",
        burst=4,
        rate=0.0,
        spread=75.0,
        speed=1.6,
        tail=0.35,
        life=0.4,
        life_spread=0.6,
        width=0.006,
        temperature=1500.0,
        carried=ramp((0.0, 0.4), (1.0, 0.4)),
    )
    look = layer.look
    if not isinstance(look, PointLook) or look.form == "mesh":
        look = stored("layer_sparks").layers[0].look
    return with_new_layer(
        effect,
        ParticleLayer(
            id="split",
            name=f"{layer.name} split"[:60],
            sources=(source,),
            colliders=tuple(c for c in layer.colliders if isinstance(c, PointCollider)),
            motion=PointMotion(drag=1.2, heat_half_life=0.58, ground=layer.motion.ground),
            look=look,
        ),
    )


def with_break(
    effect: Effect, prop_id: str, middle: tuple[float, float, float], size: float
) -> tuple[Effect, str]:
    """The effect with a layer of the pieces that a prop breaks into, and its path.

    Parameters
    ----------
    middle, size : of the prop, m
    """
    prop = next(p for p in effect.props if p.id == prop_id)
    layer: Any = stored("layer_debris").layers[0]
    source = PointSource(
        id="blow",
        name="Blow",
        shape="pieces",
        position=middle,
        burst_at=round(min(0.5, 0.25 * effect.seconds), 3),
        speed=round(min(3.0 + 2.0 * size, 12.0), 2),
        throw_reach=round(0.8 * size, 3),
        lean=1.0,
        spread=12.0,
        stays=True,
        carried=ramp((0.0, 1.0), (1.0, 1.0)),
    )
    pieces = Pieces(make="cut", prop=prop_id, finer_reach=round(0.35 * size, 3))
    look = layer.look.model_copy(update={"opacity_over": ramp((0.0, 1.0), (1.0, 1.0))})  # its heap stays
    changes = {"name": f"{prop.name} in pieces"[:60], "sources": (source,), "pieces": pieces, "look": look}
    return with_new_layer(effect, layer.model_copy(update=changes))


def handing(effect: Effect, own: str, hands: str) -> list[Layer]:
    """The layers but one of an id that hand over what is asked for."""
    return [x for x in effect.layers if x.hands_over(hands) and x.id != own]


def nameable(effect: Effect, path: str, kind: str) -> list[tuple[str, str]]:
    """Ids and names of the layers, or of the flipbooks, that a setting of a kind may name."""
    owner, own = get(effect, path.rpartition(".")[0]), path.split(".")[1]
    if kind == "book":
        books = [d for d in effect.deliveries if d.route.kind == "flipbook" and d.id != own]
        return [("", "none"), *((d.id, d.name) for d in books)]
    word = getattr(owner, "shape", "") if kind == "layer" else kind
    found = handing(effect, own, HANDED_TO.get(word, POINTS))
    if kind == "pieces":
        found = [x for x in found if getattr(x, "body", None) is not None]
    return [("", "none"), *((x.id, x.name) for x in found)]


def reshaped(effect: Effect, path: str, shape: str) -> Feed:
    """A source with another shape; where that needs a prop or a layer and none is named, the first that fits.

    Raises
    ------
    BadInput
        When the effect has none.
    """
    source: Feed = get(effect, path)
    changes: dict[str, object] = {"shape": shape}
    if shape in ON_PROP and not any(p.id == source.prop for p in effect.props):
        if not effect.props:
            raise BadInput("there is no prop to give birth yet", "a prop; add one from the tray first")
        changes["prop"] = effect.props[0].id
    own = path.split(".")[1]
    if shape == "pieces" and not effect.layer(own).assembled:
        raise BadInput("its layer is not cut from a prop", "debris whose pieces are made as 'cut'")
    hands = HANDED_TO.get(shape, POINTS)
    fitting = [x.id for x in handing(effect, own, hands)]
    if shape in FROM_LAYER and source.of not in fitting:
        if not fitting:
            raise BadInput(
                f"there is no layer that hands over {HANDED[hands]} to give birth yet",
                "one; add it from the tray first",
            )
        changes["of"] = fitting[0]
    return source.model_copy(update=changes)


def afloat(effect: Effect, path: str, water: str) -> Effect:
    """The effect with a layer of debris that floats in a water and pushes it, or in none.

    Parameters
    ----------
    path : of the layer
    water : id of a water; empty for none

    Raises
    ------
    BadInput
        When what is named is not there.
    """
    layer: Any = get(effect, path)
    had = layer.bodies.floats
    bodies = layer.bodies.model_copy(update={"floats": water})

    def met(other: Any) -> Any:
        mine = [c for c in other.colliders if not c.by_prop and c.of == layer.id]
        colliders = other.colliders
        if other.id == had != water:
            colliders = tuple(c for c in colliders if c not in mine)
        elif other.id == water and not mine:
            id = free_id(colliders, "floats")
            pushes = InWater(id=id, name=f"{layer.name} floats in it"[:60], acts="pieces", of=layer.id)
            colliders = (*colliders, pushes)
        return other.model_copy(update={"colliders": colliders})

    return effect.with_layers(
        layer.model_copy(update={"bodies": bodies}) if other.id == layer.id else met(other)
        for other in effect.layers
    )


def poured(effect: Effect, path: str, water: str) -> Effect:
    """The effect with a liquid that flows into a water and feeds it, or into none; as `afloat`."""
    layer: Any = get(effect, path)
    had = layer.ends.joins

    def fed(other: Any) -> Any:
        mine = [s for s in other.sources if s.shape == "liquid" and s.of == layer.id]
        sources = other.sources
        if other.id == had != water:
            sources = tuple(s for s in sources if s not in mine)
        elif other.id == water and not mine:
            id = free_id(sources, "pours")
            name = f"{layer.name} flows in"[:60]
            sources = (*sources, WaterSource(id=id, name=name, shape="liquid", of=layer.id, foams=POURS_FOAM))
        return other.model_copy(update={"sources": sources})

    ends = layer.ends.model_copy(update={"joins": water})
    return effect.with_layers(
        layer.model_copy(update={"ends": ends}) if other.id == layer.id else fed(other)
        for other in effect.layers
    )


LINKED: dict[str, Callable[[Effect, str, str], Effect]] = {"floats": afloat, "joins": poured}
"""Settings that name a layer which has to name its own in turn: one choice makes both."""


def with_cue(effect: Effect, at: float) -> tuple[Effect, str]:
    """The effect with a cue at `at` seconds, and its path."""
    id = free_id(effect.cues, "cue")
    number = id.rpartition("_")[2]
    cue = Cue(id=id, name=f"Cue {number}" if number.isdigit() else "Cue", at=round(at, 4))
    return effect.model_copy(update={"cues": (*effect.cues, cue)}), f"cues.{id}"


def without_cue(effect: Effect, id: str) -> Effect:
    """The effect without a cue; what hung on it keeps its times."""
    at = next(c.at for c in effect.cues if c.id == id)

    def freed(layer: Layer) -> Layer:
        sources = tuple(
            s.model_copy(update={"cue": "", "delay": s.delay + at}) if s.cue == id else s
            for s in layer.sources
        )
        return layer.model_copy(update={"sources": sources})

    return effect.model_copy(
        update={
            "cues": tuple(c for c in effect.cues if c.id != id),
            "layers": tuple(freed(layer) for layer in effect.layers),
        }
    )


def without_layer(effect: Effect, id: str) -> Effect:
    """The effect without a layer, and without what took from it."""

    lights = tuple(
        light.model_copy(update={"stands_for": ""}) if light.stands_for == id else light
        for light in effect.lights
    )
    kept = tuple(layer.without_link(id) for layer in effect.layers if layer.id != id)
    found: Effect = effect.model_copy(update={"lights": lights}).with_layers(kept)
    return found


def _before(gas: GasLayer, across: float) -> Route:
    """The first route of a gas that clings to something so wide, m: sprites are drawn before that, or it
    would hide them; and they stand upright as it does."""
    route = gas.first_route()
    if not isinstance(route, Flipbook):
        return route
    nearer = round(0.5 * across + route.player.soft_edge, 2)
    player = route.player.model_copy(update={"nearer": nearer, "stands": "upright"})
    return route.model_copy(update={"player": player})


def with_fed_prop(
    effect: Effect,
    prop: str,
    starter: str,
    low: tuple[float, float, float],
    high: tuple[float, float, float],
    moves: bool = False,
) -> tuple[Effect, str]:
    """The effect with a gas that a prop's whole surface gives, as a starting point gives it (fire, smoke),
    and the new source's path. A gas that is there and burns, or does not, as that does is fed besides.

    Parameters
    ----------
    starter : `fire` or `plume`
    low, high : bounds of the prop, m; a new gas's voxels are of its size
    moves : whether the prop does: then no run-up puts a cloud where it sets out
    """
    name = next(p.name for p in effect.props if p.id == prop)
    found = stored(starter)
    model = found.gases[0]
    extent = max(h - a for a, h in zip(low, high))
    gas = next((g for g in effect.gases if g.fire.burns == model.fire.burns), None)
    if gas is None:
        voxel = round(min(max(extent / 28.0, 0.025), 0.2), 4)
        domain = model.domain.model_copy(
            update={
                "origin": (low[0] - extent, low[1] - extent, max(low[2] - 0.1 * extent, min(low[2], 0.0))),
                "size": (3.0 * extent, 3.0 * extent, 4.0 * extent),
                "voxel": voxel,
                "run_up": 0.0 if moves else model.domain.run_up,
            }
        )
        gas = model.model_copy(update={"sources": (), "domain": domain, "colliders": ()})
        effect, path = with_new_layer(
            effect, gas, _before(gas, math.hypot(high[0] - low[0], high[1] - low[1]))
        )
        gas = effect.gas(path.split(".")[1])
    source = model.sources[0].model_copy(
        update={
            "id": free_id(gas.sources, starter),
            "name": f"{name} {'burns' if model.fire.burns else 'smokes'}"[:60],
            "shape": "surface",
            "prop": prop,
            "parent": "",
            "thickness": round(max(1.6 * gas.domain.voxel, 0.02), 4),
        }
    )
    gas = gas.model_copy(update={"sources": (*gas.sources, source)})
    return effect.with_layer(gas), f"layers.{gas.id}.sources.{source.id}"
