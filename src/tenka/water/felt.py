"""A water's surface as others feel it: where it is, how it goes, and where it is torn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter

from tenka.base.jit import kernel
from tenka.water.basin import DRY


@dataclass(frozen=True)
class WaterField:
    """A surface over a while.

    Attributes
    ----------
    before, after : (nx, ny) m over the level, at `start` and `end`; rest : depth there when it is level, m
    u, v : (nx, ny) m/s
    torn : (nx, ny) how much it breaks or is worked at, 0 to 1
    origin : x, y of the low corner, m; cell, level : m
    start, end : s
    weighs : kg/m^3
    """

    before: np.ndarray
    after: np.ndarray
    rest: np.ndarray
    u: np.ndarray
    v: np.ndarray
    torn: np.ndarray
    origin: tuple[float, float]
    cell: float
    level: float
    start: float
    end: float
    weighs: float = 1000.0

    def packed(self) -> tuple[tuple[np.ndarray, ...], np.ndarray]:
        """As `surface_at` takes it."""
        place = np.array([*self.origin, self.cell, self.level, self.start, self.end])
        return (self.before, self.after, self.rest, self.u, self.v), place

    def height(self, places: np.ndarray, t: np.ndarray) -> np.ndarray:
        """Height of the surface under or over places (n, 2 or more) at times (n,), m; not a number where
        there is no water."""
        out = np.empty(len(places))
        _heights(*self.packed(), np.asarray(places, float), np.asarray(t, float), out)
        return out

    @property
    def rising(self) -> np.ndarray:
        """How fast the surface rises, (nx, ny) m/s."""
        span = self.end - self.start
        return (self.after - self.before) / span if span > 0 else np.zeros_like(self.after)


REACHES = (1.5, 5.0, 16.0)  # cells from which the surface under a hull is taken
KNOWN = 0.04  # of the water there that no hull hides, from which a reach is enough


def beside_hulls(rise: np.ndarray, under: np.ndarray, rest: np.ndarray) -> np.ndarray:
    """A surface whose part under hulls is that of the water beside them: what floats rides the waves that
    come, and not the bulge that it makes itself, which is no surface and not drawn.

    Parameters
    ----------
    rise, rest : (nx, ny) m; under : (nx, ny) share that hulls cover
    """
    if not under.any():
        return rise
    hidden = np.argwhere(under > 0)
    reach = int(3 * REACHES[-1])
    box = tuple(
        slice(max(int(a) - reach, 0), int(b) + reach + 1)
        for a, b in zip(hidden.min(axis=0), hidden.max(axis=0))
    )
    cover = under[box]
    open_ = (1.0 - cover) * (rise[box] + rest[box] > DRY)
    filled = np.zeros_like(cover)
    left = np.ones(cover.shape, bool)
    for sigma in REACHES:
        weight = gaussian_filter(open_, sigma, mode="nearest", truncate=3.0)
        mean = gaussian_filter(rise[box] * open_, sigma, mode="nearest", truncate=3.0)
        found = left & (weight > KNOWN)
        filled[found] = mean[found] / weight[found]
        left &= ~found
    filled[left] = rise[box][left]
    out = rise.copy()
    out[box] += cover * (filled - out[box])
    return out


@kernel
def surface_at(surface, place, x, y, t):
    """A surface over a point at a time: whether there is water, its height in m, how steep it is along x and
    y, and how it flows and rises, m/s. Straight between the middles of cells, as it is drawn."""
    before, after, rest, u, v = surface
    ox, oy, cell, level, start, end = place
    nx, ny = rest.shape
    px, py = (x - ox) / cell - 0.5, (y - oy) / cell - 0.5
    if not (-0.5 < px < nx - 0.5 and -0.5 < py < ny - 0.5):
        return False, 0.0, 0.0, 0.0, (0.0, 0.0, 0.0)
    i, j = min(max(int(px + 0.5), 0), nx - 1), min(max(int(py + 0.5), 0), ny - 1)
    if not after[i, j] + rest[i, j] > DRY:
        return False, 0.0, 0.0, 0.0, (0.0, 0.0, 0.0)
    a, b = min(max(int(np.floor(px)), 0), nx - 2), min(max(int(np.floor(py)), 0), ny - 2)
    f, g = min(max(0.0, px - a), 1.0), min(max(0.0, py - b), 1.0)
    span = end - start
    share = min(max(0.0, (t - start) / span), 1.0) if span > 0 else 1.0
    weights = ((1 - f) * (1 - g), f * (1 - g), (1 - f) * g, f * g)
    h0, h1 = _corner(surface, a, b, share), _corner(surface, a + 1, b, share)
    h2, h3 = _corner(surface, a, b + 1, share), _corner(surface, a + 1, b + 1, share)
    mean, wet = 0.0, 0.0  # of the corners that are wet: what is dry stands for nothing
    for h, weight in zip((h0, h1, h2, h3), weights):
        if h == h:
            mean += weight * h
            wet += weight
    if wet <= 0.0:
        return False, 0.0, 0.0, 0.0, (0.0, 0.0, 0.0)
    mean /= wet
    h0, h1 = h0 if h0 == h0 else mean, h1 if h1 == h1 else mean
    h2, h3 = h2 if h2 == h2 else mean, h3 if h3 == h3 else mean
    height = level + mean
    along = ((1 - g) * (h1 - h0) + g * (h3 - h2)) / cell
    across = ((1 - f) * (h2 - h0) + f * (h3 - h1)) / cell
    up = (after[i, j] - before[i, j]) / span if span > 0 else 0.0
    return True, height, along, across, (float(u[i, j]), float(v[i, j]), up)


@kernel
def _corner(surface, i, j, share):
    """The surface over the level at a cell; not a number where it is dry."""
    before, after, rest, _, _ = surface
    if not after[i, j] + rest[i, j] > DRY:
        return np.nan
    return (1 - share) * before[i, j] + share * after[i, j]


@kernel
def _heights(surface, place, places, t, out):
    for n in range(out.size):
        wet, height, _, _, _ = surface_at(surface, place, places[n, 0], places[n, 1], t[n])
        out[n] = height if wet else np.nan
