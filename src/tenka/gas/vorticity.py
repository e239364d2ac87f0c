"""Confined vorticity, fine and broad: the push that keeps curls alive."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import DENSITY, GasState, Grid, Workspace
from tenka.gas.settings import StepInputs

ZERO = np.float32(0.0)
HALF = np.float32(0.5)


@kernel(parallel=True)
def centre_fields(u, v, w, out):
    """Velocity at voxel centres as three plain fields, (3, nx, ny, nz)."""
    _, nx, ny, nz = out.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            a, b, row = u[i, j], u[i + 1, j], out[0, i, j]
            c, d, col = v[i, j], v[i, j + 1], out[1, i, j]
            e, up = w[i, j], out[2, i, j]
            for k in range(nz):
                row[k] = HALF * (a[k] + b[k])
            for k in range(nz):
                col[k] = HALF * (c[k] + d[k])
            for k in range(nz):
                up[k] = HALF * (e[k] + e[k + 1])


@kernel(parallel=True)
def curl_of(c, wanted, out):
    """Vorticity of (3, nx, ny, nz) and its length, (4, nx, ny, nz), per voxel edge; one-sided at walls.

    Only in the rows that are `wanted`, (nx, ny).
    """
    _, nx, ny, nz = c.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b = max(i - 1, 0), min(i + 1, nx - 1)
        sx = np.float32(1.0) / np.float32(max(b - a, 1))
        for j in range(ny):
            if not wanted[i, j]:
                continue
            d, e = max(j - 1, 0), min(j + 1, ny - 1)
            sy = np.float32(1.0) / np.float32(max(e - d, 1))
            u, v = c[0, i, j], c[1, i, j]
            u0, u1, w0, w1 = c[0, i, d], c[0, i, e], c[2, i, d], c[2, i, e]
            v2, v3, w2, w3 = c[1, a, j], c[1, b, j], c[2, a, j], c[2, b, j]
            ox, oy, oz, size = out[0, i, j], out[1, i, j], out[2, i, j], out[3, i, j]
            for k in range(1, nz - 1):
                ox[k] = (w1[k] - w0[k]) * sy - (v[k + 1] - v[k - 1]) * HALF
                oy[k] = (u[k + 1] - u[k - 1]) * HALF - (w3[k] - w2[k]) * sx
            for k, f, g in ((0, 0, 1), (nz - 1, nz - 2, nz - 1)):
                ox[k] = (w1[k] - w0[k]) * sy - (v[g] - v[f])
                oy[k] = (u[g] - u[f]) - (w3[k] - w2[k]) * sx
            for k in range(nz):
                oz[k] = (v3[k] - v2[k]) * sx - (u1[k] - u0[k]) * sy
            for k in range(nz):
                size[k] = math.sqrt(ox[k] * ox[k] + oy[k] * oy[k] + oz[k] * oz[k])


@kernel(parallel=True)
def smoke_gate(s, out, rows):
    """How much of the confinement each voxel gets: all in smoke, none in clear air or beside a wall. Marks
    the `rows` with any.

    In clear air it would only amplify noise that nobody sees, until the whole box churns.
    """
    nx, ny, nz, _ = s.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row = out[i, j]
            if i == 0 or i == nx - 1 or (ny > 1 and (j == 0 or j == ny - 1)):
                row[:] = ZERO
                rows[i, j] = False
                continue
            most = ZERO
            for k in range(nz):
                row[k] = s[i, j, k, DENSITY] / (s[i, j, k, DENSITY] + np.float32(0.05))
                most = max(most, row[k])
            row[0] = row[nz - 1] = ZERO
            rows[i, j] = most > ZERO


@kernel(parallel=True)
def confinement(curl, strength, gate, gated, rows, out):
    """`strength * N x curl` with N the direction in which the curl's length grows, (3, nx, ny, nz).

    Times the gate (nx, ny, nz) when `gated`. Nothing in rows without any `rows`, (nx, ny). Returns the sums
    of each x slab, (nx, 3).
    """
    _, nx, ny, nz = curl.shape
    sums = np.zeros((nx, 3), np.float64)
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b = max(i - 1, 0), min(i + 1, nx - 1)
        total_x, total_y, total_z = 0.0, 0.0, 0.0
        for j in range(ny):
            d, e = max(j - 1, 0), min(j + 1, ny - 1)
            x0, x1, y0, y1, here = curl[3, a, j], curl[3, b, j], curl[3, i, d], curl[3, i, e], curl[3, i, j]
            cx, cy, cz = curl[0, i, j], curl[1, i, j], curl[2, i, j]
            ox, oy, oz = out[0, i, j], out[1, i, j], out[2, i, j]
            if not rows[i, j]:
                ox[:] = ZERO
                oy[:] = ZERO
                oz[:] = ZERO
                continue
            for k in range(1, nz - 1):
                oz[k] = here[k + 1] - here[k - 1]
            oz[0], oz[nz - 1] = here[1] - here[0], here[nz - 1] - here[nz - 2]
            sum_x, sum_y, sum_z = ZERO, ZERO, ZERO
            share = gate[i, j] if gated else here
            for k in range(nz):
                gx, gy, gz = x1[k] - x0[k], y1[k] - y0[k], oz[k]
                scale = strength / (math.sqrt(gx * gx + gy * gy + gz * gz) + np.float32(1e-6))
                if gated:
                    scale *= share[k]
                px, py, pz = gy * cz[k] - gz * cy[k], gz * cx[k] - gx * cz[k], gx * cy[k] - gy * cx[k]
                ox[k], oy[k], oz[k] = scale * px, scale * py, scale * pz
                sum_x += scale * px
                sum_y += scale * py
                sum_z += scale * pz
            total_x += sum_x
            total_y += sum_y
            total_z += sum_z
        sums[i, 0], sums[i, 1], sums[i, 2] = total_x, total_y, total_z
    return sums


@kernel(parallel=True)
def coarsen(c, f, out):
    """Block means over f^3 voxels (the last block may be smaller)."""
    _, nx, ny, nz = c.shape
    _, mx, my, mz = out.shape
    for p_ in prange(mx):
        i = np.int64(p_)
        whole = np.empty(nz, np.float32)
        for q in range(3):
            for j in range(my):
                whole[:] = ZERO
                for a in range(i * f, min(i * f + f, nx)):
                    for b in range(j * f, min(j * f + f, ny)):
                        line = c[q, a, b]
                        for k in range(nz):
                            whole[k] += line[k]
                n = (min(i * f + f, nx) - i * f) * (min(j * f + f, ny) - j * f)
                row = out[q, i, j]
                for k in range(mz):
                    total = ZERO
                    for d in range(k * f, min(k * f + f, nz)):
                        total += whole[d]
                    row[k] = total / np.float32(n * (min(k * f + f, nz) - k * f))


@kernel
def _coarse_cell(i, f, n):
    x = min(max((np.float32(i) + HALF) / np.float32(f) - HALF, ZERO), np.float32(n - 1))
    a = min(np.int64(x), max(n - 2, 0))
    return a, min(a + 1, n - 1), x - np.float32(a)


@kernel(parallel=True)
def add_refined(coarse, f, gate, rows, add, out):
    """Add a coarse field, interpolated and gated, to a fine one (or set it). Returns the slab sums of what
    was added."""
    _, nx, ny, nz = out.shape
    _, mx, my, mz = coarse.shape
    one = np.float32(1.0)
    below, above, share = np.empty(nz, np.int64), np.empty(nz, np.int64), np.empty(nz, np.float32)
    for k in range(nz):
        below[k], above[k], share[k] = _coarse_cell(k, f, mz)
    sums = np.zeros((nx, 3), np.float64)
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b, fx = _coarse_cell(i, f, mx)
        line = np.empty(mz, np.float32)
        for c in range(3):
            total = 0.0
            for j in range(ny):
                if not rows[i, j]:
                    if not add:
                        out[c, i, j][:] = ZERO
                    continue
                d, e, fy = _coarse_cell(j, f, my)
                p, q, r, s = coarse[c, a, d], coarse[c, a, e], coarse[c, b, d], coarse[c, b, e]
                for k in range(mz):
                    line[k] = (one - fx) * ((one - fy) * p[k] + fy * q[k]) + fx * (
                        (one - fy) * r[k] + fy * s[k]
                    )
                row, open_ = out[c, i, j], gate[i, j]
                part = ZERO
                for k in range(nz):
                    value = open_[k] * (line[below[k]] + share[k] * (line[above[k]] - line[below[k]]))
                    part += value
                    row[k] = row[k] + value if add else value
                total += part
            sums[i, c] = total
    return sums


MOST_COARSE = 8


def _with_neighbours(rows: np.ndarray) -> np.ndarray:
    """The marked rows and those beside them."""
    out = rows.copy()
    out[1:] |= rows[:-1]
    out[:-1] |= rows[1:]
    out[:, 1:] |= rows[:, :-1]
    out[:, :-1] |= rows[:, 1:]
    return out


def vorticity_push(state: GasState, grid: Grid, inputs: StepInputs, work: Workspace) -> np.ndarray | None:
    """Fill `work.push` (3, nx, ny, nz) with both scales' acceleration, in m/s^2, and return its mean; None
    when off.

    Fedkiw, Stam & Jensen (2001), at a scale that is a length and not a voxel: the velocity is averaged over
    blocks of half the given size, and f = rate * edge * (N x curl) of the block means, so that the rate is
    the growth per second of curls of that size whatever the voxel. A size under two voxels is that of the
    voxels. The mean over the box is to be taken off: confinement adds no net momentum.
    """
    scales = [
        (r, s)
        for r, s in ((inputs.fine_curl, inputs.fine_size), (inputs.broad_curl, inputs.broad_size))
        if r > 0
    ]
    if not scales:
        return None
    (centred,) = work.arrays("centred fields", 1, (3, *grid.shape))
    centre_fields(state.u, state.v, state.w, centred)
    (gate,) = work.arrays("gate", 1, grid.shape)
    rows = np.empty(grid.shape[:2], np.bool_)
    smoke_gate(state.scalars, gate, rows)
    beside = _with_neighbours(rows)
    total = np.zeros(3)
    filled = False
    for rate, size in sorted(scales, key=lambda scale: scale[1]):
        f = int(min(MOST_COARSE, sorted(grid.shape)[1] // 2, max(1, round(size / (2.0 * grid.voxel)))))
        if f == 1 and not filled:
            curl_of(centred, beside, work.curl)
            total += confinement(work.curl, np.float32(rate), gate, True, rows, work.push).sum(axis=0)
        else:
            shape = tuple(-(-n // f) for n in grid.shape)
            coarse, push = work.arrays(("blocks", f), 2, (3, *shape))
            (curl,) = work.arrays(("block curl", f), 1, (4, *shape))
            coarsen(centred, f, coarse)
            every = np.ones(shape[:2], np.bool_)
            curl_of(coarse, every, curl)
            confinement(curl, np.float32(rate), coarse[0], False, every, push)
            total += add_refined(push, f, gate, rows, filled, work.push).sum(axis=0)
        filled = True
    return (total / grid.voxels).astype(np.float32)
