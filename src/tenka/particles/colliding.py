"""Pieces against each other: who is near whom, and the impulses between them.

Pairs are found by sweeping along x over their boxes. Impulses are sequential ones, first against the way into
each other and then against sliding, each of which adds no energy. A last pass goes upwards and takes what
stands below as firm, so that stacks carry their load (E. Guendelman, R. Bridson and R. Fedkiw, "Nonconvex
rigid bodies with stacking", ACM Trans. Graph. 22, 2003).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vectors import cross, dot, length, minus, plus, put, row, times
from tenka.particles.hulls import Hulls
from tenka.particles.state import ASLEEP, RESTS, STUCK
from tenka.particles.touching import POINTS, touch_all, turned_corners
from tenka.particles.turning import spun

SLOW = 0.35  # m/s; a slower blow gives nothing back
WAKES = 0.25  # m/s; what moves slower beside it does not wake
PASSES = 4
SHARE = 0.25  # of how deep two are in each other, that is taken back in a tick
FASTEST = 0.6  # m/s at which they are pushed apart
FOOT = 0.01  # of a width, within which corners stand on the same
SLOP = 0.0005  # m that they may be in each other
CLINGS = 0.02  # of the smaller's width, that two may be apart and still cling to each other
STEEP = 0.5  # upward share of a direction, from which one carries the other


class Solids(NamedTuple):
    """What pairs are made of: the hull of each kind, its volume for a width of one, and the inverse of its
    inertia."""

    hulls: Hulls
    volume: np.ndarray
    inverse: np.ndarray


@kernel
def _near(now, p, reach):
    """Pairs whose boxes meet, (n, 2), with the lower index first; not of two that sleep or are held."""
    low = p.place[:, 0] - reach
    order = np.argsort(low, kind="mergesort")
    n, kept = order.size, 0
    for s in range(n):  # in their order, so that what is looked at lies together
        i = order[s]
        if p.born[i] < now and not p.dead[i]:
            order[kept] = i
            kept += 1
    at, still = np.empty((4, kept)), np.empty(kept, np.bool_)
    for s in range(kept):
        i = order[s]
        at[0, s], at[1, s], at[2, s], at[3, s] = low[i], p.place[i, 1], p.place[i, 2], reach[i]
        still[s] = (p.state[i] & (ASLEEP | STUCK)) != 0
    pairs, count = np.empty((max(8 * n, 16), 2), np.int64), 0
    for s in range(kept):
        y, z, r = at[1, s], at[2, s], at[3, s]
        high = at[0, s] + 2 * r
        for e in range(s + 1, kept):
            if at[0, e] >= high:
                break
            far = r + at[3, e]
            if abs(at[1, e] - y) < far and abs(at[2, e] - z) < far and not (still[s] and still[e]):
                if count == pairs.shape[0]:
                    more = np.empty((2 * count, 2), np.int64)
                    more[:count] = pairs
                    pairs = more
                i, j = order[s], order[e]
                pairs[count, 0], pairs[count, 1] = min(i, j), max(i, j)
                count += 1
    return pairs[:count]


@kernel
def _give(p, b, i, r, impulse, mass, inverse, scale):
    """An impulse at `r` from a piece's middle; nothing to what is firm (mass 0)."""
    if mass > 0:
        put(p.velocity, i, plus(row(p.velocity, i), 1.0 / mass, impulse))
        spin = spun(b.turn[i], inverse, 1.0 / (mass * scale), cross(r, impulse))
        put(b.spin, i, plus(row(b.spin, i), 1.0, spin))


@kernel
def _yield(b, i, r, way, mass, inverse, scale):
    """How much a piece's speed along `way` at `r` changes by an impulse of one along it."""
    if mass <= 0:
        return 0.0
    return 1.0 / mass + dot(way, cross(spun(b.turn[i], inverse, 1.0 / (mass * scale), cross(r, way)), r))


@kernel
def _at(p, b, i, r):
    """Velocity of a piece at `r` from its middle; what sleeps has none, what is held that of its holder."""
    if p.state[i] & ASLEEP:
        return (0.0, 0.0, 0.0)
    return plus(row(p.velocity, i), 1.0, cross(row(b.spin, i), r))


@kernel
def _stands(p, b, i, point, floor, mi, friction, solids):
    """The impulses on a piece at a point at which it stands on something that does not yield."""
    way, ri, si = (floor[0], floor[1], floor[2]), minus(point, row(p.place, i)), p.width[i] * p.width[i]
    inverse, moves = solids.inverse[b.kinds[i]], (floor[3], floor[4], floor[5])
    has = minus(_at(p, b, i, ri), moves)
    into = dot(has, way)
    if into >= 0:
        return
    push = -into / _yield(b, i, ri, way, mi, inverse, si)
    _give(p, b, i, ri, times(push, way), mi, inverse, si)
    has = minus(_at(p, b, i, ri), moves)
    slide = plus(has, -dot(has, way), way)
    pace = length(slide)
    if pace > 1e-9 and friction > 0:
        along = times(1.0 / pace, slide)
        drag = min(friction * push, pace / _yield(b, i, ri, along, mi, inverse, si))
        _give(p, b, i, ri, times(-drag, along), mi, inverse, si)


@kernel
def _exchange(p, b, i, j, point, way, mi, mj, bounce, friction, cling, apart, solids):
    """The impulses between two pieces at a point where the second lies along `way` from the first; `cling` is
    the one with which they hold on to each other at most, and `apart` whether they do not quite touch."""
    ki, kj = b.kinds[i], b.kinds[j]
    si, sj = p.width[i] * p.width[i], p.width[j] * p.width[j]
    ri, rj = minus(point, row(p.place, i)), minus(point, row(p.place, j))
    between = minus(_at(p, b, j, rj), _at(p, b, i, ri))
    into = dot(between, way)
    if (into >= 0 and cling <= 0) or (into < 0 and apart):
        return
    inverse_i, inverse_j = solids.inverse[ki], solids.inverse[kj]
    gives = _yield(b, i, ri, way, mi, inverse_i, si) + _yield(b, j, rj, way, mj, inverse_j, sj)
    back = bounce if into < -SLOW else 0.0
    push = max(-(1.0 + back) * into / gives, -cling)
    _give(p, b, i, ri, times(-push, way), mi, inverse_i, si)
    _give(p, b, j, rj, times(push, way), mj, inverse_j, sj)
    between = minus(_at(p, b, j, rj), _at(p, b, i, ri))
    slide = plus(between, -dot(between, way), way)
    pace = length(slide)
    if pace > 1e-9 and friction + cling > 0:
        along = times(1.0 / pace, slide)
        gives = _yield(b, i, ri, along, mi, inverse_i, si) + _yield(b, j, rj, along, mj, inverse_j, sj)
        drag = min(friction * max(push, 0.0) + cling, pace / gives)
        _give(p, b, i, ri, times(drag, along), mi, inverse_i, si)
        _give(p, b, j, rj, times(-drag, along), mj, inverse_j, sj)


@kernel
def _mass(p, b, i, solids):
    """Of a piece, by its volume; 0 of what is firm."""
    if p.state[i] & (ASLEEP | STUCK):
        return 0.0
    return solids.volume[b.kinds[i]] * p.width[i] ** 3


@kernel
def _wake(p, b, i, j, point, held):
    """What sleeps is woken where the other moves against it, along it or away from under it. What waits to
    let go is woken by a blow too."""
    ri, rj = minus(point, row(p.place, i)), minus(point, row(p.place, j))
    if length(minus(_at(p, b, j, rj), _at(p, b, i, ri))) <= WAKES:
        return
    for m in (i, j):
        if p.state[m] & ASLEEP:
            waits = b.still[m] < 0
            p.state[m] &= np.uint8(255 - ASLEEP)
            if not waits:
                put(p.velocity, m, (0.0, 0.0, 0.0))
            b.still[m] = 0
            held[m] = 0


@kernel
def _apart(p, i, j, way, depth, mi, mj, dt):
    """Push two pieces out of each other."""
    if mi + mj <= 0:
        return
    move = min(SHARE * max(depth - SLOP, 0.0), FASTEST * dt)
    ti = 0.0 if mi <= 0 else 1.0 if mj <= 0 else mj / (mi + mj)
    put(p.place, i, plus(row(p.place, i), -move * ti, way))
    put(p.place, j, plus(row(p.place, j), move * (1.0 - ti), way))


@kernel
def _footing(p, b, i, floor, solids, out):
    """Where a piece stands: its corners lowest towards what it touches, into `out`, and how many."""
    corners = np.empty((solids.hulls.corners.shape[1], 3))
    turned_corners(b.turn[i], solids.hulls.corners[b.kinds[i]], p.width[i], row(p.place, i), corners)
    way, low = (floor[0], floor[1], floor[2]), 1e30
    for k in range(corners.shape[0]):
        low = min(low, dot(way, row(corners, k)))
    found = 0
    for k in range(corners.shape[0]):
        at = row(corners, k)
        if dot(way, at) < low + FOOT * p.width[i] and found < POINTS:
            new = True
            for m in range(found):
                new = new and length(minus(at, row(out, m))) > FOOT * p.width[i]
            if new:
                put(out, found, at)
                found += 1
    return found


@kernel
def _meet(p, b, pairs, order, counts, ways, points, solids, held, floors, pull, bounce, friction, cling, dt):
    """Impulses between all pairs that touch, from the lowest upwards; what stands on something is held up by
    it."""
    standing = np.flatnonzero(held)
    feet, footing = np.zeros(standing.size, np.int64), np.empty((standing.size, POINTS, 4))
    for s in range(standing.size):
        feet[s] = _footing(p, b, standing[s], floors[standing[s]], solids, footing[s])
    for again in range(PASSES + 1):
        last = again == PASSES
        for s in range(standing.size):
            i = standing[s]
            mi = _mass(p, b, i, solids)
            for c in range(feet[s] if mi > 0 and again > 0 else 0):
                _stands(p, b, i, row(footing[s], c), floors[i], mi, friction, solids)
        for s in range(order.size):
            n = order[s]
            i, j = pairs[n, 0], pairs[n, 1]
            way = row(ways, n)
            if again == 0:
                for c in range(counts[n]):
                    _wake(p, b, i, j, row(points[n], c), held)
            mi, mj = _mass(p, b, i, solids), _mass(p, b, j, solids)
            if mi + mj <= 0:
                continue
            up = -way[2] if pull > 0 else way[2]  # of the second against what pulls
            carried = pull != 0 and abs(up) > STEEP
            if last and carried:  # what stands below carries
                if up > 0 and held[i]:
                    mi = 0.0
                elif up < 0 and held[j]:
                    mj = 0.0
                if mi + mj <= 0:
                    continue
            deepest = 0.0
            light = min(mi, mj) if mi > 0 and mj > 0 else max(mi, mj)
            holds = cling * dt * light / (counts[n] * (PASSES + 1))
            for c in range(counts[n]):
                back = bounce if again == 0 else 0.0
                _exchange(
                    p,
                    b,
                    i,
                    j,
                    row(points[n], c),
                    way,
                    mi,
                    mj,
                    back,
                    friction,
                    holds,
                    points[n, c, 3] < 0,
                    solids,
                )
                deepest = max(deepest, points[n, c, 3])
            if last:
                if carried or cling > 0:
                    low, high = (i, j) if up > 0 else (j, i)
                    if held[low] or p.state[low] & (ASLEEP | STUCK):
                        held[high] = 1
                        p.state[high] |= np.uint8(RESTS)
                    elif cling > 0 and (held[high] or p.state[high] & (ASLEEP | STUCK)):  # it hangs there
                        held[low] = 1
                        p.state[low] |= np.uint8(RESTS)
                _apart(p, i, j, way, deepest, mi, mj, dt)


@kernel
def collide(now, p, b, solids, held, floors, pull, bounce, friction, cling, dt, most_spin):
    """Blows between pieces that are born by `now`; in a fixed order, so that results are the same every time.

    Parameters
    ----------
    p, b : places and velocities, and what pieces have besides
    held : (n,) uint8, whether each stands on what does not move; those that such ones carry are added
    floors : (n, 6) of those, which way it faces and its velocity, m/s
    pull : m/s^2, upwards
    bounce, friction : between two pieces
    cling : with which they hold on to each other where they touch, m/s^2
    dt : s
    most_spin : rad/s that a blow leaves at most
    """
    reach, share = np.empty(p.born.size), CLINGS if cling > 0 else 0.0
    for i in range(reach.size):
        reach[i] = (solids.hulls.reach[b.kinds[i]] + share) * p.width[i]
    pairs = _near(now, p, reach)
    count = pairs.shape[0]
    counts, ways, points = np.zeros(count, np.int64), np.zeros((count, 3)), np.empty((count, POINTS, 4))
    touch_all(pairs, p.place, b.turn, p.width, b.kinds, solids.hulls, share, counts, ways, points)
    met = np.flatnonzero(counts)
    if met.size:
        up = -1.0 if pull > 0 else 1.0
        order = met[np.argsort(up * points[met, 0, 2], kind="mergesort")]
        _meet(
            p, b, pairs, order, counts, ways, points, solids, held, floors, pull, bounce, friction, cling, dt
        )
        for n in met:
            for m in pairs[n]:
                pace = length(row(b.spin, m))
                if pace > most_spin:
                    put(b.spin, m, times(most_spin / pace, row(b.spin, m)))
