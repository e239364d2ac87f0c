"""The surface of a liquid as it is drawn: a smoothed distance of its particles (Zhu & Bridson 2005).

Each node takes the mean place of the particles near it; the surface lies a particle's radius round that.
Deep inside it is the distance that their count tells, which costs nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import Grid
from tenka.liquid.state import Liquid
from tenka.liquid.transfer import read

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
REACH = np.float32(1.05)  # voxels over which a particle is felt
ROUND = np.float32(0.395)  # voxels from a particle to the surface
DEEP = np.float32(1.6)  # voxels under the surface, by count, from which particles are not looked at
FAR = np.float32(2.0)  # voxels beyond which no distance is told
FINEST = 127.0 / float(FAR)  # steps in a voxel in which distances are kept
MARGIN = 3  # voxels round what is full


@dataclass
class Skin:
    """A liquid's surface.

    Attributes
    ----------
    distance : (mx, my, mz) float32, voxels of the simulation to the surface, below 0 inside, within FAR
    origin : of the first node's cell, m; cell : m between nodes
    """

    distance: np.ndarray
    origin: tuple[float, float, float]
    cell: float


def box_of(coarse: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    """First and last voxels of what is nearly full, with a margin; None where nothing is."""
    full = coarse < 0.4
    if not full.any():
        return None
    low, high = [], []
    for axis in range(3):
        hit = np.flatnonzero(full.any(axis=tuple(a for a in range(3) if a != axis)))
        low.append(max(int(hit[0]) - MARGIN, 0))
        high.append(min(int(hit[-1]) + 1 + MARGIN, coarse.shape[axis]))
    return np.array(low), np.array(high)


def skin_of(liquid: Liquid, coarse: np.ndarray, grid: Grid, fine: bool) -> Skin | None:
    """The surface; None where nothing is full.

    Parameters
    ----------
    coarse : (nx, ny, nz) voxels to the surface by the particles' count
    fine : on nodes half a voxel apart; else a voxel
    """
    box = box_of(coarse)
    if box is None:
        return None
    low, high = box
    part = 2 if fine else 1
    shape = (high - low) * part
    window = tuple(slice(a, b) for a, b in zip(low, high))
    out = np.empty(tuple(shape), np.float32)
    _spread(np.ascontiguousarray(coarse[window]), part, out)
    if fine:
        origin = np.asarray(grid.origin, np.float32) + np.float32(grid.voxel) * low.astype(np.float32)
        sums = np.zeros((*out.shape, 4), np.float32)
        starts = _slabs_of(liquid.place, origin, grid.voxel / part, out.shape[0])
        for colour in (0, 1):
            _summed(
                liquid.place[starts.order],
                starts.first,
                colour,
                origin,
                np.float32(part / grid.voxel),
                REACH * np.float32(part),
                out,
                sums,
            )
        _near(sums, np.float32(1.0 / part), out)
    out = _smooth(out)
    x, y, z = (float(o + grid.voxel * a) for o, a in zip(grid.origin, low))
    return Skin(out, (x, y, z), grid.voxel / part)


@dataclass
class _Slabs:
    order: np.ndarray
    first: np.ndarray


WIDE = 8  # nodes across x that are worked at together; more than particles reach


def _slabs_of(place: np.ndarray, origin: np.ndarray, cell: float, count: int) -> _Slabs:
    """Particles by slabs of nodes across x, those beyond the nodes left out."""
    slab = np.floor((place[:, 0] - origin[0]) / (cell * WIDE)).astype(np.int64)
    slabs = -(-count // WIDE)
    inside = (slab >= 0) & (slab < slabs)
    rows = np.flatnonzero(inside)
    order = rows[np.argsort(slab[rows], kind="stable")]
    first = np.searchsorted(slab[order], np.arange(slabs + 1))
    return _Slabs(order, first)


@kernel(parallel=True)
def _spread(coarse, part, out):
    """The coarse distance between its middles."""
    nx, ny, nz = coarse.shape
    over = ONE / np.float32(part)
    for p in prange(out.shape[0]):
        x = min(max(ZERO, (np.float32(p) + HALF) * over - HALF), np.float32(nx - 1))
        i = min(np.int64(x), max(nx - 2, 0))
        f, ii = x - np.float32(i), min(np.int64(x) + 1, nx - 1)
        for q in range(out.shape[1]):
            y = min(max(ZERO, (np.float32(q) + HALF) * over - HALF), np.float32(ny - 1))
            j = min(np.int64(y), max(ny - 2, 0))
            g, jj = y - np.float32(j), min(j + 1, ny - 1)
            for r in range(out.shape[2]):
                z = min(max(ZERO, (np.float32(r) + HALF) * over - HALF), np.float32(nz - 1))
                k = min(np.int64(z), max(nz - 2, 0))
                h, kk = z - np.float32(k), min(k + 1, nz - 1)
                a = coarse[i, j, k] * (ONE - h) + coarse[i, j, kk] * h
                b = coarse[i, jj, k] * (ONE - h) + coarse[i, jj, kk] * h
                c = coarse[ii, j, k] * (ONE - h) + coarse[ii, j, kk] * h
                d = coarse[ii, jj, k] * (ONE - h) + coarse[ii, jj, kk] * h
                out[p, q, r] = (a * (ONE - g) + b * g) * (ONE - f) + (c * (ONE - g) + d * g) * f


@kernel(parallel=True)
def _summed(place, first, colour, origin, per, reach, coarse, sums):
    """Weights, and weighted ways to the particles, of the nodes round each particle near the surface."""
    nx, ny, nz, _ = sums.shape
    count = (first.size - 1 - colour + 1) // 2
    for p in prange(count):
        s = 2 * np.int64(p) + colour
        for n in range(first[s], first[s + 1]):
            x = (place[n, 0] - origin[0]) * per - HALF
            y = (place[n, 1] - origin[1]) * per - HALF
            z = (place[n, 2] - origin[2]) * per - HALF
            i, j, k = np.int64(np.floor(x)), np.int64(np.floor(y)), np.int64(np.floor(z))
            if not (0 <= i < nx and 0 <= j < ny and 0 <= k < nz) or coarse[i, j, k] < -DEEP * HALF:
                continue
            i0, i1 = max(math.ceil(x - reach), 0), min(math.floor(x + reach), nx - 1)
            j0, j1 = max(math.ceil(y - reach), 0), min(math.floor(y + reach), ny - 1)
            k0, k1 = max(math.ceil(z - reach), 0), min(math.floor(z + reach), nz - 1)
            over = ONE / (reach * reach)
            for a in range(i0, i1 + 1):
                dx = x - np.float32(a)
                for b in range(j0, j1 + 1):
                    dy = y - np.float32(b)
                    flat = dx * dx + dy * dy
                    for c in range(k0, k1 + 1):
                        dz = z - np.float32(c)
                        left = ONE - (flat + dz * dz) * over
                        if left <= ZERO:
                            continue
                        weight = left * left * left
                        sums[a, b, c, 0] += weight
                        sums[a, b, c, 1] += weight * dx
                        sums[a, b, c, 2] += weight * dy
                        sums[a, b, c, 3] += weight * dz


@kernel(parallel=True)
def _near(sums, voxel, out):
    """The distance by the particles, where there are some and it is not deep inside; `voxel`: of a node's
    cell, in voxels."""
    nx, ny, nz = out.shape
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                if out[i, j, k] < -DEEP * HALF:
                    continue
                weight = sums[i, j, k, 0]
                if weight <= np.float32(1e-6):
                    out[i, j, k] = max(out[i, j, k], HALF)
                    continue
                x, y, z = sums[i, j, k, 1] / weight, sums[i, j, k, 2] / weight, sums[i, j, k, 3] / weight
                away = np.sqrt(x * x + y * y + z * z) * voxel
                out[i, j, k] = min(away - ROUND, FAR)


@kernel(parallel=True)
def _smooth(field):
    """One round of a small blur, which takes off the particles' own bumps."""
    nx, ny, nz = field.shape
    out = np.empty_like(field)
    for p in prange(nx):
        i = np.int64(p)
        a, b = max(i - 1, 0), min(i + 1, nx - 1)
        for j in range(ny):
            c, d = max(j - 1, 0), min(j + 1, ny - 1)
            for k in range(nz):
                e, f = max(k - 1, 0), min(k + 1, nz - 1)
                beside = field[a, j, k] + field[b, j, k] + field[i, c, k] + field[i, d, k]
                beside += field[i, j, e] + field[i, j, f]
                out[i, j, k] = np.float32(0.4) * field[i, j, k] + np.float32(0.1) * beside
    return out


@kernel
def _felt(field, shift, x, y, z):
    """A distance at a node's place of the common box; far outside its own."""
    nx, ny, nz = field.shape
    x, y, z = x - np.float32(shift[0]), y - np.float32(shift[1]), z - np.float32(shift[2])
    if x < -ONE or y < -ONE or z < -ONE or x > nx or y > ny or z > nz:
        return FAR
    return read(field, x, y, z)


@kernel(parallel=True)
def carried(early, late, at_early, at_late, flow, step, share, part, out):
    """Distances at `share` of the way between two frames."""
    nx, ny, nz = out.shape
    scale = np.float32(part)
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                a, b, c = i // part, j // part, k // part
                u = flow[0, a, b, c] * step * scale
                v = flow[1, a, b, c] * step * scale
                w = flow[2, a, b, c] * step * scale
                x, y, z = np.float32(i), np.float32(j), np.float32(k)
                first = _felt(early, at_early, x - share * u, y - share * v, z - share * w)
                rest = ONE - share
                last = _felt(late, at_late, x + rest * u, y + rest * v, z + rest * w)
                found = first + share * (last - first)
                out[i, j, k] = np.int8(
                    round(min(max(found * np.float32(FINEST), np.float32(-127)), np.float32(127)))
                )
