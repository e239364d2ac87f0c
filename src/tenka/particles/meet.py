"""One particle's way through a step in which it may meet something: bounces, slides, sticks, sleeps or
dies."""

from __future__ import annotations

import math

from tenka.base.jit import kernel
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
)

GOES_ON, DIES, STICKS, SLEEPS = 0, 1, 2, 3
"""What becomes of a particle in a step."""
TOUCH = 1e-4  # m; nearer than this a particle lies on a surface


REST = 0.02  # m/s; slower off a surface than this it stays on it


HITS = 6


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


@kernel(inline=True)
def near(n, w, x, y, z, reach):
    """Whether a collider may be within `reach` of a point at any time of the step."""
    if w[n, FORM] == GROUND:
        return z - w[n, SKIN] <= reach
    dx, dy, dz = x - w[n, ORIGIN0], y - w[n, ORIGIN0 + 1], z - w[n, ORIGIN0 + 2]
    ex, ey, ez = (
        w[n, ORIGIN1] - w[n, ORIGIN0],
        w[n, ORIGIN1 + 1] - w[n, ORIGIN0 + 1],
        w[n, ORIGIN1 + 2] - w[n, ORIGIN0 + 2],
    )
    far = reach + w[n, RADIUS] + math.sqrt(ex * ex + ey * ey + ez * ez)
    return dx * dx + dy * dy + dz * dz <= far * far


@kernel
def meet(
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
    settles,
    wakes_at,
    airy,
):
    """One particle's way through a step in which it may meet something; see `advance`.

    Returns its place and velocity, what becomes of it, what holds it, and time, place and velocity of its
    first hit.
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
        wx, wy, wz = (
            vx * e + ux * (1 - e) + ax * gone,
            vy * e + uy * (1 - e) + ay * gone,
            vz * e + uz * (1 - e) + az * gone,
        )
        if hits >= HITS:
            x, y, z, vx, vy, vz, left = nx, ny, nz, wx, wy, wz, 0.0
            break
        fastest = max(math.sqrt(vx * vx + vy * vy + vz * vz), math.sqrt(wx * wx + wy * wy + wz * wz)) + 1e-9
        length = fastest * left
        first_n, first_s = -1, left
        lies_on = -1
        for n in range(count):
            if not near(n, stops, x, y, z, length + radius):
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
        vx, vy, vz = (
            vx * e + ux * (1 - e) + ax * gone,
            vy * e + uy * (1 - e) + ay * gone,
            vz * e + uz * (1 - e) + az * gone,
        )
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
            loss = min(
                stops[n, FRICTION] * (1 + stops[n, BOUNCINESS]) * -into, along
            )  # Coulomb's law over the blow
            keep = (along - loss) / along if along > 1e-9 else 0.0
            vx, vy, vz = (
                sx + tx * keep + px * bounced,
                sy + ty * keep + py * bounced,
                sz + tz * keep + pz * bounced,
            )
            vn = vx * px + vy * py + vz * pz
            d = distance_to(n, stops, values, here, x, y, z) - radius
            if d < 0:
                x, y, z = x - px * (d - 1e-6), y - py * (d - 1e-6), z - pz * (d - 1e-6)
            if abs(vn - (sx * px + sy * py + sz * pz)) < 1e-9:
                break
            continue
        # it lies on the surface for the rest of the step: pressed on, it slides against friction; drawn off,
        # it flies
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
        share = (
            0.5 * (was + fast * keep) / max(fast, was, 1e-12)
            if slowed < max(fast, was)
            else 0.5 * was / max(slowed, 1e-12)
        )
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
