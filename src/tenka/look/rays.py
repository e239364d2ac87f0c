"""What every kernel that looks along a ray needs: the ray of a pixel, a box, what dims and what scatters."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vector import float_from_bits

ZERO = np.float32(0.0)
ONE = np.float32(1.0)


@kernel
def exp_minus(x):
    """exp(-x) for x >= 0, to a few millionths of the value: a power of two by its bits times a polynomial."""
    y = min(x, np.float32(80.0)) * np.float32(-1.4426950409)
    n = np.floor(y)
    f = y - n
    p = np.float32(0.05582631) + f * (np.float32(0.00898934) + f * np.float32(0.00187757))
    p = ONE + f * (np.float32(0.69315308) + f * (np.float32(0.24015361) + f * p))
    return p * float_from_bits(np.int32((np.int32(n) + np.int32(127)) << np.int32(23)))


@kernel
def sun_through(depth):
    """Sunlight that arrives through an optical depth: what is straight, and what is scattered forward to
    it."""
    return np.float32(0.7) * exp_minus(depth) + np.float32(0.3) * exp_minus(np.float32(0.22) * depth)


@kernel
def phase_hg(cosine, g):
    """Henyey-Greenstein's phase function against that of even scattering."""
    d = ONE + g * g - np.float32(2.0) * g * cosine
    return (ONE - g * g) / (d * np.sqrt(d))


@kernel
def box_span(px, py, pz, dx, dy, dz, low, high):
    """Where a ray enters and leaves a box; the entry is after the exit when it misses."""
    near, far = np.float32(-1e30), np.float32(1e30)
    for axis in range(3):
        p = px if axis == 0 else (py if axis == 1 else pz)
        d = dx if axis == 0 else (dy if axis == 1 else dz)
        if abs(d) < np.float32(1e-12):
            if p < low[axis] or p > high[axis]:
                return ONE, ZERO
        else:
            a, b = (low[axis] - p) / d, (high[axis] - p) / d
            near, far = max(near, min(a, b)), min(far, max(a, b))
    return near, far


@kernel
def ray_of(view, u, v):
    """Start and unit direction of a ray at picture coordinates in [-1, 1] (v up); see View.packed."""
    x, y = u * view[12], v * view[13]
    if view[14] > np.float32(0.5):
        return (
            view[0] + x * view[6] + y * view[9],
            view[1] + x * view[7] + y * view[10],
            view[2] + x * view[8] + y * view[11],
            view[3],
            view[4],
            view[5],
        )
    dx = view[3] + x * view[6] + y * view[9]
    dy = view[4] + x * view[7] + y * view[10]
    dz = view[5] + x * view[8] + y * view[11]
    n = ONE / np.sqrt(dx * dx + dy * dy + dz * dz)
    return view[0], view[1], view[2], dx * n, dy * n, dz * n
