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
from tenka.gas.clipping import Flow, Stage, clipped, whole
from tenka.gas.grid import TEMPERATURE, Grid, Workspace
from tenka.gas.sweeps import ONE, ZERO, sweep_across, sweep_along

TINY = np.float32(1e-6)
BOUNDLESS = np.float32(np.inf)
LEAST_VOLUME = 0.05  # of a voxel, left by each sweep
MOST_SPREAD = 0.6  # of a voxel, pressed out of one in a round of sweeps
MOST_EMPTIED = 2.0  # volumes of a voxel; where a sweep would take more out, all is swept in more rounds
MOST_REACH = 4  # voxels that a flow crosses in a round
MOST_ROUNDS = 64
HOLLOW = 0.5  # of a voxel, taken out by a sweep: flow may then come from a voxel further than it is long
FURTHEST = 64  # voxels that are looked through for where a flow comes from


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
        first, last, spread, *fastest = (found.max(axis=0) * (dt / grid.voxel)).tolist()
        self.rounds = 1
        self.stages: list[Stage] | None = None
        emptied = (last if backwards else first) / (1.0 - LEAST_VOLUME)
        need = max(spread / MOST_SPREAD, max(fastest) / MOST_REACH, 1.0)
        if need <= 1.0 < emptied <= MOST_EMPTIED:  # in a few voxels, most of the time
            self.stages = clipped(flow, self._order(0), np.float32(dt / grid.voxel), LEAST_VOLUME)
        if self.stages is None and max(need, emptied) > 1.0:  # rounds go to and fro
            need = max(need, max(first, last) / (1.0 - LEAST_VOLUME))
            self.rounds = min(MOST_ROUNDS, math.ceil(need - 1e-6)) if math.isfinite(need) else 1
        self.scale = np.float32(dt / grid.voxel / self.rounds)
        through = 1 if max(first, last) / self.rounds > HOLLOW else 0
        self.reach = [
            through + max(1, math.ceil(min(f / self.rounds, MOST_REACH) + 1e-5)) if f == f else 1
            for f in fastest
        ]

    def _order(self, n: int) -> tuple[int, ...]:
        """Of the sweeps in round `n`; a slice has none across it."""
        order = (2, 1, 0) if self.backwards != (n % 2 == 1) else (0, 1, 2)
        return tuple(axis for axis in order if not (axis == 1 and self.flat))

    def _sweeps(self, planes: np.ndarray, spans: np.ndarray, n: int) -> np.ndarray | None:
        """The sweeps of a round, in place: where anything can be after them; None where the flow came from
        further than was looked for, past voxels that were nearly emptied on the way."""
        for stage in self.stages or whole(self.flow, self._order(n)):
            reach = self.reach[stage.axis]
            what = (planes, spans, stage.moving, *stage.before, self.scale, *stage.done, reach, stage.sparse)
            left = sweep_along(*what) if stage.axis == 2 else sweep_across(stage.axis, *what)
            if left.any():
                return None
            wider = np.empty_like(spans)
            _widen(spans, planes.shape[3], stage.axis, reach, wider)
            spans = wider
        return spans

    def _carried(
        self, old: np.ndarray, planes: np.ndarray, spans: np.ndarray, warm: bool
    ) -> tuple[bool, np.ndarray]:
        """Lay a field out and sweep it through all rounds: whether that went, and where anything can be."""
        _unpack(old, planes, spans)
        for n in range(self.rounds):
            wider = self._sweeps(planes, spans, n)
            if wider is None:
                return False, spans
            spans = wider
            if warm:
                _per_volume(planes[TEMPERATURE], spans[TEMPERATURE], *self.flow, self.scale)
        return True, spans

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
        while not (found := self._carried(old, planes, spans, warm))[0] and max(self.reach) < FURTHEST:
            self.reach = [2 * reach for reach in self.reach]
        spans = found[1]
        signed = np.zeros(old.shape[3], np.bool_)
        signed[TEMPERATURE] = warm
        _pack(planes, spans, keep, take, signed, out)
