"""Projection against manufactured solutions, for every pair of walls."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from build import closed, opened, random_state

from tenka.gas import pressure
from tenka.gas.grid import GasState, Grid, Workspace

WALLS = list(itertools.product((False, True), repeat=2))


def outflow(state: GasState, grid: Grid) -> np.ndarray:
    out = np.empty(grid.shape, np.float32)
    pressure.divergence(state.u, state.v, state.w, out)
    return out


@pytest.mark.parametrize("low,high", WALLS)
@pytest.mark.parametrize("n", (12, pressure.DENSE_LIMIT + 4))
def test_divergence_falls_below_a_thousandth_whatever_the_walls(low: bool, high: bool, n: int):
    grid = Grid((n, 10, 14), 0.1, (0, 0, 0), (low, True, low), (high, False, high))
    state = random_state(grid, 1)
    pressure.shut_walls(state, grid)
    before = np.abs(outflow(state, grid)).max()
    pressure.project(state, grid, Workspace(grid))
    assert np.abs(outflow(state, grid)).max() < 1e-3 * before


@pytest.mark.parametrize("low,high", WALLS)
def test_the_basis_is_orthonormal_and_diagonalises_the_second_difference(low: bool, high: bool):
    n = 17
    mode, value = pressure.basis(n, low, high)
    np.testing.assert_allclose(mode @ mode.T, np.eye(n), atol=1e-5)
    a = 2 * np.eye(n) - np.eye(n, k=1) - np.eye(n, k=-1)
    a[0, 0] += 1 if low else -1
    a[-1, -1] += 1 if high else -1
    np.testing.assert_allclose(mode @ a @ mode.T, np.diag(value), atol=2e-5)


@pytest.mark.parametrize("low,high", WALLS)
def test_long_and_short_axes_use_the_same_transform(low: bool, high: bool, monkeypatch: pytest.MonkeyPatch):
    grid = Grid((16, 12, 20), 0.1, (0, 0, 0), (low, high, low), (high, low, high))
    rhs = np.random.default_rng(0).standard_normal(grid.shape).astype(np.float32)
    dense = pressure.poisson(rhs.copy(), np.empty_like(rhs), grid).copy()
    monkeypatch.setattr(pressure, "DENSE_LIMIT", 4)
    fast = pressure.poisson(rhs.copy(), np.empty_like(rhs), grid)
    if not (low or high):
        dense, fast = dense - dense.mean(), fast - fast.mean()
    np.testing.assert_allclose(dense, fast, atol=2e-4 * np.abs(dense).max())


def error_at(n: int) -> float:
    """Error of the solution of -lap p = f for p = sin(pi x) cos(pi y) sin(pi z / 2 + ...) in a mixed box."""
    grid = Grid((n, n, n), 1.0 / n, (0, 0, 0), (True, False, True), (True, False, False))
    x = (np.arange(n) + 0.5) / n
    px, py, pz = np.sin(np.pi * x), np.cos(np.pi * x), np.sin(0.5 * np.pi * x)
    exact = px[:, None, None] * py[None, :, None] * pz[None, None, :]
    rhs = (exact * (np.pi**2) * 2.25 * grid.voxel**2).astype(np.float32)
    found = pressure.poisson(rhs, np.empty_like(rhs), grid)
    return float(np.abs(found - exact).max())


def test_a_manufactured_solution_converges_at_second_order():
    coarse, fine = error_at(12), error_at(24)
    assert 3.5 < coarse / fine < 4.5


def test_a_velocity_without_divergence_is_left_as_it_is():
    grid = closed((16, 16, 6))
    state = GasState.still(grid)
    psi = np.zeros((17, 17), np.float32)
    psi[1:-1, 1:-1] = np.random.default_rng(4).random((15, 15))
    state.u[:] = (psi[:, 1:] - psi[:, :-1])[:, :, None]
    state.v[:] = -(psi[1:] - psi[:-1])[:, :, None]
    before = state.copy()
    pressure.project(state, grid, Workspace(grid))
    np.testing.assert_allclose(state.u, before.u, atol=2e-5)
    np.testing.assert_allclose(state.v, before.v, atol=2e-5)


def test_projecting_twice_changes_nothing_more():
    grid = opened((14, 10, 12))
    state = random_state(grid, 9)
    pressure.project(state, grid, Workspace(grid))
    once = state.copy()
    pressure.project(state, grid, Workspace(grid))
    np.testing.assert_allclose(state.w, once.w, atol=1e-4)


def test_no_gas_passes_a_closed_wall():
    grid = Grid((10, 10, 10), 0.1, (0, 0, 0), (True, True, False), (True, True, True))
    state = random_state(grid)
    pressure.project(state, grid, Workspace(grid))
    assert (state.w[:, :, 0] == 0).all()
    assert np.abs(state.w[:, :, -1]).max() > 0
