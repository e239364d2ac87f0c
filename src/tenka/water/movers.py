"""What moves in a water's surface and pushes it: hulls by the water that they displace."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.water.basin import Basin


@dataclass(frozen=True)
class Hull:
    """What lies in the water at a moment, as a form with soft ends.

    Attributes
    ----------
    x, y : of its middle, m
    heading : of its length, radians from x to y
    length, width : m
    draught : how deep it reaches under the level at rest, m
    """

    x: float
    y: float
    heading: float
    length: float
    width: float
    draught: float

    def immersed(self, basin: Basin) -> np.ndarray:
        """How deep it reaches over each cell, (nx, ny) m: whole in its middle, nothing at its ends, and no
        deeper than the water."""
        found = np.zeros(basin.shape, np.float32)
        self.put(basin, found)
        return found

    def put(self, basin: Basin, found: np.ndarray) -> None:
        """The same into what others reach, where it is deeper."""
        reach = 0.5 * np.hypot(self.length, self.width)
        box = []
        for middle, first, n in zip((self.x, self.y), basin.origin, basin.shape):
            ends = ((middle - reach - first) / basin.cell, (middle + reach - first) / basin.cell + 1)
            box.append(slice(*(int(np.clip(end, 0, n)) for end in ends)))
        here = (box[0], box[1])
        x, y = basin.middles()
        x, y = x[here[0]] - self.x, y[:, here[1]] - self.y
        c, s = np.cos(self.heading), np.sin(self.heading)
        along, across = (x * c + y * s) / (0.5 * self.length), (y * c - x * s) / (0.5 * self.width)
        soft = (np.clip(1.0 - along**2, 0.0, 1.0) * np.clip(1.0 - across**2, 0.0, 1.0)) ** 2
        deep = np.minimum(self.draught * soft, np.maximum(basin.rest[here], 0.0))
        np.maximum(found[here], deep, out=found[here])


def immersed(basin: Basin, hulls: Sequence[Hull]) -> np.ndarray:
    """How deep the deepest of several hulls reaches over each cell, (nx, ny) m."""
    found = np.zeros(basin.shape, np.float32)
    for hull in hulls:
        hull.put(basin, found)
    return found


def displaced(before: np.ndarray, after: np.ndarray, change: float = 0.0) -> np.ndarray:
    """The water that moving hulls push out (and draw in behind them), as a height for
    `tenka.water.step.step`: none is made or lost by a hull that stays in the water.

    Parameters
    ----------
    before, after : how deep they reached over each cell, and do now
    change : how much more they displace in all, where that is known, m of all cells
    """
    given = np.empty_like(after)
    sums = np.zeros((len(after), 3))
    _pushed_out(before, after, given, sums)
    had, held, more = sums.sum(axis=0)
    if held > 0 and had > 0:  # a form that is sampled otherwise holds as much as it did
        _kept_whole(given, after, np.float32((more - change) / held))
    return given


@kernel(parallel=True)
def _pushed_out(before, after, given, sums):
    """What is pushed out of each cell; and the sums of each row: before, after, and of that."""
    for p in prange(after.shape[0]):
        i = np.uint64(p)
        had, has, out = before[i], after[i], given[i]
        a, b, c = 0.0, 0.0, 0.0
        for j in range(out.size):
            change = has[j] - had[j]
            out[j] = change
            a += had[j]
            b += has[j]
            c += change
        sums[i, 0], sums[i, 1], sums[i, 2] = a, b, c


@kernel(parallel=True)
def _kept_whole(given, after, share):
    for p in prange(after.shape[0]):
        i = np.uint64(p)
        has, out = after[i], given[i]
        for j in range(out.size):
            out[j] -= has[j] * share
