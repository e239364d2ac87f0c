"""Holding a finer run to the motion of a coarser one.

The fine velocity is averaged over blocks of the coarse voxel's size; what it lacks against the coarse run is given back to it, smoothly
interpolated, at a rate. Motion on the coarse scale so stays that of the coarse run, and what is smaller is left to the fine one. The idea
is that of M. Nielsen & B. Christensen, "Improved variational guiding of smoke animations" (2010), without their optimisation: at
each step the low-passed difference is relaxed, exactly in time.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from tenka.base.jit import kernel, prange
from tenka.gas.forces import add_refined, centre_fields, coarsen
from tenka.gas.grid import GasState, Grid, Workspace

HALF = np.float32(0.5)


@dataclass(frozen=True)
class Guide:
    """The coarse run's velocity at the beginning and at the end of a frame.

    Attributes
    ----------
    before, after : (3, nx, ny, nz) at voxel centres, m/s, each on its own grid
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


def velocity_at_centres(state: GasState, grid: Grid) -> np.ndarray:
    """(3, nx, ny, nz) m/s."""
    out = np.empty((3, *grid.shape), np.float32)
    centre_fields(state.u, state.v, state.w, out)
    return out


def _resampled(
    velocity: np.ndarray, source: Grid, blocks: tuple[int, int, int], origin: tuple[float, float, float], edge: float
) -> np.ndarray:
    """A velocity field at the centres of a grid of blocks; beyond its own grid it goes on as at the border."""
    places = [((o + (np.arange(n) + 0.5) * edge) - so) / source.voxel - 0.5 for n, o, so in zip(blocks, origin, source.origin)]
    if all(len(p) == n and np.allclose(p, np.arange(n), atol=1e-4) for p, n in zip(places, source.shape)):
        return velocity
    at = np.stack(np.meshgrid(*places, indexing="ij"))
    return np.stack([ndimage.map_coordinates(c, at, order=1, mode="nearest", output=np.float32) for c in velocity])


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
            _resampled(v, g, blocks, grid.origin, edge) for v, g in ((guide.before, guide.before_grid), (guide.after, guide.after_grid))
        ]
        work.kept["guide"] = (key, *ends)
    _, before, after = work.kept["guide"]
    share = min(1.0, max(0.0, (state.time + dt - guide.start) / guide.seconds))
    (centred, push) = work.arrays("guide fields", 2, (3, *grid.shape))
    (mean,) = work.arrays("guide blocks", 1, (3, *blocks))
    centre_fields(state.u, state.v, state.w, centred)
    coarsen(centred, f, mean)
    np.subtract(before + np.float32(share) * (after - before), mean, out=mean)
    mean *= np.float32(1.0 - math.exp(-guide.rate * dt))
    everywhere = np.ones(grid.shape[:2], np.bool_)
    (gate,) = work.arrays("guide gate", 1, grid.shape)
    gate[:] = 1.0
    add_refined(mean, f, gate, everywhere, False, push)
    _to_faces(push, state.u, state.v, state.w)
