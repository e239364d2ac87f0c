"""What a layer is at a moment between two stored frames: carried along its own motion from both sides.

A plain blend of two frames shows both at once. Here each is moved to the moment first: the earlier one
forward, the later one back, by the velocity that lies between them.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.cache.store import Frame
from tenka.particles.paths import paths_between
from tenka.particles.state import Points, together
from tenka.run.frames import PointFrame

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)


@kernel
def _read(field: Any, x: Any, y: Any, z: Any) -> Any:
    """Trilinear value at voxel coordinates (centres at whole numbers); nothing outside."""
    nx, ny, nz = field.shape
    a, b, c = np.int64(np.floor(x)), np.int64(np.floor(y)), np.int64(np.floor(z))
    f, g, h = x - np.float32(a), y - np.float32(b), z - np.float32(c)
    if 0 <= a < nx - 1 and 0 <= b < ny - 1 and 0 <= c < nz - 1:
        near, far = field[a], field[a + 1]
        low = (ONE - h) * near[b, c] + h * near[b, c + 1]
        low += g * ((ONE - h) * near[b + 1, c] + h * near[b + 1, c + 1] - low)
        high = (ONE - h) * far[b, c] + h * far[b, c + 1]
        high += g * ((ONE - h) * far[b + 1, c] + h * far[b + 1, c + 1] - high)
        return low + f * (high - low)
    total = ZERO
    for i in range(2):
        for j in range(2):
            for k in range(2):
                u, v, w = a + i, b + j, c + k
                if 0 <= u < nx and 0 <= v < ny and 0 <= w < nz:
                    share = (f if i else ONE - f) * (g if j else ONE - g) * (h if k else ONE - h)
                    total += share * np.float32(field[u, v, w])
    return total


@kernel(parallel=True)
def _carry(
    a: Any, b: Any, va: Any, vb: Any, shift_a: Any, shift_b: Any, steps: Any, share: Any, out: Any
) -> None:
    """`out` at a moment between `a` and `b`: both traced along the velocity, and blended.

    Parameters
    ----------
    va, vb : (3, nx, ny, nz) m/s of both frames
    shift_a, shift_b : whole voxels from `out`'s corner to those of the frames
    steps : frame time over voxel, s/m
    share : 0 at `a`, 1 at `b`
    """
    nx, ny, nz = out.shape
    back, ahead = share * steps, (ONE - share) * steps
    for p_ in prange(nx):
        i = np.int64(p_)
        ia, ib = i - shift_a[0], i - shift_b[0]
        for j in range(ny):
            ja, jb = j - shift_a[1], j - shift_b[1]
            row_a = 0 <= ia < a.shape[0] and 0 <= ja < a.shape[1]
            row_b = 0 <= ib < b.shape[0] and 0 <= jb < b.shape[1]
            for k in range(nz):
                ka, kb = k - shift_a[2], k - shift_b[2]
                u, v, w = ZERO, ZERO, ZERO
                if row_a and 0 <= ka < a.shape[2]:
                    part = ONE - share
                    u, v, w = part * va[0, ia, ja, ka], part * va[1, ia, ja, ka], part * va[2, ia, ja, ka]
                if row_b and 0 <= kb < b.shape[2]:
                    u += share * vb[0, ib, jb, kb]
                    v += share * vb[1, ib, jb, kb]
                    w += share * vb[2, ib, jb, kb]
                x, y, z = np.float32(ia), np.float32(ja), np.float32(ka)
                early = _read(a, x - back * u, y - back * v, z - back * w)
                x, y, z = np.float32(ib), np.float32(jb), np.float32(kb)
                late = _read(b, x + ahead * u, y + ahead * v, z + ahead * w)
                out[i, j, k] = early + share * (late - early)


def gas_between(a: Frame, b: Frame, share: float, whole: bool = False) -> Frame:
    """A gas between two frames that were read with their velocity, over the box that holds both; `whole`:
    with the velocity that it has there."""
    if share <= 0.0 or a.velocity is None or b.velocity is None:
        return a
    low = np.minimum(a.origin, b.origin)
    shape = np.ceil((np.maximum(a.high, b.high) - low) / a.voxel - 1e-3).astype(int)
    shifts = [np.round((np.asarray(f.origin) - low) / a.voxel).astype(np.int64) for f in (a, b)]
    steps = np.float32((b.time - a.time) / a.voxel)
    moving = [np.ascontiguousarray(v, np.float32) for v in (a.velocity, b.velocity)]  # kernels take no halves

    def carried(name: str) -> np.ndarray | None:
        pair = [getattr(f, name) for f in (a, b)]
        if pair[0] is None and pair[1] is None:
            return None
        early, late = (p if p is not None else np.zeros_like(q) for p, q in (pair, pair[::-1]))
        if early.ndim == 4:
            return np.stack([_field(early[..., c], late[..., c]) for c in range(early.shape[3])], axis=3)
        return _field(early, late)

    def _field(early: np.ndarray, late: np.ndarray) -> np.ndarray:
        out = np.empty(tuple(shape), np.float32)
        _carry(
            np.ascontiguousarray(early, np.float32),
            np.ascontiguousarray(late, np.float32),
            *moving,
            *shifts,
            steps,
            np.float32(share),
            out,
        )
        return out

    x, y, z = (float(v) for v in low)
    density, heat = carried("density"), carried("temperature")
    assert density is not None and heat is not None
    return Frame(
        density,
        heat,
        np.stack([_field(u, v) for u, v in zip(*moving)]) if whole else None,
        (x, y, z),
        a.voxel,
        a.time + share * (b.time - a.time),
        dict(a.meta),
        flame=carried("flame"),
        dye=carried("dye"),
    )


def points_between(a: PointFrame, b: PointFrame, share: float, whole: bool = True) -> PointFrame:
    """Particles between two frames: where each is on its bent way, those that live then."""
    if share <= 0.0:
        return a
    t = a.time + share * (b.time - a.time)
    paths = paths_between(a.points, b.points, a.time, b.time)
    common, at_a, at_b = np.intersect1d(a.points.id, b.points.id, assume_unique=True, return_indices=True)
    gone = a.points.picked(np.setdiff1d(np.arange(len(a.points)), at_a, assume_unique=True))
    come_rows = np.setdiff1d(np.arange(len(b.points)), at_b, assume_unique=True)
    come = b.points.picked(come_rows[b.points.born[come_rows] >= a.time - 1e-9])
    who = together([b.points.picked(at_b), gone, come])  # in the order of the paths
    if not len(who):
        return PointFrame(Points(), t, dict(a.meta))
    place, velocity = paths.at(np.full(len(who), t))
    moved = who.to_move()
    moved.place, moved.velocity = place.astype(np.float32), velocity.astype(np.float32)
    n = len(common)
    early = a.points.picked(at_a)
    moved.heat[:n] = early.heat + np.float32(share) * (moved.heat[:n] - early.heat)
    if who.rigid and n:
        start, end = early.turn, who.turn[:n]
        end = np.where((start * end).sum(axis=1, keepdims=True) < 0, -end, end)
        turn = start + np.float32(share) * (end - start)
        moved.turn[:n] = turn / np.maximum(np.linalg.norm(turn, axis=1, keepdims=True), 1e-12)
    lives = (paths.since <= t) & (t <= paths.until)
    return PointFrame(moved.picked(lives), t, dict(a.meta))
