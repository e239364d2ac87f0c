"""Swirls round an axis that is bent, wanders, or both: the nearest point of the axis takes the straight one's
place."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vectors import cross, dot, length, minus, plus, times
from tenka.effect.courses import smooth_noise
from tenka.effect.model import Swirl
from tenka.gas.placed import AXIS, BALLS, KNOTS, NUMBERS, SPANS, curve_at
from tenka.scene.poses import along

SOFT = 0.25  # of a swirl's reach, over which it ends beyond that
EVERY = (KNOTS - 1) // SPANS
WAVE = 1.5  # bends of a wandering axis along its length


def is_bent(force: Swirl) -> bool:
    return bool(force.curve) or force.wander > 0


def axis_of(force: Swirl, seed: int, t: float) -> np.ndarray:
    """Points of a swirl's axis at a time, evenly along it, (KNOTS, 3) m in its own axes, the foot first.

    It wanders by noise in time that runs up the axis as a wave.
    """
    share = np.linspace(0.0, 1.0, KNOTS)
    if force.curve:
        points = np.array([along(force.curve, float(s))[0] for s in share])
    else:
        points = np.stack([0 * share, 0 * share, (share - 0.5) * force.height], axis=1)
    if force.wander > 0:
        at = t / force.restless - WAVE * share
        points[:, 0] += force.wander * smooth_noise(seed + 11, at)
        points[:, 1] += force.wander * smooth_noise(seed + 12, at)
    return points


@kernel
def _point(t, n, k):
    return t[n, AXIS + 3 * k], t[n, AXIS + 3 * k + 1], t[n, AXIS + 3 * k + 2]


@kernel
def _way_at(t, n, k):
    """Unit direction of the axis at one of its points."""
    way = minus(_point(t, n, min(k + 1, KNOTS - 1)), _point(t, n, max(k - 1, 0)))
    return times(1.0 / max(length(way), 1e-9), way)


@kernel
def _to_ball(t, n, part, p):
    """Squared way to the middle of the ball round a part of the axis."""
    ball = BALLS + 4 * part
    off = minus(p, (t[n, ball], t[n, ball + 1], t[n, ball + 2]))
    return dot(off, off)


@kernel
def bent_at(t, n, p):
    """The rate of a bent swirl, 1/s, and the velocity to which it draws, at a point in its own axes."""
    none, reach = (0.0, 0.0, 0.0), t[n, NUMBERS]
    best, share, least = -1, 0.0, ((1.0 + SOFT) * reach) ** 2
    first, close = 0, 1e30  # the part whose middle is nearest is searched first: it rules most others out
    for part in range(SPANS):
        away = _to_ball(t, n, part, p)
        if away < close:
            first, close = part, away
    for turn in range(SPANS):
        part = (first + turn) % SPANS
        if _to_ball(t, n, part, p) > (math.sqrt(least) + t[n, BALLS + 4 * part + 3]) ** 2:
            continue
        for k in range(part * EVERY, (part + 1) * EVERY):
            foot = _point(t, n, k)
            way, to = minus(_point(t, n, k + 1), foot), minus(p, foot)
            s = dot(to, way) / max(dot(way, way), 1e-12)
            past = (k == 0 and s < 0.0) or (k == KNOTS - 2 and s > 1.0)  # before its foot, past its top
            s = min(max(0.0, s), 1.0)
            gap = minus(to, times(s, way))
            if dot(gap, gap) < least:
                best, share, least = -1 if past else k, s, dot(gap, gap)
    if best < 0:
        return 0.0, none
    r = math.sqrt(least)
    x = r / reach
    beyond = min(max(0.0, 1.0 - (x - 1.0) / SOFT), 1.0)
    if beyond <= 0.0:
        return 0.0, none
    way = plus(times(1.0 - share, _way_at(t, n, best)), share, _way_at(t, n, best + 1))
    way = times(1.0 / max(length(way), 1e-9), way)
    foot = _point(t, n, best)
    nearest = plus(foot, share, minus(_point(t, n, best + 1), foot))
    out = times(1.0 / max(r, 1e-9), minus(p, nearest))
    turning, rising = beyond * curve_at(t, n, 0, x), beyond * curve_at(t, n, 1, x)
    drawing = beyond * curve_at(t, n, 2, x)
    speed = times(t[n, NUMBERS + 2] * turning, cross(way, out))
    speed = plus(speed, -t[n, NUMBERS + 4] * drawing, out)
    speed = plus(speed, t[n, NUMBERS + 3] * rising, way)
    hold = max(turning, rising if t[n, NUMBERS + 3] != 0.0 else 0.0)
    hold = max(hold, drawing if t[n, NUMBERS + 4] != 0.0 else 0.0)
    up = (best + share) / (KNOTS - 1)
    return t[n, NUMBERS + 5] * hold * curve_at(t, n, 3, up), speed
