"""A look at all of a flipbook before it is laid out: where anything is seen, how much changes from moment to
moment, and where a sequence meets itself again."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

PX = 48  # of the longer side of its pictures
SEEN = 1 / 255  # of light or cover
MARGIN = 1.5  # px of these pictures that are left round what is seen
STEADY = 0.15  # of the mean change that every step counts at least
LEAST_LOOP = 0.4  # of the span that a loop lasts at least


@dataclass(frozen=True)
class Survey:
    """Small pictures of every frame of a span.

    Attributes
    ----------
    times : (n,) s
    pictures : (n, h, w, 4) light that comes, premultiplied, and cover, from 0 to about 1
    others : of variants, which lie in the same frame
    """

    times: np.ndarray
    pictures: np.ndarray
    others: tuple[Survey, ...] = ()

    def steps(self) -> np.ndarray:
        """How much changes from each frame to the next, (n - 1,)."""
        found: np.ndarray = np.abs(np.diff(self.pictures, axis=0)).mean(axis=(1, 2, 3))
        return found

    def seen(self) -> tuple[float, float, float, float]:
        """Left, right, foot and top of all that is seen, from the middle of the picture, -1 to 1."""
        there = np.any([np.abs(s.pictures).max(axis=(0, 3)) > SEEN for s in (self, *self.others)], axis=0)
        tall, wide = there.shape
        rows, columns = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
        if not len(rows):
            return -1.0, 1.0, -1.0, 1.0
        left, right = (columns[0] - MARGIN) / wide, (columns[-1] + 1 + MARGIN) / wide
        top, foot = (rows[0] - MARGIN) / tall, (rows[-1] + 1 + MARGIN) / tall
        held = np.clip([2 * left - 1, 2 * right - 1, 1 - 2 * foot, 1 - 2 * top], -1.0, 1.0)
        a, b, c, d = (float(v) for v in held)
        return a, b, c, d

    def even_change(self, count: int) -> tuple[float, ...]:
        """So many times between which equally much changes; the first and the last stay."""
        steps = self.steps()
        if len(steps) < 2 or steps.sum() <= 0:
            return tuple(float(t) for t in np.linspace(self.times[0], self.times[-1], count))
        paced = steps + STEADY * steps.mean()
        sums = np.concatenate([[0.0], np.cumsum(paced)])
        found = np.interp(np.linspace(0.0, sums[-1], count), sums, self.times)
        return tuple(round(float(t), 9) for t in found)

    def loop(self, blend: float) -> tuple[float, float]:
        """Begin and end, s, of the stretch that meets itself best: at both ends alike, and moving alike; with
        as much before it as is blended into its end.

        Parameters
        ----------
        blend : share of a loop over which its end turns into what was before its begin
        """
        n = len(self.times)
        least = max(2, int(np.ceil(LEAST_LOOP * (n - 1))))
        best, found = np.inf, (0, n - 1)
        flat = self.pictures.reshape(n, -1)
        for length in range(least, n - 1):
            for first in range(int(np.ceil(blend * length)), n - 1 - length):
                last = first + length
                off = np.abs(flat[first] - flat[last]).mean()
                off += np.abs(flat[first + 1] - flat[first] - flat[last + 1] + flat[last]).mean()
                off /= 1.0 + 0.25 * length / n  # of two alike the longer one
                if off < best:
                    best, found = off, (first, last)
        return float(self.times[found[0]]), float(self.times[found[1]])


def survey_of(
    times: np.ndarray, draw: Callable[[float, tuple[int, int]], np.ndarray], aspect: float
) -> Survey:
    """Look at a span.

    Parameters
    ----------
    draw : gives the picture of a time, (h, w, 8) as `drawn_alone` does, at a size
    aspect : width by height
    """
    size = (PX, max(4, round(PX / aspect))) if aspect >= 1 else (max(4, round(PX * aspect)), PX)
    held = []
    for t in times.tolist():
        raw = draw(t, size)
        light = np.minimum(raw[..., :3] + raw[..., 4:7], 1.5)
        held.append(np.concatenate([light, raw[..., 3:4]], axis=2))
    return Survey(times, np.stack(held).astype(np.float32))


def seam_of(cells: list[np.ndarray]) -> tuple[float, float]:
    """Change from the last cell to the first, and the median change from cell to cell."""
    steps = [
        float(np.abs(b.astype(np.float32) - a.astype(np.float32)).mean()) for a, b in zip(cells, cells[1:])
    ]
    seam = float(np.abs(cells[0].astype(np.float32) - cells[-1].astype(np.float32)).mean())
    return seam, float(np.median(steps)) if steps else 0.0
