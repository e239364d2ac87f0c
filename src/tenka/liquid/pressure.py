"""Pressure in the cells that are full: it stops what would flow together.

Free surface by ghost values (Gibou et al. 2002; Enright et al. 2003): at the surface itself the pressure is
that of the air, to second order. Faces count by their open share (Batty, Bertails & Bridson 2007). Conjugate
gradients with an incomplete factor that keeps row sums (MIC(0), Bridson 2015), on the full cells alone, in
two fixed blocks, so that the answer hangs on nothing but what is asked.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange

ONE = np.float32(1.0)
ZERO = np.float32(0.0)
LEAST_SHARE = np.float32(0.1)  # of a face's length that lies in the liquid, at least
KEPT = 0.97  # of what the factor leaves out that goes to the diagonal
SAFE = 0.25
BLOCKS = 2
CHUNK = 2048  # over which sums are taken at once


@dataclass
class Full:
    """The full cells of a grid, and how they hang together.

    Attributes
    ----------
    number : (nx, ny, nz) int32, of each cell among the full ones; -1 elsewhere
    cell : (n,) int64, flat index of each; in the grid's order
    beside : (n, 6) int32, numbers of the neighbours -x +x -y +y -z +z; -1 where none is full
    weight : (n, 6) float32, open share of the faces to them; 0 where none is full
    diagonal : (n,) float32
    factor : (n,) float32, of the preconditioner
    """

    number: np.ndarray
    cell: np.ndarray
    beside: np.ndarray
    weight: np.ndarray
    diagonal: np.ndarray
    factor: np.ndarray

    def __len__(self) -> int:
        return len(self.cell)


def full_cells(distance: np.ndarray, open_: list[np.ndarray], lets: np.ndarray) -> Full:
    """The full cells.

    Parameters
    ----------
    distance : (nx, ny, nz) of cells to the surface, below 0 inside
    open_ : open share of the faces, along each axis
    lets : (6,) whether the walls -x +x -y +y -z +z let liquid out
    """
    number = np.full(distance.shape, -1, np.int32)
    count = _numbered(distance, *open_, number)
    cell = np.empty(count, np.int64)
    beside = np.full((count, 6), -1, np.int32)
    weight, diagonal = np.zeros((count, 6), np.float32), np.zeros(count, np.float32)
    _linked(distance, *open_, number, np.asarray(lets, np.bool_), cell, beside, weight, diagonal)
    factor = np.zeros(count, np.float32)
    _factored(beside, weight, diagonal, block_ends(count), factor)
    return Full(number, cell, beside, weight, diagonal, factor)


def block_ends(count: int) -> np.ndarray:
    """Where the blocks of the preconditioner begin and end."""
    return np.array([count * b // BLOCKS for b in range(BLOCKS + 1)])


@kernel
def _numbered(distance, wx, wy, wz, number):
    nx, ny, nz = distance.shape
    count = 0
    for i in range(nx):
        for j in range(ny):
            for k in range(nz):
                if distance[i, j, k] >= ZERO:
                    continue
                ways = wx[i, j, k] + wx[i + 1, j, k] + wy[i, j, k] + wy[i, j + 1, k]
                if ways + wz[i, j, k] + wz[i, j, k + 1] > ZERO:
                    number[i, j, k] = count
                    count += 1
    return count


@kernel(parallel=True)
def _linked(distance, wx, wy, wz, number, lets, cell, beside, weight, diagonal):
    nx, ny, nz = distance.shape
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                n = number[i, j, k]
                if n < 0:
                    continue
                cell[n] = (i * ny + j) * nz + k
                total = ZERO
                for side in range(6):
                    axis, way = side // 2, side % 2
                    step = 1 if way else -1
                    a, b, c = i, j, k
                    if axis == 0:
                        a, share = i + step, wx[i + way, j, k]
                        outside = a < 0 or a >= nx
                    elif axis == 1:
                        b, share = j + step, wy[i, j + way, k]
                        outside = b < 0 or b >= ny
                    else:
                        c, share = k + step, wz[i, j, k + way]
                        outside = c < 0 or c >= nz
                    if share <= ZERO or (outside and not lets[side]):
                        continue
                    if outside:
                        total += share
                        continue
                    other = number[a, b, c]
                    if other >= 0:
                        beside[n, side], weight[n, side] = other, share
                        total += share
                    else:
                        inside, out = distance[i, j, k], distance[a, b, c]
                        part = inside / (inside - out) if out > ZERO else ONE
                        total += share / max(part, LEAST_SHARE)
                diagonal[n] = total


@kernel(parallel=True)
def _factored(beside, weight, diagonal, ends, factor):
    for p in prange(BLOCKS):
        b = np.int64(p)
        first, last = ends[b], ends[b + 1]
        for n in range(first, last):
            left = np.float64(diagonal[n])
            for side in range(0, 6, 2):
                m = beside[n, side]
                if m < first:
                    continue
                own, of = np.float64(weight[n, side]), np.float64(factor[m])
                left -= (own * of) ** 2
                others = 0.0
                for third in range(1, 6, 2):
                    if third != side + 1 and first <= beside[m, third] < last:
                        others += weight[m, third]
                left -= KEPT * own * others * of * of
            if left < SAFE * diagonal[n]:
                left = np.float64(diagonal[n])
            factor[n] = np.float32(1.0 / np.sqrt(left)) if left > 0.0 else ZERO


@kernel(parallel=True)
def _preconditioned(beside, weight, factor, ends, r, middle, out):
    for p in prange(BLOCKS):
        b = np.int64(p)
        first, last = ends[b], ends[b + 1]
        for n_ in range(first, last):
            n = np.uint64(n_)
            t = r[n]
            for side in range(0, 6, 2):
                m = beside[n, side]
                if m >= first:
                    other = np.uint64(m)
                    t += weight[n, side] * factor[other] * middle[other]
            middle[n] = t * factor[n]
        for n_ in range(last - 1, first - 1, -1):
            n = np.uint64(n_)
            t, own = middle[n], factor[n]
            for side in range(1, 6, 2):
                m = beside[n, side]
                if first <= m < last:
                    t += weight[n, side] * own * out[np.uint64(m)]
            out[n] = t * own


@kernel(parallel=True)
def _applied(beside, weight, diagonal, x, out, sums):
    """The matrix times x, and their product summed in chunks."""
    n = x.size
    for p in prange(sums.size):
        first = np.int64(p) * CHUNK
        total = 0.0
        for i_ in range(first, min(first + CHUNK, n)):
            i = np.uint64(i_)
            t = diagonal[i] * x[i]
            for side in range(6):
                m = beside[i, side]
                if m >= 0:
                    t -= weight[i, side] * x[np.uint64(m)]
            out[i] = t
            total += t * x[i]
        sums[p] = total


@kernel(parallel=True)
def _stepped(x, r, along, of, alpha, most):
    for p in prange(most.size):
        first = np.int64(p) * CHUNK
        last = min(first + CHUNK, x.size)
        top = ZERO
        to, left, way, by = x[first:last], r[first:last], along[first:last], of[first:last]
        for i in range(to.size):
            to[i] += alpha * way[i]
            left[i] -= alpha * by[i]
            top = max(top, abs(left[i]))
        most[p] = top


@kernel(parallel=True)
def _product(a, b, sums):
    for p in prange(sums.size):
        first = np.int64(p) * CHUNK
        last = min(first + CHUNK, a.size)
        total, u, v = 0.0, a[first:last], b[first:last]
        for i in range(u.size):
            total += u[i] * v[i]
        sums[p] = total


@kernel(parallel=True)
def _turned(along, z, beta):
    for p in prange(along.size):
        along[p] = z[p] + beta * along[p]


def solve(full: Full, wanted: np.ndarray, x: np.ndarray, tolerance: float, most: int) -> int:
    """Solve the pressure's equation by conjugate gradients, from `x` on, in place.

    Parameters
    ----------
    wanted : (n,) float32, what flows together in each cell
    tolerance : of the largest residual against the largest of what is wanted

    Returns
    -------
    how many rounds it took
    """
    n = len(full)
    if n == 0:
        return 0
    chunks = -(-n // CHUNK)
    sums, tops = np.zeros(chunks), np.zeros(chunks, np.float32)
    of, z, middle = (np.zeros(n, np.float32) for _ in range(3))
    ends = block_ends(n)
    limit = tolerance * float(np.abs(wanted).max())
    _applied(full.beside, full.weight, full.diagonal, x, of, sums)
    r = wanted - of
    if limit <= 0.0 or float(np.abs(r).max()) <= limit:
        return 0
    _preconditioned(full.beside, full.weight, full.factor, ends, r, middle, z)
    along = z.copy()
    _product(z, r, sums)
    rho = float(sums.sum())
    for turn in range(1, most + 1):
        _applied(full.beside, full.weight, full.diagonal, along, of, sums)
        curve = float(sums.sum())
        if curve <= 0.0:
            return turn
        _stepped(x, r, along, of, np.float32(rho / curve), tops)
        if float(tops.max()) <= limit:
            return turn
        _preconditioned(full.beside, full.weight, full.factor, ends, r, middle, z)
        _product(z, r, sums)
        new = float(sums.sum())
        _turned(along, z, np.float32(new / rho))
        rho = new
    return most
