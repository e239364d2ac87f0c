"""The light of particles in a law: over their age, by a factor for each, and by where they are.

All three are fitted to what the simulation's particles were seen to give by least squares, in turn: what lies
in the shadow of the others, in that of a prop or near a lamp is told by a field, whatever it comes from.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter

from tenka.package.law import OVER
from tenka.package.laws import Grid

ROUNDS, STEPS = 4, 4  # of the three fits in turn, and of the field's own
FIRM = 0.05  # how much a cell keeps to what lies round it, as a share of the mean weight of a cell
MOST_LIT = 16.0  # times as light as on average
SAMPLES = 600_000  # at most so many particles, over all moments, are looked at for the field
WORTH = 0.7, 0.02  # a field is held when it leaves less than such a share of what is off by more than that


@dataclass
class Samples:
    """Particles of a moment: which they are, where on the axis of age (0 to OVER - 1), and their light.

    Attributes
    ----------
    i : (n,); x : (n,); light, place : (n, 3)
    """

    time: float
    i: np.ndarray
    x: np.ndarray
    light: np.ndarray
    place: np.ndarray

    def thinned(self, one_in: int) -> Samples:
        k = slice(None, None, one_in)
        return Samples(self.time, self.i[k], self.x[k], self.light[k], self.place[k])


@dataclass
class Lit:
    """What was fitted.

    Attributes
    ----------
    table : (OVER, 3); factor : (births,)
    left : what is left, the sum of its squares
    """

    table: np.ndarray
    factor: np.ndarray
    left: float
    shade: Grid | None = None

    def ideal(self, s: Samples) -> np.ndarray:
        """Light without the field, (n, 3)."""
        return np.asarray(_over(self.table, s.x) * self.factor[s.i, None])


def _over(table: np.ndarray, x: np.ndarray) -> np.ndarray:
    return np.stack([np.interp(x, np.arange(OVER), table[:, c]) for c in range(3)], axis=1)


def _shaded(shade: Grid | None, s: Samples) -> np.ndarray:
    return np.ones_like(s.light) if shade is None else shade.at(s.place, s.time, 3)


def over_age(samples: list[Samples], births: int, shade: Grid | None = None) -> Lit:
    """The light over age, and by what factor each is brighter than that, under a field."""
    fields = [_shaded(shade, s) for s in samples]
    sums, counts = np.zeros((OVER, 3)), np.zeros((OVER, 3))
    for s, f in zip(samples, fields):
        nearest = np.rint(s.x).astype(int)
        np.add.at(sums, nearest, s.light * f)
        np.add.at(counts, nearest, f * f)
    table = np.zeros((OVER, 3))
    known = np.flatnonzero((counts > 0).all(axis=1))
    if len(known):
        mean = sums[known] / counts[known]
        table = np.stack([np.interp(np.arange(OVER), known, mean[:, c]) for c in range(3)], axis=1)
    have, want = np.zeros(births), np.zeros(births)
    for s, f in zip(samples, fields):
        ideal = _over(table, s.x) * f
        np.add.at(have, s.i, (s.light * ideal).sum(axis=1))  # the factor that fits best by least squares
        np.add.at(want, s.i, (ideal**2).sum(axis=1))
    found = Lit(table, np.where(want > 1e-12, have / np.maximum(want, 1e-12), 1.0), 0.0, shade)
    found.left = float(sum(((found.ideal(s) * f - s.light) ** 2).sum() for s, f in zip(samples, fields)))
    return found


@dataclass(frozen=True)
class Cells:
    """Where a field lies: low corner, m, cell, m, cells along x, y, z; and its moments, s."""

    low: np.ndarray
    cell: float
    shape: tuple[int, int, int]
    times: np.ndarray


@dataclass
class _Corners:
    """Cells that a moment's particles lie between, as flat indices over the field, and their shares."""

    cells: np.ndarray  # (16, n)
    share: np.ndarray

    @staticmethod
    def of(s: Samples, field: Cells) -> _Corners:
        shape, times = np.array(field.shape), field.times
        m = float(np.interp(s.time, times, np.arange(len(times))))
        first, n = int(m), len(s.i)
        where = np.clip((s.place - field.low) / field.cell - 0.5, 0, shape - 1)
        base = np.minimum(where.astype(int), np.maximum(shape - 2, 0))
        part = where - base
        cells, share = np.zeros((16, n), np.int64), np.zeros((16, n))
        for k in range(16):
            bits = np.array([k & 1, k >> 1 & 1, k >> 2 & 1])
            at = np.minimum(base + bits, shape - 1)
            moment = min(first + (k >> 3), len(times) - 1)
            cells[k] = ((moment * shape[0] + at[:, 0]) * shape[1] + at[:, 1]) * shape[2] + at[:, 2]
            later = m - first if k >> 3 else 1 - (m - first)
            share[k] = later * np.prod(np.where(bits, part, 1 - part), axis=1)
        return _Corners(cells, share)

    def spread(self, values: np.ndarray, out: np.ndarray) -> None:
        """Give values, (n, 3), to the cells."""
        for c in range(3):
            out[:, c] += np.bincount(
                self.cells.ravel(), (self.share * values[:, c]).ravel(), minlength=len(out)
            )

    def gathered(self, field: np.ndarray) -> np.ndarray:
        """The field there, (n, 3)."""
        found: np.ndarray = (self.share[:, :, None] * field[self.cells]).sum(axis=0)
        return found


def shade_of(samples: list[Samples], corners: list[_Corners], lit: Lit, cells: Cells) -> Grid:
    """By what factor the light is another at a place, for what is seen there; elsewhere as near it.

    Parameters
    ----------
    corners : of the cells, of each of the samples
    """
    ideal = [lit.ideal(s) for s in samples]
    whole = (len(cells.times), *cells.shape, 3)
    held, weight = np.zeros((int(np.prod(whole[:4])), 3)), np.zeros((int(np.prod(whole[:4])), 3))
    for s, at, p in zip(samples, corners, ideal):
        at.spread(s.light * p, held)
        at.spread(p * p, weight)
    firm = FIRM * weight.sum(axis=0) / max(int((weight > 0).any(axis=1).sum()), 1) + 1e-12
    found = _smoothed(held.reshape(whole), weight.reshape(whole), firm).reshape(-1, 3)
    smooth = found.copy()
    for _ in range(STEPS):  # towards least squares; no step overshoots, for shares add up to one
        off = np.zeros_like(held)
        for s, at, p in zip(samples, corners, ideal):
            at.spread((s.light - p * at.gathered(found)) * p, off)
        found += (off - firm * (found - smooth)) / (weight + firm)
    values = np.ones((*whole[:4], 4), np.float32)
    values[..., :3] = np.clip(found, 0, MOST_LIT).reshape(whole)
    return Grid(values.astype(np.float16).astype(np.float32), cells.low, cells.cell, cells.times)


def _smoothed(held: np.ndarray, weight: np.ndarray, firm: np.ndarray) -> np.ndarray:
    """The ratio of both, (moments, nx, ny, nz, 3), from the whole to ever smaller surroundings."""
    total = weight.sum(axis=(0, 1, 2, 3))
    found = np.broadcast_to(held.sum(axis=(0, 1, 2, 3)) / np.maximum(total, 1e-12), held.shape)
    wide = 0.25 * max(held.shape[1:4])
    while wide >= 0.7:
        sigma = (min(wide, 1.0), wide, wide, wide, 0.0)
        above, below = (gaussian_filter(v, sigma, mode="nearest") for v in (held, weight))
        found = (above + firm * found) / (below + firm)
        wide *= 0.5
    return np.array(found)


def worth_it(plain: Lit, shaded: Lit, samples: list[Samples]) -> bool:
    """Whether what a field mends is worth holding it."""
    whole = sum(float((s.light**2).sum()) for s in samples)
    share, least = WORTH
    return plain.left > least**2 * whole and shaded.left < share**2 * plain.left


def lit_at_places(samples: list[Samples], plain: Lit, births: int, cells: Cells) -> Lit:
    """The same light with a field, where that is worth it."""
    one_in = max(1, sum(len(s.i) for s in samples) // SAMPLES)
    some = [s.thinned(one_in) for s in samples if len(s.i)]
    corners = [_Corners.of(s, cells) for s in some]
    found = plain
    for _ in range(ROUNDS):
        found = over_age(samples, births, shade_of(some, corners, found, cells))
    return found if worth_it(plain, found, samples) else plain
