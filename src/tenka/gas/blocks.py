"""Block means of a field, and their way back on to it."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange

ZERO = np.float32(0.0)
HALF = np.float32(0.5)


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
            total = np.float64(0.0)
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
                part = np.float32(0.0)
                for k in range(nz):
                    value = open_[k] * (line[below[k]] + share[k] * (line[above[k]] - line[below[k]]))
                    part += value
                    row[k] = row[k] + value if add else value
                total += part
            sums[i, c] = total
    return sums
