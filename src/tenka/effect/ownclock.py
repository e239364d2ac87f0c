"""The clock of a layer, whose time may pass faster or slower than the effect's.

A solver steps by its layer's own clock. What moves by the effect's clock (props, courses, delays, the moments
of bursts) is looked up at the effect's time, and so goes slower or faster as the layer sees it. What a layer
hands over and what is stored of it is of the effect's clock again: a speed in m/s is what is seen.
"""

from __future__ import annotations

from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from tenka.base.clock import SAMPLES
from tenka.effect.courses import Course, Value, curve

LONGEST = 661.0  # s: the longest effect, what hangs late on a cue, and the step after it
EARLIEST = -62.0  # s: the longest run-up


class OwnClock:
    """How a layer's own time passes: the integral of its time scale, 0 where the effect begins.

    A course is sampled as all are, and the own time runs straight between its samples.

    Parameters
    ----------
    scale : how fast own time passes, a number or a course
    rate : frames a second of the effect
    """

    def __init__(self, scale: Value, rate: float) -> None:
        self.scale, self.frames_a_second = scale, rate
        self.constant = None if isinstance(scale, Course) else float(scale)

    @property
    def runs_true(self) -> bool:
        """Whether it is the effect's clock."""
        return self.constant == 1.0

    @property
    def rate(self) -> float:
        """Frames in a second of own time; the effect's where that varies."""
        return self.frames_a_second / (self.constant or 1.0)

    @cached_property
    def _table(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Times of the effect, own times, and scales."""
        cell = 1.0 / (self.frames_a_second * SAMPLES)
        first, last = round(EARLIEST / cell), round(LONGEST / cell)
        times = np.arange(first, last + 1) * cell
        scales = curve(self.scale, times)
        own = np.concatenate([[0.0], np.cumsum(0.5 * cell * (scales[1:] + scales[:-1]))])
        return times, own - own[-first], scales

    def own(self, t: Any) -> Any:
        """Own time at a time of the effect, s; of a number or an array."""
        if self.constant is not None:
            return t if self.constant == 1.0 else t * self.constant
        times, own, _ = self._table
        found = np.interp(t, times, own)
        return found if np.ndim(t) else float(found)

    def effect(self, own: Any) -> Any:
        """The inverse of `own`."""
        if self.constant is not None:
            return own if self.constant == 1.0 else own / self.constant
        times, owns, _ = self._table
        found = np.interp(own, owns, times)
        return found if np.ndim(own) else float(found)

    def scale_at(self, t: Any) -> Any:
        """Seconds of own time in a second of the effect's at `t`."""
        if self.constant is not None:
            return np.full(np.shape(t), self.constant) if np.ndim(t) else self.constant
        times, _, scales = self._table
        found = np.interp(t, times, scales)
        return found if np.ndim(t) else float(found)

    def lasting(self, since: Any, life: Any) -> Any:
        """How long by the effect's clock what lasts so long by the own one, from a time of the effect on."""
        if self.constant is not None:
            return life if self.constant == 1.0 else life / self.constant
        until = np.where(np.isfinite(life), self.effect(self.own(since) + np.minimum(life, 1e6)), np.inf)
        return until - since

    def own_lasting(self, since: Any, life: Any) -> Any:
        """The inverse of `lasting`."""
        if self.constant is not None:
            return life if self.constant == 1.0 else life * self.constant
        return np.where(np.isfinite(life), self.own(since + np.minimum(life, 1e6)) - self.own(since), np.inf)


@lru_cache(maxsize=64)
def clock_of(scale: Value, rate: float) -> OwnClock:
    """The clock of a layer's time scale; its table is made once."""
    return OwnClock(scale, rate)


TRUE = OwnClock(1.0, 24.0)
"""The effect's own clock."""
