"""Signed distances: of primitive forms in closed form, and of meshes on a grid of their own."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy import ndimage

from tenka.base.jit import kernel
from tenka.effect.model import Prop
from tenka.scene.meshes import Mesh
from tenka.scene.props import deforms, form_of, own_mesh, stamp_of

BAND = 3  # voxels round the surface in which the distance is exact
MOST_CELLS = 96  # along a mesh's longest side
NUDGE = 1.2345e-4  # of a voxel: keeps rays off the edges of axis-aligned meshes


def form_distance(shape: str, size: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Distance to a form centred on the origin, negative inside (for stretched round forms: a first-order
    estimate).

    Parameters
    ----------
    shape : sphere, box, cylinder, cone (tip up), torus (flat), capsule (upright)
    size : (3,) extent in m
    points : (n, 3)
    """
    half = np.asarray(size, float) / 2
    if shape == "sphere":
        k0 = np.linalg.norm(points / half, axis=1)
        k1 = np.linalg.norm(points / half**2, axis=1)
        return np.where(k1 > 1e-9, k0 * (k0 - 1.0) / np.maximum(k1, 1e-9), -half.min())
    if shape == "box":
        return _corner(np.abs(points) - half)
    radius = min(half[0], half[1])
    across = np.hypot(points[:, 0] / half[0], points[:, 1] / half[1]) * radius  # as if it were round
    if shape == "cylinder":
        return _corner(np.stack([across - radius, np.abs(points[:, 2]) - half[2]], axis=1))
    if shape == "cone":
        slope = radius / (2 * half[2])
        side = (across - slope * (half[2] - points[:, 2])) / np.hypot(1.0, slope)
        return np.maximum(side, np.abs(points[:, 2]) - half[2])
    if shape == "torus":
        tube = half[2]
        return np.hypot(across - max(radius - tube, 0.0), points[:, 2]) - tube
    if shape == "capsule":
        reach = max(half[2] - radius, 0.0)
        return np.hypot(across, points[:, 2] - np.clip(points[:, 2], -reach, reach)) - radius
    raise ValueError(f"no form is called {shape}")


def _corner(q: np.ndarray) -> np.ndarray:
    return np.linalg.norm(np.maximum(q, 0), axis=1) + np.minimum(q.max(axis=1), 0)


def curve_distance(curve: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Distance of (n, 3) points to a line through (m, 3) points."""
    best = np.full(len(points), np.inf)
    for a, b in zip(curve[:-1], curve[1:]):
        along = b - a
        share = np.clip((points - a) @ along / max(float(along @ along), 1e-12), 0, 1)
        best = np.minimum(best, np.linalg.norm(points - a - share[:, None] * along, axis=1))
    return best


@dataclass(frozen=True)
class DistanceField:
    """Signed distance on a grid in a mesh's own coordinates.

    Attributes
    ----------
    values : (nx, ny, nz) m, at `origin + index * step`
    """

    values: np.ndarray
    origin: np.ndarray
    step: float

    def at(self, points: np.ndarray) -> np.ndarray:
        """Interpolated distance at (n, 3) points; outside the grid, that of its border plus the way to it."""
        place = (points - self.origin) / self.step
        held = np.clip(place, 0, np.asarray(self.values.shape) - 1)
        inner = ndimage.map_coordinates(self.values, held.T, order=1, mode="nearest")
        return inner + np.linalg.norm(place - held, axis=1) * self.step


@kernel
def _point_triangle(px, py, pz, a, b, c):
    """Squared distance of a point to a triangle (Ericson, Real-Time Collision Detection, 5.1.5)."""
    abx, aby, abz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    acx, acy, acz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    apx, apy, apz = px - a[0], py - a[1], pz - a[2]
    d1, d2 = abx * apx + aby * apy + abz * apz, acx * apx + acy * apy + acz * apz
    bpx, bpy, bpz = px - b[0], py - b[1], pz - b[2]
    d3, d4 = abx * bpx + aby * bpy + abz * bpz, acx * bpx + acy * bpy + acz * bpz
    cpx, cpy, cpz = px - c[0], py - c[1], pz - c[2]
    d5, d6 = abx * cpx + aby * cpy + abz * cpz, acx * cpx + acy * cpy + acz * cpz
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    if d1 <= 0 and d2 <= 0:
        v, w = 0.0, 0.0
    elif d3 >= 0 and d4 <= d3:
        v, w = 1.0, 0.0
    elif d6 >= 0 and d5 <= d6:
        v, w = 0.0, 1.0
    elif vc <= 0 and d1 >= 0 and d3 <= 0:
        v, w = d1 / max(d1 - d3, 1e-30), 0.0
    elif vb <= 0 and d2 >= 0 and d6 <= 0:
        v, w = 0.0, d2 / max(d2 - d6, 1e-30)
    elif va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        w = (d4 - d3) / max((d4 - d3) + (d5 - d6), 1e-30)
        v = 1.0 - w
    else:
        n = 1.0 / max(va + vb + vc, 1e-30)
        v, w = vb * n, vc * n
    x, y, z = apx - v * abx - w * acx, apy - v * aby - w * acy, apz - v * abz - w * acz
    return x * x + y * y + z * z


@kernel
def _span(a, b, c, band, n):
    """Grid indices within `band` of three coordinates: from the first, to before the last."""
    low, high = min(a, min(b, c)) - band, max(a, max(b, c)) + band
    return max(int(np.ceil(low)), 0), min(int(np.floor(high)), n - 1) + 1


@kernel
def _splat(corners, band, out):
    """Squared distances, in voxels, of the voxels within `band` of each triangle."""
    nx, ny, nz = out.shape
    for t in range(corners.shape[0]):
        a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
        x0, x1 = _span(a[0], b[0], c[0], band, nx)
        y0, y1 = _span(a[1], b[1], c[1], band, ny)
        z0, z1 = _span(a[2], b[2], c[2], band, nz)
        for i in range(x0, x1):
            for j in range(y0, y1):
                for k in range(z0, z1):
                    d = _point_triangle(np.float64(i), np.float64(j), np.float64(k), a, b, c)
                    if d < out[i, j, k]:
                        out[i, j, k] = d


@kernel
def _crossings(corners, out):
    """Add, at the first grid point above each crossing of the surface along z, 1 where it is entered and -1
    where it is left."""
    nx, ny, nz = out.shape
    for t in range(corners.shape[0]):
        a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
        area = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
        if abs(area) < 1e-14:
            continue
        x0, x1 = _span(a[0], b[0], c[0], 0.0, nx)
        y0, y1 = _span(a[1], b[1], c[1], 0.0, ny)
        for i in range(x0, x1):
            for j in range(y0, y1):
                u = ((b[0] - i) * (c[1] - j) - (c[0] - i) * (b[1] - j)) / area
                v = ((c[0] - i) * (a[1] - j) - (a[0] - i) * (c[1] - j)) / area
                w = 1.0 - u - v
                if u >= 0 and v >= 0 and w >= 0:
                    k = max(np.int64(np.ceil(u * a[2] + v * b[2] + w * c[2])), 0)
                    if k < nz:
                        out[i, j, k] += np.int16(1) if area < 0 else np.int16(-1)


def distance_field(mesh: Mesh, step: float) -> DistanceField:
    """Signed distance of a mesh.

    A point is inside where rays along at least two of the three axes have entered more or less often than
    they have left, so that parts may overlap and a small hole or a turned triangle does no harm; an open
    sheet has no inside. Cracks narrower than two steps are closed. Within `BAND` steps of the outside the
    distance is exact, further off and deep inside it is that of the grid.
    """
    low, high = (np.asarray(b, np.float64) for b in mesh.bounds)
    step = max(step, float((high - low).max()) / MOST_CELLS, 1e-6)
    origin = low - (BAND + 1) * step
    shape = tuple(int(n) for n in np.ceil((high - low) / step).astype(int) + 2 * BAND + 3)
    corners = (mesh.corners.astype(np.float64) - origin) / step
    squared = np.full(shape, float(BAND * BAND), np.float64)
    _splat(corners, float(BAND), squared)
    votes = np.zeros(shape, np.int8)
    for axis in range(3):
        order = [(axis + 1) % 3, (axis + 2) % 3, axis]
        changes = np.zeros([shape[a] for a in order], np.int16)
        _crossings(np.ascontiguousarray(corners[:, :, order] + NUDGE * np.array([1.0, 1.7, 0.0])), changes)
        votes += (np.cumsum(changes, axis=2) != 0).transpose(np.argsort(order)).astype(np.int8)
    inside = ndimage.binary_closing(votes >= 2)
    distance = np.sqrt(squared)
    far = distance >= BAND - 1e-9
    if far.any():
        distance = np.where(far, BAND - 1 + ndimage.distance_transform_edt(far), distance)
    if inside.any():  # faces within a solid, where parts meet or overlap, are no surface of it
        deep = ndimage.distance_transform_edt(inside) - 1.0
        distance = np.where(inside, -np.maximum(distance, deep), distance)
    return DistanceField((distance * step).astype(np.float32), origin, step)


@lru_cache(maxsize=24)
def _field_of(form: Prop, folder: Path | None, stamp: int, step: float, t: float) -> DistanceField:
    return distance_field(own_mesh(form, folder, t), step)


def field_of(prop: Prop, folder: Path | None, step: float, t: float = 0.0) -> DistanceField:
    """The distance field of a prop's mesh at `t` seconds, in the prop's own coordinates; kept for the props
    used last."""
    return _field_of(form_of(prop), folder, stamp_of(prop, folder), step, t if deforms(prop) else 0.0)


def prop_distance(
    prop: Prop, folder: Path | None, points: np.ndarray, step: float, t: float = 0.0
) -> np.ndarray:
    """Signed distance of (n, 3) points in a prop's own coordinates at `t` seconds; `step` is the finest that
    a mesh's grid need be."""
    if prop.shape in ("mesh", "figure") or prop.copies > 1:
        return field_of(prop, folder, step, t).at(points)
    return form_distance(prop.shape, np.asarray(prop.size), points - np.array([0.0, 0.0, prop.size[2] / 2]))


def gradient(distance, points: np.ndarray, reach: float) -> np.ndarray:
    """Unit direction in which a distance function grows, (n, 3), by central differences over `reach`."""
    out = np.empty_like(points)
    for axis in range(3):
        shift = np.zeros(3)
        shift[axis] = reach
        out[:, axis] = distance(points + shift) - distance(points - shift)
    return out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-9)
