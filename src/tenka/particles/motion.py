"""How particles move: everything that pulls on one in a step as a drift and a rate, solved exactly, with
contacts in between.

Winds, eddies, swirls, drag and a gas that carries each draw a particle towards a velocity at a rate; gravity
and pulls accelerate it. Felt at the middle of its way, they are one linear equation, dv/dt = a + k (u - v),
whose solution is in closed form: a parabola and drag are exact in one step, and what varies in space or time
is of second order.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vectors import dot, length, minus, plus, put, row, times
from tenka.particles.acting import Acting, air_at, forces_within
from tenka.particles.bed import BED, wakes
from tenka.particles.contact import FOR_EVER_HELD, HOLD, Packed, surface_speed
from tenka.particles.meet import DIES, SLEEPS, STICKS, Span, Way, flown, load_of, meet, near
from tenka.particles.state import ASLEEP, STUCK, Points

CHUNKS = 64
START, END, LARGEST, GRAVITY, DRAG, SIZE_DRAG, FORCED, FOLLOW, COOLING, CARRIED, FELT, NOTING = range(12)
ENDS, AIR, CAMERA, NUMBERS = 16, 22, 26, 42
"""Places in the row of a step's numbers: its time, s; what acts everywhere; whether a gas carries, whether
one is felt by those that sleep, whether hits are noted; of the bed whether asleep ones wake, the speed that
wakes them, the reach, the lift; whether there is a lower plane, its height, the reach (0 for none), whether
leaving the gas ends it, whether leaving the picture does, whether they settle; corner and voxel of the gas;
the camera, see View.packed."""


@kernel(parallel=True)
def _extents(place, velocity, width):
    """Of each of CHUNKS parts: least and most place, most speed along an axis, most width, (CHUNKS, 8)."""
    n = place.shape[0]
    out = np.zeros((CHUNKS, 8), np.float32)
    for p_ in prange(CHUNKS):
        part = np.int64(p_)
        row = out[part]
        row[:3] = np.float32(np.inf)
        row[3:6] = np.float32(-np.inf)
        for i in range(n * part // CHUNKS, n * (part + 1) // CHUNKS):
            for a in range(3):
                row[a] = min(row[a], place[i, a])
                row[3 + a] = max(row[3 + a], place[i, a])
                speed = abs(velocity[i, a])
                if not speed <= row[6]:  # what is no number must be seen
                    row[6] = speed
            row[7] = max(row[7], width[i])
    return out


def extents(
    place: np.ndarray, velocity: np.ndarray, width: np.ndarray
) -> tuple[np.ndarray, np.ndarray, float, float]:
    """Least and most place, m; the most speed along an axis, m/s; and the most width, m."""
    parts = _extents(place, velocity, width)
    fastest = parts[:, 6]
    return (
        parts[:, :3].min(axis=0),
        parts[:, 3:6].max(axis=0),
        float(np.nan if np.isnan(fastest).any() else fastest.max()),
        float(parts[:, 7].max()),
    )


class Moved(NamedTuple):
    """The arrays of `Points` that a step reads and writes, and what becomes of each, see `advance`."""

    born: np.ndarray
    life: np.ndarray
    place: np.ndarray
    velocity: np.ndarray
    width: np.ndarray
    heat: np.ndarray
    state: np.ndarray
    holder: np.ndarray
    dead: np.ndarray
    hits: np.ndarray
    id: np.ndarray
    still: np.ndarray


class Air(NamedTuple):
    """The gas that is felt, (nx, ny, nz, 4), and the same as one row."""

    field: np.ndarray
    flat: np.ndarray


@kernel(inline=True)
def gas_at(air, s, p):
    """Velocity of the gas at a point, nothing outside, and whether the point is inside; `s` are the step's
    numbers."""
    x, y, z, _, inside = air_at(
        air.field, air.flat, s[AIR], s[AIR + 1], s[AIR + 2], s[AIR + 3], p[0], p[1], p[2]
    )
    return ((x, y, z) if inside else (0.0, 0.0, 0.0)), inside


@kernel
def way_of(s, own, k, push, pull, carried, air):
    """What acts on one particle together: the forces (rate, rate times velocity, acceleration), drag and the
    gas that carries it, by the share `own` that its size leaves it; and gravity."""
    k, push = (k + s[DRAG]) * own, times(own, push)
    if carried:
        rate = s[FOLLOW] * own
        k += rate
        push = plus(push, rate, air)
    drift = times(1.0 / k, push) if k > 1e-12 else (0.0, 0.0, 0.0)
    return Way(k, drift, plus(pull, -s[GRAVITY], (0.0, 0.0, 1.0)))


@kernel
def _carried_at(n, stops, place, r):
    """Mean speed over a time of what a collider carries along."""
    return surface_speed(n, stops, plus(place, 0.5 * r, surface_speed(n, stops, place)))


@kernel
def _go_along(p, i, stops, r):
    """What sticks goes where its holder goes."""
    n = p.holder[i]
    if 0 <= n < stops.rows.shape[0]:
        place = row(p.place, i)
        speed = _carried_at(n, stops, place, r)
        put(p.place, i, plus(place, r, speed))
        put(p.velocity, i, speed)


@kernel
def _may_tear(p, i, rows):
    """Whether what sticks may be torn off what holds it."""
    n = p.holder[i]
    return 0 <= n < rows.shape[0] and rows[n, HOLD] < FOR_EVER_HELD


@kernel
def load_on(way, speed, before, dt):
    """What draws on what a surface holds, which has a speed and a step before had another, m/s^2."""
    return plus(load_of(way, speed), -1.0 / dt, minus(speed, before))


@kernel
def _ends(s, p, radius, out_of_gas):
    """Whether a place is one at which particles end: too low, too far, outside the gas or the picture."""
    if s[ENDS] > 0 and p[2] < s[ENDS + 1]:
        return True
    if s[ENDS + 2] > 0 and dot(p, p) > s[ENDS + 2] * s[ENDS + 2]:
        return True
    if s[ENDS + 3] > 0 and out_of_gas:
        return True
    if s[ENDS + 4] == 0:
        return False
    c = (p[0] - s[CAMERA], p[1] - s[CAMERA + 1], p[2] - s[CAMERA + 2])
    depth = c[0] * s[CAMERA + 3] + c[1] * s[CAMERA + 4] + c[2] * s[CAMERA + 5]
    if depth <= 0:
        return True
    across = abs(c[0] * s[CAMERA + 6] + c[1] * s[CAMERA + 7] + c[2] * s[CAMERA + 8])
    up = abs(c[0] * s[CAMERA + 9] + c[1] * s[CAMERA + 10] + c[2] * s[CAMERA + 11])
    reach = 1.05 + radius / max(depth * s[CAMERA + 13], 1e-9)
    return across > reach * depth * s[CAMERA + 12] or up > reach * depth * s[CAMERA + 13]


@kernel
def _met(s, p, i, place, v, way, radius, span, since, air, stops, torn):
    """The way of a particle that may meet something, and what becomes of it."""
    settles, wakes_at = s[ENDS + 5] > 0, s[BED + 1]
    place, v, fate, held_by, hit = meet(
        place, v, way, radius, span, since, stops, settles, wakes_at, length(air), torn
    )
    if s[NOTING] > 0 and hit[0] > -1e8:
        p.hits[i, 0] = hit[0]
        put(p.hits[:, 1:4], i, hit[1])
        put(p.hits[:, 4:7], i, hit[2])
    if fate == DIES:
        p.dead[i] = 1
    elif fate == STICKS:
        p.state[i] |= np.uint8(STUCK)
        p.holder[i] = held_by
    elif fate == SLEEPS:
        p.state[i] |= np.uint8(ASLEEP)
    return place, v


@kernel
def _advance_some(first, last, s, p, acts, stops, air):
    """Move particles `first` to `last`; see `advance`."""
    start, end = s[START], s[END]
    carried, felt, noting = s[CARRIED] > 0, s[FELT] > 0, s[NOTING] > 0
    # taken out once: an array that is taken out of a tuple is counted
    winds, gusts, local, eddies, flat, eddies_at, stirred = acts
    acted, alone = winds.shape[0] + local.shape[0] + eddies.shape[0] > 1, stirred.shape[0] > 0
    rows, count = stops.rows, stops.rows.shape[0]
    born, life, places, velocities, widths, heats, states, _holders, dead, hits, _ids, _still = p
    for i in range(first, last):
        if noting:
            hits[i, 0] = -1e9
        dead[i] = 0
        since, until = max(start, born[i]), end
        if life[i] < 1e30 and born[i] + life[i] <= end:
            until = max(born[i] + life[i], since)
            dead[i] = 1
        r = until - since
        if s[COOLING] > 0:
            heats[i] *= np.float32(math.exp(-s[COOLING] * r))
        if states[i] & STUCK and not _may_tear(p, i, rows):
            _go_along(p, i, stops, r)
            continue
        place, v, radius = row(places, i), row(velocities, i), 0.5 * widths[i]
        middle, wind, in_gas = plus(place, 0.5 * r, v), (0.0, 0.0, 0.0), True
        if carried or felt:
            wind, in_gas = gas_at(air, s, middle)
        if states[i] & ASLEEP:
            woken, share, v = wakes(s, p, i, place, v, radius, wind, felt, stops, r)
            if not woken:
                continue
            states[i] &= np.uint8(255 - ASLEEP)
            since += share * r
            r = until - since
        k, push, pull = 0.0, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
        if acted:
            k, push, pull = forces_within(
                middle, 0.5 * (since + until), s[FORCED], winds, gusts, local, eddies, flat, eddies_at
            )
        if alone:
            k += s[FORCED] * stirred[i, 3]
            push = plus(push, s[FORCED], row(stirred, i))
        own = (s[LARGEST] / widths[i]) ** s[SIZE_DRAG] if s[SIZE_DRAG] > 0 else 1.0
        way = way_of(s, own, k, push, pull, carried and in_gas, wind)
        torn = False
        if states[i] & STUCK:
            n, speed = p.holder[i], _carried_at(p.holder[i], stops, place, r)
            if length(load_on(way, speed, v, end - start)) <= rows[n, HOLD]:
                _go_along(p, i, stops, r)
                continue
            states[i] &= np.uint8(255 - STUCK)
            v, torn = speed, True
        after, speed = flown(way, r, place, v)
        reach = (max(length(v), length(speed)) + 1e-9) * r + radius
        free = True
        for n in range(count):
            free = free and not near(n, rows, place, reach)
        if not free:
            span = Span(start, until, end)
            after, speed = _met(s, p, i, place, v, way, radius, span, since, wind, stops, torn)
        put(places, i, after)
        put(velocities, i, speed)
        if _ends(s, after, radius, carried and not in_gas):
            dead[i] = 1


@kernel(parallel=True)
def _advance(s, p, acts, stops, air):
    """A thin shell round a serial body: the body as a parallel loop would take two and a half times as long
    to compile."""
    n = p.born.size
    for p_ in prange(CHUNKS):
        part = np.int64(p_)
        _advance_some(n * part // CHUNKS, n * (part + 1) // CHUNKS, s, p, acts, stops, air)


def moved(p: Points, dead: np.ndarray, hits: np.ndarray) -> Moved:
    """What a step moves."""
    still = p.still if len(p.still) == len(p) else np.zeros(1, np.float32)  # of those that never sleep
    return Moved(
        p.born, p.life, p.place, p.velocity, p.width, p.heat, p.state, p.holder, dead, hits, p.id, still
    )


def advance(
    p: Points,
    numbers: np.ndarray,
    acting: Acting,
    stops: Packed,
    air: np.ndarray,
    dead: np.ndarray,
    hits: np.ndarray,
) -> None:
    """Move all particles from the step's start, or their birth, to its end, in place; see the module.

    Parameters
    ----------
    numbers : (NUMBERS,) of the step, see START and the following
    stops : what they may meet
    air : the gas that is felt, see AirField.at
    dead : (n,) uint8, filled
    hits : (n, 7) float64: time (s, below 0 without one), place and velocity of the first hit of each; filled
        where hits are noted, else one row will do
    """
    _advance(numbers, moved(p, dead, hits), acting, stops, Air(air, air.reshape(-1)))
