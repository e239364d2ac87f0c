"""Particles as a source of gas: each gives along its path, as long as it is there, so that a fast one leaves
no beads."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel
from tenka.effect.model import Source, ramp_at
from tenka.gas.grid import Grid
from tenka.gas.sources import NO_MASK, NONE, NONE3, SourceMask

MOST_PLACES = 4_000_000  # along all paths of a sub-step
LEAST_REACH = 0.8  # voxels; a smaller particle gives its share of a ball of this size


@dataclass(frozen=True)
class Swept:
    """How particles go in a span of time.

    Attributes
    ----------
    places, speeds : (n, k, 3) m and m/s at k even times of each one's part of the span
    part : (n,) share of the span in which each is there
    width : (n,) m; age : (n,) share of life; inf lives give 0
    """

    places: np.ndarray
    speeds: np.ndarray
    part: np.ndarray
    width: np.ndarray
    age: np.ndarray


def radii(source: Source, swept: Swept) -> np.ndarray:
    """(n,) m, in which each gives now."""
    radius = 0.5 * swept.width * source.point_size * ramp_at(source.point_size_over, swept.age)
    return np.where(radius >= source.point_least, radius, 0.0)


def swept_bounds(swept: Swept | None, source: Source) -> tuple[np.ndarray, np.ndarray] | None:
    """Lowest and highest corner of where particles give, m; None without any."""
    if swept is None or not len(swept.part):
        return None
    radius = radii(source, swept)
    kept = radius > 0
    if not kept.any():
        return None
    reach = float(radius.max())
    places = swept.places[kept]
    return places.min(axis=(0, 1)) - reach, places.max(axis=(0, 1)) + reach


@kernel
def _spread(place, speed, radius, weight, corner, h, share, flow):
    """Add balls to a part of the grid: each its volume times its weight, and its speed with it. Serial, in a
    fixed order."""
    nx, ny, nz = share.shape
    for n in range(place.shape[0]):
        r = max(radius[n] / h, LEAST_REACH)
        x, y, z = (
            (place[n, 0] - corner[0]) / h - 0.5,
            (place[n, 1] - corner[1]) / h - 0.5,
            (place[n, 2] - corner[2]) / h - 0.5,
        )
        i0, i1 = math.ceil(x - r - 0.5), math.floor(x + r + 0.5)
        j0, j1 = math.ceil(y - r - 0.5), math.floor(y + r + 0.5)
        k0, k1 = math.ceil(z - r - 0.5), math.floor(z + r + 0.5)
        if ny == 1:
            j0, j1 = 0, 0
        whole = 0.0  # of what its voxels get, those beyond the border too
        for i in range(i0, i1 + 1):
            for j in range(j0, j1 + 1):
                for k in range(k0, k1 + 1):
                    whole += min(
                        max(0.0, 0.5 + r - math.sqrt((i - x) ** 2 + (j - y) ** 2 + (k - z) ** 2)), 1.0
                    )
        if whole <= 0:
            continue
        amount = weight[n] * (4.0 / 3.0 * math.pi * (radius[n] / h) ** 3) / whole
        for i in range(max(i0, 0), min(i1, nx - 1) + 1):
            for j in range(max(j0, 0), min(j1, ny - 1) + 1):
                for k in range(max(k0, 0), min(k1, nz - 1) + 1):
                    d = math.sqrt((i - x) ** 2 + (j - y) ** 2 + (k - z) ** 2)
                    c = min(max(0.0, 0.5 + r - d), 1.0) * amount
                    if c > 0:
                        share[i, j, k] += c
                        for a in range(3):
                            flow[i, j, k, a] += c * speed[n, a]


def swept_mask(source: Source, swept: Swept, grid: Grid, dt: float) -> SourceMask:
    """The voxels in which particles give, what share of the span they are covered, and how fast what covers
    them goes."""
    radius = radii(source, swept)
    give = ramp_at(source.point_give_over, swept.age) * swept.part
    kept = np.flatnonzero((radius > 0) & (give > 0))
    bounds = swept_bounds(swept, source)
    if not len(kept) or bounds is None:
        return NO_MASK
    reach = 1.5 * grid.voxel
    first = np.maximum(0, np.floor((bounds[0] - reach - grid.origin) / grid.voxel).astype(int))
    last = np.minimum(grid.shape, np.ceil((bounds[1] + reach - grid.origin) / grid.voxel).astype(int) + 1)
    if np.any(last <= first):
        return NO_MASK
    places, speeds = swept.places[kept], swept.speeds[kept]
    if grid.shape[1] == 1:
        places = places.copy()
        places[..., 1] = grid.origin[1] + 0.5 * grid.voxel
        first[1], last[1] = 0, 1
    # as many places along each way as keep neighbours within half of a ball
    length = np.linalg.norm(np.diff(places, axis=1), axis=2).sum(axis=1)
    count = np.ceil(length / (0.6 * np.maximum(radius[kept], LEAST_REACH * grid.voxel))).astype(int) + 1
    if count.sum() > MOST_PLACES:
        count = np.maximum(1, (count * (MOST_PLACES / count.sum())).astype(int))
    row = np.repeat(np.arange(len(kept)), count)
    s = (
        (np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count) + 0.5)
        / count[row]
        * (places.shape[1] - 1)
    )
    a = np.minimum(s.astype(int), max(places.shape[1] - 2, 0))
    f = (s - a)[:, None]
    b = np.minimum(a + 1, places.shape[1] - 1)
    place = places[row, a] * (1 - f) + places[row, b] * f
    speed = speeds[row, a] * (1 - f) + speeds[row, b] * f
    corner = np.asarray(grid.origin) + first * grid.voxel
    share = np.zeros(last - first)
    flow = np.zeros((*share.shape, 3))
    _spread(
        place.astype(np.float64),
        speed.astype(np.float64),
        radius[kept][row],
        (give[kept] / count)[row],
        corner,
        grid.voxel,
        share,
        flow,
    )
    cells = np.argwhere(share > 1e-6)
    held = share[cells[:, 0], cells[:, 1], cells[:, 2]]
    speed_there = flow[cells[:, 0], cells[:, 1], cells[:, 2]] / held[:, None]
    carries = any(stop.value for stop in source.carried.stops)
    return SourceMask(
        np.ascontiguousarray(cells + first, np.int32),
        held.astype(np.float32),
        NONE3,
        speed_there.astype(np.float32) if carries else NONE3,
        NONE,
    )
