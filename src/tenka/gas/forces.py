"""What sets gas moving: lift and weight, confined vorticity, wind with gusts, stirred turbulence, drag."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.courses import smooth_noise
from tenka.effect.model import AMBIENT_KELVIN
from tenka.gas.felt import TurbulenceInput, WindInput
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.local import apply_local, confine
from tenka.gas.settings import GRAVITY, StepInputs

GUST_SAMPLES = 128
ZERO = np.float32(0.0)
HALF = np.float32(0.5)


@kernel(parallel=True)
def centre_fields(u, v, w, out):
    """Velocity at voxel centres as three plain fields, (3, nx, ny, nz)."""
    _, nx, ny, nz = out.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            a, b, row = u[i, j], u[i + 1, j], out[0, i, j]
            c, d, col = v[i, j], v[i, j + 1], out[1, i, j]
            e, up = w[i, j], out[2, i, j]
            for k in range(nz):
                row[k] = HALF * (a[k] + b[k])
            for k in range(nz):
                col[k] = HALF * (c[k] + d[k])
            for k in range(nz):
                up[k] = HALF * (e[k] + e[k + 1])


@kernel(parallel=True)
def curl_of(c, wanted, out):
    """Vorticity of (3, nx, ny, nz) and its length, (4, nx, ny, nz), per voxel edge; one-sided at walls.

    Only in the rows that are `wanted`, (nx, ny).
    """
    _, nx, ny, nz = c.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b = max(i - 1, 0), min(i + 1, nx - 1)
        sx = np.float32(1.0) / np.float32(max(b - a, 1))
        for j in range(ny):
            if not wanted[i, j]:
                continue
            d, e = max(j - 1, 0), min(j + 1, ny - 1)
            sy = np.float32(1.0) / np.float32(max(e - d, 1))
            u, v = c[0, i, j], c[1, i, j]
            u0, u1, w0, w1 = c[0, i, d], c[0, i, e], c[2, i, d], c[2, i, e]
            v2, v3, w2, w3 = c[1, a, j], c[1, b, j], c[2, a, j], c[2, b, j]
            ox, oy, oz, size = out[0, i, j], out[1, i, j], out[2, i, j], out[3, i, j]
            for k in range(1, nz - 1):
                ox[k] = (w1[k] - w0[k]) * sy - (v[k + 1] - v[k - 1]) * HALF
                oy[k] = (u[k + 1] - u[k - 1]) * HALF - (w3[k] - w2[k]) * sx
            for k, f, g in ((0, 0, 1), (nz - 1, nz - 2, nz - 1)):
                ox[k] = (w1[k] - w0[k]) * sy - (v[g] - v[f])
                oy[k] = (u[g] - u[f]) - (w3[k] - w2[k]) * sx
            for k in range(nz):
                oz[k] = (v3[k] - v2[k]) * sx - (u1[k] - u0[k]) * sy
            for k in range(nz):
                size[k] = math.sqrt(ox[k] * ox[k] + oy[k] * oy[k] + oz[k] * oz[k])


@kernel(parallel=True)
def smoke_gate(s, out, rows):
    """How much of the confinement each voxel gets: all in smoke, none in clear air or beside a wall. Marks
    the `rows` with any.

    In clear air it would only amplify noise that nobody sees, until the whole box churns.
    """
    nx, ny, nz, _ = s.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            row = out[i, j]
            if i == 0 or i == nx - 1 or (ny > 1 and (j == 0 or j == ny - 1)):
                row[:] = ZERO
                rows[i, j] = False
                continue
            most = ZERO
            for k in range(nz):
                row[k] = s[i, j, k, DENSITY] / (s[i, j, k, DENSITY] + np.float32(0.05))
                most = max(most, row[k])
            row[0] = row[nz - 1] = ZERO
            rows[i, j] = most > ZERO


@kernel(parallel=True)
def confinement(curl, strength, gate, gated, rows, out):
    """`strength * N x curl` with N the direction in which the curl's length grows, (3, nx, ny, nz).

    Times the gate (nx, ny, nz) when `gated`. Nothing in rows without any `rows`, (nx, ny). Returns the sums
    of each x slab, (nx, 3).
    """
    _, nx, ny, nz = curl.shape
    sums = np.zeros((nx, 3), np.float64)
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b = max(i - 1, 0), min(i + 1, nx - 1)
        total_x, total_y, total_z = 0.0, 0.0, 0.0
        for j in range(ny):
            d, e = max(j - 1, 0), min(j + 1, ny - 1)
            x0, x1, y0, y1, here = curl[3, a, j], curl[3, b, j], curl[3, i, d], curl[3, i, e], curl[3, i, j]
            cx, cy, cz = curl[0, i, j], curl[1, i, j], curl[2, i, j]
            ox, oy, oz = out[0, i, j], out[1, i, j], out[2, i, j]
            if not rows[i, j]:
                ox[:] = ZERO
                oy[:] = ZERO
                oz[:] = ZERO
                continue
            for k in range(1, nz - 1):
                oz[k] = here[k + 1] - here[k - 1]
            oz[0], oz[nz - 1] = here[1] - here[0], here[nz - 1] - here[nz - 2]
            sum_x, sum_y, sum_z = ZERO, ZERO, ZERO
            share = gate[i, j] if gated else here
            for k in range(nz):
                gx, gy, gz = x1[k] - x0[k], y1[k] - y0[k], oz[k]
                scale = strength / (math.sqrt(gx * gx + gy * gy + gz * gz) + np.float32(1e-6))
                if gated:
                    scale *= share[k]
                px, py, pz = gy * cz[k] - gz * cy[k], gz * cx[k] - gx * cz[k], gx * cy[k] - gy * cx[k]
                ox[k], oy[k], oz[k] = scale * px, scale * py, scale * pz
                sum_x += scale * px
                sum_y += scale * py
                sum_z += scale * pz
            total_x += sum_x
            total_y += sum_y
            total_z += sum_z
        sums[i, 0], sums[i, 1], sums[i, 2] = total_x, total_y, total_z
    return sums


@kernel(parallel=True)
def coarsen(c, f, out):
    """Block means over f^3 voxels (the last block may be smaller)."""
    _, nx, ny, nz = c.shape
    _, mx, my, mz = out.shape
    for p_ in prange(mx):
        i = np.int64(p_)
        whole = np.empty(nz, np.float32)
        for q in range(3):
            for j in range(my):
                whole[:] = ZERO
                for a in range(i * f, min(i * f + f, nx)):
                    for b in range(j * f, min(j * f + f, ny)):
                        line = c[q, a, b]
                        for k in range(nz):
                            whole[k] += line[k]
                n = (min(i * f + f, nx) - i * f) * (min(j * f + f, ny) - j * f)
                row = out[q, i, j]
                for k in range(mz):
                    total = ZERO
                    for d in range(k * f, min(k * f + f, nz)):
                        total += whole[d]
                    row[k] = total / np.float32(n * (min(k * f + f, nz) - k * f))


@kernel
def _coarse_cell(i, f, n):
    x = min(max((np.float32(i) + HALF) / np.float32(f) - HALF, ZERO), np.float32(n - 1))
    a = min(np.int64(x), max(n - 2, 0))
    return a, min(a + 1, n - 1), x - np.float32(a)


@kernel(parallel=True)
def add_refined(coarse, f, gate, rows, add, out):
    """Add a coarse field, interpolated and gated, to a fine one (or set it). Returns the slab sums of what
    was added."""
    _, nx, ny, nz = out.shape
    _, mx, my, mz = coarse.shape
    one = np.float32(1.0)
    below, above, share = np.empty(nz, np.int64), np.empty(nz, np.int64), np.empty(nz, np.float32)
    for k in range(nz):
        below[k], above[k], share[k] = _coarse_cell(k, f, mz)
    sums = np.zeros((nx, 3), np.float64)
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b, fx = _coarse_cell(i, f, mx)
        line = np.empty(mz, np.float32)
        for c in range(3):
            total = 0.0
            for j in range(ny):
                if not rows[i, j]:
                    if not add:
                        out[c, i, j][:] = ZERO
                    continue
                d, e, fy = _coarse_cell(j, f, my)
                p, q, r, s = coarse[c, a, d], coarse[c, a, e], coarse[c, b, d], coarse[c, b, e]
                for k in range(mz):
                    line[k] = (one - fx) * ((one - fy) * p[k] + fy * q[k]) + fx * (
                        (one - fy) * r[k] + fy * s[k]
                    )
                row, open_ = out[c, i, j], gate[i, j]
                part = ZERO
                for k in range(nz):
                    value = open_[k] * (line[below[k]] + share[k] * (line[above[k]] - line[below[k]]))
                    part += value
                    row[k] = row[k] + value if add else value
                total += part
            sums[i, c] = total
    return sums


MOST_COARSE = 8


def _with_neighbours(rows: np.ndarray) -> np.ndarray:
    """The marked rows and those beside them."""
    out = rows.copy()
    out[1:] |= rows[:-1]
    out[:-1] |= rows[1:]
    out[:, 1:] |= rows[:, :-1]
    out[:, :-1] |= rows[:, 1:]
    return out


def vorticity_push(state: GasState, grid: Grid, inputs: StepInputs, work: Workspace) -> np.ndarray | None:
    """Fill `work.push` (3, nx, ny, nz) with both scales' acceleration, in m/s^2, and return its mean; None
    when off.

    Fedkiw, Stam & Jensen (2001), at a scale that is a length and not a voxel: the velocity is averaged over
    blocks of half the given size, and f = rate * edge * (N x curl) of the block means, so that the rate is
    the growth per second of curls of that size whatever the voxel. A size under two voxels is that of the
    voxels. The mean over the box is to be taken off: confinement adds no net momentum.
    """
    scales = [
        (r, s)
        for r, s in ((inputs.fine_curl, inputs.fine_size), (inputs.broad_curl, inputs.broad_size))
        if r > 0
    ]
    if not scales:
        return None
    (centred,) = work.arrays("centred fields", 1, (3, *grid.shape))
    centre_fields(state.u, state.v, state.w, centred)
    (gate,) = work.arrays("gate", 1, grid.shape)
    rows = np.empty(grid.shape[:2], np.bool_)
    smoke_gate(state.scalars, gate, rows)
    beside = _with_neighbours(rows)
    total = np.zeros(3)
    filled = False
    for rate, size in sorted(scales, key=lambda scale: scale[1]):
        f = int(min(MOST_COARSE, sorted(grid.shape)[1] // 2, max(1, round(size / (2.0 * grid.voxel)))))
        if f == 1 and not filled:
            curl_of(centred, beside, work.curl)
            total += confinement(work.curl, np.float32(rate), gate, True, rows, work.push).sum(axis=0)
        else:
            shape = tuple(-(-n // f) for n in grid.shape)
            coarse, push = work.arrays(("blocks", f), 2, (3, *shape))
            (curl,) = work.arrays(("block curl", f), 1, (4, *shape))
            coarsen(centred, f, coarse)
            every = np.ones(shape[:2], np.bool_)
            curl_of(coarse, every, curl)
            confinement(curl, np.float32(rate), coarse[0], False, every, push)
            total += add_refined(push, f, gate, rows, filled, work.push).sum(axis=0)
        filled = True
    return (total / grid.voxels).astype(np.float32)


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


BSPLINE_RMS = math.sqrt(0.5 * 2.0 * (151.0 / 315.0) ** 2 * (2.0 / 3.0))
"""Root mean square of one component of the curl of a unit-spaced cubic B-spline potential whose lattice
values are cosines of random phase (variance 1/2)."""


def _spline_weights(x: np.ndarray, size: float) -> tuple[np.ndarray, int]:
    """Cubic B-spline weights (len(x), lattice) of coordinates on a lattice of spacing `size`, and its first
    index."""
    place = x / size
    first = math.floor(float(place.min())) - 1
    count = math.floor(float(place.max())) + 3 - first
    d = np.abs(place[:, None] - (first + np.arange(count))[None, :])
    near = (4.0 - 6.0 * d**2 + 3.0 * d**3) / 6.0
    far = np.maximum(0.0, 2.0 - d) ** 3 / 6.0
    return np.where(d < 1.0, near, far).astype(np.float32), first


@kernel
def _expand_slab(i, wx, wy, wz, lattice, out, add):
    """One x slab of the spline, in loops: array expressions would take five times as long to compile."""
    few, rows, columns = lattice.shape
    ny, nz = wy.shape[0], wz.shape[1]
    flat, half = np.zeros((rows, columns), np.float32), np.zeros(columns, np.float32)
    for a in range(few):
        weight = wx[i, a]
        if weight != ZERO:
            for b in range(rows):
                for c in range(columns):
                    flat[b, c] += weight * lattice[a, b, c]
    for j in range(ny):
        half[:] = ZERO
        for b in range(rows):
            weight = wy[j, b]
            if weight != ZERO:
                for c in range(columns):
                    half[c] += weight * flat[b, c]
        row = out[i, j]
        if not add:
            row[:] = ZERO
        for c in range(columns):
            weight = half[c]
            if weight != ZERO:
                for k in range(nz):
                    row[k] += weight * wz[c, k]


@kernel(parallel=True)
def _expand(wx, wy, wz, lattice, out, add):
    """Tensor-product spline: (a, b, c) lattice values to a field on the grid, one x slab at a time."""
    for p_ in prange(wx.shape[0]):
        _expand_slab(np.int64(p_), wx, wy, wz, lattice, out, add)


@lru_cache(maxsize=48)
def _spline_lattice(grid: Grid, component: int, size: float, seed: int) -> tuple[np.ndarray, ...]:
    """Weights along x, y (rows) and z (columns), and the lattice's phases and paces."""
    axes, firsts = [], []
    for axis, n in enumerate(grid.shape):
        place = np.arange(n) + 0.5 if axis == component else np.arange(n + 1)
        weights, first = _spline_weights(grid.origin[axis] + place * grid.voxel, size)
        axes.append(weights)
        firsts.append(first)
    i, j, k = np.meshgrid(*(f + np.arange(w.shape[1]) for f, w in zip(firsts, axes)), indexing="ij")
    return (
        axes[0],
        axes[1],
        np.ascontiguousarray(axes[2].T),
        unit_array(seed, i, j, k),
        0.6 + 0.8 * unit_array(seed + 1, i, j, k),
    )


def turbulence_potential(
    force: TurbulenceInput, grid: Grid, time: float, out: tuple[np.ndarray, ...]
) -> None:
    """Fill `out` with the vector potential of the stirred velocity on the grid's edges, in m/s times voxel
    edge.

    Bridson, Hourihan & Nordenstam (2007): the curl of any potential has no divergence. The potential is a
    cubic B-spline over hashed lattice values that turn in time, so it is evaluated by small matrix
    products, and the grid's own curl of it is divergence-free to round-off.
    """
    share = math.sqrt(1.0 / (1.0 + force.detail**2))
    for c in range(3):
        for octave, amount in ((0, share), (1, share * force.detail)):
            if amount <= 0:
                continue
            size = force.size / (1 << octave)
            scale = amount * force.strength / math.sqrt(3.0) * size / BSPLINE_RMS / grid.voxel
            wx, wy, wz, phase, pace = _spline_lattice(grid, c, size, stable_seed(force.seed, octave, c))
            angle = (2.0 * np.pi * phase + (2.0 * np.pi * force.rate * (octave + 1) * time) * pace) % (
                2.0 * np.pi
            )
            _expand(wx, wy, wz, (scale * np.cos(angle)).astype(np.float32), out[c], octave > 0)


@kernel(parallel=True)
def stir(px, py, pz, share, u, v, w):
    """Add `share` of the curl of an edge potential to the faces."""
    nx, ny, nz = u.shape[0] - 1, v.shape[1] - 1, w.shape[2] - 1
    for p_ in prange(nx + 1):
        i = np.int64(p_)
        for j in range(ny):
            row, a, b, c = u[i, j], pz[i, j + 1], pz[i, j], py[i, j]
            for k in range(nz):
                row[k] += share * (a[k] - b[k] - c[k + 1] + c[k])
        if i == nx:
            continue
        for j in range(ny + 1):
            row, a, b, c = v[i, j], px[i, j], pz[i + 1, j], pz[i, j]
            for k in range(nz):
                row[k] += share * (a[k + 1] - a[k] - b[k] + c[k])
        for j in range(ny):
            row, a, b, c, d = w[i, j], py[i + 1, j], py[i, j], px[i, j + 1], px[i, j]
            for k in range(nz + 1):
                row[k] += share * (a[k] - b[k] - c[k] + d[k])


@kernel
def _blow(row, x, y, winds, axis, start, step, speed, along, share, keep):
    """Relax one row of faces towards each wind in turn."""
    for n in range(winds):
        s = ((x * along[n, 0] + y * along[n, 1]) - start[n]) / step[n]
        s = min(max(s, ZERO), np.float32(GUST_SAMPLES - 1))
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


def apply_forces(
    state: GasState, grid: Grid, inputs: StepInputs, work: Workspace, mean: np.ndarray | None, dt: float
) -> None:
    """Add all forces to the velocity, in place. `mean` is that of the confinement in `work.push`, None
    without it."""
    for force in inputs.turbulences:
        if force.strength > 0 and force.grip > 0:
            nx, ny, nz = grid.shape
            shapes = ((nx, ny + 1, nz + 1), (nx + 1, ny, nz + 1), (nx + 1, ny + 1, nz))
            potential = tuple(work.arrays(("edges", c), 1, shape)[0] for c, shape in enumerate(shapes))
            turbulence_potential(force, grid, state.time, potential)
            if force.within is not None:
                confine(potential, force.within, grid)
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
