"""Makes the props of Kiln Quay: `python -m tenka.demo.make` writes them into the folder beside it.

All of them are our own design, built from primitives by this script. The effects are data: they are the
`.tenka` files themselves, shaped in the window.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo import FOLDER, canvas, grains, waterside, workshop
from tenka.demo.shapes import BRICK, CLAY, IRON, SOOT, STONE, WOOD, aged, placed
from tenka.scene.figure import figure
from tenka.scene.glb import to_bytes
from tenka.scene.meshes import Mesh, box, joined, turned_profile


def courses_of_brick(profile: list[tuple[float, float]], height: float) -> list[tuple[float, float]]:
    """A profile cut into rows of about `height`, for brick-like bands of colour."""
    rows = [profile[0]]
    for (r0, z0), (r1, z1) in zip(profile, profile[1:]):
        count = max(1, round(abs(z1 - z0) / height))
        rows += [(r0 + (r1 - r0) * k / count, z0 + (z1 - z0) * k / count) for k in range(1, count + 1)]
    return rows


def kiln() -> Mesh:
    """A bottle-shaped kiln: a broad belly that draws in to a chimney, iron bands, a fire mouth, a sooty
    rim."""
    body = [
        (2.35, 0.0),
        (2.38, 0.5),
        (2.30, 1.3),
        (2.12, 2.1),
        (1.78, 2.9),
        (1.32, 3.6),
        (0.95, 4.2),
        (0.76, 4.8),
        (0.68, 5.7),
    ]
    shell = turned_profile(courses_of_brick(body, 0.19), 48, BRICK)
    heights = shell.corners[:, :, 2].mean(axis=1)
    dark = np.clip((heights - 4.4) / 1.3, 0, 1)[:, None] ** 1.5
    shell = Mesh(
        shell.points,
        shell.faces,
        (shell.colours * (1 - 0.75 * dark) + np.array(SOOT, np.float32) * 0.75 * dark).astype(np.float32),
    )
    rim = turned_profile(
        [(0.68, 5.7), (0.78, 5.74), (0.78, 5.95), (0.60, 5.95), (0.56, 5.3), (0.0, 5.28)], 48, SOOT
    )
    bands = [
        turned_profile(
            [(r, z), (r + 0.035, z + 0.005), (r + 0.03, z + 0.09), (r - 0.02, z + 0.095)], 48, IRON
        )
        for r, z in ((2.375, 0.62), (2.29, 1.42), (2.04, 2.32), (1.55, 3.28))
    ]
    mouth = [
        placed(box((0.95, 0.55, 1.25), SOOT), 0.35, -2.2, 0.0),
        placed(box((1.25, 0.42, 0.16), STONE), 0.35, -2.28, 1.25),
        placed(box((0.16, 0.42, 1.25), STONE), -0.2, -2.28),
        placed(box((0.16, 0.42, 1.25), STONE), 0.9, -2.28),
    ]
    steps = [
        placed(box((1.3, 0.5, 0.14), STONE), 0.35, -2.75),
        placed(box((1.5, 0.35, 0.07), STONE), 0.35, -3.15),
    ]
    return joined([aged(shell, 0.55, "shell"), rim, *bands, *mouth, *(aged(s, 0.2, "step") for s in steps)])


def yard() -> Mesh:
    """Flagstones round the kiln."""
    flags = []
    for row in range(11):
        x = -7.0 + (0.45 if row % 2 else 0.0)
        k = 0
        while x < 7.4:
            wide = 0.9 + 0.7 * float(unit_array(11, row, k))
            flag = box((wide - 0.035, 0.96, 0.05), STONE)
            tone = 0.62 + 0.5 * float(unit_array(12, row, k))
            flags.append(
                placed(
                    Mesh(flag.points, flag.faces, (flag.colours * tone).astype(np.float32)),
                    x + wide / 2,
                    -5.2 + row,
                    -0.012,
                )
            )
            x += wide
            k += 1
    return joined(flags)


def low_wall() -> Mesh:
    """A low wall of blocks with a coping, and what potters leave against it."""
    blocks = []
    for row in range(3):
        x = -7.0 - (0.3 if row % 2 else 0.0)
        k = 0
        while x < 7.0:
            wide = 0.55 + 0.35 * float(unit_array(21, row, k))
            blocks.append(
                aged(
                    placed(box((wide - 0.02, 0.42, 0.27), STONE), x + wide / 2, 4.4, 0.28 * row),
                    0.5,
                    f"block{row}{k}",
                )
            )
            x += wide
            k += 1
    coping = [
        aged(placed(box((1.38, 0.54, 0.1), STONE), -6.5 + 1.4 * k, 4.4, 0.84), 0.25, f"coping{k}")
        for k in range(10)
    ]
    pots = []
    for k, (x, y, s) in enumerate(((-4.4, 3.7, 1.0), (-3.7, 3.85, 0.8), (-5.0, 3.2, 0.7), (4.6, 3.6, 0.9))):
        profile = [
            (0.22 * s, 0),
            (0.3 * s, 0.25 * s),
            (0.26 * s, 0.5 * s),
            (0.17 * s, 0.58 * s),
            (0.2 * s, 0.66 * s),
            (0.12 * s, 0.64 * s),
        ]
        pots.append(aged(placed(turned_profile(profile, 20, CLAY), x, y), 0.15, f"pot{k}"))
    crates = [
        placed(box((0.8, 0.8, 0.7), WOOD), 3.9, -1.2, 0, 14),
        placed(box((0.7, 0.7, 0.6), WOOD), 4.0, -1.1, 0.7, 38),
        placed(box((0.9, 0.7, 0.55), WOOD), 4.9, -0.6, 0, -8),
    ]
    return joined([*blocks, *coping, *pots, *(aged(c, 0.35, f"crate{k}") for k, c in enumerate(crates))])


def main(folder: Path = FOLDER) -> None:
    (folder / "props").mkdir(parents=True, exist_ok=True)
    for name, build in (
        ("kiln", kiln),
        ("yard", yard),
        ("low_wall", low_wall),
        ("figure", figure),
        *workshop.PROPS.items(),
        *grains.PROPS.items(),
        *waterside.PROPS.items(),
    ):
        mesh = build()
        assert math.isfinite(float(mesh.points.sum()))
        (folder / "props" / f"{name}.glb").write_bytes(to_bytes({name: mesh}))
        print(f"{name}.glb: {len(mesh.faces)} triangles")
    for cloth in (canvas.CANVAS, canvas.BANNER):
        (folder / "props" / f"{cloth.name}.glb").write_bytes(canvas.cloth_bytes(cloth))
        print(f"{cloth.name}.glb")


if __name__ == "__main__":
    main()
