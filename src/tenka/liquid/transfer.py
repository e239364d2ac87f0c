"""Between particles and the staggered grid: affine momenta out, velocities and their gradients back.

Trilinear, in the affine particle-in-cell way (Jiang et al. 2015): what a particle gives to a face is its
velocity there, by its own gradient, so that turns are kept. Cells are worked at in slabs of two colours,
whose borders never meet: however many threads there are, sums are taken in the same order.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import Grid

SLAB = 4  # cells across x that are worked at together
HALF = np.float32(0.5)
ZERO = np.float32(0.0)
ONE = np.float32(1.0)


def slabs_of(starts: np.ndarray) -> np.ndarray:
    """Where the particles of each slab of cells begin, and where those of the last end."""
    return np.append(starts[:-1:SLAB], starts[-1])


def scatter(
    place: np.ndarray,
    velocity: np.ndarray,
    affine: np.ndarray,
    slabs: np.ndarray,
    grid: Grid,
    faces: list[np.ndarray],
) -> None:
    """Momentum and mass of all particles on the faces, each (..., 2) float32, which are cleared first."""
    origin = np.asarray(grid.origin, np.float32)
    for axis, face in enumerate(faces):
        face[:] = 0.0
        for colour in (0, 1):
            _scatter(place, velocity, affine, slabs, colour, axis, origin, np.float32(1.0 / grid.voxel), face)


@kernel(parallel=True)
def _scatter(place, velocity, affine, slabs, colour, axis, origin, per, out):
    count = (slabs.size - 1 - colour + 1) // 2
    nx, ny, nz, _ = out.shape
    voxel = ONE / per
    ox, oy, oz = (ZERO if axis == 0 else HALF), (ZERO if axis == 1 else HALF), (ZERO if axis == 2 else HALF)
    for q in prange(count):
        s = 2 * np.int64(q) + colour
        for n_ in range(slabs[s], slabs[s + 1]):
            n = np.uint64(n_)
            x = (place[n, 0] - origin[0]) * per - ox
            y = (place[n, 1] - origin[1]) * per - oy
            z = (place[n, 2] - origin[2]) * per - oz
            i, j, k = np.int64(np.floor(x)), np.int64(np.floor(y)), np.int64(np.floor(z))
            f, g, h = x - np.float32(i), y - np.float32(j), z - np.float32(k)
            cx, cy, cz = affine[n, axis, 0] * voxel, affine[n, axis, 1] * voxel, affine[n, axis, 2] * voxel
            own = velocity[n, axis] - cx * f - cy * g - cz * h  # at the lowest of the eight faces
            for a in range(2):
                if not 0 <= i + a < nx:
                    continue
                wx = f if a else ONE - f
                there = own + cx if a else own
                for b in range(2):
                    if not 0 <= j + b < ny:
                        continue
                    wxy = wx * (g if b else ONE - g)
                    part = there + cy if b else there
                    row = out[np.uint64(i + a), np.uint64(j + b)]
                    if 0 <= k < nz:
                        weight = wxy * (ONE - h)
                        row[np.uint64(k), 0] += weight * part
                        row[np.uint64(k), 1] += weight
                    if 0 <= k + 1 < nz:
                        weight = wxy * h
                        row[np.uint64(k + 1), 0] += weight * (part + cz)
                        row[np.uint64(k + 1), 1] += weight


def counted(place: np.ndarray, weight: np.ndarray, slabs: np.ndarray, grid: Grid, out: np.ndarray) -> None:
    """How much of the particles each cell holds, spread trilinearly, (nx, ny, nz, 2): them, and their weight;
    cleared first."""
    out[:] = 0.0
    origin = np.asarray(grid.origin, np.float32)
    for colour in (0, 1):
        _counted(place, weight, slabs, colour, origin, np.float32(1.0 / grid.voxel), out)


@kernel(parallel=True)
def _counted(place, weight, slabs, colour, origin, per, out):
    count = (slabs.size - 1 - colour + 1) // 2
    nx, ny, nz, _ = out.shape
    for q in prange(count):
        s = 2 * np.int64(q) + colour
        for n_ in range(slabs[s], slabs[s + 1]):
            n = np.uint64(n_)
            x = (place[n, 0] - origin[0]) * per - HALF
            y = (place[n, 1] - origin[1]) * per - HALF
            z = (place[n, 2] - origin[2]) * per - HALF
            i, j, k = np.int64(np.floor(x)), np.int64(np.floor(y)), np.int64(np.floor(z))
            f, g, h = x - np.float32(i), y - np.float32(j), z - np.float32(k)
            for a in range(2):
                if not 0 <= i + a < nx:
                    continue
                for b in range(2):
                    if not 0 <= j + b < ny:
                        continue
                    wxy = (f if a else ONE - f) * (g if b else ONE - g)
                    row = out[np.uint64(i + a), np.uint64(j + b)]
                    if 0 <= k < nz:
                        share = wxy * (ONE - h)
                        row[np.uint64(k), 0] += share
                        row[np.uint64(k), 1] += share * weight[n]
                    if 0 <= k + 1 < nz:
                        share = wxy * h
                        row[np.uint64(k + 1), 0] += share
                        row[np.uint64(k + 1), 1] += share * weight[n]


@kernel(inline=True)
def _corners(x, n):
    """Both samples round a place, clamped, and how far it is towards the second. Without a sign: what could
    count from the end would be asked about at each read."""
    x = min(max(ZERO, x), np.float32(n - 1))
    i = min(np.int64(x), n - 2)
    return np.uint64(i), np.uint64(i + 1), x - np.float32(i)


@kernel
def read(face, x, y, z):
    """A field at its own sample coordinates, straight between samples, held outside."""
    i, i1, f = _corners(x, face.shape[0])
    j, j1, g = _corners(y, face.shape[1])
    k, k1, h = _corners(z, face.shape[2])
    a = face[i, j, k] * (ONE - h) + face[i, j, k1] * h
    b = face[i, j1, k] * (ONE - h) + face[i, j1, k1] * h
    c = face[i1, j, k] * (ONE - h) + face[i1, j, k1] * h
    d = face[i1, j1, k] * (ONE - h) + face[i1, j1, k1] * h
    return (a * (ONE - g) + b * g) * (ONE - f) + (c * (ONE - g) + d * g) * f


@kernel
def velocity_at(u, v, w, x, y, z):
    """The velocity at a place in cells."""
    return (read(u, x, y - HALF, z - HALF), read(v, x - HALF, y, z - HALF), read(w, x - HALF, y - HALF, z))


@kernel
def _gathered(face, x, y, z, per, out):
    """A field at a place, and its gradient into `out`, 1/m of the field."""
    i, i1, f = _corners(x, face.shape[0])
    j, j1, g = _corners(y, face.shape[1])
    k, k1, h = _corners(z, face.shape[2])
    a, b = face[i, j, k], face[i, j, k1]
    c, d = face[i, j1, k], face[i, j1, k1]
    p, q = face[i1, j, k], face[i1, j, k1]
    r, s = face[i1, j1, k], face[i1, j1, k1]
    low, high = (a * (ONE - h) + b * h), (c * (ONE - h) + d * h)
    far_low, far_high = (p * (ONE - h) + q * h), (r * (ONE - h) + s * h)
    near, far = low * (ONE - g) + high * g, far_low * (ONE - g) + far_high * g
    out[0] = (far - near) * per
    out[1] = ((high - low) * (ONE - f) + (far_high - far_low) * f) * per
    out[2] = (((b - a) * (ONE - g) + (d - c) * g) * (ONE - f) + ((q - p) * (ONE - g) + (s - r) * g) * f) * per
    return near * (ONE - f) + far * f


@kernel(parallel=True)
def gather(place, u, v, w, origin, per, velocity, affine, keep):
    """Velocities of the grid at the particles, and their gradients; particles outside keep their own.

    `keep` is the share of the gradient that is kept: 1 is all that there is.
    """
    nx, ny, nz = v.shape[0], u.shape[1], u.shape[2]
    for m in prange(place.shape[0]):
        n = np.uint64(m)
        x, y, z = (
            (place[n, 0] - origin[0]) * per,
            (place[n, 1] - origin[1]) * per,
            (place[n, 2] - origin[2]) * per,
        )
        if not (ZERO <= x <= nx and ZERO <= y <= ny and ZERO <= z <= nz):
            affine[n] = ZERO
            continue
        velocity[n, 0] = _gathered(u, x, y - HALF, z - HALF, per, affine[n, 0])
        velocity[n, 1] = _gathered(v, x - HALF, y, z - HALF, per, affine[n, 1])
        velocity[n, 2] = _gathered(w, x - HALF, y - HALF, z, per, affine[n, 2])
        if keep < ONE:
            for a in range(3):
                for b in range(3):
                    affine[n, a, b] *= keep


@kernel(parallel=True)
def carry(place, velocity, u, v, w, origin, per, dt):
    """Carry the particles by the grid's flow (the midpoint rule); those outside fly as they did."""
    nx, ny, nz = v.shape[0], u.shape[1], u.shape[2]
    for m in prange(place.shape[0]):
        n = np.uint64(m)
        x, y, z = (
            (place[n, 0] - origin[0]) * per,
            (place[n, 1] - origin[1]) * per,
            (place[n, 2] - origin[2]) * per,
        )
        a, b, c = velocity[n, 0], velocity[n, 1], velocity[n, 2]
        if ZERO <= x <= nx and ZERO <= y <= ny and ZERO <= z <= nz:
            half = HALF * dt * per
            a, b, c = velocity_at(u, v, w, x + half * a, y + half * b, z + half * c)
        place[n, 0] += dt * a
        place[n, 1] += dt * b
        place[n, 2] += dt * c
