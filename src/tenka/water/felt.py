"""A water's surface as others feel it: where it is, how it goes, and where it is torn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

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

    def _share(self, t: np.ndarray) -> np.ndarray:
        span = self.end - self.start
        return np.clip((t - self.start) / span, 0.0, 1.0) if span > 0 else np.ones(np.shape(t))

    def height(self, places: np.ndarray, t: np.ndarray) -> np.ndarray:
        """Height of the surface under or over places (n, 2 or more) at times (n,), m; not a number where
        there is no water."""
        at = (places[:, :2] - self.origin) / self.cell - 0.5
        nx, ny = self.rest.shape
        inside = ((at > -0.5) & (at < np.array([nx, ny]) - 0.5)).all(axis=1)
        low = np.clip(np.floor(at), 0, np.array([nx, ny]) - 2).astype(int)
        f = np.clip(at - low, 0.0, 1.0)
        share = self._share(np.asarray(t, float))
        found = np.zeros(len(places))
        for a in (0, 1):
            for b in (0, 1):
                i, j = low[:, 0] + a, low[:, 1] + b
                weight = (f[:, 0] if a else 1 - f[:, 0]) * (f[:, 1] if b else 1 - f[:, 1])
                found += weight * ((1 - share) * self.before[i, j] + share * self.after[i, j])
        i, j = np.clip(np.round(at).astype(int), 0, np.array([nx, ny]) - 1).T
        wet = self.after[i, j] + self.rest[i, j] > DRY
        return np.where(inside & wet, self.level + found, np.nan)

    @property
    def rising(self) -> np.ndarray:
        """How fast the surface rises, (nx, ny) m/s."""
        span = self.end - self.start
        return (self.after - self.before) / span if span > 0 else np.zeros_like(self.after)
