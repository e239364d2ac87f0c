"""Liquids that are thick, against closed forms: sheets down a slope, heaps that stand, ridges that settle."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tenka.water.basin import Basin
from tenka.water.step import Thick, largest_step, step

G = 9.81


def slope(cells: int, cell: float, fall: float, level: float = 10.0) -> Basin:
    """A bed that falls evenly along x, far below the level at rest of anything."""
    x = cell * (np.arange(cells) + 0.5)
    bed = np.tile((-fall * x)[:, None], (1, 4))
    return Basin(cell, (level - 10.0 - bed - 5.0).astype(np.float32), (0.0, 0.0), level)


def lay(basin: Basin, deep: np.ndarray | float) -> object:
    """A state with so much over the bed."""
    state = basin.still()
    state.rise[...] = -basin.rest + np.broadcast_to(deep, basin.shape)
    return state


@pytest.mark.parametrize(("viscosity", "fall"), [(0.02, 0.1), (0.005, 0.05)])
def test_a_thin_sheet_goes_down_a_slope_as_nusselt_says(viscosity: float, fall: float):
    """Its flow is g S h^3 / (3 viscosity) where it is even."""
    cells, cell, deep = 120, 0.05, 0.02
    basin = slope(cells, cell, fall)
    state, thick = lay(basin, deep), Thick(viscosity)
    dt = 0.3 * cell / math.sqrt(2 * G * deep)
    mean = G * fall * deep**2 / (3 * viscosity)
    for _ in range(round(0.6 / dt)):
        step(basin, state, dt, thick=thick)
    inner = state.u[40:80, 1:3]
    assert float(inner.mean()) == pytest.approx(mean, rel=0.02)
    assert float(inner.std()) < 0.02 * mean


def test_below_its_critical_slope_it_stands_still_and_above_it_goes():
    """It stands where g S h is less than its yield stress."""
    deep, stress = 0.1, 0.05
    critical = stress / (G * deep)
    for fall, goes in ((0.9 * critical, False), (1.2 * critical, True)):
        basin = slope(60, 0.05, fall)
        state = lay(basin, deep)
        before, dt = state.rise.copy(), 0.3 * 0.05 / math.sqrt(2 * G * deep)
        for _ in range(200):
            step(basin, state, dt, thick=Thick(0.01, stress))
        moved = np.abs(state.rise - before)[10:50].max() > 1e-6 or np.abs(state.u[10:50]).max() > 1e-4
        assert moved == goes, fall


@pytest.mark.parametrize("turned", [False, True])
def test_a_heap_settles_to_the_profile_that_its_yield_can_hold(turned: bool):
    """Where it comes to rest, g h dh/dx is the yield stress at most, and on the way out just that: its square
    falls evenly."""
    cells, cell, stress = 160, 0.02, 0.08
    basin = Basin.flat((4, cells) if turned else (cells, 4), cell, 0.4)
    state = basin.still()
    x = np.abs(cell * (np.arange(cells) + 0.5) - 1.6)
    deep = np.where(x < 0.345, 0.22, 0.0).astype(np.float32)
    state.rise[...] = -0.4 + (deep[None] if turned else deep[:, None])
    start, dt = state.volume(basin), 0.25 * cell / math.sqrt(2 * G * 0.22)
    for n in range(20_000):
        step(basin, state, dt, thick=Thick(0.02, stress))
        if n > 500 and n % 100 == 0 and max(np.abs(state.u).max(), np.abs(state.v).max()) < 2e-4:
            break
    depth = state.depth(basin)
    depth = depth[1] if turned else depth[:, 1]
    assert np.abs(state.u).max() < 1e-3 and np.abs(state.v).max() < 1e-3  # it stands
    assert state.volume(basin) == pytest.approx(start, rel=1e-6)
    np.testing.assert_allclose(depth, depth[::-1], atol=2e-4)
    square = depth**2
    falls = np.abs(np.diff(square)) / cell
    assert falls.max() < 1.25 * 2 * stress / G  # nowhere steeper than it can hold (but for the front's cell)
    out = (x > 0.15) & (depth > 0.03) & (np.arange(cells) > cells // 2)
    even = -np.polyfit(x[out], square[out], 1)[0]
    assert even == pytest.approx(2 * stress / G, rel=0.15)
    assert depth.max() < 0.2


def test_water_itself_is_not_thick():
    basin = Basin.flat((40, 8), 0.1, 0.3)
    plain, other = basin.still(), basin.still()
    for state in (plain, other):
        state.rise[:10] += 0.05
    dt = 0.5 * largest_step(basin)
    for _ in range(50):
        step(basin, plain, dt)
        step(basin, other, dt, thick=Thick(0.0, 0.0))
    np.testing.assert_array_equal(plain.rise, other.rise)
