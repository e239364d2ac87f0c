"""A liquid's surface as a mesh: surface nets (Gibson 1998), with a vertex in each cell that it crosses.

That lies at the mean of where the surface crosses the cell's edges.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel
from tenka.liquid.skin import FAR, Skin
from tenka.liquid.transfer import read

ONE = np.float32(1.0)


@dataclass(frozen=True)
class Net:
    """A closed mesh.

    Attributes
    ----------
    points, normals : (n, 3) float32, m; outward
    faces : (m, 3) int32, anticlockwise from outside
    """

    points: np.ndarray
    normals: np.ndarray
    faces: np.ndarray


def _within(distance: np.ndarray, off: float, per: float) -> float:
    """Cells inside of a surface that is moved out by `off`, those that it cuts by their share."""
    return float(np.clip(0.5 - (distance - off) * per, 0.0, 1.0).sum(dtype=np.float64))


def coarsened(skin: Skin, by: int) -> Skin:
    """The surface on cells so many times larger, moved out until it holds as much as it did: what is thin
    would be gone else."""
    if by <= 1:
        return skin
    d = skin.distance
    pad = [(0, -n % by) for n in d.shape]
    d = np.pad(d, pad, mode="edge")
    nx, ny, nz = (n // by for n in d.shape)
    mean = d.reshape(nx, by, ny, by, nz, by).mean(axis=(1, 3, 5)).astype(np.float32)
    per = 2.0  # of the finest cells to a voxel: distances are told in voxels
    wanted = _within(skin.distance, 0.0, per) / by**3
    low, high = -1.0, float(by)
    for _ in range(18):
        middle = 0.5 * (low + high)
        if _within(mean, middle, per / by) < wanted:
            low = middle
        else:
            high = middle
    return Skin(mean - np.float32(0.5 * (low + high)), skin.origin, skin.cell * by)


def net_of(skin: Skin | None, coarser: int = 1) -> Net:
    """The mesh of a surface; what the box cuts is closed there."""
    if skin is None:
        return Net(np.zeros((0, 3), np.float32), np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32))
    skin = coarsened(skin, coarser)
    field = np.pad(skin.distance, 1, constant_values=FAR)
    number = np.full(tuple(n - 1 for n in field.shape), -1, np.int32)
    count, quads = _counted(field, number)
    points, normals = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    faces = np.empty((2 * quads, 3), np.int32)
    _woven(field, number, points, normals, faces)
    # sample (i, j, k) of the padded field is the middle of cell (i - 1, j - 1, k - 1)
    origin = np.asarray(skin.origin, np.float32)
    return Net((points - np.float32(0.5)) * np.float32(skin.cell) + origin, normals, faces)


def vertices_of(skin: Skin) -> int:
    """How many vertices the mesh of a surface has."""
    field = np.pad(skin.distance, 1, constant_values=FAR)
    return int(_counted(field, np.full(tuple(n - 1 for n in field.shape), -1, np.int32))[0])


@kernel
def _counted(field, number):
    """Number the cells that the surface crosses; how many these are, and how many edges it crosses."""
    nx, ny, nz = number.shape
    count, quads = 0, 0
    for i in range(nx):
        for j in range(ny):
            for k in range(nz):
                inside = 0
                for c in range(8):
                    if field[i + (c & 1), j + ((c >> 1) & 1), k + (c >> 2)] < 0:
                        inside += 1
                if 0 < inside < 8:
                    number[i, j, k] = count
                    count += 1
                here = field[i, j, k] < 0
                if j > 0 and k > 0 and here != (field[i + 1, j, k] < 0):
                    quads += 1
                if i > 0 and k > 0 and here != (field[i, j + 1, k] < 0):
                    quads += 1
                if i > 0 and j > 0 and here != (field[i, j, k + 1] < 0):
                    quads += 1
    return count, quads


@kernel
def _two(faces, at, a, b, c, d, turn):
    """A quad as two triangles, turned round where the inside lies on the other side."""
    if turn:
        b, d = d, b
    faces[at, 0], faces[at, 1], faces[at, 2] = a, b, c
    faces[at + 1, 0], faces[at + 1, 1], faces[at + 1, 2] = a, c, d


@kernel
def _woven(field, number, points, normals, faces):
    nx, ny, nz = number.shape
    at = 0
    for i in range(nx):
        for j in range(ny):
            for k in range(nz):
                n = number[i, j, k]
                if n >= 0:
                    x, y, z, crossed = 0.0, 0.0, 0.0, 0
                    for c in range(8):
                        for axis in range(3):
                            if (c >> axis) & 1:
                                continue
                            a, b, e = c & 1, (c >> 1) & 1, c >> 2
                            p = field[i + a, j + b, k + e]
                            q = field[
                                i + a + (1 if axis == 0 else 0),
                                j + b + (1 if axis == 1 else 0),
                                k + e + (1 if axis == 2 else 0),
                            ]
                            if (p < 0) == (q < 0):
                                continue
                            s = p / (p - q)
                            x += a + (s if axis == 0 else 0.0)
                            y += b + (s if axis == 1 else 0.0)
                            z += e + (s if axis == 2 else 0.0)
                            crossed += 1
                    px = np.float32(i + x / crossed)
                    py = np.float32(j + y / crossed)
                    pz = np.float32(k + z / crossed)
                    points[n, 0], points[n, 1], points[n, 2] = px, py, pz
                    gx = read(field, px + ONE, py, pz) - read(field, px - ONE, py, pz)
                    gy = read(field, px, py + ONE, pz) - read(field, px, py - ONE, pz)
                    gz = read(field, px, py, pz + ONE) - read(field, px, py, pz - ONE)
                    size = np.sqrt(gx * gx + gy * gy + gz * gz)
                    if size > 0:
                        normals[n, 0], normals[n, 1], normals[n, 2] = gx / size, gy / size, gz / size
                    else:
                        normals[n, 0], normals[n, 1], normals[n, 2] = 0.0, 0.0, 1.0
                here = field[i, j, k] < 0
                if j > 0 and k > 0 and here != (field[i + 1, j, k] < 0):
                    a, b = number[i, j - 1, k - 1], number[i, j, k - 1]
                    _two(faces, at, a, b, number[i, j, k], number[i, j - 1, k], not here)
                    at += 2
                if i > 0 and k > 0 and here != (field[i, j + 1, k] < 0):
                    a, b = number[i - 1, j, k - 1], number[i - 1, j, k]
                    _two(faces, at, a, b, number[i, j, k], number[i, j, k - 1], not here)
                    at += 2
                if i > 0 and j > 0 and here != (field[i, j, k + 1] < 0):
                    a, b = number[i - 1, j - 1, k], number[i, j - 1, k]
                    _two(faces, at, a, b, number[i, j, k], number[i - 1, j, k], not here)
                    at += 2


def sampled(
    field: np.ndarray, places: np.ndarray, origin: tuple[float, float, float], cell: float
) -> np.ndarray:
    """A field on middles of cells, read at places, (n,)."""
    return sampled_at(field, (places - np.asarray(origin, np.float32)) / np.float32(cell) - np.float32(0.5))


def sampled_at(field: np.ndarray, at: np.ndarray) -> np.ndarray:
    """A field read at places in its own samples, (n, 3), between them and held outside."""
    out = np.empty(len(at), np.float32)
    if len(at):
        _sampled(np.ascontiguousarray(field, np.float32), at.astype(np.float32), out)
    return out


@kernel
def _sampled(field, at, out):
    for n in range(out.size):
        out[n] = read(field, at[n, 0], at[n, 1], at[n, 2])
