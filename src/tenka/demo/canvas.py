"""The canvas of the drying line: a sheet with joints that flaps, as a GLB with a skin, a clip and a
camera."""

from __future__ import annotations

import math

import numpy as np
import pygltflib as gl

from tenka.base.randomness import unit_array
from tenka.demo.shapes import IRON, WOOD, aged, placed
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


class _Canvas:
    """The document as it grows."""

    def __init__(self) -> None:
        self.doc = gl.GLTF2(
            scene=0,
            scenes=[gl.Scene(nodes=[])],
            asset=gl.Asset(version="2.0", generator="Tenka", copyright=CREDIT),
        )
        self.blob = b""

    def put(self, array: np.ndarray, kind: str, code: int, bounds: bool = False) -> int:
        data = np.ascontiguousarray(array)
        self.doc.bufferViews.append(
            gl.BufferView(buffer=0, byteOffset=len(self.blob), byteLength=data.nbytes)
        )
        accessor = gl.Accessor(
            bufferView=len(self.doc.bufferViews) - 1, componentType=code, count=len(data), type=kind
        )
        if bounds:
            accessor.min, accessor.max = (
                np.atleast_2d(data.min(axis=0)).ravel().tolist(),
                np.atleast_2d(data.max(axis=0)).ravel().tolist(),
            )
        self.doc.accessors.append(accessor)
        self.blob += data.tobytes() + b"\0" * (-data.nbytes % 4)
        return len(self.doc.accessors) - 1

    def hang(self) -> None:
        """The joints, in rows from the line down, and the skin."""
        step = HIGH / ROWS
        at = np.array(
            [
                [-WIDE / 2 + WIDE * c / (COLUMNS - 1), TOP - step * r, 0.0]
                for r in range(ROWS)
                for c in range(COLUMNS)
            ]
        )
        for r in range(ROWS):
            for c in range(COLUMNS):
                n = r * COLUMNS + c
                place = at[n] if r == 0 else [0.0, -step, 0.0]
                children = [n + COLUMNS] if r + 1 < ROWS else None
                self.doc.nodes.append(
                    gl.Node(
                        name=f"cloth {c + 1}-{r + 1}",
                        translation=[float(v) for v in place],
                        children=children,
                    )
                )
                if r == 0:
                    self.doc.scenes[0].nodes.append(n)
        inverse = np.tile(np.eye(4, dtype=np.float32), (len(at), 1, 1))
        inverse[:, :3, 3] = -at
        self.doc.skins.append(
            gl.Skin(
                joints=list(range(len(at))),
                inverseBindMatrices=self.put(inverse.transpose(0, 2, 1).reshape(-1, 16), gl.MAT4, gl.FLOAT),
            )
        )

    def cloth(self) -> None:
        """The sheet of quads, dry above and damp below."""
        x, y = (
            g.reshape(-1) for g in np.meshgrid(np.arange(ACROSS + 1) / ACROSS, np.arange(DOWN + 1) / DOWN)
        )
        border = DAMP_FROM / DOWN
        uneven = 0.05 * np.sin(9.0 * x + 1.0) + 0.025 * np.sin(23.0 * x)  # the border between dry and damp
        y = y + uneven * np.clip(np.minimum(y / border, (1 - y) / (1 - border)), 0, 1)
        points = np.stack([WIDE * (x - 0.5), TOP - HIGH * y, np.zeros_like(x)], axis=1)
        joints, weights = _hung(x, y)
        faces = _quads()
        wet = np.broadcast_to(np.arange(DOWN)[:, None] >= DAMP_FROM, faces.shape[:2])
        stain = 1 + 0.12 * (unit_array(77, np.arange(len(points))).astype(float) - 0.5)
        colour = np.concatenate(
            [np.minimum(1.0, stain)[:, None].repeat(3, axis=1), np.ones((len(points), 1))], axis=1
        ).astype(np.float32)
        shared = {
            "POSITION": self.put(points.astype(np.float32), gl.VEC3, gl.FLOAT, True),
            "JOINTS_0": self.put(joints, gl.VEC4, gl.UNSIGNED_BYTE),
            "WEIGHTS_0": self.put(weights, gl.VEC4, gl.FLOAT),
            "COLOR_0": self.put(colour, gl.VEC4, gl.FLOAT),
        }
        primitives = []
        for n, (name, tone, part) in enumerate((("dry", CLOTH, ~wet), ("damp", DAMP, wet))):
            material = gl.Material(
                name=name,
                doubleSided=True,
                pbrMetallicRoughness=gl.PbrMetallicRoughness(
                    baseColorFactor=[*tone, 1.0], metallicFactor=0.0
                ),
            )
            self.doc.materials.append(material)
            indices = self.put(faces[part].reshape(-1).astype(np.uint16), gl.SCALAR, gl.UNSIGNED_SHORT)
            primitives.append(gl.Primitive(attributes=gl.Attributes(**shared), indices=indices, material=n))
        self.doc.meshes.append(gl.Mesh(name="canvas", primitives=primitives))
        self.doc.nodes.append(gl.Node(name="canvas", mesh=0, skin=0))
        self.doc.scenes[0].nodes.append(len(self.doc.nodes) - 1)

    def clip(self) -> None:
        """The flapping: turns of each joint about the line."""
        times = np.linspace(0.0, PERIOD, KEYS).astype(np.float32)
        clock = self.put(times, gl.SCALAR, gl.FLOAT, True)
        clip = gl.Animation(name="flap", samplers=[], channels=[])
        for r in range(ROWS):
            for c in range(COLUMNS):
                half = np.array([flap(c, r, float(t)) for t in times]) / 2
                turned = np.stack([np.sin(half), 0 * half, 0 * half, np.cos(half)], axis=1).astype(np.float32)
                clip.samplers.append(
                    gl.AnimationSampler(
                        input=clock, output=self.put(turned, gl.VEC4, gl.FLOAT), interpolation="LINEAR"
                    )
                )
                target = gl.AnimationChannelTarget(node=r * COLUMNS + c, path="rotation")
                clip.channels.append(gl.AnimationChannel(sampler=len(clip.samplers) - 1, target=target))
        self.doc.animations.append(clip)

    def camera(self) -> None:
        """A camera before the cloth, to its right."""
        a = math.radians(24.0)
        lens = gl.Perspective(yfov=math.radians(40.0), znear=0.05)
        self.doc.cameras.append(gl.Camera(name="yard", type="perspective", perspective=lens))
        eye = [5.0 * math.sin(a), 1.5, 5.0 * math.cos(a)]
        self.doc.nodes.append(
            gl.Node(
                name="yard", camera=0, translation=eye, rotation=[0.0, math.sin(a / 2), 0.0, math.cos(a / 2)]
            )
        )
        self.doc.scenes[0].nodes.append(len(self.doc.nodes) - 1)


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
    canvas = _Canvas()
    canvas.hang()
    canvas.cloth()
    canvas.clip()
    canvas.camera()
    canvas.doc.buffers.append(gl.Buffer(byteLength=len(canvas.blob)))
    canvas.doc.set_binary_blob(canvas.blob)
    return b"".join(canvas.doc.save_to_bytes())


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
