"""What one sweep can take of a flow, and what is left for another.

A sweep along one axis sees only the flow along it: where much goes out both ways, or out faster than in, it
would empty a voxel before the next axis fills it again. That is so in a few voxels of a lively box. There the
flow is cut down to what leaves the least volume, and the rest is swept when all axes have gone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
PASSES = 8
MOST_CELLS = 4000  # short of volume; where more are, all is swept in more rounds

Flow = tuple[np.ndarray, ...]


@dataclass(frozen=True)
class Stage:
    """One sweep.

    Attributes
    ----------
    axis : along which
    moving : velocity on its faces, m/s
    before : velocity on all faces that went before, of which the axes `done` count
    sparse : whether most of `moving` is nothing
    """

    axis: int
    moving: np.ndarray
    before: Flow
    done: tuple[bool, bool, bool]
    sparse: bool = False


def whole(flow: Flow, order: tuple[int, ...]) -> list[Stage]:
    """The sweeps of a flow that empties nothing on the way."""
    stages, done = [], [False, False, False]
    for axis in order:
        stages.append(Stage(axis, flow[axis], flow, (done[0], done[1], done[2])))
        done[axis] = True
    return stages


@kernel
def _volume(i, j, k, u, v, w, scale, by_x, by_y, by_z):
    left = ONE
    if by_x:
        left += scale * (u[i, j, k] - u[i + 1, j, k])
    if by_y:
        left += scale * (v[i, j, k] - v[i, j + 1, k])
    if by_z:
        left += scale * (w[i, j, k] - w[i, j, k + 1])
    return left


@kernel(parallel=True)
def _short(u, v, w, scale, by_x, by_y, by_z, least, marks):
    """Mark the voxels with less volume than the least, and count them by slab."""
    nx, ny, nz = marks.shape
    counts = np.zeros(nx, np.int64)
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                short = _volume(i, j, k, u, v, w, scale, by_x, by_y, by_z) < least
                marks[i, j, k] = short
                counts[i] += 1 if short else 0
    return counts


@kernel
def _cut(cells, axis, moving, u, v, w, scale, by_x, by_y, by_z, least):
    """Cut what goes out of voxels along an axis, evenly on both sides, so that the least volume is left."""
    x, y, z = axis == 0, axis == 1, axis == 2
    for n in range(cells.shape[0]):
        i, j, k = cells[n, 0], cells[n, 1], cells[n, 2]
        lacks = least - _volume(i, j, k, u, v, w, scale, by_x, by_y, by_z)
        below, above = moving[i, j, k], moving[i + x, j + y, k + z]
        out = scale * (max(above, ZERO) + max(-below, ZERO))
        if lacks > ZERO and out > ZERO:
            kept = max(ONE - lacks / out, ZERO)
            if above > ZERO:
                moving[i + x, j + y, k + z] = kept * above
            if below < ZERO:
                moving[i, j, k] = kept * below


def _clipped(
    flow: list[np.ndarray], axis: int, done: list[bool], scale: np.float32, least: np.float32
) -> bool:
    """Cut `flow[axis]`, in place, to what leaves the least volume after the axes `done` and this one; whether
    that went."""
    nx, ny, nz = flow[0].shape[0] - 1, flow[0].shape[1], flow[0].shape[2]
    marks, by = np.empty((nx, ny, nz), np.bool_), [d or a == axis for a, d in enumerate(done)]
    for _ in range(PASSES):  # less into a neighbour may be too little for it in turn
        count = int(_short(*flow, scale, *by, least, marks).sum())
        if count == 0:
            return True
        if count > MOST_CELLS:
            return False
        _cut(np.argwhere(marks), axis, flow[axis], *flow, scale, *by, least)
    return False


def clipped(flow: Flow, order: tuple[int, ...], scale: np.float32, least: float) -> list[Stage] | None:
    """The sweeps of a flow by which every voxel keeps its least volume on the way; None where that cannot be
    had."""
    now, done, stages = [field.copy() for field in flow], [False, False, False], []
    # a hair above the least, or the last pass would leave voxels just below it
    least_left = np.float32(1.02 * least)
    for axis in order:
        if not _clipped(now, axis, done, scale, least_left):
            return None
        stages.append(Stage(axis, now[axis], tuple(now), (done[0], done[1], done[2])))
        done[axis] = True
    for axis in order:
        rest = flow[axis] - now[axis]
        if rest.any():
            stages.append(Stage(axis, rest, tuple(now), (True, True, True), True))
            now[axis] = flow[axis]
    return stages
