"""The wedge of a wake against what is known of it: Kelvin's in deep water, a shock's in shallow water."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tenka.water.flow import GRAVITY
from tenka.water.wedge import wake_wedge


def test_in_deep_water_it_is_kelvins_at_any_speed():
    for speed in (0.3, 1.0, 2.5):
        assert wake_wedge(speed, 50.0) == pytest.approx(math.degrees(math.asin(1.0 / 3.0)), abs=0.01)


@pytest.mark.parametrize("froude,angle", ((2.0, 30.0), (math.sqrt(2.0), 45.0)))
def test_faster_than_long_waves_it_is_a_shocks(froude: float, angle: float):
    speed = froude * math.sqrt(GRAVITY * 0.4)
    assert wake_wedge(speed, 0.4) == pytest.approx(angle) == wake_wedge(speed, 0.4, every=False)


def test_it_opens_up_to_the_speed_of_long_waves_and_closes_beyond():
    own = math.sqrt(GRAVITY * 1.0)
    angles = [wake_wedge(f * own, 1.0) for f in np.linspace(0.2, 1.0, 40)]
    assert all(a is not None for a in angles) and np.all(np.diff(np.array(angles, float)) > -1e-6)
    assert angles[-1] == pytest.approx(90.0, abs=0.5)
    assert wake_wedge(1.05 * own, 1.0) < 90.0  # type: ignore[operator]


def test_where_nothing_stays_behind_there_is_none():
    assert wake_wedge(0.0, 1.0) is None and wake_wedge(1.0, 1.0, every=False) is None
