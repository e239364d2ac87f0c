"""Each force against what it must do."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import closed, nothing, opened, random_state
from scipy import ndimage

from tenka.gas import forces, pressure, vorticity
from tenka.gas.felt import TurbulenceInput, WindInput
from tenka.gas.forces import GRAVITY
from tenka.gas.grid import GasState, Grid, Workspace
from tenka.gas.settings import StepInputs
from tenka.gas.window import moved_to, part_of_box


def wind(**changes: float) -> WindInput:
    base = {"speed": 2.0, "heading": 0.3, "grip": 1.0, "gusts": 0.0, "gust_period": 1.0, "ground_drag": 0.0}
    return WindInput(**{**base, **changes}, seed=1)  # type: ignore[arg-type]


def eddies(**changes: float) -> TurbulenceInput:
    base = {"strength": 1.5, "size": 0.5, "detail": 0.5, "rate": 1.0, "grip": 1.0}
    return TurbulenceInput(**{**base, **changes}, seed=3)  # type: ignore[arg-type]


def push(state: GasState, grid: Grid, dt: float, **inputs: object) -> None:
    work = Workspace(grid)
    given = nothing(**inputs)  # type: ignore[arg-type]
    forces.apply_forces(
        state, grid, given, work, vorticity.vorticity_push(state, grid, given, work), state.time, dt
    )


def test_warm_gas_is_lifted_by_its_buoyancy():
    grid = closed((6, 6, 6))
    state = GasState.still(grid)
    state.scalars[..., 1] = 30.0
    push(state, grid, 0.1, lift=1.0)
    np.testing.assert_allclose(state.w, 0.1 * GRAVITY * 30.0 / 288.15, rtol=1e-5)
    assert (state.u == 0).all() and (state.v == 0).all()


def test_dense_smoke_sinks_by_its_weight():
    grid = closed((6, 6, 6))
    state = GasState.still(grid)
    state.scalars[..., 0] = 2.0
    push(state, grid, 0.5, weight=0.4)
    np.testing.assert_allclose(state.w, -0.5 * 0.4 * 2.0, rtol=1e-5)


@pytest.mark.parametrize("steps", (1, 2, 8))
def test_drag_is_exact_in_any_number_of_steps(steps: int):
    grid = opened((6, 6, 6))
    state = GasState.still(grid)
    state.u[:] = 3.0
    for _ in range(steps):
        push(state, grid, 1.0 / steps, drag=0.8)
    np.testing.assert_allclose(state.u, 3.0 * math.exp(-0.8), rtol=1e-5)


@pytest.mark.parametrize("steps", (1, 5))
def test_gas_takes_on_the_wind_exactly(steps: int):
    grid = opened((6, 6, 6))
    state = GasState.still(grid)
    for _ in range(steps):
        push(state, grid, 0.7 / steps, winds=(wind(),))
    share = 2.0 * (1 - math.exp(-0.7))
    np.testing.assert_allclose(state.u, share * math.cos(0.3), rtol=1e-4)
    np.testing.assert_allclose(state.v, share * math.sin(0.3), rtol=1e-4)


def test_gusts_swing_round_the_speed_and_travel_with_the_wind():
    grid = opened((64, 4, 4), 0.1)
    now = forces.wind_tables((wind(gusts=0.8, heading=0.0),), grid, 5.0, 0.1).speed[0]
    later = forces.wind_tables((wind(gusts=0.8, heading=0.0),), grid, 5.0 + 1.0, 0.1).speed[0]
    assert 0 < np.ptp(now) <= 2 * 2.0 * 0.8 + 1e-6 and now.min() >= 0
    step = 6.4 / (forces.GUST_SAMPLES - 1)
    moved = round(2.0 / step)
    np.testing.assert_allclose(later[moved:], now[:-moved], atol=0.08)


def test_wind_grows_from_nothing_at_the_ground_over_its_drag_height():
    grid = opened((4, 4, 20), 0.1)
    share = forces.wind_tables((wind(ground_drag=1.0),), grid, 0.0, 0.1).share[0]
    assert share[0] < 0.3 and (np.diff(share[:9]) > 0).all() and share[-1] == 1.0


def test_turbulence_has_no_divergence_to_round_off():
    grid = Grid((20, 16, 18), 0.1, (0.3, -1.0, 0.2), (True,) * 3, (True,) * 3)
    state = GasState.still(grid, 1.7)
    push(state, grid, 1.0, turbulences=(eddies(),))
    out = np.empty(grid.shape, np.float32)
    pressure.divergence(state.u, state.v, state.w, out)
    assert np.abs(out).max() < 3e-5 * np.abs(state.u).max() * 6


def test_turbulence_has_the_speed_that_was_asked_for():
    grid = opened((48, 48, 48), 0.1)
    state = GasState.still(grid, 0.4)
    push(state, grid, 40.0, turbulences=(eddies(size=1.2, detail=0.0),))
    rms = math.sqrt(sum(float((f**2).mean()) for f in (state.u, state.v, state.w)))
    assert rms == pytest.approx(1.5, rel=0.2)


def test_turbulence_is_the_same_whatever_the_voxel():
    found = []
    for n in (16, 32):
        grid = opened((n, n, n), 1.6 / n)
        state = GasState.still(grid, 0.9)
        push(state, grid, 1.0, turbulences=(eddies(size=0.8, detail=0.0),))
        found.append(state.u[n // 2, n // 4 : 3 * n // 4, n // 2].mean())
    assert found[0] == pytest.approx(found[1], rel=0.05, abs=0.02)


@pytest.mark.parametrize("curls", (((0.5, 2.0),), ((1.0, 3.0),), ((0.5, 2.0), (1.0, 3.0))))
def test_confinement_adds_no_net_momentum(curls: tuple):
    grid = closed((24, 20, 18))
    state = random_state(grid, 7)
    work = Workspace(grid)
    mean = vorticity.vorticity_push(state, grid, StepInputs(curls=curls), work)
    assert mean is not None
    net = (work.push - mean[:, None, None, None]).sum(axis=(1, 2, 3), dtype=np.float64)
    assert np.abs(net).max() < 1e-4 * np.abs(work.push).sum(dtype=np.float64)


def vortex(n: int) -> tuple:
    """A smooth vortex about z of 0.4 m, full of smoke."""
    grid = opened((n, n, n // 2), 2.0 / n)
    state = GasState.still(grid)
    face, mid = np.linspace(-1, 1, n + 1), (np.arange(n) + 0.5) / n * 2 - 1
    fall = lambda x, y: np.exp(-(x**2 + y**2) / (2 * 0.2**2))  # noqa: E731
    state.u[:] = (-mid[None, :] * fall(face[:, None], mid[None, :]))[:, :, None] * 5
    state.v[:] = (mid[:, None] * fall(mid[:, None], face[None, :]))[:, :, None] * 5
    state.scalars[..., 0] = 50.0
    return grid, state


def flat_vortex(voxel: float, across: float, span: float) -> tuple[GasState, Grid]:
    """A smooth vortex in a slice, full of smoke; off the middle, so that nothing is even by chance."""
    n = round(span / voxel)
    grid = Grid((n, 1, n), voxel, (0, 0, 0), (True, False, True), (True, False, True))
    state = GasState.still(grid)
    face, mid = np.arange(n + 1) * voxel - 0.45 * span, (np.arange(n) + 0.5) * voxel - 0.45 * span
    fall = lambda x, z: np.exp(-(x**2 + z**2) / (2 * (0.25 * across) ** 2))  # noqa: E731
    state.u[:, 0] = -mid[None, :] * fall(face[:, None], mid[None, :]) * 5
    state.w[:, 0] = mid[:, None] * fall(mid[:, None], face[None, :]) * 5
    state.scalars[..., 0] = 50.0
    return state, grid


def gain(state: GasState, grid: Grid, curls: tuple[tuple[float, float], ...]) -> float:
    """Work that the push does on the flow, per second and per twice its energy."""
    work = Workspace(grid)
    assert vorticity.vorticity_push(state, grid, StepInputs(curls=curls), work) is not None
    u, w = 0.5 * (state.u[1:] + state.u[:-1]), 0.5 * (state.w[..., 1:] + state.w[..., :-1])
    push = np.abs(work.push[0]) + np.abs(work.push[2])
    return float(push.sum() / (np.abs(u) + np.abs(w)).sum())


@pytest.mark.parametrize("size", (1.0, 2.0))
def test_a_curl_gets_the_same_push_at_any_voxel(size: float):
    """A curl of 3 m got a third at 0.03 m of what it got at 0.1 m."""
    pushes = [gain(*flat_vortex(voxel, 3.0, 9.6), ((size, 2.0),)) for voxel in (0.1, 0.06, 0.03)]
    assert pushes == pytest.approx([pushes[-1]] * 3, rel=0.02)


def test_a_mirrored_flow_gets_the_mirrored_push():
    grid = closed((22, 19, 17))
    state = random_state(grid, 5)
    curls = StepInputs(curls=((0.5, 1.0), (1.0, 2.0)))
    work = Workspace(grid)
    vorticity.vorticity_push(state, grid, curls, work)
    found = work.push.copy()
    other = GasState.still(grid)
    other.u[:], other.v[:], other.w[:] = -state.u[::-1], state.v[::-1], state.w[::-1]
    other.scalars[:] = state.scalars[::-1]
    vorticity.vorticity_push(other, grid, curls, work)
    work.push[0] *= -1
    np.testing.assert_allclose(work.push[:, ::-1], found, rtol=1e-3, atol=1e-3 * np.abs(found).max())


def test_the_following_window_does_not_move_the_curls():
    box, state = vortex(64)
    for field in (state.u, state.v, state.w):
        field[:] = ndimage.gaussian_filter(np.random.default_rng(2).standard_normal(field.shape), 3)
    span = ((8, 56), (16, 64), (0, 32))
    part = part_of_box(box, span)
    smoke = np.zeros(box.shape, np.float32)
    smoke[24:40, 28:44, 8:24] = 1.0
    state.scalars[..., 0] = smoke
    curls = StepInputs(curls=((0.125, 2.0), (0.25, 1.0)))  # half a metre to the window's border
    whole, seen = Workspace(box), Workspace(part)
    vorticity.vorticity_push(state, box, curls, whole)
    vorticity.vorticity_push(moved_to(box, part, box, state), part, curls, seen)
    inner = whole.push[:, 8:56, 16:64]
    assert np.abs(inner).max() > 0.05
    np.testing.assert_allclose(seen.push, inner, atol=2e-3 * np.abs(inner).max())


def test_sizes_that_no_voxel_or_box_can_hold_get_none():
    grid, state = vortex(32)
    for size in (0.0625, 4.0):
        assert (
            vorticity.vorticity_push(state, grid, StepInputs(curls=((size, 2.0),)), Workspace(grid)) is None
        )


def test_confinement_acts_in_smoke_and_not_in_clear_air():
    grid, state = vortex(32)
    state.scalars[:16, ..., 0] = 0.0
    work = Workspace(grid)
    vorticity.vorticity_push(state, grid, StepInputs(curls=((0.25, 2.0),)), work)
    assert (work.push[:, :16] == 0).all() and np.abs(work.push[:, 16:]).max() > 0


def test_the_curl_of_solid_rotation_is_twice_its_rate():
    grid = closed((12, 12, 6), 1.0)
    c = np.zeros((3, *grid.shape), np.float32)
    x = np.arange(12, dtype=np.float32)
    c[0] = -0.5 * x[None, :, None]
    c[1] = 0.5 * x[:, None, None]
    out = np.empty((4, *grid.shape), np.float32)
    vorticity.curl_of(c, np.ones(out.shape[1:3], np.bool_), out)
    np.testing.assert_allclose(out[2], 1.0, atol=1e-5)
    np.testing.assert_allclose(out[3], 1.0, atol=1e-5)
