"""Rigid pieces: flight with tumbling, blows and friction at their corners, each other by round hulls, sleep.

Time is cut into pieces of a clock that all sub-steps share, so what happens does not depend on how many
sub-steps there are. Blows are impulses at a corner with Coulomb friction (Baraff 1997); pairs are found in a
uniform grid.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from tenka.base.jit import kernel
from tenka.effect.model import DebrisLayer, Prop
from tenka.particles.acting import Acting, air_at, forces_at
from tenka.particles.colliding import SLOW, _meet
from tenka.particles.contact import (
    BOUNCINESS,
    DIE,
    FORM,
    FRICTION,
    GROUND,
    RESPONSE,
    STICK,
    distance_to,
    slope_of,
    surface_speed,
)
from tenka.particles.meet import flight
from tenka.particles.motion import (
    AIR,
    CARRIED,
    COOLING,
    DRAG,
    END,
    ENDS,
    FOLLOW,
    FORCED,
    GRAVITY,
    LARGEST,
    SIZE_DRAG,
    START,
)
from tenka.particles.pieces import CORNERS, kind_of, pieces_of
from tenka.particles.state import ASLEEP, STUCK, Points
from tenka.scene.cameras import View

TICKS = 8  # of the clock in a frame at least
CLOCK = 192.0  # 1/s at least
QUIET = 0.3  # s without moving, after which a piece sleeps


def ticks_in_frame(rate: float) -> int:
    return TICKS * math.ceil(CLOCK / (TICKS * rate))


@kernel
def _turned(q, x, y, z):
    """A vector turned by a quaternion."""
    w, a, b, c = q[0], q[1], q[2], q[3]
    tx, ty, tz = 2 * (b * z - c * y), 2 * (c * x - a * z), 2 * (a * y - b * x)
    return x + w * tx + b * tz - c * ty, y + w * ty + c * tx - a * tz, z + w * tz + a * ty - b * tx


@kernel
def _turned_back(q, x, y, z):
    w, a, b, c = q[0], -q[1], -q[2], -q[3]
    tx, ty, tz = 2 * (b * z - c * y), 2 * (c * x - a * z), 2 * (a * y - b * x)
    return x + w * tx + b * tz - c * ty, y + w * ty + c * tx - a * tz, z + w * tz + a * ty - b * tx


@kernel
def _spun(q, x, y, z, inertia, scale):
    """Change of spin that a turning blow makes: the inverse inertia, in the scene."""
    a, b, c = _turned_back(q, x, y, z)
    return _turned(q, a / (inertia[0] * scale), b / (inertia[1] * scale), c / (inertia[2] * scale))


@kernel
def _turn_on(q, wx, wy, wz, dt):
    """Turn a quaternion by a spin over a time, exactly."""
    rate = math.sqrt(wx * wx + wy * wy + wz * wz)
    if rate < 1e-9:
        return
    half = 0.5 * rate * dt
    s, c = math.sin(half) / rate, math.cos(half)
    x, y, z = wx * s, wy * s, wz * s
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
    """Give an impulse at `r` from the middle against a surface with normal `n`; returns the speed into it."""
    cx = v[0] + w[1] * r[2] - w[2] * r[1] - surface[0]
    cy = v[1] + w[2] * r[0] - w[0] * r[2] - surface[1]
    cz = v[2] + w[0] * r[1] - w[1] * r[0] - surface[2]
    into = cx * n[0] + cy * n[1] + cz * n[2]
    if into >= 0:
        return 0.0
    ax, ay, az = r[1] * n[2] - r[2] * n[1], r[2] * n[0] - r[0] * n[2], r[0] * n[1] - r[1] * n[0]
    bx, by, bz = _spun(q, ax, ay, az, inertia, scale)
    share = (
        1.0 + (by * r[2] - bz * r[1]) * n[0] + (bz * r[0] - bx * r[2]) * n[1] + (bx * r[1] - by * r[0]) * n[2]
    )
    push = -(1.0 + (bounce if into < -SLOW else 0.0)) * into / share
    px, py, pz = push * n[0], push * n[1], push * n[2]
    tx, ty, tz = cx - into * n[0], cy - into * n[1], cz - into * n[2]
    along = math.sqrt(tx * tx + ty * ty + tz * tz)
    if along > 1e-6:
        tx, ty, tz = tx / along, ty / along, tz / along
        ax, ay, az = r[1] * tz - r[2] * ty, r[2] * tx - r[0] * tz, r[0] * ty - r[1] * tx
        bx, by, bz = _spun(q, ax, ay, az, inertia, scale)
        share = (
            1.0 + (by * r[2] - bz * r[1]) * tx + (bz * r[0] - bx * r[2]) * ty + (bx * r[1] - by * r[0]) * tz
        )
        rub = min(along / share, friction * push)
        px, py, pz = px - rub * tx, py - rub * ty, pz - rub * tz
    v[0] += px
    v[1] += py
    v[2] += pz
    bx, by, bz = _spun(q, r[1] * pz - r[2] * py, r[2] * px - r[0] * pz, r[0] * py - r[1] * px, inertia, scale)
    w[0] += bx
    w[1] += by
    w[2] += bz
    return into


@kernel
def _fly(
    t0,
    t1,
    start,
    end,
    born,
    life,
    place,
    velocity,
    width,
    turn,
    spin,
    still,
    state,
    kinds,
    corners,
    inertia,
    numbers,
    damping,
    sleeps,
    winds,
    gusts,
    local,
    eddies,
    eddies_at,
    stops,
    values,
    g0,
    dead,
    hits,
):
    """One tick from t0 to t1 of a step from `start` to `end`: flight, turning, and blows against what stops
    them."""
    count = stops.shape[0]
    carried = numbers[CARRIED] > 0
    largest, size_drag, forced = numbers[LARGEST], numbers[SIZE_DRAG], numbers[FORCED]
    flat0, flat = g0.reshape(-1), eddies.reshape(-1)
    for i in range(born.size):
        since = max(t0, born[i])
        dt = t1 - since
        if dt <= 0 or dead[i] or state[i] & STUCK:
            continue
        if born[i] + life[i] <= t1:
            dead[i] = 1
        here = min(max((t1 - start) / max(end - start, 1e-12), 0.0), 1.0)
        q, kind, size = turn[i], kinds[i], width[i]
        v, w, r, n, surface = np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
        for c in range(3):
            v[c], w[c] = velocity[i, c], spin[i, c]
        x, y, z = np.float64(place[i, 0]), np.float64(place[i, 1]), np.float64(place[i, 2])
        if state[i] & ASLEEP:
            wakes = False
            for m in range(count):
                if stops[m, FORM] == GROUND:
                    continue
                sx, sy, sz = surface_speed(m, stops, x, y, z)
                if (
                    sx * sx + sy * sy + sz * sz > 1e-4
                    and distance_to(m, stops, values, here, x, y, z) < 0.5 * size
                ):
                    wakes = True
            if not wakes:
                continue
            state[i] &= np.uint8(255 - ASLEEP)
            still[i] = 0
        own = (largest / size) ** size_drag if size_drag > 0 else 1.0
        k, kx, ky, kz, ax, ay, az = forces_at(
            x, y, z, 0.5 * (since + t1), forced, winds, gusts, local, eddies, flat, eddies_at
        )
        k, kx, ky, kz = (k + numbers[DRAG]) * own, kx * own, ky * own, kz * own
        if carried:
            gx, gy, gz, _a, inside = air_at(
                g0, flat0, numbers[AIR], numbers[AIR + 1], numbers[AIR + 2], numbers[AIR + 3], x, y, z
            )
            if inside:
                k, kx, ky, kz = (
                    k + numbers[FOLLOW] * own,
                    kx + numbers[FOLLOW] * own * gx,
                    ky + numbers[FOLLOW] * own * gy,
                    kz + numbers[FOLLOW] * own * gz,
                )
        az -= numbers[GRAVITY]
        ux, uy, uz = (kx / k, ky / k, kz / k) if k > 1e-12 else (0.0, 0.0, 0.0)
        e, gone, fallen = flight(k, dt)
        x, y, z = (
            x + v[0] * gone + ux * (dt - gone) + ax * fallen,
            y + v[1] * gone + uy * (dt - gone) + ay * fallen,
            z + v[2] * gone + uz * (dt - gone) + az * fallen,
        )
        v[0], v[1], v[2] = (
            v[0] * e + ux * (1 - e) + ax * gone,
            v[1] * e + uy * (1 - e) + ay * gone,
            v[2] * e + uz * (1 - e) + az * gone,
        )
        keep = math.exp(-damping * dt)
        w[0], w[1], w[2] = w[0] * keep, w[1] * keep, w[2] * keep
        _turn_on(q, w[0], w[1], w[2], dt)
        touched = False
        for m in range(count):
            if distance_to(m, stops, values, here, x, y, z) > 0.75 * size:
                continue
            scale = size * size
            for again in range(3):
                deepest = 0.0
                for c in range(CORNERS):
                    a, b, d_ = _turned(
                        q, corners[kind, c, 0] * size, corners[kind, c, 1] * size, corners[kind, c, 2] * size
                    )
                    d = distance_to(m, stops, values, here, x + a, y + b, z + d_)
                    if d >= 0:
                        continue
                    touched = True
                    r[0], r[1], r[2] = a, b, d_
                    n[0], n[1], n[2] = slope_of(m, stops, values, here, x + a, y + b, z + d_)
                    surface[0], surface[1], surface[2] = surface_speed(m, stops, x + a, y + b, z + d_)
                    if stops[m, RESPONSE] == DIE:
                        dead[i] = 1
                    if stops[m, RESPONSE] == STICK:
                        state[i] |= np.uint8(STUCK)
                        v[0], v[1], v[2] = 0.0, 0.0, 0.0
                        w[0], w[1], w[2] = 0.0, 0.0, 0.0
                        continue
                    into = _blow(
                        v,
                        w,
                        q,
                        r,
                        n,
                        surface,
                        stops[m, BOUNCINESS] if again == 0 else 0.0,
                        stops[m, FRICTION],
                        inertia[kind],
                        scale,
                    )
                    if into < -SLOW and hits[i, 0] < start - 1:
                        hits[i, 0] = t1
                        hits[i, 1], hits[i, 2], hits[i, 3] = x + a, y + b, z + d_
                        hits[i, 4], hits[i, 5], hits[i, 6] = v[0], v[1], v[2]
                    deepest = min(deepest, d)
                if deepest == 0.0:
                    break
                if again == 0:
                    n[0], n[1], n[2] = slope_of(m, stops, values, here, x, y, z)
                    x, y, z = x - 0.8 * deepest * n[0], y - 0.8 * deepest * n[1], z - 0.8 * deepest * n[2]
        fast = max(
            math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]),
            0.5 * size * math.sqrt(w[0] * w[0] + w[1] * w[1] + w[2] * w[2]),
        )
        if touched and fast < 3 * sleeps:
            calm = math.exp(-6.0 * dt)  # what rocks on its corners comes to rest
            w[0], w[1], w[2], v[0], v[1] = w[0] * calm, w[1] * calm, w[2] * calm, v[0] * calm, v[1] * calm
        if touched and fast < sleeps:
            still[i] += np.float32(dt)
            if still[i] > QUIET:
                state[i] |= np.uint8(ASLEEP)
                for c in range(3):
                    v[c], w[c] = 0.0, 0.0
        elif not touched or fast > 2 * sleeps:
            still[i] = 0
        place[i, 0], place[i, 1], place[i, 2] = x, y, z
        for c in range(3):
            velocity[i, c], spin[i, c] = v[c], w[c]


def advance_bodies(
    p: Points,
    layer: DebrisLayer,
    rate: float,
    props: tuple[Prop, ...],
    folder: Path | None,
    numbers: np.ndarray,
    acting: Acting,
    stops: tuple[np.ndarray, np.ndarray],
    air: np.ndarray,
    view: View,
    dead: np.ndarray,
    hits: np.ndarray,
) -> None:
    """Move all pieces from the step's start, or their birth, to its end, in place; see
    tenka.particles.motion.advance for the arguments."""
    own = pieces_of(layer, props, folder)
    kinds = kind_of(layer, p.id, len(own))
    corners, inertia = np.stack([q.corners for q in own]), np.stack([q.inertia for q in own])
    start, end = float(numbers[START]), float(numbers[END])
    tick = 1.0 / (rate * ticks_in_frame(rate))
    first, last = math.floor(start / tick + 1e-6), math.ceil(end / tick - 1e-6)
    for n in range(first, last):
        t0, t1 = max(start, n * tick), min(end, (n + 1) * tick)
        _fly(
            t0,
            t1,
            start,
            end,
            p.born,
            p.life,
            p.place,
            p.velocity,
            p.width,
            p.turn,
            p.spin,
            p.still,
            p.state,
            kinds,
            corners,
            inertia,
            numbers,
            layer.bodies.damping,
            layer.bodies.sleeps,
            *acting,
            *stops,
            air,
            dead,
            hits,
        )
        if layer.bodies.each_other and len(p) > 1:
            _meet(t1, p.born, p.place, p.velocity, p.width, p.state, p.still, layer.motion.bounce)
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
