"""Triangle meshes: primitives, files, points spread over a surface."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.randomness import unit_array
from tenka.effect.model import Effect, Prop
from tenka.scene.poses import Pose, pose_at

MOST_TRIANGLES = 2_000_000
FORMATS = (".glb", ".obj", ".ply", ".stl")


@dataclass(frozen=True)
class Mesh:
    """Triangles with a colour each.

    Attributes
    ----------
    points : (n, 3) float32, m, Z up
    faces : (m, 3) int32
    colours : (m, 3) float32, linear sRGB
    """

    points: np.ndarray
    faces: np.ndarray
    colours: np.ndarray

    @property
    def corners(self) -> np.ndarray:
        """(m, 3, 3) positions of each triangle's corners."""
        return self.points[self.faces]

    @property
    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        return self.points.min(axis=0), self.points.max(axis=0)

    def scaled(self, scale: tuple[float, float, float]) -> Mesh:
        return Mesh((self.points * np.asarray(scale)).astype(np.float32), self.faces, self.colours)

    def placed(self, pose: Pose) -> Mesh:
        return Mesh(pose.to_scene(self.points).astype(np.float32), self.faces, self.colours)


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


def box(size: tuple[float, float, float], colour: tuple[float, float, float]) -> Mesh:
    """A box that stands on z = 0, centred on x and y."""
    x, y, z = size[0] / 2, size[1] / 2, size[2]
    points = np.array([[a, b, c] for a in (-x, x) for b in (-y, y) for c in (0, z)], np.float32)
    faces = np.array([[0, 1, 3], [0, 3, 2], [4, 6, 7], [4, 7, 5], [0, 4, 5], [0, 5, 1], [2, 3, 7], [2, 7, 6], [0, 2, 6], [0, 6, 4],
                      [1, 5, 7], [1, 7, 3]], np.int32)  # fmt: skip
    return Mesh(points, faces, np.tile(np.array(colour, np.float32), (12, 1)))


def turned_profile(profile: list[tuple[float, float]], sides: int, colour: tuple[float, float, float]) -> Mesh:
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


def load(file: Path) -> Mesh:
    """Read a mesh; face or vertex colours and base colours are kept.

    Raises
    ------
    BadInput
        Missing, of another kind, broken, empty, not finite, or too heavy.
    """
    file = Path(file)
    if file.suffix.lower() not in FORMATS:
        raise BadInput(f"'{file.suffix or 'no ending'}' is not a mesh format", "one of " + ", ".join(FORMATS), file)
    try:
        stamp = file.stat().st_mtime_ns
    except OSError as error:
        raise BadInput(f"cannot be read ({(error.strerror or 'error').lower()})", "a mesh file", file) from None
    return _load(file, stamp)


@lru_cache(maxsize=32)
def _load(file: Path, stamp: int) -> Mesh:
    import trimesh

    try:
        loaded: Any = trimesh.load(file, force="scene", process=False)
        parts = [g for g in loaded.dump() if isinstance(g, trimesh.Trimesh) and len(g.faces)]
    except Exception:  # its readers raise whatever their parsers do
        raise BadInput("broken off or not a mesh", "triangles as " + ", ".join(FORMATS), file) from None
    if not parts:
        raise BadInput("holds no triangles", "a mesh with faces", file)
    count = sum(len(p.faces) for p in parts)
    if count > MOST_TRIANGLES:
        raise BadInput(f"has {count:,} triangles", f"at most {MOST_TRIANGLES:,}; thin it first", file)
    meshes = []
    for part in parts:
        points = np.asarray(part.vertices, np.float64)
        if file.suffix.lower() == ".glb":  # glTF is Y up; here Z is
            points = points[:, [0, 2, 1]] * np.array([1.0, -1.0, 1.0])
        if not np.isfinite(points).all():
            raise BadInput("has coordinates that are not numbers", "finite coordinates", file)
        faces = np.asarray(part.faces, np.int32)
        meshes.append(Mesh(points.astype(np.float32), faces, _colours(part, len(faces))))
    return joined(meshes)


def _colours(part: object, count: int) -> np.ndarray:
    """Linear colours of a mesh's faces from its visual, or a neutral grey."""
    visual = getattr(part, "visual", None)
    material = getattr(visual, "material", None)
    base = getattr(material, "baseColorFactor", None)
    if base is not None:
        rgb = np.asarray(base, np.float32)[:3]
        return np.tile(rgb / 255.0 if rgb.max() > 1.0 else rgb, (count, 1)).astype(np.float32)
    if getattr(visual, "kind", None) in ("vertex", "face"):
        rgb = np.asarray(visual.face_colors, np.float32)[:, :3] / 255.0  # type: ignore[union-attr]
        return rgb.astype(np.float32)
    return np.full((count, 3), 0.4, np.float32)


def own_mesh(prop: Prop, folder: Path | None) -> Mesh:
    """A prop's mesh in its own size and coordinates. Files are relative to `folder`, that of the effect."""
    if prop.shape != "mesh":
        return primitive(prop.shape, prop.colour).scaled(prop.size)
    if not prop.file:
        raise BadInput("has no mesh file", "a file for its mesh", place=f"prop {prop.name}")
    return load(mesh_file(prop, folder)).scaled(prop.size)


def mesh_file(prop: Prop, folder: Path | None) -> Path:
    """Where a prop's mesh is on disk."""
    file = Path(prop.file)
    return file if file.is_absolute() else (folder or Path.cwd()) / file


def prop_mesh(prop: Prop, props: tuple[Prop, ...], folder: Path | None, t: float = 0.0) -> Mesh:
    """A prop's mesh in its place at `t` seconds; `props` are those that may carry it."""
    return own_mesh(prop, folder).placed(pose_at(prop, props, t))


def scene_mesh(effect: Effect, folder: Path | None, t: float = 0.0) -> Mesh:
    """All visible props as one mesh at `t` seconds."""
    solo = any(p.solo for p in effect.props)
    return joined([prop_mesh(p, effect.props, folder, t) for p in effect.props if not p.hidden and (p.solo or not solo)])


def spread_points(mesh: Mesh, spacing: float, seed: int, most: int = 200_000) -> np.ndarray:
    """Points on a surface, even by area, about one for each `spacing` squared; (n, 3) float32.

    Barycentric sampling with hashed numbers (Turk 1990): the same mesh gives the same points.
    """
    a, b, c = np.moveaxis(mesh.corners.astype(np.float64), 1, 0)
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    total = float(area.sum())
    if total <= 0:
        return mesh.points[:1].astype(np.float32)
    count = int(min(most, max(16, total / spacing**2)))
    index = np.arange(count)
    pick = (index + unit_array(seed, index)) / count * total
    face = np.minimum(np.searchsorted(np.cumsum(area), pick), len(area) - 1)
    r, s = np.sqrt(unit_array(seed, index, 1)), unit_array(seed, index, 2)
    points = a[face] * (1 - r)[:, None] + b[face] * (r * (1 - s))[:, None] + c[face] * (r * s)[:, None]
    return points.astype(np.float32)
