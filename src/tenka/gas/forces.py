"""What sets gas moving: lift and weight, confined vorticity, wind with gusts, stirred turbulence, drag."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.effect.courses import smooth_noise
from tenka.effect.model import AMBIENT_KELVIN
from tenka.gas.eddies import stir, turbulence_potential
from tenka.gas.felt import TurbulenceInput, WindInput
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.local import apply_local, confine
from tenka.gas.placed import placed_table
from tenka.gas.settings import GRAVITY, StepInputs

GUST_SAMPLES = 128
ZERO = np.float32(0.0)
HALF = np.float32(0.5)


@dataclass(frozen=True)
class WindTables:
    """Winds as tables: the gusts travel with the wind, so they are sampled along its direction."""

    along: np.ndarray  # (n, 2) direction
    start: np.ndarray  # (n,) coordinate of the first sample in m
    step: np.ndarray  # (n,) spacing in m
    speed: np.ndarray  # (n, samples) m/s
    share: np.ndarray  # (n, nz) share of the speed by height
    keep: np.ndarray  # (n,) exp(-grip dt)


def wind_tables(winds: tuple[WindInput, ...], grid: Grid, time: float, dt: float) -> WindTables:
    n = len(winds)
    tables = WindTables(
        np.zeros((n, 2), np.float32),
        np.zeros(n, np.float32),
        np.ones(n, np.float32),
        np.zeros((n, GUST_SAMPLES), np.float32),
        np.ones((n, grid.shape[2]), np.float32),
        np.ones(n, np.float32),
    )
    corners = [
        (grid.origin[0] + a * grid.size[0], grid.origin[1] + b * grid.size[1]) for a in (0, 1) for b in (0, 1)
    ]
    for i, wind in enumerate(winds):
        d = (math.cos(wind.heading), math.sin(wind.heading))
        places = [x * d[0] + y * d[1] for x, y in corners]
        low, span = min(places), max(max(places) - min(places), 1e-3)
        s = low + span * np.arange(GUST_SAMPLES) / (GUST_SAMPLES - 1)
        period = max(wind.gust_period, 1e-3)
        phase = time / period - s / (max(wind.speed, 0.05) * period)
        gust = smooth_noise(wind.seed, phase)
        tables.along[i] = d
        tables.start[i], tables.step[i] = low, span / (GUST_SAMPLES - 1)
        tables.speed[i] = wind.speed * np.maximum(0.0, 1.0 + wind.gusts * gust)
        if wind.ground_drag > 0:
            tables.share[i] = np.clip(grid.centres(2) / wind.ground_drag, 0.0, 1.0) ** 0.5
        tables.keep[i] = math.exp(-wind.grip * dt)
    return tables


def wind_outside(winds: tuple[WindInput, ...], grid: Grid) -> tuple[np.ndarray, float]:
    """What winds draw the air towards, without their gusts: the sum of their rates times their speeds along x
    and y at each height, (2, nz) m/s^2, and of their rates, 1/s."""
    aims, rate = np.zeros((2, grid.shape[2])), 0.0
    for wind in winds:
        share = np.ones(grid.shape[2])
        if wind.ground_drag > 0:
            share = np.clip(grid.centres(2) / wind.ground_drag, 0.0, 1.0) ** 0.5
        for axis, part in enumerate((math.cos(wind.heading), math.sin(wind.heading))):
            aims[axis] += wind.grip * wind.speed * part * share
        rate += wind.grip
    return aims, rate


@kernel
def _blow(row, x, y, winds, axis, start, step, speed, along, share, keep):
    """Relax one row of faces towards each wind in turn."""
    for n in range(winds):
        s = ((x * along[n, 0] + y * along[n, 1]) - start[n]) / step[n]
        s = min(max(ZERO, s), np.float32(GUST_SAMPLES - 1))
        a = min(np.int64(s), GUST_SAMPLES - 2)
        f = s - np.float32(a)
        aim = (
            ((np.float32(1.0) - f) * speed[n, a] + f * speed[n, a + 1])
            * along[n, axis]
            * (np.float32(1.0) - keep[n])
        )
        kept, part = keep[n], share[n]
        for k in range(row.size):
            row[k] = row[k] * kept + aim * part[k]


@kernel
def _add_mean_of_two(row, a, b, dt, mean):
    for k in range(row.size):
        row[k] += dt * (HALF * (a[k] + b[k]) - mean)


@kernel
def _damp(row, keep):
    for k in range(row.size):
        row[k] *= keep


@kernel(parallel=True)
def push_faces(
    u,
    v,
    w,
    s,
    push,
    pushed,
    mean,
    buoyancy,
    weight,
    keep_drag,
    dt,
    ox,
    oy,
    h,
    along,
    start,
    step,
    speed,
    share,
    keep,
):
    """All body forces, row by row: confinement, lift and weight, winds, drag.

    Each is exact over the step for what it does alone: accelerations times dt, and exponentials for
    whatever relaxes (winds, drag).
    """
    nx, ny, nz, _ = s.shape
    winds = along.shape[0]
    for p_ in prange(nx + 1):
        i = np.int64(p_)
        a, b = max(i - 1, 0), min(i, nx - 1)
        for j in range(ny):
            row = u[i, j]
            if pushed:
                _add_mean_of_two(row, push[0, a, j], push[0, b, j], dt, mean[0])
            _blow(
                row,
                ox + np.float32(i) * h,
                oy + (np.float32(j) + HALF) * h,
                winds,
                0,
                start,
                step,
                speed,
                along,
                share,
                keep,
            )
            _damp(row, keep_drag)
        if i == nx:
            continue
        for j in range(ny + 1):
            row = v[i, j]
            if pushed:
                _add_mean_of_two(row, push[1, i, max(j - 1, 0)], push[1, i, min(j, ny - 1)], dt, mean[1])
            _blow(
                row,
                ox + (np.float32(i) + HALF) * h,
                oy + np.float32(j) * h,
                winds,
                1,
                start,
                step,
                speed,
                along,
                share,
                keep,
            )
            _damp(row, keep_drag)
        line = np.zeros(nz + 2, np.float32)
        for j in range(ny):
            row = w[i, j]
            for k in range(nz):
                line[k + 1] = buoyancy * s[i, j, k, TEMPERATURE] - weight * s[i, j, k, DENSITY]
            if pushed:
                up = push[2, i, j]
                for k in range(nz):
                    line[k + 1] += up[k] - mean[2]
            line[0], line[nz + 1] = line[1], line[nz]
            for k in range(nz + 1):
                row[k] = (row[k] + dt * HALF * (line[k] + line[k + 1])) * keep_drag


def _stirring(
    force: TurbulenceInput, n: int, grid: Grid, work: Workspace, time: float
) -> tuple[np.ndarray, ...]:
    """The potential of the n-th turbulence at a time, made once for both halves of a step."""
    nx, ny, nz = grid.shape
    shapes = ((nx, ny + 1, nz + 1), (nx + 1, ny, nz + 1), (nx + 1, ny + 1, nz))
    potential = tuple(work.arrays(("edges", n, c), 1, shape)[0] for c, shape in enumerate(shapes))
    within = None if force.within is None else placed_table((force.within,)).tobytes()
    key = (replace(force, within=None), within, time)
    if work.kept.get(f"edges {n}") != key:
        turbulence_potential(force, grid, time, potential)
        if force.within is not None:
            confine(potential, force.within, grid)
        work.kept[f"edges {n}"] = key
    return potential


def apply_forces(
    state: GasState,
    grid: Grid,
    inputs: StepInputs,
    work: Workspace,
    mean: np.ndarray | None,
    middle: float,
    dt: float,
) -> None:
    """Add all forces to the velocity for `dt` seconds, in place.

    Parameters
    ----------
    mean : of the confinement in `work.push`; None without it
    middle : s, the middle of the step, whose stirring both halves feel
    """
    for n, force in enumerate(inputs.turbulences):
        if force.strength > 0 and force.grip > 0:
            potential = _stirring(force, n, grid, work, middle)
            stir(*potential, np.float32(1.0 - math.exp(-force.grip * dt)), state.u, state.v, state.w)
    t = wind_tables(inputs.winds, grid, state.time, dt)
    push_faces(
        state.u,
        state.v,
        state.w,
        state.scalars,
        work.push,
        mean is not None,
        np.zeros(3, np.float32) if mean is None else mean,
        np.float32(inputs.lift * GRAVITY / AMBIENT_KELVIN),
        np.float32(inputs.weight),
        np.float32(math.exp(-inputs.drag * dt)),
        np.float32(dt),
        np.float32(grid.origin[0]),
        np.float32(grid.origin[1]),
        np.float32(grid.voxel),
        t.along,
        t.start,
        t.step,
        t.speed,
        t.share,
        t.keep,
    )
    apply_local(state, grid, inputs.locals, dt)
