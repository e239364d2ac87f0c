"""Whole steps: sources, plumes, determinism, refusals."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numba
import numpy as np
import pytest
from build import KEEP, QUIET, closed, inputs_of, small_effect, small_layer, with_layer

from tenka.base.errors import BadInput, TooLarge, Unstable
from tenka.effect.courses import Key, Keys, Wave
from tenka.effect.model import DomainBox, Motion, Prop, Source, ramp
from tenka.gas import pressure, sources
from tenka.gas.grid import GasState, Grid
from tenka.gas.settings import curls_by_size, resolve, sampled
from tenka.gas.solver import GasSolver
from tenka.scene.meshes import primitive, spread_over

EVEN = Source(
    id="s",
    name="S",
    shape="box",
    position=(0.5, 0.5, 0.5),
    size=(0.4, 0.4, 0.4),
    breakup=0.0,
    density=2.0,
    temperature=100.0,
    grip=3.0,
)


def give(source: Source, seconds: float, steps: int, emission: float = 1.0) -> GasState:
    grid = closed((20, 20, 20), 0.05)
    state = GasState.still(grid)
    inp = replace(inputs_of(source), emission=emission)
    mask, expansion = sources.source_mask(inp, (), grid, None), np.zeros(grid.shape, np.float32)
    for k in range(steps):
        state.time = seconds * k / steps
        sources.give(state, grid, inp, mask, seconds / steps, expansion)
    return state


@pytest.mark.parametrize("steps", (1, 2, 8))
def test_a_source_gives_its_amounts_in_any_number_of_steps(steps: int):
    state = give(EVEN, 0.5, steps)
    middle = state.scalars[10, 10, 10]
    assert middle[0] == pytest.approx(2.0 * 0.5, rel=1e-5)
    assert middle[1] == pytest.approx(100.0 * (1 - math.exp(-3.0 * 0.5)), rel=1e-5)


def test_a_crowded_source_fills_up_to_its_density_and_goes_no_further():
    for steps in (1, 10):
        state = give(EVEN.model_copy(update={"crowding": 1.0}), 5.0, steps)
        assert state.scalars[..., 0].max() == pytest.approx(2.0, rel=1e-6)


def test_two_sources_in_one_place_add_up_or_the_strongest_wins():
    """Between the two, each gives that share of either: half of 2 x 0.5 s, then half of what lacks."""
    one, both = EVEN.model_copy(update={"density": 2.0}), {}
    for crowding in (0.0, 0.5, 1.0):
        grid = closed((20, 20, 20), 0.05)
        state, expansion = GasState.still(grid), np.zeros(grid.shape, np.float32)
        for density in (2.0, 3.0):
            inp = inputs_of(one.model_copy(update={"density": density, "crowding": crowding}))
            sources.give(state, grid, inp, sources.source_mask(inp, (), grid, None), 0.5, expansion)
        both[crowding] = float(state.scalars[10, 10, 10, 0])
    assert both[0.0] == pytest.approx(0.5 * (2 + 3), rel=1e-5)
    assert both[1.0] == pytest.approx(3.0, rel=1e-5)
    first = 0.5 * (2 * 0.5) + 0.5 * 2
    assert both[0.5] == pytest.approx(first + 0.5 * (3 * 0.5) + 0.5 * (3 - first), rel=1e-5)


def test_an_effect_whose_sources_took_the_densest_is_still_read():
    for word, crowding in (("maximum", 1.0), ("add", 0.0)):
        assert Source.model_validate({"id": "s", "name": "S", "blend": word}).crowding == crowding


def test_a_cold_source_cools_and_never_warms():
    state = give(EVEN.model_copy(update={"temperature": -20.0}), 3.0, 6)
    assert state.scalars[..., 1].min() == pytest.approx(-20.0, rel=1e-2)
    assert state.scalars[..., 1].max() == 0.0


def test_a_source_fills_the_volume_of_its_region():
    grid = closed((40, 40, 40), 0.025)
    ball = EVEN.model_copy(update={"shape": "sphere", "size": (0.6, 0.6, 0.6)})
    mask = sources.source_mask(inputs_of(ball), (), grid, None)
    assert mask.share.sum() * 0.025**3 == pytest.approx(4 / 3 * math.pi * 0.3**3, rel=0.03)


def test_noise_breaks_up_a_source_and_changes_over_time():
    broken = EVEN.model_copy(update={"breakup": 1.0, "breakup_size": 0.1, "breakup_rate": 4.0})
    early, late = give(broken, 0.1, 1).scalars[..., 0], give(broken, 0.6, 6).scalars[..., 0]
    inside = early[8:12, 8:12, 8:12]
    assert inside.std() > 0.15 * inside.mean()
    assert np.corrcoef(early[6:14, 6:14, 6:14].ravel(), late[6:14, 6:14, 6:14].ravel())[0, 1] < 0.98


def test_a_surface_source_gives_along_its_prop_and_not_inside():
    grid = closed((30, 30, 30), 0.1)
    ball = Prop(id="ball", name="Ball", shape="sphere", position=(1.5, 1.5, 0.5), size=(2.0, 2.0, 2.0))
    source = Source(id="s", name="S", shape="surface", prop="ball", thickness=0.15)
    mask = sources.source_mask(inputs_of(source, ball), (ball,), grid, None)
    centres = (mask.cells + 0.5) * 0.1
    radius = np.linalg.norm(centres - (1.5, 1.5, 1.5), axis=1)
    assert len(radius) > 800 and radius.min() > 0.75 and radius.max() < 1.25


def test_points_are_spread_evenly_by_area():
    ball = primitive("sphere", (1, 1, 1))
    points = spread_over(ball, np.arange(len(ball.faces)), 0.02, 5).on(ball)
    upper = (points[:, 2] > 0.5).mean()
    assert len(points) > 5000 and upper == pytest.approx(0.5, abs=0.02)


def test_a_source_whose_prop_is_missing_is_named():
    with pytest.raises(BadInput, match="names the prop 'gone'"):
        sources.source_mask(
            inputs_of(Source(id="s", name="Mouth", shape="surface", prop="gone")), (), closed((8, 8, 8)), None
        )


def test_divergence_after_a_whole_step_is_small_against_before():
    effect = small_effect()
    solver = GasSolver(effect.layers[0], effect.forces, effect.props, 1, 24.0)
    state = solver.start()
    for _ in range(6):
        state = solver.frame(state)
    out = np.empty(solver.grid.shape, np.float32)
    pressure.divergence(state.u, state.v, state.w, out)
    assert np.abs(out).max() < 1e-4 * state.fastest


def test_a_thermal_rises_with_the_square_root_of_time():
    """Morton, Taylor & Turner (1956): (z + z0)^2 grows evenly, z0 = R / 0.25 being the virtual origin of a
    puff of radius R."""
    radius = 0.25
    start = Source(
        id="s",
        name="S",
        position=(0, 0, 0.4),
        size=(0.5, 0.5, 0.5),
        density=20.0,
        temperature=60.0,
        breakup=0.0,
        start=0.0,
        end=0.09,
        grip=40.0,
    )
    box = DomainBox(origin=(-1.6, -1.6, 0), size=(3.2, 3.2, 5.0), voxel=0.1, run_up=0.0)
    layer = small_layer(
        domain=box, sources=(start,), motion=QUIET.model_copy(update={"lift": 1.0}), fading=KEEP
    )
    solver = GasSolver(layer, (), (), 1, 24.0)
    state = solver.start()
    z = solver.grid.centres(2)
    seconds, height = [], []
    for n in range(1, 121):
        state = solver.frame(state)
        if n >= 24 and n % 12 == 0:
            smoke = state.scalars[..., 0].sum(axis=(0, 1), dtype=np.float64)
            seconds.append(n / 24)
            height.append(float((smoke * z).sum() / smoke.sum()) - 0.4 + radius / 0.25)
    power = np.polyfit(np.log(seconds), np.log(height), 1)[0]
    assert power == pytest.approx(0.5, abs=0.05)


def test_smoke_is_conserved_without_fading_in_a_closed_box():
    layer = small_layer(
        domain=DomainBox(
            origin=(-1, -1, 0),
            size=(2, 2, 2),
            voxel=0.125,
            run_up=0.0,
            open_low=(False,) * 3,
            open_high=(False,) * 3,
        ),
        fading=KEEP,
    )
    source = layer.sources[0].model_copy(update={"start": 0.0, "end": 0.1})
    solver = GasSolver(layer.model_copy(update={"sources": (source,)}), (), (), 1, 24.0)
    state = solver.start()
    amounts = []
    for _ in range(20):
        state = solver.frame(state)
        amounts.append(float(state.scalars[..., 0].sum(dtype=np.float64)))
    assert amounts[-1] == pytest.approx(amounts[4], rel=0.03)


def run(frames: int = 5) -> GasState:
    effect = small_effect()
    solver = GasSolver(effect.layers[0], effect.forces, effect.props, effect.seed, effect.rate)
    state = solver.start()
    for _ in range(frames):
        state = solver.frame(state)
    return state


def test_the_same_effect_gives_the_same_arrays_at_any_thread_count():
    many = run()
    numba.set_num_threads(1)
    try:
        one = run()
    finally:
        numba.set_num_threads(numba.config.NUMBA_NUM_THREADS)
    for name in ("u", "v", "w", "scalars"):
        np.testing.assert_array_equal(getattr(many, name), getattr(one, name))


def test_substeps_follow_the_courant_number():
    effect = small_effect()
    layer = effect.layers[0].model_copy(
        update={"quality": effect.layers[0].quality.model_copy(update={"courant": 0.5, "most_substeps": 8})}
    )
    solver = GasSolver(layer, (), (), 1, 24.0)
    state = solver.start()
    state.u[:] = 3.9 * 24 * layer.domain.voxel * 0.5  # not quite two half voxels in each half of two steps
    solver.frame(state)
    assert solver.substeps == 2


def test_a_blow_up_is_said_and_stops_at_its_frame():
    solver = GasSolver(small_layer(), (), (), 1, 24.0)
    state = solver.start()
    state.u[3, 3, 3] = np.nan
    with pytest.raises(Unstable, match="no longer a number"):
        solver.frame(state)


def test_a_domain_too_large_is_refused_with_its_memory_before_it_starts():
    layer = small_layer(domain=DomainBox(size=(1000, 1000, 1000), voxel=0.05))
    with pytest.raises(TooLarge, match=r"20000 x 20000 x 20000 voxels would take about [\d.]+ GB"):
        GasSolver(layer, (), (), 1, 24.0)


def test_predicted_memory_is_near_what_a_solver_holds():
    solver = GasSolver(small_layer(0.05), small_effect().forces, (), 1, 24.0)
    state = solver.frame(solver.start())
    arrays = [state.u, state.v, state.w, state.scalars]
    for holder in (solver.work, solver.work.spare):
        arrays += [v for v in vars(holder).values() if isinstance(v, np.ndarray)]
    for kept in solver.work._arrays.values():
        arrays += kept
    held = sum(a.nbytes for a in {id(a): a for a in arrays}.values())
    assert 0.6 * held < solver.grid.predicted_bytes() < 1.6 * held


def test_what_is_passed_over_or_not_soloed_has_no_part():
    effect = small_effect()
    wind = effect.forces[0]
    both = resolve(effect.layers[0], effect.forces, (), 1, 24.0, 0.0, 1 / 24)
    without = resolve(
        effect.layers[0],
        (wind.model_copy(update={"passed_over": True}), effect.forces[1]),
        (),
        1,
        24.0,
        0.0,
        1 / 24,
    )
    alone = resolve(
        effect.layers[0], (wind.model_copy(update={"solo": True}), effect.forces[1]), (), 1, 24.0, 0.0, 1 / 24
    )
    assert (len(both.winds), len(both.turbulences)) == (1, 1)
    assert (len(without.winds), len(without.turbulences)) == (0, 1)
    assert (len(alone.winds), len(alone.turbulences)) == (1, 0)


def test_a_course_is_straight_between_its_samples():
    curve = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=1.0, v=4.0)))
    assert sampled(curve, 0.26, 24.0) == pytest.approx(1.04, abs=1e-6)
    assert sampled(3.5, 0.3, 24.0) == 3.5


def test_the_grid_covers_the_domain():
    grid = Grid.of(DomainBox(origin=(0, 0, 0), size=(1.0, 0.5, 0.33), voxel=0.1))
    assert grid.shape == (10, 5, 4)


def test_hidden_layers_are_simulated_and_passed_over_ones_are_still(tmp_path: Path):
    from build import simulated

    plan, store = simulated(with_layer(small_effect(), passed_over=True), tmp_path)
    frame = store.get_frame(plan.name(5))
    assert frame is not None and frame.density.max() == 0.0
    plan, store = simulated(with_layer(small_effect(), hidden=True), tmp_path)
    frame = store.get_frame(plan.name(5))
    assert frame is not None and frame.density.max() > 0.0


def test_motion_settings_reach_the_step():
    layer = small_layer(motion=Motion(lift=2.0, weight=0.5, drag=0.3, curls=4.0, curl_sizes=ramp((0.0, 0.5))))
    found = resolve(layer, (), (), 1, 24.0, 0.0, 1 / 24)
    assert (found.lift, found.weight, found.drag) == (2.0, 0.5, 0.3)
    assert [size for size, _ in found.curls] == [2.0**n for n in range(-5, 4)]
    assert [rate for _, rate in found.curls] == pytest.approx([2.0] * 9)


def test_a_curve_that_is_narrower_than_an_octave_is_not_missed():
    for at in (0.30, 0.34, 0.38):
        spike = ramp((at - 0.02, 0.0), (at, 1.0), (at + 0.02, 0.0))
        whole = sum(rate for _, rate in curls_by_size(8.0, spike))
        assert whole == pytest.approx(8.0 * 0.02 * 8, rel=0.1)  # its area over eight octaves


def test_an_effect_with_curls_of_two_sizes_is_still_read():
    old = Motion.model_validate({"fine_curl": 4.0, "fine_size": 0.125, "broad_curl": 2.0, "broad_size": 0.5})
    rates = dict(curls_by_size(float(old.curls), old.curl_sizes))
    assert rates[0.125] > rates[0.25] > rates[0.5] > 0.5 and rates[0.03125] < 0.5 > rates[2.0]
    kept = {"base": 1.0, "amount": 0.5, "period": 1.0}
    moving = Motion.model_validate({"fine_curl": {"kind": "wave", **kept}})
    assert isinstance(moving.curls, Wave) and moving.curls.base == 1.0
