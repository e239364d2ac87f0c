"""Holding a finer run to the motion of a coarser one.

The fine velocity is averaged over blocks of the coarse voxel's size; what it lacks against the coarse run is
given back to it, smoothly interpolated, at a rate. Motion on the coarse scale so stays that of the coarse
run, and what is smaller is left to the fine one. Smoke and heat are scaled, block by block, towards the
coarse run's at the same rate: another weight would be another motion. The idea is that of M. Nielsen & B.
Christensen, "Improved variational guiding of smoke animations" (2010), without their optimisation: at each
step the low-passed difference is relaxed, exactly in time.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from tenka.base.jit import kernel, prange
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.lattice import interpolate
from tenka.gas.vorticity import centre_fields

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
LEAST_DENSITY = 1e-3
LEAST_HEAT = 0.1  # K
MOST_SHARE = 2.0


@dataclass(frozen=True)
class Guide:
    """The coarse run at the beginning and at the end of a frame.

    Attributes
    ----------
    before, after : (5, nx, ny, nz) at voxel centres, each on its own grid: velocity in m/s, density,
        temperature in K
    start, seconds : when the frame begins, and how long it lasts
    factor : fine voxels along a coarse one
    rate : how fast the difference goes, 1/s
    """

    before: np.ndarray
    before_grid: Grid
    after: np.ndarray
    after_grid: Grid
    start: float
    seconds: float
    factor: int
    rate: float


def led_by(state: GasState, grid: Grid) -> np.ndarray:
    """What a finer run is held to: (5, nx, ny, nz) velocity in m/s, density, temperature in K."""
    out = np.empty((5, *grid.shape), np.float32)
    centre_fields(state.u, state.v, state.w, out[:3])
    out[3], out[4] = state.scalars[..., DENSITY], state.scalars[..., TEMPERATURE]
    return out


def _resampled(
    fields: np.ndarray,
    source: Grid,
    blocks: tuple[int, int, int],
    origin: tuple[float, float, float],
    edge: float,
) -> np.ndarray:
    """Fields at the centres of a grid of blocks; beyond their own grid they go on as at the border."""
    places = [
        ((o + (np.arange(n) + 0.5) * edge) - so) / source.voxel - 0.5
        for n, o, so in zip(blocks, origin, source.origin)
    ]
    if all(len(p) == n and np.allclose(p, np.arange(n), atol=1e-4) for p, n in zip(places, source.shape)):
        return fields
    at = np.stack(np.meshgrid(*places, indexing="ij"))
    return np.stack(
        [ndimage.map_coordinates(c, at, order=1, mode="nearest", output=np.float32) for c in fields]
    )


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


@kernel(parallel=True)
def _to_faces(push, u, v, w):
    """Add a field at centres to the faces between them; at the box's walls, half of it."""
    _, nx, ny, nz = push.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                if i > 0:
                    u[i, j, k] += HALF * (push[0, i - 1, j, k] + push[0, i, j, k])
                if j > 0:
                    v[i, j, k] += HALF * (push[1, i, j - 1, k] + push[1, i, j, k])
                if k > 0:
                    w[i, j, k] += HALF * (push[2, i, j, k - 1] + push[2, i, j, k])


def hold(state: GasState, grid: Grid, guide: Guide, work: Workspace, dt: float) -> None:
    """Give the state what its motion lacks against the guide for `dt` seconds, in place."""
    f = guide.factor
    blocks = (-(-grid.shape[0] // f), -(-grid.shape[1] // f), -(-grid.shape[2] // f))
    key = ("guide", guide.start, grid)
    if work.kept.get("guide", (None,))[0] != key:
        edge = f * grid.voxel
        ends = [
            _resampled(v, g, blocks, grid.origin, edge)
            for v, g in ((guide.before, guide.before_grid), (guide.after, guide.after_grid))
        ]
        work.kept["guide"] = (key, *ends)
    _, before, after = work.kept["guide"]
    share = min(1.0, max(0.0, (state.time + dt - guide.start) / guide.seconds))
    (centred, push) = work.arrays("guide fields", 2, (3, *grid.shape))
    (mean,) = work.arrays("guide blocks", 1, (3, *blocks))
    centre_fields(state.u, state.v, state.w, centred)
    coarsen(centred, f, mean)
    target = before + np.float32(share) * (after - before)
    np.subtract(target[:3], mean, out=mean)
    relax = np.float32(1.0 - math.exp(-guide.rate * dt))
    mean *= relax
    interpolate(mean, f, push)
    _to_faces(push, state.u, state.v, state.w)
    centred[0], centred[1], centred[2] = state.scalars[..., DENSITY], state.scalars[..., TEMPERATURE], ZERO
    coarsen(centred, f, mean)
    for n, least in ((0, LEAST_DENSITY), (1, LEAST_HEAT)):
        mean[n] = relax * _lack(mean[n], target[3 + n], least)
    interpolate(mean, f, push)
    state.scalars[..., DENSITY] *= ONE + push[0]
    state.scalars[..., TEMPERATURE] *= ONE + push[1]


def _lack(mean: np.ndarray, target: np.ndarray, least: float) -> np.ndarray:
    """By what share of itself a block's mean falls short of its target. Only where both hold something of the
    same sign: gas is made denser or
    thinner where it is, and never made where there is none."""
    both = (np.minimum(np.abs(mean), np.abs(target)) > least) & (mean * target > 0)
    share = np.divide(target, mean, out=np.ones_like(mean), where=both)
    return np.clip(share, 1.0 / MOST_SHARE, MOST_SHARE) - ONE
