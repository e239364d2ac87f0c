"""Turns of rigid pieces, as quaternions w x y z, and how they go on freely."""

from __future__ import annotations

import math

from tenka.base.jit import kernel
from tenka.base.vectors import cross, length, plus, times

SHORT = 0.1  # rad that a piece turns between two looks at its momentum
MOST_PARTS = 32


@kernel
def turned(q, sense, v):
    """A vector turned by a quaternion, or back with a sense of -1."""
    a = (sense * q[1], sense * q[2], sense * q[3])
    t = times(2.0, cross(a, v))
    return plus(plus(v, q[0], t), 1.0, cross(a, t))


@kernel
def spun(q, tensor, scale, v):
    """A tensor of a piece's own axes, times a number, on a vector of the scene."""
    a = turned(q, -1.0, v)
    own = (
        scale * (tensor[0, 0] * a[0] + tensor[0, 1] * a[1] + tensor[0, 2] * a[2]),
        scale * (tensor[1, 0] * a[0] + tensor[1, 1] * a[1] + tensor[1, 2] * a[2]),
        scale * (tensor[2, 0] * a[0] + tensor[2, 1] * a[1] + tensor[2, 2] * a[2]),
    )
    return turned(q, 1.0, own)


@kernel
def turn_on(q, spin, dt):
    """Turn a quaternion by a spin over a time, exactly."""
    rate = length(spin)
    if rate < 1e-9:
        return
    half = 0.5 * rate * dt
    c = math.cos(half)
    x, y, z = times(math.sin(half) / rate, spin)
    a, b, d, e = q[0], q[1], q[2], q[3]
    q[0], q[1], q[2], q[3] = (
        c * a - x * b - y * d - z * e,
        c * b + x * a + y * e - z * d,
        c * d + y * a + z * b - x * e,
        c * e + z * a + x * d - y * b,
    )
    n = math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])
    for k in range(4):
        q[k] /= n


@kernel
def tumbled(q, spin, inertia, inverse, dt):
    """Turn a piece freely for a time, in place: its angular momentum stays, and the spin after it follows. By
    the spin in the middle of short ways; unit mass and width, which cancel."""
    momentum = spun(q, inertia, 1.0, spin)
    parts = min(max(math.ceil(length(spin) * dt / SHORT), 1), MOST_PARTS)
    middle = q.copy()
    for _ in range(parts):
        middle[:] = q
        turn_on(middle, spin, 0.5 * dt / parts)
        turn_on(q, spun(middle, inverse, 1.0, momentum), dt / parts)
        spin = spun(q, inverse, 1.0, momentum)
    return spin
