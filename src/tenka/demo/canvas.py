"""The canvas of the drying line: a sheet with joints that flaps, as a GLB with a skin, a clip and a
camera."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.randomness import unit_array
from tenka.demo.shapes import IRON, WOOD, aged, placed
from tenka.scene.gltf import Builder
from tenka.scene.meshes import Mesh, box, joined

WIDE, HIGH, TOP = 2.4, 1.5, 2.2  # m; the top edge's height
COLUMNS, ROWS = 9, 5  # joints
ACROSS, DOWN = 36, 20  # quads
PERIOD = 2.4  # s of the clip
KEYS = 49
DAMP_FROM = 5  # rows of quads above it have dried
CLOTH, DAMP = (0.74, 0.67, 0.52), (0.45, 0.39, 0.29)
CREDIT = "Kiln Quay set, made by Tenka's own script"


def flap(column: int, row: int, t: float) -> float:
    """How far a joint is bent about the line, in radians: waves that run along the cloth and down it."""
    if row == 0:
        return 0.10 + 0.05 * math.sin(2 * math.pi * (t / PERIOD - 0.09 * column))
    strength = (0.0, 0.2, 0.26, 0.32, 0.36)[row]
    slow = math.sin(2 * math.pi * (t / PERIOD - 0.10 * column - 0.14 * row))
    quick = math.sin(2 * math.pi * (2 * t / PERIOD + 0.17 * column - 0.2 * row))
    return strength * (0.75 * slow + 0.4 * quick) + 0.03


def _hang(file: Builder) -> None:
    """The joints, in rows from the line down, and the skin."""
    step = HIGH / ROWS
    at = np.array(
        [
            [-WIDE / 2 + WIDE * c / (COLUMNS - 1), TOP - step * r, 0.0]
            for r in range(ROWS)
            for c in range(COLUMNS)
        ]
    )
    for n, place in enumerate(at):
        r, c = divmod(n, COLUMNS)
        joint = {
            "name": f"cloth {c + 1}-{r + 1}",
            "translation": [float(v) for v in (place if r == 0 else (0.0, -step, 0.0))],
        }
        if r + 1 < ROWS:
            joint["children"] = [n + COLUMNS]
        file.node(joint, root=r == 0)
    inverse = np.tile(np.eye(4, dtype=np.float32), (len(at), 1, 1))
    inverse[:, :3, 3] = -at
    bound = file.accessor(inverse.transpose(0, 2, 1).reshape(-1, 16))
    file.add("skins", {"joints": list(range(len(at))), "inverseBindMatrices": bound})


def _cloth(file: Builder) -> None:
    """The sheet of quads, dry above and damp below."""
    x, y = (g.reshape(-1) for g in np.meshgrid(np.arange(ACROSS + 1) / ACROSS, np.arange(DOWN + 1) / DOWN))
    border = DAMP_FROM / DOWN
    uneven = 0.05 * np.sin(9.0 * x + 1.0) + 0.025 * np.sin(23.0 * x)  # the border between dry and damp
    y = y + uneven * np.clip(np.minimum(y / border, (1 - y) / (1 - border)), 0, 1)
    points = np.stack([WIDE * (x - 0.5), TOP - HIGH * y, np.zeros_like(x)], axis=1)
    joints, weights = _hung(x, y)
    faces = _quads()
    wet = np.broadcast_to(np.arange(DOWN)[:, None] >= DAMP_FROM, faces.shape[:2])
    stain = np.minimum(1.0, 1 + 0.12 * (unit_array(77, np.arange(len(points))).astype(float) - 0.5))
    shared = {
        "POSITION": file.accessor(points, bounds=True),
        "JOINTS_0": file.accessor(joints),
        "WEIGHTS_0": file.accessor(weights),
        "COLOR_0": file.accessor(np.stack([stain, stain, stain, np.ones_like(stain)], axis=1)),
    }
    primitives = []
    for name, tone, part in (("dry", CLOTH, ~wet), ("damp", DAMP, wet)):
        shine = {"baseColorFactor": [*tone, 1.0], "metallicFactor": 0.0}
        material = file.add("materials", {"name": name, "doubleSided": True, "pbrMetallicRoughness": shine})
        indices = file.accessor(faces[part].reshape(-1).astype(np.uint16))
        primitives.append({"attributes": shared, "indices": indices, "material": material})
    mesh = file.add("meshes", {"name": "canvas", "primitives": primitives})
    file.node({"name": "canvas", "mesh": mesh, "skin": 0})


def _clip(file: Builder) -> None:
    """The flapping: turns of each joint about the line."""
    times = np.linspace(0.0, PERIOD, KEYS).astype(np.float32)
    clock = file.accessor(times, bounds=True)
    samplers, channels = [], []
    for n in range(ROWS * COLUMNS):
        r, c = divmod(n, COLUMNS)
        half = np.array([flap(c, r, float(t)) for t in times]) / 2
        turned = file.accessor(np.stack([np.sin(half), 0 * half, 0 * half, np.cos(half)], axis=1))
        samplers.append({"input": clock, "output": turned, "interpolation": "LINEAR"})
        channels.append({"sampler": n, "target": {"node": n, "path": "rotation"}})
    file.add("animations", {"name": "flap", "samplers": samplers, "channels": channels})


def _camera(file: Builder) -> None:
    """A camera before the cloth, to its right."""
    a = math.radians(24.0)
    lens = {"yfov": math.radians(40.0), "znear": 0.05}
    camera = file.add("cameras", {"name": "yard", "type": "perspective", "perspective": lens})
    eye = [5.0 * math.sin(a), 1.5, 5.0 * math.cos(a)]
    turn = [0.0, math.sin(a / 2), 0.0, math.cos(a / 2)]
    file.node({"name": "yard", "camera": camera, "translation": eye, "rotation": turn})


def _hung(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The four joints that each point of the sheet hangs from, and their weights, (n, 4) each."""
    u, v = x * (COLUMNS - 1), np.clip(y * ROWS - 0.5, 0, ROWS - 1)
    c0, r0 = np.minimum(u.astype(int), COLUMNS - 2), np.minimum(v.astype(int), ROWS - 2)
    f, g = u - c0, v - r0
    first = r0 * COLUMNS + c0
    joints = np.stack([first, first + 1, first + COLUMNS, first + COLUMNS + 1], axis=1).astype(np.uint8)
    weights = np.stack([(1 - f) * (1 - g), f * (1 - g), (1 - f) * g, f * g], axis=1).astype(np.float32)
    return joints, weights


def _quads() -> np.ndarray:
    """Triangles of the sheet, (rows, triangles, 3)."""
    quad = np.array([[j * (ACROSS + 1) + i for i in range(ACROSS)] for j in range(DOWN)])
    return np.stack(
        [quad, quad + ACROSS + 1, quad + 1, quad + 1, quad + ACROSS + 1, quad + ACROSS + 2], axis=-1
    ).reshape(DOWN, -1, 3)


def canvas_bytes() -> bytes:
    """The GLB: nodes in rows and columns, two materials (dry, damp), the clip `flap`, the camera `yard`."""
    file = Builder(CREDIT)
    _hang(file)
    _cloth(file)
    _clip(file)
    _camera(file)
    return file.to_bytes()


def drying_line() -> Mesh:
    """Two posts, the line between them, and the pegs that hold the cloth."""
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
        placed(box((0.035, 0.05, 0.12), IRON), -WIDE / 2 + 0.06 + k * (WIDE - 0.12) / 5, 0.0, TOP - 0.06)
        for k in range(6)
    ]
    return joined([*posts, placed(box((3.3, 0.022, 0.022), (0.3, 0.27, 0.2)), 0.0, 0.0, TOP + 0.015), *pegs])
