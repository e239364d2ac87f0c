"""How velocity is carried: one pair of traces per voxel, MacCormack's correction with a limiter.

Method: A. Selle, R. Fedkiw, B. Kim, Y. Liu, J. Rossignac, "An unconditionally stable MacCormack method",
J. Sci. Comput. 35 (2008). Traces are second-order (midpoint). Faces use the mean of the traces of the two
voxels that they part.

All positions are in voxels. What the gas holds is carried by `tenka.gas.remap`.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vector import lerp_field, lerp_field_range, make_lerp_channels

ZERO = np.float32(0.0)
HALF = np.float32(0.5)

lerp_velocity = make_lerp_channels(4, 3)


@kernel(parallel=True)
def centre_velocity(u, v, w, out):
    """Velocity at voxel centres, (nx, ny, nz, 4) with a spare channel, from the faces."""
    nx, ny, nz, _ = out.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row, a, b, c, d, e = out[i, j], u[i, j], u[i + 1, j], v[i, j], v[i, j + 1], w[i, j]
            for k in range(nz):
                row[k, 0] = HALF * (a[k] + b[k])
                row[k, 1] = HALF * (c[k] + d[k])
                row[k, 2] = HALF * (e[k] + e[k + 1])


@kernel
def _locate(place, nx, ny, nz, index, weight):
    """Lowest corners and upper weights of a row of places (3, n), clamped to the samples of a field.

    A loop of its own, on plain rows, so that the compiler makes vector code of it.
    """
    x, y, z = place[0], place[1], place[2]
    fx, fy, fz = weight[0], weight[1], weight[2]
    tx, ty, tz = np.float32(nx - 1), np.float32(ny - 1), np.float32(nz - 1)
    lx, ly, lz = np.int32(nx - 2), np.int32(ny - 2), np.int32(nz - 2)
    my, mz, zero = np.int32(ny), np.int32(nz), np.int32(0)
    for k in range(index.size):
        p, q, r = min(max(ZERO, x[k]), tx), min(max(ZERO, y[k]), ty), min(max(ZERO, z[k]), tz)
        # not below 0 even where a value is no number: a blow-up must end in a sentence, not in a crash
        a, b, c = (
            max(min(np.int32(p), lx), zero),
            max(min(np.int32(q), ly), zero),
            max(min(np.int32(r), lz), zero),
        )
        fx[k], fy[k], fz[k] = p - np.float32(a), q - np.float32(b), r - np.float32(c)
        index[k] = (a * my + b) * mz + c


@kernel(parallel=True)
def traces(c4, dt, back, ahead):
    """Displacements (3, nx, ny, nz) of the midpoint traces against and along the flow, in voxels.

    `dt` is in s per voxel edge.
    """
    nx, ny, nz, _ = c4.shape
    c = c4.reshape(-1)
    sx, sy = (ny * nz * 4 if nx > 1 else 0), (nz * 4 if ny > 1 else 0)  # one voxel thick: its own neighbour
    for p_ in prange(nx):
        i = np.int64(p_)
        place, weight, index = (
            np.empty((3, nz), np.float32),
            np.empty((3, nz), np.float32),
            np.empty(nz, np.int32),
        )
        for j in range(ny):
            row = c4[i, j]
            for side in range(2):
                step = dt if side else -dt
                half = HALF * step
                for k in range(nz):
                    place[0, k] = np.float32(i) + half * row[k, 0]
                    place[1, k] = np.float32(j) + half * row[k, 1]
                    place[2, k] = np.float32(k) + half * row[k, 2]
                _locate(place, nx, ny, nz, index, weight)
                out = ahead if side else back
                x, y, z = out[0, i, j], out[1, i, j], out[2, i, j]
                for k in range(nz):
                    a, b, d = lerp_velocity(
                        c, np.int64(index[k]) * 4, sx, sy, weight[0, k], weight[1, k], weight[2, k]
                    )
                    x[k], y[k], z[k] = step * a, step * b, step * d


@kernel
def _face_places(trace, i, j, axis, place):
    """Traced places of a row of faces: each goes by the mean of the two voxels beside it, or the one at a
    wall."""
    _, nx, ny, nz = trace.shape
    a, b = (max(i - 1, 0), min(i, nx - 1)) if axis == 0 else (i, i)
    d, e = (max(j - 1, 0), min(j, ny - 1)) if axis == 1 else (j, j)
    for c in range(3):
        p, q, out = trace[c, a, d], trace[c, b, e], place[c]
        if axis == 2:
            for k in range(1, nz):
                out[k] = HALF * (p[k - 1] + p[k])
            out[0], out[nz] = p[0], p[nz - 1]
        else:
            for k in range(nz):
                out[k] = HALF * (p[k] + q[k])
        if c < 2:
            start = np.float32(i if c == 0 else j)
            for k in range(out.size):
                out[k] += start
        else:
            for k in range(out.size):
                out[k] += np.float32(k)


@kernel(parallel=True)
def faces_forward(q3, back, axis, out, least, most):
    """First pass for one velocity component on its faces; keeps the range that limits the second."""
    mx, my, mz = q3.shape
    q = q3.reshape(-1)
    sx, sy = (my * mz if mx > 1 else 0), (mz if my > 1 else 0)
    for p_ in prange(mx):
        i = np.int64(p_)
        place, weight, index = (
            np.empty((3, mz), np.float32),
            np.empty((3, mz), np.float32),
            np.empty(mz, np.int32),
        )
        for j in range(my):
            _face_places(back, i, j, axis, place)
            _locate(place, mx, my, mz, index, weight)
            row, low, high = out[i, j], least[i, j], most[i, j]
            for k in range(mz):
                row[k], low[k], high[k] = lerp_field_range(
                    q, np.int64(index[k]), sx, sy, weight[0, k], weight[1, k], weight[2, k]
                )


@kernel(parallel=True)
def faces_correct(q, first3, least, most, ahead, axis, out):
    """Second pass for one velocity component: correct and limit."""
    mx, my, mz = q.shape
    first = first3.reshape(-1)
    sx, sy = (my * mz if mx > 1 else 0), (mz if my > 1 else 0)
    for p_ in prange(mx):
        i = np.int64(p_)
        place, weight, index = (
            np.empty((3, mz), np.float32),
            np.empty((3, mz), np.float32),
            np.empty(mz, np.int32),
        )
        for j in range(my):
            _face_places(ahead, i, j, axis, place)
            _locate(place, mx, my, mz, index, weight)
            row, here, once, low, high = out[i, j], q[i, j], first3[i, j], least[i, j], most[i, j]
            for k in range(mz):
                again = lerp_field(
                    first, np.int64(index[k]), sx, sy, weight[0, k], weight[1, k], weight[2, k]
                )
                row[k] = min(high[k], max(low[k], once[k] + HALF * (here[k] - again)))
