"""Particles that lie asleep, and what wakes them."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel
from tenka.base.randomness import unit4, unit_array
from tenka.base.vectors import length, plus, times
from tenka.particles.contact import FORM, GROUND, distance_to, slope_of, surface_speed

BED = 12  # place of a bed in the row of a step's numbers, see tenka.particles.motion
STIRS = 12.0  # 1/s for each time of the waking speed beyond one
SPREAD, WIDE = 0.4, 0.7  # of what lifts powder: of the logarithm of its size, and aside
WAKING = 7919


def still_of(id: np.ndarray) -> np.ndarray:
    """How far particles are from waking when they fall asleep, (n,) float32, below 0: see `wakes`."""
    own = unit_array(WAKING, id & 0xFFFFFFFF, id >> 32, 0).astype(np.float64)
    return np.log(1.0 - 0.9999 * own).astype(np.float32)


@kernel(inline=True)
def _own(p, i, purpose):
    """A number in [0, 1) that is a particle's own."""
    return unit4(WAKING, p.id[i] & 0xFFFFFFFF, p.id[i] >> 32, purpose)


@kernel
def _draw(p, i):
    """How much a sleeping particle must be stirred until it wakes: exponentially distributed, so that many
    of them wake at a rate."""
    return -math.log(1.0 - 0.9999 * _own(p, i, 0))


@kernel
def _lifted(p, i, v):
    """A velocity spread in size, by a log-normal factor of mean one, and in direction."""
    round_ = 2.0 * math.pi * _own(p, i, 2)
    size = math.exp(SPREAD * math.sqrt(-2.0 * math.log(1.0 - 0.9999 * _own(p, i, 1))) * math.cos(round_))
    z, a = 2.0 * _own(p, i, 3) - 1.0, 2.0 * math.pi * _own(p, i, 4)
    side = math.sqrt(1.0 - z * z)
    aside = times(WIDE * length(v) * _own(p, i, 5), (side * math.cos(a), side * math.sin(a), z))
    x, y, up = times(size * math.exp(-0.5 * SPREAD * SPREAD), plus(v, 1.0, aside))
    return x, y, max(up, 0.0)


@kernel
def wakes(s, p, i, place, v, radius, air, felt, stops, r):
    """Whether a sleeping particle is woken within `r` seconds, by the air or by what passes; the share of
    them after which it is, and its velocity then.

    What stirs it, as a rate, is the excess over the speed that wakes; it wakes when that has added up to its
    own draw. So each has its own moment, which does not depend on how time is cut, and there is no edge
    within which all wake at once.
    """
    rate, wakes_at, lift = 0.0, s[BED + 1], s[BED + 3]
    if s[BED] == 0:
        return False, 1.0, v
    pace = length(air)
    if felt and pace > wakes_at:
        rate = STIRS * (pace / wakes_at - 1.0)
        v = (lift * air[0], lift * air[1], max(lift * air[2], 0.0) + 0.6 * lift * pace)
    for n in range(stops.rows.shape[0]):
        if stops.rows[n, FORM] == GROUND:
            continue
        fast = length(surface_speed(n, stops, place))
        far = (distance_to(n, stops, 1.0, place) - radius) / s[BED + 2] if fast > wakes_at else 1.0
        if far < 1.0:
            near_ = 1.0 - max(far, 0.0) ** 2
            passing = STIRS * (fast * near_ / wakes_at - 1.0)
            if far <= 0.0:
                passing = 1e6  # what runs over it wakes it at once
            if passing > rate:
                rate = passing
                away, fast = slope_of(n, stops, 1.0, place), fast * near_
                v = (lift * fast * away[0], lift * fast * away[1], lift * fast * (abs(away[2]) + 0.5))
    needs = -p.still[i]
    if rate * r < needs:
        p.still[i] += np.float32(rate * r)
        return False, 1.0, v
    p.still[i] = np.float32(-_draw(p, i))
    return True, (needs / (rate * r) if needs > 0 else 0.0), _lifted(p, i, v)
