"""Light inside the gas: optical depth towards the sun and the sky, by sweeping slice after slice."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)


@kernel(parallel=True)
def _sweep(rho, depth, backwards, dj, dk, length):
    """Depth of each slice from the one before it on the light's side, read at a shift of (dj, dk) voxels.

    `length` is the path between slices in m; outside the box there is no gas.
    """
    n, m, p = rho.shape
    first = n - 1 if backwards else 0
    for j in range(m):
        for k in range(p):
            depth[first, j, k] = HALF * length * rho[first, j, k]
    step = -1 if backwards else 1
    for s in range(1, n):
        i = first + step * s
        before = i - step
        for p_ in prange(m):
            j = np.int64(p_)
            y = np.float32(j) + dj
            a = np.int64(np.floor(y))
            fy = y - np.float32(a)
            row_a, row_b = min(max(a, 0), m - 1), min(max(a + 1, 0), m - 1)
            wa = ONE - fy if 0 <= a < m else ZERO
            wb = fy if 0 <= a + 1 < m else ZERO
            shift = np.int64(np.floor(dk))
            fz = dk - np.float32(shift)
            da, db, ra, rb = (
                depth[before, row_a],
                depth[before, row_b],
                rho[before, row_a],
                rho[before, row_b],
            )
            out, here = depth[i, j], rho[i, j]
            for k in range(p):
                b = k + shift
                t, r = ZERO, ZERO
                if 0 <= b < p:
                    t += (ONE - fz) * (wa * da[b] + wb * db[b])
                    r += (ONE - fz) * (wa * ra[b] + wb * rb[b])
                if 0 <= b + 1 < p:
                    t += fz * (wa * da[b + 1] + wb * db[b + 1])
                    r += fz * (wa * ra[b + 1] + wb * rb[b + 1])
                out[k] = t + HALF * length * (here[k] + r)


def sun_depth(rho: np.ndarray, voxel: float, towards: np.ndarray) -> np.ndarray:
    """Integral of density from each voxel towards the light, in m times density.

    Parameters
    ----------
    rho : (nx, ny, nz) float32
    towards : (3,) unit vector to the light
    """
    axis = int(np.argmax(np.abs(towards)))
    order = [axis, *(a for a in range(3) if a != axis)]
    moved = np.ascontiguousarray(rho.transpose(order))
    depth = np.empty_like(moved)
    d = [float(towards[a]) for a in order]
    scale = abs(d[0])
    _sweep(
        moved, depth, d[0] > 0, np.float32(d[1] / scale), np.float32(d[2] / scale), np.float32(voxel / scale)
    )
    return depth.transpose(np.argsort(order))


@kernel(parallel=True)
def sky_depth(rho, voxel, out):
    """Density above each voxel, spread sideways on the way down as a wide cone of sky would be seen."""
    nx, ny, nz = rho.shape
    fifth = np.float32(0.2)
    length = np.float32(voxel)
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            out[i, j, nz - 1] = HALF * length * rho[i, j, nz - 1]
    for s in range(1, nz):
        k = nz - 1 - s
        for p_ in prange(nx):
            i = np.int64(p_)
            a, b = max(i - 1, 0), min(i + 1, nx - 1)
            for j in range(ny):
                c, d = max(j - 1, 0), min(j + 1, ny - 1)
                above = (
                    out[i, j, k + 1]
                    + out[a, j, k + 1]
                    + out[b, j, k + 1]
                    + out[i, c, k + 1]
                    + out[i, d, k + 1]
                )
                out[i, j, k] = fifth * above + HALF * length * (rho[i, j, k] + rho[i, j, k + 1])
