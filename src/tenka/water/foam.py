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
    none, one = np.float32(0.0), np.float32(1.0)
    x, y = min(max(none, x), np.float32(nx - 1)), min(max(none, y), np.float32(ny - 1))
    i, j = min(np.int64(x), nx - 2), min(np.int64(y), ny - 2)
    f, g = x - np.float32(i), y - np.float32(j)
    a, b = np.uint64(i), np.uint64(j)
    c, d = np.uint64(i + 1), np.uint64(j + 1)
    low = field[a, b] * (one - g) + field[a, d] * g
    high = field[c, b] * (one - g) + field[c, d] * g
    return low * (one - f) + high * f


@kernel(inline=True)
def _tears(up, had, rest, rise_x, rise_y, pace, numbers):
    """How much a cell breaks and is worked at, by how fast it rises, how steep it is (m from one side to the
    other) and how fast a hull's side goes there; and the foam that this makes, 1/s."""
    per_dt, per_x, per_y, breaking, contact, from_, per = numbers
    none, one = np.float32(0.0), np.float32(1.0)
    rising = (up - had) * per_dt
    fast = rising * rising / (np.float32(GRAVITY) * max(up + rest, np.float32(DRY)))
    sx, sy = rise_x * per_x, rise_y * per_y
    broken = min(max(none, (np.sqrt(max(fast, sx * sx + sy * sy)) - from_) * per), one)
    broken = broken if rising > none else none
    worked = (pace - np.float32(WORKS_FROM)) * np.float32(1.0 / (WORKS_WHOLE - WORKS_FROM))
    worked = min(max(none, worked), one)
    return max(broken, worked), breaking * broken + contact * worked


@kernel
def _tears_row(up, had, rest, west, east, foot, top, pace, numbers, tears, gain):
    """A row of cells, as `_tears`; a function of its own, so that several are worked at together."""
    for j in range(tears.shape[0]):
        tears[j], gain[j] = _tears(
            up[j], had[j], rest[j], east[j] - west[j], top[j] - foot[j], pace[j], numbers
        )


@kernel(parallel=True)
def _foamed(rise, before, rest, u, v, foam, work, works, numbers, out, torn):
    nx, ny = rise.shape
    dt, cell, breaking, contact, from_, per, kept, spread = numbers
    none, one, half = np.float32(0.0), np.float32(1.0), np.float32(0.5)
    per_dt, across, side = one / dt, half / cell, one / cell
    thin, per_cell = np.float32(DRY), dt / cell
    for p_ in prange(nx):
        p = np.int64(p_)
        x = np.float32(p)
        i = np.uint64(p)
        west, east = np.uint64(p - 1 if p > 0 else 0), np.uint64(p + 1 if p < nx - 1 else p)
        up, had, deep, here, to, tears = rise[i], before[i], rest[i], foam[i], out[i], torn[i]
        up_west, up_east, foam_west, foam_east = rise[west], rise[east], foam[west], foam[east]
        u_west, u_east, v_row = u[i], u[np.uint64(p + 1)], v[i]
        pace, gain = work[i] if works else np.zeros(ny, np.float32), np.empty(ny, np.float32)
        wide = across if 0 < p < nx - 1 else side
        inner, n = (per_dt, wide, across, breaking, contact, from_, per), max(ny - 2, 0)
        _tears_row(
            up[1 : n + 1],
            had[1 : n + 1],
            deep[1 : n + 1],
            up_west[1 : n + 1],
            up_east[1 : n + 1],
            up[:n],
            up[2 : n + 2],
            pace[1 : n + 1],
            inner,
            tears[1 : n + 1],
            gain[1 : n + 1],
        )
        for j in (0, ny - 1):
            foot, top = max(j - 1, 0), min(j + 1, ny - 1)
            outer = (per_dt, wide, side, breaking, contact, from_, per)
            tears[j], gain[j] = _tears(
                up[j], had[j], deep[j], up_east[j] - up_west[j], up[top] - up[foot], pace[j], outer
            )
        for j in range(ny):
            if up[j] + deep[j] <= thin:
                to[j], tears[j] = none, none
                continue
            a, b = half * (u_west[j] + u_east[j]), half * (v_row[j] + v_row[j + 1])
            found = _read(foam, x - a * per_cell, np.float32(j) - b * per_cell)
            round_ = foam_west[j] + foam_east[j] + here[max(j - 1, 0)] + here[min(j + 1, ny - 1)]
            found = kept * (found + spread * (round_ - np.float32(4.0) * here[j]))
            found += (one - found) * min(gain[j] * dt, one)
            to[j] = min(max(none, found), one)
