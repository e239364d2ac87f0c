"""Viscosity and diffusion, exact in time: the heat kernel of each axis, one axis after the other.

The second difference of a box is diagonal in the bases of `tenka.gas.pressure` and the axes commute, so
exp(dt nu Laplacian) is a product of three small matrices. Far from the diagonal they are zero to round-off,
and those parts are left out; the cost is that of the way over which something spreads within a step.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import GasState, Grid, Workspace

ZERO = np.float32(0.0)
NEGLIGIBLE = 1e-7


@lru_cache(maxsize=64)
def heat_kernel(n: int, low: str, high: str, amount: float) -> tuple[np.ndarray, int]:
    """exp(amount D) for n samples, (n, n) float32, and how far off the diagonal it is felt.

    Parameters
    ----------
    low, high : what is beyond each end: "same" (no flow through), "zero" half a sample on, or "fixed" (the
        end sample is held)
    amount : nu dt / voxel^2
    """
    d = -2.0 * np.eye(n) + np.eye(n, k=1) + np.eye(n, k=-1)
    for end, kind in ((0, low), (n - 1, high)):
        if kind == "same":
            d[end, end] += 1.0
        elif kind == "zero":
            d[end, end] -= 1.0
        else:
            d[end, :] = 0.0
    if low == "fixed" or high == "fixed":
        from scipy.linalg import expm

        e = expm(amount * d)
    else:
        values, modes = np.linalg.eigh(d)
        e = (modes * np.exp(amount * values)) @ modes.T
    rows, columns = np.nonzero(np.abs(e) > NEGLIGIBLE)
    return e.astype(np.float32), int(np.abs(rows - columns).max(initial=0))


@kernel(parallel=True)
def _along_first(e, reach, field, out):
    n, m = field.shape
    for p_ in prange(n):
        i = np.int64(p_)
        row = out[i]
        row[:] = ZERO
        for a in range(max(i - reach, 0), min(i + reach + 1, n)):
            share, other = e[i, a], field[a]
            for c in range(m):
                row[c] += share * other[c]


def spread(field: np.ndarray, kernels: list[tuple[np.ndarray, int]], spare: np.ndarray) -> None:
    """Apply one heat kernel per axis to the first three axes of a C-ordered array, in place; `spare` has as
    many elements."""
    for axis, (e, reach) in enumerate(kernels):
        if reach == 0:
            continue
        if axis == 0:
            _along_first(e, reach, field.reshape(field.shape[0], -1), spare.reshape(field.shape[0], -1))
        else:
            _along_inner(
                e,
                reach,
                field.reshape(int(np.prod(field.shape[:axis])), field.shape[axis], -1),
                spare.reshape(-1),
            )
        field.reshape(-1)[:] = spare.reshape(-1)


@kernel(parallel=True)
def _along_inner(e, reach, field, out_flat):
    outer, n, m = field.shape
    out = out_flat.reshape(outer, n, m)
    for p_ in prange(outer):
        o = np.int64(p_)
        for i in range(n):
            row = out[o, i]
            row[:] = ZERO
            for a in range(max(i - reach, 0), min(i + reach + 1, n)):
                share, other = e[i, a], field[o, a]
                for c in range(m):
                    row[c] += share * other[c]


def soften(
    state: GasState, grid: Grid, viscosity: float, diffusion: float, dt: float, work: Workspace
) -> None:
    """Let movement (viscosity) and the scalars (diffusion), in m^2/s, spread for `dt` seconds, in place.
    Walls do not hold the gas."""
    ends = list(zip(grid.open_low, grid.open_high))
    if viscosity > 0:
        amount = viscosity * dt / grid.voxel**2
        for axis, field in enumerate((state.u, state.v, state.w)):
            kinds = []
            for a, walls in enumerate(ends):
                kinds.append(tuple("same" if a != axis or is_open else "fixed" for is_open in walls))
            (spare,) = work.arrays(("soften", axis), 1, field.shape)
            spread(field, [heat_kernel(n, *kind, amount) for n, kind in zip(field.shape, kinds)], spare)
    if diffusion > 0:
        amount = diffusion * dt / grid.voxel**2
        kernels = [
            heat_kernel(n, *("zero" if o else "same" for o in walls), amount)
            for n, walls in zip(grid.shape, ends)
        ]
        for scalars in (state.scalars, state.dye):
            if scalars is not None:
                (spare,) = work.arrays("scalars", 1, scalars.shape)
                spread(scalars, kernels, spare)
