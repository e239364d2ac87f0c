"""One particle's way through a step in which it may meet something: bounces, slides, sticks, sleeps or
dies."""

from __future__ import annotations

import math
from typing import NamedTuple

from tenka.base.jit import kernel
from tenka.base.vectors import dot, length, minus, plus, times
from tenka.particles.contact import (
    BOUNCINESS,
    DIE,
    FOR_EVER_HELD,
    FORM,
    FRICTION,
    GROUND,
    HOLD,
    ORIGIN0,
    ORIGIN1,
    RADIUS,
    RESPONSE,
    SKIN,
    STICK,
    distance_to,
    slope_of,
    surface_speed,
)

GOES_ON, DIES, STICKS, SLEEPS = 0, 1, 2, 3
"""What becomes of a particle in a step."""
TOUCH = 1e-4  # m; nearer than this a particle lies on a surface
REST = 0.02  # m/s; slower off a surface than this it stays on it
HITS = 6  # in a step; what is left of it is then flown through


class Way(NamedTuple):
    """All that acts on a flight, dv/dt = pull + rate (drift - v).

    Attributes
    ----------
    rate : 1/s
    drift : (x, y, z), m/s
    pull : (x, y, z), m/s^2
    """

    rate: float
    drift: tuple[float, float, float]
    pull: tuple[float, float, float]


class Span(NamedTuple):
    """A step's start, until when a particle is there, and the step's end, s."""

    start: float
    until: float
    end: float


@kernel
def flight(k, t):
    """exp(-k t), its integral, and the integral of that: what a start velocity, a drift and an acceleration
    have done after `t`."""
    x = k * t
    if x < 1e-3:
        return (
            1 - x * (1 - x / 2 * (1 - x / 3)),
            t * (1 - x / 2 * (1 - x / 3 * (1 - x / 4))),
            t * t * (0.5 - x / 6 * (1 - x / 4 * (1 - x / 5))),
        )
    e = math.exp(-x)
    gone = (1 - e) / k
    return e, gone, (t - gone) / k


@kernel
def flown(way, t, p, v):
    """Place and velocity after flying for `t` from `p` at `v`, in closed form."""
    e, gone, fallen = flight(way.rate, t)
    place = plus(plus(plus(p, gone, v), t - gone, way.drift), fallen, way.pull)
    return place, plus(plus(times(e, v), 1 - e, way.drift), gone, way.pull)


@kernel(inline=True)
def near(n, w, p, reach):
    """Whether a collider may be within `reach` of a point at any time of the step."""
    if w[n, FORM] == GROUND:
        return p[2] - w[n, SKIN] <= reach
    dx, dy, dz = p[0] - w[n, ORIGIN0], p[1] - w[n, ORIGIN0 + 1], p[2] - w[n, ORIGIN0 + 2]
    ex, ey, ez = (
        w[n, ORIGIN1] - w[n, ORIGIN0],
        w[n, ORIGIN1 + 1] - w[n, ORIGIN0 + 1],
        w[n, ORIGIN1 + 2] - w[n, ORIGIN0 + 2],
    )
    far = reach + w[n, RADIUS] + math.sqrt(ex * ex + ey * ey + ez * ez)
    return dx * dx + dy * dy + dz * dz <= far * far


@kernel
def load_of(way, v):
    """What draws on something that moves at `v`, m/s^2."""
    return plus(way.pull, way.rate, minus(way.drift, v))


@kernel
def _share(span, left):
    """The share of the step at which `left` seconds of the way are left."""
    return (span.until - left - span.start) / max(span.end - span.start, 1e-12)


@kernel
def _free(n, stops, share, p, radius):
    """How far a ball is from a collider, m."""
    return distance_to(n, stops, share, p) - radius


@kernel
def _meeting(n, stops, p, v, way, left, radius, span, d, closing, at_most):
    """When on its way a particle meets collider `n`, from which it is `d` away and to which it comes nearer
    by at most `closing` m/s; -1 when it does not before `at_most`, s."""
    whole, here = max(span.end - span.start, 1e-12), _share(span, left)
    s, safe, least = 0.0, 0.0, 2 * TOUCH / closing
    for _ in range(64):  # conservative advancement: the distance is always free
        s = min(s + max(d / closing, least), left)
        least *= 1.2
        d = _free(n, stops, here + s / whole, flown(way, s, p, v)[0], radius)
        if d < 0:
            break
        safe = s
        if s >= left or s > at_most:
            break
    if d >= 0:
        return -1.0
    for _ in range(30):
        middle = 0.5 * (safe + s)
        if _free(n, stops, here + middle / whole, flown(way, middle, p, v)[0], radius) < 0:
            s = middle
        else:
            safe = middle
    return safe


@kernel
def _first_met(p, v, after, way, left, radius, span, stops):
    """The collider that is met first, -1 for none; when, s; and whether the particle lies on it already."""
    fastest = max(length(v), length(after)) + 1e-9
    here, first, at = _share(span, left), -1, left
    for n in range(stops.rows.shape[0]):
        if not near(n, stops.rows, p, fastest * left + radius):
            continue
        surface = surface_speed(n, stops, p)
        closing = fastest + length(surface)
        d = _free(n, stops, here, p, radius)
        if d > closing * left:
            continue
        if d < TOUCH and dot(minus(v, surface), slope_of(n, stops, here, p)) < REST:
            return n, 0.0, True
        s = _meeting(n, stops, p, v, way, left, radius, span, d, closing, at)
        if 0 <= s <= at:
            first, at = n, s
    return first, at, False


@kernel
def _rubbed(slide, loss):
    """A speed along a surface, less what friction takes of it."""
    along = length(slide)
    return times((along - min(loss, along)) / along if along > 1e-9 else 0.0, slide)


@kernel
def _slid(p, slide, side, surface, way, left, slows):
    """Place, velocity and speed after lying on a surface for `left`: drag and drift along it in closed form,
    friction, `slows` m/s^2, taken off the speed."""
    e, gone, _fallen = flight(way.rate, left)
    drift = minus(way.drift, surface)
    drift = plus(drift, -dot(drift, side), side)
    pull = plus(way.pull, -dot(way.pull, side), side)
    end = plus(plus(times(e, slide), 1 - e, drift), gone, pull)
    fast, was, slowed = length(end), length(slide), slows * left
    keep = max(0.0, 1 - slowed / fast) if fast > 1e-12 else 0.0
    most = max(fast, was)
    if slowed < most:
        share = 0.5 * (was + fast * keep) / max(most, 1e-12)
    else:
        share = 0.5 * was / max(slowed, 1e-12)
    way_there = end if fast > was else slide
    place = plus(p, left, plus(surface, share, way_there))
    return place, plus(surface, keep, end), fast * keep


@kernel
def _held(way, own, surface, grip, lies, left, torn):
    """Whether a sticky surface holds what meets it, or what slides on it at `own`, by the end of a time."""
    if grip >= FOR_EVER_HELD:
        return True
    stops = not lies or length(own) <= grip * left
    return stops and not torn and length(load_of(way, surface)) <= grip


@kernel
def meet(p, v, way, radius, span, since, stops, settles, wakes_at, airy, torn):
    """One particle's way from `since` on through a step in which it may meet something.

    Parameters
    ----------
    p, v : place, m, and velocity, m/s
    settles, wakes_at, airy : whether what comes to rest falls asleep, the speed that wakes it, and that of
        the air, m/s
    torn : whether it was torn off what held it, so that it is not held again in this step

    Returns
    -------
    place, velocity, what becomes of it, the collider that holds it, and time, place and velocity of its first
    hit (the time is far in the past without one)
    """
    fate, held_by, hit = GOES_ON, -1, (-1e9, p, v)
    left, hits = span.until - since, 0
    while left > 0:
        place, speed = flown(way, left, p, v)
        n, at, lies = -1, left, False
        if hits < HITS:
            n, at, lies = _first_met(p, v, speed, way, left, radius, span, stops)
        if n < 0:
            p, v = place, speed
            break
        p, v = flown(way, at, p, v)
        left -= at
        hits += 1
        here = _share(span, left)
        side, surface = slope_of(n, stops, here, p), surface_speed(n, stops, p)
        own = minus(v, surface)
        into = dot(own, side)
        if not lies and hit[0] < span.start - 1 and into < -REST:
            hit = (span.until - left, p, v)
        response, friction = stops.rows[n, RESPONSE], stops.rows[n, FRICTION]
        if response == DIE:
            fate = DIES
            break
        grip = 0.0
        if response == STICK:
            grip = stops.rows[n, HOLD]
        if grip > 0 and _held(way, own, surface, grip, lies, left, torn):
            fate, held_by = STICKS, n
            v = surface
            p = plus(p, left, surface)
            break
        slide = plus(own, -into, side)
        bounced = -stops.rows[n, BOUNCINESS] * into if response != STICK else 0.0
        if into < 0 and bounced >= REST and not lies:  # Coulomb's law over the blow
            v = plus(plus(surface, 1.0, _rubbed(slide, friction * (bounced - into))), bounced, side)
            d = _free(n, stops, here, p, radius)
            if d < 0:
                p = plus(p, 1e-6 - d, side)
            continue
        press = -dot(load_of(way, v), side)
        if press + grip <= 0 and lies:  # drawn off, it flies
            v = plus(plus(surface, 1.0, slide), max(into, 0.0) + 1e-6, side)
            p = plus(p, 2 * TOUCH - _free(n, stops, here, p, radius), side)
            continue
        if into < 0 and not lies:
            slide = _rubbed(slide, friction * -into)
        p, v, pace = _slid(p, slide, side, surface, way, left, friction * max(press, 0.0) + grip)
        then = 1.0 if span.until >= span.end else here
        p = plus(p, 1e-6 - _free(n, stops, then, p, radius), slope_of(n, stops, then, p))
        if settles and pace < 0.25 * wakes_at and airy < wakes_at:
            fate = SLEEPS
            v = (0.0, 0.0, 0.0)
        left = 0.0
    return p, v, fate, held_by, hit
