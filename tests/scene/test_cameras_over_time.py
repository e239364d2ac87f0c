"""Cameras of the effect: what they see, keys, carriers, and a lens with a width."""

from __future__ import annotations

import numpy as np
import pytest

from tenka.effect.cameras import SceneCamera
from tenka.effect.courses import Key, Keys, Wave
from tenka.effect.model import Camera, Prop
from tenka.scene.cameras import camera_at, set_to, through_lens, view_of

CART = Prop(id="cart", name="Cart", position=(2.0, 1.0, 0.5), turn=Keys(keys=(Key(t=0, v=0), Key(t=2, v=90))))


def same_view(a: Camera, b: Camera) -> None:
    one, two = view_of(a, 320, 200), view_of(b, 320, 200)
    for name in ("eye", "forward", "right", "up"):
        np.testing.assert_allclose(getattr(one, name), getattr(two, name), atol=2e-4)
    assert one.half_height == pytest.approx(two.half_height, rel=1e-4)


@pytest.mark.parametrize("parent", ("", "cart"))
@pytest.mark.parametrize("pitch", (-20.0, 8.0, 70.0))
def test_a_camera_that_is_set_to_a_view_sees_it(parent: str, pitch: float):
    seen = Camera(target=(0.5, -1.0, 1.2), distance=6.0, heading=-70.0, pitch=pitch, fov=35.0, roll=7.0)
    own = SceneCamera(id="c", name="C", parent=parent)
    same_view(camera_at(set_to(own, seen, (CART,), 1.0), (CART,), 1.0), seen)


def test_a_key_sees_the_view_at_its_time_and_leaves_what_was_seen_before():
    own = SceneCamera(id="c", name="C", position=(0, 0, 1), turn=170.0)
    before = camera_at(own, (), 0.0)
    seen = Camera(target=(1.0, 0.5, 2.0), distance=3.0, heading=10.0, pitch=30.0)
    moved = set_to(own, seen, (), 2.0, key=True)
    same_view(camera_at(moved, (), 0.0), before)
    same_view(camera_at(moved, (), 2.0), seen)
    middle = camera_at(moved, (), 1.0)
    assert 3.0 < middle.distance < before.distance
    # from 170 to 190 degrees it goes the short way, not through 0
    assert abs(((camera_at(moved, (), 1.0).heading - 0.0 + 180) % 360) - 180) < 11


def test_a_camera_rides_on_a_prop_and_looks_along_a_path():
    rides = SceneCamera(id="c", name="C", parent="cart", position=(0, 0, 1), turn=0.0, tilt=0.0)
    at = [view_of(camera_at(rides, (CART,), t), 64, 40) for t in (0.0, 2.0)]
    np.testing.assert_allclose(at[0].forward, (1, 0, 0), atol=1e-6)
    np.testing.assert_allclose(at[1].forward, (0, 1, 0), atol=1e-6)
    flies = SceneCamera(
        id="c",
        name="C",
        path=((0, 0, 0), (0, 4, 0)),
        travel=Keys(keys=(Key(t=0, v=0), Key(t=1, v=1))),
        faces_path=True,
        turn=0.0,
        tilt=0.0,
    )
    view = view_of(camera_at(flies, (), 0.5), 64, 40)
    np.testing.assert_allclose(view.forward, (0, 1, 0), atol=1e-6)


def test_courses_move_lens_and_distance():
    own = SceneCamera(id="c", name="C", away=Wave(base=5, amount=1), opens=Wave(base=40, amount=9))
    seen = [camera_at(own, (), t) for t in np.linspace(0, 1, 9)]
    assert np.ptp([c.distance for c in seen]) == pytest.approx(2.0, abs=0.1)
    assert np.ptp([c.fov for c in seen]) > 5


def test_a_lens_keeps_what_is_sharp_and_spreads_the_rest_by_its_width():
    """The circle that a point makes: aperture * |1 - sharp / far|, m at the sharp distance."""
    camera = Camera(target=(0, 0, 0), distance=4.0, heading=0.0, pitch=0.0, aperture=0.2)
    view = view_of(camera, 400, 400)
    lens = through_lens(view, camera, 128)
    px = view.height / (2 * view.half_height)
    for far, wide in ((4.0, 0.0), (8.0, 0.2 * (1 - 4 / 8)), (2.0, 0.2 * (4 / 2 - 1))):
        place = view.eye + far * view.forward
        at = np.array([one.project(place[None])[0, :2] for one in lens])
        spread = np.linalg.norm(at - at.mean(axis=0), axis=1).max() * 2
        assert spread == pytest.approx(wide * px / 4.0, abs=0.05 + 0.08 * wide * px / 4.0)
    assert through_lens(view, camera.model_copy(update={"aperture": 0.0}), 128) == [view]
