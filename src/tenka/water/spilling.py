"""Crests that spill: no wave stands steeper than it breaks, and what it loses goes down its own front.

A surface that is a height over each place cannot fold over; waves that would do so pile up into combs as fine
as the cells. Water goes from high to low across each face that is too steep, as eddies of a breaking crest
carry it (after Kennedy et al. 2000, with the slope in place of the rate of rise): none is made or lost.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.water.basin import DRY

FROM, WHOLE = 0.3, 0.7  # slopes from which a face spills, and spills wholly
RATE = 40.0  # 1/s
SHARE = 0.2  # of a difference that crosses a face in a step at most


def spilled(rise: np.ndarray, rest: np.ndarray, cell: float, dt: float) -> np.ndarray:
    """The surface after its crests have spilled for `dt` s, (nx, ny) m.

    Parameters
    ----------
    rise, rest : (nx, ny) m; cell : m
    """
    out = np.empty_like(rise)
    _spilled(rise, rest, np.float32(1.0 / cell), np.float32(SHARE * -np.expm1(-RATE * dt)), out)
    return out


@kernel(inline=True)
def _over(rise, rest, i, j, k, m, per, share):
    """What goes over a face from cell (i, j) to (k, m), m of water."""
    here, there = rise[i, j], rise[k, m]
    deep = min(here + rest[i, j], there + rest[k, m])
    change = here - there
    if deep <= max(abs(change), np.float32(DRY)):  # a fall over the bed is no wave
        return np.float32(0.0)
    steep = abs(change) * per
    if steep <= np.float32(FROM):
        return np.float32(0.0)
    return share * min((steep - np.float32(FROM)) / np.float32(WHOLE - FROM), np.float32(1.0)) * change


@kernel(parallel=True)
def _spilled(rise, rest, per, share, out):
    nx, ny = rise.shape
    for i in prange(nx):
        for j in range(ny):
            gone = np.float32(0.0)
            if i > 0:
                gone += _over(rise, rest, i, j, i - 1, j, per, share)
            if i < nx - 1:
                gone += _over(rise, rest, i, j, i + 1, j, per, share)
            if j > 0:
                gone += _over(rise, rest, i, j, i, j - 1, per, share)
            if j < ny - 1:
                gone += _over(rise, rest, i, j, i, j + 1, per, share)
            out[i, j] = rise[i, j] - gone
