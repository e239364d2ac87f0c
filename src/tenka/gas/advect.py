"""Advection: one pair of traces per voxel, MacCormack's correction with a limiter, fused over fields.

Method: A. Selle, R. Fedkiw, B. Kim, Y. Liu, J. Rossignac, "An unconditionally stable MacCormack method",
J. Sci. Comput. 35 (2008). Traces are second-order (midpoint). Faces use the mean of the traces of the two
voxels that they part.

All positions are in voxels. A scalar that is traced to beyond an open wall is that of the still air: zero.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vector import lerp_field, lerp_field_range, make_correct_channels, make_lerp_channels
from tenka.gas.grid import CHANNELS

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
TINY = np.float32(1e-6)

lerp_velocity = make_lerp_channels(4, 3)
lerp_scalars = make_lerp_channels(CHANNELS, CHANNELS)
correct = make_correct_channels(CHANNELS)


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
        p, q, r = min(max(x[k], ZERO), tx), min(max(y[k], ZERO), ty), min(max(z[k], ZERO), tz)
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
def _scalar_places(trace, i, j, place):
    for axis in range(3):
        row, out = trace[axis, i, j], place[axis]
        if axis < 2:
            start = np.float32(i if axis == 0 else j)
            for k in range(row.size):
                out[k] = start + row[k]
        else:
            for k in range(row.size):
                out[k] = np.float32(k) + row[k]


@kernel
def _inside(place, shape, low, high, out):
    """1 where a place is within the box or beyond a closed wall, 0 beyond an open one."""
    out[:] = ONE
    for axis in range(3):
        row, top = place[axis], np.float32(shape[axis]) - HALF
        if low[axis]:
            for k in range(row.size):
                out[k] = out[k] if row[k] >= -HALF else ZERO
        if high[axis]:
            for k in range(row.size):
                out[k] = out[k] if row[k] <= top else ZERO


@kernel(parallel=True)
def rows_in_use(s4, out):
    """Mark the rows, (nx, ny), in which any scalar is not zero."""
    nx, ny, nz, channels = s4.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row = s4[i, j].reshape(-1)
            count = 0
            for k in range(row.size):
                count += 0 if row[k] == ZERO else 1  # what is no number counts too
            out[i, j] = count > 0


@kernel
def _reads_nothing(place, used):
    """Whether all rows that a row of traced places can read are empty: then so is the result, and need not be
    worked out."""
    nx, ny = used.shape
    x, y = place[0], place[1]
    x0, x1, y0, y1 = x[0], x[0], y[0], y[0]
    for k in range(x.size):
        x0, x1, y0, y1 = min(x0, x[k]), max(x1, x[k]), min(y0, y[k]), max(y1, y[k])
    if not (
        abs(x0) < np.float32(1e6)
        and abs(x1) < np.float32(1e6)
        and abs(y0) < np.float32(1e6)
        and abs(y1) < np.float32(1e6)
    ):
        return False
    a, b = min(max(np.int64(np.floor(x0)), 0), nx - 1), min(max(np.int64(np.floor(x1)) + 1, 0), nx - 1)
    c, d = min(max(np.int64(np.floor(y0)), 0), ny - 1), min(max(np.int64(np.floor(y1)) + 1, 0), ny - 1)
    for i in range(max(a - 1, 0), b + 1):  # one more below: places at the upper border read the row before
        for j in range(max(c - 1, 0), d + 1):
            if used[i, j]:
                return False
    return True


@kernel(parallel=True)
def scalars_forward(s4, back, low, high, used, out):
    """First pass of MacCormack's method for all scalars of (nx, ny, nz, CHANNELS) at once; `used` as
    rows_in_use gives it."""
    nx, ny, nz, _ = s4.shape
    s = s4.reshape(-1)
    sx, sy = (ny * nz * CHANNELS if nx > 1 else 0), (nz * CHANNELS if ny > 1 else 0)
    for p_ in prange(nx):
        i = np.int64(p_)
        place, weight, index = (
            np.empty((3, nz), np.float32),
            np.empty((3, nz), np.float32),
            np.empty(nz, np.int32),
        )
        inside = np.empty(nz, np.float32)
        for j in range(ny):
            _scalar_places(back, i, j, place)
            row = out[i, j]
            if _reads_nothing(place, used):
                row[:] = ZERO
                continue
            _inside(place, (nx, ny, nz), low, high, inside)
            _locate(place, nx, ny, nz, index, weight)
            for k in range(nz):
                value = lerp_scalars(
                    s, np.int64(index[k]) * CHANNELS, sx, sy, weight[0, k], weight[1, k], weight[2, k]
                )
                for c in range(CHANNELS):
                    row[k, c] = value[c] * inside[k]


@kernel(parallel=True)
def scalars_correct(s4, first4, back, ahead, low, high, used, keep, take, out):
    """Second pass: correct, limit to the traced neighbours, then fade.

    `keep` (CHANNELS,) is exp(-rate dt) of each scalar and `take` what a linear fade removes in this step;
    values under a millionth become zero, or smoke would decay into denormals, which slow every kernel.
    """
    nx, ny, nz, _ = s4.shape
    s, first, flat = s4.reshape(-1), first4.reshape(-1), out.reshape(-1)
    sx, sy = (ny * nz * CHANNELS if nx > 1 else 0), (nz * CHANNELS if ny > 1 else 0)
    for p_ in prange(nx):
        i = np.int64(p_)
        place, weight = np.empty((3, nz), np.float32), np.empty((3, nz), np.float32)
        index, source = np.empty(nz, np.int32), np.empty(nz, np.int32)
        inside = np.empty(nz, np.float32)
        for j in range(ny):
            _scalar_places(back, i, j, place)
            if _reads_nothing(place, used):  # the limiter leaves nothing where nothing was
                out[i, j][:] = ZERO
                continue
            _inside(place, (nx, ny, nz), low, high, inside)
            _locate(place, nx, ny, nz, source, weight)
            _scalar_places(ahead, i, j, place)
            _locate(place, nx, ny, nz, index, weight)
            line = (i * ny + j) * nz
            for k in range(nz):
                correct(
                    s,
                    first,
                    flat,
                    np.int64(source[k]) * CHANNELS,
                    np.int64(index[k]) * CHANNELS,
                    (line + k) * CHANNELS,
                    sx,
                    sy,
                    weight[0, k],
                    weight[1, k],
                    weight[2, k],
                    keep,
                    take,
                    inside[k],
                    TINY,
                )


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
