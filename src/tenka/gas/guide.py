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
from tenka.gas.eddies import stir, turbulence_potential
from tenka.gas.felt import TurbulenceInput
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.lattice import interpolate
from tenka.gas.vorticity import centre_fields

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
LEAST_DENSITY = 1e-3
LEAST_HEAT = 0.1  # K
MOST_SHARE = 2.0
STIRS = 10.0  # 1/s at which wisps are stirred
WISP = 1.0  # speed of a wisp against the change of speed over a coarse voxel
QUARTER = np.float32(0.25)


@dataclass(frozen=True)
class Guide:
    """The coarse run at the beginning and at the end of a frame.

    Attributes
    ----------
    before, after : (5, nx, ny, nz) at voxel centres, each on its own grid: velocity in m/s by the
        layer's own clock, density, temperature in K
    start, seconds : when the frame begins, and how long it lasts, by the layer's own clock
    factor : fine voxels along a coarse one
    rate : how fast the difference goes, 1/s
    wisps : how strongly smaller eddies are stirred where the coarse run is sheared
    seed : of those eddies
    """

    before: np.ndarray
    before_grid: Grid
    after: np.ndarray
    after_grid: Grid
    start: float
    seconds: float
    factor: int
    rate: float
    wisps: float = 0.0
    seed: int = 0


def led_by(state: GasState, grid: Grid, scale: float) -> np.ndarray:
    """What a finer run is held to: (5, nx, ny, nz) velocity in m/s of the layer's own clock, whose time scale
    is given, density, temperature in K."""
    out = np.empty((5, *grid.shape), np.float32)
    centre_fields(state.u, state.v, state.w, out[:3])
    out[:3] *= np.float32(1.0 / scale)
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
    if guide.wisps > 0 and f > 1:
        _stir_wisps(state, grid, guide, work, target, dt)
    centred[0], centred[1], centred[2] = state.scalars[..., DENSITY], state.scalars[..., TEMPERATURE], ZERO
    coarsen(centred, f, mean)
    for n, least in ((0, LEAST_DENSITY), (1, LEAST_HEAT)):
        mean[n] = relax * _lack(mean[n], target[3 + n], least)
    interpolate(mean, f, push)
    state.scalars[..., DENSITY] *= ONE + push[0]
    state.scalars[..., TEMPERATURE] *= ONE + push[1]


def _shear(target: np.ndarray) -> np.ndarray:
    """How much the velocity of the coarse run changes over one of its voxels, (nx, ny, nz) m/s."""
    whole = np.zeros(target.shape[1:], np.float32)
    for axis in range(3):
        if target.shape[axis + 1] > 1:
            for c in range(3):
                whole += np.gradient(target[c], axis=axis) ** 2
    return np.sqrt(whole)


@kernel(parallel=True)
def _weigh(potential, by, x, y, z):
    """Multiply a potential on edges, `x`, `y`, `z` 1 where they lie on faces across that axis, by a field at
    centres."""
    for p_ in prange(potential.shape[0]):
        i = np.int64(p_)
        a, b = max(i - x, 0), min(i, by.shape[0] - 1)
        for j in range(potential.shape[1]):
            c, d = max(j - y, 0), min(j, by.shape[1] - 1)
            row, last = potential[i, j], by.shape[2] - 1
            for k in range(row.size):
                e, g = max(k - z, 0), min(k, last)
                row[k] *= QUARTER * (by[a, c, e] + by[b, d, g] + by[a, d, e] + by[b, c, g])


def _stir_wisps(
    state: GasState, grid: Grid, guide: Guide, work: Workspace, target: np.ndarray, dt: float
) -> None:
    """Stir eddies that the coarse run could not hold, as fast as it is sheared there, in place.

    Turbulence hands its motion down from large sizes to small ones, so that what small eddies there would be
    can be told from the motion at the coarse voxel (T. Kim, N. Thuerey, D. James & M. Gross, "Wavelet
    turbulence for fluid simulation", 2008; here from its shear). They come from a potential, and so are free
    of divergence.
    """
    nx, ny, nz = grid.shape
    shapes = ((nx, ny + 1, nz + 1), (nx + 1, ny, nz + 1), (nx + 1, ny + 1, nz))
    potential = tuple(work.arrays(("wisps", c), 1, shape)[0] for c, shape in enumerate(shapes))
    key = ("wisps", guide.start, state.time, grid)
    if work.kept.get("wisps") != key:
        edge = guide.factor * grid.voxel
        eddies = TurbulenceInput(guide.wisps * WISP, 2.0 * edge, 0.6, 1.5, 1.0, guide.seed)
        turbulence_potential(eddies, grid, state.time, potential)
        (push,) = work.arrays("guide fields", 2, (3, *grid.shape))[1:]
        (mean,) = work.arrays("guide blocks", 1, target[:3].shape)
        mean[:] = _shear(target)
        interpolate(mean, guide.factor, push)
        for c, field in enumerate(potential):
            _weigh(field, push[0], *(0 if axis == c else 1 for axis in range(3)))
        work.kept["wisps"] = key
    stir(*potential, np.float32(1.0 - math.exp(-STIRS * dt)), state.u, state.v, state.w)


def _lack(mean: np.ndarray, target: np.ndarray, least: float) -> np.ndarray:
    """By what share of itself a block's mean falls short of its target. Only where both hold something of the
    same sign: gas is made denser or
    thinner where it is, and never made where there is none."""
    both = (np.minimum(np.abs(mean), np.abs(target)) > least) & (mean * target > 0)
    share = np.divide(target, mean, out=np.ones_like(mean), where=both)
    return np.clip(share, 1.0 / MOST_SHARE, MOST_SHARE) - ONE
