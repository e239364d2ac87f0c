"""Advection against rigid motion, bounds, and walls."""

from __future__ import annotations

import numpy as np
import pytest
from build import centres, closed, opened, random_state

from tenka.gas import advect
from tenka.gas.grid import CHANNELS, GasState, Grid, Workspace

KEEP = np.ones(CHANNELS, np.float32)
NONE = np.zeros(CHANNELS, np.float32)


def every(state: GasState) -> np.ndarray:
    """All rows, as if none were empty."""
    return np.ones(state.scalars.shape[:2], np.bool_)


def carry(state: GasState, grid: Grid, dt: float, corrected: bool = True) -> np.ndarray:
    """One advection of the scalars by the state's velocity."""
    work = Workspace(grid)
    low, high = np.array(grid.open_low), np.array(grid.open_high)
    advect.centre_velocity(state.u, state.v, state.w, work.centred)
    advect.traces(work.centred, np.float32(dt / grid.voxel), work.back, work.ahead)
    first, out = np.empty_like(state.scalars), np.empty_like(state.scalars)
    advect.scalars_forward(state.scalars, work.back, low, high, every(state), first)
    if not corrected:
        return first
    advect.scalars_correct(
        state.scalars, first, work.back, work.ahead, low, high, every(state), KEEP, NONE, out
    )
    return out


def turning(n: int) -> tuple:
    """A blob off the axis in solid rotation about z, one turn a second."""
    grid = opened((n, n, 8), 1.0 / n)
    state = GasState.still(grid)
    x = (np.arange(n) + 0.5) / n
    state.u[:] = -2 * np.pi * (x - 0.5)[None, :, None]
    state.v[:] = 2 * np.pi * (x - 0.5)[:, None, None]
    cx, cy, _ = centres(grid)
    state.scalars[..., 0] = np.exp(-(((cx - 0.5) ** 2 + (cy - 0.75) ** 2) / (2 * 0.08**2)))
    return grid, state


def after_a_turn(n: int, corrected: bool) -> tuple[float, np.ndarray]:
    grid, state = turning(n)
    start = state.scalars[..., 0].copy()
    for _ in range(4 * n):
        state.scalars[:] = carry(state, grid, 1.0 / (4 * n), corrected)
    return float(state.scalars[..., 0].max() / start.max()), state.scalars[..., 0]


def test_a_blob_keeps_its_peak_within_a_tenth_over_a_full_turn_at_64():
    peak, field = after_a_turn(64, True)
    assert peak > 0.9
    assert np.unravel_index(field.argmax(), field.shape)[:2] == pytest.approx((31.5, 47.5), abs=1.6)


def test_first_order_advection_loses_what_the_correction_keeps():
    assert after_a_turn(64, False)[0] < 0.45


def test_the_correction_makes_no_new_extrema():
    grid = closed((20, 18, 16))
    state = random_state(grid, 3, 2.0)
    out = carry(state, grid, 0.07)
    for c in range(CHANNELS):
        assert out[..., c].max() <= state.scalars[..., c].max() * (1 + 1e-6)
        assert out[..., c].min() >= state.scalars[..., c].min() - 1e-6


def test_a_shift_by_whole_voxels_is_exact():
    grid = opened((24, 12, 12))
    state = random_state(grid, 5)
    state.u[:], state.v[:], state.w[:] = 1.0, 0.0, 0.0
    out = carry(state, grid, 3 * grid.voxel)
    np.testing.assert_allclose(out[6:-6], state.scalars[3:-9], rtol=1e-3, atol=1e-3)


def test_clear_air_comes_in_through_an_open_wall_and_not_through_a_closed_one():
    state = GasState.still(opened((16, 8, 8)))
    state.scalars[..., 0] = 1.0
    state.u[:] = 1.0
    into_open = carry(state, opened((16, 8, 8)), 0.3)
    into_closed = carry(state, closed((16, 8, 8)), 0.3)
    assert into_open[:2, 4, 4, 0].max() < 1e-5
    assert into_closed[:2, 4, 4, 0].min() > 0.999


def test_fading_halves_at_the_half_life_in_any_number_of_steps():
    grid = closed((8, 8, 8))
    for steps in (1, 2, 8):
        state = GasState.still(grid)
        state.scalars[..., 0] = 1.0
        work = Workspace(grid)
        keep = np.full(CHANNELS, 2.0 ** (-1.0 / steps), np.float32)
        low = np.array(grid.open_low)
        for _ in range(steps):
            advect.traces(work.centred, np.float32(0), work.back, work.ahead)
            first, out = np.empty_like(state.scalars), np.empty_like(state.scalars)
            advect.scalars_forward(state.scalars, work.back, low, low, every(state), first)
            advect.scalars_correct(
                state.scalars, first, work.back, work.ahead, low, low, every(state), keep, NONE, out
            )
            state.scalars = out
        np.testing.assert_allclose(state.scalars[..., 0], 0.5, rtol=1e-5)


def test_a_linear_fade_takes_an_amount_and_stops_at_nothing():
    grid = closed((6, 6, 6))
    state = GasState.still(grid)
    state.scalars[:3, ..., 0], state.scalars[3:, ..., 0] = 1.0, 0.05
    work, low = Workspace(grid), np.array(grid.open_low)
    first, out = np.empty_like(state.scalars), np.empty_like(state.scalars)
    advect.scalars_forward(state.scalars, work.back, low, low, every(state), first)
    take = np.array([0.2] + [0.0] * (CHANNELS - 1), np.float32)
    advect.scalars_correct(
        state.scalars, first, work.back, work.ahead, low, low, every(state), KEEP, take, out
    )
    np.testing.assert_allclose(out[:3, ..., 0], 0.8, rtol=1e-5)
    assert (out[3:, ..., 0] == 0).all()


def test_velocity_carries_itself_without_new_extrema():
    grid = closed((16, 16, 16))
    state = random_state(grid, 2)
    work = Workspace(grid)
    advect.centre_velocity(state.u, state.v, state.w, work.centred)
    advect.traces(work.centred, np.float32(0.05 / grid.voxel), work.back, work.ahead)
    for axis, field in enumerate((state.u, state.v, state.w)):
        first, least, most, out = (np.empty_like(field) for _ in range(4))
        advect.faces_forward(field, work.back, axis, first, least, most)
        advect.faces_correct(field, first, least, most, work.ahead, axis, out)
        assert field.min() - 1e-6 <= out.min() and out.max() <= field.max() + 1e-6


def test_uniform_velocity_stays_uniform():
    grid = opened((12, 10, 14))
    state = GasState.still(grid)
    state.u[:], state.v[:], state.w[:] = 0.7, -0.3, 0.2
    work = Workspace(grid)
    advect.centre_velocity(state.u, state.v, state.w, work.centred)
    advect.traces(work.centred, np.float32(1.0), work.back, work.ahead)
    for axis, (field, value) in enumerate(((state.u, 0.7), (state.v, -0.3), (state.w, 0.2))):
        first, least, most, out = (np.empty_like(field) for _ in range(4))
        advect.faces_forward(field, work.back, axis, first, least, most)
        advect.faces_correct(field, first, least, most, work.ahead, axis, out)
        np.testing.assert_allclose(out, value, rtol=1e-5)


def test_a_blow_up_does_not_crash_the_kernels():
    grid = opened((8, 8, 8))
    state = random_state(grid)
    state.u[:] = np.nan
    state.v[:] = np.inf
    assert carry(state, grid, 0.1).shape == state.scalars.shape


def test_rows_that_read_nothing_are_skipped_without_a_difference():
    grid = opened((24, 20, 16), 0.1)
    state, work = random_state(grid, speed=2.0), Workspace(grid)
    state.scalars[:9] = 0.0
    state.scalars[:, :7] = 0.0
    state.scalars[16:, 12:] = 0.0
    advect.centre_velocity(state.u, state.v, state.w, work.centred)
    advect.traces(work.centred, np.float32(0.7), work.back, work.ahead)
    low = np.array(grid.open_low)
    used = np.empty(grid.shape[:2], np.bool_)
    advect.rows_in_use(state.scalars, used)
    assert 0.2 < used.mean() < 0.7
    results = []
    for rows in (used, every(state)):
        first, out = np.full_like(state.scalars, 7.0), np.full_like(state.scalars, 7.0)
        advect.scalars_forward(state.scalars, work.back, low, low, rows, first)
        advect.scalars_correct(state.scalars, first, work.back, work.ahead, low, low, rows, KEEP, NONE, out)
        results.append((first, out))
    np.testing.assert_array_equal(results[0][0], results[1][0])
    np.testing.assert_array_equal(results[0][1], results[1][1])
    state.scalars[2, 2, 2, 0] = np.nan
    advect.rows_in_use(state.scalars, used)
    assert used[2, 2]
