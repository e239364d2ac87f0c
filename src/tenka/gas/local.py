"""Forces that act in a place: swirl columns, pulls, drag, a further gravity, and winds within a region.

Each relaxes the gas towards a velocity at its grip (exactly over the step), or accelerates it. They act face by face, one after the
other, so that several may fight each other.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState, Grid
from tenka.gas.settings import LocalInput

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
EVERYWHERE, SPHERE, BOX, CYLINDER = 0, 1, 2, 3
WIND, SWIRL, PULL, BRAKE, GRAVITY = 0, 1, 2, 3, 4
REGION_CODES = {"everywhere": EVERYWHERE, "sphere": SPHERE, "box": BOX, "cylinder": CYLINDER}
KIND_CODES = {"wind": WIND, "swirl": SWIRL, "pull": PULL, "drag": BRAKE, "gravity": GRAVITY}


@kernel
def region_share(region, size, border, x, y, z):
    """How strongly a force acts at a point in its own coordinates: 1 inside, fading to 0 over the border."""
    if region == EVERYWHERE:
        return ONE
    hx, hy, hz = size[0] * HALF, size[1] * HALF, size[2] * HALF
    if region == SPHERE:
        r = math.sqrt((x / hx) ** 2 + (y / hy) ** 2 + (z / hz) ** 2)
        out = (r - ONE) * min(hx, hy, hz)
    elif region == BOX:
        qx, qy, qz = abs(x) - hx, abs(y) - hy, abs(z) - hz
        out = math.sqrt(max(qx, ZERO) ** 2 + max(qy, ZERO) ** 2 + max(qz, ZERO) ** 2) + min(max(qx, qy, qz), ZERO)
    else:
        side = (math.sqrt((x / hx) ** 2 + (y / hy) ** 2) - ONE) * min(hx, hy)
        up = abs(z) - hz
        out = math.sqrt(max(side, ZERO) ** 2 + max(up, ZERO) ** 2) + min(max(side, up), ZERO)
    f = min(max(HALF - out / border, ZERO), ONE)
    return np.float32(f * f * (np.float32(3.0) - np.float32(2.0) * f))


@kernel
def swirl_velocity(x, y, z, radius, height, spin, lift, pull, falloff):
    """Velocity of a swirl column in its own coordinates, and how much of its grip is felt: Rankine's vortex with a softer tail."""
    r = math.sqrt(x * x + y * y)
    away = ONE if r <= radius else (radius / r) ** falloff
    turn = np.float32(2.0 * math.pi) * spin * (ONE if r <= radius else (radius / r) * away)  # rad/s
    end = min(max((height * HALF - abs(z)) / max(radius * HALF, np.float32(1e-6)) + HALF, ZERO), ONE)
    inward = pull * (r / radius if r <= radius else away) / max(r, np.float32(1e-6))
    return -turn * y - inward * x, turn * x - inward * y, lift * away, away * end


@kernel
def _row(row, axis, x0, y0, z0, h, kind, region, size, border, turn, origin, p, target, warm, smoke, dt):
    """One row of faces along z under one force. `p`: the force's own numbers; `target`: a direction or a velocity in the scene."""
    gx, gy, gz = turn[0, axis], turn[1, axis], turn[2, axis]  # this axis in the force's own coordinates
    for k in range(row.size):
        dx, dy, dz = x0 - origin[0], y0 - origin[1], z0 + np.float32(k) * h - origin[2]
        x = turn[0, 0] * dx + turn[0, 1] * dy + turn[0, 2] * dz
        y = turn[1, 0] * dx + turn[1, 1] * dy + turn[1, 2] * dz
        z = turn[2, 0] * dx + turn[2, 1] * dy + turn[2, 2] * dz
        share = region_share(region, size, border, x, y, z)
        if share <= ZERO:
            continue
        if kind == SWIRL:
            a, b, c, grip = swirl_velocity(x, y, z, p[0], p[1], p[2], p[3], p[4], p[5])
            aim = gx * a + gy * b + gz * c
            row[k] += (aim - row[k]) * (ONE - math.exp(-p[6] * grip * share * dt))
        elif kind == PULL:
            r = math.sqrt(dx * dx + dy * dy + dz * dz)
            if r > np.float32(1e-6):
                fade = min(r / (np.float32(0.25) * p[0]), ONE) if r <= p[0] else (p[0] / r) ** p[2]
                d = dx if axis == 0 else (dy if axis == 1 else dz)
                seen = smoke[k] / (smoke[k] + np.float32(0.05))
                row[k] -= p[1] * fade * share * seen * d / r * dt
        elif kind == GRAVITY:
            row[k] += (p[1] * smoke[k] - p[0] * warm[k]) * target[axis] * share * dt
        else:
            row[k] += (target[axis] - row[k]) * (ONE - math.exp(-p[0] * share * dt))


@kernel(parallel=True)
def _apply(u, v, w, s, kinds, regions, sizes, borders, turns, origins, numbers, targets, ox, oy, oz, h, dt):
    nx, ny, nz, _ = s.shape
    for p_ in prange(nx + 1):
        i = np.int64(p_)
        warm, smoke = np.zeros(nz + 1, np.float32), np.zeros(nz + 1, np.float32)
        for axis in range(3):
            if i == nx and axis > 0:
                continue
            for j in range(ny + 1 if axis == 1 else ny):
                a, b = (max(i - 1, 0), min(i, nx - 1)) if axis == 0 else (i, i)
                c, d = (max(j - 1, 0), min(j, ny - 1)) if axis == 1 else (j, j)
                for k in range(nz):
                    warm[k] = HALF * (s[a, c, k, TEMPERATURE] + s[b, d, k, TEMPERATURE])
                    smoke[k] = HALF * (s[a, c, k, DENSITY] + s[b, d, k, DENSITY])
                if axis == 2:
                    warm[nz], smoke[nz] = warm[nz - 1], smoke[nz - 1]
                    for k in range(nz - 1, 0, -1):
                        warm[k], smoke[k] = HALF * (warm[k] + warm[k - 1]), HALF * (smoke[k] + smoke[k - 1])
                row = u[i, j] if axis == 0 else (v[i, j] if axis == 1 else w[i, j])
                x = ox + h * (np.float32(i) + (ZERO if axis == 0 else HALF))
                y = oy + h * (np.float32(j) + (ZERO if axis == 1 else HALF))
                z = oz + (ZERO if axis == 2 else HALF * h)
                for n in range(kinds.size):
                    _row(row, axis, x, y, z, h, kinds[n], regions[n], sizes[n], borders[n], turns[n], origins[n], numbers[n], targets[n],
                         warm, smoke, dt)  # fmt: skip


@kernel(parallel=True)
def weigh_edges(field, region, size, border, turn, origin, x0, y0, z0, h):
    """Multiply a field by a region's share at its samples, which begin at (x0, y0, z0)."""
    nx, ny, nz = field.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row = field[i, j]
            for k in range(nz):
                dx, dy, dz = x0 + np.float32(i) * h - origin[0], y0 + np.float32(j) * h - origin[1], z0 + np.float32(k) * h - origin[2]
                x = turn[0, 0] * dx + turn[0, 1] * dy + turn[0, 2] * dz
                y = turn[1, 0] * dx + turn[1, 1] * dy + turn[1, 2] * dz
                z = turn[2, 0] * dx + turn[2, 1] * dy + turn[2, 2] * dz
                row[k] *= region_share(region, size, border, x, y, z)


def region_arrays(force: LocalInput) -> tuple[int, np.ndarray, np.float32, np.ndarray, np.ndarray]:
    """A force's region as the kernels take it: code, size, border, the turn into its own coordinates, origin."""
    return (
        REGION_CODES[force.region], np.asarray(force.size, np.float32), np.float32(force.border),
        np.ascontiguousarray(force.pose.turn.T, np.float32), force.pose.origin.astype(np.float32),
    )  # fmt: skip


def apply_local(state: GasState, grid: Grid, forces: tuple[LocalInput, ...], dt: float) -> None:
    """Let all placed forces act for `dt` seconds, in place."""
    if not forces:
        return
    rows = [region_arrays(f) for f in forces]
    ox, oy, oz = (np.float32(o) for o in grid.origin)
    _apply(
        state.u, state.v, state.w, state.scalars, np.array([KIND_CODES[f.kind] for f in forces]), np.array([r[0] for r in rows]),
        np.stack([r[1] for r in rows]), np.array([r[2] for r in rows]), np.stack([r[3] for r in rows]), np.stack([r[4] for r in rows]),
        np.array([(*f.numbers, *([0.0] * (7 - len(f.numbers)))) for f in forces], np.float32),
        np.array([f.target for f in forces], np.float32), ox, oy, oz, np.float32(grid.voxel), np.float32(dt),
    )  # fmt: skip
