"""Placed forces on a gas: swirl columns, pulls, drag, a further gravity, and winds within a region.

Each relaxes the gas towards a velocity at its grip (exactly over the step), or accelerates it. They act face
by face, one after the other, so that several may fight each other.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.felt import SEEN_AT, felt_at
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState, Grid
from tenka.gas.placed import (
    GRAVITY,
    KIND,
    NUMBERS,
    ORIGIN,
    PULL,
    LocalInput,
    own_axes,
    placed_table,
    region_at,
)

ZERO = np.float32(0.0)
HALF = np.float32(0.5)


@kernel
def _row(row, axis, x, y, z0, h, table, n, warm, smoke, dt):
    """One row of faces along z under one force."""
    kind, first, second = int(table[n, KIND]), table[n, NUMBERS], table[n, NUMBERS + 1]
    for k in range(row.size):
        rate, ux, uy, uz, ax, ay, az = felt_at(table, n, x, y, z0 + k * h)
        aim = ux if axis == 0 else (uy if axis == 1 else uz)
        push = ax if axis == 0 else (ay if axis == 1 else az)
        if kind == GRAVITY:  # hot gas rises against it, dense smoke falls with it
            push *= second * smoke[k] - first * warm[k]
        elif kind == PULL:
            push *= smoke[k] / (smoke[k] + SEEN_AT)
        row[k] += np.float32((aim - row[k]) * (1.0 - math.exp(-rate * dt)) + push * dt)


@kernel
def _plane(i, u, v, w, s, table, ox, oy, oz, h, dt):
    """All faces with one index along x."""
    nx, ny, nz, _ = s.shape
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
            x = ox + h * (i + (0.0 if axis == 0 else 0.5))
            y = oy + h * (j + (0.0 if axis == 1 else 0.5))
            z = oz + (0.0 if axis == 2 else 0.5 * h)
            for n in range(table.shape[0]):
                _row(row, axis, x, y, z, h, table, n, warm, smoke, dt)


@kernel(parallel=True)
def _apply(u, v, w, s, table, ox, oy, oz, h, dt):
    for p_ in prange(s.shape[0] + 1):
        _plane(np.int64(p_), u, v, w, s, table, ox, oy, oz, h, dt)


@kernel
def _weigh_plane(i, field, table, n, x0, y0, z0, h):
    for j in range(field.shape[1]):
        row = field[i, j]
        for k in range(field.shape[2]):
            x, y, z = x0 + i * h, y0 + j * h, z0 + k * h
            px, py, pz = own_axes(
                table, n, x - table[n, ORIGIN], y - table[n, ORIGIN + 1], z - table[n, ORIGIN + 2]
            )
            row[k] *= np.float32(region_at(table, n, x, y, z, px, py, pz))


@kernel(parallel=True)
def _weigh(field, table, n, x0, y0, z0, h):
    for p_ in prange(field.shape[0]):
        _weigh_plane(np.int64(p_), field, table, n, x0, y0, z0, h)


def weigh(field: np.ndarray, force: LocalInput, first: tuple[float, float, float], h: float) -> None:
    """Multiply a field by the share with which a force acts at its samples, in place.

    Parameters
    ----------
    field : (nx, ny, nz), sampled every `h` m from `first` on
    """
    _weigh(field, placed_table((force,)), 0, *(float(f) for f in first), float(h))


def confine(potential: tuple[np.ndarray, ...], force: LocalInput, grid: Grid) -> None:
    """Cut a vector potential on edges down to where a force acts, in place.

    The potential is cut down and not its curl, which so keeps free of divergence.
    """
    for c, field in enumerate(potential):
        x, y, z = (o + (0.5 * grid.voxel if a == c else 0.0) for a, o in enumerate(grid.origin))
        weigh(field, force, (x, y, z), grid.voxel)


def apply_local(state: GasState, grid: Grid, forces: tuple[LocalInput, ...], dt: float) -> None:
    """Let all placed forces act for `dt` seconds, in place."""
    if forces:
        ox, oy, oz = (float(o) for o in grid.origin)
        table = placed_table(forces)
        _apply(state.u, state.v, state.w, state.scalars, table, ox, oy, oz, float(grid.voxel), float(dt))
