"""Particles and water: births where it breaks or is struck, and deaths of what falls into it."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.randomness import unit_array
from tenka.effect.courses import curve
from tenka.effect.model import PointSource
from tenka.gas.settings import SAMPLES
from tenka.particles.spots import Context, _Spots
from tenka.particles.state import Points
from tenka.water.felt import WaterField

STEEPEST = 2.0  # m/s: a bore that passes raises a cell faster than its water goes up
THIN = 0.02  # m: a thinner film is too fast for what it is, and throws nothing
LEAST = 0.02  # of a water that is torn: below, nothing comes off


def hashed_id(seed: int, *counters: np.ndarray) -> np.ndarray:
    """Ids of 42 bits, from what a birth is counted by."""
    low, high = unit_array(seed, *counters), unit_array(seed + 1, *counters)
    found: np.ndarray = (low.astype(np.float64) * (1 << 24)).astype(np.int64) << 18 | (
        high.astype(np.float64) * (1 << 18)
    ).astype(np.int64)
    return found


def from_water(
    source: PointSource, field: WaterField | None, ctx: Context, seed: int, start: float, end: float
) -> tuple[np.ndarray, np.ndarray, _Spots] | None:
    """Births where a water is torn: ids, moments, places.

    Each cell has births of its own in each of the pieces of time by which courses are sampled, as many as
    its share of a square metre that is wholly torn has, the part of one by chance: how time is cut into
    steps changes none.
    """
    if field is None:
        return None
    step, cell = 1.0 / (ctx.rate * SAMPLES), field.cell
    cells = np.flatnonzero((field.torn > LEAST) & (field.after + field.rest > THIN))
    found: list[tuple[np.ndarray, np.ndarray, np.ndarray]] = []
    if not len(cells):
        return None
    torn, first = field.torn.reshape(-1)[cells].astype(float), [round(o / cell) for o in field.origin]
    i, j = np.unravel_index(cells, field.torn.shape)
    where = [(n + f) & 0x7FFFFFFF for n, f in zip((i, j), first)]  # of the world's cells: a window may go on
    for k in range(math.floor(start / step + 1e-9), math.ceil(end / step - 1e-9)):
        middle = (k + 0.5) * step
        per = max(0.0, float(curve(source.rate, np.array([middle - source.delay]))[0]))
        per *= max(0.0, float(curve(source.emission, np.array([middle - source.delay]))[0]))
        wanted = torn * per * cell * cell * step * float(ctx.clock.scale_at(middle))
        count = np.floor(wanted + unit_array(seed, *where, np.full(len(cells), k & 0x7FFFFFFF))).astype(int)
        rows = np.repeat(np.arange(len(cells)), count)
        number = np.arange(len(rows)) - np.repeat(np.cumsum(count) - count, count)
        counters = (where[0][rows], where[1][rows], np.full(len(rows), k & 0x7FFFFFFF) * 64 + number)
        found.append((rows, hashed_id(seed + 2, *counters), np.full(len(rows), float(k))))
    rows, id, k_of = (np.concatenate(parts) for parts in zip(*found))
    moment = (k_of + unit_array(seed + 4, id & 0xFFFFFFFF, id >> 32, 0 * id)) * step
    kept = (moment > start) & (moment <= end) & source.gives_at(moment)
    rows, id, moment = rows[kept], id[kept], moment[kept]
    if not len(id):
        return None
    jitter = [unit_array(seed + 5 + n, id & 0xFFFFFFFF, id >> 32, 0 * id) for n in (0, 1)]
    x = field.origin[0] + (i[rows] + jitter[0]) * cell
    y = field.origin[1] + (j[rows] + jitter[1]) * cell
    flat = np.stack([x, y], axis=1)
    z = field.height(flat, moment)
    own = field.level + field.after[i[rows], j[rows]]
    place = np.stack([x, y, np.where(np.isfinite(z), z, own) + 1e-4], axis=1)
    up = np.clip(field.rising[i[rows], j[rows]], 0.0, STEEPEST)
    flow = np.stack([field.u[i[rows], j[rows]], field.v[i[rows], j[rows]], up], axis=1).astype(float)
    outward = np.tile([0.0, 0.0, 1.0], (len(id), 1))
    return id, moment, _Spots(place, outward, flow, in_scene=True)


def drowned(p: Points, field: WaterField | None, dead: np.ndarray, t: float) -> None:
    """Mark what has fallen into a water by `t`; what rises out of it lives."""
    if field is None:
        return
    falls = (p.velocity[:, 2] < 0) & (dead == 0)
    rows = np.flatnonzero(falls)
    height = field.height(p.place[rows].astype(float), np.full(len(rows), t))
    under = p.place[rows, 2] < height  # not so where that is no number
    dead[rows[under]] = 1
