"""What sticks is held against a pull of a strength, on what rests, slopes, hangs and turns; pieces cling to
each other."""

from __future__ import annotations

import numpy as np
import pytest
from build import ONE_POINT
from test_bodies import debris
from test_bodies import run as run_pieces
from test_colliding import layer_of as bricks
from test_colliding import placed
from test_colliding import run as run_bricks
from test_motion import AIRLESS, layer_of, run, source

from tenka.effect.courses import Key, Keys
from tenka.effect.model import Bodies, Pieces, PointCollider, PointMotion, Prop
from tenka.particles.state import ASLEEP, STUCK

G = 9.81
CEILING = Prop(id="slab", name="Slab", shape="box", position=(0, 0, 2.0), size=(2, 2, 0.4))
WALL = Prop(id="slab", name="Slab", shape="box", position=(1.0, 0, 0), size=(1, 2, 40.0))


def sticky(hold: float) -> tuple[PointCollider, ...]:
    return (PointCollider(id="stop", name="Stop", prop="slab", response="stick", hold=hold),)


@pytest.mark.parametrize("steps", (1, 4))
def test_a_ceiling_holds_what_is_lighter_than_its_hold(steps: int):
    up = source(**ONE_POINT, position=(0, 0, 1.2), direction=(0, 0, 1), speed=5.0, width=0.01)
    for hold, stays in ((1000.0, True), (10.5, True), (9.0, False)):
        p = run(layer_of(up, motion=AIRLESS, colliders=sticky(hold)), 24, steps, props=(CEILING,)).points
        assert (p.place[0, 2] > 1.99) == stays and ((p.state[0] & STUCK) > 0) == stays


@pytest.mark.parametrize("steps", (1, 3))
def test_a_wall_that_holds_too_little_lets_slide_with_what_it_lacks(steps: int):
    """Down a wall with g - hold from the moment at which it is met."""
    ahead = source(**ONE_POINT, position=(0, 0, 30.0), direction=(1, 0, 0), speed=50.0, width=0.01)
    met, hold = 0.01, 4.0  # s, m/s^2
    p = run(layer_of(ahead, motion=AIRLESS, colliders=sticky(hold)), 24, steps, props=(WALL,)).points
    t = 1.0 - met  # the blow takes what it fell by then
    fallen = 0.5 * G * met**2 + 0.5 * (G - hold) * t * t
    assert 30.0 - p.place[0, 2] == pytest.approx(fallen, rel=0.005)
    assert p.place[0, 0] == pytest.approx(0.497, abs=0.003)


@pytest.mark.parametrize("make", ("particles", "pieces"))
@pytest.mark.parametrize("steps", (1, 4))
def test_a_disc_that_turns_ever_faster_throws_off_what_it_cannot_hold(make: str, steps: int):
    """At a radius r it holds up to omega^2 r, with gravity beside that; omega is kept from 0.5 s on."""
    omega = 6.0
    turned = float(np.degrees(omega))
    course = Keys(
        keys=(
            Key(t=0.5, v=0.0, ease="through", slope=0.0),
            Key(t=1.5, v=0.5 * turned, ease="through", slope=turned),
            Key(t=4.5, v=3.5 * turned, ease="linear"),
        )
    )
    disc = Prop(id="slab", name="Slab", shape="cylinder", size=(4, 4, 0.4), turn=course)
    hold = 40.0
    rim = np.sqrt(hold**2 - G**2) / omega**2  # 1.077 m
    far = 1.25 if make == "particles" else 1.8  # weight presses pieces on besides
    for radius, stays in ((0.8 * rim, True), (far * rim, False)):
        lies = {"position": (radius, 0, 0.46), "speed": 0.0}
        if make == "pieces":
            width = {"width": 0.1, "pieces": Pieces(make="plates")}
            motion = PointMotion(drag=0.0, gravity=1.0)
            layer = debris(motion=motion, colliders=sticky(hold), **lies, **width)
            p = run_pieces(layer, 96, steps, props=(disc,)).points
        else:
            p = run(
                layer_of(source(**ONE_POINT, **lies, width=0.01), motion=AIRLESS, colliders=sticky(hold)),
                96,
                steps,
                props=(disc,),
            ).points
        away = float(np.hypot(*p.place[0, :2]))
        if stays:
            angle = np.radians(3.5 * turned) - omega * 0.5
            assert away == pytest.approx(radius, rel=0.05) and p.state[0] & STUCK
            wrapped = (np.arctan2(p.place[0, 1], p.place[0, 0]) - angle + np.pi) % (2 * np.pi) - np.pi
            assert abs(wrapped) < (0.2 if steps == 1 else 0.08)  # of 18 rad
        else:
            assert away > 2.0 or p.place[0, 2] < 0.2


def test_a_stuck_piece_ends_when_its_life_does():
    layer = debris(
        position=(0, 0, 1.2),
        direction=(0, 0, 1),
        speed=5.0,
        width=0.1,
        colliders=sticky(1000.0),
        stays=False,
        life=1.5,
        life_spread=0.0,
    )
    assert len(run_pieces(layer, 30, props=(CEILING,)).points) == 1
    assert len(run_pieces(layer, 40, props=(CEILING,)).points) == 0


@pytest.mark.parametrize("cling", (0.0, 6.0, 25.0))
def test_a_brick_hangs_from_another_that_clings_more_than_it_weighs(cling: float):
    p = placed([(0, 0, 2.0), (0.05, 0, 1.8002)])
    p.state[0] |= np.uint8(STUCK)
    layer = bricks(bodies=Bodies(cling=cling))
    last = run_bricks(layer, p, 48)[-1].points
    assert last.place[0] == pytest.approx((0, 0, 2.0))
    if cling > G:
        assert last.place[1, 2] == pytest.approx(1.8, abs=0.01) and last.state[1] & ASLEEP
    else:
        assert last.place[1, 2] < 0.3


def test_clinging_takes_no_momentum_and_gives_no_energy():
    """Two bricks that fly into each other in the void: they go on as one."""
    from test_colliding import FLOATING, sums

    p = placed([(-0.35, 0, 0), (0.35, 0.03, 0.02)], velocity=np.array([(1.0, 0, 0), (-0.6, 0.1, 0)]))
    layer = bricks(FLOATING.model_copy(update={"bounce": 0.0}), Bodies(cling=200.0, damping=0.0))
    states = run_bricks(layer, p, 48)
    before, after = sums(layer, states[0].points), sums(layer, states[-1].points)
    assert after[0] == pytest.approx(before[0], abs=1e-4) and after[2] <= before[2]
    gap = np.linalg.norm(states[-1].points.place[1] - states[-1].points.place[0])
    assert gap == pytest.approx(0.4, abs=0.05)  # a second after they met
