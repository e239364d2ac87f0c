"""Rigid pieces in a water: lifted by what they displace, carried by its flow, and what they displace for it.

Each kind of piece is cut into a lattice of small boxes that fills its hull. A box is lifted by the weight of
the water that it is in, at right angles to the surface over it (hydrostatic pressure under a wave follows its
slope), and dragged along by the flow there. What floats low, tilts and rights itself does so by that alone.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vectors import cross, plus, put, row, times
from tenka.effect.debris import Bodies as Settings
from tenka.gas.settings import Moment
from tenka.particles.hulls import hulls_of
from tenka.particles.pieces import Piece
from tenka.particles.state import ASLEEP, STUCK, Points
from tenka.particles.turning import spun, turned
from tenka.water.felt import WaterField, surface_at
from tenka.water.lumps import Lumps

ACROSS = 6  # boxes along the longest side of a piece
LEAST = 4  # along its shortest
OUTSIDE = 1e-6  # of a width, by which a middle may lie out of a hull and count


class Volumes(NamedTuple):
    """The boxes of each kind of piece, of a width of one.

    Attributes
    ----------
    middles : (kinds, n, 3); those beyond a kind's boxes are not read
    edges : (kinds, 3) of its boxes
    share : (kinds,) of the piece's volume that each box has
    boxes : (kinds,) how many
    volume : (kinds,) of the whole piece
    across : (kinds,) of its extents the one in the middle
    """

    middles: np.ndarray
    edges: np.ndarray
    share: np.ndarray
    boxes: np.ndarray
    volume: np.ndarray
    across: np.ndarray


def _lattice(corners: np.ndarray, planes: np.ndarray) -> tuple[np.ndarray, np.ndarray, float]:
    """Middles of the boxes in a hull, (n, 3), their edges, and the extent in the middle of the three; the
    lattice fills its extent."""
    low, high = corners.min(axis=0), corners.max(axis=0)
    span = np.maximum(high - low, 1e-6)
    count = np.clip(np.ceil(ACROSS * span / span.max() - 1e-9), LEAST, ACROSS).astype(int)
    axes = [a + (np.arange(n) + 0.5) * s / n for a, n, s in zip(low, count, span)]
    all_of = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    inside = (all_of @ planes[:, :3].T <= planes[:, 3] + OUTSIDE).all(axis=1)
    middles = all_of[inside] if inside.any() else corners.mean(axis=0)[None]
    return middles, span / count, float(np.median(span))


@lru_cache(maxsize=8)
def volumes_of(own: tuple[Piece, ...]) -> Volumes:
    """The boxes of some kinds of pieces; their middle of mass is that of the piece."""
    hulls = hulls_of([q.corners for q in own])
    found = [
        _lattice(hulls.corners[k], hulls.planes[k, : int((hulls.sides[k] > 0).sum())])
        for k in range(len(own))
    ]
    most = max(len(m) for m, _, _ in found)
    middles = np.zeros((len(own), most, 3))
    for k, (m, _, _) in enumerate(found):
        middles[k, : len(m)] = m - m.mean(axis=0)
    count = np.array([len(m) for m, _, _ in found])
    return Volumes(
        middles,
        np.array([edges for _, edges, _ in found]),
        1.0 / count,
        count,
        np.array([q.volume for q in own]),
        np.array([across for _, _, across in found]),
    )


class Afloat(NamedTuple):
    """A water as the pieces of a step feel it: its surface, where that is, and numbers: weight of water
    against a piece's, pull m/s^2, grip 1/s, and seconds of the effect in one of the layer's."""

    surface: tuple[np.ndarray, ...]
    place: np.ndarray
    numbers: np.ndarray
    volumes: Volumes


def floating(
    settings: Settings, field: WaterField | None, pull: float, own: tuple[Piece, ...], moment: Moment
) -> Afloat | None:
    """What `float_on` takes in a step; None where there is no water.

    Parameters
    ----------
    pull : m/s^2 downwards, by the layer's clock
    """
    if field is None:
        return None
    surface, place = field.packed()
    place[4:] = moment.own + (place[4:] - moment.t) / moment.stretch
    numbers = np.array([field.weighs / settings.weighs, pull, settings.grip, moment.stretch])
    return Afloat(surface, place, numbers, volumes_of(own))


@kernel
def _height_of(q, edges):
    """How high a box stands that is turned so: its extent along z."""
    x, y, z = turned(q, -1.0, (0.0, 0.0, 1.0))
    return abs(x) * edges[0] + abs(y) * edges[1] + abs(z) * edges[2]


@kernel
def float_on(t0, t1, p, b, water, lifts):
    """What a water does to all pieces in a tick: an acceleration, (n, 3), with which they fly it, and a
    change of their spins before that; wakes what lies asleep and is lifted.

    It is felt half a tick on, so that what bobs neither gains nor loses by it (position Verlet).
    """
    weight, pull, grip, stretch = water.numbers
    volumes = water.volumes
    for i in range(p.born.size):
        put(lifts, i, (0.0, 0.0, 0.0))
        since = max(t0, p.born[i])
        dt = t1 - since
        if dt <= 0 or p.dead[i] or p.state[i] & STUCK:
            continue
        q, v, w = b.turn[i], row(p.velocity, i), row(b.spin, i)
        kind, size, place = b.kinds[i], p.width[i], plus(row(p.place, i), 0.5 * dt, v)
        tall = size * _height_of(q, volumes.edges[kind])
        lift = (0.0, 0.0, 0.0)
        tilt = (0.0, 0.0, 0.0)
        under = 0.0
        for n in range(volumes.boxes[kind]):
            r = turned(q, 1.0, times(size, row(volumes.middles[kind], n)))
            at = plus(place, 1.0, r)
            wet, level, a, c, flow = surface_at(water.surface, water.place, at[0], at[1], since + 0.5 * dt)
            if not wet:
                continue
            share = min(max(0.0, (level - at[2]) / tall + 0.5), 1.0) * volumes.share[kind]
            if share <= 0.0:
                continue
            under += share
            up = weight * pull * share
            own = plus(v, 1.0, cross(w, r))
            drag = (1.0 - math.exp(-grip * weight * dt)) / dt * share
            force = (
                -up * a + drag * (stretch * flow[0] - own[0]),
                -up * c + drag * (stretch * flow[1] - own[1]),
                up + drag * (stretch * flow[2] - own[2]),
            )
            lift = plus(lift, 1.0, force)
            tilt = plus(tilt, 1.0, cross(r, force))
        if under <= 0.0:
            continue
        if p.state[i] & ASLEEP:
            if weight * under < 1.0:
                continue
            p.state[i] &= np.uint8(255 - ASLEEP)
            b.still[i] = 0
        put(lifts, i, lift)
        put(b.spin, i, plus(w, dt, spun(q, b.inverse[kind], 1.0 / (size * size), tilt)))


def lumps_of(p: Points, own: tuple[Piece, ...], kinds: np.ndarray) -> Lumps:
    """What pieces are for a water that they lie in: all their boxes, as (n,) arrays."""
    volumes = volumes_of(own)
    count = volumes.boxes[kinds] if len(p) else np.zeros(0, int)
    out = np.zeros((int(count.sum()), 8))
    if len(p):
        _lumped(p.place, p.velocity, p.turn, p.spin, p.width, kinds, volumes, out)
    across = float((p.width * volumes.across[kinds]).min()) if len(p) else 0.0
    return Lumps(out[:, :3], out[:, 3:6], out[:, 6], out[:, 7], across)


@kernel
def _lumped(place, velocity, turn, spin, width, kinds, volumes, out):
    m = 0
    for i in range(place.shape[0]):
        kind, size = kinds[i], float(width[i])
        tall = size * _height_of(turn[i], volumes.edges[kind])
        each = volumes.volume[kind] * volumes.share[kind] * size**3
        for n in range(volumes.boxes[kind]):
            r = turned(turn[i], 1.0, times(size, row(volumes.middles[kind], n)))
            speed = plus(row(velocity, i), 1.0, cross(row(spin, i), r))
            for k in range(3):
                out[m, k] = place[i, k] + r[k]
                out[m, 3 + k] = speed[k]
            out[m, 6], out[m, 7] = each, tall
            m += 1
