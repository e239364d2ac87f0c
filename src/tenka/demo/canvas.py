"""Cloths that flap, as GLB files with a skin and a clip: the canvas of the drying line, and a banner."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo.shapes import IRON, STONE, WOOD, aged, placed
from tenka.scene.gltf import Builder
from tenka.scene.meshes import Mesh, box, joined

CREDIT = "Kiln Quay set, made by Tenka's own script"


@dataclass(frozen=True)
class Cloth:
    """A sheet that hangs from its top edge, and how it flaps.

    Parameters
    ----------
    wide, high, top : m; the last is the height of its top edge
    columns, rows : joints
    across, down : quads
    period : s of the clip, which has `keys` keys
    border : rows of quads from the top down to where its second tone begins
    tones : names and colours of the two
    sway : how far the joints of each row are bent, rad; the first hang from the edge
    uneven : how far the border wanders, as a share of the height
    """

    name: str
    wide: float
    high: float
    top: float
    columns: int
    rows: int
    across: int
    down: int
    period: float
    keys: int
    border: int
    tones: tuple[tuple[str, tuple[float, float, float]], tuple[str, tuple[float, float, float]]]
    sway: tuple[float, ...]
    uneven: float = 1.0
    stained: float = 0.12

    def flap(self, column: int, row: int, t: float) -> float:
        """How far a joint is bent about the line, rad: waves that run along the cloth and down it."""
        if row == 0:
            return 0.10 + 0.05 * math.sin(2 * math.pi * (t / self.period - 0.09 * column))
        slow = math.sin(2 * math.pi * (t / self.period - 0.10 * column - 0.14 * row))
        quick = math.sin(2 * math.pi * (2 * t / self.period + 0.17 * column - 0.2 * row))
        return self.sway[row] * (0.75 * slow + 0.4 * quick) + 0.03

    def hang(self, file: Builder) -> None:
        """The joints, in rows from the line down, and the skin."""
        step, columns, rows = self.high / self.rows, self.columns, self.rows
        at = np.array(
            [
                [-self.wide / 2 + self.wide * c / (columns - 1), self.top - step * r, 0.0]
                for r in range(rows)
                for c in range(columns)
            ]
        )
        for n, place in enumerate(at):
            r, c = divmod(n, columns)
            joint = {
                "name": f"cloth {c + 1}-{r + 1}",
                "translation": [float(v) for v in (place if r == 0 else (0.0, -step, 0.0))],
            }
            if r + 1 < rows:
                joint["children"] = [n + columns]
            file.node(joint, root=r == 0)
        inverse = np.tile(np.eye(4, dtype=np.float32), (len(at), 1, 1))
        inverse[:, :3, 3] = -at
        bound = file.accessor(inverse.transpose(0, 2, 1).reshape(-1, 16))
        file.add("skins", {"joints": list(range(len(at))), "inverseBindMatrices": bound})

    def sheet(self, file: Builder) -> None:
        """The sheet of quads, of one tone above and another below."""
        across, down = np.arange(self.across + 1) / self.across, np.arange(self.down + 1) / self.down
        x, y = (g.reshape(-1) for g in np.meshgrid(across, down))
        border = self.border / self.down
        uneven = 0.05 * np.sin(9.0 * x + 1.0) + 0.025 * np.sin(23.0 * x)
        y = y + self.uneven * uneven * np.clip(np.minimum(y / border, (1 - y) / (1 - border)), 0, 1)
        points = np.stack([self.wide * (x - 0.5), self.top - self.high * y, np.zeros_like(x)], axis=1)
        joints, weights = self._hung(x, y)
        faces = self._quads()
        second = np.broadcast_to(np.arange(self.down)[:, None] >= self.border, faces.shape[:2])
        grain = unit_array(77, np.arange(len(points))).astype(float)
        stain = np.minimum(1.0, 1 + self.stained * (grain - 0.5))
        shared = {
            "POSITION": file.accessor(points, bounds=True),
            "JOINTS_0": file.accessor(joints),
            "WEIGHTS_0": file.accessor(weights),
            "COLOR_0": file.accessor(np.stack([stain, stain, stain, np.ones_like(stain)], axis=1)),
        }
        primitives = []
        for (name, tone), part in zip(self.tones, (~second, second)):
            shine = {"baseColorFactor": [*tone, 1.0], "metallicFactor": 0.0}
            material = file.add(
                "materials", {"name": name, "doubleSided": True, "pbrMetallicRoughness": shine}
            )
            indices = file.accessor(faces[part].reshape(-1).astype(np.uint16))
            primitives.append({"attributes": shared, "indices": indices, "material": material})
        mesh = file.add("meshes", {"name": self.name, "primitives": primitives})
        file.node({"name": self.name, "mesh": mesh, "skin": 0})

    def clip(self, file: Builder) -> None:
        """The flapping: turns of each joint about the line."""
        times = np.linspace(0.0, self.period, self.keys).astype(np.float32)
        clock = file.accessor(times, bounds=True)
        samplers, channels = [], []
        for n in range(self.rows * self.columns):
            r, c = divmod(n, self.columns)
            half = np.array([self.flap(c, r, float(t)) for t in times]) / 2
            turned = file.accessor(np.stack([np.sin(half), 0 * half, 0 * half, np.cos(half)], axis=1))
            samplers.append({"input": clock, "output": turned, "interpolation": "LINEAR"})
            channels.append({"sampler": n, "target": {"node": n, "path": "rotation"}})
        file.add("animations", {"name": "flap", "samplers": samplers, "channels": channels})

    def _hung(self, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The four joints that each point of the sheet hangs from, and their weights, (n, 4) each."""
        u, v = x * (self.columns - 1), np.clip(y * self.rows - 0.5, 0, self.rows - 1)
        c0 = np.minimum(u.astype(int), self.columns - 2)
        r0 = np.minimum(v.astype(int), self.rows - 2)
        f, g = u - c0, v - r0
        first = r0 * self.columns + c0
        joints = np.stack([first, first + 1, first + self.columns, first + self.columns + 1], axis=1)
        weights = np.stack([(1 - f) * (1 - g), f * (1 - g), (1 - f) * g, f * g], axis=1)
        return joints.astype(np.uint8), weights.astype(np.float32)

    def _quads(self) -> np.ndarray:
        """Triangles of the sheet, (rows, triangles, 3)."""
        step = self.across + 1
        quad = np.array([[j * step + i for i in range(self.across)] for j in range(self.down)])
        return np.stack(
            [quad, quad + step, quad + 1, quad + 1, quad + step, quad + step + 1], axis=-1
        ).reshape(self.down, -1, 3)


CANVAS = Cloth(
    name="canvas",
    wide=2.4,
    high=1.5,
    top=2.2,
    columns=9,
    rows=5,
    across=36,
    down=20,
    period=2.4,
    keys=49,
    border=5,
    tones=(("dry", (0.74, 0.67, 0.52)), ("damp", (0.45, 0.39, 0.29))),
    sway=(0.0, 0.2, 0.26, 0.32, 0.36),
)
BANNER = Cloth(
    name="banner",
    wide=0.95,
    high=1.9,
    top=2.9,
    columns=4,
    rows=6,
    across=16,
    down=38,
    period=2.0,
    keys=41,
    border=34,
    tones=(("cloth", (0.10, 0.26, 0.30)), ("hem", (0.78, 0.66, 0.42))),
    sway=(0.0, 0.12, 0.16, 0.19, 0.22, 0.26),
    uneven=0.0,
)


def _camera(file: Builder) -> None:
    """A camera before the cloth, to its right."""
    a = math.radians(24.0)
    lens = {"yfov": math.radians(40.0), "znear": 0.05}
    camera = file.add("cameras", {"name": "yard", "type": "perspective", "perspective": lens})
    eye = [5.0 * math.sin(a), 1.5, 5.0 * math.cos(a)]
    turn = [0.0, math.sin(a / 2), 0.0, math.cos(a / 2)]
    file.node({"name": "yard", "camera": camera, "translation": eye, "rotation": turn})


def cloth_bytes(cloth: Cloth) -> bytes:
    """The GLB of a cloth: nodes in rows and columns, two materials, the clip `flap`, the camera `yard`."""
    file = Builder(CREDIT)
    cloth.hang(file)
    cloth.sheet(file)
    cloth.clip(file)
    _camera(file)
    return file.to_bytes()


def drying_line() -> Mesh:
    """Two posts, the line between them, and the pegs that hold the cloth."""
    wide, top = CANVAS.wide, CANVAS.top
    posts = [
        aged(
            joined(
                [
                    placed(box((0.11, 0.11, 2.42), WOOD), s * 1.65, 0.0),
                    placed(box((0.5, 0.09, 0.09), WOOD), s * 1.65, 0.0, 2.25),
                ]
            ),
            0.3,
            f"post{s}",
        )
        for s in (-1, 1)
    ]
    pegs = [
        placed(box((0.035, 0.05, 0.12), IRON), -wide / 2 + 0.06 + k * (wide - 0.12) / 5, 0.0, top - 0.06)
        for k in range(6)
    ]
    return joined([*posts, placed(box((3.3, 0.022, 0.022), (0.3, 0.27, 0.2)), 0.0, 0.0, top + 0.015), *pegs])


def banner_pole() -> Mesh:
    """A pole with a foot of stone, and the arm at its side from which the banner hangs."""
    wide, top, aside = BANNER.wide, BANNER.top, -BANNER.wide / 2 - 0.14
    pole = aged(placed(box((0.09, 0.09, 3.25), WOOD), aside, 0.0), 0.3, "pole")
    foot = aged(placed(box((0.5, 0.5, 0.22), STONE), aside, 0.0), 0.3, "foot")
    arm = aged(placed(box((wide + 0.3, 0.05, 0.05), WOOD), 0.04 - 0.1, 0.0, top), 0.3, "arm")
    bands = [
        placed(box((0.04, 0.075, 0.075), IRON), s * (wide / 2 - 0.04), 0.0, top - 0.013) for s in (-1, 1)
    ]
    collar = placed(box((0.12, 0.12, 0.14), IRON), aside, 0.0, top - 0.045)
    cap = placed(box((0.14, 0.14, 0.05), IRON), aside, 0.0, 3.25)
    return joined([pole, foot, arm, collar, cap, *bands])
