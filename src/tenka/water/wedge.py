"""The wedge that a mover's wake opens behind it, by its speed and the water's depth.

Method: T. H. Havelock, "The propagation of groups of waves in dispersive media, with application to waves on
water produced by a travelling disturbance", 1908: below the speed of long waves the outermost waves lie at
cos^2(a) = 8 (1 - n) / (3 - n)^2 from the track, n = 2 k h / sinh(2 k h) of the wave that keeps up with the
mover; above it at sin(a) = 1 / Fr, as a shock does.
"""

from __future__ import annotations

import math

from scipy.optimize import brentq

from tenka.water.flow import GRAVITY

DEEP = 60.0  # k h, from which on no wave feels the bed


def _n(kh: float) -> float:
    return 2.0 * kh / math.sinh(2.0 * kh) if kh > 1e-6 else 1.0


def _froude2(kh: float) -> float:
    """Fr^2 of the mover with which the outermost waves of a number keep up."""
    return math.tanh(kh) / kh * (3.0 - _n(kh)) / 2.0


def wake_wedge(speed: float, depth: float, every: bool = True) -> float | None:
    """Half of the angle that a wake opens, in degrees; None where no wave stays behind.

    Parameters
    ----------
    speed : of the mover, m/s
    depth : of the water, m
    every : whether waves of every length go at their own speed; else all are long ones
    """
    if speed <= 0 or depth <= 0:
        return None
    froude2 = speed * speed / (GRAVITY * depth)
    if froude2 > 1.0:
        return math.degrees(math.asin(1.0 / math.sqrt(froude2)))
    if not every:
        return None
    if froude2 <= _froude2(DEEP):
        n = 0.0
    else:
        n = _n(brentq(lambda kh: _froude2(kh) - froude2, 1e-5, DEEP)) if froude2 < 1.0 - 1e-9 else 1.0
    return math.degrees(math.acos(math.sqrt(8.0 * (1.0 - n)) / (3.0 - n)))
