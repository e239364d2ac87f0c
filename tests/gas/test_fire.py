"""Combustion, spreading and placed forces against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import centres, closed, inputs_of, opened, step_with, swirl_input

from tenka.effect.model import Source
from tenka.gas import felt, pressure
from tenka.gas.felt import LocalInput
from tenka.gas.fire import burn
from tenka.gas.grid import BURNT, DENSITY, FUEL, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.local import apply_local
from tenka.gas.settings import FireInput
from tenka.gas.viscosity import soften
from tenka.scene.poses import Pose

COLD = FireInput(ignition=100.0, rate=2.0, heat=0.0, soot=0.5, expansion=3.0, hottest=2000.0, radiation=0.0)


def fuelled(temperature: float, fuel: float = 1.0, shape: tuple[int, int, int] = (8, 8, 8)) -> GasState:
    state = GasState.still(closed(shape))
    state.scalars[..., FUEL], state.scalars[..., TEMPERATURE] = fuel, temperature
    return state


@pytest.mark.parametrize("steps", (1, 2, 8))
def test_fuel_at_ignition_heat_burns_at_its_rate_in_any_number_of_steps(steps: int):
    state, out = fuelled(100.001), np.zeros((8, 8, 8), np.float32)
    for _ in range(steps):
        burn(state.scalars, COLD, 0.6 / steps, out)
    assert state.scalars[3, 3, 3, FUEL] == pytest.approx(math.exp(-2.0 * 0.6), rel=1e-4)


def test_fuel_and_burnt_gas_are_conserved_and_soot_is_its_share():
    state, out = fuelled(400.0), np.zeros((8, 8, 8), np.float32)
    rng = np.random.default_rng(0)
    state.scalars[..., FUEL] = rng.random((8, 8, 8))
    before = state.scalars[..., FUEL].sum(dtype=np.float64)
    told = sum(burn(state.scalars, COLD, 0.1, out) for _ in range(7))
    burnt = state.scalars[..., BURNT].sum(dtype=np.float64)
    assert state.scalars[..., FUEL].sum(dtype=np.float64) + burnt == pytest.approx(before, rel=1e-5)
    assert told == pytest.approx(burnt, rel=1e-5) and burnt > 0.5 * before
    assert state.scalars[..., DENSITY].sum(dtype=np.float64) == pytest.approx(0.5 * burnt, rel=1e-5)


def test_cold_fuel_does_not_burn_and_hotter_fuel_burns_faster():
    left = []
    for heat in (50.0, 120.0, 240.0):
        state = fuelled(heat)
        burn(state.scalars, COLD, 0.1, np.zeros((8, 8, 8), np.float32))
        left.append(float(state.scalars[0, 0, 0, FUEL]))
    assert left[0] == 1.0 > left[1] > left[2]


def test_burning_never_heats_above_the_hottest_and_never_cools_what_is_hotter():
    hot = FireInput(100.0, 50.0, 5000.0, 0.0, 0.0, 1500.0, 0.0)
    for start, want in ((200.0, 1500.0), (1800.0, 1800.0)):
        state = fuelled(start)
        burn(state.scalars, hot, 1.0, np.zeros((8, 8, 8), np.float32))
        assert state.scalars[..., TEMPERATURE].max() == pytest.approx(want, rel=1e-6)


@pytest.mark.parametrize("steps", (1, 4))
def test_radiation_follows_the_fourth_power(steps: int):
    """dT/dt = -c (T / 1000)^4, solved by hand."""
    state = fuelled(1600.0, fuel=0.0)
    fire = FireInput(100.0, 0.0, 0.0, 0.0, 0.0, 3000.0, radiation=700.0)
    for _ in range(steps):
        burn(state.scalars, fire, 0.8 / steps, np.zeros((8, 8, 8), np.float32))
    exact = (1600.0**-3 + 3 * 700.0 * 0.8 / 1000.0**4) ** (-1 / 3)
    assert state.scalars[2, 2, 2, TEMPERATURE] == pytest.approx(exact, rel=2e-4)


def test_expansion_integrates_to_the_volume_that_was_burnt():
    """What leaves through the open walls is what was pressed in, by the divergence theorem."""
    grid = opened((20, 20, 20), 0.05)
    state, work = GasState.still(grid), Workspace(grid)
    state.scalars[8:12, 8:12, 8:12, FUEL], state.scalars[..., TEMPERATURE] = 1.0, 500.0
    burnt = burn(state.scalars, COLD, 0.1, work.expansion)
    pressure.project(state, grid, work, work.expansion)
    face = 0.05**2
    outflow = face * sum(
        float(np.moveaxis(q, a, 0)[-1].sum() - np.moveaxis(q, a, 0)[0].sum())
        for a, q in enumerate((state.u, state.v, state.w))
    )
    assert outflow * 0.1 == pytest.approx(COLD.expansion * burnt * 0.05**3, rel=1e-3)


def test_a_source_presses_in_its_volume_each_second():
    source = Source(
        id="s",
        name="S",
        shape="box",
        position=(0.5, 0.5, 0.5),
        size=(0.3, 0.3, 0.3),
        breakup=0.0,
        expansion=4.0,
        temperature=0.0,
        density=0.0,
    )
    grid = opened((20, 20, 20), 0.05)
    still = GasState.still(grid)
    state = step_with(grid, still, 0.01, sources=(inputs_of(source),))
    outflow = 0.05**2 * sum(
        float(np.moveaxis(q, a, 0)[-1].sum() - np.moveaxis(q, a, 0)[0].sum())
        for a, q in enumerate((state.u, state.v, state.w))
    )
    assert outflow == pytest.approx(4.0 * 0.3**3, rel=0.02)


def test_flames_die_at_their_own_rate_and_smoke_at_its():
    grid = closed((8, 8, 8))
    state = GasState.still(grid)
    state.scalars[..., BURNT] = state.scalars[..., DENSITY] = 1.0
    state = step_with(grid, state, 0.1, 5, flame_fade=3.0, fade=0.4)
    assert state.scalars[4, 4, 4, BURNT] == pytest.approx(math.exp(-1.5), rel=1e-5)
    assert state.scalars[4, 4, 4, DENSITY] == pytest.approx(math.exp(-0.2), rel=1e-5)


@pytest.mark.parametrize("steps", (1, 3, 9))
def test_viscosity_damps_a_shear_wave_at_its_exact_rate(steps: int):
    """u(y) = cos(pi n y / L) is a mode of a shut box: its discrete rate is nu (2 - 2 cos(pi n / N)) / h^2."""
    n, nu = 4, 0.02
    grid = Grid((6, 24, 6), 0.1, (0.0, 0.0, 0.0), (True, False, False), (True, False, False))
    wave = np.cos(np.pi * n * (np.arange(24) + 0.5) / 24)[None, :, None]
    left = math.exp(-nu * (2 - 2 * math.cos(math.pi * n / 24)) / 0.01 * 0.9)
    state, work = GasState.still(grid), Workspace(grid)
    state.u[:] = wave
    for _ in range(steps):
        soften(state, grid, nu, 0.0, 0.9 / steps, work)
    np.testing.assert_allclose(state.u, np.broadcast_to(left * wave, state.u.shape), atol=1e-4)
    shut = GasState.still(closed((6, 24, 6)))
    shut.scalars[..., DENSITY] = 2.0 + wave
    for _ in range(steps):
        soften(shut, closed((6, 24, 6)), 0.0, nu, 0.9 / steps, Workspace(closed((6, 24, 6))))
    np.testing.assert_allclose(
        shut.scalars[..., DENSITY], np.broadcast_to(2.0 + left * wave, (6, 24, 6)), atol=1e-4
    )


def test_spreading_keeps_the_amount_in_a_shut_box():
    grid = closed((12, 12, 12))
    state, rng = GasState.still(grid), np.random.default_rng(1)
    state.scalars[:] = rng.random(state.scalars.shape)
    before = state.scalars.sum(axis=(0, 1, 2), dtype=np.float64)
    soften(state, grid, 0.0, 0.05, 0.5, Workspace(grid))
    np.testing.assert_allclose(state.scalars.sum(axis=(0, 1, 2), dtype=np.float64), before, rtol=1e-5)
    assert state.scalars.std() < 0.15


def place(x: float, y: float, z: float) -> Pose:
    return Pose(np.eye(3), np.array([x, y, z]))


def swirl_profile(state: GasState, grid: Grid) -> tuple[np.ndarray, np.ndarray]:
    """Radius and tangential speed at the voxel centres of the middle slice."""
    x, y, _ = centres(grid)
    u, v = 0.5 * (state.u[1:] + state.u[:-1]), 0.5 * (state.v[:, 1:] + state.v[:, :-1])
    x, y = x - 1.0, y - 1.0
    r = np.hypot(x, y)
    return r[:, :, 4], ((u * -y + v * x) / np.maximum(r, 1e-6))[:, :, 4]


def turned(grid: Grid, swirl: LocalInput) -> GasState:
    """What a swirl makes of still air, without what keeps air together."""
    state = GasState.still(grid)
    apply_local(state, grid, (swirl,), 0.2)
    return state


def test_a_swirl_turns_by_its_curve_over_the_distance_and_the_height():
    """2 m reach, peaks at half of it, with half the speed at a quarter and nothing at the axis and the reach;
    upwards from nothing to all."""
    grid = closed((40, 40, 8), 0.05)
    straight = {"stops": [{"at": 0.0, "value": 0.0}, {"at": 0.5, "value": 0.8}, {"at": 1.0, "value": 0.0}]}
    up = {"stops": [{"at": 0.0, "value": 0.0}, {"at": 1.0, "value": 1.0}]}
    given = {
        "reach": 0.8,
        "height": 0.4,
        "spin": 0.5,
        "lift": 0.0,
        "pull": 0.0,
        "grip": 3.0,
        "turning": straight,
    }
    full = turned(grid, swirl_input((1, 1, 0.2), **given, over_height={"stops": [{"at": 0.0, "value": 1.0}]}))
    r, speed = swirl_profile(full, grid)
    fastest = 2 * np.pi * 0.5 * 0.4  # half a turn a second at 0.4 m
    share = np.clip(1 - np.abs(r - 0.4) / 0.4, 0, 1)
    wanted = fastest * share * (1 - np.exp(-3.0 * np.maximum(share * 0.8, 0.0) * 0.2))
    inside = (r > 0.08) & (r < 0.95)
    np.testing.assert_allclose(speed[inside], wanted[inside], atol=0.04 * fastest)
    rising = turned(grid, swirl_input((1, 1, 0.2), **given, over_height=up))
    shares = [np.abs(rising.u[:, :, k]).sum() / np.abs(full.u[:, :, k]).sum() for k in range(8)]
    assert (np.diff(shares) > 0.05).all() and shares[0] < 0.15 and shares[-1] > 0.85


def test_a_swirl_lifts_and_draws_in_by_its_own_curves():
    grid = closed((40, 40, 8), 0.05)
    ring = {"stops": [{"at": at, "value": v} for at, v in ((0.0, 0.0), (0.5, 0.0), (0.75, 1.0), (1.0, 0.0))]}
    none = {"stops": [{"at": 0.0, "value": 0.0}]}
    state = turned(
        grid,
        swirl_input(
            (1, 1, 0.2),
            reach=0.8,
            height=9.0,
            spin=0.0,
            lift=1.0,
            pull=0.5,
            grip=100.0,
            lifting=ring,
            pulling=ring,
            turning=none,
        ),
    )
    x, y, _ = centres(grid)
    r = np.hypot(x - 1.0, y - 1.0)[:, :, 4]
    w = state.w[:, :, 4]
    assert np.abs(w[(r < 0.36)]).max() < 0.02 and w[(r > 0.57) & (r < 0.63)].min() > 0.7
    u, v = 0.5 * (state.u[1:] + state.u[:-1]), 0.5 * (state.v[:, 1:] + state.v[:, :-1])
    inward = -((x - 1.0) * u + (y - 1.0) * v)[:, :, 4] / np.maximum(r, 1e-6)
    assert inward[(r > 0.57) & (r < 0.63)].mean() == pytest.approx(0.45, abs=0.07)
    assert np.abs(inward[r < 0.36]).max() < 0.02


def test_a_swirl_of_before_turns_its_core_as_one_at_high_grip():
    grid = closed((40, 40, 8), 0.05)
    swirl = swirl_input(
        (1, 1, 0.2), core=0.4, height=100.0, spin=0.5, lift=0.0, pull=0.0, falloff=1.0, grip=200.0
    )
    r, speed = swirl_profile(turned(grid, swirl), grid)
    core = (r > 0.1) & (r < 0.35)
    np.testing.assert_allclose(speed[core], 2 * np.pi * 0.5 * r[core], rtol=0.05)
    tail = (r > 0.5) & (r < 0.8)
    np.testing.assert_allclose(speed[tail], 2 * np.pi * 0.5 * 0.4 * 0.4 / r[tail], rtol=0.12)


@pytest.mark.parametrize("steps", (1, 2, 8))
def test_a_placed_wind_and_drag_are_exact_in_time(steps: int):
    grid = opened((8, 8, 8), 0.1)
    from tenka.gas.local import apply_local

    state = GasState.still(grid)
    wind = LocalInput(felt.BLOW, (1.5,), target=(2.0, 0.0, 0.0))
    for _ in range(steps):
        apply_local(state, grid, (wind,), 0.4 / steps)
    np.testing.assert_allclose(state.u, 2.0 * (1 - math.exp(-0.6)), rtol=1e-5)
    assert not state.v.any() and not state.w.any()
    for _ in range(steps):
        apply_local(state, grid, (LocalInput(felt.BRAKE, (2.0,)),), 0.5 / steps)
    np.testing.assert_allclose(state.u, 2.0 * (1 - math.exp(-0.6)) * math.exp(-1.0), rtol=1e-5)


def test_a_force_in_a_region_leaves_the_rest_alone():
    grid = opened((20, 20, 20), 0.1)
    from tenka.gas.local import apply_local

    state = GasState.still(grid)
    for region in ("sphere", "box", "cylinder"):
        state.u[:] = 0.0
        apply_local(
            state,
            grid,
            (LocalInput(felt.BLOW, (1e3,), place(1, 1, 1), region, (0.8, 0.8, 0.8), 0.2, (1.0, 0.0, 0.0)),),
            0.1,
        )
        x, y, z = np.meshgrid(
            np.arange(21) * 0.1 - 1, np.arange(20) * 0.1 - 0.95, np.arange(20) * 0.1 - 0.95, indexing="ij"
        )
        r = np.sqrt(x * x + y * y + z * z)
        assert state.u[10, 10, 10] == pytest.approx(1.0, rel=1e-3)
        assert not state.u[r > 0.9].any() and (state.u[r < 0.25] > 0.9).all()


def test_a_pull_draws_smoke_towards_its_point_and_a_push_away():
    from tenka.gas.local import apply_local

    grid = opened((20, 20, 20), 0.1)
    for strength in (5.0, -5.0):
        state = GasState.still(grid)
        state.scalars[..., DENSITY] = 1.0
        apply_local(state, grid, (LocalInput(felt.PULL, (0.5, strength, 2.0), place(1, 1, 1)),), 0.1)
        assert np.sign(state.u[4, 10, 10]) == np.sign(strength) == -np.sign(state.u[16, 10, 10])
        near, far = abs(float(state.u[6, 10, 10])), abs(float(state.u[1, 10, 10]))
        assert near > 3 * far > 0


def test_a_further_gravity_lifts_heat_against_itself():
    from tenka.gas.local import apply_local

    grid = opened((8, 8, 8), 0.1)
    state = GasState.still(grid)
    state.scalars[..., TEMPERATURE], state.scalars[..., DENSITY] = 100.0, 2.0
    apply_local(state, grid, (LocalInput(felt.GRAVITY, (0.03, 0.5), target=(1.0, 0.0, 0.0)),), 0.2)
    np.testing.assert_allclose(state.u, (0.5 * 2.0 - 0.03 * 100.0) * 0.2, rtol=1e-5)
    assert not state.w.any()


def test_eddies_in_a_region_keep_free_of_divergence():
    from tenka.gas.felt import TurbulenceInput
    from tenka.gas.forces import apply_forces
    from tenka.gas.settings import StepInputs

    grid = opened((24, 24, 24), 0.1)
    state, work = GasState.still(grid), Workspace(grid)
    within = LocalInput(felt.BLOW, (), place(1.2, 1.2, 1.2), "sphere", (1.0, 1.0, 1.0), 0.4)
    apply_forces(
        state,
        grid,
        StepInputs(turbulences=(TurbulenceInput(2.0, 0.6, 0.5, 1.0, 4.0, 3, within),)),
        work,
        None,
        0.0,
        0.5,
    )
    pressure.divergence(state.u, state.v, state.w, work.pressure)
    assert np.abs(state.u).max() > 0.3 and not state.u[:4].any()
    assert np.abs(work.pressure).max() < 1e-5
