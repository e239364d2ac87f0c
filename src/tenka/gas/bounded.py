"""Pressure round solids: the projection that lets nothing through them."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas import multigrid
from tenka.gas.ghosts import alive
from tenka.gas.grid import GasState, Grid
from tenka.gas.solids import ZERO, Solids


@kernel(parallel=True)
def _subtract(p, wx, wy, wz, low, high, u, v, w):
    """Take the pressure's difference off the faces that are open at all."""
    nx, ny, nz = p.shape
    two = np.float32(2.0)
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            here = p[i, j]
            if i > 0:
                row, share, other = u[i, j], wx[i, j], p[i - 1, j]
                for k in range(nz):
                    row[k] -= here[k] - other[k] if share[k] > ZERO else ZERO
            elif low[0]:
                row, share = u[0, j], wx[0, j]
                for k in range(nz):
                    row[k] -= two * here[k] if share[k] > ZERO else ZERO
            if i == nx - 1 and high[0]:
                row, share = u[nx, j], wx[nx, j]
                for k in range(nz):
                    row[k] += two * here[k] if share[k] > ZERO else ZERO
            if j > 0:
                row, share, other = v[i, j], wy[i, j], p[i, j - 1]
                for k in range(nz):
                    row[k] -= here[k] - other[k] if share[k] > ZERO else ZERO
            elif low[1]:
                row, share = v[i, 0], wy[i, 0]
                for k in range(nz):
                    row[k] -= two * here[k] if share[k] > ZERO else ZERO
            if j == ny - 1 and high[1]:
                row, share = v[i, ny], wy[i, ny]
                for k in range(nz):
                    row[k] += two * here[k] if share[k] > ZERO else ZERO
            row, share = w[i, j], wz[i, j]
            for k in range(1, nz):
                row[k] -= here[k] - here[k - 1] if share[k] > ZERO else ZERO
            if low[2] and share[0] > ZERO:
                row[0] -= two * here[0]
            if high[2] and share[nz] > ZERO:
                row[nz] += two * here[nz - 1]


def project_round(
    state: GasState, grid: Grid, solids: Solids, p: np.ndarray, rhs: np.ndarray, tolerance: float, most: int
) -> tuple[int, float]:
    """Solve for the pressure round the solids and take its gradient off, in place.

    Parameters
    ----------
    p : (nx, ny, nz) the last step's pressure, from which to begin
    rhs : minus the divergence that is to go, per voxel edge; used up

    Returns
    -------
    cycles made, and the relative residual reached
    """
    alive(rhs, solids.levels[0].diagonal)
    alive(p, solids.levels[0].diagonal)
    for pocket in solids.pockets:
        rhs.reshape(-1)[pocket] -= rhs.reshape(-1)[pocket].mean(dtype=np.float64)
    found = multigrid.solve(solids.levels, p, rhs, tolerance, most, solids.scratch)
    _subtract(p, *solids.open, np.array(grid.open_low), np.array(grid.open_high), state.u, state.v, state.w)
    return found
