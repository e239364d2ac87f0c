"""Pairs of bodies: who is near whom, and the impulses between them."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vectors import dot, length, minus, plus, put, row, times
from tenka.particles.state import ASLEEP, STUCK

SLOW = 0.35  # m/s; a slower blow gives nothing back
WAKES = 0.1  # m/s; a slower blow does not wake
ROUND = 0.36  # radius, as a share of its width, with which a piece meets others


@kernel
def _cell(a, b, c, cells):
    """A hash of a cell of the grid."""
    return ((a * 73856093) ^ (b * 19349663) ^ (c * 83492791)) % cells


@kernel
def _corner(place, i, size):
    """The cell in which a body is."""
    return (
        np.int64(math.floor(place[i, 0] / size)),
        np.int64(math.floor(place[i, 1] / size)),
        np.int64(math.floor(place[i, 2] / size)),
    )


@kernel
def _by_cells(place, size, cells):
    """Bodies in the order of their cells, and where each cell begins in it."""
    n = place.shape[0]
    hashed, starts = np.empty(n, np.int64), np.zeros(cells + 1, np.int64)
    for i in range(n):
        a, b, c = _corner(place, i, size)
        hashed[i] = _cell(a, b, c, cells)
        starts[hashed[i] + 1] += 1
    for c in range(cells):
        starts[c + 1] += starts[c]
    fill, order = starts[:-1].copy(), np.empty(n, np.int64)
    for i in range(n):
        order[fill[hashed[i]]] = i
        fill[hashed[i]] += 1
    return order, starts


@kernel
def _pushed(p, still, i, j, bounce):
    """Two bodies apart, and the blow between them."""
    way = minus(row(p.place, j), row(p.place, i))
    reach, far = ROUND * (p.width[i] + p.width[j]), length(way)
    if far >= reach or far < 1e-9:
        return
    side = times(1.0 / far, way)
    first, second = row(p.velocity, i), row(p.velocity, j)
    into = dot(minus(second, first), side)
    wakes = into < -WAKES
    # what sleeps is woken by a blow and else as firm as the ground; what is held stays
    firm_i = p.state[i] & STUCK or (p.state[i] & ASLEEP and not wakes)
    firm_j = p.state[j] & STUCK or (p.state[j] & ASLEEP and not wakes)
    if firm_i and firm_j:
        return
    mi, mj = p.width[i] ** 3, p.width[j] ** 3
    ti, tj = mj / (mi + mj), mi / (mi + mj)
    if firm_i:
        ti, tj = 0.0, 1.0
    elif firm_j:
        ti, tj = 1.0, 0.0
    apart = 0.2 * (reach - far)
    put(p.place, i, plus(row(p.place, i), -ti * apart, side))
    put(p.place, j, plus(row(p.place, j), tj * apart, side))
    if into < 0:
        push = -(1 + (bounce if into < -SLOW else 0.0)) * into
        put(p.velocity, i, plus(first, -ti * push, side))
        put(p.velocity, j, plus(second, tj * push, side))
    if wakes:
        for m in (i, j):
            p.state[m] &= np.uint8(255 - ASLEEP)
            still[m] = 0


@kernel
def collide(now, p, still, bounce):
    """Blows between bodies that are born by `now`, as balls; in a fixed order, so that results are the same
    every time."""
    n = p.born.size
    size = 1e-9
    for i in range(n):
        size = max(size, 2 * ROUND * p.width[i])
    cells = max(2 * n, 16)
    order, starts = _by_cells(p.place, size, cells)
    looked = np.empty(27, np.int64)
    for i in range(n):
        if p.born[i] >= now:
            continue
        a, b, c = _corner(p.place, i, size)
        seen = 0
        for k in range(27):
            cell = _cell(a + k // 9 - 1, b + k // 3 % 3 - 1, c + k % 3 - 1, cells)
            again = False
            for s in range(seen):  # two cells may have one hash
                again = again or looked[s] == cell
            if again:
                continue
            looked[seen] = cell
            seen += 1
            for s in range(starts[cell], starts[cell + 1]):
                j = order[s]
                asleep = p.state[i] & ASLEEP and p.state[j] & ASLEEP
                if j > i and p.born[j] < now and not asleep:
                    _pushed(p, still, i, j, bounce)
