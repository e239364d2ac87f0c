"""One step of a liquid.

Particles give their momenta to the grid, forces act there, pressure stops what flows together, and the
particles take the velocity back and go on with it. A second solve with the same matrix moves particles,
and no velocities, from where they crowd to where they are few (Kugelstadt et al. 2021): volume is kept.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.timing import timed
from tenka.gas.grid import Grid
from tenka.liquid.pressure import Full, full_cells, solve
from tenka.liquid.spread import Space, distance_of
from tenka.liquid.state import Liquid, sort
from tenka.liquid.transfer import carry, counted, gather, read, scatter, slabs_of, velocity_at

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
EXACT, MOST_ROUNDS = 1e-3, 200  # of the pressure's solve
LOOSE, FEW_ROUNDS = 3e-2, 12  # of the crowding's
EASES = np.float32(0.5)  # of what is crowded in a step
MOST_CROWDED = np.float32(0.5)
FARTHEST = np.float32(0.4)  # cells that crowding moves a particle
RINGS = 2  # of faces beyond the liquid that take its speed
SKIN = np.float32(0.02)  # cells that particles keep from walls


@dataclass
class Work:
    """Arrays of a step that are used again."""

    grid: Grid
    parts: dict[str, float] = field(default_factory=dict)
    rounds: list[int] = field(default_factory=list)

    def __post_init__(self) -> None:
        shape = self.grid.shape
        sides = [tuple(n + (a == axis) for a, n in enumerate(shape)) for axis in range(3)]
        self.given = [np.zeros((*s, 2), np.float32) for s in sides]
        self.faces = [np.zeros(s, np.float32) for s in sides]
        self.moves = [np.zeros(s, np.float32) for s in sides]
        self.known = [np.zeros(s, np.uint8) for s in sides]
        self.count = np.zeros((*shape, 2), np.float32)
        self.distance, self.share = (np.zeros(shape, np.float32) for _ in range(2))


@dataclass(frozen=True)
class Foaming:
    """How air is mixed in: 1/s where it is wholly torn; m/s by which neighbouring cells differ from which it
    is torn, and wholly; 1/s at which air comes out."""

    mixes: float = 6.0
    from_: float = 0.25
    whole: float = 1.0
    leaves: float = 0.87


Push = Callable[[list[np.ndarray], np.ndarray, float], None]


def step(
    liquid: Liquid,
    space: Space,
    work: Work,
    dt: float,
    push: Push,
    keep: float = 1.0,
    foam: Foaming | None = None,
) -> None:
    """A step of `dt` s, in place.

    Parameters
    ----------
    push : changes the velocities on the faces by the forces, m/s; also takes the distance to the surface in
        cells
    keep : share of the velocity's gradient that particles keep; less is thicker
    """
    grid, parts = work.grid, work.parts
    per, origin = np.float32(1.0 / grid.voxel), np.asarray(grid.origin, np.float32)
    with timed(parts, "sort"):
        slabs = slabs_of(sort(liquid, grid))
    with timed(parts, "scatter"):
        scatter(liquid.place, liquid.velocity, liquid.affine, slabs, grid, work.given)
        counted(liquid.place, liquid.air, slabs, grid, work.count)
        distance_of(work.count, space, work.distance, work.share)
        for given, face, known in zip(work.given, work.faces, work.known):
            _means(given, face, known)
    with timed(parts, "forces"):
        push(work.faces, work.distance, dt)
    with timed(parts, "pressure"):
        full = full_cells(work.distance, space.open, space.lets)
        wanted = np.zeros(len(full), np.float32)
        _flowing_together(full.cell, *work.faces, *space.open, *space.speed, np.array(grid.shape), wanted)
        x = liquid.pressure.reshape(-1)[full.cell] if len(full) else np.zeros(0, np.float32)
        work.rounds.append(solve(full, wanted, x, EXACT, MOST_ROUNDS))
        liquid.pressure[:] = 0.0
        liquid.pressure.reshape(-1)[full.cell] = x
        _stop(liquid.pressure, full, work.distance, space, work.faces, work.known, True)
        for axis in range(3):
            _shut(work.faces[axis], space.open[axis], space.speed[axis], work.known[axis], axis)
            for ring in range(RINGS):
                _grow(work.faces[axis], work.known[axis], np.uint8(ring + 1))
    with timed(parts, "crowding"):
        _ease(liquid, full, space, work, slabs, origin, per)
    with timed(parts, "gather"):
        gather(liquid.place, *work.faces, origin, per, liquid.velocity, liquid.affine, np.float32(keep))
        how = foam or Foaming()
        numbers = np.array([dt, grid.voxel, how.mixes, how.from_, how.whole, how.leaves], np.float32)
        _air(liquid.affine, liquid.air, numbers)
        carry(liquid.place, liquid.velocity, *work.faces, origin, per, np.float32(dt))
    with timed(parts, "collision"):
        keep_inside(liquid, grid, space)
    liquid.time += dt


@kernel(parallel=True)
def _means(given, face, known):
    """Velocities on the faces that particles reach."""
    nx, ny, nz = face.shape
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                mass = given[i, j, k, 1]
                known[i, j, k] = 1 if mass > ZERO else 0
                face[i, j, k] = given[i, j, k, 0] / mass if mass > ZERO else ZERO


@kernel(parallel=True)
def _flowing_together(cell, u, v, w, wx, wy, wz, su, sv, sw, shape, wanted):
    """What flows into each full cell and not out of it, in cells' widths times speed; solids as they move."""
    ny, nz = shape[1], shape[2]
    for p in prange(cell.size):
        n = np.int64(p)
        c = cell[n]
        i, j, k = c // (ny * nz), (c // nz) % ny, c % nz
        out = wx[i + 1, j, k] * u[i + 1, j, k] - wx[i, j, k] * u[i, j, k]
        out += wy[i, j + 1, k] * v[i, j + 1, k] - wy[i, j, k] * v[i, j, k]
        out += wz[i, j, k + 1] * w[i, j, k + 1] - wz[i, j, k] * w[i, j, k]
        out += (ONE - wx[i + 1, j, k]) * su[i + 1, j, k] - (ONE - wx[i, j, k]) * su[i, j, k]
        out += (ONE - wy[i, j + 1, k]) * sv[i, j + 1, k] - (ONE - wy[i, j, k]) * sv[i, j, k]
        out += (ONE - wz[i, j, k + 1]) * sw[i, j, k + 1] - (ONE - wz[i, j, k]) * sw[i, j, k]
        wanted[n] = -out


def _stop(
    pressure: np.ndarray,
    full: Full,
    distance: np.ndarray,
    space: Space,
    faces: list[np.ndarray],
    known: list[np.ndarray],
    tells: bool,
) -> None:
    """Take the pressure's gradient from the faces beside full cells; with `tells` these are all that is
    known."""
    for axis, (face, told) in enumerate(zip(faces, known)):
        lets = space.lets[2 * axis], space.lets[2 * axis + 1]
        _gradient(
            pressure, full.number, distance, space.open[axis], axis, lets[0], lets[1], face, told, tells
        )


@kernel(parallel=True)
def _gradient(pressure, number, distance, share, axis, low, high, face, known, tells):
    nx, ny, nz = face.shape
    di, dj, dk = (1 if axis == 0 else 0), (1 if axis == 1 else 0), (1 if axis == 2 else 0)
    last = number.shape[axis]
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                at = i if axis == 0 else (j if axis == 1 else k)
                before = at > 0 and number[i - di, j - dj, k - dk] >= 0
                after = at < last and number[i, j, k] >= 0
                if not before and not after:
                    continue
                if share[i, j, k] <= ZERO:
                    continue
                if (at == 0 and not low) or (at == last and not high):
                    continue
                if tells:
                    known[i, j, k] = 2
                a = pressure[i - di, j - dj, k - dk] if before else ZERO
                b = pressure[i, j, k] if after else ZERO
                change = b - a
                if before != after and 0 < at < last:
                    da, db = distance[i - di, j - dj, k - dk], distance[i, j, k]
                    inside, out = (da, db) if before else (db, da)
                    part = inside / (inside - out) if out > ZERO else ONE
                    change /= max(part, np.float32(0.1))
                face[i, j, k] -= change


@kernel(parallel=True)
def _shut(face, share, speed, known, axis):
    """Faces that are shut go as what shuts them, where one of its sides is open; deeper in they are taken
    from the liquid beside."""
    nx, ny, nz = face.shape
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                if share[i, j, k] <= ZERO:
                    face[i, j, k] = speed[i, j, k]
                    known[i, j, k] = 0
                    at, last = (i, nx - 1) if axis == 0 else ((j, ny - 1) if axis == 1 else (k, nz - 1))
                    if at == 0 or at == last:
                        known[i, j, k] = 2
                    else:
                        di, dj, dk = (
                            (1 if axis == 0 else 0),
                            (1 if axis == 1 else 0),
                            (1 if axis == 2 else 0),
                        )
                        if share[i - di, j - dj, k - dk] > ZERO or share[i + di, j + dj, k + dk] > ZERO:
                            known[i, j, k] = 2


@kernel(parallel=True)
def _grow(face, known, ring):
    """Faces that nothing is known of take the mean of those beside them that are known; marks of a ring are
    250 - ring, which only the next ring reads."""
    nx, ny, nz = face.shape
    newest = np.uint8(250 - ring)
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                if known[i, j, k] != 0:
                    continue
                total, count = ZERO, 0
                if i > 0 and known[i - 1, j, k] != 0 and known[i - 1, j, k] != newest:
                    total += face[i - 1, j, k]
                    count += 1
                if i < nx - 1 and known[i + 1, j, k] != 0 and known[i + 1, j, k] != newest:
                    total += face[i + 1, j, k]
                    count += 1
                if j > 0 and known[i, j - 1, k] != 0 and known[i, j - 1, k] != newest:
                    total += face[i, j - 1, k]
                    count += 1
                if j < ny - 1 and known[i, j + 1, k] != 0 and known[i, j + 1, k] != newest:
                    total += face[i, j + 1, k]
                    count += 1
                if k > 0 and known[i, j, k - 1] != 0 and known[i, j, k - 1] != newest:
                    total += face[i, j, k - 1]
                    count += 1
                if k < nz - 1 and known[i, j, k + 1] != 0 and known[i, j, k + 1] != newest:
                    total += face[i, j, k + 1]
                    count += 1
                if count > 0:
                    face[i, j, k] = total / np.float32(count)
                    known[i, j, k] = newest


def _ease(
    liquid: Liquid,
    full: Full,
    space: Space,
    work: Work,
    slabs: np.ndarray,
    origin: np.ndarray,
    per: np.float32,
) -> None:
    """Move particles from where they crowd."""
    wanted, x = np.zeros(len(full), np.float32), np.zeros(len(full), np.float32)
    _crowding(full.cell, full.beside, work.share, wanted)
    solve(full, wanted, x, LOOSE, FEW_ROUNDS)
    field_ = np.zeros(work.grid.shape, np.float32)
    field_.reshape(-1)[full.cell] = x
    for move in work.moves:
        move[:] = 0.0
    _stop(field_, full, work.distance, space, work.moves, work.known, False)
    _shifted(liquid.place, *work.moves, origin, per)


@kernel(parallel=True)
def _crowding(cell, beside, share, wanted):
    """How much is to flow out of each cell, in its own volumes: what is over what it can hold; inside also
    what lacks."""
    flat = share.reshape(-1)
    for p in prange(cell.size):
        n = np.int64(p)
        over = flat[cell[n]] - ONE
        inside = True
        for side in range(6):
            inside = inside and beside[n, side] >= 0
        if not inside:
            over = max(over, ZERO)
        wanted[n] = EASES * min(max(over, -MOST_CROWDED), MOST_CROWDED)


@kernel(parallel=True)
def _shifted(place, u, v, w, origin, per):
    voxel = ONE / per
    nx, ny, nz = v.shape[0], u.shape[1], u.shape[2]
    for m in prange(place.shape[0]):
        n = np.int64(m)
        x, y, z = (
            (place[n, 0] - origin[0]) * per,
            (place[n, 1] - origin[1]) * per,
            (place[n, 2] - origin[2]) * per,
        )
        if not (ZERO <= x <= nx and ZERO <= y <= ny and ZERO <= z <= nz):
            continue
        a, b, c = velocity_at(u, v, w, x, y, z)
        place[n, 0] += voxel * min(max(a, -FARTHEST), FARTHEST)
        place[n, 1] += voxel * min(max(b, -FARTHEST), FARTHEST)
        place[n, 2] += voxel * min(max(c, -FARTHEST), FARTHEST)


@kernel(parallel=True)
def _air(affine, air, numbers):
    """Air is mixed in where neighbouring places go apart or together fast, and comes out again."""
    dt, voxel, mixes, from_, whole, leaves = numbers
    for m in prange(air.size):
        n = np.int64(m)
        total = ZERO
        for a in range(3):
            for b in range(3):
                s = affine[n, a, b] + affine[n, b, a]
                total += s * s
        pace = HALF * np.sqrt(total) * voxel
        part = min(max(ZERO, (pace - from_) / max(whole - from_, np.float32(1e-6))), ONE)
        rate = mixes * part + leaves
        aim = mixes * part / rate if rate > ZERO else ZERO
        air[n] = aim + (air[n] - aim) * np.exp(-rate * dt)


def keep_inside(liquid: Liquid, grid: Grid, space: Space) -> None:
    """Put particles out of props and shut walls, in place; what goes into one loses that of its speed."""
    solid = space.distance if space.distance is not None else np.zeros((0, 0, 0), np.float32)
    _kept_inside(
        liquid.place,
        liquid.velocity,
        solid,
        *space.speed,
        np.asarray(grid.origin, np.float32),
        np.float32(1.0 / grid.voxel),
        np.array(grid.shape),
        space.lets,
    )


@kernel(parallel=True)
def _kept_inside(place, velocity, solid, su, sv, sw, origin, per, shape, lets):
    voxel = ONE / per
    at_wall = SKIN * voxel
    for m in prange(place.shape[0]):
        n = np.int64(m)
        if solid.size > 0:
            x, y, z = (
                (place[n, 0] - origin[0]) * per - HALF,
                (place[n, 1] - origin[1]) * per - HALF,
                (place[n, 2] - origin[2]) * per - HALF,
            )
            inside = -HALF <= x <= shape[0] - HALF and -HALF <= y <= shape[1] - HALF
            if inside and -HALF <= z <= shape[2] - HALF:
                d = read(solid, x, y, z) - at_wall
                if d < ZERO:
                    gx = read(solid, x + HALF, y, z) - read(solid, x - HALF, y, z)
                    gy = read(solid, x, y + HALF, z) - read(solid, x, y - HALF, z)
                    gz = read(solid, x, y, z + HALF) - read(solid, x, y, z - HALF)
                    size = np.sqrt(gx * gx + gy * gy + gz * gz)
                    if size > np.float32(1e-6) * voxel:
                        gx, gy, gz = gx / size, gy / size, gz / size
                        out = min(-d, voxel)
                        place[n, 0] += out * gx
                        place[n, 1] += out * gy
                        place[n, 2] += out * gz
                        a, b, c = velocity_at(su, sv, sw, x + HALF, y + HALF, z + HALF)
                        into = (
                            (velocity[n, 0] - a) * gx + (velocity[n, 1] - b) * gy + (velocity[n, 2] - c) * gz
                        )
                        if into < ZERO:
                            velocity[n, 0] -= into * gx
                            velocity[n, 1] -= into * gy
                            velocity[n, 2] -= into * gz
        for axis in range(3):
            low = origin[axis] + at_wall
            high = origin[axis] + np.float32(shape[axis]) * voxel - at_wall
            if not lets[2 * axis] and place[n, axis] < low:
                place[n, axis] = low
                velocity[n, axis] = max(velocity[n, axis], ZERO)
            if not lets[2 * axis + 1] and place[n, axis] > high:
                place[n, axis] = high
                velocity[n, axis] = min(velocity[n, axis], ZERO)
