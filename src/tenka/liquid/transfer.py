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
        for n in range(slabs[s], slabs[s + 1]):
            x = (place[n, 0] - origin[0]) * per - ox
            y = (place[n, 1] - origin[1]) * per - oy
            z = (place[n, 2] - origin[2]) * per - oz
            i, j, k = np.int64(np.floor(x)), np.int64(np.floor(y)), np.int64(np.floor(z))
            f, g, h = x - np.float32(i), y - np.float32(j), z - np.float32(k)
            own = velocity[n, axis]
            cx, cy, cz = affine[n, axis, 0], affine[n, axis, 1], affine[n, axis, 2]
            for a in range(2):
                if not 0 <= i + a < nx:
                    continue
                wx = f if a else ONE - f
                dx = (np.float32(a) - f) * voxel
                for b in range(2):
                    if not 0 <= j + b < ny:
                        continue
                    wxy = wx * (g if b else ONE - g)
                    part = own + cx * dx + cy * (np.float32(b) - g) * voxel
                    for c in range(2):
                        if not 0 <= k + c < nz:
                            continue
                        weight = wxy * (h if c else ONE - h)
                        out[i + a, j + b, k + c, 0] += weight * (part + cz * (np.float32(c) - h) * voxel)
                        out[i + a, j + b, k + c, 1] += weight


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
        for n in range(slabs[s], slabs[s + 1]):
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
                    for c in range(2):
                        if 0 <= k + c < nz:
                            share = wxy * (h if c else ONE - h)
                            out[i + a, j + b, k + c, 0] += share
                            out[i + a, j + b, k + c, 1] += share * weight[n]


@kernel(inline=True)
def _corners(x, n):
    """The lower of two samples round a place, clamped, and how far it is towards the other."""
    x = min(max(x, ZERO), np.float32(n - 1))
    i = min(np.int64(x), n - 2)
    return i, x - np.float32(i)


@kernel
def read(face, x, y, z):
    """A field at its own sample coordinates, straight between samples, held outside."""
    i, f = _corners(x, face.shape[0])
    j, g = _corners(y, face.shape[1])
    k, h = _corners(z, face.shape[2])
    a = face[i, j, k] * (ONE - h) + face[i, j, k + 1] * h
    b = face[i, j + 1, k] * (ONE - h) + face[i, j + 1, k + 1] * h
    c = face[i + 1, j, k] * (ONE - h) + face[i + 1, j, k + 1] * h
    d = face[i + 1, j + 1, k] * (ONE - h) + face[i + 1, j + 1, k + 1] * h
    return (a * (ONE - g) + b * g) * (ONE - f) + (c * (ONE - g) + d * g) * f


@kernel
def velocity_at(u, v, w, x, y, z):
    """The velocity at a place in cells."""
    return (read(u, x, y - HALF, z - HALF), read(v, x - HALF, y, z - HALF), read(w, x - HALF, y - HALF, z))


@kernel
def _gathered(face, x, y, z, per, out):
    """A field at a place, and its gradient into `out`, 1/m of the field."""
    i, f = _corners(x, face.shape[0])
    j, g = _corners(y, face.shape[1])
    k, h = _corners(z, face.shape[2])
    a, b = face[i, j, k], face[i, j, k + 1]
    c, d = face[i, j + 1, k], face[i, j + 1, k + 1]
    p, q = face[i + 1, j, k], face[i + 1, j, k + 1]
    r, s = face[i + 1, j + 1, k], face[i + 1, j + 1, k + 1]
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
        n = np.int64(m)
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
        n = np.int64(m)
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
