"""What moves in a water's surface and pushes it: hulls by the water that they displace."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

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
        found[here] = np.minimum(self.draught * soft, np.maximum(basin.rest[here], 0.0))
        return found


def immersed(basin: Basin, hulls: Sequence[Hull]) -> np.ndarray:
    """How deep the deepest of several hulls reaches over each cell, (nx, ny) m."""
    found = np.zeros(basin.shape, np.float32)
    for hull in hulls:
        np.maximum(found, hull.immersed(basin), out=found)
    return found


def displaced(before: np.ndarray, after: np.ndarray, change: float = 0.0) -> np.ndarray:
    """The water that moving hulls push out (and draw in behind them), as a height for
    `tenka.water.step.step`: none is made or lost by a hull that stays in the water.

    Parameters
    ----------
    before, after : how deep they reached over each cell, and do now
    change : how much more they displace in all, where that is known, m of all cells
    """
    given = after - before
    held = after.sum(dtype=np.float64)
    if held > 0 and before.any():  # a form that is sampled otherwise holds as much as it did
        given -= after * np.float32((given.sum(dtype=np.float64) - change) / held)
    return given
