"""Further effects of Kiln Quay, and the props that they need: furnace, hopper, cellar, shutter."""

from __future__ import annotations

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo import canvas
from tenka.demo.shapes import BRICK, IRON, SOOT, STONE, WOOD, aged, placed
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
        bricks(0.75, 1.3, 1.9, -0.75, 0.65, 0.0, "left"),
        bricks(0.75, 1.3, 1.9, 0.75, 0.65, 0.0, "right"),
        bricks(0.75, 1.3, 0.55, 0.0, 0.65, 0.0, "foot"),
        bricks(0.75, 1.3, 0.75, 0.0, 0.65, 1.15, "head"),
        bricks(0.75, 0.35, 0.6, 0.0, 1.12, 0.55, "back"),
        placed(box((1.15, 0.12, 0.1), IRON), 0.0, -0.02, 1.15),
        placed(box((1.05, 0.2, 0.07), STONE), 0.0, -0.05, 0.5),
        placed(box((2.5, 1.5, 0.12), STONE), 0.0, 0.65, 1.9),
        placed(box((0.6, 0.5, 0.9), SOOT), 0.0, 0.8, 2.02),
    ]
    return joined(parts)


def bellows() -> Mesh:
    """Bellows on a trestle beside the furnace."""
    leather = (0.16, 0.09, 0.05)
    ribs = [
        placed(
            box((0.62 - 0.03 * abs(k - 2), 0.5, 0.055), leather if k % 2 else WOOD), 0.0, 0.0, 0.62 + 0.06 * k
        )
        for k in range(5)
    ]
    legs = [placed(box((0.07, 0.07, 0.62), WOOD), x, y) for x in (-0.25, 0.25) for y in (-0.18, 0.18)]
    handle = placed(box((0.06, 0.75, 0.05), WOOD), 0.0, -0.5, 0.93)
    return joined(
        [*ribs, *legs, handle, placed(turned_profile([(0.03, 0), (0.06, 0.3)], 10, IRON), 0.34, 0.0, 0.6)]
    )


def floor() -> Mesh:
    """A workshop floor of planks."""
    parts = []
    for row in range(22):
        tone = 0.7 + 0.5 * float(unit_array(41, row))
        plank = box((7.0, 0.33, 0.04), WOOD)
        parts.append(
            placed(
                Mesh(plank.points, plank.faces, (plank.colours * tone).astype(np.float32)),
                0.0,
                -3.6 + 0.345 * row,
                -0.04,
            )
        )
    return joined(parts)


def hopper() -> Mesh:
    """A mixing hopper: an open funnel of sheet iron on legs, with a rolled rim."""
    shell = turned_profile(
        [
            (0.16, 0.62),
            (0.22, 0.6),
            (0.95, 1.62),
            (1.02, 1.64),
            (1.02, 1.72),
            (0.9, 1.72),
            (0.86, 1.66),
            (0.16, 0.72),
            (0.0, 0.7),
        ],
        40,
        (0.2, 0.21, 0.215),
    )
    legs = [
        placed(box((0.08, 0.08, 1.3), IRON), 0.72 * np.cos(a), 0.72 * np.sin(a), 0.0)
        for a in np.pi / 4 + np.pi / 2 * np.arange(4)
    ]
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
    parts = [
        aged(placed(box((1.6, 0.34, 0.24 * (6 - k)), STONE), 0.0, 1.6 - 0.34 * k, 0.0), 0.3, f"step{k}")
        for k in range(6)
    ]
    parts.append(aged(placed(box((1.6, 1.0, 1.44), STONE), 0.0, 2.25, 0.0), 0.2, "landing"))
    parts += [bricks(0.25, 3.4, 2.3, side * 0.925, 1.2, 0.0, f"wall{side}") for side in (-1, 1)]
    return joined(parts)


def gate() -> Mesh:
    """A gate of boards, hinged at its left edge, 1.3 m wide."""
    boards = [
        aged(placed(box((0.2, 0.07, 1.1), WOOD), 0.13 + 0.215 * k, 0.0, 0.03), 0.3, f"board{k}")
        for k in range(6)
    ]
    rails = [placed(box((1.3, 0.1, 0.09), WOOD), 0.66, 0.0, z) for z in (0.2, 0.85)]
    return joined([*boards, *rails])


def window_wall() -> Mesh:
    """A wall with an opening of 1 x 1 m, sill and lintel; its face stands at y = 0."""
    return joined(
        [
            bricks(1.2, 0.25, 2.6, -1.1, 0.13, 0.0, "wl"),
            bricks(1.2, 0.25, 2.6, 1.1, 0.13, 0.0, "wr"),
            bricks(1.0, 0.25, 0.8, 0.0, 0.13, 0.0, "wf"),
            bricks(1.0, 0.25, 0.8, 0.0, 0.13, 1.8, "wh"),
            placed(box((1.3, 0.4, 0.07), STONE), 0.0, 0.08, 0.74),
            placed(box((1.3, 0.32, 0.1), WOOD), 0.0, 0.12, 1.8),
        ]
    )


def shutter() -> Mesh:
    """A shutter of boards, hinged at its left edge, 0.98 m wide and high."""
    boards = [
        aged(
            placed(box((0.158, 0.06, 0.98), (0.11, 0.17, 0.16)), 0.085 + 0.162 * k, 0.0, 0.0),
            0.35,
            f"leaf{k}",
        )
        for k in range(6)
    ]
    return joined(
        [
            *boards,
            *(placed(box((0.96, 0.09, 0.08), (0.09, 0.14, 0.13)), 0.49, -0.03, z) for z in (0.15, 0.75)),
        ]
    )


PROPS = {
    "drying_line": canvas.drying_line,
    "banner_pole": canvas.banner_pole,
    "furnace": furnace,
    "bellows": bellows,
    "floor": floor,
    "hopper": hopper,
    "stirrer": stirrer,
    "cellar": cellar,
    "gate": gate,
    "window_wall": window_wall,
    "shutter": shutter,
}
