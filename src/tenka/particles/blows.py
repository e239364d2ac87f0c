"""A rigid piece against what stops it: blows and friction at its corners, and what clings.

Blows are impulses at a corner, along the surface and against it at once (Mirtich 1996), which never add
energy.
"""

from __future__ import annotations

import math

from tenka.base.jit import kernel
from tenka.base.vectors import cross, dot, length, minus, plus, put, row, times
from tenka.particles.colliding import SLOW
from tenka.particles.contact import (
    BOUNCINESS,
    DIE,
    FORM,
    FRICTION,
    GROUND,
    HOLD,
    RESPONSE,
    STICK,
    distance_to,
    slope_of,
    surface_speed,
)
from tenka.particles.pieces import CORNERS
from tenka.particles.turning import spun, turned

CLINGS = 20.0  # m/s^2 with which a sticky surface draws a piece that touches it on to itself


@kernel
def _energy(v, q, spin, inertia, scale):
    """Of a mass of one."""
    return 0.5 * dot(v, v) + 0.5 * dot(spin, spun(q, inertia, scale, spin))


@kernel
def _answer(q, r, x, inverse, scale):
    """Change of velocity at `r` from the middle by an impulse `x` there."""
    return plus(x, 1.0, cross(spun(q, inverse, 1.0 / scale, cross(r, x)), r))


@kernel
def _impulse_for(q, r, wanted, inverse, scale):
    """The impulse at `r` that changes the velocity there by what is wanted."""
    a = _answer(q, r, (1.0, 0.0, 0.0), inverse, scale)
    b = _answer(q, r, (0.0, 1.0, 0.0), inverse, scale)
    c = _answer(q, r, (0.0, 0.0, 1.0), inverse, scale)
    whole = dot(a, cross(b, c))
    return (
        dot(wanted, cross(b, c)) / whole,
        dot(a, cross(wanted, c)) / whole,
        dot(a, cross(b, wanted)) / whole,
    )


@kernel
def _blow(v, w, q, r, n, surface, bounce, friction, inverse, scale):
    """An impulse at `r` from the middle against a surface with normal `n`: the speed into it, and the
    velocity and the spin after it.

    It stops the slide too when friction can, else it lies on the cone of friction. An impulse that would add
    energy, as is possible off the middle, is made as small as adds none.
    """
    at = minus(plus(v, 1.0, cross(w, r)), surface)
    into = dot(at, n)
    if into >= 0:
        return 0.0, v, w
    back = bounce if into < -SLOW else 0.0
    impulse = _impulse_for(q, r, plus(times(-1.0, at), -back * into, n), inverse, scale)
    push = dot(impulse, n)
    along = plus(impulse, -push, n)
    slide = length(along)
    if push <= 0 or slide > friction * push:
        way = n if slide < 1e-12 else plus(n, friction / slide, along)
        gain = dot(n, _answer(q, r, way, inverse, scale))
        if gain <= 1e-6:
            way, gain = n, dot(n, _answer(q, r, n, inverse, scale))
        impulse = times(-(1.0 + back) * into / gain, way)
    work, own = dot(impulse, at), dot(impulse, _answer(q, r, impulse, inverse, scale))
    if work + 0.5 * own > 0:
        impulse = times(max(-2.0 * work / max(own, 1e-12), 0.0), impulse)
    return into, plus(v, 1.0, impulse), plus(w, 1.0, spun(q, inverse, 1.0 / scale, cross(r, impulse)))


@kernel
def woken(p, i, stops, here, place):
    """Whether something that moves comes near a piece that sleeps."""
    for m in range(stops.rows.shape[0]):
        if stops.rows[m, FORM] == GROUND:
            continue
        speed = surface_speed(m, stops, place)
        if dot(speed, speed) > 1e-4 and distance_to(m, stops, here, place) < 0.5 * p.width[i]:
            return True
    return False


@kernel
def _struck(p, b, i, m, stops, here, place, v, w, bounces, start, now):
    """Blows on all corners of a piece that are inside collider `m`: velocity and spin after them, how deep
    the deepest corner is, and whether any is."""
    deepest, touched = 0.0, False
    kind, size, stop = b.kinds[i], p.width[i], stops.rows[m]
    clings = stop[RESPONSE] == STICK
    for c in range(CORNERS):
        r = turned(b.turn[i], 1.0, times(size, row(b.corners[kind], c)))
        at = plus(place, 1.0, r)
        d = distance_to(m, stops, here, at)
        if d >= 0:
            continue
        touched = True
        if stop[RESPONSE] == DIE:
            p.dead[i] = 1
        side, surface = slope_of(m, stops, here, at), surface_speed(m, stops, at)
        bounce = stop[BOUNCINESS] if bounces and not clings else 0.0
        friction = stop[FRICTION]
        if clings:
            friction = max(friction, stop[HOLD] / min(stop[HOLD], CLINGS))
        into, v, w = _blow(v, w, b.turn[i], r, side, surface, bounce, friction, b.inverse[kind], size * size)
        if into < -SLOW and p.hits[i, 0] < start - 1:
            p.hits[i, 0] = now
            put(p.hits[:, 1:4], i, at)
            put(p.hits[:, 4:7], i, v)
        deepest = min(deepest, d)
    return v, w, deepest, touched


@kernel
def stopped(p, b, i, stops, here, place, v, w, pull, start, now, dt, floors):
    """A piece against all that stops it: place, velocity, spin, whether it touched anything, and which of
    them holds what touches it, -1 for none. Notes in `floors` which way the last of them faces, and how it
    moves.

    To be lifted out of a surface costs what falling into it gave: the piece is slower by as much.
    """
    touched, clings = False, -1
    kind, scale = b.kinds[i], p.width[i] * p.width[i]
    for m in range(stops.rows.shape[0]):
        if distance_to(m, stops, here, place) > 0.75 * p.width[i]:
            continue
        surface, came = surface_speed(m, stops, place), place
        before = _energy(minus(v, surface), b.turn[i], w, b.inertia[kind], scale)
        met_any = False
        for again in range(3):
            v, w, deepest, met = _struck(p, b, i, m, stops, here, place, v, w, again == 0, start, now)
            met_any = met_any or met
            if deepest == 0.0:
                break
            if again == 0:
                place = plus(place, -0.8 * deepest, slope_of(m, stops, here, place))
        if not met_any:
            continue
        touched = True
        put(floors[:, 0:3], i, slope_of(m, stops, here, place))
        put(floors[:, 3:6], i, surface)
        least = before + dot(pull, minus(place, came))
        has = _energy(minus(v, surface), b.turn[i], w, b.inertia[kind], scale)
        if has > least:
            keep = math.sqrt(max(least, 0.0) / has)
            v, w = plus(surface, keep, minus(v, surface)), times(keep, w)
        if stops.rows[m, RESPONSE] == STICK:
            clings = m
            v = plus(v, -min(stops.rows[m, HOLD], CLINGS) * dt, slope_of(m, stops, here, place))
    return place, v, w, touched, clings
