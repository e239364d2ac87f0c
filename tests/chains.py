"""Every demo made quick, and an effect that no demo shows: what whole chains are tried on."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from routes import many_ways

from tenka.base.jobs import Progress
from tenka.board.measuring import on_one_sprite
from tenka.cache.store import FrameStore
from tenka.demo import EFFECTS, FOLDER
from tenka.effect import storage
from tenka.effect.additions import LAYERS, afloat, with_break, with_new_layer, with_trail
from tenka.effect.courses import Clamp, Key, Keys, Noise, Sum
from tenka.effect.document import get, replaced, with_own
from tenka.effect.looks import WATERS
from tenka.effect.model import (
    BasinBox,
    Bodies,
    Camera,
    DebrisLayer,
    Delivery,
    Effect,
    Ends,
    Flow,
    InWater,
    LiquidCollider,
    LiquidLayer,
    LiquidMotion,
    LiquidSource,
    ParticleLayer,
    Pieces,
    PointMotion,
    PointSource,
    Prop,
    Tank,
    WaterLayer,
    WaterSource,
    rerouted,
)
from tenka.effect.routes.light import LightTrack
from tenka.effect.starters import STARTERS, TIERS, with_camera, with_force, with_light, with_prop
from tenka.look.render import Renderer
from tenka.look.shot import gathered, seen, shot_of
from tenka.pack.books import books_of
from tenka.pack.layout import box_of, packable
from tenka.particles.heap import dropped
from tenka.proof.engine import Package
from tenka.run.driver import figures_of, simulate
from tenka.run.plans import plans_of
from tenka.scene.cameras import View, set_to, side_view, view_of

NAMES = tuple(file.stem for file in EFFECTS)


def lighter(effect: Effect, frames: int = 17, voxels: float = 2.0, cells: int = 3, px: int = 96) -> Effect:
    """An effect that takes a fraction of the time: coarser, shorter, with a small atlas.

    Of its 17 frames a flipbook of nine writes every other one.
    """
    layers = []
    size = {"columns": cells, "rows": cells, "width": cells * px, "height": cells * px}
    deliveries = tuple(
        d.model_copy(update={"route": d.route.model_copy(update=size)}) if d.route.kind == "flipbook" else d
        for d in effect.deliveries
    )
    deliveries = tuple(  # of what is coarse already nothing is made coarser
        d.model_copy(update={"route": d.route.model_copy(update={"coarser": 1})})
        if d.route.kind == "meshes"
        else d
        for d in deliveries
    )
    for layer in effect.layers:
        changes: dict[str, object] = {}
        domain = getattr(layer, "domain", None)
        if domain is not None:
            run_up = min(domain.run_up, 0.4)
            changes["domain"] = domain.model_copy(update={"voxel": domain.voxel * voxels, "run_up": run_up})
        basin = getattr(layer, "basin", None)
        if basin is not None:
            run_up = min(basin.run_up, 0.4)
            changes["basin"] = basin.model_copy(update={"cell": basin.cell * voxels, "run_up": run_up})
        tank = getattr(layer, "tank", None)
        if tank is not None:
            run_up = min(tank.run_up, 0.4)
            changes["tank"] = tank.model_copy(update={"voxel": tank.voxel * voxels, "run_up": run_up})
        layers.append(layer.model_copy(update=changes))
    return effect.model_copy(
        update={
            "layers": tuple(layers),
            "deliveries": deliveries,
            "seconds": min(effect.seconds, frames / effect.rate),
        }
    )


def own() -> Effect:
    """An effect that no demo shows: fire that sparks smoke, dust in it, pieces that cling, a box that breaks,
    a heap, a pull, a swirl along a curve that wanders, a drag within the fire's own form, sticky ground, a
    window that follows, a flickering light with leaves before it, flames by a ramp, shimmer."""
    effect = STARTERS["Fire"](Effect())
    for name in ("Sparks", "Dust", "Debris"):
        effect, path = with_new_layer(effect, LAYERS[name](effect))
        if name == "Sparks":
            effect, _ = with_trail(effect, path.split(".")[1])
    effect, _ = with_force(effect, "pull")
    effect, path = with_prop(effect, size=(0.5, 0.4, 0.6), position=(1.2, 0.0, 0.0))
    effect, _ = with_break(effect, path.split(".")[1], (1.2, 0.0, 0.3), 0.6)
    gas = effect.gases[0]
    effect = effect.with_layer(
        gas.model_copy(update={"domain": gas.domain.model_copy(update={"follow": True})})
    )
    swirl = {"curve": ((0.0, 0.0, -0.8), (0.3, 0.0, 0.0), (0.0, 0.2, 0.8)), "wander": 0.2, "unsteady": 0.4}
    held = {"region": "source", "region_source": f"{gas.id}/{gas.sources[0].id}"}
    for kind, changes in (("swirl", swirl), ("drag", held)):
        effect, path = with_force(effect, kind)
        effect = replaced(effect, path, get(effect, path).model_copy(update=changes))
    debris = next(x.id for x in effect.layers if x.kind == "debris")
    for path, value in (("bodies.cling", 8.0), ("motion.ground", "stick"), ("motion.hold", 30.0)):
        effect = replaced(effect, f"layers.{debris}.{path}", value)
    heap = {"copies": 4, "spread": (0.6, 0.6, 0.0)}
    effect, path = with_prop(effect, size=(0.3, 0.2, 0.15), position=(-1.5, 0.0, 0.0), **heap)
    flicker = Clamp(of=Sum(of=(3.0, Noise(amount=1.0, period=0.1))), low=2.0, high=4.0)
    lamp = {
        "strength": flicker,
        "parent": path.split(".")[1],
        "pattern": "leaves",
        "position": (0.0, 0.0, 1.5),
    }
    effect, light = with_light(effect)
    effect = replaced(effect, light, get(effect, light).model_copy(update=lamp))
    effect, eye = with_camera(effect)
    later = effect.camera.model_copy(update={"heading": effect.camera.heading + 40.0})
    moved = set_to(get(effect, eye), later, effect.props, 0.5, key=True)
    effect = replaced(effect, eye, moved.model_copy(update={"aperture": 0.02}))
    effect = effect.model_copy(update={"out_of_sight": "restart"})
    first = effect.deliveries_of(gas.id)[0].id
    effect = replaced(effect, f"deliveries.{first}.route.seen_to", 500.0)
    for name, value in (("motion", True), ("cut_out", "each frame"), ("alpha_floor", 0.02)):
        effect = replaced(effect, f"deliveries.{first}.route.{name}", value)
    for kind, route in (("particles", "particles"), ("debris", "bodies")):  # the first of each by its own
        effect = rerouted(effect, next(x.id for x in effect.layers if x.kind == kind), route)
    lawful = next(d.id for d in effect.deliveries if d.route.kind == "particles")
    effect = replaced(effect, f"deliveries.{lawful}.route.written", "births and law")
    bodies = next(d.id for d in effect.deliveries if d.route.kind == "bodies")
    effect = replaced(replaced(effect, f"deliveries.{bodies}.route.takes", 2), "again", "add")
    lit = Delivery(id="gleam", name="Gleam", of=(gas.id,), route=LightTrack(last=effect.seconds))
    effect = effect.model_copy(update={"deliveries": (*effect.deliveries, lit)})
    if effect.tiers:
        effect = with_own(effect, effect.tiers[0].id, f"deliveries.{first}.route.padding", 3)
    for name, value in (("flame_by", "ramp"), ("shimmer", 30.0), ("wet", 0.3)):
        effect = replaced(effect, f"layers.{gas.id}.look.{name}", value)
    return dropped(effect, path.split(".")[1]).model_copy(update={"name": "Own"})


def wet() -> Effect:
    """Water that no demo shows: a window that follows a barge, a floor that falls, rain, a jet that is
    carried, spray that leaves rings and feeds a mist, a wall in it, a slip whose yield stress goes up and
    down, flow maps."""
    barge = Prop(
        id="barge",
        name="Barge",
        size=(0.6, 0.3, 0.25),
        position=(-0.8, 0.0, -0.1),
        shift_x=Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=2.0, v=2.0, ease="linear"))),
    )
    wall = Prop(id="wall", name="Wall", size=(0.1, 0.8, 1.0), position=(0.9, 0.4, -0.6))
    basin = BasinBox(origin=(-2, -1, -0.5), size=(3, 2, 1), depth=0.45, cell=0.04, falls=4.0, follows="barge")
    jet = WaterSource(
        id="jet", name="Jet", flow=0.02, push=(0, 0, -2), parent="barge", position=(-0.5, 0, 0.3), foams=6.0
    )
    rain = WaterSource(id="rain", name="Rain", shape="everywhere", gives="rain", position=(0, 0, 1))
    rings = WaterSource(id="rings", name="Rings", shape="particles", of="spray")
    pool = WaterLayer(
        id="pool",
        name="Pool",
        basin=basin,
        sources=(jet, rain, rings),
        colliders=(
            InWater(id="hull", name="Hull", prop="barge"),
            InWater(id="in_way", name="In the way", prop="wall", acts="bed"),
        ),
    )
    off = PointSource(
        id="off", name="Off", shape="water", of="pool", rate=3000.0, speed=1.5, width=0.02, life=1.0
    )
    spray = ParticleLayer(
        id="spray",
        name="Spray",
        sources=(off,),
        motion=PointMotion(ground="none"),
        ends=Ends(in_water="pool"),
    )
    slip = WaterLayer(
        id="slip",
        name="Slip",
        basin=BasinBox(origin=(-0.5, 1.5, -0.2), size=(1, 1, 0.5), depth=0.05, cell=0.04),
        sources=(WaterSource(id="pour", name="Pour", flow=0.02, position=(0, 2, 0)),),
        flow=Flow(
            lengths="long", viscosity=0.02, density=1600.0, stress=Noise(base=60.0, amount=30.0, period=0.5)
        ),
        look=WATERS["Wet slip"],
    )
    near = Camera(target=(-0.3, 0.3, 0.0), distance=5.0, heading=-65.0, pitch=35.0)
    effect = Effect(seconds=1.0, props=(barge, wall), layers=(spray, pool, slip), camera=near, tiers=TIERS)
    effect, _ = with_trail(with_new_layer(effect, LAYERS["Gas"](effect))[0], "spray")
    effect, _ = with_force(effect, "wind")
    for path, value in (("texels", 72), ("flow", True)):
        effect = replaced(effect, f"deliveries.pool.route.{path}", value)
    effect = rerouted(effect, "spray", "particles")
    return replaced(effect, "name", "Wet")


def thrown() -> Effect:
    """Thrown water that no demo shows: a jet that rides a cart past a post, a fill in slow motion that turns
    thick, wind, drops that feed a mist and spray, crates that float and push a pond."""
    cart = Prop(
        id="cart",
        name="Cart",
        size=(0.3, 0.3, 0.2),
        position=(-0.5, -0.6, 0.0),
        shift_x=Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=1.0, v=0.8, ease="linear"))),
    )
    post = Prop(id="post", name="Post", size=(0.12, 0.12, 0.7), position=(0.25, 0.0, 0.0))
    crate = Prop(id="crate", name="Crate", size=(0.3, 0.3, 0.3), position=(3.0, 3.0, 0.0), hidden=True)
    tank = Tank(origin=(-0.8, -0.8, 0.0), size=(1.6, 1.6, 1.2), voxel=0.05)
    jet = LiquidSource(
        id="jet", name="Jet", parent="cart", position=(0, 0, 0.35), size=(0.2,) * 3, push=(0, 2.0, 2.0)
    )
    water = LiquidLayer(
        id="water",
        name="Water",
        tank=tank,
        sources=(jet,),
        colliders=(LiquidCollider(id="post", name="Post", prop="post"),),
    )
    honey = LiquidLayer(
        id="honey",
        name="Honey",
        tank=tank.model_copy(update={"origin": (0.9, -0.5, 0.0), "size": (0.8, 0.8, 0.8)}),
        sources=(
            LiquidSource(
                id="lump",
                name="Lump",
                gives="fill",
                position=(1.3, -0.1, 0.5),
                size=(0.4,) * 3,
                push=(0, 0, 0),
            ),
        ),
        motion=LiquidMotion(viscosity=0.05),
        time_scale=0.5,
    )
    drops = PointSource(
        id="off", name="Off", shape="particles", of="water", born_on="life", rate=2.0, width=0.01, life=0.5
    )
    spray = ParticleLayer(id="spray", name="Spray", sources=(drops,))
    pond = WaterLayer(
        id="pond", name="Pond", basin=BasinBox(origin=(-1, 1, -0.4), size=(2, 2, 0.6), depth=0.35, cell=0.05)
    )
    at = PointSource(
        id="at", name="At", shape="point", position=(0, 2, 0.3), rate=0.0, burst=1, width=0.3, stays=True
    )
    crates = DebrisLayer(
        id="crates",
        name="Crates",
        sources=(at,),
        pieces=Pieces(make="prop", prop="crate"),
        bodies=Bodies(upright=True, weighs=300.0),
        motion=PointMotion(ground="none"),
    )
    near = Camera(target=(0.2, 0.4, 0.3), distance=6.0, heading=-90.0, pitch=12.0)
    layers = (spray, water, honey, pond, crates)
    effect = Effect(seconds=1.0, props=(cart, post, crate), layers=layers, camera=near, tiers=TIERS)
    effect = afloat(effect, "layers.crates", "pond")
    effect, _ = with_trail(with_new_layer(effect, LAYERS["Gas"](effect))[0], "water")
    effect, _ = with_force(effect, "wind")
    effect = rerouted(effect, "spray", "particles")
    effect = rerouted(effect, "crates", "bodies")
    return replaced(effect, "name", "Thrown")


def effect_of(name: str) -> Effect:
    """A demo by its name, that of our own, or that which goes by every route."""
    if name == "many":
        return many_ways()
    made = {"own": own, "wet": wet, "thrown": thrown}.get(name)
    return made() if made is not None else storage.load(FOLDER / f"{name}.tenka")


def as_flipbooks(effect: Effect) -> Effect:
    """The effect with each layer once, by a flipbook."""
    shown, found = set[str](), []
    for d in effect.deliveries:
        if d.route.SHOWS and not shown & set(d.of):
            found.append(d.id)
            shown |= set(d.of)
    kept = tuple(d for d in effect.deliveries if d.id in found)
    tiers = tuple(t.model_copy(update={"without": ()}) for t in effect.tiers)
    effect = effect.model_copy(update={"deliveries": kept, "levers": (), "tiers": tiers})
    for id in found:
        effect = rerouted(effect, id, "flipbook")
    return effect


def one_sprite(effect: Effect) -> Effect:
    """The effect without its set, each flipbook played as one sprite that lasts as long as its frames."""
    effect = on_one_sprite(effect)
    for d in effect.deliveries:
        if d.route.kind == "flipbook":
            effect = replaced(effect, f"deliveries.{d.id}.route.player.soft_edge", 0.0)
    props = tuple(p.model_copy(update={"hidden": True}) for p in effect.props)
    return effect.model_copy(update={"props": props})


def whole_view(effect: Effect, store: FrameStore, px: int) -> View:
    """A level view that holds all layers, as their flipbooks are drawn; of water that of the effect, since it
    is nothing from its side."""
    plans, boxes = plans_of(effect, FOLDER), []
    for layer in seen(effect):
        simulate(plans[layer.id], store, Progress())
        box = box_of(effect, layer, figures_of(plans[layer.id], store))
        assert box is not None
        boxes.append(box)
    if any(layer.kind == "water" for layer in seen(effect)):
        return view_of(effect.camera, px, px)
    low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    heading = next((d.route.heading for d in packable(effect) if d.route.kind == "flipbook"), -90.0)
    return side_view(low, high, heading, px, px)


def stage_picture(
    effect: Effect, store: FrameStore, index: int, view: View, folder: Path = FOLDER
) -> np.ndarray:
    """A frame as the stage draws it, (h, w, 3) uint8."""
    plans = {layer.id: plans_of(effect, folder)[layer.id] for layer in seen(effect)}
    frames, past = gathered(plans, store, index)
    books, _ = books_of(effect, folder)
    shot = shot_of(effect, frames, folder, index / effect.rate, past=past, books=books)
    return Renderer().draw_shot(shot, effect.light, view).rgb


def proof_picture(package: Package, index: int, view: View) -> np.ndarray:
    """The same moment as the package plays it, (h, w, 3) uint8."""
    first = min(e.times[0] for e in package.elements)
    return package.draw(index / package.manifest.frame_rate - first, view).rgb
