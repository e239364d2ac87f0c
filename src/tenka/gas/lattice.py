"""Lattices of a length in metres over a grid: means on to them, and a smooth way back.

A lattice's means are weighted by hats (linear B-splines), whose sums over every second point are again such
sums, of hats twice as wide: a coarser lattice takes its means from the one before. The points are counted
from the middle of the box.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import Grid, Workspace

ZERO = np.float32(0.0)
ONE = np.float32(1.0)

Map = tuple[np.ndarray, np.ndarray, np.ndarray]
"""Of each finer sample along an axis: the lattice point below it, and the share of the one above; and both as
a matrix, (points, samples)."""


def _map(below: np.ndarray, share: np.ndarray, count: int) -> Map:
    matrix, samples = np.zeros((count + 1, len(below))), np.arange(len(below))
    matrix[below, samples] = 1.0 - share
    matrix[below + 1, samples] += share
    return below.astype(np.int64), share.astype(np.float32), matrix[:count].astype(np.float32)


@kernel(parallel=True)
def _gather_planes(fine, by, fy, along_z, out):
    """Hat-weighted sums along y and z, (3, nx, my, mz); `along_z` is (nz, mz)."""
    _, nx, ny, nz = fine.shape
    my = out.shape[2]
    for p_ in prange(3 * nx):
        q, i = np.int64(p_) // nx, np.int64(p_) % nx
        rows = np.zeros((my + 1, nz), np.float32)
        for j in range(ny):
            low, high, row, f = rows[by[j]], rows[by[j] + 1], fine[q, i, j], fy[j]
            for k in range(nz):
                low[k] += (ONE - f) * row[k]
                high[k] += f * row[k]
        np.dot(rows[:my], along_z, out[q, i])


@kernel(parallel=True)
def _gather_x(planes, bx, fx, out):
    """Hat-weighted sums along x. In one order, so that threads change nothing."""
    _, nx, my, mz = planes.shape
    mx = out.shape[1]
    for p_ in prange(3 * mx):
        q, a = np.int64(p_) // mx, np.int64(p_) % mx
        out[q, a] = ZERO
        for i in range(nx):
            weight = ONE - fx[i] if bx[i] == a else (fx[i] if bx[i] + 1 == a else ZERO)
            if weight > ZERO:
                for b in range(my):
                    row, other = out[q, a, b], planes[q, i, b]
                    for d in range(mz):
                        row[d] += weight * other[d]


@kernel(parallel=True)
def _means(sums, wx, wy, wz, out):
    _, mx, my, mz = sums.shape
    for p_ in prange(3 * mx):
        q, a = np.int64(p_) // mx, np.int64(p_) % mx
        for b in range(my):
            row, other, weight = out[q, a, b], sums[q, a, b], wx[a] * wy[b]
            for d in range(mz):
                row[d] = other[d] / (weight * wz[d])


@kernel(parallel=True)
def _spread(coarse, bx, fx, by, fy, over_z, gate, gated, rows, add, out):
    """A lattice's field, interpolated and gated, added to a finer one or set; `over_z` is (mz, nz). Returns
    the slab sums."""
    _, nx, ny, nz = out.shape
    _, mx, my, mz = coarse.shape
    sums = np.zeros((nx, 3), np.float64)
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b, f = bx[i], min(bx[i] + 1, mx - 1), fx[i]
        plane = np.empty((my, mz), np.float32)
        for q in range(3):
            for d in range(my):
                row, low, high = plane[d], coarse[q, a, d], coarse[q, b, d]
                for k in range(mz):
                    row[k] = (ONE - f) * low[k] + f * high[k]
            lines, total = np.dot(plane, over_z), np.float64(0.0)
            for j in range(ny):
                row = out[q, i, j]
                if not rows[i, j]:
                    if not add:
                        row[:] = ZERO
                    continue
                low, high, g = lines[by[j]], lines[min(by[j] + 1, my - 1)], fy[j]
                part = np.float32(0.0)
                if gated:
                    open_ = gate[i, j]
                    for k in range(nz):
                        value = open_[k] * (low[k] + g * (high[k] - low[k]))
                        part += value
                        row[k] = row[k] + value if add else value
                else:
                    for k in range(nz):
                        value = low[k] + g * (high[k] - low[k])
                        part += value
                        row[k] = row[k] + value if add else value
                total += part
            sums[i, q] = total
    return sums


NO_GATE = np.zeros((1, 1, 1), np.float32)


@lru_cache(maxsize=32)
def _over_blocks(f: int, fine: int, count: int) -> Map:
    """Where voxels lie between the middles of blocks of `f` of them; held beyond the outermost."""
    at = np.clip((np.arange(fine) + 0.5) / f - 0.5, 0.0, count - 1.0)
    below = np.minimum(at.astype(np.int64), max(count - 2, 0))
    return _map(below, at - below, count)


def interpolate(blocks: np.ndarray, f: int, out: np.ndarray) -> None:
    """Set a field on a grid, (3, nx, ny, nz), to one of blocks of `f` voxels a side."""
    maps = [_over_blocks(f, n, m) for n, m in zip(out.shape[1:], blocks.shape[1:])]
    _laid(blocks, maps, NO_GATE, np.ones(out.shape[1:3], np.bool_), False, out)


def _laid(
    coarse: np.ndarray, maps: Sequence[Map], gate: np.ndarray, rows: np.ndarray, add: bool, out: np.ndarray
) -> np.ndarray:
    (bx, fx, _), (by, fy, _), (_, _, over_z) = maps
    sums: np.ndarray = _spread(coarse, bx, fx, by, fy, over_z, gate, gate is not NO_GATE, rows, add, out)
    return sums.sum(axis=0)


@dataclass(frozen=True)
class Lattice:
    """One lattice over the next finer one, or over the grid.

    Attributes
    ----------
    shape : points along each axis
    maps : where the finer samples lie between them, per axis
    weights : sum of the hats over the grid's voxels at each point, per axis
    """

    shape: tuple[int, int, int]
    maps: tuple[Map, Map, Map]
    weights: tuple[np.ndarray, np.ndarray, np.ndarray]

    def restrict(self, finer: np.ndarray, work: Workspace) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Weighted sums of a field or of a finer lattice's sums, their means, and room for a field: each (3,
        *shape)."""
        (bx, fx, _), (by, fy, _), (_, _, over_z) = self.maps
        (planes,) = work.arrays(("lattice planes", self.shape), 1, (3, finer.shape[1], *self.shape[1:]))
        sums, mean, room = work.arrays(("lattice", self.shape), 3, (3, *self.shape))
        _gather_planes(finer, by, fy, np.ascontiguousarray(over_z.T), planes)
        _gather_x(planes, bx, fx, sums)
        _means(sums, *self.weights, mean)
        return sums, mean, room

    def add_to(self, coarse: np.ndarray, finer: np.ndarray) -> None:
        """Add a field of this lattice to one of the next finer."""
        _laid(coarse, self.maps, NO_GATE, np.ones(finer.shape[1:3], np.bool_), True, finer)

    def spread(self, coarse: np.ndarray, gate: np.ndarray, rows: np.ndarray, out: np.ndarray) -> np.ndarray:
        """Set a field on the grid to one of this lattice times `gate`, nothing but in `rows`; its sums."""
        return _laid(coarse, self.maps, gate, rows, False, out)


def _along(places: np.ndarray) -> tuple[int, int, Map]:
    """First point, number of points and map of samples whose places are given in edges from the middle."""
    if len(places) == 1:
        return 0, 1, _map(np.zeros(1, np.int64), np.zeros(1), 1)
    below = np.floor(places + 1e-6)
    share = np.maximum(places - below, 0.0)
    share[share < 2e-6] = 0.0
    first = int(below[0])
    last = int(below[-1]) + (1 if share[-1] > 0 else 0)
    count = last - first + 1
    return first, count, _map((below - first).astype(np.int64), share, count)


@lru_cache(maxsize=32)
def lattices(grid: Grid, edges: tuple[float, ...]) -> list[Lattice]:
    """The lattices of a grid, each of edges twice those of the one before.

    Parameters
    ----------
    edges : m, each a power of two times the first, rising
    """
    places = [
        o + (np.arange(n) + 0.5) * grid.voxel - c for o, n, c in zip(grid.origin, grid.shape, grid.box[0])
    ]
    weights = [np.ones(n) for n in grid.shape]
    found = []
    for edge in edges:
        along = [_along(p / edge) for p in places]
        weights = [held[2] @ w for w, (_, _, held) in zip(weights, along)]
        shape = tuple(count for _, count, _ in along)
        maps = tuple(held for _, _, held in along)
        thin = tuple(w.astype(np.float32) for w in weights)
        found.append(Lattice(shape, maps, thin))  # type: ignore[arg-type]
        places = [(first + np.arange(count)) * edge for first, count, _ in along]
    return found
