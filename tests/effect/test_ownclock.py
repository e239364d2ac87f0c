"""The time scale of a layer: its clock against integrals, and what is simulated by it against what the same
layer does in more frames a second."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import KEEP, ONE_POINT, QUIET, small_effect, small_layer

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.courses import Key, Keys
from tenka.effect.model import (
    DebrisLayer,
    Effect,
    GasLayer,
    ParticleLayer,
    PointCollider,
    PointMotion,
    PointSource,
    Prop,
    Quality,
    ramp,
)
from tenka.effect.ownclock import OwnClock, clock_of
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState
from tenka.gas.solver import GasSolver
from tenka.particles.solver import PointSolver
from tenka.particles.state import PointState
from tenka.run.driver import figures_of, simulate
from tenka.run.kinds import finer_gas
from tenka.run.plans import Plan

SLOWING = Keys(keys=(Key(t=0.0, v=1.0, ease="linear"), Key(t=1.0, v=0.2)))
AIRLESS = PointMotion(drag=0.0, ground="none", heat_half_life=3600.0)
RIDE = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=10.0, v=20.0)))  # 2 m/s


def points(scale: object, source: PointSource, seconds: float, count: int = 1, **more: object) -> PointState:
    layer = ParticleLayer(id="dust", name="Dust", sources=(source,), time_scale=scale, **more)  # type: ignore[arg-type]
    return flown(layer, seconds, count)


def flown(
    layer: ParticleLayer | DebrisLayer, seconds: float, count: int = 1, props: tuple = ()
) -> PointState:
    frames = round(24 * seconds)
    solver = PointSolver(layer, (), props, 3, 24.0, frames + 1)
    state = solver.start()
    for _ in range(frames):
        state = solver.frame(state, count)
    return state


def source(**changes: object) -> PointSource:
    return PointSource(id="source", name="Source", **changes)  # type: ignore[arg-type]


def gas(layer: GasLayer, frames: int, rate: float) -> GasState:
    solver = GasSolver(layer, (), (), 1, rate)
    state = solver.start()
    for _ in range(frames):
        state = solver.frame(state)
    return state


@pytest.mark.parametrize("rate", [12.0, 24.0, 60.0])
def test_own_time_is_the_integral_of_the_scale(rate: float):
    clock = OwnClock(SLOWING, rate)
    t = np.linspace(0.0, 1.0, round(rate) + 1)
    assert np.allclose(clock.own(t), t - 0.4 * t * t, atol=1e-4)
    assert clock.own(3.0) == pytest.approx(0.6 + 0.2 * 2.0, abs=1e-6)
    assert clock.own(-2.0) == pytest.approx(-2.0)
    assert np.allclose(clock.effect(clock.own(t)), t, atol=1e-9)
    assert clock.lasting(2.0, 1.0) == pytest.approx(5.0)
    assert clock.own_lasting(2.0, 5.0) == pytest.approx(1.0)
    assert np.isinf(clock.lasting(np.array([0.3]), np.array([np.inf])))[0]


def test_the_effects_own_clock_changes_no_number():
    clock = clock_of(1.0, 24.0)
    assert clock.own(0.1) == clock.effect(0.1) == 0.1 and clock.runs_true


@pytest.mark.parametrize("scale", [0.25, 0.5, 2.0])
@pytest.mark.parametrize("count", [1, 3])
def test_a_thrown_particle_flies_the_same_parabola_more_slowly(scale: float, count: int):
    thrown = source(**ONE_POINT, position=(0, 0, 2), direction=(3, 0, 4), speed=5.0)
    p = points(scale, thrown, 1.0, count, motion=AIRLESS).points
    t = scale
    assert np.allclose(p.place[0], (3 * t, 0, 2 + 4 * t - 0.5 * 9.81 * t * t), atol=1e-4)
    assert np.allclose(p.velocity[0], (3 * scale, 0, scale * (4 - 9.81 * t)), atol=1e-4)  # as it is seen


def test_a_scale_with_a_course_slows_what_flies():
    thrown = source(**ONE_POINT, position=(0, 0, 2), direction=(3, 0, 4), speed=5.0)
    p = points(SLOWING, thrown, 1.0, motion=AIRLESS).points
    t = 0.6
    assert np.allclose(p.place[0], (3 * t, 0, 2 + 4 * t - 0.5 * 9.81 * t * t), atol=1e-3)
    assert np.allclose(p.velocity[0], (3 * 0.2, 0, 0.2 * (4 - 9.81 * t)), atol=2e-3)


@pytest.mark.parametrize("scale", [0.5, 2.0])
def test_births_and_lives_go_by_the_layers_clock(scale: float):
    falling = source(shape="point", rate=40.0, life=0.5, life_spread=0.0, speed=0.0)
    alive = len(points(scale, falling, 3.0, motion=AIRLESS).points)
    assert alive == pytest.approx(20, abs=1)  # rate times life, whatever the clock
    early = len(points(scale, falling, 0.2 / scale, motion=AIRLESS).points)
    assert early == pytest.approx(8, abs=1)


def test_what_a_moving_prop_hands_on_is_its_speed_as_it_is_seen():
    cart = Prop(id="cart", name="Cart", shape="box", size=(1, 1, 1), shift_x=RIDE)
    dropped = source(
        **ONE_POINT, parent="cart", speed=0.0, carried=ramp((0.0, 1.0), (1.0, 1.0)), burst_at=0.5
    )
    layer = ParticleLayer(id="d", name="D", sources=(dropped,), motion=AIRLESS, time_scale=0.5)
    p = flown(layer, 1.0, props=(cart,)).points
    assert p.velocity[0, 0] == pytest.approx(2.0, rel=1e-3)
    assert p.place[0, 0] == pytest.approx(2.0, abs=1e-2)  # born at 1 m, half a second at 2 m/s


@pytest.mark.parametrize("scale", [0.5, 1.0, 3.0])
def test_a_wall_that_comes_pushes_as_fast_as_it_is_seen_to(scale: float):
    wall = Prop(id="wall", name="Wall", shape="box", size=(0.2, 4, 4), position=(-1, 0, 0), shift_x=RIDE)
    hit = PointCollider(id="hit", name="Hit", prop="wall", bounce=0.0, friction=0.0)
    still = AIRLESS.model_copy(update={"gravity": 0.0})
    layer = ParticleLayer(
        id="d",
        name="D",
        sources=(source(**ONE_POINT, position=(0, 0, 1), speed=0.0, width=1e-3),),
        motion=still,
        colliders=(hit,),
        time_scale=scale,
    )
    p = flown(layer, 1.0, props=(wall,)).points
    assert p.velocity[0, 0] == pytest.approx(2.0, rel=0.02)
    assert p.place[0, 0] == pytest.approx(1.1, abs=0.05)  # the wall's face after a second


def test_debris_tumbles_as_slowly_as_it_flies():
    def sherds(scale: float, seconds: float) -> PointState:
        thrown = source(
            shape="sphere", rate=0.0, burst=6, position=(0, 0, 6), size=(1, 1, 1), speed=3.0, life=60.0
        )
        return flown(
            DebrisLayer(id="d", name="D", sources=(thrown,), motion=AIRLESS, time_scale=scale), seconds
        )

    slow, true = sherds(0.5, 1.0), sherds(1.0, 0.5)
    assert np.allclose(slow.points.place, true.points.place, atol=2e-3)
    most = np.abs(true.points.spin).max()
    assert np.abs(slow.points.spin - 0.5 * true.points.spin).max() < 0.01 * most
    assert np.abs((slow.points.turn * true.points.turn).sum(axis=1)).min() > 0.9999


@pytest.mark.parametrize("scale", [0.5, 2.0])
def test_a_gas_does_in_slow_motion_what_it_does_in_more_frames(scale: float):
    domain = small_layer(0.1).domain.model_copy(update={"run_up": 0.0})
    layer = small_layer(0.1, domain=domain)
    slow = gas(layer.model_copy(update={"time_scale": scale}), 12, 24.0)
    more = gas(layer, 12, 24.0 / scale)
    assert float(more.scalars[..., DENSITY].sum()) > 0
    for channel in (DENSITY, TEMPERATURE):
        a, b = slow.scalars[..., channel], more.scalars[..., channel]
        assert np.abs(a - b).max() < 2e-3 * np.abs(b).max()
    for a, b in ((slow.u, more.u), (slow.v, more.v), (slow.w, more.w)):
        assert np.abs(a - scale * b).max() < 2e-3 * scale * np.abs(more.w).max()


@pytest.mark.parametrize("scale", [0.5, 2.0, SLOWING])
@pytest.mark.parametrize("rate", [24.0, 48.0])
def test_a_source_gives_by_the_layers_clock(scale: object, rate: float):
    layer = small_layer(0.1, fading=KEEP, motion=QUIET, time_scale=scale)
    given = layer.sources[0].model_copy(
        update={"temperature": 0.0, "push": (0.0, 0.0, 0.0), "crowding": 0.0, "breakup": 0.0}
    )
    layer = layer.model_copy(
        update={"sources": (given,), "domain": layer.domain.model_copy(update={"run_up": 0.0})}
    )
    own = 0.6 if scale is SLOWING else scale
    one = gas(layer.model_copy(update={"time_scale": 1.0}), round(rate / 4), rate)
    found = gas(layer, round(rate), rate)
    share = float(found.scalars[..., DENSITY].sum()) / float(one.scalars[..., DENSITY].sum())
    assert share == pytest.approx(4.0 * own, rel=0.01)  # type: ignore[operator]


def carried(gas_scale: float, dust_scale: float) -> Effect:
    """A gas that is blown along, and a mote that it carries."""
    effect = small_effect()
    wind = effect.forces[0].model_copy(update={"speed": 1.0, "grip": 30.0, "gusts": 0.0, "heading": 0.0})
    air = small_layer(0.2, time_scale=gas_scale, sources=())
    mote = source(**ONE_POINT, position=(-0.7, 0, 1.0), speed=0.0)
    motion = AIRLESS.model_copy(update={"gravity": 0.0, "follows": "puff", "follow": 500.0, "forces": 0.0})
    dust = ParticleLayer(id="dust", name="Dust", sources=(mote,), motion=motion, time_scale=dust_scale)
    return effect.model_copy(update={"layers": (air, dust), "forces": (wind,), "levers": ()})


@pytest.mark.parametrize(("gas_scale", "dust_scale"), [(1.0, 0.5), (0.5, 1.0), (0.5, 2.0)])
def test_what_a_gas_carries_goes_as_fast_as_the_gas_is_seen_to_go(
    gas_scale: float, dust_scale: float, tmp_path: Path
):
    store = FrameStore(tmp_path)
    effect = carried(gas_scale, dust_scale)
    plan = Plan.of(effect, "dust")
    simulate(plan, store, Progress())
    last = effect.frames - 1
    mote = plan.read(store, last, True).points
    frame = Plan.of(effect, "puff").read(store, last, True)
    i, j, k = ((mote.place[0] - frame.origin) / frame.voxel).astype(int)
    assert mote.velocity[0, 0] == pytest.approx(float(frame.velocity[0, i, j, k]), rel=0.05)
    assert mote.velocity[0, 0] == pytest.approx(gas_scale, rel=0.15)  # the wind, in slow motion


def test_a_scale_is_in_the_keys_from_where_it_differs(tmp_path: Path):
    effect = small_effect()
    layer = effect.layers[0]

    def keys(scale: object) -> dict[int, str]:
        return Plan.of(effect.with_layer(layer.model_copy(update={"time_scale": scale})), "puff").keys

    late = Keys(keys=(Key(t=0.25, v=1.0, ease="linear"), Key(t=0.5, v=0.5)))
    later = Keys(keys=(Key(t=0.25, v=1.0, ease="linear"), Key(t=0.5, v=0.25)))
    assert keys(late)[6] == keys(later)[6] and keys(late)[8] != keys(later)[8]


def test_a_run_that_stopped_goes_on_to_the_same_arrays(tmp_path: Path):
    effect = small_effect()
    slow = effect.with_layer(effect.layers[0].model_copy(update={"time_scale": SLOWING}))
    slow = slow.model_copy(update={"seconds": 1.0})
    whole, broken = FrameStore(tmp_path / "a"), FrameStore(tmp_path / "b")
    plan = Plan.of(slow, "puff")
    simulate(plan, whole, Progress())
    simulate(plan, broken, Progress(), (0, 13))
    simulate(plan, broken, Progress())
    a, b = (plan.read(store, 20, True) for store in (whole, broken))
    assert np.array_equal(a.density, b.density) and np.array_equal(a.velocity, b.velocity)


def test_a_final_run_keeps_the_motion_of_a_slow_preview(tmp_path: Path):
    effect = small_effect()
    layer = effect.layers[0].model_copy(update={"time_scale": 0.5, "quality": Quality(detail=2)})
    slow = effect.with_layer(layer)
    store = FrameStore(tmp_path)
    plan = Plan.of(slow, "puff", final=True)
    simulate(plan, store, Progress())
    drift = figures_of(plan, store)[slow.frames - 1]["drift"]
    true = Plan.of(effect.with_layer(layer.model_copy(update={"time_scale": 1.0})), "puff", final=True)
    simulate(true, store, Progress())
    assert drift < 1.3 * figures_of(true, store)[slow.frames - 1]["drift"] + 0.02
    assert finer_gas(layer).time_scale == 0.5
