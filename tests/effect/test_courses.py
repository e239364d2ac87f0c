"""Courses against their formulas, and that nothing jumps when a value begins to move."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tenka.effect.courses import (
    KINDS,
    Absolute,
    Clamp,
    Key,
    Keys,
    Noise,
    Product,
    Sum,
    Wave,
    course_from,
    curve,
    moved_key,
    smooth_noise,
    value_at,
    with_burst,
    with_key,
)

NUMBERS = st.floats(-50, 50, allow_nan=False).map(lambda x: round(x, 3))
RAMP = Keys(keys=(Key(t=0.0, v=1.0, ease="linear"), Key(t=2.0, v=5.0, ease="hold"), Key(t=3.0, v=0.0)))


@pytest.mark.parametrize("t,v", ((-1, 1.0), (0.5, 2.0), (1.0, 3.0), (2.5, 5.0), (3.0, 0.0), (9.0, 0.0)))
def test_keys_run_straight_hold_and_stay_at_their_ends(t: float, v: float):
    assert RAMP.at(t) == pytest.approx(v)


def test_smooth_keys_leave_and_arrive_level():
    course = Keys(keys=(Key(t=0.0, v=0.0), Key(t=1.0, v=1.0)))
    assert course.at(0.5) == pytest.approx(0.5)
    assert course.at(0.01) < 0.001 and course.at(0.99) > 0.999


@given(st.floats(0, 20), NUMBERS, NUMBERS)
def test_a_wave_is_its_formula(t: float, base: float, amount: float):
    wave = Wave(base=base, amount=amount, period=1.7, phase=0.2)
    assert wave.at(t) == pytest.approx(base + amount * math.sin(2 * math.pi * (t / 1.7 + 0.2)), abs=1e-9)


def test_noise_stays_within_its_amount_and_does_not_jump():
    noise = Noise(base=2.0, amount=0.5, period=0.3, seed=4)
    found = np.array([noise.at(t) for t in np.linspace(0, 9, 3000)])
    assert found.min() >= 1.5 and found.max() <= 2.5 and found.std() > 0.1
    assert np.abs(np.diff(found)).max() < 0.03


def test_noise_of_an_array_is_that_of_its_values():
    x = np.linspace(-3, 3, 50)
    np.testing.assert_allclose(smooth_noise(8, x), [float(smooth_noise(8, float(v))) for v in x])


@given(st.sampled_from(["constant", *KINDS]), st.integers(0, 40))
def test_a_curve_is_the_course_at_each_of_its_times(kind: str, n: int):
    value = course_from(kind, RAMP, 0.1 * n, -10.0, 100.0)
    times = np.linspace(-1, 6, 57)
    np.testing.assert_allclose(curve(value, times), [value_at(value, float(t)) for t in times], atol=1e-9)


def test_combinations_do_what_they_are_called():
    wave = Wave(base=0.0, amount=2.0, period=1.0)
    assert Sum(of=(wave, 1.5)).at(0.25) == pytest.approx(3.5)
    assert Product(of=(wave, 3.0)).at(0.25) == pytest.approx(6.0)
    assert Absolute(of=wave).at(0.75) == pytest.approx(2.0)
    assert Clamp(of=wave, low=-0.5, high=0.5).at(0.25) == 0.5


@given(
    st.sampled_from(["constant", *KINDS]),
    st.floats(0, 8).map(lambda x: round(x, 3)),
    st.floats(0, 40).map(lambda x: round(x, 3)),
)
def test_a_new_course_starts_from_the_present_value(kind: str, t: float, v: float):
    assert value_at(course_from(kind, v, t, 0.0, 100.0), t) == pytest.approx(v, abs=1e-6)


@pytest.mark.parametrize("kind", KINDS)
def test_a_course_made_of_a_course_keeps_its_value_now(kind: str):
    value = course_from(kind, RAMP, 1.3, -10.0, 100.0)
    assert value_at(value, 1.3) == pytest.approx(RAMP.at(1.3))


def test_keys_out_of_order_are_refused():
    with pytest.raises(ValidationError, match="in order of time"):
        Keys(keys=(Key(t=1.0, v=0.0), Key(t=0.5, v=1.0)))


def test_a_key_is_added_replaced_and_moved_between_its_neighbours():
    more = with_key(RAMP, 1.0, 9.0)
    assert [k.t for k in more.keys] == [0.0, 1.0, 2.0, 3.0] and more.at(1.0) == 9.0
    assert len(with_key(more, 1.0, 4.0).keys) == 4
    assert moved_key(more, 1, 99.0, 4.0).keys[1].t == pytest.approx(2.0 - 1e-3)


def test_a_clamp_whose_ends_cross_is_refused():
    with pytest.raises(ValidationError, match="low must not be above"):
        Clamp(of=1.0, low=2.0, high=1.0)


def test_a_through_course_reproduces_a_parabola_between_even_keys():
    """Central slopes are exact for a parabola, and a cubic piece with exact ends and slopes is exact too."""
    keys = tuple(Key(t=0.5 * k, v=(0.5 * k - 1.0) ** 2, ease="through") for k in range(6))
    course = Keys(keys=keys)
    for t in np.linspace(0.5, 2.0, 31):
        assert course.at(float(t)) == pytest.approx((t - 1.0) ** 2, abs=1e-12)


def test_a_set_slope_is_the_courses_slope_on_both_sides():
    course = Keys(
        keys=(Key(t=0, v=0, ease="through"), Key(t=1, v=2, ease="through", slope=-3.0), Key(t=2, v=0))
    )
    h = 1e-5
    assert (course.at(1 + h) - course.at(1)) / h == pytest.approx(-3.0, abs=1e-3)
    assert (course.at(1) - course.at(1 - h)) / h == pytest.approx(-3.0, abs=1e-3)
    assert (course.at(1), course.at(2)) == (2.0, 0.0)


def test_a_burst_rises_dies_down_and_leaves_other_keys_alone():
    alone = with_burst(1.0, 1.0, 0.8, 0.1)
    assert [alone.at(t) for t in (0.5, 1.0, 1.1, 1.8, 3.0)] == [0.0, 0.0, 1.0, 0.0, 0.0]
    twice = with_burst(alone, 3.0, 0.4, 0.1)
    assert twice.at(1.1) == 1.0 and twice.at(3.1) == pytest.approx(1.0) and twice.at(2.5) == 0.0
    assert (
        with_burst(twice, 0.9, 1.2, 0.2).at(1.1) == pytest.approx(1.0)
        and len(with_burst(twice, 0.9, 1.2, 0.2).keys) == 6
    )
