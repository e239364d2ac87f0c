"""Remap: what the gas holds goes with it, and none of it is lost or made.

Method: long-step flux-form sweeps along one axis after the other (S.-J. Lin & R. Rood, "Multidimensional
flux-form semi-Lagrangian transport schemes", Mon. Wea. Rev. 124, 1996) with the limited parabola of
P. Colella & P. Woodward, "The piecewise parabolic method (PPM) for gas-dynamical simulations", J. Comput.
Phys. 54 (1984). Each voxel's volume of gas is carried through the sweeps, so that what is even stays even.

A sweep is done on planes, one per thing held, (channels, nx, ny, nz) with amounts per voxel. The flow is
given as velocity on faces; times `scale`, in s per voxel edge, it is the volume that goes through a face in a
sweep, in voxels. Beyond an open wall the air holds nothing.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import TEMPERATURE, Grid, Workspace

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
TWO = np.float32(2.0)
THREE = np.float32(3.0)
SIXTH = np.float32(1.0 / 6.0)
TWO_THIRDS = np.float32(2.0 / 3.0)
NEAR = np.float32(7.0 / 12.0)
WIDE = np.float32(1.0 / 12.0)
TINY = np.float32(1e-6)
BOUNDLESS = np.float32(np.inf)
LEAST_VOLUME = 0.05  # of a voxel, left by each sweep
MOST_SPREAD = 0.6  # of a voxel, pressed out of one in a round of sweeps
MOST_REACH = 4  # voxels that a flow crosses in a round
MOST_ROUNDS = 64

Flow = tuple[np.ndarray, ...]


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
    """From flow, volume and value of a slab to what goes through the face below each voxel.

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
            return


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
def _fill_slab(axis, o, c, bottom, rows, border, k0, k1, planes, space, u, v, w, scale, by_x, by_y, by_z):
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
            face = u[at, o, k0:k1] if axis == 0 else v[o, at, k0:k1]
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
def _sweep_slab(axis, o, part, parts, planes, spans, u, v, w, scale, by_x, by_y, by_z, reach):
    """A part of one slab (x and z, or y and z) along x (axis 0) or y (axis 1), in place."""
    channels, nx, ny, nz = planes.shape
    n, border = (nx if axis == 0 else ny), max(reach, 2)
    for c in range(channels):
        first, last, k0, k1 = _span_of(spans[c], n, axis, o)
        k0, k1 = max(k0, nz * part // parts), min(k1, nz * (part + 1) // parts)
        if last < 0 or k1 <= k0:
            continue
        bottom, top, width = max(first - reach, 0), min(last + reach, n - 1), k1 - k0
        rows = top - bottom + 1 + 2 * border
        space = np.empty((7, rows * width), np.float32)
        _fill_slab(axis, o, c, bottom, rows, border, k0, k1, planes, space, u, v, w, scale, by_x, by_y, by_z)
        _work_out(space, rows, width, width, border)
        for a in range(border, rows - border):
            at = bottom + a - border
            row = planes[c, at, o, k0:k1] if axis == 0 else planes[c, o, at, k0:k1]
            _settle(
                row,
                space[THROUGH, a * width : (a + 1) * width],
                space[THROUGH, (a + 1) * width : (a + 2) * width],
            )


@kernel
def _settle(row, below, above):
    for k in range(row.size):
        row[k] += below[k] - above[k]


CHUNK = 64  # voxels along z that are swept together: their rows stay close to the processor


@kernel(parallel=True)
def _sweep_across(axis, planes, spans, u, v, w, scale, by_x, by_y, by_z, reach):
    parts = -(-planes.shape[3] // CHUNK)
    slabs = (planes.shape[2] if axis == 0 else planes.shape[1]) * parts
    for p_ in prange(slabs):
        o, part = np.int64(p_) // parts, np.int64(p_) % parts
        _sweep_slab(axis, o, part, parts, planes, spans, u, v, w, scale, by_x, by_y, by_z, reach)


@kernel
def _sweep_lines(i, planes, spans, u, v, w, scale, by_x, by_y, reach):
    """All rows of one x slab along z, in place, as far as they hold anything."""
    channels, _, ny, nz = planes.shape
    border = max(reach, 2)
    lines = np.empty(ny, np.int64)
    for c in range(channels):
        count, k0, k1 = 0, nz, 0
        for j in range(ny):
            if spans[c, i, j, 1] > spans[c, i, j, 0]:
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
            flow, face, held = space[FLOW, start : start + n + 1], w[i, j, k0:], planes[c, i, j, k0:k1]
            if by_x:
                _add_change(volume, scale, u[i, j, k0:k1], u[i + 1, j, k0:k1])
            if by_y:
                _add_change(volume, scale, v[i, j, k0:k1], v[i, j + 1, k0:k1])
            for k in range(n):
                value[k] = held[k] / volume[k]
            for k in range(n + 1):
                flow[k] = scale * face[k]
            for b in range(border):
                space[VALUE, start - 1 - b], space[VALUE, start + n + b] = value[0], value[n - 1]
        _work_out(space, count, width, 1, border)
        for a in range(count):
            start = a * width + border
            _settle(
                planes[c, i, lines[a], k0:k1],
                space[THROUGH, start : start + n],
                space[THROUGH, start + 1 : start + n + 1],
            )


@kernel(parallel=True)
def _sweep_along(planes, spans, u, v, w, scale, by_x, by_y, reach):
    for p_ in prange(planes.shape[1]):
        _sweep_lines(np.int64(p_), planes, spans, u, v, w, scale, by_x, by_y, reach)


@kernel
def _widened(spans, nz, axis, reach, out):
    """Where anything can be after a sweep that reaches some voxels along an axis."""
    nx, ny = spans.shape[0], spans.shape[1]
    for i in range(nx):
        for j in range(ny):
            if axis == 2:
                low, high = spans[i, j, 0], spans[i, j, 1]
                out[i, j, 0], out[i, j, 1] = low, high
                if high > low:
                    out[i, j, 0], out[i, j, 1] = max(low - reach, 0), min(high + reach, nz)
                continue
            a0, a1 = (max(i - reach, 0), min(i + reach + 1, nx)) if axis == 0 else (i, i + 1)
            b0, b1 = (max(j - reach, 0), min(j + reach + 1, ny)) if axis == 1 else (j, j + 1)
            low, high = nz, 0
            for a in range(a0, a1):
                for b in range(b0, b1):
                    if spans[a, b, 1] > spans[a, b, 0]:
                        low, high = min(low, spans[a, b, 0]), max(high, spans[a, b, 1])
            out[i, j, 0], out[i, j, 1] = low, high


@kernel(parallel=True)
def _widen(spans, nz, axis, reach, out):
    for p_ in prange(spans.shape[0]):
        _widened(spans[p_], nz, axis, reach, out[p_])


@kernel(parallel=True)
def _unpack(s, planes, spans):
    """Interleaved amounts to planes; finds from and to where along z each row holds anything, (channels, nx,
    ny, 2)."""
    channels, nx, ny, nz = planes.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row = s[i, j]
            for c in range(channels):
                out, count = planes[c, i, j], 0
                for k in range(nz):
                    out[k] = row[k, c]
                    count += 0 if row[k, c] == ZERO else 1  # what is no number counts too
                low, high = nz, 0
                if count:
                    low, high = 0, nz
                    while out[low] == ZERO:
                        low += 1
                    while out[high - 1] == ZERO:
                        high -= 1
                spans[c, i, j, 0], spans[c, i, j, 1] = low, high


@kernel(parallel=True)
def _pack(planes, spans, keep, take, signed, out):
    """Planes to interleaved amounts, faded; nothing below zero but where `signed`.

    Values under a millionth become zero, or smoke would decay into denormals, which slow every kernel.
    """
    channels, nx, ny, nz = planes.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row = out[i, j]
            row[:] = ZERO
            for c in range(channels):
                held, kept, off = planes[c, i, j], keep[c], take[c]
                least = -TINY if signed[c] else -BOUNDLESS
                for k in range(spans[c, i, j, 0], spans[c, i, j, 1]):
                    value = held[k] * kept - off
                    row[k, c] = ZERO if value <= TINY and value >= least else value


@kernel(parallel=True)
def _per_volume(plane, spans, u, v, w, scale):
    """What is meant per volume of gas rather than per voxel, after all sweeps of a round."""
    nx, ny, _ = plane.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row, a, b, c, d, e = plane[i, j], u[i, j], u[i + 1, j], v[i, j], v[i, j + 1], w[i, j]
            for k in range(spans[i, j, 0], spans[i, j, 1]):
                row[k] /= ONE + scale * (a[k] - b[k] + c[k] - d[k] + e[k] - e[k + 1])


@kernel
def _most_of_row(a, b, c, d, e, above, out):
    """Raise `out`, (6, nz), to what one row of voxels shows; row by row, and not to one number, so that it is
    vector code."""
    for k in range(a.size):
        x, y, z = b[k] - a[k], d[k] - c[k], above[k] - e[k]
        out[0, k] = max(out[0, k], max(x, x + y))
        out[1, k] = max(out[1, k], max(z, z + y))
        out[2, k] = max(out[2, k], x + y + z)
        out[3, k] = max(out[3, k], max(abs(a[k]), abs(b[k])))
        out[4, k] = max(out[4, k], max(abs(c[k]), abs(d[k])))
        out[5, k] = max(out[5, k], max(abs(e[k]), abs(above[k])))


@kernel(parallel=True)
def _crowding(u, v, w, out):
    """By x slab, (nx, 6): the most that sweeps x, y, z and z, y, x would take out of a voxel on the way, what
    goes out of one in all, and the fastest along each axis; per voxel edge."""
    nx, ny, nz = u.shape[0] - 1, u.shape[1], u.shape[2]
    for p_ in prange(nx):
        i = np.int64(p_)
        most = np.zeros((6, nz), np.float32)
        for j in range(ny):
            _most_of_row(u[i, j], u[i + 1, j], v[i, j], v[i, j + 1], w[i, j], w[i, j, 1:], most)
        for n in range(6):
            out[i, n] = most[n].max()


class Remap:
    """One carrying of what a gas holds over a span of time, for any number of fields.

    Parameters
    ----------
    flow : velocity on faces, m/s, that lets as much into each voxel as out of it but for what expands
    dt : s
    backwards : sweep z, y, x first rather than x, y, z. The two in turn cancel most of what the order does
    """

    def __init__(self, grid: Grid, flow: Flow, dt: float, backwards: bool) -> None:
        self.flow, self.backwards, self.flat = flow, backwards, grid.shape[1] == 1
        found = np.empty((grid.shape[0], 6), np.float32)
        _crowding(*flow, found)
        first, last, whole, *fastest = (found.max(axis=0) * (dt / grid.voxel)).tolist()
        need = max(
            (last if backwards else first) / (1.0 - LEAST_VOLUME),
            whole / MOST_SPREAD,
            max(fastest) / MOST_REACH,
            1.0,
        )
        if need > 1.0:  # rounds go to and fro
            need = max(need, max(first, last) / (1.0 - LEAST_VOLUME))
        self.rounds = min(MOST_ROUNDS, math.ceil(need - 1e-6)) if math.isfinite(need) else 1
        self.scale = np.float32(dt / grid.voxel / self.rounds)
        self.reach = [
            max(1, math.ceil(min(f / self.rounds, MOST_REACH) + 1e-5)) if f == f else 1 for f in fastest
        ]

    def _sweeps(self, planes: np.ndarray, spans: np.ndarray, backwards: bool) -> np.ndarray:
        done = [False, False, False]
        for axis in (2, 1, 0) if backwards else (0, 1, 2):
            reach = self.reach[axis]
            if axis == 2:
                _sweep_along(planes, spans, *self.flow, self.scale, done[0], done[1], reach)
            elif not (axis == 1 and self.flat):
                _sweep_across(axis, planes, spans, *self.flow, self.scale, *done, reach)
            done[axis] = True
            wider = np.empty_like(spans)
            _widen(spans, planes.shape[3], axis, reach, wider)
            spans = wider
        return spans

    def carry(
        self,
        old: np.ndarray,
        keep: np.ndarray,
        take: np.ndarray,
        warm: bool,
        work: Workspace,
        out: np.ndarray,
    ) -> None:
        """Carry a field of (nx, ny, nz, channels) into `out`, and fade it.

        Parameters
        ----------
        keep, take : (channels,) factor of each channel, and what is taken off it
        warm : whether the second channel is a temperature: what expands then keeps its heat
        """
        shape = (old.shape[3], *old.shape[:3])
        (planes,) = work.arrays("planes", 1, shape)
        spans = np.empty((*shape[:3], 2), np.int64)
        _unpack(old, planes, spans)
        for n in range(self.rounds):
            spans = self._sweeps(planes, spans, self.backwards != (n % 2 == 1))
            if warm:
                _per_volume(planes[TEMPERATURE], spans[TEMPERATURE], *self.flow, self.scale)
        signed = np.zeros(old.shape[3], np.bool_)
        signed[TEMPERATURE] = warm
        _pack(planes, spans, keep, take, signed, out)
