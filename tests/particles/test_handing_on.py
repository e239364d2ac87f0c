"""What moves, turns or changes its form hands on its speed; and the mean of many bounces does not depend on
the sub-steps."""

from __future__ import annotations

import numpy as np
import pytest

from tenka.demo import FOLDER
from tenka.effect.courses import Key, Keys
from tenka.effect.model import ParticleLayer, PointCollider, PointMotion, PointSource, Prop
from tenka.gas.settings import Moment
from tenka.particles.contact import stops_of, surface_speed
from tenka.particles.solver import PointSolver
from tenka.particles.state import Points
from tenka.scene.poses import pose_at
from tenka.scene.props import own_mesh

CLOTH = Prop(
    id="cloth", name="Cloth", shape="mesh", file=str(FOLDER / "props" / "canvas.glb"), clip="flap", turn=40.0
)
STOP = PointCollider(id="stop", name="Stop", prop="cloth", bounce=0.5, friction=0.0)


def layer_of(source: dict, motion: PointMotion, *colliders: PointCollider, steps: int = 1) -> ParticleLayer:
    made = PointSource(id="s", name="S", rate=0.0, stays=True, **source)
    return ParticleLayer(id="p", name="P", sources=(made,), motion=motion, colliders=colliders, steps=steps)


def run(layer: ParticleLayer, frames: int, props: tuple[Prop, ...] = ()) -> list[Points]:
    solver = PointSolver(layer, (), props, 1, 24.0, frames + 1)
    states = [solver.start()]
    for _ in range(frames):
        states.append(solver.frame(states[-1], layer.steps))
    return [s.points for s in states]


def test_a_cloth_that_flaps_moves_at_the_speed_of_its_own_points():
    moment = Moment((CLOTH,), 24.0, 0.4, 1 / 24)
    layer = layer_of({}, PointMotion(ground="none"), STOP)
    stops = stops_of(layer, (CLOTH,), moment, None).packed()
    pose = pose_at(CLOTH, (CLOTH,), 0.4)
    before, after = (pose.to_scene(own_mesh(CLOTH, None, t).points) for t in (0.4, 0.4 + 1 / 24))
    wanted, middle = (after - before) * 24.0, 0.5 * (before + after)
    rows = np.arange(0, len(middle), 7)
    found = np.array([surface_speed(0, stops, tuple(map(float, middle[k]))) for k in rows])
    fastest = np.linalg.norm(wanted, axis=1).max()
    assert fastest > 0.2  # it does flap
    error = np.linalg.norm(found - wanted[rows], axis=1)
    assert np.median(error) < 0.05 * fastest and np.percentile(error, 95) < 0.25 * fastest


def test_a_cloth_that_flaps_strikes_what_hangs_beside_it():
    """Particles at rest in the air beside it take on at least some of its speed, and none of a cloth that
    hangs still."""
    hanging = PointMotion(gravity=0.0, drag=0.0, ground="none")
    source = {
        "shape": "surface",
        "prop": "cloth",
        "offset": 0.03,
        "thickness": 0.001,
        "burst": 400,
        "speed": 0.0,
    }
    struck, still = (
        run(layer_of(source, hanging, STOP), 24, (CLOTH.model_copy(update={"clip": clip}),))[-1]
        for clip in ("flap", "")
    )
    assert np.linalg.norm(still.velocity, axis=1).max() < 0.05
    assert (np.linalg.norm(struck.velocity, axis=1) > 0.3).mean() > 0.2


@pytest.mark.parametrize("bounce", (0.0, 0.6))
def test_a_turning_arm_strikes_at_the_speed_that_it_has_there(bounce: float):
    """2 m long, half a turn a second: 1.5 m from its axis it goes at 4.71 m/s."""
    turn = Keys(keys=(Key(t=0.0, v=-45.0, ease="linear"), Key(t=0.5, v=45.0, ease="linear")))
    arm = Prop(id="cloth", name="Arm", shape="box", size=(4.0, 0.1, 1.0), turn=turn)
    stop = STOP.model_copy(update={"bounce": bounce})
    hanging = PointMotion(gravity=0.0, drag=0.0, ground="none")
    source = {"shape": "point", "position": (1.5, 0.0, 0.5), "burst": 1, "speed": 0.0}
    p = run(layer_of(source, hanging, stop, steps=4), 7, (arm,))[-1]
    assert np.linalg.norm(p.velocity[0]) == pytest.approx(np.pi * 1.5 * (1 + bounce), rel=0.06)


@pytest.mark.parametrize("what", ("ground", "ball"))
def test_the_mean_of_many_bounces_agrees_at_any_number_of_sub_steps(what: str):
    ball = Prop(id="cloth", name="Ball", shape="sphere", position=(0.8, 0, 0.8), size=(1.2, 1.2, 1.2))
    source = {"shape": "point", "position": (0, 0, 1.0), "burst": 8000, "speed": 5.0, "cone": 180.0}
    motion = PointMotion(drag=0.3, bounce=0.6, friction=0.3)
    stops = (STOP,) if what == "ball" else ()
    means = {}
    for steps in (1, 2, 8):
        runs = run(layer_of(source, motion, *stops, steps=steps), 24, (ball,) if stops else ())
        means[steps] = [
            (p.place[:, 2].mean(), np.linalg.norm(p.velocity, axis=1).mean(), np.abs(p.place[:, 0]).mean())
            for p in (runs[6], runs[12], runs[24])
        ]
    for steps in (2, 8):
        np.testing.assert_allclose(means[steps], means[1], rtol=0.015)
