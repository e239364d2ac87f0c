"""Effects of Kiln Quay that are made of particles and pieces, and their props: a grindstone, a drying shed,
an ash floor, a boiler."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo.shapes import IRON, SOOT, STONE, WOOD, aged, placed
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
        np.array([[math.cos(a), 0.0, math.sin(a)], [0.0, 1.0, 0.0], [-math.sin(a), 0.0, math.cos(a)]]),
        np.array([-0.28, 0.0, 1.045]),
    )
    bar = [box((0.66, 0.05, 0.035), IRON).placed(tip)]
    return joined([aged(m, 0.3, f"stand{k}") for k, m in enumerate([*legs, *beams, *ends, *trough])] + bar)


def back_wall() -> Mesh:
    """A wall of boards with tools on it."""
    boards = [
        aged(placed(box((0.24, 0.05, 2.5), WOOD), -2.4 + 0.25 * k, 0.0, 0.0), 0.5, f"board{k}")
        for k in range(21)
    ]
    rails = [placed(box((5.3, 0.05, 0.1), WOOD), 0.1, -0.05, z) for z in (0.5, 1.9)]
    tools = [placed(box((0.05, 0.03, 0.5), IRON), -1.3 + 0.35 * k, -0.09, 1.4) for k in range(4)]
    return joined([*boards, *rails, *tools])


def drying_shed() -> Mesh:
    """An open shed: posts, a slatted back, racks with pots, sacks of lime."""
    posts = [placed(box((0.16, 0.16, 2.5), WOOD), x, y) for x in (-2.3, 0.0, 2.3) for y in (-0.95, 1.15)]
    slats = [
        aged(placed(box((4.8, 0.05, 0.16), WOOD), 0.0, 1.22, 0.1 + 0.27 * k), 0.4, f"slat{k}")
        for k in range(9)
    ]
    shelves = [placed(box((1.9, 0.6, 0.05), WOOD), 1.15, 0.75, z) for z in (0.5, 1.05, 1.6)]
    pots = []
    for z in (0.55, 1.1, 1.65):
        for k in range(5):
            s = 0.8 + 0.3 * float(unit_array(91, k, int(z * 100)))
            profile = [
                (0.09 * s, 0),
                (0.13 * s, 0.12 * s),
                (0.11 * s, 0.24 * s),
                (0.07 * s, 0.29 * s),
                (0.085 * s, 0.33 * s),
            ]
            pots.append(
                aged(
                    placed(turned_profile(profile, 14, (0.42, 0.24, 0.15)), 0.42 + 0.36 * k, 0.72, z),
                    0.15,
                    f"pot{k}{z}",
                )
            )
    roof = [
        aged(placed(box((0.3, 2.7, 0.04), WOOD), -2.35 + 0.31 * k, 0.1, 2.5), 0.5, f"roof{k}")
        for k in range(16)
    ]
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
    boards = [
        aged(placed(box((0.8, 0.155, 0.62), WOOD), 0.0, -0.32 + 0.16 * k), 0.5, f"crate{k}") for k in range(5)
    ]
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
    body = [
        (0.5, 0.0),
        (0.56, 0.02),
        (0.56, 0.46),
        (0.57, 0.47),
        (0.57, 0.52),
        (0.56, 0.53),
        (0.56, 1.0),
        (0.57, 1.01),
        (0.57, 1.06),
        (0.56, 1.07),
        (0.56, 1.45),
        (0.5, 1.62),
        (0.36, 1.75),
        (0.14, 1.82),
        (0.14, 2.25),
        (0.18, 2.27),
        (0.18, 2.33),
        (0.0, 2.33),
    ]
    shell = turned_profile(body, 36, COPPER)
    height = shell.corners[:, :, 2].mean(axis=1)
    soot = np.clip(1 - height / 0.7, 0, 1)[:, None] ** 2
    shell = Mesh(
        shell.points,
        shell.faces,
        (shell.colours * (1 - 0.7 * soot) + np.array(SOOT, np.float32) * 0.7 * soot).astype(np.float32),
    )
    rivets = [
        placed(
            box((0.035, 0.035, 0.035), IRON),
            0.57 * math.cos(a),
            0.57 * math.sin(a),
            z - 0.015,
            math.degrees(a),
        )
        for z in (0.495, 1.035)
        for a in np.linspace(0, 2 * math.pi, 28, endpoint=False)
    ]
    gauge = placed(
        _tipped(turned_profile([(0.0, 0.0), (0.09, 0.0), (0.09, 0.05), (0.0, 0.05)], 16, (0.5, 0.42, 0.2))),
        0.0,
        -0.56,
        1.25,
    )
    return joined([aged(shell, 0.25, "copper"), *rivets, gauge])


def boiler_seat() -> Mesh:
    """The brick seat of the boiler, with its fire door."""
    from tenka.demo.workshop import bricks

    return joined(
        [
            bricks(1.5, 1.5, 0.5, 0.0, 0.0, 0.0, "seat"),
            placed(box((0.5, 0.06, 0.34), IRON), 0.0, -0.77, 0.08),
            placed(box((1.62, 1.62, 0.07), STONE), 0.0, 0.0, 0.5),
        ]
    )


def shed_front() -> Mesh:
    """Brick piers and a beam behind the boiler."""
    from tenka.demo.workshop import bricks

    piers = [bricks(0.7, 0.5, 2.7, x, 2.6, 0.0, f"pier{x}") for x in (-2.6, 0.2, 3.0)]
    walls = [bricks(2.2, 0.25, 1.0, x, 2.65, 0.0, f"low{x}") for x in (-1.2, 1.6)]
    return joined([*piers, *walls, placed(box((6.6, 0.4, 0.3), WOOD), 0.2, 2.6, 2.7)])


PROPS = {
    "stone_wheel": stone_wheel,
    "stone_stand": stone_stand,
    "back_wall": back_wall,
    "drying_shed": drying_shed,
    "lime_sacks": lime_sacks,
    "crate": crate,
    "hearth_wall": hearth_wall,
    "boiler": boiler,
    "boiler_seat": boiler_seat,
    "shed_front": shed_front,
}
