"""The waterside of Kiln Quay: a basin with a sluice, a paddle wheel, a raft of casks, a vat for slip."""

from __future__ import annotations

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo.shapes import CLAY, IRON, STONE, WOOD, aged, placed
from tenka.scene.meshes import Mesh, box, joined, turned_profile

WET_STONE = (0.20, 0.19, 0.17)
DARK_WOOD = (0.13, 0.085, 0.05)


def _coping(x0: float, x1: float, y: float, wide: float, name: str, along_y: bool = False) -> Mesh:
    """A row of stones from one end to the other, of uneven length and tone."""
    parts, at, k = [], x0, 0
    while at < x1 - 0.05:
        long = min(0.8 + 0.5 * float(unit_array(81, k, int(abs(y) * 100), int(along_y))), x1 - at)
        stone = box((long - 0.02, wide, 0.16), STONE)
        tone = 0.8 + 0.4 * float(unit_array(82, k, int(abs(y) * 100)))
        stone = Mesh(stone.points, stone.faces, (stone.colours * tone).astype(np.float32))
        middle = at + long / 2
        parts.append(placed(stone, y, middle, -0.06, 90.0) if along_y else placed(stone, middle, y, -0.06))
        at += long
        k += 1
    return aged(joined(parts), 0.2, name)


def basin_rim() -> Mesh:
    """The coping round the basin of 10 x 6 m."""
    return joined(
        [
            _coping(-5.5, 5.5, 3.25, 0.5, "north"),
            _coping(-5.5, 5.5, -3.25, 0.5, "south"),
            _coping(-3.0, 3.0, 5.25, 0.5, "east", True),
            _coping(-3.0, 3.0, -5.25, 0.5, "west", True),
        ]
    )


def dam() -> Mesh:
    """A wall across the basin, 6 m long, with an opening of 1.6 m in its middle, down to the floor."""
    parts = []
    for side in (-1, 1):
        for row in range(4):
            y, k = 0.8, 0
            while y < 2.98:
                long = min(0.5 + 0.35 * float(unit_array(83, row, k, side + 1)), 3.0 - y)
                stone = box((0.42, long - 0.012, 0.298), WET_STONE)
                tone = 0.75 + 0.5 * float(unit_array(84, row, k, side + 1))
                stone = Mesh(stone.points, stone.faces, (stone.colours * tone).astype(np.float32))
                parts.append(placed(stone, 0.0, side * (y + long / 2), -1.15 + 0.3 * row))
                y += long
                k += 1
        parts.append(placed(box((0.52, 2.2, 0.09), STONE), 0.0, side * 1.9, 0.05))
    return aged(joined(parts), 0.15, "dam")


def sluice_frame() -> Mesh:
    """Two posts and a beam with a windlass, astride the dam's opening."""
    posts = [placed(box((0.18, 0.16, 2.5), DARK_WOOD), 0.0, side * 0.88, -1.1) for side in (-1, 1)]
    beam = placed(box((0.2, 2.1, 0.18), DARK_WOOD), 0.0, 0.0, 1.35)
    drum = turned_profile([(0.0, -0.5), (0.09, -0.5), (0.09, 0.5), (0.0, 0.5)], 18, WOOD)
    turn = np.array([[1.0, 0, 0], [0, 0, 1.0], [0, -1.0, 0]])
    drum = drum.moved((drum.points @ turn.T + (0.0, 0.0, 1.62)).astype(np.float32))
    ears = [placed(box((0.12, 0.08, 0.34), IRON), 0.0, side * 0.56, 1.5) for side in (-1, 1)]
    return joined(
        [*(aged(p, 0.3, f"post{k}") for k, p in enumerate(posts)), aged(beam, 0.2, "beam"), drum, *ears]
    )


def sluice_gate() -> Mesh:
    """The gate of boards that hangs in it, 1.6 m wide; its foot stands at z = 0."""
    boards = [
        aged(placed(box((0.1, 1.6, 0.235), WOOD), 0.0, 0.0, 0.24 * k), 0.35, f"sluice board{k}")
        for k in range(5)
    ]
    straps = [placed(box((0.13, 0.09, 1.25), IRON), 0.0, side * 0.5, 0.0) for side in (-1, 1)]
    return joined([*boards, *straps])


def paddle_wheel() -> Mesh:
    """A wheel with eight buckets, 1.3 m across, that turns about its own y axis."""
    parts = []
    for k in range(8):
        a = 2 * np.pi * k / 8
        turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1.0, 0], [-np.sin(a), 0, np.cos(a)]])
        blade = placed(box((0.2, 0.9, 0.22), WOOD), 0.0, 0.0, 0.44)
        arms = [placed(box((0.05, 0.06, 0.5), DARK_WOOD), 0.0, y, 0.05) for y in (-0.3, 0.3)]
        for part in (blade, *arms):
            parts.append(part.moved((part.points @ turn.T).astype(np.float32)))
    axle = turned_profile([(0.0, -0.75), (0.06, -0.75), (0.06, 0.75), (0.0, 0.75)], 14, IRON)
    axle = axle.moved((axle.points @ np.array([[1.0, 0, 0], [0, 0, 1.0], [0, -1.0, 0]]).T).astype(np.float32))
    return joined([*(aged(p, 0.25, f"blade{n}") for n, p in enumerate(parts)), axle])


def wheel_stand() -> Mesh:
    """Two trestles that bear the wheel's axle at z = 0.35, on the coping."""
    parts = []
    for side in (-1, 1):
        parts += [placed(box((0.14, 0.14, 1.5), DARK_WOOD), x, side * 0.66, -1.1) for x in (-0.16, 0.16)]
        parts.append(placed(box((0.46, 0.16, 0.12), DARK_WOOD), 0.0, side * 0.66, 0.24))
    return joined([aged(p, 0.25, f"trestle{n}") for n, p in enumerate(parts)])


def cask(length: float = 0.8, radius: float = 0.27) -> Mesh:
    """A cask that lies along x, with its middle at the origin."""
    z = np.linspace(-0.5, 0.5, 9)
    outline = (
        [(0.0, -0.5 * length)]
        + [(radius * (1.0 - 0.62 * float(s) ** 2), float(s) * length) for s in z]
        + [(0.0, 0.5 * length)]
    )
    body = turned_profile(outline, 20, WOOD)
    hoops = [
        turned_profile(
            [(r, at - 0.02), (r + 0.012, at - 0.02), (r + 0.012, at + 0.02), (r, at + 0.02)], 20, IRON
        )
        for at in (-0.36 * length, -0.16 * length, 0.16 * length, 0.36 * length)
        for r in [radius * (1.0 - 0.62 * (at / length) ** 2)]
    ]
    whole = joined([aged(body, 0.35, "cask"), *hoops])
    turn = np.array([[0.0, 0.0, 1.0], [0.0, 1.0, 0.0], [-1.0, 0.0, 0.0]])
    return whole.moved((whole.points @ turn.T).astype(np.float32))


def cask_raft() -> Mesh:
    """Six casks under planks, 1.75 x 1.7 m; the middle of the casks lies at z = 0."""
    casks = [placed(cask(), 0.44 * (2 * i - 1), 0.58 * j) for i in (0, 1) for j in (-1, 0, 1)]
    planks = [
        aged(placed(box((0.2, 1.75, 0.05), WOOD), -0.72 + 0.24 * k, 0.0, 0.26), 0.4, f"plank{k}")
        for k in range(7)
    ]
    beams = [placed(box((1.75, 0.09, 0.08), DARK_WOOD), 0.0, y, 0.2) for y in (-0.55, 0.55)]
    load = [
        aged(placed(box((0.5, 0.42, 0.4), CLAY), -0.25, 0.2, 0.31, 12.0), 0.3, "load"),
        aged(placed(box((0.42, 0.4, 0.32), WOOD), 0.3, -0.3, 0.31, -9.0), 0.35, "load2"),
    ]
    return joined([*casks, *planks, *beams, *load])


def slip_vat() -> Mesh:
    """A low vat of boards with iron hoops, 2.2 m across inside and 0.5 m deep; its floor lies at z = 0.08."""
    staves = []
    for k in range(32):
        a = 2 * np.pi * k / 32
        stave = box((0.07, 0.225, 0.62), WOOD)
        tone = 0.75 + 0.5 * float(unit_array(85, k))
        stave = Mesh(stave.points, stave.faces, (stave.colours * tone).astype(np.float32))
        staves.append(placed(stave, 1.135 * np.cos(a), 1.135 * np.sin(a), 0.0, np.degrees(a)))
    floor = turned_profile([(0.0, 0.0), (1.12, 0.0), (1.12, 0.08), (0.0, 0.08)], 40, DARK_WOOD)
    hoops = [
        turned_profile([(1.165, z), (1.19, z), (1.19, z + 0.06), (1.165, z + 0.06)], 48, IRON)
        for z in (0.1, 0.46)
    ]
    return joined([*staves, floor, *hoops])


def slip_jug() -> Mesh:
    """A jug on a tripod's hook, from which slip is poured; its lip is at the origin."""
    body = turned_profile(
        [
            (0.0, 0.0),
            (0.16, 0.02),
            (0.24, 0.16),
            (0.25, 0.34),
            (0.18, 0.5),
            (0.2, 0.56),
            (0.17, 0.55),
            (0.0, 0.5),
        ],
        26,
        CLAY,
    )
    a = np.radians(76.0)
    lean = np.array([[np.cos(a), 0, np.sin(a)], [0, 1.0, 0], [-np.sin(a), 0, np.cos(a)]])
    points = body.points @ lean.T - lean @ np.array([0.19, 0.0, 0.55])
    return aged(body.moved(points.astype(np.float32)), 0.15, "jug")


def jug_stand() -> Mesh:
    """A post with an arm that bears the jug; the arm's end is at the origin, the post stands 1 m aside."""
    parts = [
        placed(box((0.11, 0.11, 1.5), DARK_WOOD), -0.95, 0.0, -1.15),
        placed(box((1.02, 0.08, 0.09), WOOD), -0.47, 0.0, 0.24),
        placed(box((0.5, 0.09, 0.07), DARK_WOOD), -0.95, 0.0, -1.15),
        placed(box((0.09, 0.5, 0.07), DARK_WOOD), -0.95, 0.0, -1.15),
        placed(box((0.025, 0.025, 0.26), IRON), -0.12, 0.0, 0.0),
    ]
    return joined([aged(p, 0.25, f"stand{n}") for n, p in enumerate(parts)])


def slip_paddle() -> Mesh:
    """A broad paddle on a long staff, that is pushed through slip; its foot is at the origin."""
    blade = placed(box((0.08, 0.46, 0.34), DARK_WOOD), 0.0, 0.0, 0.0)
    staff = placed(box((0.05, 0.06, 1.25), WOOD), 0.0, 0.0, 0.3)
    return joined([aged(blade, 0.3, "paddle"), aged(staff, 0.2, "staff")])


def _along_x(mesh: Mesh) -> Mesh:
    """A mesh that was turned round z, lying along x."""
    lying = mesh.points[:, [2, 1, 0]] * np.array([1.0, -1.0, 1.0])
    return mesh.moved(np.ascontiguousarray(lying, np.float32))


def water_main() -> Mesh:
    """An iron main of 3.6 m on stone saddles, its middle at 0.44 m; the joint at x = 0 has split."""
    parts = []
    for side in (-1, 1):
        run = [(0.0, 0.03), (0.15, 0.03), (0.15, 1.8), (0.0, 1.8)]
        pipe = turned_profile(run, 28, IRON)
        collar = turned_profile([(0.0, 0.03), (0.215, 0.03), (0.215, 0.085), (0.0, 0.085)], 28, IRON)
        far = turned_profile([(0.0, 1.55), (0.2, 1.55), (0.2, 1.62), (0.0, 1.62)], 28, IRON)
        for mesh in (pipe, collar, far):
            lying = _along_x(mesh)
            lying = lying.moved((lying.points * np.array([side, side, 1.0])).astype(np.float32))
            parts.append(placed(lying, 0.0, 0.0, 0.44))
        parts.append(placed(box((0.3, 0.52, 0.27), STONE), side * 0.95, 0.0))
        for k in range(8):
            bolt = box((0.16, 0.035, 0.035), IRON)
            angle = 2 * np.pi * (k + 0.5) / 8
            parts.append(placed(bolt, side * 0.06, 0.185 * np.cos(angle), 0.425 + 0.185 * np.sin(angle)))
    core = turned_profile([(0.0, -0.04), (0.11, -0.04), (0.11, 0.04), (0.0, 0.04)], 24, IRON)
    parts.append(placed(_along_x(core), 0.0, 0.0, 0.44))
    return aged(joined(parts), 0.3, "water main")


def yard_wall() -> Mesh:
    """A wall of stones along the yard, 4.4 m long and 1.5 m high."""
    parts = []
    for row in range(5):
        x, k = -2.2, 0
        while x < 2.18:
            long = min(0.42 + 0.3 * float(unit_array(85, row, k, 0)), 2.2 - x)
            stone = box((long - 0.014, 0.3, 0.286), WET_STONE)
            tone = 0.8 + 0.5 * float(unit_array(86, row, k, 0))
            stone = Mesh(stone.points, stone.faces, (stone.colours * tone).astype(np.float32))
            parts.append(placed(stone, x + long / 2, 0.0, 0.3 * row))
            x += long
            k += 1
    parts.append(placed(box((4.5, 0.38, 0.09), STONE), 0.0, 0.0, 1.5))
    return aged(joined(parts), 0.15, "yard wall")


def catch_trough() -> Mesh:
    """A ring of kerb stones on the yard, 3.0 x 2.7 m outside and 0.2 m high, that holds what spills."""
    long, deep, wide, high = 3.0, 2.7, 0.18, 0.2
    parts = []
    for side in (-1, 1):
        for along, across, turn in ((long, deep, 0.0), (deep - 2 * wide, long, 90.0)):
            away = side * 0.5 * (across - wide)
            core = placed(box((along, wide - 0.04, high - 0.03), WET_STONE), 0.0, away, 0.0)
            x, k = -0.5 * along, 0
            while x < 0.5 * along - 0.02:
                size = min(0.34 + 0.22 * float(unit_array(87, k, side + 1, int(turn))), 0.5 * along - x)
                stone = box(
                    (size - 0.012, wide, high + 0.02 * float(unit_array(88, k, side, int(turn)))), STONE
                )
                tone = 0.7 + 0.45 * float(unit_array(89, k, side + 1, int(turn)))
                stone = Mesh(stone.points, stone.faces, (stone.colours * tone).astype(np.float32))
                parts.append(placed(placed(stone, x + size / 2, away, 0.0), 0.0, 0.0, 0.0, turn))
                x += size
                k += 1
            parts.append(placed(core, 0.0, 0.0, 0.0, turn))
    return aged(joined(parts), 0.2, "catch trough")


PROPS = {
    "basin_rim": basin_rim,
    "dam": dam,
    "sluice_frame": sluice_frame,
    "sluice_gate": sluice_gate,
    "paddle_wheel": paddle_wheel,
    "wheel_stand": wheel_stand,
    "cask_raft": cask_raft,
    "slip_vat": slip_vat,
    "slip_jug": slip_jug,
    "jug_stand": jug_stand,
    "slip_paddle": slip_paddle,
    "water_main": water_main,
    "yard_wall": yard_wall,
    "catch_trough": catch_trough,
}
