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


def grouped(points: np.ndarray, normals: np.ndarray, edge: float) -> tuple[np.ndarray, int]:
    """Which of some groups each vertex belongs to, and how many these are: those in a cell of an edge, m,
    that face the same way, so that the two sides of a sheet stay apart (Rossignac & Borrel 1993)."""
    axis = np.abs(normals).argmax(axis=1)
    ahead = np.take_along_axis(normals, axis[:, None], 1)[:, 0] > 0
    cell = np.floor(points / np.float32(edge)).astype(np.int64)
    keys = np.concatenate([cell, (2 * axis + ahead)[:, None]], axis=1)
    _, group = np.unique(keys, axis=0, return_inverse=True)
    return group.reshape(-1), int(group.max()) + 1 if len(points) else 0


def clustered(
    points: np.ndarray, normals: np.ndarray, faces: np.ndarray, edge: float
) -> tuple[Net, np.ndarray]:
    """A mesh with one vertex for those that lie together, and the group of each that there was: what is thin
    stays, as coarser cells of the surface itself would not keep it."""
    group, count = grouped(points, normals, edge)
    many = np.maximum(np.bincount(group, minlength=count), 1)[:, None]
    place, way = (
        np.stack([np.bincount(group, v[:, k], count) for k in range(3)], axis=1) for v in (points, normals)
    )
    way = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    new = group[faces]
    whole = (new[:, 0] != new[:, 1]) & (new[:, 1] != new[:, 2]) & (new[:, 0] != new[:, 2])
    kept = new[whole]
    _, first = np.unique(np.sort(kept, axis=1), axis=0, return_index=True)
    kept = kept[np.sort(first)]
    return Net((place / many).astype(np.float32), way.astype(np.float32), kept.astype(np.int32)), group


def net_of(skin: Skin | None, coarser: int = 1) -> Net:
    """The mesh of a surface; what the box cuts is closed there."""
    if skin is None:
        return Net(np.zeros((0, 3), np.float32), np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32))
    field = np.pad(skin.distance, 1, constant_values=FAR)
    number = np.full(tuple(n - 1 for n in field.shape), -1, np.int32)
    count, quads = _counted(field, number)
    points, normals = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    faces = np.empty((2 * quads, 3), np.int32)
    _woven(field, number, points, normals, faces)
    # sample (i, j, k) of the padded field is the middle of cell (i - 1, j - 1, k - 1)
    places = (points - np.float32(0.5)) * np.float32(skin.cell) + np.asarray(skin.origin, np.float32)
    if coarser > 1:
        return clustered(places, normals, faces, coarser * skin.cell)[0]
    return Net(places, normals, faces)


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
