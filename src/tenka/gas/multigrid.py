"""The pressure equation round solids: conjugate gradients with one multigrid cycle as their preconditioner.

Method: A. McAdams, E. Sifakis, J. Teran, "A parallel multigrid Poisson solver for fluids simulation on large
grids" (SCA 2010). Every face has an open share in [0, 1] (C. Batty, F. Bertails, R. Bridson, "A fast
variational framework for accurate solid-fluid coupling", 2007), so that a solid's border may cut a voxel
anywhere. Interpolation is trilinear and restriction a block mean, which do not make a symmetric pair; the
gradients are therefore the flexible ones (Notay 2000).

In voxel units: sum over faces of share * (p - p of the neighbour), plus `extra` * p for walls at which the
pressure is 0.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange, serial

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
RELAX = np.float32(0.9)
NEAR, BESIDE = np.float32(0.75), np.float32(0.25)
SMALLEST = 6
COARSE_SWEEPS = 24
# before and after each coarse correction, over both colours: one leaves thin walls to slow the cycles down
SWEEPS = 2
SMALL = 6000  # voxels up to which a level is not shared out among threads
LEAST = np.float32(1e-12)


@dataclass(frozen=True)
class Level:
    """One grid of the hierarchy.

    Attributes
    ----------
    wx, wy, wz : open shares of faces; those at the box's walls are 0
    extra : (nx, ny, nz) of walls with given pressure
    diagonal : (nx, ny, nz); 0 marks voxels that take no part
    signs : (6,) of mirror images beyond the walls, low and high of each axis
    p, rhs : (nx, ny, nz) scratch
    """

    wx: np.ndarray
    wy: np.ndarray
    wz: np.ndarray
    extra: np.ndarray
    diagonal: np.ndarray
    signs: np.ndarray
    p: np.ndarray
    rhs: np.ndarray


@kernel(parallel=True)
def _diagonal(wx, wy, wz, extra, out):
    nx, ny, nz = out.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                out[i, j, k] = (
                    wx[i, j, k]
                    + wx[i + 1, j, k]
                    + wy[i, j, k]
                    + wy[i, j + 1, k]
                    + wz[i, j, k]
                    + wz[i, j, k + 1]
                    + extra[i, j, k]
                )


@kernel(parallel=True)
def _coarse_faces(fine, axis, out):
    """A coarse face is as open as the mean of the four fine ones in it."""
    mx, my, mz = out.shape
    nx, ny, nz = fine.shape
    quarter = np.float32(0.25)
    for p_ in prange(mx):
        i = np.int64(p_)
        for j in range(my):
            for k in range(mz):
                total = ZERO
                for a in range(1 if axis == 0 else 2):
                    for b in range(1 if axis == 1 else 2):
                        for c in range(1 if axis == 2 else 2):
                            x, y, z = 2 * i + a, 2 * j + b, 2 * k + c
                            if x < nx and y < ny and z < nz:
                                total += fine[x, y, z]
                out[i, j, k] = total * quarter


@kernel(parallel=True)
def _block_sums(fine, scale, out):
    mx, my, mz = out.shape
    nx, ny, nz = fine.shape
    for p_ in prange(mx):
        i = np.int64(p_)
        line = np.zeros(2 * mz, np.float32)
        for j in range(my):
            line[:] = ZERO
            for x in range(2 * i, min(2 * i + 2, nx)):
                for y in range(2 * j, min(2 * j + 2, ny)):
                    row = fine[x, y]
                    for k in range(nz):
                        line[k] += row[k]
            total = out[i, j]
            for k in range(mz):
                total[k] = scale * (line[2 * k] + line[2 * k + 1])


def hierarchy(
    wx: np.ndarray,
    wy: np.ndarray,
    wz: np.ndarray,
    open_low: tuple[bool, ...],
    open_high: tuple[bool, ...],
    shape: tuple[int, int, int],
    before: list[Level] | None = None,
) -> list[Level]:
    """All levels, finest first.

    Parameters
    ----------
    wx, wy, wz : open shares of all faces, (nx+1, ny, nz) and so on, float32; used for the finest level, whose
        walls become 0
    open_low, open_high : walls at which the pressure is 0, half a voxel from the last centres
    before : a hierarchy of the same grid that is no longer needed; its scratch arrays are used again
    """
    levels: list[Level] = []
    extra = np.zeros(shape, np.float32)
    old = {level.p.shape: level for level in before or ()}
    for axis, w in enumerate((wx, wy, wz)):
        face, near = np.moveaxis(w, axis, 0), np.moveaxis(extra, axis, 0)
        for end, is_open in ((0, open_low[axis]), (-1, open_high[axis])):
            if is_open:
                near[end] += 2.0 * face[end]
            face[end] = 0.0
    signs = np.array([-1.0 if o else 1.0 for pair in zip(open_low, open_high) for o in pair], np.float32)
    while True:
        diagonal = np.empty(shape, np.float32)
        _diagonal(wx, wy, wz, extra, diagonal)
        p, rhs = (
            (old[shape].p, old[shape].rhs)
            if shape in old
            else (np.zeros(shape, np.float32), np.zeros(shape, np.float32))
        )
        levels.append(Level(wx, wy, wz, extra, diagonal, signs, p, rhs))
        if min(shape) <= SMALLEST or len(levels) == 8:
            return levels
        m = ((shape[0] + 1) // 2, (shape[1] + 1) // 2, (shape[2] + 1) // 2)
        coarse = []
        for axis, fine in enumerate((wx, wy, wz)):
            out = np.empty([n + (a == axis) for a, n in enumerate(m)], np.float32)
            _coarse_faces(fine, axis, out)
            edge = np.moveaxis(out, axis, 0)
            edge[0] = edge[-1] = 0.0
            coarse.append(out)
        wx, wy, wz = coarse
        out = np.empty(m, np.float32)
        _block_sums(extra, np.float32(0.25), out)
        extra, shape = out, m


@kernel
def _row_of_neighbours(p, wx, wy, wz, i, j, out):
    """Sum over faces of share * neighbour, for one row."""
    nx, ny, nz = p.shape
    a, b, c, d = wx[i, j], wx[i + 1, j], wy[i, j], wy[i, j + 1]
    e, f, g, h = p[max(i - 1, 0), j], p[min(i + 1, nx - 1), j], p[i, max(j - 1, 0)], p[i, min(j + 1, ny - 1)]
    q, w = p[i, j], wz[i, j]
    for k in range(nz):
        out[k] = a[k] * e[k] + b[k] * f[k] + c[k] * g[k] + d[k] * h[k]
    for k in range(1, nz):
        out[k] += w[k] * q[k - 1]
    for k in range(nz - 1):
        out[k] += w[k + 1] * q[k + 1]


@kernel(parallel=True)
def _sweep(p, rhs, wx, wy, wz, diagonal, colour):
    """Damped relaxation of every second row of voxels, by the colour of (x + y)."""
    nx, ny, nz = p.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        line = np.empty(nz, np.float32)
        for j in range((i + colour) % 2, ny, 2):
            _row_of_neighbours(p, wx, wy, wz, i, j, line)
            row, right, d = p[i, j], rhs[i, j], diagonal[i, j]
            for k in range(nz):
                if d[k] > ZERO:
                    row[k] += RELAX * ((right[k] + line[k]) / d[k] - row[k])


@kernel(parallel=True)
def _residual(p, rhs, wx, wy, wz, diagonal, out):
    nx, ny, nz = p.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        line = np.empty(nz, np.float32)
        for j in range(ny):
            _row_of_neighbours(p, wx, wy, wz, i, j, line)
            row, right, d, o = p[i, j], rhs[i, j], diagonal[i, j], out[i, j]
            for k in range(nz):
                o[k] = right[k] + line[k] - d[k] * row[k] if d[k] > ZERO else ZERO


@kernel(parallel=True)
def _apply(p, wx, wy, wz, diagonal, out):
    """out = A p; returns p . A p by slabs."""
    nx, ny, nz = p.shape
    sums = np.zeros(nx, np.float64)
    for p_ in prange(nx):
        i = np.int64(p_)
        line = np.empty(nz, np.float32)
        total = 0.0
        for j in range(ny):
            _row_of_neighbours(p, wx, wy, wz, i, j, line)
            row, d, o = p[i, j], diagonal[i, j], out[i, j]
            for k in range(nz):
                o[k] = d[k] * row[k] - line[k]
            for k in range(nz):
                total += o[k] * row[k]
        sums[i] = total
    return sums


@kernel
def _pair(i, m, low, high):
    """The two coarse voxels that a fine one lies between, the nearer first, and the sign of the second's
    mirror image."""
    near = i // 2
    far = near + (1 if i % 2 else -1)
    if far < 0:
        return near, 0, low
    if far > m - 1:
        return near, m - 1, high
    return near, far, ONE


@kernel(parallel=True)
def _add_interpolated(coarse, coarse_diagonal, diagonal, signs, p):
    """p += the coarse correction, trilinear; neighbours that take no part are left out.

    Beyond a wall lies the mirror image: with its sign turned at a wall that gives the pressure (`signs`, low
    and high of each axis).
    """
    nx, ny, nz = p.shape
    mx, my, mz = coarse.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        value, weight = (
            np.empty(mz + 2, np.float32),
            np.empty(mz + 2, np.float32),
        )  # one more at each end, for the walls
        line = np.zeros(2 * mz, np.float32)
        a, b, sx = _pair(i, mx, signs[0], signs[1])
        for j in range(ny):
            c, d, sy = _pair(j, my, signs[2], signs[3])
            value[:] = ZERO
            weight[:] = ZERO
            for n in range(4):
                x, y = b if n & 1 else a, d if n & 2 else c
                share = (BESIDE if n & 1 else NEAR) * (BESIDE if n & 2 else NEAR)
                turned = share * (sx if n & 1 else ONE) * (sy if n & 2 else ONE)
                row, live = coarse[x, y], coarse_diagonal[x, y]
                for k in range(mz):
                    value[k + 1] += turned * row[k]  # 0 where it takes no part
                    weight[k + 1] += share if live[k] > ZERO else ZERO
            value[0], weight[0] = signs[4] * value[1], weight[1]
            value[mz + 1], weight[mz + 1] = signs[5] * value[mz], weight[mz]
            for k in range(
                mz
            ):  # fine voxels 2k and 2k + 1 lie within the coarse one k, on either side of its middle
                below, above = (
                    NEAR * weight[k + 1] + BESIDE * weight[k],
                    NEAR * weight[k + 1] + BESIDE * weight[k + 2],
                )
                line[2 * k] = (NEAR * value[k + 1] + BESIDE * value[k]) / max(below, LEAST)
                line[2 * k + 1] = (NEAR * value[k + 1] + BESIDE * value[k + 2]) / max(above, LEAST)
            out, here = p[i, j], diagonal[i, j]
            for k in range(nz):
                out[k] += line[k] if here[k] > ZERO else ZERO


_sweep_serial, _residual_serial, _block_sums_serial, _add_interpolated_serial = (
    serial(k) for k in (_sweep, _residual, _block_sums, _add_interpolated)
)


def _cycle(levels: list[Level], scratch: list[np.ndarray]) -> None:
    """One V-cycle: the finest level's `p` from its `rhs`."""
    for n, level in enumerate(levels):
        level.p[:] = 0.0
        matrix = (level.wx, level.wy, level.wz, level.diagonal)
        small = level.p.size <= SMALL
        relax = _sweep_serial if small else _sweep
        if n == len(levels) - 1:
            for sweep in range(COARSE_SWEEPS):
                relax(level.p, level.rhs, *matrix, sweep % 2)
            break
        for sweep in range(2 * SWEEPS):
            relax(level.p, level.rhs, *matrix, sweep % 2)
        (_residual_serial if small else _residual)(level.p, level.rhs, *matrix, scratch[n])
        (_block_sums_serial if small else _block_sums)(scratch[n], HALF, levels[n + 1].rhs)
    for n in range(len(levels) - 2, -1, -1):
        level, below = levels[n], levels[n + 1]
        small = level.p.size <= SMALL
        (_add_interpolated_serial if small else _add_interpolated)(
            below.p, below.diagonal, level.diagonal, level.signs, level.p
        )
        relax = _sweep_serial if small else _sweep
        for sweep in range(2 * SWEEPS):
            relax(level.p, level.rhs, level.wx, level.wy, level.wz, level.diagonal, (sweep + 1) % 2)


def solve(
    levels: list[Level],
    p: np.ndarray,
    rhs: np.ndarray,
    tolerance: float,
    most: int,
    work: dict[str, list[np.ndarray]],
) -> tuple[int, float]:
    """Solve A p = rhs in place from the guess in `p`.

    Parameters
    ----------
    p, rhs : (nx, ny, nz) float32; `rhs` is 0 where nothing takes part, and its mean is 0 in every part that
        no open wall reaches
    tolerance : relative residual at which to stop
    most : cycles at most
    work : scratch arrays, kept between calls

    Returns
    -------
    cycles made, and the relative residual reached
    """
    fine = levels[0]
    matrix = (fine.wx, fine.wy, fine.wz, fine.diagonal)
    if "levels" not in work:
        work["levels"] = [np.empty_like(level.p) for level in levels]
        work["gradients"] = [np.empty_like(p) for _ in range(3)]
    scratch = work["levels"]
    residual, way, image = work["gradients"]
    size = float(np.sqrt(np.vdot(rhs, rhs)))
    if size < 1e-12:
        p[:] = 0.0
        return 0, 0.0
    steep = float(_apply(p, *matrix, image).sum())
    share = float(np.vdot(p, rhs)) / steep if steep > 0 else 0.0  # of the guess, that leaves the least error
    p *= np.float32(share if np.isfinite(share) else 0.0)
    _residual(p, rhs, *matrix, residual)
    before, alpha, reached = 0.0, 0.0, float(np.linalg.norm(residual)) / size
    for cycle in range(most):
        if reached <= tolerance:
            return cycle, reached
        fine.rhs[:] = residual
        _cycle(levels, scratch)
        better = fine.p
        if cycle == 0:
            way[:] = better
        else:
            beta = -alpha * float(np.vdot(better, image)) / before
            np.multiply(way, np.float32(beta), out=way)
            way += better
        before = float(np.vdot(better, residual))
        steep = float(_apply(way, *matrix, image).sum())
        if steep <= 0 or not np.isfinite(steep):
            return cycle, reached
        alpha = float(np.vdot(way, residual)) / steep
        _step_along(p, residual, way, image, np.float32(alpha))
        reached = float(np.linalg.norm(residual)) / size
    return most, reached


@kernel(parallel=True)
def _step_along(p, residual, way, image, alpha):
    for p_ in prange(p.shape[0]):
        i = np.int64(p_)
        for j in range(p.shape[1]):
            a, b, c, d = p[i, j], residual[i, j], way[i, j], image[i, j]
            for k in range(a.size):
                a[k] += alpha * c[k]
                b[k] -= alpha * d[k]
