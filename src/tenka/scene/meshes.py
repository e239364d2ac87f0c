"""Triangle meshes: primitives, parts of them, points spread over a surface."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from tenka.base.randomness import unit_array
from tenka.scene.poses import Pose


@dataclass(frozen=True)
class Mesh:
    """Triangles with a colour each.

    Attributes
    ----------
    points : (n, 3) float32, m, Z up
    faces : (m, 3) int32
    colours : (m, 3) float32, linear sRGB
    groups : faces by the name of their node, material or joint: indices into `faces`
    """

    points: np.ndarray
    faces: np.ndarray
    colours: np.ndarray
    groups: dict[str, np.ndarray] = field(default_factory=dict)

    @property
    def corners(self) -> np.ndarray:
        """(m, 3, 3) positions of each triangle's corners."""
        return self.points[self.faces]

    @property
    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        return self.points.min(axis=0), self.points.max(axis=0)

    @property
    def area(self) -> float:
        """Of all triangles, m^2."""
        a, b, c = (self.corners[:, k].astype(np.float64) for k in range(3))
        return float(0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())

    def scaled(self, scale: tuple[float, float, float]) -> Mesh:
        return self.moved(self.points * np.asarray(scale))

    def placed(self, pose: Pose) -> Mesh:
        return self.moved(pose.to_scene(self.points))

    def moved(self, points: np.ndarray) -> Mesh:
        """The same triangles with their points elsewhere."""
        return Mesh(points.astype(np.float32), self.faces, self.colours, self.groups)


def joined(meshes: list[Mesh]) -> Mesh:
    """All meshes as one."""
    if not meshes:
        return Mesh(np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32), np.zeros((0, 3), np.float32))
    starts = np.cumsum([0, *(len(m.points) for m in meshes[:-1])])
    return Mesh(
        np.concatenate([m.points for m in meshes]),
        np.concatenate([m.faces + s for m, s in zip(meshes, starts)]).astype(np.int32),
        np.concatenate([m.colours for m in meshes]),
    )


def moments(corners: np.ndarray) -> tuple[float, np.ndarray, np.ndarray]:
    """Volume within closed triangles, (m, 3, 3), its middle, (3,), and its inertia about that, (3, 3), of a
    mass of one; by tetrahedra (Tonon 2004)."""
    start = corners.reshape(-1, 3).mean(axis=0)
    a, b, c = (corners[:, k] - start for k in range(3))
    volume = np.einsum("nk,nk->n", np.cross(a, b), c) / 6
    whole = volume.sum()
    middle = (volume[:, None] * (a + b + c)).sum(axis=0) / (4 * whole)
    total = a + b + c
    squares = sum(np.einsum("n,ni,nj->ij", volume / 20, v, v) for v in (total, a, b, c)) / whole
    squares = squares - np.outer(middle, middle)
    return float(whole), start + middle, np.trace(squares) * np.eye(3) - squares


def box(size: tuple[float, float, float], colour: tuple[float, float, float]) -> Mesh:
    """A box that stands on z = 0, centred on x and y."""
    x, y, z = size[0] / 2, size[1] / 2, size[2]
    points = np.array([[a, b, c] for a in (-x, x) for b in (-y, y) for c in (0, z)], np.float32)
    faces = np.array(
        [
            [0, 1, 3],
            [0, 3, 2],
            [4, 6, 7],
            [4, 7, 5],
            [0, 4, 5],
            [0, 5, 1],
            [2, 3, 7],
            [2, 7, 6],
            [0, 2, 6],
            [0, 6, 4],
            [1, 5, 7],
            [1, 7, 3],
        ],
        np.int32,
    )
    return Mesh(points, faces, np.tile(np.array(colour, np.float32), (12, 1)))


def turned_profile(
    profile: list[tuple[float, float]], sides: int, colour: tuple[float, float, float]
) -> Mesh:
    """A surface of revolution round z from (radius, height) pairs, from the bottom up."""
    angle = 2 * np.pi * np.arange(sides) / sides
    rings = [np.stack([r * np.cos(angle), r * np.sin(angle), np.full(sides, z)], axis=1) for r, z in profile]
    points = np.concatenate(rings).astype(np.float32)
    faces = []
    for ring in range(len(profile) - 1):
        for s in range(sides):
            a, b = ring * sides + s, ring * sides + (s + 1) % sides
            c, d = a + sides, b + sides
            if profile[ring][0] > 1e-6:
                faces.append((a, b, d))
            if profile[ring + 1][0] > 1e-6:
                faces.append((a, d, c))
    return Mesh(points, np.array(faces, np.int32), np.tile(np.array(colour, np.float32), (len(faces), 1)))


def primitive(shape: str, colour: tuple[float, float, float]) -> Mesh:
    """A unit primitive standing on z = 0."""
    if shape == "box":
        return box((1, 1, 1), colour)
    if shape == "cylinder":
        return turned_profile([(0, 0), (0.5, 0), (0.5, 1), (0, 1)], 24, colour)
    if shape == "cone":
        return turned_profile([(0, 0), (0.5, 0), (0, 1)], 24, colour)
    ring = np.linspace(-np.pi / 2, np.pi / 2, 13)
    return turned_profile([(0.5 * max(0.0, math.cos(a)), 0.5 + 0.5 * math.sin(a)) for a in ring], 24, colour)


@dataclass(frozen=True)
class Spread:
    """Places on a mesh's triangles, which go along when its points move.

    Attributes
    ----------
    face : (n,) triangle of each
    share : (n, 3) of its three corners
    """

    face: np.ndarray
    share: np.ndarray

    def on(self, mesh: Mesh) -> np.ndarray:
        """Where they are on the mesh now; (n, 3) float32."""
        return np.einsum(
            "nk,nkd->nd", self.share, mesh.points[mesh.faces[self.face]].astype(np.float64)
        ).astype(np.float32)


def spread_over(mesh: Mesh, faces: np.ndarray, spacing: float, seed: int, most: int = 200_000) -> Spread:
    """Places on some of a mesh's faces, even by area, about one for each `spacing` squared.

    Barycentric sampling with hashed numbers (Turk 1990): the same mesh gives the same places.
    """
    a, b, c = np.moveaxis(mesh.points[mesh.faces[faces]].astype(np.float64), 1, 0)
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    total = float(area.sum())
    if total <= 0:
        return Spread(faces[:1], np.array([[1.0, 0.0, 0.0]])[: len(faces)])
    count = int(min(most, max(16, total / spacing**2)))
    index = np.arange(count)
    pick = (index + unit_array(seed, index)) / count * total
    face = np.minimum(np.searchsorted(np.cumsum(area), pick), len(area) - 1)
    r, s = np.sqrt(unit_array(seed, index, 1)), unit_array(seed, index, 2)
    return Spread(faces[face], np.stack([1 - r, r * (1 - s), r * s], axis=1))


def at_points(mesh: Mesh, faces: np.ndarray) -> Spread:
    """The mesh's own points that some of its faces use, one place each."""
    corners = mesh.faces[faces].reshape(-1)
    _, first = np.unique(corners, return_index=True)
    return Spread(faces[first // 3], np.eye(3)[first % 3])
