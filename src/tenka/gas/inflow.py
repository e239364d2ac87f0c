"""Air that comes in at open walls.

Nothing holds it there: the pressure of an open wall is that of still air, so what once comes in brings its
speed with it, is carried on, and draws in more, until the whole box churns. By Bernoulli's law air that is
drawn in from rest stands under p = -u^2 / 2 at the wall, which slows it by u^2 / 2 over the half voxel that
parts the wall from the gas beside it. Over a step this is du/dt = -|u| u / h, whose solution is
u / (1 + |u| dt / h). Where a wind blows or a force holds the air, that outside is not at rest but goes with
it, and what is slowed is the difference.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel
from tenka.gas.felt import felt_at
from tenka.gas.forces import wind_outside
from tenka.gas.grid import GasState, Grid
from tenka.gas.placed import placed_table
from tenka.gas.settings import StepInputs

ZERO = np.float32(0.0)
ONE = np.float32(1.0)


@kernel
def _outside(x, y, z, axis, aim, rate, table):
    """Where all that draws the air towards a speed would bring it at a place; `aim` and `rate` are those of
    the winds and the drag."""
    for n in range(table.shape[0]):
        own, ux, uy, uz, _, _, _ = felt_at(table, n, x, y, z)
        aim += own * (ux if axis == 0 else (uy if axis == 1 else uz))
        rate += own
    return np.float32(aim / rate) if rate > 0.0 else ZERO


@kernel
def _calm_side(q, axis, at, inwards, ox, oy, oz, h, aims, rate, table, per_edge):
    """The faces of one wall, which lie at `at` along `axis`."""
    nx, ny, nz = q.shape
    x0, x1 = (at, at + 1) if axis == 0 else (0, nx)
    y0, y1 = (at, at + 1) if axis == 1 else (0, ny)
    z0, z1 = (at, at + 1) if axis == 2 else (0, nz)
    for i in range(x0, x1):
        for j in range(y0, y1):
            for k in range(z0, z1):
                speed = inwards * q[i, j, k]
                if not speed > ZERO:
                    continue
                x = ox + h * (i + (0.0 if axis == 0 else 0.5))
                y = oy + h * (j + (0.0 if axis == 1 else 0.5))
                z = oz + h * (k + (0.0 if axis == 2 else 0.5))
                aim = 0.0 if axis == 2 else aims[axis, k]
                outside = max(inwards * _outside(x, y, z, axis, aim, rate, table), ZERO)
                more = speed - outside
                if more > ZERO:
                    q[i, j, k] = inwards * (outside + more / (ONE + more * per_edge))


def calm_inflow(state: GasState, grid: Grid, inputs: StepInputs, dt: float) -> None:
    """Slow what comes in at open walls for `dt` seconds, in place."""
    aims, rate = wind_outside(inputs.winds, grid)
    table = placed_table(inputs.locals)
    for axis, field in enumerate((state.u, state.v, state.w)):
        walls = ((0, 1.0, grid.open_low[axis]), (grid.shape[axis], -1.0, grid.open_high[axis]))
        for at, inwards, is_open in walls:
            if is_open:
                _calm_side(
                    field,
                    axis,
                    at,
                    np.float32(inwards),
                    *(float(o) for o in grid.origin),
                    float(grid.voxel),
                    aims,
                    float(rate + inputs.drag),
                    table,
                    np.float32(dt / grid.voxel),
                )
