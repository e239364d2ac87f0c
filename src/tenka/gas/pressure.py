"""Projection on to divergence-free velocity, exact for a box without colliders.

The discrete Poisson operator of a staggered grid is diagonal in a product of one-dimensional cosine and
sine bases, one per axis, chosen by its two walls: closed (no flow through) or open (no pressure at the
wall). Strang, "The discrete cosine transform", SIAM Review 41 (1999) lists them:

closed-closed DCT-II, open-open DST-II, closed-open DCT-IV, open-closed DST-IV.

Axes of up to `DENSE_LIMIT` voxels are transformed by a matrix product, longer ones by a fast transform.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy.fft

from tenka.base.jit import kernel, prange
from tenka.gas.bounded import project_round
from tenka.gas.ghosts import outflow
from tenka.gas.grid import GasState, Grid, Workspace
from tenka.gas.solids import Solids

DENSE_LIMIT = 96
ZERO = np.float32(0.0)


@lru_cache(maxsize=64)
def basis(n: int, open_low: bool, open_high: bool) -> tuple[np.ndarray, np.ndarray]:
    """Orthonormal basis (rows are modes, float32) and eigenvalues of minus the second difference."""
    j = np.arange(n)[:, None]
    x = np.arange(n)[None, :] + 0.5
    if not open_low and not open_high:
        mode = np.cos(np.pi * j * x / n)
        angle = np.pi * j / n
    elif open_low and open_high:
        mode = np.sin(np.pi * (j + 1) * x / n)
        angle = np.pi * (j + 1) / n
    elif open_high:
        mode = np.cos(np.pi * (j + 0.5) * x / n)
        angle = np.pi * (j + 0.5) / n
    else:
        mode = np.sin(np.pi * (j + 0.5) * x / n)
        angle = np.pi * (j + 0.5) / n
    mode /= np.linalg.norm(mode, axis=1, keepdims=True)
    return mode.astype(np.float32), (2.0 - 2.0 * np.cos(angle[:, 0])).astype(np.float32)


def _fast(field: np.ndarray, axis: int, open_low: bool, open_high: bool, inverse: bool) -> np.ndarray:
    cosine, kind = not open_low, 2 if open_low == open_high else 4
    call = (
        (scipy.fft.idct if inverse else scipy.fft.dct)
        if cosine
        else (scipy.fft.idst if inverse else scipy.fft.dst)
    )
    return call(field, type=kind, axis=axis, norm="ortho", overwrite_x=True, workers=2)


@kernel(parallel=True)
def _dense_slabs(my, mz, field, out, by_y, by_z):
    """Each x slab times the y basis from the left and the z basis from the right."""
    nx, ny, nz = field.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        slab = field[i]
        if by_y:
            slab = np.dot(my, slab)
        if by_z:
            slab = np.dot(slab, mz)
        for j in range(ny):
            for k in range(nz):
                out[i, j, k] = slab[j, k]


@kernel(parallel=True)
def _dense_x(mx, field, out, blocks):
    """The x basis, in blocks of output rows."""
    n = mx.shape[0]
    for p_ in prange(blocks):
        b = np.int64(p_)
        first, last = n * b // blocks, n * (b + 1) // blocks
        np.dot(mx[first:last], field, out[first:last])


def transform(field: np.ndarray, spare: np.ndarray, grid: Grid, inverse: bool) -> np.ndarray:
    """The orthonormal transform of a C-ordered float32 field along all axes; both arrays are used up."""
    n, walls = grid.shape, list(zip(grid.open_low, grid.open_high))
    dense = [m <= DENSE_LIMIT for m in n]
    modes = [basis(m, *wall)[0] for m, wall in zip(n, walls)]
    modes = [np.ascontiguousarray(m.T) if inverse else m for m in modes]
    for axis in (1, 2):
        if not dense[axis]:
            field = _fast(field, axis, *walls[axis], inverse)
    if dense[1] or dense[2]:
        field = np.ascontiguousarray(field)
        _dense_slabs(modes[1], np.ascontiguousarray(modes[2].T), field, field, dense[1], dense[2])
    if not dense[0]:
        return np.ascontiguousarray(_fast(field, 0, *walls[0], inverse))
    _dense_x(modes[0], field.reshape(n[0], -1), spare.reshape(n[0], -1), 4)
    return spare


def poisson(rhs: np.ndarray, spare: np.ndarray, grid: Grid) -> np.ndarray:
    """Solve minus the discrete Laplacian (in voxels) of p = rhs; the mean is 0 where all walls are closed.

    `rhs` and `spare` are C-ordered float32 arrays of the grid's shape; both are used up.
    """
    walls = zip(grid.open_low, grid.open_high)
    field = transform(rhs, spare, grid, inverse=False)
    lx, ly, lz = (basis(n, *wall)[1] for n, wall in zip(grid.shape, walls))
    _divide(field, lx, ly, lz)
    return transform(field, rhs if field is spare else spare, grid, inverse=True)


@kernel(parallel=True)
def _divide(field, lx, ly, lz):
    nx, ny, nz = field.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                e = lx[i] + ly[j] + lz[k]
                field[i, j, k] = field[i, j, k] / max(e, np.float32(1e-7))
    if lx[0] + ly[0] + lz[0] < np.float32(1e-7):  # all walls closed: the mean of the pressure is free
        field[0, 0, 0] = ZERO


@kernel(parallel=True)
def divergence(u, v, w, out):
    """Outflow of each voxel, in m/s (per voxel edge)."""
    nx, ny, nz = out.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row, a, b, c, d, e = out[i, j], u[i, j], u[i + 1, j], v[i, j], v[i, j + 1], w[i, j]
            for k in range(nz):
                row[k] = b[k] - a[k] + d[k] - c[k] + e[k + 1] - e[k]


@kernel(parallel=True)
def _subtract_gradient(p, u, v, w, low, high):
    """Take the pressure's difference off each face; at an open wall the ghost value is minus the inner
    one."""
    nx, ny, nz = p.shape
    two = np.float32(2.0)
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            here, row = p[i, j], u[i, j]
            if i > 0:
                other = p[i - 1, j]
                for k in range(nz):
                    row[k] -= here[k] - other[k]
            elif low[0]:
                for k in range(nz):
                    row[k] -= two * here[k]
            if i == nx - 1 and high[0]:
                row = u[nx, j]
                for k in range(nz):
                    row[k] += two * here[k]
            row = v[i, j]
            if j > 0:
                other = p[i, j - 1]
                for k in range(nz):
                    row[k] -= here[k] - other[k]
            elif low[1]:
                for k in range(nz):
                    row[k] -= two * here[k]
            if j == ny - 1 and high[1]:
                row = v[i, ny]
                for k in range(nz):
                    row[k] += two * here[k]
            row = w[i, j]
            for k in range(1, nz):
                row[k] -= here[k] - here[k - 1]
            if low[2]:
                row[0] -= two * here[0]
            if high[2]:
                row[nz] += two * here[nz - 1]


def shut_walls(state: GasState, grid: Grid) -> None:
    """No flow through closed walls."""
    for axis, field in enumerate((state.u, state.v, state.w)):
        if not grid.open_low[axis]:
            np.moveaxis(field, axis, 0)[0] = 0.0
        if not grid.open_high[axis]:
            np.moveaxis(field, axis, 0)[-1] = 0.0


def project(
    state: GasState,
    grid: Grid,
    work: Workspace,
    expansion: np.ndarray | None = None,
    solids: Solids | None = None,
    tolerance: float = 1e-3,
    most: int = 6,
    half: int = 0,
) -> None:
    """Make the velocity divergence-free, in place, but for what expands.

    Parameters
    ----------
    expansion : (nx, ny, nz) volume pressed in, 1/s
    solids : colliders; without any the solution is exact
    tolerance, most : relative residual and cycles at which the solution round solids stops
    half : of the step, 0 or 1: round solids the solution begins with what it was in the last such half

    When `work.measuring`, `work.figures` gets the rms divergence before and after (1/s), the residual and the
    cycles made.
    """
    shut_walls(state, grid)
    _residual_flow(state, grid, work, expansion, solids)
    if work.measuring:
        work.figures["divergence_before"] = _rms(work.pressure) / grid.voxel
    np.negative(work.pressure, out=work.pressure)  # minus Laplacian of p is minus the divergence
    if solids is not None:
        cycles, residual = project_round(
            state, grid, solids, work.guesses[half], work.pressure, tolerance, most
        )
    else:
        (spare,) = work.arrays("pressure", 1, grid.shape)
        p = poisson(work.pressure, spare, grid)
        _subtract_gradient(p, state.u, state.v, state.w, np.array(grid.open_low), np.array(grid.open_high))
        cycles, residual = 1, 0.0
    if work.measuring:
        _residual_flow(state, grid, work, expansion, solids)
        if not (any(grid.open_low) or any(grid.open_high)):
            work.pressure -= work.pressure.mean()  # a shut box cannot let out what expands in it
        after = _rms(work.pressure) / grid.voxel
        before = work.figures["divergence_before"]
        work.figures.update(
            divergence=after,
            residual=residual if solids is not None else after / max(before, 1e-12),
            cycles=float(cycles),
        )


def _rms(field: np.ndarray) -> float:
    return float(np.sqrt(np.vdot(field, field) / field.size))


def _residual_flow(
    state: GasState, grid: Grid, work: Workspace, expansion: np.ndarray | None, solids: Solids | None
) -> None:
    """Fill `work.pressure` with the divergence that is not wanted, per voxel edge."""
    if solids is not None:
        outflow(state, solids, work.pressure)
    else:
        divergence(state.u, state.v, state.w, work.pressure)
    if expansion is not None:
        _take_scaled(work.pressure, expansion, np.float32(grid.voxel))


@kernel(parallel=True)
def _take_scaled(field, other, scale):
    for p_ in prange(field.shape[0]):
        i = np.int64(p_)
        field[i] -= scale * other[i]
