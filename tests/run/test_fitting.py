"""Boxes that fit what gives, wherever it stands and goes, and boxes that ride on a prop."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect

from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.courses import Key, Keys
from tenka.effect.document import get, replaced
from tenka.effect.model import Effect
from tenka.run.fitting import fitted, ridden, source_bounds
from tenka.scene.props import prop_mesh

DEMO = Path(__file__).parents[2] / "src" / "tenka" / "demo"


def still(**changes: object) -> Effect:
    """The small effect without wind."""
    effect = small_effect(forces=())
    path = f"layers.puff.sources.{effect.gas().sources[0].id}"
    for name, value in changes.items():
        effect = replaced(effect, f"{path}.{name}", value)
    return effect


def box(effect: Effect) -> tuple[np.ndarray, np.ndarray]:
    d = effect.gas().domain
    return np.array(d.origin), np.array(d.origin) + np.array(d.size)


def holds(effect: Effect, points: np.ndarray) -> bool:
    low, high = box(effect)
    return bool(np.all(points >= low) and np.all(points <= high))


def test_a_box_holds_its_source_with_room_above_and_stays_on_the_floor() -> None:
    effect = fitted(still(position=(2.0, -1.0, 0.3), size=(0.6, 0.6, 0.4), shape="sphere"), "puff")
    low, high = box(effect)
    assert np.all(low[:2] < (1.7, -1.3)) and np.all(high > (2.3, -0.7, 0.5))
    assert low[2] == 0.0 and high[2] - 0.5 > 0.6  # more above than it is wide
    middle = (low + high) / 2
    assert middle[:2] == pytest.approx((2.0, -1.0), abs=1e-3)  # nothing draws to one side


def test_a_box_moves_with_its_source_and_grows_with_it() -> None:
    a = fitted(still(position=(0.0, 0.0, 0.3), size=(0.4, 0.4, 0.4)), "puff")
    b = fitted(still(position=(3.0, 1.0, 0.3), size=(0.4, 0.4, 0.4)), "puff")
    np.testing.assert_allclose(box(b)[0] - box(a)[0], (3.0, 1.0, 0.0), atol=2e-3)
    np.testing.assert_allclose(b.gas().domain.size, a.gas().domain.size, atol=2e-3)


@pytest.mark.parametrize("heading", (0.0, 90.0, 180.0))
def test_wind_and_push_give_room_to_their_side(heading: float) -> None:
    calm = fitted(still(), "puff")
    effect = replaced(small_effect(), "forces.wind.heading", heading)
    effect = replaced(effect, "forces.wind.speed", 2.0)
    blown = fitted(effect, "puff")
    way = np.array([np.cos(np.radians(heading)), np.sin(np.radians(heading)), 0.0])
    more_low, more_high = box(calm)[0] - box(blown)[0], box(blown)[1] - box(calm)[1]
    lee, luff = np.where(way >= 0, more_high, more_low), np.where(way >= 0, more_low, more_high)
    assert np.abs(way) @ lee > 0.3 and np.abs(way) @ np.abs(luff) < 2e-3
    thrown = fitted(still(push=(3.0, 0.0, 0.0)), "puff")
    assert box(thrown)[1][0] > box(calm)[1][0] + 1.0 and box(thrown)[0][0] == pytest.approx(box(calm)[0][0])


def test_a_moving_source_is_held_all_the_way_and_the_window_follows_it() -> None:
    effect = still(size=(0.3, 0.3, 0.3))
    path = f"layers.puff.sources.{effect.gas().sources[0].id}"
    way = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.5, v=6.0)))
    moving = fitted(replaced(effect, f"{path}.shift_y", way), "puff")
    start = np.array(effect.gas().sources[0].position)
    last = 0.5 - 1 / 24  # of the last frame
    assert holds(moving, start) and holds(moving, start + np.array([0.0, 12.0 * last, 0.0]))
    assert moving.gas().domain.follow and not fitted(effect, "puff").gas().domain.follow
    over = replaced(replaced(effect, f"{path}.shift_y", way), f"{path}.end", -1.0)
    assert fitted(over, "puff") == over  # it never gives while it is simulated


def test_a_source_on_a_mesh_is_held_where_the_mesh_is() -> None:
    effect = still(prop="box", shape="surface")
    effect = replaced(effect, "props.box.position", (2.0, 2.0, 0.5))
    effect = replaced(effect, "props.box.turn", 45.0)
    mesh = prop_mesh(effect.props[0], effect.props, None)
    found = fitted(effect, "puff")
    low, high = (np.asarray(b, float) for b in mesh.bounds)
    assert holds(found, low) and holds(found, high)
    bounds = source_bounds(effect, effect.gas().sources[0], 0.0, 0.05, None, {})
    assert bounds is not None and np.all(bounds[0] <= low) and np.all(bounds[1] >= high)


def test_a_carried_source_is_held_where_it_is_carried() -> None:
    effect = still(position=(0.0, 0.0, 0.5), parent="box")
    effect = replaced(effect, "props.box.position", (4.0, 0.0, 0.0))
    assert holds(fitted(effect, "puff"), np.array([4.0, 0.0, 0.5]))


def test_what_is_born_of_others_waits_until_they_are_known() -> None:
    effect = with_new_layer(still(), LAYERS["Sparks"](still()))[0]
    path = f"layers.puff.sources.{effect.gas().sources[0].id}"
    effect = replaced(replaced(effect, f"{path}.of", "sparks"), f"{path}.shape", "particles")
    assert fitted(effect, "puff") == effect
    told = {"sparks": {f: {"alive": 3, "low": [4.0, 4.0, 1.0], "high": [5.0, 5.0, 2.0]} for f in range(12)}}
    assert holds(fitted(effect, "puff", None, told), np.array([4.5, 4.5, 1.5]))


def test_a_box_rides_on_its_prop() -> None:
    effect = replaced(still(), "layers.puff.domain.rides", "box")
    moved = ridden(effect, replaced(effect, "props.box.position", (1.0, -2.0, 0.25)))
    np.testing.assert_allclose(box(moved)[0] - box(effect)[0], (1.0, -2.0, 0.25), atol=1e-4)
    assert moved.gas().domain.size == effect.gas().domain.size
    turned = ridden(effect, replaced(effect, "props.box.size", (1.0, 1.0, 1.0)))
    assert turned.gas().domain == effect.gas().domain
    free = still()
    assert ridden(free, replaced(free, "props.box.position", (1.0, 0.0, 0.0))).gas() == free.gas()
    gone = effect.model_copy(update={"props": ()})
    assert ridden(effect, gone).gas() == effect.gas()


@pytest.mark.parametrize("name", sorted(f.stem for f in DEMO.glob("*.tenka")))
def test_every_demos_gases_can_be_fitted(name: str) -> None:
    from tenka.effect import storage

    effect = storage.load(DEMO / f"{name}.tenka")
    for gas in effect.gases:
        found = fitted(effect, gas.id, DEMO)
        low, high = (
            np.array(found.gas(gas.id).domain.origin),
            np.array(found.gas(gas.id).domain.origin) + np.array(found.gas(gas.id).domain.size),
        )
        for source in gas.sources:
            bounds = source_bounds(effect, source, max(source.start, 0.0), gas.domain.voxel, DEMO, {})
            if bounds is not None and not source.passed_over:
                assert np.all(bounds[0][:2] >= low[:2] - 1e-3) and np.all(bounds[1] <= high + 1e-3), source.id
        assert get(found, f"layers.{gas.id}.domain.voxel") == gas.domain.voxel
