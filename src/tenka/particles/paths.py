"""How particles went in a step or between stored frames, and the smoke that is swept along that."""

from __future__ import annotations

import numpy as np

from tenka.gas.swept import Swept
from tenka.particles.state import ASLEEP, Paths, Points, together

FAR_APART = 60.0  # m


def paths_of(
    place: np.ndarray, velocity: np.ndarray, after: Points, t0: float, t1: float, dead: np.ndarray
) -> Paths:
    """How particles went in a step, from where they were (or were born) to where they are (or died)."""
    until = ended(after, t0, t1, dead)
    return Paths(
        np.maximum(t0, after.born),
        np.maximum(until, after.born),
        place,
        after.place,
        velocity,
        after.velocity,
        after.id,
        after.born,
        after.life,
        after.width,
        after.heat,
        after.source,
        after.colour,
        (after.state & ASLEEP) > 0,
    )


def paths_between(a: Points, b: Points, t0: float, t1: float) -> Paths:
    """How particles went between two stored frames; those that are in only one are followed from it along
    their speed."""
    common, at_a, at_b = np.intersect1d(a.id, b.id, assume_unique=True, return_indices=True)
    rest_a = np.setdiff1d(np.arange(len(a)), at_a, assume_unique=True)
    rest_b = np.setdiff1d(np.arange(len(b)), at_b, assume_unique=True)
    rest_b = rest_b[(b.born[rest_b] >= t0 - 1e-9)]
    gone, come = a.picked(rest_a), b.picked(rest_b)
    ends = np.clip(gone.born + gone.life, t0, t1)
    begins = np.clip(come.born, t0, t1)
    after = gone.place + gone.velocity * (ends - t0)[:, None].astype(np.float32)
    first = come.place - come.velocity * (t1 - begins)[:, None].astype(np.float32)
    pa, pb = a.picked(at_a), b.picked(at_b)
    who = together([pb, gone, come])
    if not len(who):
        who = Points()
    n = len(common)
    join = np.concatenate
    return Paths(
        join([np.full(n, t0), np.full(len(gone), t0), begins]),
        join([np.full(n, t1), ends, np.full(len(come), t1)]),
        join([pa.place, gone.place, first]),
        join([pb.place, after, come.place]),
        join([pa.velocity, gone.velocity, come.velocity]),
        join([pb.velocity, gone.velocity, come.velocity]),
        who.id,
        who.born,
        who.life,
        who.width,
        who.heat,
        who.source,
        who.colour,
        (who.state & ASLEEP) > 0,
    )


SWEPT_PLACES = 5


def swept_of(paths: Paths, start: float, end: float) -> Swept | None:
    """How the particles that are awake go from `start` to `end`, for a gas that they feed."""
    since, until = np.maximum(paths.since, start), np.minimum(paths.until, end)
    rows = np.flatnonzero((until > since) & ~paths.asleep)
    if not len(rows):
        return None
    since, until = since[rows], until[rows]
    found = [paths.at(since + (until - since) * k / (SWEPT_PLACES - 1), rows) for k in range(SWEPT_PLACES)]
    age = np.clip((0.5 * (since + until) - paths.born[rows]) / np.minimum(paths.life[rows], 1e9), 0.0, 1.0)
    return Swept(
        np.stack([p for p, _ in found], axis=1),
        np.stack([v for _, v in found], axis=1),
        (until - since) / (end - start),
        paths.width[rows],
        age,
    )


def ended(p: Points, t0: float, t1: float, dead: np.ndarray) -> np.ndarray:
    """Until when each particle was there in a step, s."""
    return np.where(dead.astype(bool), np.clip(p.born + p.life, t0, t1), t1)
