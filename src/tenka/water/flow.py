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
MOST_COURANT = 0.45  # cells that water may cross in a step


@kernel(inline=True)
def _limited(a, b):
    """The slope between two differences: van Leer's harmonic mean, nothing at an extreme."""
    p = a * b
    return 2.0 * p / (a + b) if p > 0.0 else np.float32(0.0) * p


@kernel(inline=True)
def _flux(speed, far, near, here, beyond, rest_near, rest_here, rest_far, rest_beyond, step):
    """Water through a face between `near` and `here` (surfaces; `far` and `beyond` lie behind them), m^2/s.

    The surface is carried from where the water comes, and stands over the higher of both beds; no more goes
    than half of what is there.
    """
    bar = min(rest_near, rest_here)
    c = abs(speed) * step
    if speed >= 0.0:
        up, rest_up, slope = near, rest_near, np.float32(0.0)
        if far + rest_far > DRY and here + rest_here > DRY:
            slope = _limited(near - far, here - near)
        at = near + np.float32(0.5) * (np.float32(1.0) - c) * slope
    else:
        up, rest_up, slope = here, rest_here, np.float32(0.0)
        if beyond + rest_beyond > DRY and near + rest_near > DRY:
            slope = _limited(beyond - here, here - near)
        at = here - np.float32(0.5) * (np.float32(1.0) - c) * slope
    deep = max(at + bar, np.float32(0.0))
    held = max(up + rest_up, np.float32(0.0))
    q = speed * min(deep, np.float32(2.0) * held)
    most = np.float32(0.5) * held / step
    return min(max(q, -most), most)


@kernel(parallel=True)
def _fluxes(rise, rest, u, v, qx, qy, step):
    """Fluxes through all inner faces; none through walls. `step` is dt / cell."""
    nx, ny = rise.shape
    for i in prange(nx):
        if i > 0:
            far, beyond = max(i - 2, 0), min(i + 1, nx - 1)
            for j in range(ny):
                qx[i, j] = _flux(
                    u[i, j],
                    rise[far, j],
                    rise[i - 1, j],
                    rise[i, j],
                    rise[beyond, j],
                    rest[i - 1, j],
                    rest[i, j],
                    rest[far, j],
                    rest[beyond, j],
                    step,
                )
        for j in range(1, ny):
            far, beyond = max(j - 2, 0), min(j + 1, ny - 1)
            qy[i, j] = _flux(
                v[i, j],
                rise[i, far],
                rise[i, j - 1],
                rise[i, j],
                rise[i, beyond],
                rest[i, j - 1],
                rest[i, j],
                rest[i, far],
                rest[i, beyond],
                step,
            )


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


@kernel(inline=True)
def _carried(q, before, near, here, after, step_over):
    """A speed as it is carried from `near` to `here` by a flux; limited, of second order. `step_over` is
    dt / (cell depth)."""
    c = min(abs(q) * step_over, np.float32(1.0))
    if q >= 0.0:
        return near + np.float32(0.5) * (np.float32(1.0) - c) * _limited(near - before, here - near)
    return here - np.float32(0.5) * (np.float32(1.0) - c) * _limited(after - here, here - near)


@kernel(inline=True)
def _pushed(speed, drawn, mean, low, high, bar, step, dt, drag, viscosity, cap):
    """A face's new speed from what is carried in (`drawn`, per depth) and from the slope of the pressure
    between `low` and `high`; nothing where no water reaches over the higher bed. What is viscous sticks to
    the bed: its mean speed is drawn on by 3 viscosity / depth^2 (Nusselt 1916)."""
    if max(low, high) + bar <= DRY or mean <= DRY:
        return np.float32(0.0)
    new = speed - step * drawn / mean - np.float32(GRAVITY) * step * (high - low)
    new = new / (np.float32(1.0) + dt * (drag + np.float32(3.0) * viscosity / (mean * mean)))
    return min(max(new, -cap), cap)


@kernel(parallel=True)
def _push_x(rise, pressed, rest, u, qx, qy, out, step, dt, drag, viscosity):
    """New speeds along x; `pressed` is the surface whose slope drives."""
    nx, ny = rise.shape
    cap = np.float32(MOST_COURANT) / step
    for face in prange(nx - 1):
        i = face + 1
        for j in range(ny):
            left, right = max(rise[i - 1, j] + rest[i - 1, j], 0.0), max(rise[i, j] + rest[i, j], 0.0)
            mean = np.float32(0.5) * (left + right)
            here = u[i, j]
            over = step / max(mean, np.float32(DRY))
            low = np.float32(0.5) * (qx[i - 1, j] + qx[i, j])
            high = np.float32(0.5) * (qx[i, j] + qx[i + 1, j])
            drawn = high * _carried(high, u[i - 1, j], here, u[i + 1, j], u[min(i + 2, nx), j], over)
            drawn -= low * _carried(low, u[max(i - 2, 0), j], u[i - 1, j], here, u[i + 1, j], over)
            drawn -= here * (high - low)
            foot = np.float32(0.5) * (qy[i - 1, j] + qy[i, j])
            top = np.float32(0.5) * (qy[i - 1, j + 1] + qy[i, j + 1])
            if j + 1 < ny:
                drawn += top * _carried(
                    top, u[i, max(j - 1, 0)], here, u[i, j + 1], u[i, min(j + 2, ny - 1)], over
                )
            if j > 0:
                drawn -= foot * _carried(
                    foot, u[i, max(j - 2, 0)], u[i, j - 1], here, u[i, min(j + 1, ny - 1)], over
                )
            drawn -= here * (top - foot)
            bar = min(rest[i - 1, j], rest[i, j])
            out[i, j] = _pushed(
                here, drawn, mean, pressed[i - 1, j], pressed[i, j], bar, step, dt, drag, viscosity, cap
            )


@kernel(parallel=True)
def _push_y(rise, pressed, rest, v, qx, qy, out, step, dt, drag, viscosity):
    """New speeds along y; see `_push_x`."""
    nx, ny = rise.shape
    cap = np.float32(MOST_COURANT) / step
    for i in prange(nx):
        for j in range(1, ny):
            left, right = max(rise[i, j - 1] + rest[i, j - 1], 0.0), max(rise[i, j] + rest[i, j], 0.0)
            mean = np.float32(0.5) * (left + right)
            here = v[i, j]
            over = step / max(mean, np.float32(DRY))
            low = np.float32(0.5) * (qy[i, j - 1] + qy[i, j])
            high = np.float32(0.5) * (qy[i, j] + qy[i, j + 1])
            drawn = high * _carried(high, v[i, j - 1], here, v[i, j + 1], v[i, min(j + 2, ny)], over)
            drawn -= low * _carried(low, v[i, max(j - 2, 0)], v[i, j - 1], here, v[i, j + 1], over)
            drawn -= here * (high - low)
            foot = np.float32(0.5) * (qx[i, j - 1] + qx[i, j])
            top = np.float32(0.5) * (qx[i + 1, j - 1] + qx[i + 1, j])
            if i + 1 < nx:
                drawn += top * _carried(
                    top, v[max(i - 1, 0), j], here, v[i + 1, j], v[min(i + 2, nx - 1), j], over
                )
            if i > 0:
                drawn -= foot * _carried(
                    foot, v[max(i - 2, 0), j], v[i - 1, j], here, v[min(i + 1, nx - 1), j], over
                )
            drawn -= here * (top - foot)
            bar = min(rest[i, j - 1], rest[i, j])
            out[i, j] = _pushed(
                here, drawn, mean, pressed[i, j - 1], pressed[i, j], bar, step, dt, drag, viscosity, cap
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
