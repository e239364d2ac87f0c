"""Combustion: fuel that is hot enough burns, and gives heat, soot, expansion and flame.

After D. Nguyen, R. Fedkiw, H. Jensen, "Physically based modeling and animation of fire" (2002) for the
cooling with the fourth power of temperature, and B. Feldman, J. O'Brien, O. Arikan, "Animating suspended
particle explosions" (2003) for expansion as a divergence. Every part is exact over the step for what it does
alone.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import BURNT, DENSITY, FUEL, TEMPERATURE
from tenka.gas.settings import FireInput

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
LEAST_FUEL = np.float32(1e-6)
MOST_FASTER = np.float32(4.0)  # how many times faster than at the ignition heat fuel burns at most
REFERENCE = 1000.0  # K at which the loss by radiation is stated


@kernel(parallel=True)
def _burn(s, ignition, rate, heat, soot, expansion, hottest, loss, dt, out):
    """`loss` is 3 c dt / T_ref^4; `out` gains the volume pressed in, per second. Returns what burnt, by
    slabs."""
    nx, ny, nz, _ = s.shape
    burnt_sums = np.zeros(nx, np.float64)
    for p_ in prange(nx):
        i = np.int64(p_)
        total = 0.0
        for j in range(ny):
            row = s[i, j]
            for k in range(nz):
                fuel, warm = row[k, FUEL], row[k, TEMPERATURE]
                if fuel > LEAST_FUEL and warm > ignition:
                    faster = min(warm / max(ignition, ONE), MOST_FASTER)
                    burnt = fuel * (ONE - math.exp(-rate * faster * dt))
                    row[k, FUEL] = fuel - burnt
                    row[k, BURNT] += burnt
                    row[k, DENSITY] += soot * burnt
                    warm = max(warm, min(warm + heat * burnt, hottest))
                    out[i, j, k] += expansion * burnt / dt
                    total += burnt
                if warm > ONE and loss > ZERO:
                    # dT/dt = -c (T / T_ref)^4 has the solution T = (T0^-3 + 3 c t / T_ref^4)^(-1/3)
                    cube = warm * warm * warm
                    warm *= (ONE + loss * cube) ** np.float32(-1.0 / 3.0)
                row[k, TEMPERATURE] = warm
        burnt_sums[i] = total
    return burnt_sums


def burn(scalars: np.ndarray, fire: FireInput, dt: float, expansion: np.ndarray) -> float:
    """Burn for `dt` seconds, in place; adds the expansion, in 1/s, to `expansion`. Returns the sum of fuel
    burnt."""
    sums = _burn(
        scalars,
        np.float32(fire.ignition),
        np.float32(fire.rate),
        np.float32(fire.heat),
        np.float32(fire.soot),
        np.float32(fire.expansion),
        np.float32(fire.hottest),
        np.float32(3.0 * fire.radiation * dt / REFERENCE**4),
        np.float32(dt),
        expansion,
    )
    return float(sums.sum())
