"""Starting points: whole small effects to begin from, and the parts that can be added to one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from tenka.base.errors import BadInput
from tenka.effect import storage
from tenka.effect.cameras import SceneCamera
from tenka.effect.deliveries import within
from tenka.effect.document import edited, free_id, numbered
from tenka.effect.forces import NEW_FORCES
from tenka.effect.model import ON_PROP, Effect, Layer, Prop, SceneLight, Tier, first_delivery

TIERS = (
    Tier(id="low", name="Low", device="satchel", ms=0.5, mb=4.5, width=1280, height=720),
    Tier(id="mid", name="Mid", device="hearth", ms=0.3, mb=12.0),
    Tier(id="high", name="High", device="tower", ms=0.5, mb=24.0, width=2560, height=1440),
)


FOLDER = Path(__file__).parent / "starting"


@lru_cache(maxsize=32)
def stored(name: str) -> Effect:
    """An effect of the starting points that are kept as data."""
    return storage.load(FOLDER / f"{name}.tenka")


@dataclass(frozen=True)
class Starter:
    """A starting point: a small effect whose layers, forces and camera take the place of those there are.

    Attributes
    ----------
    file : its name in the folder `starting`
    words : what it is, in a sentence
    group : of which menu of the tray it is; on its own where empty
    """

    file: str
    words: str
    group: str = ""

    def __call__(self, effect: Effect, seconds: float | None = None) -> Effect:
        """The effect begun anew; props, tiers and light stay, and so does a name that was given.

        Parameters
        ----------
        seconds : how long it is to last; by default as long as the starting point does
        """
        found = stored(self.file)
        found = found if seconds is None else lasting(found, seconds)
        paths = tuple(f"deliveries.{d.id}." for d in found.deliveries)
        return effect.model_copy(
            update={
                "name": effect.name if effect.name != "untitled" else found.name,
                "props": (*effect.props, *_further(found.props, effect.props)),
                "layers": found.layers,
                "deliveries": found.deliveries,
                "lights": tuple(light.model_copy(update={"stands_for": ""}) for light in effect.lights),
                "forces": found.forces,
                "camera": found.camera,
                "seconds": found.seconds,
                "tiers": tuple(t.model_copy(update={"values": {}, "without": ()}) for t in effect.tiers)
                or TIERS,
                "levers": tuple(lever for lever in effect.levers if lever.path.startswith(paths)),
            }
        )

    def added(self, effect: Effect) -> Effect:
        """The effect with what the starting point has besides what is there: layers and forces; camera,
        length, tiers and set stay."""
        found = lasting(stored(self.file), effect.seconds)
        layers, forces = list(effect.layers), list(effect.forces)
        deliveries, taken = list(effect.deliveries), tuple(effect.layers)
        names = dict[str, str]()
        for layer in found.layers:
            names[layer.id] = free_id(taken, layer.id)
            taken = (*taken, layer.model_copy(update={"id": names[layer.id]}))
        for layer in reversed(found.layers):
            name = numbered(layer.name, {x.name for x in layers})
            new = relinked(layer, names).model_copy(update={"id": names[layer.id], "name": name})
            layers.insert(0, new)
            route = next(d.route for d in found.deliveries if layer.id in d.of)
            deliveries.insert(0, first_delivery(new, {d.id for d in deliveries}, route))
        for force in found.forces:
            if any(f.kind == force.kind and f.region == "everywhere" for f in forces):
                continue  # the air that is there already acts on all
            forces.append(force.model_copy(update={"id": free_id(tuple(forces), force.id)}))
        return effect.model_copy(
            update={
                "props": (*effect.props, *_further(found.props, effect.props)),
                "layers": tuple(layers),
                "deliveries": tuple(deliveries),
                "forces": tuple(forces),
                "tiers": effect.tiers or TIERS,
            }
        )


def lasting(effect: Effect, seconds: float) -> Effect:
    """The effect with another length: deliveries that last as long as it does go on doing so, and none goes
    beyond its end."""
    effect = edited(effect, "seconds", seconds)
    return effect.model_copy(update={"deliveries": tuple(within(d, seconds) for d in effect.deliveries)})


NAMES_A_LAYER = ("of", "floats", "in_water", "joins", "follows", "meets")
"""Settings that name another layer."""


def relinked(layer: Layer, names: Mapping[str, str]) -> Layer:
    """A layer that names others by what they are called now."""

    def told(value: Any) -> Any:
        if isinstance(value, dict):
            return {
                k: names.get(v, v) if k in NAMES_A_LAYER and isinstance(v, str) else told(v)
                for k, v in value.items()
            }
        return [told(v) for v in value] if isinstance(value, list | tuple) else value

    return type(layer).model_validate(told(layer.model_dump()))


def _further(found: tuple[Prop, ...], had: tuple[Prop, ...]) -> tuple[Prop, ...]:
    """What a starting point sets up and is not there yet."""
    there = {p.id for p in had}
    return tuple(p for p in found if p.id not in there)


def empty() -> Effect:
    """An effect to begin from: nothing but a figure beside the middle, for scale."""
    bare = Effect(layers=(), tiers=TIERS)
    return with_prop(bare, name="Figure", shape="figure", position=(1.2, 0.6, 0.0))[0]


STARTERS = {
    "Plume": Starter("plume", "A steady column of smoke in a light wind."),
    "Puff": Starter("puff", "One short burst that rolls up and fades."),
    "Mist": Starter("mist", "Cold, heavy vapour that spreads over the floor."),
    "Fire": Starter("fire", "A fire on the floor, with flames and a little smoke."),
    "Fireball": Starter(
        "fireball", "Fuel thrown up at once that burns as it rolls, and turns to black smoke."
    ),
    "Pool": Starter("pool", "Clear water in a basin: rings of drops, and a spout that stirs it.", "Water"),
    "Stream": Starter("stream", "Water that runs down a bed, round stones.", "Water"),
    "Wake": Starter("wake", "A raft that is towed across a basin: bow wave, wake and foam.", "Water"),
    "Splash": Starter("splash", "A block of water that falls on the floor, and is thrown up.", "Water"),
    "Fountain": Starter(
        "fountain", "A jet that rises, breaks up, and falls into the water of its bowl.", "Water"
    ),
    "Afloat": Starter("afloat", "Crates that float in a basin, and rock as a raft passes.", "Water"),
    "Mud": Starter("mud", "Thick mud, poured into a flat bed: it heaps up, and stays.", "Water"),
}


def with_force(effect: Effect, kind: str) -> tuple[Effect, str]:
    """The effect with a new force, in the middle of its first layer's box, and its path."""
    id = free_id(effect.forces, kind)
    make, name = NEW_FORCES[kind]
    force: Any = make(id=id, name=name)
    room = next((layer.room for layer in (*effect.gases, *effect.layers) if layer.room is not None), None)
    if room is not None:
        origin, size = room
        middle = tuple(round(o + s / 2, 3) for o, s in zip(origin, size))
        more: dict[str, object] = {"position": middle, "region_size": tuple(round(s / 2, 3) for s in size)}
        if kind == "swirl":
            more |= {"reach": round(min(size[:2]) * 0.5, 3), "height": round(size[2], 3)}
        force = force.model_copy(update=more)
    return effect.model_copy(update={"forces": (*effect.forces, force)}), f"forces.{id}"


def with_collider(effect: Effect, prop: str, layer_id: str | None = None) -> tuple[Effect, str]:
    """The effect with a prop that stops a layer (the first one) from now on, and the pair's path; the same
    when it does already."""
    layer = effect.layer(layer_id)
    held = next((c for c in layer.colliders if c.by_prop and c.prop == prop), None)
    if held is not None:
        return effect, f"layers.{layer.id}.colliders.{held.id}"
    name = next(p.name for p in effect.props if p.id == prop)
    id = free_id(layer.colliders, "stop")
    if layer.COLLIDER is None:
        raise BadInput(f"{layer.name} is of a kind that nothing stops")
    made = layer.COLLIDER(id=id, name=f"{name} stops it"[:60], prop=prop)  # type: ignore[call-arg]
    layer = layer.model_copy(update={"colliders": (*layer.colliders, made)})
    return effect.with_layer(layer), f"layers.{layer.id}.colliders.{id}"


def with_source(effect: Effect, layer_id: str | None = None) -> tuple[Effect, str]:
    """The effect with a new source of a layer (the first gas), and its path."""
    first = next(iter(effect.gases), None) or effect.layer()
    layer = first if layer_id is None else effect.layer(layer_id)
    id = free_id(layer.sources, "source")
    source = layer.new_source(id, usual_place(effect))
    layer = layer.model_copy(update={"sources": (*layer.sources, source)})
    return effect.with_layer(layer), f"layers.{layer.id}.sources.{id}"


def usual_place(effect: Effect) -> tuple[float, float, float]:
    """Where something new is put: at the first gas's first source, else a metre up."""
    for gas in effect.gases:
        for source in gas.sources:
            if source.shape not in (*ON_PROP, "particles"):
                return source.position
    for layer in effect.layers:
        if layer.room is not None:
            (x, y, z), (wide, deep, high) = layer.room
            return (round(x + 0.5 * wide, 3), round(y + 0.5 * deep, 3), round(z + high, 3))
    return (0.0, 0.0, 1.0)


def with_light(effect: Effect) -> tuple[Effect, str]:
    """The effect with a new light, beside where things begin, and its path."""
    id = free_id(effect.lights, "light")
    x, y, z = usual_place(effect)
    light = SceneLight(
        id=id, name="Light", position=(round(x + 1.0, 3), round(y - 1.0, 3), round(z + 0.8, 3))
    )
    return effect.model_copy(update={"lights": (*effect.lights, light)}), f"lights.{id}"


def with_camera(effect: Effect) -> tuple[Effect, str]:
    """The effect with a new camera that sees what the effect's view does, and its path."""
    id, seen = free_id(effect.cameras, "camera"), effect.camera
    camera = SceneCamera(
        id=id,
        name=f"Camera {len(effect.cameras) + 1}",
        position=seen.target,
        turn=round(seen.heading % 360.0 - 180.0, 4),
        tilt=round(seen.pitch, 4),
        away=round(seen.distance, 4),
        opens=round(seen.fov, 4),
    )
    return effect.model_copy(update={"cameras": (*effect.cameras, camera)}), f"cameras.{id}"


def with_prop(effect: Effect, file: str = "", name: str = "Box", **settings: object) -> tuple[Effect, str]:
    """The effect with a new prop, a box or a mesh, and its path."""
    id = free_id(effect.props, "prop")
    prop = (
        Prop(id=id, name=name[:60], shape="mesh", file=file)
        if file
        else Prop(id=id, name=name, position=(0, 0, 0))
    )
    return effect.model_copy(
        update={"props": (*effect.props, prop.model_copy(update=settings))}
    ), f"props.{id}"
