"""What solids do to the gas beside them: how fast it may go there, what it is driven out of."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import GasState, Workspace
from tenka.gas.solids import ONE, ZERO, Solids


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
def _fill(q, share, speed, along, mark):
    """Give faces inside a solid the mean of their open neighbours along it, and the solid's own velocity
    across it. Two rings."""
    nx, ny, nz = q.shape
    for ring in range(2):
        for p_ in prange(nx):
            i = np.int64(p_)
            for j in range(ny):
                for k in range(nz):
                    if share[i, j, k] > ZERO:
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
    """Set the velocity of faces inside solids, in place, so that gas slides along when it is carried."""
    marks = solids.scratch.setdefault("marks", [np.zeros(s.shape, np.int8) for s in solids.open])
    for axis, q in enumerate((state.u, state.v, state.w)):
        marks[axis][:] = 0
        _fill(q, solids.open[axis], solids.speed[axis], solids.along[axis], marks[axis])


@kernel(parallel=True)
def _hold(q, share, speed, stick):
    for m in prange(q.size):
        q[m] += stick[m] * (ONE - share[m]) * (speed[m] - q[m])


def hold_along(state: GasState, solids: Solids) -> None:
    """Let solids without slip hold the gas that goes along them, in place."""
    for axis, q in enumerate((state.u, state.v, state.w)):
        held = (q, solids.open[axis], solids.speed[axis], solids.stick[axis])
        _hold(*(field.reshape(-1) for field in held))


@kernel(parallel=True)
def _mixed(q, share, speed, out):
    for m in prange(q.size):
        out[m] = share[m] * q[m] + (ONE - share[m]) * speed[m]


def through_faces(state: GasState, solids: Solids, work: Workspace) -> tuple[np.ndarray, ...]:
    """How fast whole faces are crossed, m/s: open shares by the gas, the rest by the solid itself."""
    faces = (state.u, state.v, state.w)
    out = work.arrays_like("through", faces)
    for axis, q in enumerate(faces):
        mixed = (q, solids.open[axis], solids.speed[axis], out[axis])
        _mixed(*(field.reshape(-1) for field in mixed))
    return out


@kernel
def _weight(a, b, c, here, closed, distance, to_gas):
    nx, ny, nz = closed.shape
    if not (0 <= a < nx and 0 <= b < ny and 0 <= c < nz):
        return ZERO
    if to_gas:
        return ZERO if closed[a, b, c] else ONE
    return max(distance[a, b, c] - here, ZERO)


@kernel
def _hand_on(i, j, k, s, closed, distance):
    """Give what a shut voxel holds to the gas beside it, or to its neighbours further out; whether there are
    any."""
    here = distance[i, j, k]
    for way in range(2):
        total = ZERO
        for n in range(6):
            x, y, z = (n == 0) - (n == 1), (n == 2) - (n == 3), (n == 4) - (n == 5)
            total += _weight(i + x, j + y, k + z, here, closed, distance, way == 0)
        if total > ZERO:
            for n in range(6):
                x, y, z = (n == 0) - (n == 1), (n == 2) - (n == 3), (n == 4) - (n == 5)
                share = _weight(i + x, j + y, k + z, here, closed, distance, way == 0) / total
                if share > ZERO:
                    for c in range(s.shape[3]):
                        s[i + x, j + y, k + z, c] += share * s[i, j, k, c]
            return True
    return False


@kernel
def _push_out(shut, s, closed, distance, rounds):
    """In a fixed order, voxel by voxel outwards; what reaches no gas in so many rounds goes."""
    _, ny, nz, channels = s.shape
    for n in range(rounds):
        left = False
        for at in shut:
            i, j, k = at // (ny * nz), at // nz % ny, at % nz
            held = False
            for c in range(channels):
                held = held or s[i, j, k, c] != ZERO
            if held:
                left = True
                if n < rounds - 1:
                    _hand_on(i, j, k, s, closed, distance)
                for c in range(channels):
                    s[i, j, k, c] = ZERO
        if not left:
            return


ROUNDS = 6  # voxels from within a solid over which what it shuts in finds its way out


def push_out(state: GasState, solids: Solids) -> None:
    """What lies where a solid now is goes to the gas beside it, in place: none of it is lost."""
    for s in (state.scalars, state.dye):
        if s is not None:
            _push_out(solids.shut, s, solids.closed, solids.distance, ROUNDS)


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
