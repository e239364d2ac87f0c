"""Ways along a path, and what turns in step."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import small_effect
from hypothesis import given
from hypothesis import strategies as st

from tenka.effect.courses import Key, Keys
from tenka.effect.model import GasLayer, Prop, Source, Swirl
from tenka.gas.settings import resolve
from tenka.run.plans import Plan
from tenka.scene.poses import along, moves, pose_at, way_of

SQUARE = ((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (1.0, 1.0, 0.0), (0.0, 1.0, 0.0))
point = st.tuples(*[st.floats(-5, 5).map(lambda x: round(x, 2))] * 3)


@given(st.lists(point, min_size=2, max_size=7, unique=True))
def test_a_way_passes_every_point_from_the_first_to_the_last(points: list[tuple[float, float, float]]):
    way, share = way_of(tuple(points))
    away = np.linalg.norm(way[:, None] - np.asarray(points), axis=2).min(axis=0)
    assert away.max() < 1e-9 and share[0] == 0.0 and share[-1] == 1.0 and np.all(np.diff(share) >= 0)
    np.testing.assert_allclose(along(tuple(points), 1.0)[0], points[-1], atol=1e-9)


def test_equal_shares_are_equal_ways():
    places = np.array([along(SQUARE, s)[0] for s in np.linspace(0, 1, 201)])
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.max() / steps.mean() < 1.02 and steps.min() / steps.mean() > 0.9


def test_a_thing_goes_along_its_path_and_faces_ahead():
    cart = Prop(
        id="cart",
        name="Cart",
        position=(5.0, 0.0, 0.0),
        path=((0, 0, 0), (0, 4, 0)),
        faces_path=True,
        travel=Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=2, v=1))),
    )
    pose = pose_at(cart, (cart,), 1.0)
    np.testing.assert_allclose(pose.origin, [5, 2, 0], atol=1e-9)
    np.testing.assert_allclose(pose.turn @ [1, 0, 0], [0, 1, 0], atol=1e-9)
    assert moves(cart, (cart,)) and not moves(cart.model_copy(update={"travel": 0.5}), (cart,))


def test_a_source_on_a_path_is_given_its_speed():
    source = Source(
        id="s",
        name="S",
        path=((0, 0, 0), (3, 0, 0)),
        travel=Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=1.5, v=1))),
    )
    inputs = resolve(GasLayer(id="g", name="G", sources=(source,)), (), (), 1, 24.0, 0.5, 1 / 24)
    motion = inputs.sources[0].motion
    assert motion is not None
    np.testing.assert_allclose(motion.speed, [2, 0, 0], atol=1e-6)


@pytest.mark.parametrize(
    ("ratio", "tilt", "expected"), [(1.0, 0.0, 0.75), (-2.0, 0.0, -1.5), (1.0, 90.0, 0.0)]
)
def test_a_swirl_keeps_in_step_with_the_prop_that_turns_it(ratio: float, tilt: float, expected: float):
    paddle = Prop(
        id="paddle", name="Paddle", turn=Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=4, v=4 * 270.0)))
    )
    swirl = Swirl(id="w", name="W", spin=0.0, turned_by="paddle", step_ratio=ratio, tilt=tilt)
    inputs = resolve(GasLayer(id="g", name="G"), (swirl,), (paddle,), 1, 24.0, 1.0, 1 / 48)
    assert inputs.locals[0].numbers[2] == pytest.approx(expected * 2 * math.pi * 0.6, abs=1e-6)  # at 0.6 m
    assert math.isclose(
        resolve(GasLayer(id="g", name="G"), (swirl,), (), 1, 24.0, 1.0, 1 / 48).locals[0].numbers[2], 0.0
    )


def test_what_turns_a_swirl_is_part_of_a_frames_key():
    effect = small_effect()
    swirl = Swirl(id="w", name="W", turned_by="box")
    turning = effect.props[0].model_copy(update={"turn": Keys(keys=(Key(t=0, v=0), Key(t=1, v=90)))})
    a = effect.model_copy(update={"forces": (swirl,)})
    b = a.model_copy(update={"props": (turning,)})
    assert Plan.of(a).keys[5] != Plan.of(b).keys[5]
