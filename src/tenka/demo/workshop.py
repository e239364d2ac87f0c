"""Further effects of Kiln Quay, and the props that they need: furnace, hopper, cellar, shutter."""

from __future__ import annotations

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo import canvas
from tenka.demo.shapes import BRICK, IRON, SOOT, STONE, WOOD, aged, placed
from tenka.effect.courses import Clamp, Key, Keys, Noise, Sum, Wave
from tenka.effect.model import (
    Camera,
    Collider,
    DomainBox,
    Effect,
    Fading,
    Fire,
    Flipbook,
    GasLayer,
    Light,
    Look,
    Motion,
    Player,
    Prop,
    Quality,
    Source,
    Swirl,
    Turbulence,
    Wind,
    ramp,
)
from tenka.effect.starters import TIERS
from tenka.scene.meshes import Mesh, box, joined, turned_profile


def bricks(wide: float, deep: float, high: float, x: float, y: float, z: float, name: str) -> Mesh:
    """A block of brickwork, front to back, as rows of bricks of uneven colour."""
    rows, parts = max(1, round(high / 0.13)), []
    for row in range(rows):
        count = max(1, round(wide / 0.3))
        step = wide / count
        for k in range(count):
            tone = 0.75 + 0.5 * float(unit_array(31, row, k, int(100 * (x + 5))))
            brick = box((step - 0.008, deep, high / rows - 0.008), BRICK)
            parts.append(
                placed(
                    Mesh(brick.points, brick.faces, (brick.colours * tone).astype(np.float32)),
                    x - wide / 2 + (k + 0.5) * step,
                    y,
                    z + row * high / rows,
                )
            )
    return aged(joined(parts), 0.2, name)


def furnace() -> Mesh:
    """A brick furnace with a square mouth, an iron lintel and a stone sill. Its front stands at y = 0."""
    parts = [
        bricks(0.75, 1.3, 1.9, -0.75, 0.65, 0.0, "left"), bricks(0.75, 1.3, 1.9, 0.75, 0.65, 0.0, "right"),
        bricks(0.75, 1.3, 0.55, 0.0, 0.65, 0.0, "foot"), bricks(0.75, 1.3, 0.75, 0.0, 0.65, 1.15, "head"),
        bricks(0.75, 0.35, 0.6, 0.0, 1.12, 0.55, "back"),
        placed(box((1.15, 0.12, 0.1), IRON), 0.0, -0.02, 1.15), placed(box((1.05, 0.2, 0.07), STONE), 0.0, -0.05, 0.5),
        placed(box((2.5, 1.5, 0.12), STONE), 0.0, 0.65, 1.9), placed(box((0.6, 0.5, 0.9), SOOT), 0.0, 0.8, 2.02),
    ]  # fmt: skip
    return joined(parts)


def bellows() -> Mesh:
    """Bellows on a trestle beside the furnace."""
    leather = (0.16, 0.09, 0.05)
    ribs = [placed(box((0.62 - 0.03 * abs(k - 2), 0.5, 0.055), leather if k % 2 else WOOD), 0.0, 0.0, 0.62 + 0.06 * k) for k in range(5)]
    legs = [placed(box((0.07, 0.07, 0.62), WOOD), x, y) for x in (-0.25, 0.25) for y in (-0.18, 0.18)]
    handle = placed(box((0.06, 0.75, 0.05), WOOD), 0.0, -0.5, 0.93)
    return joined([*ribs, *legs, handle, placed(turned_profile([(0.03, 0), (0.06, 0.3)], 10, IRON), 0.34, 0.0, 0.6)])


def floor() -> Mesh:
    """A workshop floor of planks."""
    parts = []
    for row in range(22):
        tone = 0.7 + 0.5 * float(unit_array(41, row))
        plank = box((7.0, 0.33, 0.04), WOOD)
        parts.append(placed(Mesh(plank.points, plank.faces, (plank.colours * tone).astype(np.float32)), 0.0, -3.6 + 0.345 * row, -0.04))
    return joined(parts)


def hopper() -> Mesh:
    """A mixing hopper: an open funnel of sheet iron on legs, with a rolled rim."""
    shell = turned_profile(
        [(0.16, 0.62), (0.22, 0.6), (0.95, 1.62), (1.02, 1.64), (1.02, 1.72), (0.9, 1.72), (0.86, 1.66), (0.16, 0.72), (0.0, 0.7)],
        40,
        (0.2, 0.21, 0.215),
    )
    legs = [placed(box((0.08, 0.08, 1.3), IRON), 0.72 * np.cos(a), 0.72 * np.sin(a), 0.0) for a in np.pi / 4 + np.pi / 2 * np.arange(4)]
    spout = turned_profile([(0.0, 0.32), (0.15, 0.32), (0.17, 0.62), (0.0, 0.66)], 24, IRON)
    ring = turned_profile([(0.79, 0.98), (0.83, 0.98), (0.83, 1.03), (0.79, 1.03)], 40, IRON)
    return joined([aged(shell, 0.25, "hopper"), *legs, spout, ring])


def stirrer() -> Mesh:
    """A shaft with two blades, which turns in the hopper; it hangs from a bearing above."""
    shaft = turned_profile([(0.0, 0.0), (0.03, 0.0), (0.03, 1.75), (0.0, 1.75)], 16, IRON)
    blades = [placed(box((0.30, 0.03, 0.20), (0.16, 0.165, 0.17)), s * 0.17, 0.0, 0.1) for s in (-1, 1)]
    return joined([shaft, *blades, placed(box((0.14, 0.14, 0.12), IRON), 0.0, 0.0, 1.7)])


def cellar() -> Mesh:
    """Cellar steps between two walls, from a landing down to a floor; the steps fall towards -y."""
    parts = [aged(placed(box((1.6, 0.34, 0.24 * (6 - k)), STONE), 0.0, 1.6 - 0.34 * k, 0.0), 0.3, f"step{k}") for k in range(6)]
    parts.append(aged(placed(box((1.6, 1.0, 1.44), STONE), 0.0, 2.25, 0.0), 0.2, "landing"))
    parts += [bricks(0.25, 3.4, 2.3, side * 0.925, 1.2, 0.0, f"wall{side}") for side in (-1, 1)]
    return joined(parts)


def gate() -> Mesh:
    """A gate of boards, hinged at its left edge, 1.3 m wide."""
    boards = [aged(placed(box((0.2, 0.07, 1.1), WOOD), 0.13 + 0.215 * k, 0.0, 0.03), 0.3, f"board{k}") for k in range(6)]
    rails = [placed(box((1.3, 0.1, 0.09), WOOD), 0.66, 0.0, z) for z in (0.2, 0.85)]
    return joined([*boards, *rails])


def window_wall() -> Mesh:
    """A wall with an opening of 1 x 1 m, sill and lintel; its face stands at y = 0."""
    return joined([
        bricks(1.2, 0.25, 2.6, -1.1, 0.13, 0.0, "wl"), bricks(1.2, 0.25, 2.6, 1.1, 0.13, 0.0, "wr"), bricks(1.0, 0.25, 0.8, 0.0, 0.13, 0.0, "wf"),
        bricks(1.0, 0.25, 0.8, 0.0, 0.13, 1.8, "wh"), placed(box((1.3, 0.4, 0.07), STONE), 0.0, 0.08, 0.74), placed(box((1.3, 0.32, 0.1), WOOD), 0.0, 0.12, 1.8),
    ])  # fmt: skip


def shutter() -> Mesh:
    """A shutter of boards, hinged at its left edge, 0.98 m wide and high."""
    boards = [aged(placed(box((0.158, 0.06, 0.98), (0.11, 0.17, 0.16)), 0.085 + 0.162 * k, 0.0, 0.0), 0.35, f"leaf{k}") for k in range(6)]
    return joined([*boards, *(placed(box((0.96, 0.09, 0.08), (0.09, 0.14, 0.13)), 0.49, -0.03, z) for z in (0.15, 0.75))])


PROPS = {"drying_line": canvas.drying_line, "furnace": furnace, "bellows": bellows, "floor": floor, "hopper": hopper, "stirrer": stirrer, "cellar": cellar, "gate": gate, "window_wall": window_wall, "shutter": shutter}  # fmt: skip


def _mesh(id: str, name: str, **changes: object) -> Prop:
    return Prop(id=id, name=name, shape="mesh", file=f"props/{id}.glb").model_copy(update=changes)


def _book(seconds: float, **player: float) -> Flipbook:
    return Flipbook(last=seconds, player=Player(life=seconds).model_copy(update=player))


def furnace_mouth() -> Effect:
    """A furnace that flares with the bellows' stroke."""
    stroke = Clamp(
        of=Sum(of=(Wave(base=0.45, amount=0.75, period=1.5, phase=0.75), Noise(amount=0.15, period=0.2, seed=3))), low=0.12, high=1.2
    )
    coals = Source(
        id="coals", name="Coals", shape="box", position=(0.0, 0.42, 0.68), size=(0.62, 0.6, 0.22), density=0.0, temperature=1100.0, fuel=13.0, emission=stroke,
        push=(0.0, -2.6, 0.7), grip=14.0, expansion=1.2, breakup=0.75, breakup_size=0.16, breakup_rate=5.0,
    )  # fmt: skip
    layer = GasLayer(
        id="fire", name="Fire", domain=DomainBox(origin=(-1.25, -1.5, 0.3), size=(2.5, 2.6, 3.3), voxel=0.04, open_low=(True, True, True), run_up=1.0),
        sources=(coals,), colliders=(Collider(id="brick", name="Brickwork", prop="furnace"),),
        fire=Fire(burns=True, ignition=150.0, burn_rate=2.6, heat=1500.0, soot=0.32, expansion=0.35, hottest=1750.0, radiation=1300.0, flame_fade=2.4),
        motion=Motion(lift=0.5, weight=0.0, drag=0.25, fine_curl=5.0, fine_size=0.08, broad_curl=3.0, broad_size=0.35),
        fading=Fading(smoke=0.9, smoke_linear=0.05, cooling=0.9), quality=Quality(courant=3.0, most_substeps=4),
        look=Look(extinction=7.0, full_density=1.0, glow=0.5, flame=2.4, flame_heat=1.32, steps=2.0, ambient=0.6, colour=ramp((0.0, (0.3, 0.28, 0.27)), (1.0, (0.06, 0.055, 0.05)))),
        flipbook=_book(3.0, count=2, scatter=0.0),
    )  # fmt: skip
    return Effect(
        name="Furnace mouth", seed=7, seconds=3.0, layers=(layer,), tiers=TIERS,
        props=(_mesh("furnace", "Furnace"), _mesh("bellows", "Bellows", position=(-1.65, 0.45, 0.0), turn=-8.0), _mesh("floor", "Floor"),
               _mesh("figure", "Figure, 1.75 m", position=(1.75, -0.1, 0.0), turn=200.0)),
        forces=(Turbulence(id="flicker", name="Flicker", strength=1.5, size=0.35, detail=0.8, rate=2.2, grip=2.0),),
        light=Light(heading=-130.0, height=40.0, strength=0.5, kelvin=6500.0, sky=0.10, exposure=0.3),
        camera=Camera(target=(0.05, -0.2, 1.25), distance=5.0, heading=-66.0, pitch=4.0, fov=40.0),
    )  # fmt: skip


def hopper_whirl() -> Effect:
    """Glaze powder spins in a mixing hopper."""
    spill = Source(
        id="powder", name="Powder", shape="torus", position=(0.0, 0.0, 1.5), size=(1.3, 1.3, 0.22), density=3.2, temperature=0.0, breakup=0.95, breakup_size=0.3,
        breakup_rate=1.2, turn=Keys(keys=(Key(t=-3.0, v=0.0, ease="linear"), Key(t=5.0, v=1440.0, ease="linear"))), dye=True, dye_colour=(0.16, 0.42, 0.44),
    )  # fmt: skip
    puff = Source(
        id="pour", name="Pour", shape="sphere", position=(0.35, 0.1, 1.75), size=(0.3, 0.3, 0.3), density=9.0, temperature=0.0, push=(0.0, 0.0, -1.2), breakup=0.8,
        breakup_size=0.12, dye=True, dye_colour=(0.75, 0.68, 0.5), emission=Wave(base=0.55, amount=0.45, period=1.3),
    )  # fmt: skip
    layer = GasLayer(
        id="powder", name="Powder", domain=DomainBox(origin=(-1.15, -1.15, 0.66), size=(2.3, 2.3, 1.9), voxel=0.042, open_low=(True, True, False), run_up=2.5),
        sources=(spill, puff), colliders=(Collider(id="iron", name="Sheet iron", prop="hopper", skin=0.01),),
        motion=Motion(lift=0.0, weight=0.22, drag=0.15, fine_curl=4.0, fine_size=0.09, broad_curl=2.0, broad_size=0.4),
        fading=Fading(smoke=0.8, smoke_linear=0.25), look=Look(extinction=7.0, full_density=2.0, forward=0.15, ambient=0.8, carried=1.0), flipbook=_book(4.0, count=2),
    )  # fmt: skip
    spin = Keys(keys=(Key(t=-3.0, v=0.0, ease="linear"), Key(t=5.0, v=8 * 468.0, ease="linear")))  # 1.3 turns a second
    whirl = Swirl(
        id="whirl",
        name="Whirl",
        position=(0.0, 0.0, 1.5),
        core=0.42,
        height=1.9,
        spin=0.0,
        turned_by="stirrer",
        lift=1.0,
        pull=0.35,
        falloff=1.2,
        grip=7.0,
    )
    return Effect(
        name="Hopper whirl", seed=11, seconds=4.0, layers=(layer,), tiers=TIERS, forces=(whirl, Turbulence(id="eddies", name="Eddies", strength=1.5, size=0.32, detail=0.8, rate=1.5, grip=2.5)),
        props=(_mesh("hopper", "Hopper"), _mesh("stirrer", "Stirrer", position=(0.0, 0.0, 0.85), turn=spin), _mesh("floor", "Floor"), _mesh("figure", "Figure, 1.75 m", position=(-1.7, 0.9, 0.0), turn=-40.0)),
        light=Light(heading=-150.0, height=48.0, strength=3.6, kelvin=5200.0, sky=0.4),
        camera=Camera(target=(0.0, 0.0, 1.45), distance=5.2, heading=-75.0, pitch=24.0, fov=38.0),
    )  # fmt: skip


def cellar_vapour() -> Effect:
    """Cold, heavy vapour spills down cellar steps and pools; a swinging gate stirs it."""
    spill = Source(
        id="spill", name="Spill", shape="box", position=(0.0, 2.2, 1.62), size=(1.3, 0.7, 0.3), density=2.2, temperature=-22.0, push=(0.0, -0.5, 0.0), grip=4.0, breakup=0.9,
        breakup_size=0.35, breakup_rate=0.7,
    )  # fmt: skip
    swing = Sum(of=(20.0, Wave(amount=42.0, period=3.4)))
    layer = GasLayer(
        id="vapour", name="Vapour", domain=DomainBox(origin=(-2.4, -3.6, 0.0), size=(5.6, 6.3, 2.0), voxel=0.062, open_low=(True, True, False), run_up=5.5),
        sources=(spill,), colliders=(Collider(id="stone", name="Stone", prop="cellar"), Collider(id="boards", name="Gate", prop="gate", skin=0.03, slip="none")),
        motion=Motion(lift=1.0, weight=0.9, drag=0.25, viscosity=0.012, fine_curl=1.5, fine_size=0.12, broad_curl=1.2, broad_size=0.5),
        fading=Fading(smoke=0.0, smoke_linear=0.0, cooling=0.05),
        look=Look(extinction=2.6, full_density=2.2, forward=0.2, ambient=1.0, colour=ramp((0.0, (0.74, 0.78, 0.8)), (1.0, (0.5, 0.55, 0.58)))), flipbook=_book(5.0, count=2),
    )  # fmt: skip
    return Effect(
        name="Cellar vapour", seed=4, seconds=5.2, layers=(layer,), tiers=TIERS, forces=(Turbulence(id="eddies", name="Eddies", strength=0.25, size=0.5, grip=0.8),),
        props=(_mesh("cellar", "Steps"), _mesh("gate", "Gate", position=(-0.7, -0.75, 0.0), turn=swing), _mesh("floor", "Floor"),
               _mesh("figure", "Figure, 1.75 m", position=(-1.5, -1.7, 0.0), turn=150.0)),
        light=Light(heading=-115.0, height=44.0, strength=2.6, kelvin=5600.0, sky=0.42),
        camera=Camera(target=(0.0, 0.0, 0.75), distance=6.6, heading=-58.0, pitch=17.0, fov=42.0),
    )  # fmt: skip


def shutter_slam() -> Effect:
    """A shutter swings shut through haze and drags it along."""
    haze = Source(
        id="haze", name="Haze", shape="box", position=(0.1, -0.75, 1.35), size=(2.3, 1.3, 1.5), density=0.85, temperature=2.0, breakup=1.0, breakup_size=0.5, breakup_rate=0.8,
        emission=Keys(keys=(Key(t=-1.0, v=1.0), Key(t=0.1, v=1.0), Key(t=0.4, v=0.0))),
    )  # fmt: skip
    swing = Keys(
        keys=(
            Key(t=0.5, v=-112.0, ease="smooth"),
            Key(t=0.86, v=0.0, ease="linear"),
            Key(t=0.94, v=-7.0, ease="smooth"),
            Key(t=1.06, v=0.0, ease="hold"),
        )
    )
    layer = GasLayer(
        id="haze", name="Haze", domain=DomainBox(origin=(-1.6, -1.9, 0.3), size=(3.2, 2.9, 2.2), voxel=0.05, open_low=(True, True, True), run_up=0.9),
        sources=(haze,), colliders=(Collider(id="wall", name="Wall", prop="window_wall"), Collider(id="leaf", name="Leaf", prop="shutter", skin=0.035, wake=1.0)),
        motion=Motion(lift=1.0, weight=0.02, drag=0.05, fine_curl=3.0, fine_size=0.11, broad_curl=1.5, broad_size=0.5),
        fading=Fading(smoke=0.12, smoke_linear=0.05), quality=Quality(courant=2.0, most_substeps=8),
        look=Look(extinction=2.1, full_density=1.6, forward=0.3, ambient=0.9, colour=ramp((0.0, (0.72, 0.7, 0.66)), (1.0, (0.44, 0.42, 0.4)))), flipbook=_book(2.5, count=1),
    )  # fmt: skip
    return Effect(
        name="Shutter slam", seed=15, seconds=2.6, layers=(layer,), tiers=TIERS,
        forces=(Turbulence(id="eddies", name="Eddies", strength=0.9, size=0.45, detail=0.8, grip=2.0), Wind(id="draught", name="Draught", speed=0.25, heading=20.0, grip=0.6)),
        props=(_mesh("window_wall", "Wall"), _mesh("shutter", "Shutter", position=(-0.49, -0.06, 0.81), turn=swing), _mesh("floor", "Floor"),
               _mesh("figure", "Figure, 1.75 m", position=(-1.55, -1.2, 0.0), turn=-60.0)),
        light=Light(heading=-140.0, height=42.0, strength=3.4, kelvin=5000.0, sky=0.4),
        camera=Camera(target=(0.0, -0.3, 1.3), distance=5.4, heading=-62.0, pitch=9.0, fov=40.0),
    )  # fmt: skip


def canvas_steam() -> Effect:
    """A wet canvas flaps on its line and steams in the morning sun."""
    steam = Source(
        id="steam", name="Steam", shape="surface", prop="canvas", part="damp", thickness=0.09, density=6.5, temperature=40.0, grip=6.0,
        carried=ramp((0.0, 0.0), (0.15, 0.5), (1.0, 0.85)), carried_speed=2.5, breakup=0.95, breakup_size=0.26, breakup_rate=1.1, breakup_low=0.38, breakup_high=0.75,
    )  # fmt: skip
    layer = GasLayer(
        id="steam", name="Steam", domain=DomainBox(origin=(-1.75, -1.3, 0.4), size=(3.7, 2.7, 3.25), voxel=0.05, open_low=(True, True, True), run_up=2.0),
        sources=(steam,), colliders=(Collider(id="cloth", name="Cloth", prop="canvas", skin=0.04),),
        motion=Motion(lift=1.6, weight=0.0, drag=0.2, fine_curl=3.0, fine_size=0.11, broad_curl=1.5, broad_size=0.4),
        fading=Fading(smoke=0.42, smoke_linear=0.1, cooling=0.25), quality=Quality(courant=3.0, most_substeps=3),
        look=Look(extinction=3.6, full_density=1.6, forward=0.45, ambient=0.7, colour=ramp((0.0, (0.93, 0.93, 0.92)), (1.0, (0.82, 0.83, 0.84)))), flipbook=_book(4.8, count=2),
    )  # fmt: skip
    return Effect(
        name="Canvas steam", seed=23, seconds=4.8, layers=(layer,), tiers=TIERS,
        forces=(Wind(id="breeze", name="Breeze", speed=0.45, heading=70.0, grip=0.8, gusts=0.6, gust_period=1.6), Turbulence(id="eddies", name="Eddies", strength=0.6, size=0.5, detail=0.7, grip=1.5)),
        props=(_mesh("canvas", "Canvas", clip="flap", credit=canvas.CREDIT), _mesh("drying_line", "Drying line"), _mesh("yard", "Yard"),
               _mesh("low_wall", "Low wall", position=(-1.2, 2.6, 0.0)), _mesh("figure", "Figure, 1.75 m", position=(-2.3, 0.3, 0.0), turn=-60.0)),
        light=Light(heading=-12.0, height=34.0, strength=4.4, kelvin=4700.0, sky=0.42, exposure=0.1),
        camera=Camera(target=(0.05, 0.0, 1.75), distance=5.8, heading=-66.0, pitch=4.0, fov=40.0),
    )  # fmt: skip


EFFECTS = {
    "canvas_steam": canvas_steam,
    "furnace_mouth": furnace_mouth,
    "hopper_whirl": hopper_whirl,
    "cellar_vapour": cellar_vapour,
    "shutter_slam": shutter_slam,
}
