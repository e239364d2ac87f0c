"""Velocity and scalars inside solids: what gas beside them would see there."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import GasState
from tenka.gas.solids import DEPTH, ONE, ZERO, Solids


@kernel(parallel=True)
def alive(field, diagonal):
    """Nothing where a voxel takes no part."""
    for p_ in prange(field.shape[0]):
        i = np.int64(p_)
        for j in range(field.shape[1]):
            row, d = field[i, j], diagonal[i, j]
            for k in range(row.size):
                row[k] = row[k] if d[k] > ZERO else ZERO


@kernel(parallel=True)
def _fill(q, share, speed, along, stick, mark):
    """Give faces inside a solid the mean of their open neighbours along it, and the solid's own velocity
    across it. Two rings."""
    nx, ny, nz = q.shape
    for ring in range(2):
        for p_ in prange(nx):
            i = np.int64(p_)
            for j in range(ny):
                for k in range(nz):
                    if share[i, j, k] > ZERO:
                        if ring == 0 and share[i, j, k] < ONE:
                            q[i, j, k] += (
                                stick[i, j, k] * (ONE - share[i, j, k]) * (speed[i, j, k] - q[i, j, k])
                            )
                        continue
                    if ring == 1 and mark[i, j, k] == np.int8(1):
                        continue
                    total, count = ZERO, ZERO
                    if along[i, j, k] > ZERO:
                        for n in range(6):
                            a = i + (1 if n == 0 else (-1 if n == 1 else 0))
                            b = j + (1 if n == 2 else (-1 if n == 3 else 0))
                            c = k + (1 if n == 4 else (-1 if n == 5 else 0))
                            if (
                                0 <= a < nx
                                and 0 <= b < ny
                                and 0 <= c < nz
                                and (share[a, b, c] > ZERO or (ring == 1 and mark[a, b, c] == np.int8(1)))
                            ):
                                total += q[a, b, c]
                                count += ONE
                    if count > ZERO:
                        q[i, j, k] = along[i, j, k] * total / count + (ONE - along[i, j, k]) * speed[i, j, k]
                        mark[i, j, k] = np.int8(1 if ring == 0 else 2)
                    else:
                        q[i, j, k] = speed[i, j, k]
                        mark[i, j, k] = np.int8(0)


def fill_velocity(state: GasState, solids: Solids) -> None:
    """Set the velocity of faces inside solids, in place, so that gas slides along (or sticks) when it is
    advected."""
    marks = solids.scratch.setdefault("marks", [np.zeros(s.shape, np.int8) for s in solids.open])
    for axis, q in enumerate((state.u, state.v, state.w)):
        marks[axis][:] = 0
        _fill(q, solids.open[axis], solids.speed[axis], solids.along[axis], solids.stick[axis], marks[axis])


@kernel(parallel=True)
def _ghosts(s, distance, depth):
    """Give voxels inside a solid, down to a depth, the mean of the neighbours that lie further out."""
    nx, ny, nz, channels = s.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                here = distance[i, j, k]
                if here >= ZERO or here < -depth:
                    continue
                count = ZERO
                for c in range(channels):
                    s[i, j, k, c] = ZERO
                for n in range(6):
                    a = i + (1 if n == 0 else (-1 if n == 1 else 0))
                    b = j + (1 if n == 2 else (-1 if n == 3 else 0))
                    d = k + (1 if n == 4 else (-1 if n == 5 else 0))
                    if 0 <= a < nx and 0 <= b < ny and 0 <= d < nz and distance[a, b, d] >= ZERO:
                        count += ONE
                        for c in range(channels):
                            s[i, j, k, c] += s[a, b, d, c]
                if count > ZERO:
                    for c in range(channels):
                        s[i, j, k, c] /= count


@kernel(parallel=True)
def _clear(s, distance):
    nx, ny, nz, channels = s.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                if distance[i, j, k] < ZERO:
                    for c in range(channels):
                        s[i, j, k, c] = ZERO


def ghost_scalars(state: GasState, solids: Solids, voxel: float) -> None:
    """Fill the outermost voxels of solids from the gas beside them, in place: reads near a wall then find no
    hole."""
    for s in (state.scalars, state.dye):
        if s is not None:
            _ghosts(s, solids.distance, np.float32(DEPTH * voxel))


def clear_scalars(state: GasState, solids: Solids) -> None:
    """No gas inside a solid."""
    for s in (state.scalars, state.dye):
        if s is not None:
            _clear(s, solids.distance)


@kernel(parallel=True)
def _outflow(u, v, w, au, av, aw, su, sv, sw, out):
    """Outflow of each voxel where faces are partly solid: open shares carry the gas, the rest the solid's own
    velocity."""
    nx, ny, nz = out.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                total = au[i + 1, j, k] * u[i + 1, j, k] + (ONE - au[i + 1, j, k]) * su[i + 1, j, k]
                total -= au[i, j, k] * u[i, j, k] + (ONE - au[i, j, k]) * su[i, j, k]
                total += av[i, j + 1, k] * v[i, j + 1, k] + (ONE - av[i, j + 1, k]) * sv[i, j + 1, k]
                total -= av[i, j, k] * v[i, j, k] + (ONE - av[i, j, k]) * sv[i, j, k]
                total += aw[i, j, k + 1] * w[i, j, k + 1] + (ONE - aw[i, j, k + 1]) * sw[i, j, k + 1]
                total -= aw[i, j, k] * w[i, j, k] + (ONE - aw[i, j, k]) * sw[i, j, k]
                out[i, j, k] = total


def outflow(state: GasState, solids: Solids, out: np.ndarray) -> None:
    """Divergence per voxel edge (m/s) with the solids' own movement; voxels wholly within a solid have
    none."""
    _outflow(state.u, state.v, state.w, *solids.open, *solids.speed, out)
    alive(out, solids.levels[0].diagonal)
