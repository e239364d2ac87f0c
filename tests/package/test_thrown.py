"""Sprites that set out, fall, are slowed, are carried, and are born no more: against closed forms."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from build import element_of, small_effect

from tenka.effect.model import Player, ramp
from tenka.package.elements.flipbook import Flipbook
from tenka.proof.elements.base import Run
from tenka.proof.elements.flipbook import Sprites, sprites
from tenka.proof.engine import Package, package_view
from tenka.proof.riding import EVERY, HALT, LEAP, PACE, RIDES, ROUND, ride_of

RIGHT = np.array([1.0, 0.0, 0.0])


@pytest.fixture(scope="module")
def element() -> Flipbook:
    return element_of(small_effect())


def player(element: Flipbook, **more: object) -> Player:
    base = {
        "count": 400,
        "life": 2.0,
        "life_spread": 0.0,
        "scatter": 0.0,
        "size_spread": 0.0,
        "drift": (0.0, 0.0, 0.0),
    }
    return element.player.model_copy(update={**base, **more})


def way(element: Flipbook, found: Sprites) -> np.ndarray:
    return found.place - np.asarray(element.attach)


@pytest.mark.parametrize("drag", [0.0, 1e-3, 0.5, 4.0])
def test_a_fall_is_that_of_a_slowed_body(element: Flipbook, drag: float):
    found = sprites(element, player(element, gravity=9.81, drag=drag), 7.0)
    t = found.age * 2.0
    if drag < 0.01:
        want = 0.5 * 9.81 * t**2
    else:
        want = 9.81 / drag * (t - (1 - np.exp(-drag * t)) / drag)
    assert np.allclose(-way(element, found)[:, 2], want, rtol=2e-3, atol=1e-6)
    # step by step it comes to the same
    step, v, z, last = 1e-4, 0.0, 0.0, round(float(t.max()) / 1e-4)
    for _ in range(last):
        v += step * (9.81 - drag * v)
        z += step * v
    assert -way(element, found)[:, 2].min() == pytest.approx(z, rel=3e-3)


@pytest.mark.parametrize("cone", [0.0, 30.0, 180.0])
def test_sprites_set_out_evenly_within_the_cone(element: Flipbook, cone: float):
    found = sprites(element, player(element, speed=2.0, cone=cone, count=2000), 9.0)
    t = found.age * 2.0
    there = t > 0.1
    aim = way(element, found)[there] / (2.0 * t[there])[:, None]
    assert np.allclose(np.linalg.norm(aim, axis=1), 1.0, atol=1e-5)
    up = aim[:, 2]
    assert up.min() >= math.cos(math.radians(cone)) - 1e-5
    middle = 0.5 * (1 + math.cos(math.radians(cone)))  # of what is even on a sphere's cap
    assert up.mean() == pytest.approx(middle, abs=0.04)
    assert np.abs(aim[:, :2].mean(axis=0)).max() < 0.04


def test_with_drag_a_sprite_comes_to_rest_at_speed_over_drag(element: Flipbook):
    found = sprites(element, player(element, speed=3.0, cone=0.0, drag=10.0), 9.0)
    late = found.age > 0.9
    assert np.allclose(way(element, found)[late, 2], 0.3, rtol=1e-3)


def test_size_follows_its_ramp_over_life(element: Flipbook):
    grows = ramp((0.0, 0.0), (1.0, 2.0))
    found = sprites(element, player(element, size_over=grows), 9.0)
    assert np.allclose(found.size[:, 0], element.size[0] * element.player.scale * 2.0 * found.age, atol=0.01)


def test_nothing_is_born_after_the_stop_and_what_lives_plays_on(element: Flipbook):
    p = player(element)
    before, after = sprites(element, p, 9.0), sprites(element, p, 9.0, stopped=8.5)
    young = before.age * 2.0 < 0.5
    assert young.any() and len(after.age) == (~young).sum()
    assert np.allclose(np.sort(after.age), np.sort(before.age[~young]))
    assert not len(sprites(element, p, 11.0, stopped=8.5).age)


@pytest.mark.parametrize("name", RIDES)
def test_sprites_stay_where_they_were_born_or_keep_a_share(element: Flipbook, name: str):
    ride = ride_of(name, RIGHT)
    p = player(element)
    still = sprites(element, p, 3.0)
    if ride is None:
        assert name == RIDES[0]
        return
    found = sprites(element, p, 3.0, ride=ride)
    since = found.age * 2.0
    moved = found.place - still.place
    born = 3.0 - since
    x = {
        "goes straight": PACE * born,
        "goes round": ROUND * np.sin(PACE / ROUND * born),
        "stops dead": PACE * np.minimum(born, HALT),
        "jumps": LEAP * np.floor(np.maximum(born, 0) / EVERY),
    }[name]
    assert np.allclose(moved[:, 0], x, atol=1e-9)
    kept = sprites(element, p.model_copy(update={"carried": 1.0}), 3.0, ride=ride)
    if name == "goes straight":  # all of it kept: nothing is left behind
        assert np.allclose(kept.place[:, 0] - still.place[:, 0], PACE * 3.0)
    if name in ("goes round", "goes straight"):  # its speed is the slope of its place
        t = np.linspace(0.2, 2.0, 9)
        a, b = ride(t)[0], ride(t + 1e-5)[0]
        assert np.allclose((b - a) / 1e-5, ride(t)[1], atol=1e-3)


def test_a_package_rides_in_proof(packed: Path):
    package = Package(packed)
    view = package_view(package, 160, 100)
    ride = ride_of("goes straight", view.right)
    still, moved = package.draw(0.4, view).rgb, package.draw(0.4, view, ride=ride).rgb
    assert np.abs(still.astype(int) - moved).max() > 8
    gone = package.draw(3.0, view, runs=(Run(stopped=0.0),)).counts
    assert gone.quads == 0
