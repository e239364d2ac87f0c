"""Shallow water on a staggered grid: volume by upwind fluxes of second order, momentum by the same fluxes.

Volume and momentum go with one and the same flux, as in Stelling & Duinmeijer 2003 (A staggered conservative
scheme for every Froude number in rapidly varied shallow water flows), so that bores go at their own speed;
fluxes and carried speeds are of second order by limited slopes (van Leer 1979). The pressure is that of the
new surface, which makes waves of the leapfrog's kind. A lake at rest over any bed stays at rest exactly: what
is kept is how far the surface is from it.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.water.basin import DRY

GRAVITY = 9.81
THIN = np.float32(DRY)
MOST_COURANT = 0.45  # cells that water may cross in a step


@kernel(inline=True)
def _limited(a, b):
    """The slope between two differences: van Leer's harmonic mean, nothing at an extreme."""
    p = a * b
    mean = np.float32(2.0) * p / (a + b)
    return mean if p > np.float32(0.0) else np.float32(0.0)


@kernel(inline=True)
def _flux(speed, far, near, here, beyond, rest_far, rest_near, rest_here, rest_beyond, step):
    """Water through a face between `near` and `here` (surfaces; `far` and `beyond` lie behind them), m^2/s.

    The surface is carried from where the water comes, and stands over the higher of both beds; no more goes
    than half of what is there. Without branches, so that several faces are worked at together.
    """
    half, none = np.float32(0.5), np.float32(0.0)
    ahead = speed >= none
    up, rest_up = (near if ahead else here), (rest_near if ahead else rest_here)
    behind, rest_behind = (far if ahead else beyond), (rest_far if ahead else rest_beyond)
    front, rest_front = (here if ahead else near), (rest_here if ahead else rest_near)
    slope = _limited(up - behind, front - up)  # from behind towards the face
    wet = (behind + rest_behind > THIN) & (front + rest_front > THIN)
    at = up + half * (np.float32(1.0) - abs(speed) * step) * (slope if wet else none)
    deep = max(at + min(rest_near, rest_here), none)
    held = max(up + rest_up, none)
    q = speed * min(deep, np.float32(2.0) * held)
    most = half * held / step
    return min(max(q, -most), most)


@kernel
def _flux_row(speed, far, near, here, beyond, rest_far, rest_near, rest_here, rest_beyond, step, out):
    """Fluxes through a row of faces. A function of its own, so that the compiler sees that its rows are apart
    and works at several faces together."""
    for j in range(out.shape[0]):
        out[j] = _flux(
            speed[j],
            far[j],
            near[j],
            here[j],
            beyond[j],
            rest_far[j],
            rest_near[j],
            rest_here[j],
            rest_beyond[j],
            step,
        )


@kernel(parallel=True)
def _fluxes(rise, rest, u, v, qx, qy, step):
    """Fluxes through all inner faces; none through walls. `step` is dt / cell."""
    nx, ny = rise.shape
    inner = max(ny - 3, 0)
    for p_ in prange(nx):
        p = np.int64(p_)
        i = np.uint64(p)
        r, d, s, q = rise[i], rest[i], v[i], qy[i]
        if p > 0:
            a, b, c = np.uint64(max(p - 2, 0)), np.uint64(p - 1), np.uint64(min(p + 1, nx - 1))
            _flux_row(u[i], rise[a], rise[b], r, rise[c], rest[a], rest[b], d, rest[c], step, qx[i])
        _flux_row(
            s[2 : inner + 2],
            r[:inner],
            r[1 : inner + 1],
            r[2 : inner + 2],
            r[3 : inner + 3],
            d[:inner],
            d[1 : inner + 1],
            d[2 : inner + 2],
            d[3 : inner + 3],
            step,
            q[2 : inner + 2],
        )
        for turn in range(2):  # beside the walls, where what lies behind is the cell itself
            j = 1 if turn == 0 else ny - 1
            if j < 1 or (turn == 1 and j < 2):
                continue
            f, n = max(j - 2, 0), min(j + 1, ny - 1)
            q[j] = _flux(s[j], r[f], r[j - 1], r[j], r[n], d[f], d[j - 1], d[j], d[n], step)


@kernel(parallel=True)
def _drained(rise, rest, qx, qy, step):
    """Let no cell give more than it holds: what goes out by its faces is scaled down to that, in place. Each
    face is changed by the one cell that gives through it."""
    nx, ny = rise.shape
    for i in prange(nx):
        for j in range(ny):
            west, east, south, north = qx[i, j], qx[i + 1, j], qy[i, j], qy[i, j + 1]
            out = max(east, np.float32(0.0)) - min(west, np.float32(0.0))
            out += max(north, np.float32(0.0)) - min(south, np.float32(0.0))
            held = max(rise[i, j] + rest[i, j], np.float32(0.0))
            if out * step <= held:
                continue
            share = held / (out * step)
            if west < 0.0:
                qx[i, j] = west * share
            if east > 0.0:
                qx[i + 1, j] = east * share
            if south < 0.0:
                qy[i, j] = south * share
            if north > 0.0:
                qy[i, j + 1] = north * share


@kernel(parallel=True)
def _fill(rise, exact, rest, qx, qy, step):
    """The new surface from what flows in and out. Small flows would be lost in the digits of `rise`: `exact`,
    of twice as many, keeps them, as long as nobody else changed the surface."""
    nx, ny = rise.shape
    for i in prange(nx):
        for j in range(ny):
            had = exact[i, j] if np.float32(exact[i, j]) == rise[i, j] else np.float64(rise[i, j])
            out = np.float64(qx[i + 1, j]) - qx[i, j] + (np.float64(qy[i, j + 1]) - qy[i, j])
            new = max(had - step * out, np.float64(-rest[i, j]))
            exact[i, j] = new
            rise[i, j] = np.float32(new)


@kernel(parallel=True)
def _given(rise, rest, given):
    """Water that comes in or goes, as a height; no more than is there."""
    for p in prange(rise.shape[0]):
        i = np.uint64(p)
        up, deep, more = rise[i], rest[i], given[i]
        for j in range(up.size):
            up[j] = max(up[j] + more[j], -deep[j])


@kernel(inline=True)
def _carried(q, before, near, here, after, step_over):
    """A speed as it is carried from `near` to `here` by a flux; limited, of second order. `step_over` is
    dt / (cell depth)."""
    half, one = np.float32(0.5), np.float32(1.0)
    c = min(abs(q) * step_over, one)
    ahead = q >= np.float32(0.0)
    up = near if ahead else here
    back, front = (near - before if ahead else here - after), (here - near if ahead else near - here)
    return up + half * (one - c) * _limited(back, front)


@kernel(inline=True)
def _pushed(along, across, fluxes, surfaces, numbers):
    """A face's new speed.

    It hangs on what is carried in, and on the slope of the pressure; there is none where no water reaches
    over the higher bed. What is viscous sticks to the bed: its mean speed is drawn on by
    3 viscosity / depth^2 (Nusselt 1916).

    Parameters
    ----------
    along : speeds two faces before, before, here, after, two after
    across : the same of the faces beside it
    fluxes : through the middles of the cells before and after, and between it and the faces beside it
    surfaces : rises, depths at rest and pressures of the cells before and after
    numbers : dt / cell, dt, drag, viscosity, highest speed
    """
    b2, b1, here, a1, a2 = along
    c2, c1, d1, d2 = across
    low, high, foot, top = fluxes
    rise_low, rise_high, rest_low, rest_high, press_low, press_high = surfaces
    step, dt, drag, viscosity, cap = numbers
    none, one, half = np.float32(0.0), np.float32(1.0), np.float32(0.5)
    mean = half * (max(rise_low + rest_low, none) + max(rise_high + rest_high, none))
    safe = max(mean, THIN)
    over = step / safe
    drawn = high * _carried(high, b1, here, a1, a2, over) - low * _carried(low, b2, b1, here, a1, over)
    drawn += top * _carried(top, c1, here, d1, d2, over) - foot * _carried(foot, c2, c1, here, d1, over)
    drawn -= here * (high - low + top - foot)
    new = here - step * drawn / safe - np.float32(GRAVITY) * step * (press_high - press_low)
    new = new / (one + dt * (drag + np.float32(3.0) * viscosity / (safe * safe)))
    new = min(max(new, -cap), cap)
    reaches = (max(press_low, press_high) + min(rest_low, rest_high) > THIN) & (mean > THIN)
    return new if reaches else none


@kernel
def _push_row(
    b2, b1, here, a1, a2, c2, c1, d1, d2, q0, q1, q2, f0, f1, t0, t1, r0, r1, d0, d_1, p0, p1, n, out
):
    """New speeds of a row of faces, see `_pushed`; fluxes as they are at faces: `q0` to `q2` along, `f` and
    `t` across, before and after."""
    step, dt, drag, viscosity, cap = n
    half = np.float32(0.5)
    for j in range(out.shape[0]):
        middle = q1[j]
        out[j] = _pushed(
            (b2[j], b1[j], here[j], a1[j], a2[j]),
            (c2[j], c1[j], d1[j], d2[j]),
            (
                half * (q0[j] + middle),
                half * (middle + q2[j]),
                half * (f0[j] + f1[j]),
                half * (t0[j] + t1[j]),
            ),
            (r0[j], r1[j], d0[j], d_1[j], p0[j], p1[j]),
            (step, dt, drag, viscosity, cap),
        )


@kernel(parallel=True)
def _push_x(rise, pressed, rest, u, qx, qy, out, step, dt, drag, viscosity):
    """New speeds along x; `pressed` is the surface whose slope drives."""
    nx, ny = rise.shape
    numbers = (step, dt, drag, viscosity, np.float32(MOST_COURANT) / step)
    m = max(ny - 4, 0)
    for p_ in prange(nx - 1):
        p = np.int64(p_)
        k, i, l = np.uint64(p), np.uint64(p + 1), np.uint64(p + 2)
        before, after = np.uint64(max(p - 1, 0)), np.uint64(min(p + 3, nx))
        b2, b1, own, a1, a2 = u[before], u[k], u[i], u[l], u[after]
        q0, q1, q2, low, high = qx[k], qx[i], qx[l], qy[k], qy[i]
        r0, r1, d0, d1, p0, p1, to = rise[k], rise[i], rest[k], rest[i], pressed[k], pressed[i], out[i]
        _push_row(
            b2[2 : m + 2],
            b1[2 : m + 2],
            own[2 : m + 2],
            a1[2 : m + 2],
            a2[2 : m + 2],
            own[:m],
            own[1 : m + 1],
            own[3 : m + 3],
            own[4 : m + 4],
            q0[2 : m + 2],
            q1[2 : m + 2],
            q2[2 : m + 2],
            low[2 : m + 2],
            high[2 : m + 2],
            low[3 : m + 3],
            high[3 : m + 3],
            r0[2 : m + 2],
            r1[2 : m + 2],
            d0[2 : m + 2],
            d1[2 : m + 2],
            p0[2 : m + 2],
            p1[2 : m + 2],
            numbers,
            to[2 : m + 2],
        )
        half = np.float32(0.5)
        for j in range(ny):  # beside the walls
            if 2 <= j < m + 2:
                continue
            to[j] = _pushed(
                (b2[j], b1[j], own[j], a1[j], a2[j]),
                (own[max(j - 2, 0)], own[max(j - 1, 0)], own[min(j + 1, ny - 1)], own[min(j + 2, ny - 1)]),
                (
                    half * (q0[j] + q1[j]),
                    half * (q1[j] + q2[j]),
                    half * (low[j] + high[j]),
                    half * (low[j + 1] + high[j + 1]),
                ),
                (r0[j], r1[j], d0[j], d1[j], p0[j], p1[j]),
                numbers,
            )


@kernel(parallel=True)
def _push_y(rise, pressed, rest, v, qx, qy, out, step, dt, drag, viscosity):
    """New speeds along y; see `_push_x`."""
    nx, ny = rise.shape
    numbers = (step, dt, drag, viscosity, np.float32(MOST_COURANT) / step)
    m = max(ny - 3, 0)  # faces that have two on either side
    for p_ in prange(nx):
        p = np.int64(p_)
        i = np.uint64(p)
        c2, c1 = v[np.uint64(max(p - 2, 0))], v[np.uint64(max(p - 1, 0))]
        d1, d2 = v[np.uint64(min(p + 1, nx - 1))], v[np.uint64(min(p + 2, nx - 1))]
        own, q, foot, top = v[i], qy[i], qx[i], qx[np.uint64(p + 1)]
        r, d, s, to = rise[i], rest[i], pressed[i], out[i]
        _push_row(
            own[:m],
            own[1 : m + 1],
            own[2 : m + 2],
            own[3 : m + 3],
            own[4 : m + 4],
            c2[2 : m + 2],
            c1[2 : m + 2],
            d1[2 : m + 2],
            d2[2 : m + 2],
            q[1 : m + 1],
            q[2 : m + 2],
            q[3 : m + 3],
            foot[1 : m + 1],
            foot[2 : m + 2],
            top[1 : m + 1],
            top[2 : m + 2],
            r[1 : m + 1],
            r[2 : m + 2],
            d[1 : m + 1],
            d[2 : m + 2],
            s[1 : m + 1],
            s[2 : m + 2],
            numbers,
            to[2 : m + 2],
        )
        half = np.float32(0.5)
        for j in range(1, ny):  # beside the walls
            if 2 <= j < m + 2:
                continue
            to[j] = _pushed(
                (own[max(j - 2, 0)], own[j - 1], own[j], own[j + 1], own[min(j + 2, ny)]),
                (c2[j], c1[j], d1[j], d2[j]),
                (
                    half * (q[j - 1] + q[j]),
                    half * (q[j] + q[j + 1]),
                    half * (foot[j - 1] + foot[j]),
                    half * (top[j - 1] + top[j]),
                ),
                (r[j - 1], r[j], d[j - 1], d[j], s[j - 1], s[j]),
                numbers,
            )


@kernel(inline=True)
def _kept(speed, aside, mean, force, slows, viscosity, dt):
    """A face's speed less what the yield stress takes of it; drag has been taken already, so it takes as much
    less."""
    pace = np.sqrt(speed * speed + aside * aside)
    slowed = np.float32(1.0) + dt * (slows + np.float32(3.0) * viscosity / (mean * mean))
    lost = force / (slowed * mean * max(pace, np.float32(1e-9)))
    return speed * max(np.float32(1.0) - lost, np.float32(0.0))


@kernel(parallel=True)
def _hold(rise, rest, u, v, held_u, held_v, stress, dt, drag, viscosity):
    """What yields only to so much: `stress` is the yield stress per density, m^2/s^2. A speed below
    dt stress / depth is none, others lose as much; both components at a face together."""
    nx, ny = rise.shape
    force = dt * stress
    for i in prange(nx):
        for j in range(ny):
            deep = max(rise[i, j] + rest[i, j], np.float32(DRY))
            if i > 0:
                mean = np.float32(0.5) * (deep + max(rise[i - 1, j] + rest[i - 1, j], np.float32(DRY)))
                aside = np.float32(0.25) * (v[i - 1, j] + v[i, j] + v[i - 1, j + 1] + v[i, j + 1])
                held_u[i, j] = _kept(u[i, j], aside, mean, force, drag, viscosity, dt)
            if j > 0:
                mean = np.float32(0.5) * (deep + max(rise[i, j - 1] + rest[i, j - 1], np.float32(DRY)))
                aside = np.float32(0.25) * (u[i, j - 1] + u[i, j] + u[i + 1, j - 1] + u[i + 1, j])
                held_v[i, j] = _kept(v[i, j], aside, mean, force, drag, viscosity, dt)
