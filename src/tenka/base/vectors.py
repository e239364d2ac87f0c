"""Three numbers as a tuple, for kernels: what is done with places and velocities."""

from __future__ import annotations

import math

from tenka.base.jit import kernel


@kernel(inline=True)
def dot(a, b):
    """The scalar product."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@kernel(inline=True)
def length(a):
    """How long a vector is."""
    return math.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2])


@kernel(inline=True)
def times(s, a):
    """`s` times a vector."""
    return s * a[0], s * a[1], s * a[2]


@kernel(inline=True)
def plus(a, s, b):
    """`a` and `s` times `b`."""
    return a[0] + s * b[0], a[1] + s * b[1], a[2] + s * b[2]


@kernel(inline=True)
def minus(a, b):
    """The way from `b` to `a`."""
    return a[0] - b[0], a[1] - b[1], a[2] - b[2]


@kernel(inline=True)
def cross(a, b):
    """The vector product."""
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@kernel(inline=True)
def row(table, i):
    """Row `i` of (n, 3) as float64."""
    return table[i, 0] * 1.0, table[i, 1] * 1.0, table[i, 2] * 1.0


@kernel(inline=True)
def put(table, i, a):
    """Write a vector into row `i` of (n, 3)."""
    table[i, 0], table[i, 1], table[i, 2] = a[0], a[1], a[2]
