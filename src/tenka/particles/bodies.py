"""Rigid pieces: flight with tumbling, blows and friction at their corners, each other by their hulls, sleep.

Time is cut into pieces of a clock that all sub-steps share, so what happens does not depend on how many
sub-steps there are. In the air a piece keeps its angular momentum, so that what is long or flat wobbles as it
turns. Blows are impulses at a corner, along the surface and against it at once (Mirtich 1996), which never
add energy.
"""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vectors import cross, dot, length, minus, plus, put, row, times
from tenka.effect.model import PointLayer, Prop
from tenka.particles.acting import Acting, forces_at
from tenka.particles.colliding import SLOW, Solids, collide
from tenka.particles.contact import (
    BOUNCINESS,
    DIE,
    FORM,
    FRICTION,
    GROUND,
    RESPONSE,
    STICK,
    Packed,
    distance_to,
    slope_of,
    surface_speed,
)
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
    moved,
    way_of,
)
from tenka.particles.pieces import CORNERS, Piece, kind_of, pieces_of
from tenka.particles.state import ASLEEP, RESTS, STUCK, Points
from tenka.particles.turning import spun, tumbled, turned
from tenka.scene.cameras import View

TICKS = 8  # of the clock in a frame at least
CLOCK = 192.0  # 1/s at least
NEARLY = 1e-9  # s
QUIET = 0.3  # s without moving, after which a piece sleeps
CLINGS = 20.0  # m/s^2 with which a sticky surface draws a piece that touches it on to itself


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
def _woken(p, i, stops, here, place):
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
        friction = 1e3 if clings else stop[FRICTION]
        into, v, w = _blow(v, w, b.turn[i], r, side, surface, bounce, friction, b.inverse[kind], size * size)
        if into < -SLOW and p.hits[i, 0] < start - 1:
            p.hits[i, 0] = now
            put(p.hits[:, 1:4], i, at)
            put(p.hits[:, 4:7], i, v)
        deepest = min(deepest, d)
    return v, w, deepest, touched


@kernel
def _stopped(p, b, i, stops, here, place, v, w, pull, start, now, dt, floors):
    """A piece against all that stops it: place, velocity, spin, whether it touched anything, and whether that
    holds what touches it. Notes in `floors` which way the last of them faces, and how it moves.

    To be lifted out of a surface costs what falling into it gave: the piece is slower by as much.
    """
    touched, clings = False, False
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
            clings = True
            v = plus(v, -CLINGS * dt, slope_of(m, stops, here, place))
    return place, v, w, touched, clings


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
            p.state[i] |= np.uint8(STUCK if clings else ASLEEP)
            v, w = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    elif not touched or fast > 2 * sleeps:
        b.still[i] = 0
    return v, w


@kernel
def _fly(t0, t1, s, p, b, damping, most_spin, sleeps, acts, stops, air, held, floors):
    """One tick from t0 to t1 of a step with the numbers `s`: flight, turning, and blows against what stops
    pieces. Marks those in `held` that stand on something."""
    start, end = s[START], s[END]
    here = min(max((t1 - start) / max(end - start, 1e-12), 0.0), 1.0)
    winds, gusts, local, eddies, flat, eddies_at = acts
    for i in range(p.born.size):
        since = max(t0, p.born[i])
        dt = t1 - since
        if dt <= 0 or p.dead[i] or p.state[i] & STUCK:
            continue
        if p.born[i] + p.life[i] <= t1:
            p.dead[i] = 1
        place, v, w = row(p.place, i), row(p.velocity, i), row(b.spin, i)
        if p.state[i] & ASLEEP:
            waits = b.still[i] < 0
            if waits:
                b.still[i] = np.float32(min(b.still[i] + dt, 0.0))
            if not (waits and b.still[i] >= 0) and not _woken(p, i, stops, here, place):
                continue
            p.state[i] &= np.uint8(255 - ASLEEP)
            b.still[i] = 0
        k, push, pull = forces_at(
            place, 0.5 * (since + t1), s[FORCED], winds, gusts, local, eddies, flat, eddies_at
        )
        own = (s[LARGEST] / p.width[i]) ** s[SIZE_DRAG] if s[SIZE_DRAG] > 0 else 1.0
        wind, in_gas = (0.0, 0.0, 0.0), False
        if s[CARRIED] > 0:
            wind, in_gas = gas_at(air, s, place)
        way = way_of(s, own, k, push, pull, in_gas, wind)
        place, v = flown(way, dt, place, v)
        kind = b.kinds[i]
        w = times(math.exp(-damping * dt), w)
        w = tumbled(b.turn[i], w, b.inertia[kind], b.inverse[kind], dt)
        place, v, w, touched, clings = _stopped(
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
    props: tuple[Prop, ...],
    folder: Path | None,
    numbers: np.ndarray,
    acting: Acting,
    stops: Packed,
    air: np.ndarray,
    view: View,
    dead: np.ndarray,
    hits: np.ndarray,
) -> None:
    """Move all pieces from the step's start, or their birth, to its end, in place; see
    tenka.particles.motion.advance for the arguments."""
    body = layer.body
    assert body is not None
    own = pieces_of(layer, props, folder)
    kinds = kind_of(layer, p.id, len(own))
    corners, inertia, solids = _tables(own)
    all_of, gas = moved(p, dead, hits), Air(air, air.reshape(-1))
    pull = -float(numbers[GRAVITY])
    held, floors = np.zeros(len(p), np.uint8), np.zeros((len(p), 6))
    bodies = Bodies(p.turn, p.spin, p.still, kinds, corners, inertia, solids.inverse)
    start, end = float(numbers[START]), float(numbers[END])
    tick = 1.0 / (rate * ticks_in_frame(rate))
    most_spin = 2 * math.pi * body.most_turns if body.most_turns > 0 else math.inf
    first, last = math.floor(start / tick + 1e-6), math.ceil(end / tick - 1e-6)
    for n in range(first, last):
        # exactly on the clock, so that sub-steps change no digit
        t0 = n * tick if start < n * tick + NEARLY else start
        t1 = (n + 1) * tick if end > (n + 1) * tick - NEARLY else end
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
