"""Pairs of bodies: who is near whom, and the impulses between them."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel
from tenka.particles.state import ASLEEP

SLOW = 0.35  # m/s; a slower blow gives nothing back
ROUND = 0.36  # radius, as a share of its width, with which a piece meets others


@kernel
def _cells_of(place, size, cells):
    """A hash of the grid cell of each body."""
    out = np.empty(place.shape[0], np.int64)
    for i in range(place.shape[0]):
        a, b, c = (
            np.int64(math.floor(place[i, 0] / size)),
            np.int64(math.floor(place[i, 1] / size)),
            np.int64(math.floor(place[i, 2] / size)),
        )
        out[i] = ((a * 73856093) ^ (b * 19349663) ^ (c * 83492791)) % cells
    return out


@kernel
def _meet(t1, born, place, velocity, width, state, still, bounce):
    """Blows between bodies, as balls; in a fixed order, so that results are the same every time."""
    n = place.shape[0]
    size = 1e-9
    for i in range(n):
        size = max(size, 2 * ROUND * width[i])
    cells = max(2 * n, 16)
    hashed = _cells_of(place, size, cells)
    starts = np.zeros(cells + 1, np.int64)
    for i in range(n):
        starts[hashed[i] + 1] += 1
    for c in range(cells):
        starts[c + 1] += starts[c]
    fill, order = starts[:-1].copy(), np.empty(n, np.int64)
    for i in range(n):
        order[fill[hashed[i]]] = i
        fill[hashed[i]] += 1
    looked = np.empty(27, np.int64)
    for i in range(n):
        if born[i] >= t1:
            continue
        a, b, c = (
            np.int64(math.floor(place[i, 0] / size)),
            np.int64(math.floor(place[i, 1] / size)),
            np.int64(math.floor(place[i, 2] / size)),
        )
        seen = 0
        for x in range(-1, 2):
            for y in range(-1, 2):
                for z in range(-1, 2):
                    cell = (((a + x) * 73856093) ^ ((b + y) * 19349663) ^ ((c + z) * 83492791)) % cells
                    again = False
                    for s in range(seen):
                        again = again or looked[s] == cell
                    if again:
                        continue
                    looked[seen] = cell
                    seen += 1
                    for s in range(starts[cell], starts[cell + 1]):
                        j = order[s]
                        if j <= i or born[j] >= t1 or (state[i] & ASLEEP and state[j] & ASLEEP):
                            continue
                        dx, dy, dz = (
                            place[j, 0] - place[i, 0],
                            place[j, 1] - place[i, 1],
                            place[j, 2] - place[i, 2],
                        )
                        reach = ROUND * (width[i] + width[j])
                        far = math.sqrt(dx * dx + dy * dy + dz * dz)
                        if far >= reach or far < 1e-9:
                            continue
                        px, py, pz = dx / far, dy / far, dz / far
                        into = (
                            (velocity[j, 0] - velocity[i, 0]) * px
                            + (velocity[j, 1] - velocity[i, 1]) * py
                            + (velocity[j, 2] - velocity[i, 2]) * pz
                        )
                        mi, mj = width[i] ** 3, width[j] ** 3
                        ti, tj = mj / (mi + mj), mi / (mi + mj)
                        apart = 0.2 * (reach - far)
                        for k in range(3):
                            d = px if k == 0 else (py if k == 1 else pz)
                            place[i, k] -= ti * apart * d
                            place[j, k] += tj * apart * d
                            if into < 0:
                                push = -(1 + (bounce if into < -SLOW else 0.0)) * into
                                velocity[i, k] -= ti * push * d
                                velocity[j, k] += tj * push * d
                        if into < -0.1:
                            for m in (i, j):
                                state[m] &= np.uint8(255 - ASLEEP)
                                still[m] = 0
