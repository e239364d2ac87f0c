"""Sweeps along one axis that carry amounts without loss: the kernels of `tenka.gas.remap`.

A slab of rows is laid flat with a border, so that each loop is one long run of vector code; only the part of
it that holds anything is taken.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
TWO = np.float32(2.0)
THREE = np.float32(3.0)
SIXTH = np.float32(1.0 / 6.0)
TWO_THIRDS = np.float32(2.0 / 3.0)
NEAR = np.float32(7.0 / 12.0)
WIDE = np.float32(1.0 / 12.0)


@kernel
def _between(a, b, c, d):
    """Value on the face between b and c of a row of means a, b, c, d, within those beside it."""
    e = NEAR * (b + c) - WIDE * (a + d)
    return min(max(e, min(b, c)), max(b, c))


@kernel
def _limited(r, low, high):
    """Values at the ends of the parabola with mean r that has no extreme within its voxel."""
    span = high - low
    skew, most = span * (r - HALF * (low + high)), span * span * SIXTH
    flat = (high - r) * (r - low) <= ZERO
    return (
        r if flat else (THREE * r - TWO * high if skew > most else low),
        r if flat else (THREE * r - TWO * low if skew < -most else high),
    )


@kernel
def _mean_of_end(r, near, far, share):
    """Mean of a parabola over a share of its voxel from the end where its value is `near`."""
    bow = THREE * (TWO * r - near - far)
    return near + HALF * share * (far - near + (ONE - TWO_THIRDS * share) * bow)


@kernel
def _given(c, v, r, low, high, v2, r2, low2, high2):
    """What a face takes from the voxel below it (c > 0) or from that above (c < 0), at most the whole of
    it."""
    up = c >= ZERO
    amount = abs(c)
    volume = v if up else v2
    mean = r if up else r2
    near = high if up else low2
    far = low if up else high2
    part = min(amount, volume)
    taken = part * _mean_of_end(mean, near, far, part / volume)
    return taken if up else -taken


@kernel
def _add_change(out, scale, below, above):
    for k in range(out.size):
        out[k] += scale * (below[k] - above[k])


@kernel
def _edges(p, q, r, s, out):
    for m in range(out.size):
        out[m] = _between(p[m], q[m], r[m], s[m])


@kernel
def _ends(value, below, above, low, high):
    for m in range(low.size):
        low[m], high[m] = _limited(value[m], below[m], above[m])


@kernel
def _through(c, v, r, low, high, v2, r2, low2, high2, out):
    """Add what goes through each face from the voxels given, and take their volume off the flow; returns how
    much of it is left, in all."""
    left = ZERO
    for m in range(out.size):
        flow = c[m]
        out[m] += _given(flow, v[m], r[m], low[m], high[m], v2[m], r2[m], low2[m], high2[m])
        flow = max(flow - v[m], ZERO) if flow >= ZERO else min(flow + v2[m], ZERO)
        c[m] = flow
        left += abs(flow)
    return left


FLOW, VOLUME, VALUE, EDGE, LOW, HIGH, THROUGH = 0, 1, 2, 3, 4, 5, 6


@kernel
def _clear_border(row, count, width, step, border):
    """Nothing in the borders of rows that lie across (step = width) or along (step = 1) the last axis."""
    if step == 1:
        for a in range(count):
            row[a * width : a * width + border] = ZERO
            row[(a + 1) * width - border : (a + 1) * width] = ZERO
    else:
        row[: border * step] = ZERO
        row[row.size - border * step :] = ZERO


@kernel
def _work_out(space, count, width, step, border):
    """From flow, volume and value of a slab to what goes through the face below each voxel; returns how much
    of the flow reaches further than the border.

    The slab lies flat, (count * width), so that each loop is long and plain: rows across the last axis are
    `step` = width apart, along it 1. All have a border, which holds the values beside it, at least as wide as
    the flow reaches.
    """
    size = count * width
    value = space[VALUE, :size]
    n = size - 3 * step
    _edges(
        value[:n],
        value[step : n + step],
        value[2 * step : n + 2 * step],
        value[3 * step :],
        space[EDGE, 2 * step : n + 2 * step],
    )
    n = size - step
    _ends(value[:n], space[EDGE, :n], space[EDGE, step:size], space[LOW, :n], space[HIGH, :n])
    for row in (VALUE, LOW, HIGH):
        _clear_border(space[row, :size], count, width, step, border)
    volume, low, high = space[VOLUME, :size], space[LOW, :size], space[HIGH, :size]
    space[THROUGH, :size] = ZERO
    left = ZERO
    for further in range(border):  # from the first voxel upstream, then from the next where the step is long
        below = further * step
        n = size - below - (further + 1) * step
        left = _through(
            space[FLOW, below + step : below + step + n],
            volume[:n],
            value[:n],
            low[:n],
            high[:n],
            volume[size - n :],
            value[size - n :],
            low[size - n :],
            high[size - n :],
            space[THROUGH, below + step : below + step + n],
        )
        if not left > ZERO:
            return ZERO
    return left


@kernel
def _span_of(spans, n, axis, o):
    """First and last row of a slab that holds anything, and from and to where along z."""
    first, last, k0, k1 = n, -1, 32767, 0
    for a in range(n):
        low, high = (spans[a, o, 0], spans[a, o, 1]) if axis == 0 else (spans[o, a, 0], spans[o, a, 1])
        if high > low:
            first, last = min(first, a), a
            k0, k1 = min(k0, low), max(k1, high)
    return first, last, k0, k1


@kernel
def _fill_slab(
    axis, o, c, bottom, rows, border, k0, k1, planes, space, moving, u, v, w, scale, by_x, by_y, by_z
):
    """Flow, volume and value of the rows of a part of a slab, with their borders."""
    _, nx, ny, _ = planes.shape
    n, width = (nx if axis == 0 else ny), k1 - k0
    for a in range(rows):
        at = bottom + a - border
        here, there = slice(a * width, (a + 1) * width), min(max(at, 0), n - 1)
        i, j = (there, o) if axis == 0 else (o, there)
        volume, value, flow = space[VOLUME, here], space[VALUE, here], space[FLOW, here]
        volume[:] = ONE
        if 0 <= at < n:
            if by_x:
                _add_change(volume, scale, u[i, j, k0:k1], u[i + 1, j, k0:k1])
            if by_y:
                _add_change(volume, scale, v[i, j, k0:k1], v[i, j + 1, k0:k1])
            if by_z:
                _add_change(volume, scale, w[i, j, k0:k1], w[i, j, k0 + 1 : k1 + 1])
        held = planes[c, i, j, k0:k1]
        for k in range(width):
            value[k] = held[k] / volume[k]
        if 0 <= at <= n:
            face = moving[at, o, k0:k1] if axis == 0 else moving[o, at, k0:k1]
            for k in range(width):
                flow[k] = scale * face[k]
        else:
            flow[:] = ZERO
    for a in range(rows):  # beyond the box what is beside it, only for the parabolas
        at = bottom + a - border
        if not 0 <= at < n:
            b = border - bottom if at < 0 else n - 1 - bottom + border
            for k in range(width):
                space[VALUE, a * width + k] = space[VALUE, b * width + k]


@kernel
def _moves(axis, o, first, last, k0, k1, moving):
    """Whether anything goes through the faces of a part of a slab."""
    for a in range(first, last):
        row = moving[a, o] if axis == 0 else moving[o, a]
        for k in range(k0, k1):
            if row[k] != ZERO:
                return True
    return False


@kernel
def _sweep_slab(axis, o, part, parts, planes, spans, moving, u, v, w, scale, by_x, by_y, by_z, reach, sparse):
    """A part of one slab (x and z, or y and z) along x (axis 0) or y (axis 1), in place."""
    channels, nx, ny, nz = planes.shape
    n, border, left = (nx if axis == 0 else ny), max(reach, 2), ZERO
    for c in range(channels):
        first, last, k0, k1 = _span_of(spans[c], n, axis, o)
        k0, k1 = max(k0, nz * part // parts), min(k1, nz * (part + 1) // parts)
        if last < 0 or k1 <= k0:
            continue
        bottom, top, width = max(first - reach, 0), min(last + reach, n - 1), k1 - k0
        if sparse and not _moves(axis, o, bottom, top + 2, k0, k1, moving):
            continue
        rows = top - bottom + 1 + 2 * border
        space = np.empty((7, rows * width), np.float32)
        _fill_slab(
            axis, o, c, bottom, rows, border, k0, k1, planes, space, moving, u, v, w, scale, by_x, by_y, by_z
        )
        left += _work_out(space, rows, width, width, border)
        for a in range(border, rows - border):
            at = bottom + a - border
            row = planes[c, at, o, k0:k1] if axis == 0 else planes[c, o, at, k0:k1]
            _settle(
                row,
                space[THROUGH, a * width : (a + 1) * width],
                space[THROUGH, (a + 1) * width : (a + 2) * width],
            )
    return left


@kernel
def _settle(row, below, above):
    for k in range(row.size):
        row[k] += below[k] - above[k]


CHUNK = 64  # voxels along z that are swept together: their rows stay close to the processor


@kernel(parallel=True)
def sweep_across(axis, planes, spans, moving, u, v, w, scale, by_x, by_y, by_z, reach, sparse):
    """Carry planes along x (axis 0) or y (axis 1), in place.

    Parameters
    ----------
    planes : (channels, nx, ny, nz) amounts per voxel
    spans : (channels, nx, ny, 2) from and to where along z each row holds anything
    moving : velocity on the faces of the axis
    u, v, w : that went before, of which those `by_x`, `by_y`, `by_z` count for the volumes
    scale : s per voxel edge
    reach : voxels that the flow crosses at most
    sparse : whether most of `moving` is nothing, so that it is worth a look

    Returns
    -------
    how much of the flow, in voxels by slab, comes from further than `reach`: then all was for nothing
    """
    parts = -(-planes.shape[3] // CHUNK)
    slabs = (planes.shape[2] if axis == 0 else planes.shape[1]) * parts
    left = np.zeros(slabs, np.float32)
    for p_ in prange(slabs):
        o, part = np.int64(p_) // parts, np.int64(p_) % parts
        left[p_] = _sweep_slab(
            axis, o, part, parts, planes, spans, moving, u, v, w, scale, by_x, by_y, by_z, reach, sparse
        )
    return left


@kernel
def _sweep_lines(i, planes, spans, moving, u, v, w, scale, by_x, by_y, by_z, reach, sparse):
    """All rows of one x slab along z, in place, as far as they hold anything."""
    channels, _, ny, nz = planes.shape
    border, left = max(reach, 2), ZERO
    lines = np.empty(ny, np.int64)
    for c in range(channels):
        count, k0, k1 = 0, nz, 0
        for j in range(ny):
            if spans[c, i, j, 1] > spans[c, i, j, 0] and not (sparse and not moving[i, j].any()):
                lines[count] = j
                count += 1
                k0, k1 = min(k0, spans[c, i, j, 0]), max(k1, spans[c, i, j, 1])
        if count == 0:
            continue
        k0, k1 = max(k0 - reach, 0), min(k1 + reach, nz)
        n = k1 - k0
        width = n + 2 * border
        space = np.empty((7, count * width), np.float32)
        for a in range(count):
            j, start = lines[a], a * width + border
            whole = slice(a * width, (a + 1) * width)
            space[VOLUME, whole] = ONE
            space[FLOW, whole] = ZERO
            volume, value = space[VOLUME, start : start + n], space[VALUE, start : start + n]
            flow, face, held = space[FLOW, start : start + n + 1], moving[i, j, k0:], planes[c, i, j, k0:k1]
            if by_x:
                _add_change(volume, scale, u[i, j, k0:k1], u[i + 1, j, k0:k1])
            if by_y:
                _add_change(volume, scale, v[i, j, k0:k1], v[i, j + 1, k0:k1])
            if by_z:
                _add_change(volume, scale, w[i, j, k0:k1], w[i, j, k0 + 1 : k1 + 1])
            for k in range(n):
                value[k] = held[k] / volume[k]
            for k in range(n + 1):
                flow[k] = scale * face[k]
            for b in range(border):
                space[VALUE, start - 1 - b], space[VALUE, start + n + b] = value[0], value[n - 1]
        left += _work_out(space, count, width, 1, border)
        for a in range(count):
            start = a * width + border
            _settle(
                planes[c, i, lines[a], k0:k1],
                space[THROUGH, start : start + n],
                space[THROUGH, start + 1 : start + n + 1],
            )
    return left


@kernel(parallel=True)
def sweep_along(planes, spans, moving, u, v, w, scale, by_x, by_y, by_z, reach, sparse):
    """Carry planes along z, in place; see `sweep_across`."""
    left = np.zeros(planes.shape[1], np.float32)
    for p_ in prange(planes.shape[1]):
        left[p_] = _sweep_lines(
            np.int64(p_), planes, spans, moving, u, v, w, scale, by_x, by_y, by_z, reach, sparse
        )
    return left
