"""Stirred turbulence: a velocity without divergence from a potential that turns in time."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.randomness import stable_seed, unit_array
from tenka.gas.felt import TurbulenceInput
from tenka.gas.grid import Grid

ZERO = np.float32(0.0)


BSPLINE_RMS = math.sqrt(0.5 * 2.0 * (151.0 / 315.0) ** 2 * (2.0 / 3.0))
"""Root mean square of one component of the curl of a unit-spaced cubic B-spline potential whose lattice
values are cosines of random phase (variance 1/2)."""


def _spline_weights(x: np.ndarray, size: float) -> tuple[np.ndarray, int]:
    """Cubic B-spline weights (len(x), lattice) of coordinates on a lattice of spacing `size`, and its first
    index."""
    place = x / size
    first = math.floor(float(place.min())) - 1
    count = math.floor(float(place.max())) + 3 - first
    d = np.abs(place[:, None] - (first + np.arange(count))[None, :])
    near = (4.0 - 6.0 * d**2 + 3.0 * d**3) / 6.0
    far = np.maximum(0.0, 2.0 - d) ** 3 / 6.0
    return np.where(d < 1.0, near, far).astype(np.float32), first


@kernel
def _expand_slab(i, wx, wy, wz, lattice, out, add):
    """One x slab of the spline, in loops: array expressions would take five times as long to compile."""
    few, rows, columns = lattice.shape
    ny, nz = wy.shape[0], wz.shape[1]
    flat, half = np.zeros((rows, columns), np.float32), np.zeros(columns, np.float32)
    for a in range(few):
        weight = wx[i, a]
        if weight != ZERO:
            for b in range(rows):
                for c in range(columns):
                    flat[b, c] += weight * lattice[a, b, c]
    for j in range(ny):
        half[:] = ZERO
        for b in range(rows):
            weight = wy[j, b]
            if weight != ZERO:
                for c in range(columns):
                    half[c] += weight * flat[b, c]
        row = out[i, j]
        if not add:
            row[:] = ZERO
        for c in range(columns):
            weight = half[c]
            if weight != ZERO:
                for k in range(nz):
                    row[k] += weight * wz[c, k]


@kernel(parallel=True)
def _expand(wx, wy, wz, lattice, out, add):
    """Tensor-product spline: (a, b, c) lattice values to a field on the grid, one x slab at a time."""
    for p_ in prange(wx.shape[0]):
        _expand_slab(np.int64(p_), wx, wy, wz, lattice, out, add)


@lru_cache(maxsize=48)
def _spline_lattice(grid: Grid, component: int, size: float, seed: int) -> tuple[np.ndarray, ...]:
    """Weights along x, y (rows) and z (columns), and the lattice's phases and paces."""
    axes, firsts = [], []
    for axis, n in enumerate(grid.shape):
        place = np.arange(n) + 0.5 if axis == component else np.arange(n + 1)
        weights, first = _spline_weights(grid.origin[axis] + place * grid.voxel, size)
        axes.append(weights)
        firsts.append(first)
    i, j, k = np.meshgrid(*(f + np.arange(w.shape[1]) for f, w in zip(firsts, axes)), indexing="ij")
    return (
        axes[0],
        axes[1],
        np.ascontiguousarray(axes[2].T),
        unit_array(seed, i, j, k),
        0.6 + 0.8 * unit_array(seed + 1, i, j, k),
    )


def turbulence_potential(
    force: TurbulenceInput, grid: Grid, time: float, out: tuple[np.ndarray, ...]
) -> None:
    """Fill `out` with the vector potential of the stirred velocity on the grid's edges, in m/s times voxel
    edge.

    Bridson, Hourihan & Nordenstam (2007): the curl of any potential has no divergence. The potential is a
    cubic B-spline over hashed lattice values that turn in time, so it is evaluated by small matrix
    products, and the grid's own curl of it is divergence-free to round-off.
    """
    share = math.sqrt(1.0 / (1.0 + force.detail**2))
    for c in range(3):
        for octave, amount in ((0, share), (1, share * force.detail)):
            if amount <= 0:
                continue
            size = force.size / (1 << octave)
            scale = amount * force.strength / math.sqrt(3.0) * size / BSPLINE_RMS / grid.voxel
            wx, wy, wz, phase, pace = _spline_lattice(grid, c, size, stable_seed(force.seed, octave, c))
            angle = (2.0 * np.pi * phase + (2.0 * np.pi * force.rate * (octave + 1) * time) * pace) % (
                2.0 * np.pi
            )
            _expand(wx, wy, wz, (scale * np.cos(angle)).astype(np.float32), out[c], octave > 0)


@kernel(parallel=True)
def stir(px, py, pz, share, u, v, w):
    """Add `share` of the curl of an edge potential to the faces."""
    nx, ny, nz = u.shape[0] - 1, v.shape[1] - 1, w.shape[2] - 1
    for p_ in prange(nx + 1):
        i = np.int64(p_)
        for j in range(ny):
            row, a, b, c = u[i, j], pz[i, j + 1], pz[i, j], py[i, j]
            for k in range(nz):
                row[k] += share * (a[k] - b[k] - c[k + 1] + c[k])
        if i == nx:
            continue
        for j in range(ny + 1):
            row, a, b, c = v[i, j], px[i, j], pz[i + 1, j], pz[i, j]
            for k in range(nz):
                row[k] += share * (a[k + 1] - a[k] - b[k] + c[k])
        for j in range(ny):
            row, a, b, c, d = w[i, j], py[i + 1, j], py[i, j], px[i, j + 1], px[i, j]
            for k in range(nz + 1):
                row[k] += share * (a[k] - b[k] - c[k] + d[k])
