"""Effects of Kiln Quay that are made of particles and pieces, and their props: a grindstone, a drying shed, an ash floor, a boiler."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo.shapes import IRON, SOOT, STONE, WOOD, aged, placed
from tenka.effect.courses import Key, Keys, Noise, Sum
from tenka.effect.model import (
    Bed,
    Bodies,
    Camera,
    Collider,
    Cue,
    DebrisLayer,
    DomainBox,
    Effect,
    Ends,
    Fading,
    Fire,
    Flipbook,
    GasLayer,
    Light,
    Look,
    Motion,
    ParticleLayer,
    Pieces,
    Player,
    PointCollider,
    PointLook,
    PointMotion,
    PointSource,
    Prop,
    Quality,
    Source,
    Turbulence,
    Wind,
    ramp,
)
from tenka.effect.starters import TIERS
from tenka.scene.meshes import Mesh, box, joined, turned_profile
from tenka.scene.poses import Pose

COPPER = (0.36, 0.15, 0.07)
SACK = (0.42, 0.36, 0.26)
LIME = (0.86, 0.84, 0.78)


def _tipped(mesh: Mesh) -> Mesh:
    """A mesh that stood on z = 0 along z, lying along y."""
    p = mesh.points
    return mesh.moved(np.stack([p[:, 0], -p[:, 2], p[:, 1]], axis=1))


def stone_wheel() -> Mesh:
    """A grindstone on its axle, round its own middle, turning about y."""
    rim = [(0.0, -0.06), (0.31, -0.06), (0.32, -0.045), (0.32, 0.045), (0.31, 0.06), (0.0, 0.06)]
    wheel = turned_profile(rim, 40, STONE)
    tone = 0.8 + 0.35 * unit_array(71, np.arange(len(wheel.faces)) // 6)
    wheel = Mesh(wheel.points, wheel.faces, (wheel.colours * tone[:, None]).astype(np.float32))
    axle = turned_profile([(0.0, -0.24), (0.03, -0.24), (0.03, 0.24), (0.0, 0.24)], 12, IRON)
    nut = turned_profile([(0.0, 0.06), (0.07, 0.06), (0.07, 0.1), (0.0, 0.1)], 6, IRON)
    return _tipped(joined([wheel, axle, nut]))


def stone_stand() -> Mesh:
    """The trough that carries the grindstone, with a rest, and the bar that is held on the stone."""
    legs = [placed(box((0.09, 0.09, 0.82), WOOD), x, y) for x in (-0.42, 0.42) for y in (-0.22, 0.22)]
    beams = [placed(box((1.05, 0.09, 0.1), WOOD), 0.0, y, 0.72) for y in (-0.22, 0.22)]
    ends = [placed(box((0.09, 0.5, 0.1), WOOD), x, 0.0, 0.3) for x in (-0.42, 0.42)]
    trough = [placed(box((0.8, 0.03, 0.24), WOOD), 0.0, y, 0.42) for y in (-0.13, 0.13)] + [
        placed(box((0.8, 0.26, 0.03), WOOD), 0.0, 0.0, 0.42)
    ]
    a = math.radians(-22.0)
    tip = Pose(
        np.array([[math.cos(a), 0.0, math.sin(a)], [0.0, 1.0, 0.0], [-math.sin(a), 0.0, math.cos(a)]]), np.array([-0.28, 0.0, 1.045])
    )
    bar = [box((0.66, 0.05, 0.035), IRON).placed(tip)]
    return joined([aged(m, 0.3, f"stand{k}") for k, m in enumerate([*legs, *beams, *ends, *trough])] + bar)


def back_wall() -> Mesh:
    """A wall of boards with tools on it."""
    boards = [aged(placed(box((0.24, 0.05, 2.5), WOOD), -2.4 + 0.25 * k, 0.0, 0.0), 0.5, f"board{k}") for k in range(21)]
    rails = [placed(box((5.3, 0.05, 0.1), WOOD), 0.1, -0.05, z) for z in (0.5, 1.9)]
    tools = [placed(box((0.05, 0.03, 0.5), IRON), -1.3 + 0.35 * k, -0.09, 1.4) for k in range(4)]
    return joined([*boards, *rails, *tools])


def drying_shed() -> Mesh:
    """An open shed: posts, a slatted back, racks with pots, sacks of lime."""
    posts = [placed(box((0.16, 0.16, 2.5), WOOD), x, y) for x in (-2.3, 0.0, 2.3) for y in (-0.95, 1.15)]
    slats = [aged(placed(box((4.8, 0.05, 0.16), WOOD), 0.0, 1.22, 0.1 + 0.27 * k), 0.4, f"slat{k}") for k in range(9)]
    shelves = [placed(box((1.9, 0.6, 0.05), WOOD), 1.15, 0.75, z) for z in (0.5, 1.05, 1.6)]
    pots = []
    for z in (0.55, 1.1, 1.65):
        for k in range(5):
            s = 0.8 + 0.3 * float(unit_array(91, k, int(z * 100)))
            profile = [(0.09 * s, 0), (0.13 * s, 0.12 * s), (0.11 * s, 0.24 * s), (0.07 * s, 0.29 * s), (0.085 * s, 0.33 * s)]
            pots.append(aged(placed(turned_profile(profile, 14, (0.42, 0.24, 0.15)), 0.42 + 0.36 * k, 0.72, z), 0.15, f"pot{k}{z}"))
    roof = [aged(placed(box((0.3, 2.7, 0.04), WOOD), -2.35 + 0.31 * k, 0.1, 2.5), 0.5, f"roof{k}") for k in range(16)]
    return joined([*(aged(p, 0.3, f"post{k}") for k, p in enumerate(posts)), *slats, *shelves, *pots, *roof])


def lime_sacks() -> Mesh:
    """Sacks of lime, one of them open."""
    sack = [(0.0, 0.0), (0.24, 0.02), (0.28, 0.2), (0.26, 0.42), (0.2, 0.52), (0.1, 0.56)]
    full = [
        aged(placed(turned_profile(sack, 14, SACK), x, y, 0.0, 20 * k), 0.25, f"sack{k}")
        for k, (x, y) in enumerate(((-1.95, 0.55), (-1.5, 0.75), (-2.05, 0.02)))
    ]
    heap = turned_profile([(0.42, 0.0), (0.3, 0.1), (0.12, 0.2), (0.0, 0.23)], 16, LIME)
    return joined([*full, aged(placed(heap, -1.4, 0.05), 0.06, "heap")])


def crate() -> Mesh:
    """A crate of boards with an iron band."""
    boards = [aged(placed(box((0.8, 0.155, 0.62), WOOD), 0.0, -0.32 + 0.16 * k), 0.5, f"crate{k}") for k in range(5)]
    bands = [placed(box((0.82, 0.82, 0.05), IRON), 0.0, 0.0, z) for z in (0.08, 0.5)]
    return joined([*boards, *bands])


def hearth_wall() -> Mesh:
    """The end wall of a workshop with a cold hearth."""
    from tenka.demo.workshop import bricks

    parts = [
        bricks(1.6, 0.3, 2.2, -1.5, 0.0, 0.0, "w1"),
        bricks(1.6, 0.3, 2.2, 1.5, 0.0, 0.0, "w2"),
        bricks(1.4, 0.3, 1.1, 0.0, 0.0, 1.1, "w3"),
    ]
    back = placed(box((1.5, 0.1, 1.2), SOOT), 0.0, 0.25)
    return joined([*parts, back, placed(box((1.7, 0.4, 0.12), STONE), 0.0, -0.05, 1.08)])


def boiler() -> Mesh:
    """An upright copper boiler: courses of riveted plate, a dome, a pipe, a gauge."""
    body = [(0.5, 0.0), (0.56, 0.02), (0.56, 0.46), (0.57, 0.47), (0.57, 0.52), (0.56, 0.53), (0.56, 1.0), (0.57, 1.01), (0.57, 1.06), (0.56, 1.07), (0.56, 1.45),
            (0.5, 1.62), (0.36, 1.75), (0.14, 1.82), (0.14, 2.25), (0.18, 2.27), (0.18, 2.33), (0.0, 2.33)]  # fmt: skip
    shell = turned_profile(body, 36, COPPER)
    height = shell.corners[:, :, 2].mean(axis=1)
    soot = np.clip(1 - height / 0.7, 0, 1)[:, None] ** 2
    shell = Mesh(shell.points, shell.faces, (shell.colours * (1 - 0.7 * soot) + np.array(SOOT, np.float32) * 0.7 * soot).astype(np.float32))
    rivets = [placed(box((0.035, 0.035, 0.035), IRON), 0.57 * math.cos(a), 0.57 * math.sin(a), z - 0.015, math.degrees(a))
              for z in (0.495, 1.035) for a in np.linspace(0, 2 * math.pi, 28, endpoint=False)]  # fmt: skip
    gauge = placed(_tipped(turned_profile([(0.0, 0.0), (0.09, 0.0), (0.09, 0.05), (0.0, 0.05)], 16, (0.5, 0.42, 0.2))), 0.0, -0.56, 1.25)
    return joined([aged(shell, 0.25, "copper"), *rivets, gauge])


def boiler_seat() -> Mesh:
    """The brick seat of the boiler, with its fire door."""
    from tenka.demo.workshop import bricks

    return joined([bricks(1.5, 1.5, 0.5, 0.0, 0.0, 0.0, "seat"), placed(box((0.5, 0.06, 0.34), IRON), 0.0, -0.77, 0.08),
                   placed(box((1.62, 1.62, 0.07), STONE), 0.0, 0.0, 0.5)])  # fmt: skip


def shed_front() -> Mesh:
    """Brick piers and a beam behind the boiler."""
    from tenka.demo.workshop import bricks

    piers = [bricks(0.7, 0.5, 2.7, x, 2.6, 0.0, f"pier{x}") for x in (-2.6, 0.2, 3.0)]
    walls = [bricks(2.2, 0.25, 1.0, x, 2.65, 0.0, f"low{x}") for x in (-1.2, 1.6)]
    return joined([*piers, *walls, placed(box((6.6, 0.4, 0.3), WOOD), 0.2, 2.6, 2.7)])


PROPS = {"stone_wheel": stone_wheel, "stone_stand": stone_stand, "back_wall": back_wall, "drying_shed": drying_shed, "lime_sacks": lime_sacks,
         "crate": crate, "hearth_wall": hearth_wall, "boiler": boiler, "boiler_seat": boiler_seat, "shed_front": shed_front}  # fmt: skip


def _mesh(id: str, name: str, **more: object) -> Prop:
    return Prop(id=id, name=name, shape="mesh", file=f"props/{id}.glb", **more)  # type: ignore[arg-type]


def wheel_sparks() -> Effect:
    """Sparks off a grinding wheel: streaks that fly, bounce, split and fade."""
    pressed = Sum(of=(0.62, Noise(amount=0.55, period=0.22, seed=3)))
    grind = PointSource(
        id="contact", name="Contact", shape="box", position=(0.02, 0.0, 1.14), size=(0.02, 0.07, 0.02), rate=1500.0, emission=pressed, direction=(1.0, 0.0, 0.1),
        cone=11.0, speed=7.2, speed_spread=0.55, far_share=0.06, far_reach=0.6, life=0.95, life_spread=0.6, width=0.007, least_width=0.3, skew=2.5, temperature=1750.0,
        scatter=(0.2, 0.15, 0.25), start=-1.0,
    )  # fmt: skip
    drag = PointSource(
        id="drag", name="Dragged round", shape="box", position=(-0.04, 0.0, 1.14), size=(0.02, 0.06, 0.02), rate=260.0, emission=pressed, direction=(1.0, 0.0, 0.0),
        cone=40.0, speed=2.6, speed_spread=0.7, life=0.7, life_spread=0.5, width=0.005, temperature=1500.0, start=-1.0,
    )  # fmt: skip
    hot = {"opaque": 0.0, "lit": 0.0, "self_shadow": 0.0, "colour_by": "heat", "vary": 0.5}
    sparks = ParticleLayer(
        id="sparks", name="Sparks", sources=(grind, drag), run_up=1.0, motion=PointMotion(drag=0.9, size_drag=0.5, cooling=0.75, ground="bounce", bounce=0.42, friction=0.25, forces=0.25),
        colliders=(PointCollider(id="stand", name="Stand", prop="stone_stand", bounce=0.35), PointCollider(id="boards", name="Boards", prop="back_wall", bounce=0.3)),
        look=PointLook(form="streak", streak=0.022, brightness=5.0, softness=0.9, opacity_over=ramp((0.0, 1.0), (0.5, 1.0), (1.0, 0.0)), **hot),
    )  # fmt: skip
    split = PointSource(
        id="split", name="Split", shape="particles", of="sparks", born_on="bounce", burst=3, direction=(0, 0, 1), cone=75.0, speed=1.5, speed_spread=0.6, life=0.3,
        life_spread=0.6, width=0.004, temperature=1500.0, carried=ramp((0.0, 0.4), (1.0, 0.4)),
    )  # fmt: skip
    splinters = ParticleLayer(
        id="splinters", name="Splinters", sources=(split,), motion=PointMotion(drag=1.5, cooling=1.4, bounce=0.3),
        look=PointLook(form="streak", streak=0.018, brightness=4.0, softness=0.9, **hot),
    )  # fmt: skip
    glint = ParticleLayer(
        id="glow", name="Glow",
        sources=(PointSource(id="at", name="At the contact", shape="point", position=(0.03, 0.0, 1.14), rate=60.0, emission=pressed, speed=0.0, life=0.06, width=0.3, least_width=0.4,
                             temperature=1900.0, start=-0.2),),
        motion=PointMotion(gravity=0.0, ground="none", cooling=0.0), look=PointLook(form="sprite", brightness=0.35, softness=1.0, **hot),
    )  # fmt: skip
    spin = Keys(keys=(Key(t=-1.0, v=0.0, ease="linear"), Key(t=4.0, v=5400.0, ease="linear")))
    return Effect(
        name="Wheel sparks", seed=12, seconds=3.0, layers=(sparks, splinters, glint), tiers=TIERS,
        props=(_mesh("stone_wheel", "Grindstone", position=(0.0, 0.0, 0.82), tilt=spin), _mesh("stone_stand", "Stand"), _mesh("back_wall", "Board wall", position=(0.6, 0.85, 0.0)),
               _mesh("floor", "Floor"), _mesh("figure", "Figure, 1.75 m", position=(-0.95, 0.15, 0.0), turn=-10.0)),
        forces=(Turbulence(id="air", name="Stirred air", strength=0.6, size=0.35, grip=1.5),),
        light=Light(heading=-120.0, height=52.0, strength=0.9, kelvin=6800.0, sky=0.15, exposure=0.4),
        camera=Camera(target=(0.75, 0.0, 0.78), distance=4.1, heading=-78.0, pitch=7.0, fov=38.0),
    )  # fmt: skip


def lime_draught() -> Effect:
    """Lime dust carried by the draught through a drying shed: particles in the stored movement of an unseen gas."""
    air = GasLayer(
        id="draught", name="Draught", hidden=True, domain=DomainBox(origin=(-2.9, -1.5, 0.0), size=(6.2, 2.9, 2.7), voxel=0.085, open_low=(True, True, False), run_up=2.0),
        sources=(Source(id="stir", name="Stirred air", shape="box", position=(-2.0, 0.1, 0.9), size=(0.9, 1.6, 1.6), density=1.5, temperature=2.0),),
        colliders=(Collider(id="shed", name="Shed", prop="drying_shed", skin=0.02), Collider(id="sacks", name="Sacks", prop="lime_sacks")),
        motion=Motion(lift=1.0, weight=0.0, drag=0.05, fine_curl=3.0, fine_size=0.17, broad_curl=1.5, broad_size=0.6), fading=Fading(smoke=0.4),
        flipbook=Flipbook(last=4.0, player=Player(life=4.0)),
    )  # fmt: skip
    lifted = Sum(of=(0.6, Noise(amount=0.6, period=0.45, seed=8)))
    dust = ParticleLayer(
        id="lime", name="Lime dust", run_up=1.0,
        sources=(
            PointSource(id="heap", name="Off the heap", shape="cylinder", position=(-1.4, 0.05, 0.18), size=(0.7, 0.7, 0.25), rate=5200.0, emission=lifted, direction=(0.6, 0, 1), cone=55.0,
                        speed=0.7, speed_spread=0.8, life=3.4, life_spread=0.5, width=0.05, least_width=0.25, skew=2.2, start=-1.0),
            PointSource(id="sacks", name="Off the sacks", shape="surface", prop="lime_sacks", part_low=0.3, rate=1400.0, outward=0.8, cone=30.0, speed=0.25, life=3.0, life_spread=0.5,
                        width=0.04, thickness=0.02, start=-1.0),
        ),
        colliders=(PointCollider(id="shed", name="Shed", prop="drying_shed", bounce=0.0, friction=0.9),),
        motion=PointMotion(gravity=0.02, drag=0.1, follows="draught", follow=9.0, size_drag=0.4, ground="bounce", bounce=0.0, friction=0.8, forces=0.15),
        ends=Ends(leaves_gas=True),
        look=PointLook(form="sprite", scale=3.2, size_over=ramp((0.0, 0.3), (0.3, 1.0), (1.0, 2.2)), opacity=0.075, opacity_over=ramp((0.0, 0.0), (0.06, 1.0), (0.35, 0.6), (1.0, 0.0)),
                       opaque=0.85, softness=1.0, copies=3, copies_spread=0.07, colour=ramp((0.0, LIME), (1.0, (0.8, 0.78, 0.73))), self_shadow=1.6, vary=0.1),
    )  # fmt: skip
    return Effect(
        name="Lime draught", seed=31, seconds=4.0, layers=(air, dust), tiers=TIERS,
        forces=(Wind(id="draught", name="Draught", speed=1.5, heading=4.0, grip=1.4, gusts=0.55, gust_period=1.1), Turbulence(id="eddies", name="Eddies", strength=1.0, size=0.5, detail=0.8, grip=1.6)),
        props=(_mesh("drying_shed", "Drying shed"), _mesh("lime_sacks", "Lime sacks"), _mesh("yard", "Yard"), _mesh("figure", "Figure, 1.75 m", position=(-2.75, -0.4, 0.0), turn=-20.0)),
        light=Light(heading=-40.0, height=34.0, strength=4.2, kelvin=4700.0, sky=0.34),
        camera=Camera(target=(0.1, 0.1, 1.05), distance=6.6, heading=-76.0, pitch=8.0, fov=40.0),
    )  # fmt: skip


def ash_floor() -> Effect:
    """Fine ash lies on the workshop floor and lifts where a crate drops."""
    fall = 0.7
    drop = Keys(keys=(Key(t=0.25, v=1.45, ease="hold"), *(Key(t=0.25 + fall * k / 8, v=1.45 * (1 - (k / 8) ** 2), ease="linear") for k in range(1, 8)),
                      Key(t=0.25 + fall, v=0.0, ease="hold")))  # fmt: skip
    bed = PointSource(
        id="bed", name="Bed of ash", shape="cylinder", position=(0.0, 0.0, 0.006), size=(3.7, 3.3, 0.01), rate=0.0, burst=60000, burst_at=0.0, stays=True, life=4.0, width=0.014,
        least_width=0.3, skew=2.0, colour=(0.32, 0.31, 0.3),
    )  # fmt: skip
    ash = ParticleLayer(
        id="ash", name="Ash", sources=(bed,), colliders=(PointCollider(id="crate", name="Crate", prop="crate", bounce=0.05, friction=0.6),),
        motion=PointMotion(gravity=0.35, drag=2.0, follows="air", follow=16.0, size_drag=0.6, bounce=0.0, friction=1.2, forces=0.3),
        bed=Bed(rests=True, wakes_at=0.9, wake_reach=0.06, lift=0.35),
        look=PointLook(form="sprite", scale=1.6, opacity=0.85, opacity_over=ramp((0.0, 1.0), (1.0, 1.0)), softness=0.9, colour=ramp((0.0, (0.2, 0.194, 0.185)), (1.0, (0.17, 0.165, 0.16))), self_shadow=0.6,
                       vary=0.35, copies=2, copies_spread=0.02),
    )  # fmt: skip
    air = GasLayer(
        id="air", name="Dusty air", domain=DomainBox(origin=(-2.6, -2.3, 0.0), size=(5.2, 4.6, 1.3), voxel=0.06, open_low=(True, True, False), run_up=0.0),
        sources=(Source(id="raised", name="Raised ash", shape="particles", of="ash", density=3.2, temperature=0.0, point_size=9.0, point_least=0.01,
                        point_size_over=ramp((0.0, 1.0), (1.0, 1.0)), point_give_over=ramp((0.0, 1.0), (1.0, 1.0)), breakup=0.0, grip=0.0),),
        colliders=(Collider(id="crate", name="Crate", prop="crate", wake=1.0),),
        motion=Motion(lift=1.0, weight=0.5, drag=0.9, fine_curl=5.0, fine_size=0.12, broad_curl=3.0, broad_size=0.4), fading=Fading(smoke=0.55, smoke_linear=0.08),
        quality=Quality(courant=2.0, most_substeps=8, detail=1),
        look=Look(extinction=3.4, full_density=1.5, forward=0.1, ambient=0.9, colour=ramp((0.0, (0.36, 0.345, 0.325)), (1.0, (0.22, 0.212, 0.2)))),
        flipbook=Flipbook(last=3.0, player=Player(life=3.0, count=1)),
    )  # fmt: skip
    return Effect(
        name="Ash floor", seed=9, seconds=2.6, layers=(ash, air), tiers=TIERS,
        forces=(Turbulence(id="eddies", name="Eddies", strength=0.15, size=0.4, grip=0.8),),
        props=(_mesh("crate", "Crate", position=(0.0, 0.0, 0.0), turn=17.0, shift_z=drop), _mesh("floor", "Floor"), _mesh("hearth_wall", "Hearth wall", position=(0.2, 2.3, 0.0)),
               _mesh("figure", "Figure, 1.75 m", position=(-1.9, 0.9, 0.0), turn=-30.0)),
        light=Light(heading=-150.0, height=40.0, strength=3.8, kelvin=4900.0, sky=0.34),
        camera=Camera(target=(0.0, 0.1, 0.5), distance=5.2, heading=-72.0, pitch=14.0, fov=40.0),
    )  # fmt: skip


def boiler_burst() -> Effect:
    """A pressure boiler bursts: flash, core, fuel-fed roll, plates and rivets with trails, a ring of dust; all hang on one cue."""
    middle = (0.0, 0.0, 1.2)
    throw = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.03, v=1.0), Key(t=0.2, v=0.0, ease="hold")))
    roll = Keys(keys=(Key(t=0.02, v=0.0, ease="linear"), Key(t=0.07, v=1.0), Key(t=0.5, v=0.35), Key(t=0.9, v=0.0, ease="hold")))
    puff = Keys(keys=(Key(t=0.02, v=0.0, ease="linear"), Key(t=0.08, v=1.0), Key(t=0.35, v=0.0, ease="hold")))
    at = {"cue": "burst", "start": 0.0, "end": 3.0}
    blast = GasLayer(
        id="blast", name="Fire and smoke", domain=DomainBox(origin=(-4.4, -3.8, 0.0), size=(8.8, 7.6, 6.8), voxel=0.1, open_low=(True, True, False), run_up=0.0),
        sources=(
            Source(id="core", name="Core", shape="sphere", position=middle, size=(1.3, 1.3, 1.6), density=6.0, temperature=1500.0, fuel=70.0, outward=9.0, grip=40.0, expansion=14.0,
                   emission=throw, breakup=0.9, breakup_size=0.35, breakup_rate=10.0, **at),
            Source(id="roll", name="Fuel-fed roll", shape="sphere", position=(0.0, 0.0, 0.9), size=(1.5, 1.5, 0.8), density=5.0, temperature=1200.0, fuel=30.0, push=(0.0, 0.0, 3.2), grip=14.0,
                   emission=roll, breakup=1.0, breakup_size=0.4, breakup_rate=7.0, **at),
            Source(id="ring", name="Dust ring", shape="torus", position=(0.0, 0.0, 0.16), size=(2.6, 2.6, 0.3), density=30.0, temperature=4.0, outward=9.5, grip=20.0, emission=puff, breakup=0.7,
                   breakup_size=0.3, dye=True, dye_colour=(0.42, 0.35, 0.27), **at),
            Source(id="trails", name="Smoking rivets", shape="particles", of="rivets", density=75.0, temperature=30.0, point_size=4.5, point_least=0.02, breakup=0.0, grip=4.0,
                   carried=ramp((0.0, 0.15), (1.0, 0.15)), point_size_over=ramp((0.0, 1.0), (0.5, 0.6), (1.0, 0.2))),
            Source(id="plate_trails", name="Smoking plates", shape="particles", of="plates", density=24.0, temperature=40.0, point_size=0.9, point_least=0.03, breakup=0.0, grip=5.0,
                   carried=ramp((0.0, 0.3), (1.0, 0.3)), point_give_over=ramp((0.0, 1.0), (0.03, 0.7), (0.055, 0.0)), point_size_over=ramp((0.0, 1.0), (0.3, 0.4))),
        ),
        colliders=(Collider(id="seat", name="Seat", prop="boiler_seat"), Collider(id="shed", name="Shed", prop="shed_front", skin=0.03)),
        fire=Fire(burns=True, ignition=200.0, burn_rate=1.5, heat=430.0, soot=0.55, expansion=0.25, hottest=1850.0, radiation=420.0, flame_fade=3.6),
        motion=Motion(lift=0.42, weight=0.12, drag=0.35, fine_curl=8.0, fine_size=0.2, broad_curl=6.0, broad_size=0.7),
        fading=Fading(smoke=0.28, smoke_linear=0.08, cooling=0.5), quality=Quality(courant=3.0, most_substeps=6),
        look=Look(extinction=3.6, full_density=2.2, flame=0.95, flame_heat=1.24, glow=0.8, ambient=0.75, steps=2.5, carried=0.85, colour=ramp((0.0, (0.2, 0.18, 0.165)), (1.0, (0.05, 0.045, 0.042)))),
        flipbook=Flipbook(last=3.0, player=Player(life=3.0, count=1)),
    )  # fmt: skip
    thrown = {"cue": "burst", "rate": 0.0, "shape": "sphere", "position": middle}
    plates = DebrisLayer(
        id="plates", name="Plates", sources=(PointSource(id="shell", name="Shell", size=(0.9, 0.9, 1.3), burst=34, burst_over=0.02, direction=(0, 0, 1), outward=0.75, cone=24.0, speed=7.5, speed_spread=0.5,
                                                         life=9.0, life_spread=0.1, width=0.62, least_width=0.18, skew=2.2, temperature=300.0, **thrown),),  # type: ignore[arg-type]
        colliders=(PointCollider(id="seat", name="Seat", prop="boiler_seat", bounce=0.25), PointCollider(id="shed", name="Shed", prop="shed_front", bounce=0.3)),
        pieces=Pieces(make="plates", swap="boiler", kinds=10, roundness=0.1, flatness=0.7, colour=COPPER, inner=(0.2, 0.1, 0.06)), bodies=Bodies(tumble=4.0),
        motion=PointMotion(drag=0.15, bounce=0.28, friction=0.5, forces=0.2),
    )  # fmt: skip
    rivets = ParticleLayer(
        id="rivets", name="Rivets", sources=(PointSource(id="rivets", name="Rivets", size=(1.1, 1.1, 1.3), burst=60, burst_over=0.03, direction=(0, 0, 1), outward=0.6, cone=38.0, speed=9.5, speed_spread=0.5,
                                                         life=1.7, life_spread=0.4, width=0.05, least_width=0.5, temperature=1350.0, far_share=0.1, far_reach=0.4, **thrown),),  # type: ignore[arg-type]
        colliders=(PointCollider(id="shed", name="Shed", prop="shed_front", bounce=0.3),),
        motion=PointMotion(drag=0.25, cooling=0.5, bounce=0.35, friction=0.4, forces=0.2),
        look=PointLook(form="streak", streak=0.02, opaque=0.0, lit=0.0, colour_by="heat", brightness=3.0, softness=0.8, self_shadow=0.0, opacity_over=ramp((0.0, 1.0), (0.5, 0.8), (1.0, 0.0))),
    )  # fmt: skip
    sparks = ParticleLayer(
        id="sparks", name="Sparks", sources=(PointSource(id="sparks", name="Sparks", size=(0.8, 0.8, 1.2), burst=1500, burst_over=0.08, direction=(0, 0, 1), outward=0.7, cone=60.0, speed=8.0, speed_spread=0.8,
                                                         life=1.1, life_spread=0.7, width=0.014, temperature=1600.0, far_share=0.08, far_reach=0.8, **thrown),),  # type: ignore[arg-type]
        motion=PointMotion(gravity=0.7, drag=1.1, size_drag=0.6, cooling=0.9, bounce=0.3, forces=0.6),
        look=PointLook(form="streak", streak=0.03, opaque=0.0, lit=0.0, colour_by="heat", brightness=4.0, softness=0.9, self_shadow=0.0, vary=0.5),
    )  # fmt: skip
    flash = ParticleLayer(
        id="flash", name="Flash", sources=(PointSource(id="flash", name="Flash", shape="sphere", position=middle, size=(0.5, 0.5, 0.5), cue="burst", rate=0.0, burst=5, speed=0.6, cone=180.0, life=0.17,
                                                       life_spread=0.3, width=4.2, least_width=0.35, temperature=2600.0),),
        motion=PointMotion(gravity=0.0, ground="none", cooling=6.0), look=PointLook(form="sprite", opaque=0.0, lit=0.0, colour_by="heat", brightness=0.2, softness=1.0, self_shadow=0.0,
                                                                                    size_over=ramp((0.0, 0.6), (0.3, 1.0), (1.0, 1.25)), opacity_over=ramp((0.0, 1.0), (0.25, 0.7), (1.0, 0.0))),
    )  # fmt: skip
    return Effect(
        name="Boiler burst", seed=21, seconds=2.6, cues=(Cue(id="burst", name="The boiler bursts", at=0.25),), layers=(flash, sparks, rivets, plates, blast), tiers=TIERS,
        forces=(Wind(id="wind", name="Wind", speed=0.6, heading=20.0, grip=0.5), Turbulence(id="eddies", name="Eddies", strength=2.4, size=0.7, rate=2.0, grip=2.5)),
        props=(_mesh("boiler", "Boiler", position=(0.0, 0.0, 0.56)), _mesh("boiler_seat", "Seat"), _mesh("yard", "Yard"), _mesh("shed_front", "Shed"),
               _mesh("figure", "Figure, 1.75 m", position=(-3.3, 0.9, 0.0), turn=-60.0)),
        light=Light(heading=-140.0, height=36.0, strength=2.4, kelvin=5000.0, sky=0.34),
        camera=Camera(target=(0.1, 0.0, 1.75), distance=9.2, heading=-72.0, pitch=7.0, fov=40.0),
    )  # fmt: skip


EFFECTS = {"boiler_burst": boiler_burst, "ash_floor": ash_floor, "lime_draught": lime_draught, "wheel_sparks": wheel_sparks}
