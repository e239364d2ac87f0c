"""Foam on a water's surface: born where waves break and where hulls work, carried, spread, and lost by and
by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.water.basin import DRY, Basin, WaterState
from tenka.water.flow import GRAVITY


@dataclass(frozen=True)
class Foaming:
    """How foam comes and goes.

    Attributes
    ----------
    breaking, contact : 1/s: how fast cover grows where a wave breaks wholly, and where a hull works wholly
    from_, whole : rise of the surface against sqrt(g h), or steepness of rising water, from which a wave
        breaks, and at which it does wholly
    half_life : s; spread : m^2/s
    """

    breaking: float = 3.0
    contact: float = 4.0
    from_: float = 0.35
    whole: float = 0.7
    half_life: float = 2.5
    spread: float = 0.003


WORKS_FROM, WORKS_WHOLE = 0.05, 0.65  # m/s at which a hull's side begins to make foam, and does wholly


def foamed(
    basin: Basin,
    state: WaterState,
    before: np.ndarray,
    foam: np.ndarray,
    dt: float,
    how: Foaming,
    work: np.ndarray | None = None,
    torn: np.ndarray | None = None,
) -> np.ndarray:
    """Foam after a step, (nx, ny) from none (0) to whole cover (1).

    Parameters
    ----------
    before : the surface a step ago
    work : (nx, ny) m/s, how fast a hull's side moves through the water there
    torn : (nx, ny) is given how much it breaks or is worked at, from nothing (0) to wholly (1)
    """
    out = np.empty_like(foam)
    numbers = np.array(
        [
            dt,
            basin.cell,
            how.breaking,
            how.contact,
            how.from_,
            1.0 / max(how.whole - how.from_, 1e-6),
            0.5 ** (dt / max(how.half_life, 1e-6)),
            min(how.spread * dt / basin.cell**2, 0.2),
        ],
        np.float32,
    )
    moved = np.zeros((1, 1), np.float32) if work is None else work
    tears = np.zeros_like(foam) if torn is None else torn
    _foamed(
        state.rise, before, basin.rest, state.u, state.v, foam, moved, work is not None, numbers, out, tears
    )
    return out


@kernel(inline=True)
def _read(field, x, y):
    """A value between cells, at cell coordinates."""
    nx, ny = field.shape
    x, y = min(max(x, np.float32(0.0)), np.float32(nx - 1)), min(max(y, np.float32(0.0)), np.float32(ny - 1))
    i, j = min(int(x), nx - 2), min(int(y), ny - 2)
    f, g = x - np.float32(i), y - np.float32(j)
    low = field[i, j] * (1 - g) + field[i, j + 1] * g
    high = field[i + 1, j] * (1 - g) + field[i + 1, j + 1] * g
    return low * (1 - f) + high * f


@kernel(parallel=True)
def _foamed(rise, before, rest, u, v, foam, work, works, numbers, out, torn):
    nx, ny = rise.shape
    dt, cell, breaking, contact, from_, per, kept, spread = numbers
    for i in prange(nx):
        for j in range(ny):
            deep = rise[i, j] + rest[i, j]
            if deep <= DRY:
                out[i, j], torn[i, j] = 0.0, 0.0
                continue
            a, b = np.float32(0.5) * (u[i, j] + u[i + 1, j]), np.float32(0.5) * (v[i, j] + v[i, j + 1])
            found = _read(foam, np.float32(i) - a * dt / cell, np.float32(j) - b * dt / cell)
            left, right = max(i - 1, 0), min(i + 1, nx - 1)
            foot, top = max(j - 1, 0), min(j + 1, ny - 1)
            round_ = foam[left, j] + foam[right, j] + foam[i, foot] + foam[i, top]
            found += spread * (round_ - np.float32(4.0) * foam[i, j])
            up = (rise[i, j] - before[i, j]) / dt
            broken = np.float32(0.0)
            if up > 0.0:
                sx = (rise[right, j] - rise[left, j]) / (cell * np.float32(max(right - left, 1)))
                sy = (rise[i, top] - rise[i, foot]) / (cell * np.float32(max(top - foot, 1)))
                steep = np.sqrt(sx * sx + sy * sy)
                broken = max(up / np.sqrt(np.float32(GRAVITY) * deep), steep)
                broken = min(max((broken - from_) * per, np.float32(0.0)), np.float32(1.0))
            gain, tears = breaking * broken, broken
            if works:
                pace = (work[i, j] - np.float32(WORKS_FROM)) / np.float32(WORKS_WHOLE - WORKS_FROM)
                pace = min(max(pace, np.float32(0.0)), np.float32(1.0))
                gain += contact * pace
                tears = max(tears, pace)
            torn[i, j] = tears
            found *= kept
            found += (np.float32(1.0) - found) * min(gain * dt, np.float32(1.0))
            out[i, j] = min(max(found, np.float32(0.0)), np.float32(1.0))
