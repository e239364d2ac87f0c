"""What a GLB (glTF 2.0 binary) holds: nodes, meshes, materials, skins, animation clips, cameras and who made
it.

Poses follow the standard's sections on transformations, skins and animations: local transforms of the nodes,
sampled channels (step, linear with spherical interpolation of turns, cubic spline), linear blend skinning.
All coordinates are the file's own (Y up).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.cubic import through


@dataclass(frozen=True)
class Channel:
    """How one property of a node moves: `way` is STEP, LINEAR or CUBICSPLINE; values (k, 3), (k, 4), or three
    times as many rows."""

    node: int
    path: str
    times: np.ndarray
    values: np.ndarray
    way: str

    def at(self, t: float) -> np.ndarray:
        times, values = self.times, self.values
        i = int(np.searchsorted(times, t, side="right")) - 1
        spline, turn = self.way == "CUBICSPLINE", self.path == "rotation"
        if i < 0 or i >= len(times) - 1 or self.way == "STEP":
            i = min(max(i, 0), len(times) - 1)
            return values[3 * i + 1] if spline else values[i]
        span = float(times[i + 1] - times[i])
        s = (t - float(times[i])) / span
        if spline:
            a, leave, arrive, b = values[3 * i + 1], values[3 * i + 2], values[3 * i + 3], values[3 * i + 4]
            found = through(a, b, span * leave, span * arrive, s)
            return found / max(float(np.linalg.norm(found)), 1e-12) if turn else found
        a, b = values[i], values[i + 1]
        if not turn:
            return a + (b - a) * s
        cosine = float(a @ b)
        if cosine < 0:
            b, cosine = -b, -cosine
        if cosine > 0.9995:
            found = a + (b - a) * s
        else:
            angle = np.arccos(cosine)
            found = (np.sin((1 - s) * angle) * a + np.sin(s * angle) * b) / np.sin(angle)
        return found / max(float(np.linalg.norm(found)), 1e-12)


@dataclass(frozen=True)
class Clip:
    name: str
    seconds: float
    channels: tuple[Channel, ...]


@dataclass(frozen=True)
class Piece:
    """Triangles of one material under one node.

    Attributes
    ----------
    points : (n, 3) in the node's coordinates; faces (m, 3); colours (m, 3) linear
    skin : index of the skin that moves it, or -1
    joints, weights : (n, 4) of that skin
    """

    node: int
    material: str
    points: np.ndarray
    faces: np.ndarray
    colours: np.ndarray
    skin: int
    joints: np.ndarray
    weights: np.ndarray


@dataclass(frozen=True)
class Skin:
    joints: np.ndarray
    inverse: np.ndarray  # (k, 4, 4)


@dataclass(frozen=True)
class Eye:
    """A camera of the file: its node and its vertical field of view in degrees."""

    name: str
    node: int
    fov: float


@dataclass(frozen=True)
class Rig:
    """Everything a GLB holds that can be used here.

    Attributes
    ----------
    parents : for each node its parent, or -1; `order` lists parents before children
    moved, turned, scaled : (k, 3), (k, 4) as x y z w, (k, 3) of each node at rest
    fixed : (k, 4, 4) local matrices of nodes that state one, else None
    """

    names: tuple[str, ...]
    parents: np.ndarray
    order: tuple[int, ...]
    moved: np.ndarray
    turned: np.ndarray
    scaled: np.ndarray
    fixed: dict[int, np.ndarray]
    pieces: tuple[Piece, ...]
    skins: tuple[Skin, ...]
    clips: tuple[Clip, ...]
    eyes: tuple[Eye, ...]
    credit: str
    notes: tuple[str, ...]

    def clip(self, name: str) -> Clip | None:
        return next((c for c in self.clips if c.name == name), None)

    def world(self, clip: Clip | None = None, t: float = 0.0) -> np.ndarray:
        """(k, 4, 4) matrices from each node to the scene, `t` seconds into a clip."""
        moved, turned, scaled, animated = self.moved, self.turned, self.scaled, set()
        if clip is not None:
            moved, turned, scaled = moved.copy(), turned.copy(), scaled.copy()
            for channel in clip.channels:
                target = {"translation": moved, "rotation": turned, "scale": scaled}[channel.path]
                target[channel.node] = channel.at(t)
                animated.add(channel.node)
        x, y, z, w = turned.T
        local = np.zeros((len(self.names), 4, 4))
        local[:, 0] = np.stack(
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w), moved[:, 0]], axis=1
        )
        local[:, 1] = np.stack(
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w), moved[:, 1]], axis=1
        )
        local[:, 2] = np.stack(
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y), moved[:, 2]], axis=1
        )
        local[:, :3, :3] *= scaled[:, None, :]
        local[:, 3, 3] = 1.0
        for node, matrix in self.fixed.items():
            if node not in animated:
                local[node] = matrix
        for node in self.order:
            if self.parents[node] >= 0:
                local[node] = local[self.parents[node]] @ local[node]
        return local

    def posed(self, clip: Clip | None = None, t: float = 0.0) -> np.ndarray:
        """All pieces' points, one after the other, `t` seconds into a clip; (n, 3)."""
        world, found = self.world(clip, t), []
        for piece in self.pieces:
            if piece.skin < 0:
                m = world[piece.node]
                found.append(piece.points @ m[:3, :3].T + m[:3, 3])
                continue
            skin = self.skins[piece.skin]
            bones = world[skin.joints] @ skin.inverse
            out = np.zeros_like(piece.points)
            for k in range(4):
                m = bones[piece.joints[:, k]]
                out += piece.weights[:, k, None] * (
                    np.einsum("nij,nj->ni", m[:, :3, :3], piece.points) + m[:, :3, 3]
                )
            found.append(out)
        return np.concatenate(found)
