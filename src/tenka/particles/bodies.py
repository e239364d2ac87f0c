"""Rigid pieces: flight with tumbling, blows and friction at their corners, each other by their hulls, sleep.

Time is cut into pieces of a clock that all sub-steps share, so what happens does not depend on how many
sub-steps there are. In the air a piece keeps its angular momentum, so that what is long or flat wobbles as it
turns. Blows are those of tenka.particles.blows.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vectors import length, plus, put, row, times
from tenka.effect.model import PointLayer
from tenka.particles.acting import Acting, forces_at
from tenka.particles.blows import stopped, woken
from tenka.particles.colliding import Solids, collide
from tenka.particles.contact import FOR_EVER_HELD, HOLD, SPIN, Packed, surface_speed
from tenka.particles.floating import Afloat, float_on
from tenka.particles.hulls import hulls_of
from tenka.particles.meet import flown
from tenka.particles.motion import (
    AIR,
    CARRIED,
    COOLING,
    END,
    ENDS,
    FORCED,
    GRAVITY,
    LARGEST,
    SIZE_DRAG,
    START,
    Air,
    gas_at,
    load_on,
    moved,
    way_of,
)
from tenka.particles.pieces import Piece
from tenka.particles.state import ASLEEP, RESTS, STUCK, Points
from tenka.particles.turning import tumbled, turn_on
from tenka.scene.cameras import View

TICKS = 8  # of the clock in a frame at least
CLOCK = 192.0  # 1/s at least
NEARLY = 1e-9  # s
QUIET = 0.3  # s without moving, after which a piece sleeps


def ticks_in_frame(rate: float) -> int:
    return TICKS * math.ceil(CLOCK / (TICKS * rate))


class Bodies(NamedTuple):
    """What pieces have besides `Moved`: quaternions, spins, how long each has been still, its kind; corners
    of each kind, its inertia and the inverse of that, of a mass and a width of one."""

    turn: np.ndarray
    spin: np.ndarray
    still: np.ndarray
    kinds: np.ndarray
    corners: np.ndarray
    inertia: np.ndarray
    inverse: np.ndarray


@kernel
def _settled(p, b, i, v, w, touched, clings, dt, sleeps):
    """Velocity and spin of a piece that may come to rest, which it does when it has been slow for a while. On
    what holds it, it lies by then, and stays."""
    fast = max(length(v), 0.5 * p.width[i] * length(w))
    if touched and fast < 3 * sleeps:
        calm = math.exp(-6.0 * dt)  # what rocks on its corners comes to rest
        w, v = times(calm, w), (v[0] * calm, v[1] * calm, v[2])
    if touched and fast < sleeps:
        b.still[i] += np.float32(dt)
        if b.still[i] > QUIET:
            p.state[i] |= np.uint8(STUCK if clings >= 0 else ASLEEP)
            p.holder[i] = clings
            v, w = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    elif not touched or fast > 2 * sleeps:
        b.still[i] = 0
    return v, w


@kernel
def _go_with(p, b, i, n, stops, dt, first):
    """A piece that sticks goes and turns as its holder does.

    Its velocity is that at the step's start, so that from one step to the next it tells how its holder
    gathers speed.
    """
    spin = (stops.rows[n, SPIN], stops.rows[n, SPIN + 1], stops.rows[n, SPIN + 2])
    place = row(p.place, i)
    speed = surface_speed(n, stops, plus(place, 0.5 * dt, surface_speed(n, stops, place)))
    put(p.place, i, plus(place, dt, speed))
    if first:
        put(p.velocity, i, surface_speed(n, stops, place))
    put(b.spin, i, spin)
    turn_on(b.turn[i], spin, dt)


@kernel
def _fly(t0, t1, s, p, b, damping, most_spin, sleeps, acts, stops, air, held, floors, lifts):
    """One tick from t0 to t1 of a step with the numbers `s`: flight, turning, and blows against what stops
    pieces. Marks those in `held` that stand on something."""
    start, end = s[START], s[END]
    here = min(max(0.0, (t1 - start) / max(end - start, 1e-12)), 1.0)
    winds, gusts, local, eddies, flat, eddies_at, stirred = acts
    for i in range(p.born.size):
        since = max(t0, p.born[i])
        dt = t1 - since
        if dt <= 0 or p.dead[i]:
            continue
        if p.born[i] + p.life[i] <= t1:
            p.dead[i] = 1
        place, v, w = row(p.place, i), row(p.velocity, i), row(b.spin, i)
        tears = False
        if p.state[i] & STUCK:
            n = p.holder[i]
            if not 0 <= n < stops.rows.shape[0]:
                continue
            if stops.rows[n, HOLD] >= FOR_EVER_HELD or t0 > start + NEARLY:
                _go_with(p, b, i, n, stops, dt, t0 <= start + NEARLY)
                continue
            tears = True
        if p.state[i] & ASLEEP:
            waits = b.still[i] < 0
            if waits:
                b.still[i] = np.float32(min(b.still[i] + dt, 0.0))
            if not (waits and b.still[i] >= 0) and not woken(p, i, stops, here, place):
                continue
            p.state[i] &= np.uint8(255 - ASLEEP)
            b.still[i] = 0
        k, push, pull = forces_at(
            place, 0.5 * (since + t1), s[FORCED], winds, gusts, local, eddies, flat, eddies_at
        )
        pull = plus(pull, 1.0, row(lifts, i))
        if stirred.shape[0] > 0:
            k += s[FORCED] * stirred[i, 3]
            push = plus(push, s[FORCED], row(stirred, i))
        own = (s[LARGEST] / p.width[i]) ** s[SIZE_DRAG] if s[SIZE_DRAG] > 0 else 1.0
        wind, in_gas = (0.0, 0.0, 0.0), False
        if s[CARRIED] > 0:
            wind, in_gas = gas_at(air, s, place)
        way = way_of(s, own, k, push, pull, in_gas, wind)
        if tears:
            n, speed = p.holder[i], surface_speed(p.holder[i], stops, place)
            if length(load_on(way, speed, v, end - start)) <= stops.rows[n, HOLD]:
                _go_with(p, b, i, n, stops, dt, t0 <= start + NEARLY)
                continue
            p.state[i] &= np.uint8(255 - STUCK)
            v = speed
        place, v = flown(way, dt, place, v)
        kind = b.kinds[i]
        w = times(math.exp(-damping * dt), w)
        w = tumbled(b.turn[i], w, b.inertia[kind], b.inverse[kind], dt)
        place, v, w, touched, clings = stopped(
            p, b, i, stops, here, place, v, w, way.pull, start, t1, dt, floors
        )
        if touched and length(w) > most_spin:
            w = times(most_spin / length(w), w)
        held[i] = touched
        rests = touched or (p.state[i] & RESTS) != 0
        p.state[i] &= np.uint8(255 - RESTS)
        v, w = _settled(p, b, i, v, w, rests, clings, dt, sleeps)
        put(p.place, i, place)
        put(p.velocity, i, v)
        put(b.spin, i, w)


@lru_cache(maxsize=8)
def _tables(own: tuple[Piece, ...]) -> tuple[np.ndarray, np.ndarray, Solids]:
    """Corners and inertia of pieces, and what pairs of them are made of."""
    inertia = np.stack([q.inertia for q in own])
    hulls, volume = hulls_of([q.corners for q in own]), np.array([q.volume for q in own])
    return np.stack([q.corners for q in own]), inertia, Solids(hulls, volume, np.linalg.inv(inertia))


def _let_fall(p: Points, dead: np.ndarray) -> None:
    """Wake what sleeps beside pieces that are gone: it may have lain on them."""
    asleep = (p.state & ASLEEP > 0) & (p.still >= 0)
    for k in np.flatnonzero(dead) if asleep.any() else ():
        near = np.linalg.norm(p.place - p.place[k], axis=1) < 0.8 * (p.width + p.width[k])
        p.state[asleep & near] &= np.uint8(255 - ASLEEP)


def advance_bodies(
    p: Points,
    layer: PointLayer,
    rate: float,
    made: tuple[tuple[Piece, ...], np.ndarray],
    numbers: np.ndarray,
    acting: Acting,
    stops: Packed,
    air: np.ndarray,
    view: View,
    dead: np.ndarray,
    hits: np.ndarray,
    water: Afloat | None = None,
) -> None:
    """Move all pieces from the step's start, or their birth, to its end, in place; see
    tenka.particles.motion.advance for the arguments. `made` are all pieces that there are, and which each
    is; `water` what they float in, if anything."""
    body = layer.body
    assert body is not None
    own, kinds = made
    corners, inertia, solids = _tables(own)
    all_of, gas = moved(p, dead, hits), Air(air, air.reshape(-1))
    pull = -float(numbers[GRAVITY])
    held, floors, lifts = np.zeros(len(p), np.uint8), np.zeros((len(p), 6)), np.zeros((len(p), 3))
    bodies = Bodies(p.turn, p.spin, p.still, kinds, corners, inertia, solids.inverse)
    start, end = float(numbers[START]), float(numbers[END])
    tick = 1.0 / (rate * ticks_in_frame(rate))
    most_spin = 2 * math.pi * body.most_turns if body.most_turns > 0 else math.inf
    first, last = math.floor(start / tick + 1e-6), math.ceil(end / tick - 1e-6)
    for n in range(first, last):
        # exactly on the clock, so that sub-steps change no digit
        t0 = n * tick if start < n * tick + NEARLY else start
        t1 = (n + 1) * tick if end > (n + 1) * tick - NEARLY else end
        if water is not None:
            float_on(t0, t1, all_of, bodies, water, lifts)
        _fly(
            t0,
            t1,
            numbers,
            all_of,
            bodies,
            body.damping,
            most_spin,
            body.sleeps,
            acting,
            stops,
            gas,
            held,
            floors,
            lifts,
        )
        if body.each_other and len(p) > 1:
            collide(
                t1,
                all_of,
                bodies,
                solids,
                held,
                floors,
                pull,
                layer.motion.bounce,
                layer.motion.friction,
                body.cling,
                t1 - t0,
                most_spin,
            )
    if numbers[COOLING] > 0:
        p.heat *= np.exp(-numbers[COOLING] * (end - np.maximum(start, p.born))).astype(np.float32)
    ends, corner, voxel = numbers[ENDS:AIR], numbers[AIR : AIR + 3], numbers[AIR + 3]
    if ends[0] > 0:
        dead[p.place[:, 2] < ends[1]] = 1
    if ends[2] > 0:
        dead[np.linalg.norm(p.place, axis=1) > ends[2]] = 1
    if ends[3] > 0 and numbers[CARRIED] > 0:
        dead[((p.place < corner) | (p.place > corner + np.array(air.shape[:3]) * voxel)).any(axis=1)] = 1
    if ends[4] > 0:
        dead[~view.sees(p.place, 0.55 * p.width)] = 1
    _let_fall(p, dead)
