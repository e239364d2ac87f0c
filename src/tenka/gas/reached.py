"""What came of a source: how much room it fills, and how much of its push the gas took on."""

from __future__ import annotations

import math

import numpy as np

from tenka.gas.grid import GasState, Grid
from tenka.gas.settings import SourceInput
from tenka.gas.sources import SourceMask, birth_speed

LEAST_ASKED = 0.2  # m/s; a slower push is not held against what came of it


def measured(state: GasState, grid: Grid, inp: SourceInput, mask: SourceMask) -> dict[str, float] | None:
    """What came of a source in a step that ended: the voxels that it fills; and of its push the speed asked
    for, in m/s, and the share of it that the gas has there. None while it gives nothing."""
    if inp.emission <= 0 or not len(mask.cells):
        return None
    found = {"fills": float(mask.share.sum(dtype=np.float64))}
    asked = birth_speed(inp, mask, grid)
    weight = mask.share.astype(float)
    pace = math.sqrt(float((weight * (asked**2).sum(axis=1)).sum() / weight.sum()))
    pushes = any(inp.source.push) or inp.outward
    if pushes and pace >= LEAST_ASKED and inp.source.grip > 0:
        i, j, k = mask.cells.T
        has = 0.5 * np.stack(
            [
                state.u[i, j, k] + state.u[i + 1, j, k],
                state.v[i, j, k] + state.v[i, j + 1, k],
                state.w[i, j, k] + state.w[i, j, k + 1],
            ],
            axis=1,
        )
        along = float((weight * (asked * has).sum(axis=1)).sum() / weight.sum())
        found |= {"asked": pace, "reached": along / pace**2}
    return found
