"""Starting points: whole small effects to begin from, and the parts that can be added to one."""

from __future__ import annotations

import numpy as np

from tenka.effect.courses import Key, Keys
from tenka.effect.document import free_id
from tenka.effect.model import (
    Brake,
    Camera,
    Collider,
    DomainBox,
    Effect,
    Fading,
    Fire,
    Flipbook,
    Force,
    GasLayer,
    Gravity,
    Look,
    Motion,
    Player,
    PointCollider,
    Prop,
    Pull,
    Quality,
    Source,
    Swirl,
    Tier,
    Turbulence,
    Wind,
    ramp,
)  # fmt: skip

TIERS = (
    Tier(id="low", name="Low", device="satchel", ms=0.5, mb=4.5, width=1280, height=720),
    Tier(id="mid", name="Mid", device="hearth", ms=0.3, mb=12.0),
    Tier(id="high", name="High", device="tower", ms=0.5, mb=24.0, width=2560, height=1440),
)
EDDIES = Turbulence(id="eddies", name="Eddies")


def _base(effect: Effect, name: str, layer: GasLayer, forces: tuple[Force, ...], camera: Camera, seconds: float) -> Effect:
    """The effect with its gas replaced; props, tiers and light stay, and so does a name that was given."""
    layer = layer.model_copy(update={"flipbook": Flipbook(last=seconds, player=Player(life=seconds))})
    levers = {f"layers.{layer.id}."}
    kept = tuple(lever for lever in effect.levers if any(lever.path.startswith(s) for s in levers))
    return effect.model_copy(update={
        "name": effect.name if effect.name != "untitled" else name, "layers": (layer,), "forces": forces, "camera": camera, "seconds": seconds,
        "tiers": effect.tiers or TIERS, "levers": kept,
    })  # fmt: skip


def steady_plume(effect: Effect) -> Effect:
    """A steady column of smoke in a light wind."""
    layer = GasLayer(
        id="plume", name="Plume", domain=DomainBox(origin=(-1.3, -1.8, 0), size=(5.6, 3.6, 5.6), voxel=0.08, open_low=(True, True, False), run_up=3.0),
        sources=(Source(id="mouth", name="Mouth", position=(0, 0, 0.25), size=(0.7, 0.7, 0.4), density=7.0, temperature=260.0, push=(0, 0, 1)),),
        motion=Motion(weight=0.2, lift=0.7), fading=Fading(smoke=0.4, smoke_linear=0.14, cooling=1.2), look=Look(extinction=11.0, ambient=0.75),
    )  # fmt: skip
    wind = Wind(id="wind", name="Wind", speed=0.7, gusts=0.5)
    return _base(effect, "Plume", layer, (wind, EDDIES), Camera(target=(1.2, 0, 2.4), distance=10.0, heading=-75.0, pitch=6.0), 4.0)


def puff(effect: Effect) -> Effect:
    """One short burst that rolls up and fades."""
    burst = Keys(keys=(Key(t=0.0, v=0.0), Key(t=0.08, v=1.0), Key(t=0.5, v=0.0)))
    layer = GasLayer(
        id="puff", name="Puff", domain=DomainBox(origin=(-1.6, -1.6, 0), size=(3.2, 3.2, 3.2), voxel=0.06, run_up=0.0),
        sources=(Source(id="burst", name="Burst", position=(0, 0, 0.5), size=(0.8, 0.8, 0.5), density=22.0, temperature=420.0, push=(0, 0, 2.5),
                        start=0.0, end=0.6, emission=burst),),
        motion=Motion(lift=0.8, fine_curl=3.0, broad_curl=2.0), fading=Fading(smoke=0.7, smoke_linear=0.12, cooling=1.2),
        look=Look(extinction=12.0),
    )  # fmt: skip
    return _base(effect, "Puff", layer, (EDDIES,), Camera(target=(0, 0, 1.5), distance=7.0, pitch=5.0), 2.5)


def floor_mist(effect: Effect) -> Effect:
    """Cold, heavy vapour that spreads over the floor."""
    layer = GasLayer(
        id="mist", name="Mist", domain=DomainBox(origin=(-2.4, -2.4, 0), size=(4.8, 4.8, 1.2), voxel=0.075, run_up=2.0),
        sources=(Source(id="spill", name="Spill", shape="cylinder", position=(0, 0, 0.22), size=(2.2, 2.2, 0.3), density=1.6, temperature=-14.0, breakup=1.0, breakup_size=0.5),),
        motion=Motion(weight=0.5, lift=1.0, drag=0.3, fine_curl=2.5), fading=Fading(smoke=0.5, smoke_linear=0.08, cooling=0.2),
        look=Look(extinction=2.2, forward=0.2, full_density=2.0, colour=ramp((0.0, (0.78, 0.8, 0.82)), (1.0, (0.55, 0.57, 0.6)))),
    )  # fmt: skip
    return _base(effect, "Mist", layer, (EDDIES.model_copy(update={"strength": 0.7, "size": 0.6}),),
                 Camera(target=(0, 0, 0.4), distance=7.5, pitch=18.0), 4.0)  # fmt: skip


def flames(effect: Effect) -> Effect:
    """A fire on the floor, with flames and a little smoke."""
    layer = GasLayer(
        id="fire", name="Fire", domain=DomainBox(origin=(-0.8, -0.8, 0), size=(1.6, 1.6, 2.6), voxel=0.042, open_low=(True, True, False), run_up=1.5),
        sources=(Source(id="hearth", name="Hearth", shape="cylinder", position=(0, 0, 0.14), size=(0.6, 0.6, 0.18), density=0.0, temperature=700.0,
                        fuel=7.0, push=(0, 0, 0.8), breakup=0.8, breakup_size=0.16, breakup_rate=4.0),),
        fire=Fire(burns=True, burn_rate=2.6, heat=1500.0, soot=0.3, radiation=1000.0, flame_fade=2.4, hottest=1750.0),
        motion=Motion(lift=0.4, weight=0.0, drag=0.2, fine_curl=4.0, fine_size=0.09, broad_curl=2.5, broad_size=0.4),
        fading=Fading(smoke=0.8, smoke_linear=0.06, cooling=0.8), look=Look(extinction=8.0, flame=2.4, flame_heat=1.32, glow=0.5, steps=2.0),
    )  # fmt: skip
    return _base(effect, "Fire", layer, (EDDIES.model_copy(update={"strength": 1.0, "size": 0.4, "rate": 2.0}),),
                 Camera(target=(0, 0, 1.1), distance=4.8, pitch=6.0), 3.0)  # fmt: skip


def fireball(effect: Effect) -> Effect:
    """Fuel thrown up at once that burns as it rolls, and turns to black smoke."""
    throw = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.04, v=1.0), Key(t=0.36, v=0.0, ease="hold")))
    layer = GasLayer(
        id="fireball", name="Fireball", domain=DomainBox(origin=(-2.7, -2.7, 0), size=(5.4, 5.4, 6.2), voxel=0.08, open_low=(True, True, False), run_up=0.0),
        sources=(Source(id="charge", name="Charge", position=(0, 0, 0.35), size=(2.0, 2.0, 0.9), density=9.0, temperature=1300.0, fuel=60.0, push=(0, 0, 3.0),
                        outward=3.0, grip=30.0, expansion=9.0, start=0.0, end=0.36, emission=throw, breakup=1.0, breakup_size=0.5, breakup_rate=8.0),),
        fire=Fire(burns=True, ignition=200.0, burn_rate=0.9, heat=420.0, soot=0.7, expansion=0.2, hottest=1800.0, radiation=380.0, flame_fade=3.0),
        motion=Motion(lift=0.32, weight=0.1, drag=0.3, fine_curl=9.0, fine_size=0.17, broad_curl=6.0, broad_size=0.7),
        fading=Fading(smoke=0.3, smoke_linear=0.12, cooling=0.35, spread=0.01), quality=Quality(courant=3.0, most_substeps=6),
        look=Look(extinction=3.2, full_density=2.0, flame=0.9, flame_heat=1.22, glow=0.9, ambient=0.5, steps=2.0,
                  colour=ramp((0.0, (0.17, 0.155, 0.145)), (1.0, (0.035, 0.032, 0.03)))),
    )  # fmt: skip
    return _base(effect, "Fireball", layer, (EDDIES.model_copy(update={"strength": 2.6, "size": 0.7, "rate": 2.0, "grip": 3.0}),),
                 Camera(target=(0, 0, 2.3), distance=9.6, pitch=4.0), 2.5)  # fmt: skip


STARTERS = {"Plume": steady_plume, "Puff": puff, "Mist": floor_mist, "Fire": flames, "Fireball": fireball}


FORCES = {"wind": (Wind, "Wind"), "eddies": (Turbulence, "Eddies"), "swirl": (Swirl, "Swirl"), "pull": (Pull, "Pull"), "drag": (Brake, "Drag"),
          "gravity": (Gravity, "Gravity")}  # fmt: skip


def with_force(effect: Effect, kind: str) -> tuple[Effect, str]:
    """The effect with a new force, in the middle of its first layer's box, and its path."""
    id = free_id(effect.forces, kind)
    make, name = FORCES[kind]
    force: Force = make(id=id, name=name)
    if effect.gases:
        d = effect.gases[0].domain
        middle = tuple(round(o + s / 2, 3) for o, s in zip(d.origin, d.size))
        more: dict[str, object] = {"position": middle, "region_size": tuple(round(s / 2, 3) for s in d.size)}
        if kind == "swirl":
            more |= {"core": round(min(d.size[:2]) * 0.15, 3), "height": round(d.size[2], 3)}
        force = force.model_copy(update=more)
    return effect.model_copy(update={"forces": (*effect.forces, force)}), f"forces.{id}"


def with_collider(effect: Effect, prop: str, layer_id: str | None = None) -> tuple[Effect, str]:
    """The effect with a prop that stops a layer (the first one) from now on, and the pair's path; the same when it does already."""
    layer = effect.layer(layer_id)
    held = next((c for c in layer.colliders if c.prop == prop), None)
    if held is not None:
        return effect, f"layers.{layer.id}.colliders.{held.id}"
    name = next(p.name for p in effect.props if p.id == prop)
    id = free_id(layer.colliders, "stop")
    made = (Collider if isinstance(layer, GasLayer) else PointCollider)(id=id, name=f"{name} stops it"[:60], prop=prop)
    layer = layer.model_copy(update={"colliders": (*layer.colliders, made)})
    layers = tuple(layer if item.id == layer.id else item for item in effect.layers)
    return effect.model_copy(update={"layers": layers}), f"layers.{layer.id}.colliders.{id}"


def fitted(effect: Effect, layer_id: str) -> Effect:
    """The effect with a layer's box fitted to its sources: room to rise above them, and a little all round."""
    layer = effect.gas(layer_id)
    boxes = [(np.asarray(s.position) - np.asarray(s.size) / 2, np.asarray(s.position) + np.asarray(s.size) / 2) for s in layer.sources]
    if not boxes:
        return effect
    low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    wide = float(max(high - low))
    low, high = low - wide * np.array([1.5, 1.5, 0.3]), high + wide * np.array([1.5, 1.5, 4.0])
    low[2] = max(low[2], 0.0) if layer.domain.origin[2] >= 0.0 else low[2]
    domain = layer.domain.model_copy(update={
        "origin": tuple(round(float(v), 3) for v in low), "size": tuple(round(float(v), 3) for v in high - low)})  # fmt: skip
    layers = tuple(layer.model_copy(update={"domain": domain}) if item.id == layer.id else item for item in effect.layers)
    return effect.model_copy(update={"layers": layers})


def with_source(effect: Effect, layer_id: str | None = None) -> tuple[Effect, str]:
    """The effect with a new source in the middle of the floor of a gas (the first one), and its path."""
    layer = effect.gas(layer_id)
    id = free_id(layer.sources, "source")
    d = layer.domain
    middle = (d.origin[0] + d.size[0] / 2, d.origin[1] + d.size[1] / 2, d.origin[2] + d.size[2] * 0.12)
    edge = max(min(d.size) * 0.16, 3 * d.voxel)
    source = Source(id=id, name="Source", position=middle, size=(edge, edge, edge))
    layer = layer.model_copy(update={"sources": (*layer.sources, source)})
    layers = tuple(layer if item.id == layer.id else item for item in effect.layers)
    return effect.model_copy(update={"layers": layers}), f"layers.{layer.id}.sources.{id}"


def with_prop(effect: Effect, file: str = "", name: str = "Box", **settings: object) -> tuple[Effect, str]:
    """The effect with a new prop, a box or a mesh, and its path."""
    id = free_id(effect.props, "prop")
    prop = Prop(id=id, name=name[:60], shape="mesh", file=file) if file else Prop(id=id, name=name, position=(0, 0, 0))
    return effect.model_copy(update={"props": (*effect.props, prop.model_copy(update=settings))}), f"props.{id}"
