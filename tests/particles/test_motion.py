"""Particles against closed forms: flight, drag, bounces, births, distributions; and the same result however
time is cut."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import ONE_POINT
from scipy import stats

from tenka.effect.courses import Key, Keys
from tenka.effect.model import (
    ParticleLayer,
    PointCollider,
    PointMotion,
    PointSource,
    Prop,
    Swirl,
    Turbulence,
    Wind,
    ramp,
)
from tenka.particles.solver import PointSolver
from tenka.particles.spots import in_form
from tenka.particles.state import Points, PointState

AIRLESS = PointMotion(drag=0.0, ground="none", heat_half_life=3600.0)


def layer_of(*sources: PointSource, **changes: object) -> ParticleLayer:
    return ParticleLayer(id="dust", name="Dust", sources=sources, **changes)  # type: ignore[arg-type]


def source(**changes: object) -> PointSource:
    return PointSource(id="source", name="Source", **changes)  # type: ignore[arg-type]


def run(
    layer: ParticleLayer,
    frames: int,
    count: int = 1,
    rate: float = 24.0,
    forces: tuple = (),
    props: tuple = (),
    seed: int = 3,
) -> PointState:
    solver = PointSolver(layer, forces, props, seed, rate, frames + 1)
    state = solver.start()
    for _ in range(frames):
        state = solver.frame(state, count)
    return state


def in_order(p: Points) -> Points:
    return p.picked(np.argsort(p.id))


def test_a_thrown_particle_flies_a_parabola() -> None:
    thrown = source(**ONE_POINT, position=(0, 0, 2), direction=(3, 0, 4), speed=5.0)
    p = run(layer_of(thrown, motion=AIRLESS), 24).points
    t = 1.0
    assert np.allclose(p.place[0], (3 * t, 0, 2 + 4 * t - 0.5 * 9.81 * t * t), atol=1e-5)
    assert np.allclose(p.velocity[0], (3, 0, 4 - 9.81), atol=1e-5)


@pytest.mark.parametrize("drag", [0.001, 0.4, 9.0])
def test_drag_follows_its_closed_form(drag: float) -> None:
    thrown = source(**ONE_POINT, position=(0, 0, 0), direction=(1, 0, 0), speed=7.0)
    p = run(layer_of(thrown, motion=AIRLESS.model_copy(update={"drag": drag})), 24).points
    fall = -9.81 / drag * (1 - (1 - math.exp(-drag)) / drag)
    assert np.allclose(p.place[0], (7 * (1 - math.exp(-drag)) / drag, 0, fall), rtol=1e-5, atol=2e-5)


@pytest.mark.parametrize("e", [0.3, 0.8])
@pytest.mark.parametrize("count", [1, 3])
def test_a_bounce_reaches_the_square_of_its_share(e: float, count: int) -> None:
    motion = AIRLESS.model_copy(update={"ground": "bounce", "bounce": e})
    layer = layer_of(source(**ONE_POINT, position=(0, 0, 1.0), speed=0.0, width=1e-4), motion=motion)
    solver = PointSolver(layer, (), (), 1, 240.0, 400)
    state, heights = solver.start(), []
    for _ in range(300):
        state = solver.frame(state, count)
        heights.append(float(state.points.place[0, 2]))
    ground = math.sqrt(2 / 9.81)
    top = max(heights[int((ground + 0.01) * 240) : int((ground + 2 * e * math.sqrt(2 / 9.81) - 0.01) * 240)])
    assert top == pytest.approx(e * e, rel=2e-3)


def test_friction_stops_a_sliding_particle_where_it_should() -> None:
    motion = AIRLESS.model_copy(update={"ground": "bounce", "bounce": 0.0, "friction": 0.5})
    layer = layer_of(
        source(**ONE_POINT, position=(0, 0, 0.00005), direction=(1, 0, 0), speed=3.0, width=1e-4),
        motion=motion,
    )
    for count in (1, 4):
        p = run(layer, 48, count).points
        assert p.place[0, 0] == pytest.approx(9.0 / (2 * 0.5 * 9.81), rel=0.02)
        assert np.linalg.norm(p.velocity[0]) < 1e-3


def test_a_fast_particle_does_not_pass_a_thin_wall() -> None:
    wall = Prop(id="wall", name="Wall", shape="box", position=(2, 0, -1), size=(0.02, 4, 4))
    stop = PointCollider(id="stop", name="Stop", prop="wall", bounce=0.5)
    layer = layer_of(
        source(**ONE_POINT, position=(0, 0, 0.5), direction=(1, 0, 0), speed=150.0, width=0.001),
        motion=AIRLESS,
        colliders=(stop,),
    )
    p = run(layer, 1, props=(wall,)).points
    assert p.place[0, 0] < 2
    assert p.velocity[0, 0] == pytest.approx(-75.0, rel=1e-3)


def test_what_sticks_goes_along_with_what_holds_it() -> None:
    cart = Prop(
        id="cart",
        name="Cart",
        shape="box",
        size=(1, 1, 1),
        shift_x=Keys(keys=(Key(t=0.5, v=0.0, ease="linear"), Key(t=1.5, v=2.0))),
    )
    stop = PointCollider(id="stop", name="Stop", prop="cart", response="stick")
    layer = layer_of(
        source(**ONE_POINT, position=(0, 0, 1.2), speed=0.0, width=0.01), motion=AIRLESS, colliders=(stop,)
    )
    p = run(layer, 48, props=(cart,)).points
    assert p.place[0] == pytest.approx((2.0, 0.0, 1.005), abs=5e-3)


def test_a_moving_wall_hits_at_its_own_speed() -> None:
    ram = Prop(
        id="ram",
        name="Ram",
        shape="box",
        position=(-2, 0, 0),
        size=(1, 2, 2),
        shift_x=Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=1.0, v=4.0))),
    )
    stop = PointCollider(id="stop", name="Stop", prop="ram", bounce=1.0, friction=0.0)
    still = AIRLESS.model_copy(update={"gravity": 0.0})
    layer = layer_of(
        source(**ONE_POINT, position=(0, 0, 1.0), speed=0.0, width=1e-3), motion=still, colliders=(stop,)
    )
    for count in (1, 4):
        assert run(layer, 20, count, props=(ram,)).points.velocity[0, 0] == pytest.approx(8.0, rel=1e-2)


def test_births_by_rate_are_exact_in_count_and_even_in_time() -> None:
    layer = layer_of(source(rate=1000.0, start=0.0, end=2.0, stays=True), motion=AIRLESS)
    p = run(layer, 60).points
    assert len(p) == 2000 and len(np.unique(p.id)) == 2000
    assert p.born.min() >= 0 and p.born.max() < 2.0
    assert stats.kstest(p.born / 2.0, "uniform").pvalue > 0.05
    rising = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=2.0, v=1000.0, ease="linear")))
    p = run(layer_of(source(rate=rising, start=0.0, end=2.0, stays=True), motion=AIRLESS), 60).points
    assert len(p) == pytest.approx(1000, abs=1)
    assert stats.kstest(p.born / 2.0, lambda x: x * x).pvalue > 0.05


@pytest.mark.parametrize("frame", [0, 6])
def test_the_first_age_is_nothing(frame: int) -> None:
    layer = layer_of(source(rate=0.0, burst=50, burst_at=frame / 24, stays=True), motion=AIRLESS)
    p = run(layer, frame).points
    assert len(p) == 50 and np.all(p.age(frame / 24) == 0.0)


def test_bursts_repeat_and_spread() -> None:
    layer = layer_of(
        source(rate=0.0, burst=40, burst_at=0.1, burst_over=0.2, burst_every=0.5, stays=True), motion=AIRLESS
    )
    born = run(layer, 36).points.born
    assert len(born) == 3 * 40
    assert np.allclose(np.sort(born)[40:80] - np.sort(born)[:40], 0.5, atol=0.006)


@pytest.mark.parametrize("count", [2, 8])
def test_sub_steps_change_births_not_at_all_and_motion_only_within_its_order(count: int) -> None:
    forces = (
        Wind(id="wind", name="Wind", speed=2.0),
        Turbulence(id="eddies", name="Eddies", strength=1.0, size=0.8),
        Swirl(id="swirl", name="Swirl"),
    )
    layer = layer_of(source(rate=600.0, start=0.0, life=0.8), motion=PointMotion(drag=0.5))
    one, many = (in_order(run(layer, 24, n, forces=forces).points) for n in (1, count))
    assert (
        np.array_equal(one.id, many.id)
        and np.array_equal(one.born, many.born)
        and np.array_equal(one.life, many.life)
    )
    far = np.linalg.norm(one.place - many.place, axis=1)
    assert np.median(far) < 0.01 and np.median(np.linalg.norm(one.place, axis=1)) > 0.5


@pytest.mark.parametrize("rate", [12.0, 48.0])
def test_the_frame_rate_changes_nothing_of_a_throw(rate: float) -> None:
    layer = layer_of(source(rate=300.0, start=0.0, end=0.9, life=5.0), motion=PointMotion(drag=0.5))
    base, other = in_order(run(layer, 24).points), in_order(run(layer, int(rate), rate=rate).points)
    assert len(base) == len(other)
    assert np.allclose(np.sort(base.place[:, 2]), np.sort(other.place[:, 2]), atol=5e-3)


def test_births_move_with_their_source_between_steps() -> None:
    runner = {"shift_x": Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=1.0, v=10.0, ease="linear")))}
    layer = layer_of(
        source(shape="point", position=(0, 0, 0), rate=400.0, start=0.0, stays=True, speed=0.0, **runner),
        motion=AIRLESS.model_copy(update={"gravity": 0.0}),
    )
    p = run(layer, 20).points
    assert np.allclose(p.place[:, 0], 10 * p.born, atol=2e-4)


def test_a_moving_source_hands_on_its_speed_by_its_ramp() -> None:
    from tenka.effect.model import ramp

    runner = {"shift_x": Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=2.0, v=8.0, ease="linear")))}
    layer = layer_of(
        source(
            shape="point",
            rate=100.0,
            start=0.0,
            end=1.0,
            speed=0.0,
            carried=ramp((0, 0), (1, 1)),
            carried_speed=8.0,
            **runner,
        ),
        motion=AIRLESS,
    )
    assert np.allclose(run(layer, 20).points.velocity[:, 0], 2.0, atol=1e-3)  # half of 4 m/s


@pytest.mark.parametrize("shape", ["sphere", "box", "cylinder", "cone", "torus", "capsule"])
def test_births_fill_a_form_evenly(shape: str) -> None:
    from tenka.scene.distance import form_distance

    size = (2.0, 2.0, 2.0) if shape == "sphere" else (2.0, 2.0, 3.0) if shape != "torus" else (2.0, 2.0, 0.5)
    id = np.arange(20000, dtype=np.int64)
    p = in_form(shape, size, 5, id)
    assert form_distance(shape, np.asarray(size), p).max() < 1e-6
    # against places thrown into the box and kept where they are inside
    rng = np.random.default_rng(1)
    q = (rng.random((400000, 3)) - 0.5) * size
    q = q[form_distance(shape, np.asarray(size), q) < 0]
    for c in range(3):
        assert stats.ks_2samp(p[:, c], q[:, c]).pvalue > 1e-3
    assert stats.ks_2samp(np.hypot(p[:, 0], p[:, 1]), np.hypot(q[:, 0], q[:, 1])).pvalue > 1e-3


def thrown(**changes: object) -> Points:
    """5,000 births from a point within a quarter of a second, as they are then, with nothing acting."""
    spread = source(shape="point", rate=20000.0, start=0.0, position=(0, 0, 0), **changes)
    floating = layer_of(spread, motion=AIRLESS.model_copy(update={"gravity": 0.0}))
    return PointSolver(floating, (), (), 9, 24.0, 30).step(PointState(Points(), 0.0), 0.25)[0].points


def test_speeds_have_a_tail_about_their_mean_and_lives_their_spread() -> None:
    p = thrown(speed=4.0, tail=0.5, life=2.0, life_spread=0.25)
    speed = np.linalg.norm(p.velocity, axis=1)
    assert speed.mean() == pytest.approx(4.0, rel=0.03)
    assert stats.kstest((np.log(speed / 4.0) + 0.125) / 0.5, "norm").pvalue > 1e-3
    assert (speed > 3 * np.median(speed)).mean() == pytest.approx(stats.norm.sf(math.log(3) / 0.5), abs=0.006)
    assert stats.kstest((p.life - 1.5) / 1.0, "uniform").pvalue > 1e-3
    even = np.linalg.norm(thrown(speed=4.0, tail=0.0).velocity, axis=1)
    np.testing.assert_allclose(even, 4.0, rtol=1e-5)


@pytest.mark.parametrize("spread", (40.0, 120.0, 180.0))
def test_an_even_rose_is_even_over_its_part_of_a_ball(spread: float) -> None:
    v = thrown(speed=4.0, spread=spread, arrow=(1, 0, 0)).velocity
    cosine = v[:, 0] / np.linalg.norm(v, axis=1)
    assert stats.kstest((1 - cosine) / (1 - math.cos(math.radians(spread))), "uniform").pvalue > 1e-3
    assert stats.kstest(np.arctan2(v[:, 1], v[:, 2]) / (2 * np.pi) + 0.5, "uniform").pvalue > 1e-3


def test_a_rose_throws_as_many_each_way_as_it_says() -> None:
    """Nothing along the arrow, most at 45 degrees from it, nothing at 90."""
    v = thrown(speed=4.0, spread=90.0, rose=ramp((0.0, 0.0), (0.5, 1.0), (1.0, 0.0))).velocity
    angle = np.arccos(np.clip(v[:, 2] / np.linalg.norm(v, axis=1), -1, 1))
    x = np.linspace(0, np.pi / 2, 2001)
    below = np.cumsum((1 - np.abs(x - np.pi / 4) / (np.pi / 4)) * np.sin(x))
    assert stats.kstest(np.interp(angle, x, below / below[-1]), "uniform").pvalue > 1e-3
    straight = thrown(speed=4.0, spread=0.0, tail=0.0).velocity
    np.testing.assert_allclose(straight, np.tile((0, 0, 4.0), (len(straight), 1)), atol=1e-5)


def test_sizes_follow_their_histogram() -> None:
    """Even over the three largest octaves; and all as large as the largest."""
    p = thrown(width=0.1, sizes=ramp((0.399, 0.0), (0.4, 1.0), (1.0, 1.0)))
    octaves = np.log2(p.width / 0.1)
    assert stats.kstest(octaves / 3.0 + 1.0, "uniform").statistic < 0.02
    same = thrown(width=0.1, sizes=ramp((0.998, 0.0), (1.0, 1.0))).width
    np.testing.assert_allclose(same, 0.1, rtol=0.01)


def test_throwing_by_rows_of_numbers_is_still_read() -> None:
    """Sizes of least + (1 - least) u^skew, speeds within a share and some further, all from their mean."""
    p = thrown(
        width=0.1, least_width=0.2, skew=3.0, speed=2.0, speed_spread=0.5, far_share=0.1, far_reach=3.0
    )
    share = np.clip((p.width / 0.1 - 0.2) / 0.8, 0, 1) ** (1 / 3)
    assert stats.kstest(share, "uniform").statistic < 0.14
    speed = np.linalg.norm(p.velocity, axis=1)
    assert speed.mean() == pytest.approx(2.0 * 1.15, rel=0.04)
    square = (1 + 0.25 / 3) * (1 + 0.1 * (3.0 + 3.0)) / 1.15**2 - 1
    assert speed.std() / speed.mean() == pytest.approx(math.sqrt(square), rel=0.12)
    old = source(shape="sphere", direction=(1, 0, 0), cone=30.0, off_axis=0.4)
    assert (old.arrow, old.spread, old.leans_to, old.lean) == ((1, 0, 0), 30.0, "axis", 0.4)


def test_directions_away_from_the_surface_and_the_axis() -> None:
    p = (
        PointSolver(
            layer_of(source(shape="sphere", rate=2000.0, start=0.0, lean=1.0, spread=0.0), motion=AIRLESS),
            (),
            (),
            2,
            24.0,
            9,
        )
        .step(PointState(Points(), 0.0), 1 / 24)[0]
        .points
    )
    away = p.place - np.array([0, 0, 0.5])
    cosine = (
        (away * p.velocity).sum(axis=1) / np.linalg.norm(away, axis=1) / np.linalg.norm(p.velocity, axis=1)
    )
    assert np.median(cosine) > 0.98
    p = (
        PointSolver(
            layer_of(
                source(shape="cylinder", rate=2000.0, start=0.0, leans_to="axis", lean=1.0, spread=0.0),
                motion=AIRLESS.model_copy(update={"gravity": 0.0}),
            ),
            (),
            (),
            2,
            24.0,
            9,
        )
        .step(PointState(Points(), 0.0), 0.1)[0]
        .points
    )
    assert np.abs(p.velocity[:, 2]).max() < 1e-4


def test_particles_end_below_a_plane_beyond_a_reach_and_at_their_age() -> None:
    from tenka.effect.model import Ends

    falling = layer_of(
        source(**{**ONE_POINT, "burst": 30}, speed=0.0), motion=AIRLESS, ends=Ends(below=True, height=-1.0)
    )
    assert len(run(falling, 12).points) == 30 and len(run(falling, 20).points) == 0
    flying = layer_of(
        source(**{**ONE_POINT, "burst": 30}, speed=10.0),
        motion=AIRLESS.model_copy(update={"gravity": 0.0}),
        ends=Ends(reach=5.0),
    )
    assert len(run(flying, 10).points) == 30 and len(run(flying, 14).points) == 0
    aged = layer_of(source(**{**ONE_POINT, "burst": 30, "life": 0.5}), motion=AIRLESS)
    state = run(aged, 13)
    assert len(state.points) == 0 and state.lost["age"] == 30


def test_size_drag_slows_small_ones_more() -> None:
    motion = AIRLESS.model_copy(update={"drag": 1.0, "size_drag": 1.0, "gravity": 0.0})
    spread = source(
        shape="point",
        rate=0.0,
        burst=400,
        cone=0.0,
        speed=5.0,
        speed_spread=0.0,
        far_share=0.0,
        skew=1.0,
        life=9.0,
    )
    p = run(layer_of(spread, motion=motion), 12).points
    order = np.argsort(p.width)
    assert np.all(np.diff(p.velocity[order, 2]) >= -1e-4)


def test_results_do_not_depend_on_the_number_of_threads() -> None:
    import numba

    layer = layer_of(source(rate=3000.0, start=0.0), motion=PointMotion())
    before = numba.get_num_threads()
    both = run(layer, 10, forces=(Turbulence(id="eddies", name="Eddies"),)).points
    numba.set_num_threads(1)
    try:
        one = run(layer, 10, forces=(Turbulence(id="eddies", name="Eddies"),)).points
    finally:
        numba.set_num_threads(before)
    assert np.array_equal(both.place, one.place)
