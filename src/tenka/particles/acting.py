"""What acts on particles in a step: winds with their gusts, eddies (of many on a grid of their own, of few
where they are), placed forces, and the gas that carries them; all as one drift and one rate at a point."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from tenka.base.jit import kernel
from tenka.base.randomness import unit_array
from tenka.base.vector import make_lerp_channels
from tenka.base.vectors import plus
from tenka.gas.eddies import stir, turbulence_potential
from tenka.gas.felt import ForceInputs, TurbulenceInput, WindInput, felt_at
from tenka.gas.grid import Grid
from tenka.gas.local import confine, weigh
from tenka.gas.placed import GRAVITY, NUMBERS, placed_table
from tenka.gas.vorticity import centre_fields
from tenka.particles.state import AirField
from tenka.particles.stirring import stirred

MOST_EDDY_CELLS = 1_200_000


MOST_EDDIES = 64  # of the smallest, along an axis; strays beyond feel those at the border


CELLS_A_POINT = 50  # whose eddies take as long as those at one point, measured
ALWAYS_FEW = 300


GUSTS = 256  # along the particles' extent in one step; beyond it the last one goes on


lerp_air = make_lerp_channels(4, 4)


def _layout(
    forces: tuple[TurbulenceInput, ...], low: np.ndarray, high: np.ndarray
) -> tuple[np.ndarray, tuple[int, int, int], float]:
    """First voxel, number of voxels and voxel of the grid of eddies over a box."""
    voxel = min(f.size / (8.0 if f.detail > 0 else 4.0) for f in forces)
    widest = MOST_EDDIES * min(f.size / (2.0 if f.detail > 0 else 1.0) for f in forces)
    middle = 0.5 * (low + high)
    low, high = np.maximum(low, middle - 0.5 * widest), np.minimum(high, middle + 0.5 * widest)
    while np.prod(np.ceil((high - low) / voxel) + 5) > MOST_EDDY_CELLS:
        voxel *= 2.0
    first, last = np.floor(low / voxel) - 2, np.ceil(high / voxel) + 2
    nx, ny, nz = (int(n) for n in last - first)
    return first, (nx, ny, nz), voxel


def eddy_field(
    forces: tuple[TurbulenceInput, ...], low: np.ndarray, high: np.ndarray, t: float
) -> tuple[np.ndarray, np.ndarray, float]:
    """Sum of all turbulences over a box: rate times velocity, and rate.

    Samples lie on whole multiples of the voxel, so what a particle feels does not depend on where the others
    are.
    """
    first, shape, voxel = _layout(forces, low, high)
    grid = Grid(shape, voxel, tuple(float(f) for f in first * voxel))  # type: ignore[arg-type]
    nx, ny, nz = shape
    out = np.zeros((*shape, 4), np.float32)
    edges = tuple(
        np.zeros(s, np.float32) for s in ((nx, ny + 1, nz + 1), (nx + 1, ny, nz + 1), (nx + 1, ny + 1, nz))
    )
    faces = tuple(np.zeros(s, np.float32) for s in ((nx + 1, ny, nz), (nx, ny + 1, nz), (nx, ny, nz + 1)))
    centred = np.zeros((3, *shape), np.float32)
    for force in forces:
        turbulence_potential(force, grid, t, edges)
        kept = np.ones((1, 1, 1), np.float32)
        if force.within is not None:  # the potential is cut down, as for gas
            confine(edges, force.within, grid)
            kept = np.ones(shape, np.float32)
            x, y, z = (o + 0.5 * voxel for o in grid.origin)
            weigh(kept, force.within, (x, y, z), voxel)
        for face in faces:
            face.fill(0.0)
        stir(*edges, np.float32(1.0), *faces)
        centre_fields(*faces, centred)
        rate = np.float32(force.grip)
        out[..., :3] += np.moveaxis(centred * rate, 0, -1)
        out[..., 3] += rate * kept
    return out, first * voxel, voxel


def _air_at(field, flat, ox, oy, oz, voxel, x, y, z):
    """Four values of a field at a point, and whether it is inside; `flat` is the field as one row."""
    nx, ny, nz = field.shape[0], field.shape[1], field.shape[2]
    px, py, pz = (x - ox) / voxel - 0.5, (y - oy) / voxel - 0.5, (z - oz) / voxel - 0.5
    inside = -0.5 <= px <= nx - 0.5 and -0.5 <= py <= ny - 0.5 and -0.5 <= pz <= nz - 0.5
    px, py, pz = min(max(0.0, px), nx - 1.0), min(max(0.0, py), ny - 1.0), min(max(0.0, pz), nz - 1.0)
    a, b, c = (
        max(min(np.int64(px), nx - 2), 0),
        max(min(np.int64(py), ny - 2), 0),
        max(min(np.int64(pz), nz - 2), 0),
    )
    sx, sy = (ny * nz * 4 if nx > 1 else 0), (nz * 4 if ny > 1 else 0)
    u, v, w, r = lerp_air(
        flat, ((a * ny + b) * nz + c) * 4, sx, sy, np.float32(px - a), np.float32(py - b), np.float32(pz - c)
    )
    return u, v, w, r, inside


air_at = kernel(inline=True)(_air_at)


plain_air_at = kernel(_air_at)


NO_FIELD = AirField(
    np.zeros((1, 1, 1, 4), np.float32),
    (0.0, 0.0, 0.0),
    np.zeros((1, 1, 1, 4), np.float32),
    (0.0, 0.0, 0.0),
    1.0,
    0.0,
    0.0,
)


AHEAD_X, AHEAD_Y, SPEED, GRIP, GUSTINESS, PERIOD, GROUND_DRAG, FIRST, WIND_FIELDS = range(9)
"""Columns of the table of winds: heading, m/s, 1/s, share, s, m, number of the first gust; how many there
are."""


class Acting(NamedTuple):
    """All forces of a step as arrays: kernels are faster with few.

    Attributes
    ----------
    winds : (n, WIND_FIELDS); gusts : (n, GUSTS) in [-1, 1]
    local : of placed forces, see tenka.gas.placed.placed_table
    eddies : (nx, ny, nz, 4) rate times velocity, and rate, on a grid of its own; one voxel without any
    flat : the same as one row
    eddies_at : (4,) origin and voxel of that grid, m
    own : (n, 4) the same of each particle, where they are few; else none
    """

    winds: np.ndarray
    gusts: np.ndarray
    local: np.ndarray
    eddies: np.ndarray
    flat: np.ndarray
    eddies_at: np.ndarray
    own: np.ndarray


def _few(n: int, forces: tuple[TurbulenceInput, ...], low: np.ndarray, high: np.ndarray) -> bool:
    """Whether eddies cost less at each of `n` points than on a grid over a box."""
    return n <= ALWAYS_FEW or n * CELLS_A_POINT < math.prod(_layout(forces, low, high)[1])


def _winds(
    winds: tuple[WindInput, ...], low: np.ndarray, high: np.ndarray, t: float
) -> tuple[np.ndarray, np.ndarray]:
    """Rows of winds, and the gusts that are felt between two corners."""
    rows, gusts = np.zeros((len(winds), WIND_FIELDS)), np.zeros((len(winds), GUSTS))
    for n, w in enumerate(winds):
        x, y, period = math.cos(w.heading), math.sin(w.heading), max(w.gust_period, 1e-3)
        furthest = max(a * x + b * y for a in (low[0], high[0]) for b in (low[1], high[1]))
        first = math.floor(t / period - furthest / (max(w.speed, 0.05) * period)) - 1
        rows[n] = (x, y, w.speed, w.grip, w.gusts, period, w.ground_drag, first)
        gusts[n] = 2.0 * unit_array(w.seed, first + np.arange(GUSTS)).astype(np.float64) - 1.0
    return rows, gusts


def acting(
    forces: ForceInputs, low: np.ndarray, high: np.ndarray, t: float, places: np.ndarray | None = None
) -> Acting:
    """The forces of a step whose particles lie between `low` and `high`, felt at `t`.

    Parameters
    ----------
    places : (n, 3) m, where each particle feels eddies, should they be few; without it there is a grid
    """
    winds, gusts = _winds(forces.winds, low, high, t)
    stirring = tuple(f for f in forces.turbulences if f.strength > 0 and f.grip > 0)
    eddies, origin, voxel = np.zeros((1, 1, 1, 4), np.float32), np.zeros(3), 1.0
    own = np.zeros((0, 4), np.float32)
    if stirring and places is not None and _few(len(places), stirring, low, high):
        own = stirred(stirring, places, t)
    elif stirring:
        eddies, origin, voxel = eddy_field(stirring, low, high, t)
    local, at = placed_table(forces.locals), np.array([*origin, voxel], float)
    return Acting(winds, gusts, local, eddies, eddies.reshape(-1), at, own)


@kernel(inline=True)
def _pace_of(winds, gusts, n, p, t):
    """How fast wind `n` blows at a point, m/s."""
    pace = winds[n, SPEED]
    if winds[n, GUSTINESS] > 0:
        # smooth noise that travels with the wind, as tenka.effect.courses.smooth_noise
        along = p[0] * winds[n, AHEAD_X] + p[1] * winds[n, AHEAD_Y]
        period = winds[n, PERIOD]
        place = t / period - along / (max(winds[n, SPEED], 0.05) * period) - winds[n, FIRST]
        place = min(max(0.0, place), GUSTS - 1.001)
        i = int(place)
        f = place - i
        before, after = gusts[n, i], gusts[n, i + 1]
        gust = before + (after - before) * f * f * f * (f * (6.0 * f - 15.0) + 10.0)
        pace *= max(0.0, 1.0 + winds[n, GUSTINESS] * gust)
    if winds[n, GROUND_DRAG] > 0:
        pace *= math.sqrt(min(max(0.0, p[2] / winds[n, GROUND_DRAG]), 1.0))
    return pace


def _forces_at(p, t, share, winds, gusts, local, eddies, flat, at):
    """What all forces together do at a point: rate k, rate times velocity, acceleration.

    The arrays are those of Acting, one by one: taken out of it for each particle they would be counted each
    time.
    """
    k, push, pull = 0.0, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    for n in range(winds.shape[0]):
        rate = winds[n, GRIP] * share
        k += rate
        push = plus(push, rate * _pace_of(winds, gusts, n, p, t), (winds[n, AHEAD_X], winds[n, AHEAD_Y], 0.0))
    if eddies.shape[0] > 1:
        ex, ey, ez, er, _ = air_at(eddies, flat, at[0], at[1], at[2], at[3], p[0], p[1], p[2])
        k += er * share
        push = plus(push, share, (ex, ey, ez))
    for n in range(local.shape[0]):
        rate, ux, uy, uz, fx, fy, fz = felt_at(local, n, p[0], p[1], p[2])
        weight = share
        if int(local[n, 0]) == GRAVITY:
            weight *= local[n, NUMBERS]
        rate *= share
        k += rate
        push = plus(push, rate, (ux, uy, uz))
        pull = plus(pull, weight, (fx, fy, fz))
    return k, push, pull


forces_at = kernel(_forces_at)
forces_within = kernel(inline=True)(_forces_at)
"""The same for a loop over many particles: see tenka.base.jit."""
