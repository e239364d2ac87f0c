"""Rigid pieces: flight with tumbling, blows and friction at their corners, each other by round hulls, sleep.

Time is cut into pieces of a clock that all sub-steps share, so what happens does not depend on how many
sub-steps there are. Blows are impulses at a corner with Coulomb friction (Baraff 1997); pairs are found in a
uniform grid.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import NamedTuple

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vectors import cross, dot, length, minus, plus, put, row, times
from tenka.effect.model import PointLayer, Prop
from tenka.particles.acting import Acting, forces_at
from tenka.particles.colliding import SLOW, collide
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
from tenka.particles.meet import flown
from tenka.particles.motion import (
    AIR,
    CARRIED,
    COOLING,
    END,
    ENDS,
    FORCED,
    LARGEST,
    SIZE_DRAG,
    START,
    Air,
    gas_at,
    moved,
    way_of,
)
from tenka.particles.pieces import CORNERS, kind_of, pieces_of
from tenka.particles.state import ASLEEP, STUCK, Points
from tenka.scene.cameras import View

TICKS = 8  # of the clock in a frame at least
CLOCK = 192.0  # 1/s at least
QUIET = 0.3  # s without moving, after which a piece sleeps


def ticks_in_frame(rate: float) -> int:
    return TICKS * math.ceil(CLOCK / (TICKS * rate))


class Bodies(NamedTuple):
    """What pieces have besides `Moved`: quaternions, spins, how long each has been still, its kind; corners
    and
    inertia of each kind, of a width of one."""

    turn: np.ndarray
    spin: np.ndarray
    still: np.ndarray
    kinds: np.ndarray
    corners: np.ndarray
    inertia: np.ndarray


@kernel
def _turned(q, sense, v):
    """A vector turned by a quaternion, or back with a sense of -1."""
    a = (sense * q[1], sense * q[2], sense * q[3])
    t = times(2.0, cross(a, v))
    return plus(plus(v, q[0], t), 1.0, cross(a, t))


@kernel
def _spun(q, v, inertia, scale):
    """Change of spin that a turning blow makes: the inverse inertia, in the scene."""
    a = _turned(q, -1.0, v)
    own = (a[0] / (inertia[0] * scale), a[1] / (inertia[1] * scale), a[2] / (inertia[2] * scale))
    return _turned(q, 1.0, own)


@kernel
def _turn_on(q, spin, dt):
    """Turn a quaternion by a spin over a time, exactly."""
    rate = length(spin)
    if rate < 1e-9:
        return
    half = 0.5 * rate * dt
    c = math.cos(half)
    x, y, z = times(math.sin(half) / rate, spin)
    a, b, d, e = q[0], q[1], q[2], q[3]
    q[0], q[1], q[2], q[3] = (
        c * a - x * b - y * d - z * e,
        c * b + x * a + y * e - z * d,
        c * d + y * a + z * b - x * e,
        c * e + z * a + x * d - y * b,
    )
    n = math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])
    for k in range(4):
        q[k] /= n


@kernel
def _blow(v, w, q, r, n, surface, bounce, friction, inertia, scale):
    """An impulse at `r` from the middle against a surface with normal `n`: the speed into it, and the
    velocity
    and the spin after it."""
    at = minus(plus(v, 1.0, cross(w, r)), surface)
    into = dot(at, n)
    if into >= 0:
        return 0.0, v, w
    share = 1.0 + dot(cross(_spun(q, cross(r, n), inertia, scale), r), n)
    push = -(1.0 + (bounce if into < -SLOW else 0.0)) * into / share
    impulse, slide = times(push, n), plus(at, -into, n)
    along = length(slide)
    if along > 1e-6:
        t = times(1.0 / along, slide)
        share = 1.0 + dot(cross(_spun(q, cross(r, t), inertia, scale), r), t)
        impulse = plus(impulse, -min(along / share, friction * push), t)
    return into, plus(v, 1.0, impulse), plus(w, 1.0, _spun(q, cross(r, impulse), inertia, scale))


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
    the
    deepest corner is, and whether any is."""
    deepest, touched = 0.0, False
    kind, size, stop = b.kinds[i], p.width[i], stops.rows[m]
    for c in range(CORNERS):
        r = _turned(b.turn[i], 1.0, times(size, row(b.corners[kind], c)))
        at = plus(place, 1.0, r)
        d = distance_to(m, stops, here, at)
        if d >= 0:
            continue
        touched = True
        if stop[RESPONSE] == DIE:
            p.dead[i] = 1
        if stop[RESPONSE] == STICK:
            p.state[i] |= np.uint8(STUCK)
            v, w = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
            continue
        side, surface = slope_of(m, stops, here, at), surface_speed(m, stops, at)
        bounce = stop[BOUNCINESS] if bounces else 0.0
        into, v, w = _blow(
            v, w, b.turn[i], r, side, surface, bounce, stop[FRICTION], b.inertia[kind], size * size
        )
        if into < -SLOW and p.hits[i, 0] < start - 1:
            p.hits[i, 0] = now
            put(p.hits[:, 1:4], i, at)
            put(p.hits[:, 4:7], i, v)
        deepest = min(deepest, d)
    return v, w, deepest, touched


@kernel
def _stopped(p, b, i, stops, here, place, v, w, start, now):
    """A piece against all that stops it: place, velocity, spin, and whether it touched anything."""
    touched = False
    for m in range(stops.rows.shape[0]):
        if distance_to(m, stops, here, place) > 0.75 * p.width[i]:
            continue
        for again in range(3):
            v, w, deepest, met = _struck(p, b, i, m, stops, here, place, v, w, again == 0, start, now)
            touched = touched or met
            if deepest == 0.0:
                break
            if again == 0:
                place = plus(place, -0.8 * deepest, slope_of(m, stops, here, place))
    return place, v, w, touched


@kernel
def _settled(p, b, i, v, w, touched, dt, sleeps):
    """Velocity and spin of a piece that may come to rest, which it does when it has been slow for a while."""
    fast = max(length(v), 0.5 * p.width[i] * length(w))
    if touched and fast < 3 * sleeps:
        calm = math.exp(-6.0 * dt)  # what rocks on its corners comes to rest
        w, v = times(calm, w), (v[0] * calm, v[1] * calm, v[2])
    if touched and fast < sleeps:
        b.still[i] += np.float32(dt)
        if b.still[i] > QUIET:
            p.state[i] |= np.uint8(ASLEEP)
            v, w = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    elif not touched or fast > 2 * sleeps:
        b.still[i] = 0
    return v, w


@kernel
def _fly(t0, t1, s, p, b, damping, sleeps, acts, stops, air):
    """One tick from t0 to t1 of a step with the numbers `s`: flight, turning, and blows against what stops
    pieces."""
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
            if not _woken(p, i, stops, here, place):
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
        place, v = flown(way_of(s, own, k, push, pull, in_gas, wind), dt, place, v)
        w = times(math.exp(-damping * dt), w)
        _turn_on(b.turn[i], w, dt)
        place, v, w, touched = _stopped(p, b, i, stops, here, place, v, w, start, t1)
        v, w = _settled(p, b, i, v, w, touched, dt, sleeps)
        put(p.place, i, place)
        put(p.velocity, i, v)
        put(b.spin, i, w)


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
    corners, inertia = np.stack([q.corners for q in own]), np.stack([q.inertia for q in own])
    all_of, gas = moved(p, dead, hits), Air(air, air.reshape(-1))
    bodies = Bodies(p.turn, p.spin, p.still, kinds, corners, inertia)
    start, end = float(numbers[START]), float(numbers[END])
    tick = 1.0 / (rate * ticks_in_frame(rate))
    first, last = math.floor(start / tick + 1e-6), math.ceil(end / tick - 1e-6)
    for n in range(first, last):
        t0, t1 = max(start, n * tick), min(end, (n + 1) * tick)
        _fly(t0, t1, numbers, all_of, bodies, body.damping, body.sleeps, acting, stops, gas)
        if body.each_other and len(p) > 1:
            collide(t1, all_of, p.still, layer.motion.bounce)
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
