"""Confined vorticity by size: the push that keeps curls alive."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import DENSITY, GasState, Grid, Workspace
from tenka.gas.lattice import lattices
from tenka.gas.settings import StepInputs

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
FAINT = np.float32(0.1)  # growth of the curl over two edges, as a share of it, at which N is half as long
LEAST_EDGE = 1.4  # voxels of the finest lattice: what turns within three of them is noise


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
def confinement(curl, strength, out):
    """`strength * N x curl` with N the direction in which the curl's length grows, (3, nx, ny, nz).

    Where it hardly grows, as in the middle of a curl, the direction would be chance: N is shorter there.
    """
    _, nx, ny, nz = curl.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        a, b = max(i - 1, 0), min(i + 1, nx - 1)
        for j in range(ny):
            d, e = max(j - 1, 0), min(j + 1, ny - 1)
            x0, x1, y0, y1, here = curl[3, a, j], curl[3, b, j], curl[3, i, d], curl[3, i, e], curl[3, i, j]
            cx, cy, cz = curl[0, i, j], curl[1, i, j], curl[2, i, j]
            ox, oy, oz = out[0, i, j], out[1, i, j], out[2, i, j]
            for k in range(1, nz - 1):
                oz[k] = here[k + 1] - here[k - 1]
            oz[0], oz[nz - 1] = here[1] - here[0], here[nz - 1] - here[nz - 2]
            for k in range(nz):
                gx, gy, gz = x1[k] - x0[k], y1[k] - y0[k], oz[k]
                grows = math.sqrt(gx * gx + gy * gy + gz * gz)
                scale = strength / (grows + FAINT * here[k] + np.float32(1e-6))
                px, py, pz = gy * cz[k] - gz * cy[k], gz * cx[k] - gx * cz[k], gx * cy[k] - gy * cx[k]
                ox[k], oy[k], oz[k] = scale * px, scale * py, scale * pz


def held_sizes(grid: Grid) -> tuple[float, float]:
    """Sizes in m between which curls can be driven: that the voxels can hold, and the box has room for."""
    return 2.0 * LEAST_EDGE * grid.voxel, 0.5 * sorted(grid.box[1])[-2]


def _levels(grid: Grid, curls: tuple[tuple[float, float], ...]) -> list[tuple[float, float]]:
    """Edge in m and rate in 1/s of each lattice, from the finest on, without those beyond the largest and the
    smallest that are wanted."""
    least, most = held_sizes(grid)
    held = [(0.5 * size, rate) for size, rate in curls if least <= size <= most]
    while held and held[-1][1] <= 0:
        held.pop()
    while held and held[0][1] <= 0:
        held.pop(0)
    return held


def vorticity_push(state: GasState, grid: Grid, inputs: StepInputs, work: Workspace) -> np.ndarray | None:
    """Fill `work.push` (3, nx, ny, nz) with the acceleration that keeps curls turning, in m/s^2, and return
    its mean; None when off.

    Fedkiw, Stam & Jensen (2001), at many sizes, each a length and not a number of voxels: the velocity is
    averaged over a lattice whose edge is half the size, and f = rate * edge * (N x curl) of these means, so
    that the rate is the growth per second of curls of that size whatever the voxel. The lattices are laid out
    from the middle of the box, each of every second point of the one before. The mean over the box is to be
    taken off: confinement adds no net momentum.
    """
    levels = _levels(grid, inputs.curls)
    if not levels:
        return None
    (centred,) = work.arrays("centred fields", 1, (3, *grid.shape))
    centre_fields(state.u, state.v, state.w, centred)
    (gate,) = work.arrays("gate", 1, grid.shape)
    rows = np.empty(grid.shape[:2], np.bool_)
    smoke_gate(state.scalars, gate, rows)
    ladder = lattices(grid, tuple(edge for edge, _ in levels))
    sums, pushes = centred, []
    for lattice, (_, rate) in zip(ladder, levels):
        sums, mean, push = lattice.restrict(sums, work)
        (curl,) = work.arrays(("lattice curl", lattice.shape), 1, (4, *lattice.shape))
        every = np.ones(lattice.shape[:2], np.bool_)
        curl_of(mean, every, curl)
        confinement(curl, np.float32(rate), push)
        pushes.append(push)
    for n in range(len(ladder) - 1, 0, -1):
        ladder[n].add_to(pushes[n], pushes[n - 1])
    total = ladder[0].spread(pushes[0], gate, rows, work.push)
    return (total / grid.voxels).astype(np.float32)
