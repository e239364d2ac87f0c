"""How particles move: everything that pulls on one in a step as a drift and a rate, solved exactly, with
contacts in between.

Winds, eddies, swirls, drag and a gas that carries each draw a particle towards a velocity at a rate; gravity
and pulls accelerate it. Felt at the middle of its way, they are one linear equation, dv/dt = a + k (u - v),
whose solution is in closed form: a parabola and drag are exact in one step, and what varies in space or time
is of second order.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.particles.acting import Acting, air_at, forces_within
from tenka.particles.contact import FORM, GROUND, distance_to, slope_of, surface_speed
from tenka.particles.meet import DIES, SLEEPS, STICKS, flight, meet, near
from tenka.particles.state import ASLEEP, STUCK, Points

CHUNKS = 64
START, END, LARGEST, GRAVITY, DRAG, SIZE_DRAG, FORCED, FOLLOW, COOLING, CARRIED, FELT, NOTING = range(12)
BED, ENDS, AIR, CAMERA, NUMBERS = 12, 16, 22, 26, 42
"""Places in the row of a step's numbers: its time, s; what acts everywhere; whether a gas carries, whether
one is
felt by those that sleep, whether hits are noted; of the bed whether asleep ones wake, the speed that wakes
them, the reach, the lift; whether there is a lower plane, its height, the reach (0 for none), whether leaving
the gas ends it, whether leaving the picture does, whether they settle; corner and voxel of the gas; the
camera, see View.packed."""


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


@kernel
def _advance_some(
    first,
    last,
    s,
    born,
    life,
    place,
    velocity,
    width,
    heat,
    state,
    holder,
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
    """Move particles `first` to `last`; see `advance`."""
    count = stops.shape[0]
    flat0, flat = g0.reshape(-1), eddies.reshape(-1)
    start, end = s[START], s[END]
    carried, felt, noting = s[CARRIED] > 0, s[FELT] > 0, s[NOTING] > 0
    acted = winds.shape[0] + local.shape[0] + eddies.shape[0] > 1
    for i in range(first, last):
        if noting:
            hits[i, 0] = -1e9
        dead[i] = 0
        since = max(start, born[i])
        until = end
        if life[i] < 1e30 and born[i] + life[i] <= end:
            until = max(born[i] + life[i], since)
            dead[i] = 1
        r = until - since
        x, y, z = np.float64(place[i, 0]), np.float64(place[i, 1]), np.float64(place[i, 2])
        vx, vy, vz = np.float64(velocity[i, 0]), np.float64(velocity[i, 1]), np.float64(velocity[i, 2])
        if s[COOLING] > 0:
            heat[i] *= np.float32(math.exp(-s[COOLING] * r))
        if state[i] & STUCK:
            n = holder[i]
            if 0 <= n < count:  # it goes where its holder goes
                sx, sy, sz = surface_speed(n, stops, x, y, z)
                mx, my, mz = x + 0.5 * r * sx, y + 0.5 * r * sy, z + 0.5 * r * sz
                sx, sy, sz = surface_speed(n, stops, mx, my, mz)
                place[i, 0], place[i, 1], place[i, 2] = x + r * sx, y + r * sy, z + r * sz
                velocity[i, 0], velocity[i, 1], velocity[i, 2] = sx, sy, sz
            continue
        own = (s[LARGEST] / width[i]) ** s[SIZE_DRAG] if s[SIZE_DRAG] > 0 else 1.0
        radius = 0.5 * width[i]
        mx, my, mz = x + 0.5 * r * vx, y + 0.5 * r * vy, z + 0.5 * r * vz
        gx, gy, gz = 0.0, 0.0, 0.0
        in_gas = True
        if carried or felt:
            gx, gy, gz, _a, in0 = air_at(g0, flat0, s[AIR], s[AIR + 1], s[AIR + 2], s[AIR + 3], mx, my, mz)
            in_gas = in0
            if not in_gas:
                gx, gy, gz = 0.0, 0.0, 0.0
        if state[i] & ASLEEP:
            wakes = False
            if s[BED] > 0:
                pace = math.sqrt(gx * gx + gy * gy + gz * gz)
                if felt and pace > s[BED + 1]:
                    wakes = True
                    up = s[BED + 3] * pace
                    vx, vy, vz = s[BED + 3] * gx, s[BED + 3] * gy, max(s[BED + 3] * gz, 0.0) + 0.6 * up
                for n in range(count):
                    if stops[n, FORM] == GROUND:
                        continue
                    sx, sy, sz = surface_speed(n, stops, x, y, z)
                    fast = math.sqrt(sx * sx + sy * sy + sz * sz)
                    if (
                        fast > s[BED + 1]
                        and distance_to(n, stops, values, 1.0, x, y, z) < s[BED + 2] + radius
                    ):
                        wakes = True
                        wx, wy, wz = slope_of(n, stops, values, 1.0, x, y, z)
                        vx, vy, vz = (
                            s[BED + 3] * fast * wx,
                            s[BED + 3] * fast * wy,
                            s[BED + 3] * fast * (abs(wz) + 0.5),
                        )
            if not wakes:
                continue
            state[i] &= np.uint8(255 - ASLEEP)
        k, kx, ky, kz, ax, ay, az = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        if acted:
            k, kx, ky, kz, ax, ay, az = forces_within(
                mx, my, mz, 0.5 * (since + until), s[FORCED], winds, gusts, local, eddies, flat, eddies_at
            )
        k, kx, ky, kz = (k + s[DRAG]) * own, kx * own, ky * own, kz * own
        if carried and in_gas:
            rate = s[FOLLOW] * own
            k += rate
            kx += rate * gx
            ky += rate * gy
            kz += rate * gz
        az -= s[GRAVITY]
        ux, uy, uz = (kx / k, ky / k, kz / k) if k > 1e-12 else (0.0, 0.0, 0.0)
        e, gone, fallen = flight(k, r)
        nx = x + vx * gone + ux * (r - gone) + ax * fallen
        ny = y + vy * gone + uy * (r - gone) + ay * fallen
        nz = z + vz * gone + uz * (r - gone) + az * fallen
        wx, wy, wz = (
            vx * e + ux * (1 - e) + ax * gone,
            vy * e + uy * (1 - e) + ay * gone,
            vz * e + uz * (1 - e) + az * gone,
        )
        reach = (
            max(math.sqrt(vx * vx + vy * vy + vz * vz), math.sqrt(wx * wx + wy * wy + wz * wz)) + 1e-9
        ) * r + radius
        free = True
        for n in range(count):
            free = free and not near(n, stops, x, y, z, reach)
        if free:
            x, y, z, vx, vy, vz = nx, ny, nz, wx, wy, wz
        else:
            airy = math.sqrt(gx * gx + gy * gy + gz * gz)
            x, y, z, vx, vy, vz, fate, held_by, struck, ax_, ay_, az_, bx_, by_, bz_ = meet(
                x,
                y,
                z,
                vx,
                vy,
                vz,
                ux,
                uy,
                uz,
                ax,
                ay,
                az,
                k,
                r,
                radius,
                start,
                until,
                end,
                stops,
                values,
                s[ENDS + 5] > 0,
                s[BED + 1],
                airy,
            )
            if noting and struck > -1e8:
                hits[i, 0], hits[i, 1], hits[i, 2], hits[i, 3] = struck, ax_, ay_, az_
                hits[i, 4], hits[i, 5], hits[i, 6] = bx_, by_, bz_
            if fate == DIES:
                dead[i] = 1
            elif fate == STICKS:
                state[i] |= np.uint8(STUCK)
                holder[i] = held_by
            elif fate == SLEEPS:
                state[i] |= np.uint8(ASLEEP)
        place[i, 0], place[i, 1], place[i, 2] = x, y, z
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = vx, vy, vz
        if s[ENDS] > 0 and z < s[ENDS + 1]:
            dead[i] = 1
        if s[ENDS + 2] > 0 and x * x + y * y + z * z > s[ENDS + 2] * s[ENDS + 2]:
            dead[i] = 1
        if s[ENDS + 3] > 0 and carried and not in_gas:
            dead[i] = 1
        if s[ENDS + 4] > 0:
            cx, cy, cz = x - s[CAMERA], y - s[CAMERA + 1], z - s[CAMERA + 2]
            depth = cx * s[CAMERA + 3] + cy * s[CAMERA + 4] + cz * s[CAMERA + 5]
            if depth <= 0:
                dead[i] = 1
            else:
                reach = 1.05 + radius / max(depth * s[CAMERA + 13], 1e-9)
                if (
                    abs(cx * s[CAMERA + 6] + cy * s[CAMERA + 7] + cz * s[CAMERA + 8])
                    > reach * depth * s[CAMERA + 12]
                    or abs(cx * s[CAMERA + 9] + cy * s[CAMERA + 10] + cz * s[CAMERA + 11])
                    > reach * depth * s[CAMERA + 13]
                ):
                    dead[i] = 1


@kernel(parallel=True)
def _advance(
    s,
    born,
    life,
    place,
    velocity,
    width,
    heat,
    state,
    holder,
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
    """A thin shell round a serial body: the body as a parallel loop would take two and a half times as long
    to
    compile."""
    n = born.size
    for p_ in prange(CHUNKS):
        part = np.int64(p_)
        _advance_some(
            n * part // CHUNKS,
            n * (part + 1) // CHUNKS,
            s,
            born,
            life,
            place,
            velocity,
            width,
            heat,
            state,
            holder,
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
        )


def advance(
    p: Points,
    numbers: np.ndarray,
    acting: Acting,
    stops: tuple[np.ndarray, np.ndarray],
    air: np.ndarray,
    dead: np.ndarray,
    hits: np.ndarray,
) -> None:
    """Move all particles from the step's start, or their birth, to its end, in place; see the module.

    Parameters
    ----------
    numbers : (NUMBERS,) of the step, see START and the following
    stops : what they may meet, and its distance fields, see tenka.particles.contact.Stops
    air : the gas that is felt, see AirField.at
    dead : (n,) uint8, filled
    hits : (n, 7) float64: time (s, below 0 without one), place and velocity of the first hit of each; filled
        where hits are noted, else one row will do
    """
    _advance(
        numbers,
        p.born,
        p.life,
        p.place,
        p.velocity,
        p.width,
        p.heat,
        p.state,
        p.holder,
        *acting,
        *stops,
        air,
        dead,
        hits,
    )
