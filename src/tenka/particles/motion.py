"""How particles move: everything that pulls on one in a step as a drift and a rate, solved exactly, with contacts in between.

Winds, eddies, swirls, drag and a gas that carries each draw a particle towards a velocity at a rate; gravity and pulls accelerate it.
Felt at the middle of its way, they are one linear equation, dv/dt = a + k (u - v), whose solution is in closed form: a parabola and
drag are exact in one step, and what varies in space or time is of second order.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.randomness import unit_array
from tenka.base.vector import make_lerp_channels
from tenka.gas.forces import centre_fields, stir, turbulence_potential
from tenka.gas.grid import Grid
from tenka.gas.local import BOX, BRAKE, EVERYWHERE, GRAVITY, KIND_CODES, PULL, SPHERE, SWIRL, region_arrays, region_share
from tenka.gas.settings import ForceInputs, TurbulenceInput, WindInput
from tenka.particles.contact import (
    BOUNCINESS,
    DIE,
    FORM,
    FRICTION,
    GROUND,
    ORIGIN0,
    ORIGIN1,
    RADIUS,
    RESPONSE,
    SKIN,
    STICK,
    distance_to,
    slope_of,
    surface_speed,
    table_of,
)
from tenka.particles.state import ASLEEP, STUCK, AirField

MOST_EDDY_CELLS = 1_200_000
MOST_EDDIES = 64  # of the smallest, along an axis; strays beyond feel those at the border
TOUCH = 1e-4  # m; nearer than this a particle lies on a surface
REST = 0.02  # m/s; slower off a surface than this it stays on it
HITS = 6
CHUNKS = 64
GOES_ON, DIES, STICKS, SLEEPS = 0, 1, 2, 3
LOCAL = 1 + 1 + 3 + 1 + 9 + 3 + 7 + 3
lerp_air = make_lerp_channels(4, 4)


@dataclass
class Acting:
    """All forces of a step as arrays.

    Attributes
    ----------
    winds : (n, 8): heading x, y, speed, grip, gusts, period, ground drag, number of the first gust; gusts : (n, GUSTS) in [-1, 1]
    kinds, regions, sizes, borders, turns, origins, numbers, targets : of placed forces, as tenka.gas.local takes them
    eddies : (nx, ny, nz, 4) rate times velocity, and rate, on a grid of its own; one voxel without any
    eddies_origin, eddies_voxel : m
    """

    winds: np.ndarray
    gusts: np.ndarray
    kinds: np.ndarray
    regions: np.ndarray
    sizes: np.ndarray
    borders: np.ndarray
    turns: np.ndarray
    origins: np.ndarray
    numbers: np.ndarray
    targets: np.ndarray
    eddies: np.ndarray
    eddies_origin: np.ndarray
    eddies_voxel: float

    def packed(self) -> tuple[np.ndarray, ...]:
        """Winds and their gusts, placed forces as a table (m, LOCAL), the eddies, and where they lie (4,): kernels are faster with few arrays."""
        m = len(self.kinds)
        parts = (self.kinds, self.regions, self.sizes, self.borders, self.turns, self.origins, self.numbers, self.targets)
        local = table_of(parts, m, LOCAL)
        return self.winds, self.gusts, local, self.eddies, np.array([*self.eddies_origin, self.eddies_voxel], np.float64)


def eddy_field(forces: tuple[TurbulenceInput, ...], low: np.ndarray, high: np.ndarray, t: float) -> tuple[np.ndarray, np.ndarray, float]:
    """Sum of all turbulences over a box: rate times velocity, and rate.

    Samples lie on whole multiples of the voxel, so what a particle feels does not depend on where the others are.
    """
    voxel = min(f.size / (8.0 if f.detail > 0 else 4.0) for f in forces)
    widest = MOST_EDDIES * min(f.size / (2.0 if f.detail > 0 else 1.0) for f in forces)
    middle = 0.5 * (low + high)
    low, high = np.maximum(low, middle - 0.5 * widest), np.minimum(high, middle + 0.5 * widest)
    while np.prod(np.ceil((high - low) / voxel) + 5) > MOST_EDDY_CELLS:
        voxel *= 2.0
    first, last = np.floor(low / voxel) - 2, np.ceil(high / voxel) + 2
    shape = tuple(int(n) for n in last - first)
    grid = Grid((shape[0], shape[1], shape[2]), voxel, tuple(float(f) for f in first * voxel))  # type: ignore[arg-type]
    nx, ny, nz = shape
    out = np.zeros((*shape, 4), np.float32)
    edges = tuple(np.zeros(s, np.float32) for s in ((nx, ny + 1, nz + 1), (nx + 1, ny, nz + 1), (nx + 1, ny + 1, nz)))
    faces = tuple(np.zeros(s, np.float32) for s in ((nx + 1, ny, nz), (nx, ny + 1, nz), (nx, ny, nz + 1)))
    centred = np.zeros((3, *shape), np.float32)
    for force in forces:
        turbulence_potential(force, grid, t, edges)
        for face in faces:
            face.fill(0.0)
        stir(*edges, np.float32(1.0), *faces)
        centre_fields(*faces, centred)
        if force.within is not None:
            kept = np.zeros(shape, np.float32)
            _region_on(kept, *region_arrays(force.within), np.asarray(grid.origin, np.float32), np.float32(voxel))
        else:
            kept = np.ones((1, 1, 1), np.float32)
        rate = np.float32(force.grip) * kept
        out[..., :3] += np.moveaxis(centred * rate, 0, -1)
        out[..., 3] += rate
    return out, first * voxel, voxel


@kernel(parallel=True)
def _region_on(out, region, size, border, turn, origin, corner, h):
    nx, ny, nz = out.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                dx = corner[0] + (np.float32(i) + np.float32(0.5)) * h - origin[0]
                dy = corner[1] + (np.float32(j) + np.float32(0.5)) * h - origin[1]
                dz = corner[2] + (np.float32(k) + np.float32(0.5)) * h - origin[2]
                x = turn[0, 0] * dx + turn[0, 1] * dy + turn[0, 2] * dz
                y = turn[1, 0] * dx + turn[1, 1] * dy + turn[1, 2] * dz
                z = turn[2, 0] * dx + turn[2, 1] * dy + turn[2, 2] * dz
                out[i, j, k] = region_share(region, size, border, x, y, z)


GUSTS = 256  # along the particles' extent in one step; beyond it the last one goes on


def _winds(winds: tuple[WindInput, ...], low: np.ndarray, high: np.ndarray, t: float) -> tuple[np.ndarray, np.ndarray]:
    """Rows of winds, and the gusts that are felt between two corners."""
    rows, gusts = np.zeros((len(winds), 8)), np.zeros((len(winds), GUSTS))
    for n, w in enumerate(winds):
        x, y, period = math.cos(w.heading), math.sin(w.heading), max(w.gust_period, 1e-3)
        furthest = max(a * x + b * y for a in (low[0], high[0]) for b in (low[1], high[1]))
        first = math.floor(t / period - furthest / (max(w.speed, 0.05) * period)) - 1
        rows[n] = (x, y, w.speed, w.grip, w.gusts, period, w.ground_drag, first)
        gusts[n] = 2.0 * unit_array(w.seed, first + np.arange(GUSTS)).astype(np.float64) - 1.0
    return rows, gusts


def acting(forces: ForceInputs, low: np.ndarray, high: np.ndarray, t: float) -> Acting:
    """The forces of a step whose particles lie between `low` and `high`, felt at `t`."""
    winds, gusts = _winds(forces.winds, low, high, t)
    rows = [region_arrays(f) for f in forces.locals]
    n = len(rows)
    f32 = np.float32
    stirring = tuple(f for f in forces.turbulences if f.strength > 0 and f.grip > 0)
    eddies, origin, voxel = eddy_field(stirring, low, high, t) if stirring else (np.zeros((1, 1, 1, 4), f32), np.zeros(3), 1.0)
    return Acting(
        winds, gusts,
        np.array([KIND_CODES[f.kind] for f in forces.locals], np.int64), np.array([r[0] for r in rows], np.int64),
        np.array([r[1] for r in rows], f32).reshape(n, 3), np.array([r[2] for r in rows], f32), np.array([r[3] for r in rows], f32).reshape(n, 3, 3),
        np.array([r[4] for r in rows], f32).reshape(n, 3),
        np.array([(*f.numbers, *([0.0] * (7 - len(f.numbers)))) for f in forces.locals], f32).reshape(n, 7),
        np.array([f.target for f in forces.locals], f32).reshape(n, 3), eddies, origin, voxel,
    )  # fmt: skip


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


def extents(place: np.ndarray, velocity: np.ndarray, width: np.ndarray) -> tuple[np.ndarray, np.ndarray, float, float]:
    """Least and most place, m; the most speed along an axis, m/s; and the most width, m."""
    parts = _extents(place, velocity, width)
    fastest = parts[:, 6]
    return (
        parts[:, :3].min(axis=0),
        parts[:, 3:6].max(axis=0),
        float(np.nan if np.isnan(fastest).any() else fastest.max()),
        float(parts[:, 7].max()),
    )


def _air_at(field, flat, ox, oy, oz, voxel, x, y, z):
    """Four values of a field at a point, and whether it is inside; `flat` is the field as one row."""
    nx, ny, nz = field.shape[0], field.shape[1], field.shape[2]
    px, py, pz = (x - ox) / voxel - 0.5, (y - oy) / voxel - 0.5, (z - oz) / voxel - 0.5
    inside = -0.5 <= px <= nx - 0.5 and -0.5 <= py <= ny - 0.5 and -0.5 <= pz <= nz - 0.5
    px, py, pz = min(max(px, 0.0), nx - 1.0), min(max(py, 0.0), ny - 1.0), min(max(pz, 0.0), nz - 1.0)
    a, b, c = max(min(np.int64(px), nx - 2), 0), max(min(np.int64(py), ny - 2), 0), max(min(np.int64(pz), nz - 2), 0)
    sx, sy = (ny * nz * 4 if nx > 1 else 0), (nz * 4 if ny > 1 else 0)
    u, v, w, r = lerp_air(flat, ((a * ny + b) * nz + c) * 4, sx, sy, np.float32(px - a), np.float32(py - b), np.float32(pz - c))
    return u, v, w, r, inside


air_at = kernel(inline=True)(_air_at)
plain_air_at = kernel(_air_at)


@kernel(inline=True)
def _region(t, n, px, py, pz):
    """How strongly a placed force acts at a point in its own coordinates; see tenka.gas.local.region_share."""
    region = int(t[n, 1])
    if region == EVERYWHERE:
        return 1.0
    hx, hy, hz = t[n, 2] * 0.5, t[n, 3] * 0.5, t[n, 4] * 0.5
    if region == SPHERE:
        out = (math.sqrt((px / hx) ** 2 + (py / hy) ** 2 + (pz / hz) ** 2) - 1.0) * min(hx, hy, hz)
    elif region == BOX:
        qx, qy, qz = abs(px) - hx, abs(py) - hy, abs(pz) - hz
        out = math.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2 + max(qz, 0.0) ** 2) + min(max(qx, qy, qz), 0.0)
    else:
        side = (math.sqrt((px / hx) ** 2 + (py / hy) ** 2) - 1.0) * min(hx, hy)
        up = abs(pz) - hz
        out = math.sqrt(max(side, 0.0) ** 2 + max(up, 0.0) ** 2) + min(max(side, up), 0.0)
    f = min(max(0.5 - out / t[n, 5], 0.0), 1.0)
    return f * f * (3.0 - 2.0 * f)


@kernel
def _power(x, p):
    """x to the power p, for those that are set most often without a logarithm."""
    if p == 1.0:
        return x
    if p == 2.0:
        return x * x
    if p == 1.5:
        return x * math.sqrt(x)
    return x**p


def _forces_at(x, y, z, t, share, winds, gusts, local, eddies, flat, eddies_at):
    """What all forces together do at a point: rate k, rate times velocity, acceleration. For the arrays see Acting.packed."""
    k, kx, ky, kz, ax, ay, az = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for n in range(winds.shape[0]):
        pace = winds[n, 2]
        if winds[n, 4] > 0:
            s = x * winds[n, 0] + y * winds[n, 1]  # smooth noise that travels with the wind, as tenka.effect.courses.smooth_noise
            place = min(max(t / winds[n, 5] - s / (max(winds[n, 2], 0.05) * winds[n, 5]) - winds[n, 7], 0.0), GUSTS - 1.001)
            i = int(place)
            f = place - i
            before, after = gusts[n, i], gusts[n, i + 1]
            pace *= max(0.0, 1.0 + winds[n, 4] * (before + (after - before) * f * f * f * (f * (6.0 * f - 15.0) + 10.0)))
        if winds[n, 6] > 0:
            pace *= math.sqrt(min(max(z / winds[n, 6], 0.0), 1.0))
        rate = winds[n, 3] * share
        k += rate
        kx += rate * pace * winds[n, 0]
        ky += rate * pace * winds[n, 1]
    if eddies.shape[0] > 1:
        ex, ey, ez, er, _ = air_at(eddies, flat, eddies_at[0], eddies_at[1], eddies_at[2], eddies_at[3], x, y, z)
        k += er * share
        kx += ex * share
        ky += ey * share
        kz += ez * share
    for n in range(local.shape[0]):
        kind = int(local[n, 0])
        dx, dy, dz = x - local[n, 15], y - local[n, 16], z - local[n, 17]
        px = local[n, 6] * dx + local[n, 7] * dy + local[n, 8] * dz
        py = local[n, 9] * dx + local[n, 10] * dy + local[n, 11] * dz
        pz = local[n, 12] * dx + local[n, 13] * dy + local[n, 14] * dz
        felt = _region(local, n, px, py, pz) * share
        if felt <= 0:
            continue
        a0 = local[n, 18]
        if kind == SWIRL:
            radius, height, spin, lift, pull, falloff, grip = (
                a0,
                local[n, 19],
                local[n, 20],
                local[n, 21],
                local[n, 22],
                local[n, 23],
                local[n, 24],
            )
            r2 = px * px + py * py
            ratio = 1.0 if r2 <= radius * radius else radius / math.sqrt(r2)
            away = 1.0 if ratio >= 1.0 else _power(ratio, falloff)
            turn = 2.0 * math.pi * spin * ratio * away
            end = min(max((height * 0.5 - abs(pz)) / max(radius * 0.5, 1e-6) + 0.5, 0.0), 1.0)
            inward = pull / radius if ratio >= 1.0 else pull * away / math.sqrt(r2)
            a, b, c = -turn * py - inward * px, turn * px - inward * py, lift * away
            rate = grip * away * end * felt
            k += rate
            kx += rate * (local[n, 6] * a + local[n, 9] * b + local[n, 12] * c)
            ky += rate * (local[n, 7] * a + local[n, 10] * b + local[n, 13] * c)
            kz += rate * (local[n, 8] * a + local[n, 11] * b + local[n, 14] * c)
        elif kind == PULL:
            r = math.sqrt(dx * dx + dy * dy + dz * dz)
            if r > 1e-6:
                fade = min(r / (0.25 * a0), 1.0) if r <= a0 else _power(a0 / r, local[n, 20])
                a = -local[n, 19] * fade * felt / r
                ax += a * dx
                ay += a * dy
                az += a * dz
        elif kind == GRAVITY:
            ax += a0 * local[n, 25] * felt
            ay += a0 * local[n, 26] * felt
            az += a0 * local[n, 27] * felt
        elif kind == BRAKE:
            k += a0 * felt
        else:
            rate = a0 * felt
            k += rate
            kx += rate * local[n, 25]
            ky += rate * local[n, 26]
            kz += rate * local[n, 27]
    return k, kx, ky, kz, ax, ay, az


forces_at = kernel(_forces_at)
forces_within = kernel(inline=True)(_forces_at)


@kernel
def flight(k, t):
    """exp(-k t), its integral, and the integral of that: what a start velocity, a drift and an acceleration have done after `t`."""
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


@kernel(inline=True)
def _near(n, w, x, y, z, reach):
    """Whether a collider may be within `reach` of a point at any time of the step."""
    if w[n, FORM] == GROUND:
        return z - w[n, SKIN] <= reach
    dx, dy, dz = x - w[n, ORIGIN0], y - w[n, ORIGIN0 + 1], z - w[n, ORIGIN0 + 2]
    ex, ey, ez = w[n, ORIGIN1] - w[n, ORIGIN0], w[n, ORIGIN1 + 1] - w[n, ORIGIN0 + 1], w[n, ORIGIN1 + 2] - w[n, ORIGIN0 + 2]
    far = reach + w[n, RADIUS] + math.sqrt(ex * ex + ey * ey + ez * ez)
    return dx * dx + dy * dy + dz * dz <= far * far


@kernel
def _meet(x, y, z, vx, vy, vz, ux, uy, uz, ax, ay, az, k, r, radius, start, until, end, stops, values, settles, wakes_at, airy):
    """One particle's way through a step in which it may meet something; see `advance`.

    Returns its place and velocity, what becomes of it, what holds it, and time, place and velocity of its first hit.
    """
    count, span = stops.shape[0], max(end - start, 1e-12)
    fate, held_by, struck = GOES_ON, -1, -1e9
    ax0, ay0, az0, bx0, by0, bz0 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    left, hits = r, 0
    while left > 0:
        e, gone, fallen = flight(k, left)
        nx = x + vx * gone + ux * (left - gone) + ax * fallen
        ny = y + vy * gone + uy * (left - gone) + ay * fallen
        nz = z + vz * gone + uz * (left - gone) + az * fallen
        wx, wy, wz = vx * e + ux * (1 - e) + ax * gone, vy * e + uy * (1 - e) + ay * gone, vz * e + uz * (1 - e) + az * gone
        if hits >= HITS:
            x, y, z, vx, vy, vz, left = nx, ny, nz, wx, wy, wz, 0.0
            break
        fastest = max(math.sqrt(vx * vx + vy * vy + vz * vz), math.sqrt(wx * wx + wy * wy + wz * wz)) + 1e-9
        length = fastest * left
        first_n, first_s = -1, left
        lies_on = -1
        for n in range(count):
            if not _near(n, stops, x, y, z, length + radius):
                continue
            here = (until - left - start) / span
            sx, sy, sz = surface_speed(n, stops, x, y, z)
            closing = fastest + math.sqrt(sx * sx + sy * sy + sz * sz)
            d = distance_to(n, stops, values, here, x, y, z) - radius
            if d > closing * left:
                continue
            if d < TOUCH:
                px, py, pz = slope_of(n, stops, values, here, x, y, z)
                into = (vx - sx) * px + (vy - sy) * py + (vz - sz) * pz
                if into < REST:
                    first_n, first_s, lies_on = n, 0.0, n
                    break
            # conservative advancement: the distance is always free
            s, safe = 0.0, 0.0
            met = False
            least = 2 * TOUCH / closing
            for _ in range(64):
                s = min(s + max(d / closing, least), left)
                least *= 1.2
                e1, gone1, fallen1 = flight(k, s)
                cx = x + vx * gone1 + ux * (s - gone1) + ax * fallen1
                cy = y + vy * gone1 + uy * (s - gone1) + ay * fallen1
                cz = z + vz * gone1 + uz * (s - gone1) + az * fallen1
                d = distance_to(n, stops, values, here + s / span, cx, cy, cz) - radius
                if d < 0:
                    met = True
                    break
                safe = s
                if s >= left or s > first_s:
                    break
            if met:
                for _ in range(30):
                    middle = 0.5 * (safe + s)
                    e1, gone1, fallen1 = flight(k, middle)
                    cx = x + vx * gone1 + ux * (middle - gone1) + ax * fallen1
                    cy = y + vy * gone1 + uy * (middle - gone1) + ay * fallen1
                    cz = z + vz * gone1 + uz * (middle - gone1) + az * fallen1
                    if distance_to(n, stops, values, here + middle / span, cx, cy, cz) - radius < 0:
                        s = middle
                    else:
                        safe = middle
                if safe <= first_s:
                    first_n, first_s = n, safe
        if first_n < 0:
            x, y, z, vx, vy, vz, left = nx, ny, nz, wx, wy, wz, 0.0
            break
        n = first_n
        e, gone, fallen = flight(k, first_s)
        x, y, z = (
            x + vx * gone + ux * (first_s - gone) + ax * fallen,
            y + vy * gone + uy * (first_s - gone) + ay * fallen,
            z + vz * gone + uz * (first_s - gone) + az * fallen,
        )
        vx, vy, vz = vx * e + ux * (1 - e) + ax * gone, vy * e + uy * (1 - e) + ay * gone, vz * e + uz * (1 - e) + az * gone
        left -= first_s
        hits += 1
        here = (until - left - start) / span
        px, py, pz = slope_of(n, stops, values, here, x, y, z)
        sx, sy, sz = surface_speed(n, stops, x, y, z)
        qx, qy, qz = vx - sx, vy - sy, vz - sz
        into = qx * px + qy * py + qz * pz
        if lies_on < 0 and struck < start - 1 and into < -REST:
            struck = until - left
            ax0, ay0, az0, bx0, by0, bz0 = x, y, z, vx, vy, vz
        if stops[n, RESPONSE] == DIE:
            fate = DIES
            break
        if stops[n, RESPONSE] == STICK:
            fate, held_by = STICKS, n
            vx, vy, vz = sx, sy, sz
            x, y, z = x + sx * left, y + sy * left, z + sz * left
            break
        tx, ty, tz = qx - into * px, qy - into * py, qz - into * pz
        along = math.sqrt(tx * tx + ty * ty + tz * tz)
        bounced = -stops[n, BOUNCINESS] * into
        if into < 0 and bounced >= REST and lies_on < 0:
            loss = min(stops[n, FRICTION] * (1 + stops[n, BOUNCINESS]) * -into, along)  # Coulomb's law over the blow
            keep = (along - loss) / along if along > 1e-9 else 0.0
            vx, vy, vz = sx + tx * keep + px * bounced, sy + ty * keep + py * bounced, sz + tz * keep + pz * bounced
            vn = vx * px + vy * py + vz * pz
            d = distance_to(n, stops, values, here, x, y, z) - radius
            if d < 0:
                x, y, z = x - px * (d - 1e-6), y - py * (d - 1e-6), z - pz * (d - 1e-6)
            if abs(vn - (sx * px + sy * py + sz * pz)) < 1e-9:
                break
            continue
        # it lies on the surface for the rest of the step: pressed on, it slides against friction; drawn off, it flies
        dx_, dy_, dz_ = ax + k * (ux - vx), ay + k * (uy - vy), az + k * (uz - vz)
        press = -(dx_ * px + dy_ * py + dz_ * pz)
        if press <= 0 and lies_on >= 0:
            vn = max(into, 0.0) + 1e-6
            vx, vy, vz = sx + tx + px * vn, sy + ty + py * vn, sz + tz + pz * vn
            d = distance_to(n, stops, values, here, x, y, z) - radius
            x, y, z = x - px * (d - 2 * TOUCH), y - py * (d - 2 * TOUCH), z - pz * (d - 2 * TOUCH)
            continue
        if into < 0 and lies_on < 0:
            loss = min(stops[n, FRICTION] * -into, along)
            keep = (along - loss) / along if along > 1e-9 else 0.0
            tx, ty, tz = tx * keep, ty * keep, tz * keep
        # along the surface: drag and drift in closed form, friction taken off the speed
        wx, wy, wz = ux - sx, uy - sy, uz - sz
        un, an = wx * px + wy * py + wz * pz, ax * px + ay * py + az * pz
        e, gone, fallen = flight(k, left)
        fx = tx * e + (wx - un * px) * (1 - e) + (ax - an * px) * gone
        fy = ty * e + (wy - un * py) * (1 - e) + (ay - an * py) * gone
        fz = tz * e + (wz - un * pz) * (1 - e) + (az - an * pz) * gone
        fast = math.sqrt(fx * fx + fy * fy + fz * fz)
        was = math.sqrt(tx * tx + ty * ty + tz * tz)
        slowed = stops[n, FRICTION] * max(press, 0.0) * left
        keep = max(0.0, 1 - slowed / fast) if fast > 1e-12 else 0.0
        share = 0.5 * (was + fast * keep) / max(fast, was, 1e-12) if slowed < max(fast, was) else 0.5 * was / max(slowed, 1e-12)
        bx, by, bz = (fx, fy, fz) if fast > was else (tx, ty, tz)
        x, y, z = x + (sx + bx * share) * left, y + (sy + by * share) * left, z + (sz + bz * share) * left
        vx, vy, vz = sx + fx * keep, sy + fy * keep, sz + fz * keep
        d = distance_to(n, stops, values, 1.0 if until >= end else here, x, y, z) - radius
        px, py, pz = slope_of(n, stops, values, 1.0 if until >= end else here, x, y, z)
        x, y, z = x - px * (d - 1e-6), y - py * (d - 1e-6), z - pz * (d - 1e-6)
        if settles and fast * keep < 0.25 * wakes_at and airy < wakes_at:
            fate = SLEEPS
            vx, vy, vz = 0.0, 0.0, 0.0
        left = 0.0
    return x, y, z, vx, vy, vz, fate, held_by, struck, ax0, ay0, az0, bx0, by0, bz0


@kernel(parallel=True)
def advance(start, end, born, life, place, velocity, width, heat, state, holder, largest, gravity, drag, size_drag, forced, follow, cooling, winds, gusts, local, eddies, eddies_at,
            stops, values, g0, g0_origin, g_voxel, carried, bed, felt, ends, camera, dead, noting, hit_time, hit_place, hit_velocity):  # fmt: skip
    """Move all particles from `start`, or their birth, to `end`; see the module. Fills `dead` and the first hit of each.

    Parameters
    ----------
    g0 : the gas that is felt, see AirField.at; used when `carried`
    bed : (4,) whether asleep ones wake, the speed that wakes them, the reach, the lift
    felt : whether a gas is felt by those that sleep
    ends : (6,) whether there is a lower plane, its height, the reach (0 for none), whether leaving the gas ends it, whether leaving the picture does, settle
    camera : (16,) of the effect's camera, see View.packed
    dead : (n,) uint8; hit_time : (n,) float64, below 0 without a hit; filled when `noting`
    """
    count = stops.shape[0]
    flat0, flat = g0.reshape(-1), eddies.reshape(-1)
    acted = winds.shape[0] + local.shape[0] + eddies.shape[0] > 1
    for p_ in prange(born.size):
        i = np.int64(p_)
        if noting:
            hit_time[i] = -1e9
        dead[i] = 0
        since = max(start, born[i])
        until = end
        if life[i] < 1e30 and born[i] + life[i] <= end:
            until = max(born[i] + life[i], since)
            dead[i] = 1
        r = until - since
        x, y, z = np.float64(place[i, 0]), np.float64(place[i, 1]), np.float64(place[i, 2])
        vx, vy, vz = np.float64(velocity[i, 0]), np.float64(velocity[i, 1]), np.float64(velocity[i, 2])
        if cooling > 0:
            heat[i] *= np.float32(math.exp(-cooling * r))
        if state[i] & STUCK:
            n = holder[i]
            if 0 <= n < count:  # it goes where its holder goes
                sx, sy, sz = surface_speed(n, stops, x, y, z)
                mx, my, mz = x + 0.5 * r * sx, y + 0.5 * r * sy, z + 0.5 * r * sz
                sx, sy, sz = surface_speed(n, stops, mx, my, mz)
                place[i, 0], place[i, 1], place[i, 2] = x + r * sx, y + r * sy, z + r * sz
                velocity[i, 0], velocity[i, 1], velocity[i, 2] = sx, sy, sz
            continue
        own = (largest / width[i]) ** size_drag if size_drag > 0 else 1.0
        radius = 0.5 * width[i]
        mx, my, mz = x + 0.5 * r * vx, y + 0.5 * r * vy, z + 0.5 * r * vz
        gx, gy, gz = 0.0, 0.0, 0.0
        in_gas = True
        if carried or felt:
            gx, gy, gz, _a, in0 = air_at(g0, flat0, g0_origin[0], g0_origin[1], g0_origin[2], g_voxel, mx, my, mz)
            in_gas = in0
            if not in_gas:
                gx, gy, gz = 0.0, 0.0, 0.0
        if state[i] & ASLEEP:
            wakes = False
            if bed[0] > 0:
                pace = math.sqrt(gx * gx + gy * gy + gz * gz)
                if felt and pace > bed[1]:
                    wakes = True
                    up = bed[3] * pace
                    vx, vy, vz = bed[3] * gx, bed[3] * gy, max(bed[3] * gz, 0.0) + 0.6 * up
                for n in range(count):
                    if stops[n, FORM] == GROUND:
                        continue
                    sx, sy, sz = surface_speed(n, stops, x, y, z)
                    fast = math.sqrt(sx * sx + sy * sy + sz * sz)
                    if fast > bed[1] and distance_to(n, stops, values, 1.0, x, y, z) < bed[2] + radius:
                        wakes = True
                        wx, wy, wz = slope_of(n, stops, values, 1.0, x, y, z)
                        vx, vy, vz = bed[3] * fast * wx, bed[3] * fast * wy, bed[3] * fast * (abs(wz) + 0.5)
            if not wakes:
                continue
            state[i] &= np.uint8(255 - ASLEEP)
        k, kx, ky, kz, ax, ay, az = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        if acted:
            k, kx, ky, kz, ax, ay, az = forces_within(
                mx, my, mz, 0.5 * (since + until), forced, winds, gusts, local, eddies, flat, eddies_at
            )
        k, kx, ky, kz = (k + drag) * own, kx * own, ky * own, kz * own
        if carried and in_gas:
            rate = follow * own
            k += rate
            kx += rate * gx
            ky += rate * gy
            kz += rate * gz
        az -= gravity
        ux, uy, uz = (kx / k, ky / k, kz / k) if k > 1e-12 else (0.0, 0.0, 0.0)
        e, gone, fallen = flight(k, r)
        nx = x + vx * gone + ux * (r - gone) + ax * fallen
        ny = y + vy * gone + uy * (r - gone) + ay * fallen
        nz = z + vz * gone + uz * (r - gone) + az * fallen
        wx, wy, wz = vx * e + ux * (1 - e) + ax * gone, vy * e + uy * (1 - e) + ay * gone, vz * e + uz * (1 - e) + az * gone
        reach = (max(math.sqrt(vx * vx + vy * vy + vz * vz), math.sqrt(wx * wx + wy * wy + wz * wz)) + 1e-9) * r + radius
        free = True
        for n in range(count):
            free = free and not _near(n, stops, x, y, z, reach)
        if free:
            x, y, z, vx, vy, vz = nx, ny, nz, wx, wy, wz
        else:
            airy = math.sqrt(gx * gx + gy * gy + gz * gz)
            x, y, z, vx, vy, vz, fate, held_by, struck, ax_, ay_, az_, bx_, by_, bz_ = _meet(
                x, y, z, vx, vy, vz, ux, uy, uz, ax, ay, az, k, r, radius, start, until, end, stops, values, ends[5] > 0, bed[1], airy
            )
            if noting and struck > -1e8:
                hit_time[i] = struck
                hit_place[i, 0], hit_place[i, 1], hit_place[i, 2] = ax_, ay_, az_
                hit_velocity[i, 0], hit_velocity[i, 1], hit_velocity[i, 2] = bx_, by_, bz_
            if fate == DIES:
                dead[i] = 1
            elif fate == STICKS:
                state[i] |= np.uint8(STUCK)
                holder[i] = held_by
            elif fate == SLEEPS:
                state[i] |= np.uint8(ASLEEP)
        place[i, 0], place[i, 1], place[i, 2] = x, y, z
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = vx, vy, vz
        if ends[0] > 0 and z < ends[1]:
            dead[i] = 1
        if ends[2] > 0 and x * x + y * y + z * z > ends[2] * ends[2]:
            dead[i] = 1
        if ends[3] > 0 and carried and not in_gas:
            dead[i] = 1
        if ends[4] > 0:
            cx, cy, cz = x - camera[0], y - camera[1], z - camera[2]
            depth = cx * camera[3] + cy * camera[4] + cz * camera[5]
            if depth <= 0:
                dead[i] = 1
            else:
                reach = 1.05 + radius / max(depth * camera[13], 1e-9)
                if (
                    abs(cx * camera[6] + cy * camera[7] + cz * camera[8]) > reach * depth * camera[12]
                    or abs(cx * camera[9] + cy * camera[10] + cz * camera[11]) > reach * depth * camera[13]
                ):
                    dead[i] = 1


NO_FIELD = AirField(np.zeros((1, 1, 1, 4), np.float32), (0.0, 0.0, 0.0), np.zeros((1, 1, 1, 4), np.float32), (0.0, 0.0, 0.0), 1.0, 0.0, 0.0)
