"""Powder that is woken: each grain at its own moment, thrown its own way, whatever the sub-steps."""

from __future__ import annotations

import numpy as np
import pytest

from tenka.effect.courses import Key, Keys
from tenka.effect.model import Bed, ParticleLayer, PointCollider, PointMotion, PointSource, Prop
from tenka.particles.solver import PointSolver
from tenka.particles.state import ASLEEP, AirField, Points


def layer_of(count: int = 20000, **bed: object) -> ParticleLayer:
    source = PointSource(
        id="s",
        name="S",
        shape="box",
        position=(0, 0, 0.005),
        size=(1.6, 1.6, 0.004),
        rate=0.0,
        burst=count,
        stays=True,
        speed=0.0,
        width=0.004,
    )
    motion = PointMotion(drag=0.0, gravity=0.0, ground="none", follows="gas", follow=0.0)
    return ParticleLayer(
        id="p",
        name="P",
        sources=(source,),
        motion=motion,
        bed=Bed(**{"rests": True, "wakes_at": 0.5, "settles": False, **bed}),  # type: ignore[arg-type]
    )


def wind_of(speed: float) -> AirField:
    air = np.zeros((20, 20, 10, 4), np.float32)
    air[..., 0] = speed
    return AirField(air, (-2.0, -2.0, -0.5), air, (-2.0, -2.0, -0.5), 0.2, 0.0, 10.0)


def run(
    layer: ParticleLayer, frames: int, count: int = 1, wind: float = 0.0, props: tuple[Prop, ...] = ()
) -> list[Points]:
    air = wind_of(wind)
    solver = PointSolver(layer, (), props, 1, 24.0, frames + 2, gas=lambda _: air)
    states = [solver.start()]
    for _ in range(frames):
        states.append(solver.frame(states[-1], count))
    return [s.points for s in states]


def asleep(p: Points) -> float:
    return float((p.state & ASLEEP > 0).mean())


@pytest.mark.parametrize("count", (1, 2, 8))
def test_grains_wake_at_a_rate_that_grows_with_the_wind(count: int):
    """12 a second for each time of the waking speed beyond one: at twice that speed exp(-12 t) still lie."""
    runs = run(layer_of(), 4, count, wind=1.0)
    for frame in (1, 2, 4):
        assert asleep(runs[frame]) == pytest.approx(np.exp(-12.0 * frame / 24), abs=0.01)
    slower = run(layer_of(), 4, count, wind=0.6)
    assert asleep(slower[4]) == pytest.approx(np.exp(-0.2 * 12.0 * 4 / 24), abs=0.01)
    assert asleep(run(layer_of(), 4, count, wind=0.49)[4]) == 1.0


def test_each_has_its_own_moment_within_a_step():
    """Those that woke within a frame have flown for anything from nothing to all of it."""
    layer = layer_of(lift=1.0)
    p = run(layer, 1, wind=2.0)[1]
    woken = p.state & ASLEEP == 0
    start = run(layer, 0)[0].place
    flown = np.linalg.norm(p.place - start, axis=1)[woken] / np.linalg.norm(p.velocity, axis=1)[woken] * 24.0
    assert np.percentile(flown, 2) < 0.06 and np.percentile(flown, 98) > 0.9
    assert np.histogram(flown, bins=8, range=(0, 1))[0].min() > 0.04 * len(flown)


def test_sub_steps_change_nothing_but_the_order_of_the_integrator():
    one, eight = (run(layer_of(), 6, count, wind=1.2)[-1] for count in (1, 8))
    assert (one.state == eight.state).mean() > 0.999
    same = one.state == eight.state
    np.testing.assert_allclose(one.place[same], eight.place[same], atol=2e-4)


def test_they_are_lifted_with_a_spread_about_the_same_mean():
    p = run(layer_of(lift=0.5), 6, wind=2.0)[-1]
    v = p.velocity[p.state & ASLEEP == 0]
    assert v[:, 0].mean() == pytest.approx(0.5 * 2.0, rel=0.05)
    pace = np.linalg.norm(v, axis=1)
    assert 0.3 < pace.std() / pace.mean() < 0.8 and v[:, 2].min() >= 0.0
    assert v[:, 1].std() > 0.1 and abs(v[:, 1].mean()) < 0.02


def test_the_edge_of_what_a_passing_thing_wakes_is_soft():
    """A ball that rushes by at 4 m/s: near it nearly all wake, towards its reach fewer and fewer."""
    rush = Keys(keys=(Key(t=0.0, v=-2.0, ease="linear"), Key(t=1.0, v=2.0, ease="linear")))
    ball = Prop(
        id="ball", name="Ball", shape="sphere", position=(0, 0, 0.02), size=(0.2, 0.2, 0.2), shift_x=rush
    )
    layer = layer_of(wake_reach=0.4)
    layer = layer.model_copy(update={"colliders": (PointCollider(id="c", name="C", prop="ball"),)})
    runs = run(layer, 24, 2, props=(ball,))
    start, woken = runs[0].place, runs[-1].state & ASLEEP == 0
    away = np.abs(start[:, 1])
    middle = np.abs(start[:, 0]) < 0.5
    share = [woken[middle & (away >= a) & (away < a + 0.1)].mean() for a in np.arange(0.0, 0.7, 0.1)]
    assert share[0] > 0.99 and share[-1] == 0.0
    assert sum(0.05 < s < 0.95 for s in share) >= 1 and all(b <= a + 0.01 for a, b in zip(share, share[1:]))
