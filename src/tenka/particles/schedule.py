"""When particles are born: moments of their own, whatever the frames and steps are."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from tenka.effect.courses import curve
from tenka.effect.model import PointSource
from tenka.effect.ownclock import TRUE, OwnClock
from tenka.gas.settings import SAMPLES
from tenka.particles.spots import chance

SOURCE_SHIFT = 44  # bits of an id below the number of its source


BURST_SHIFT = 40  # bits below the mark of a burst


@dataclass(frozen=True)
class Schedule:
    """When a source gives birth.

    Attributes
    ----------
    times : (m,) s, where the rate is sampled; it runs straight between
    level : (m,) births a second there, without the source's span
    clock : of the layer: the rate is of its time, bursts come by the effect's
    """

    source: PointSource
    seed: int
    times: np.ndarray
    level: np.ndarray
    clock: OwnClock = TRUE

    @classmethod
    def of(
        cls, source: PointSource, seed: int, first: float, count: int, rate: float, clock: OwnClock = TRUE
    ) -> Schedule:
        times = first + np.arange(count) / (rate * SAMPLES)
        own = times - source.delay
        level = np.maximum(0.0, curve(source.rate, own)) * np.maximum(0.0, curve(source.emission, own))
        if not clock.runs_true:
            level = level * clock.scale_at(times)
        return cls(source, seed, times, level, clock)

    @cached_property
    def _sums(self) -> np.ndarray:
        step = self.times[1] - self.times[0] if len(self.times) > 1 else 0.0
        return np.concatenate([[0.0], np.cumsum(0.5 * step * (self.level[1:] + self.level[:-1]))])

    def _integral(self, t: np.ndarray | float) -> np.ndarray:
        x = np.clip(np.asarray(t, float), self.times[0], self.times[-1])
        if len(self.times) < 2:
            return np.zeros_like(x)
        step = self.times[1] - self.times[0]
        i = np.clip(((x - self.times[0]) / step).astype(int), 0, len(self.times) - 2)
        f = x - self.times[i]
        return self._sums[i] + self.level[i] * f + 0.5 * (self.level[i + 1] - self.level[i]) * f * f / step

    def clipped(self, t: np.ndarray | float) -> np.ndarray:
        """A time, held within the source's own span and the run."""
        low = max(self.source.start + self.source.delay, float(self.times[0]))
        high = min(self.source.end + self.source.delay, float(self.times[-1]))
        return np.clip(t, low, max(low, high))

    def due(self, t: np.ndarray | float) -> np.ndarray:
        """Births by rate that are due until `t`, as a real number."""
        return self._integral(self.clipped(t)) - self._integral(self.clipped(self.times[0]))

    def _moments(self, amount: np.ndarray) -> np.ndarray:
        """The inverse of `due`."""
        target = amount + self._integral(self.clipped(self.times[0]))
        i = np.clip(np.searchsorted(self._sums, target, side="right") - 1, 0, max(len(self.times) - 2, 0))
        step = self.times[1] - self.times[0]
        a, b, c = 0.5 * (self.level[i + 1] - self.level[i]) / step, self.level[i], target - self._sums[i]
        root = np.sqrt(np.maximum(b * b + 4 * a * c, 0.0))
        return self.times[i] + np.minimum(
            np.where(b + root > 0, 2 * c / np.maximum(b + root, 1e-300), 0.0), step
        )

    def bursts(self, start: float | None = None, end: float | None = None) -> list[tuple[int, float]]:
        """Number and time of each burst that lasts into the time from `start` to `end`, or into the run."""
        s = self.source
        if not s.burst:
            return []
        first = float(self.times[0]) if start is None else start
        last = float(self.times[-1]) if end is None else min(end, float(self.times[-1]))
        at = s.burst_at + s.delay
        if not s.burst_every:
            return [(0, at)] if first <= at + s.burst_over and at <= last else []
        low = max(0, math.ceil((first - at - s.burst_over) / s.burst_every - 1e-6))
        return [(k, at + k * s.burst_every) for k in range(low, self._last_burst(last) + 1)]

    def _last_burst(self, t: Any) -> Any:
        """Number of the newest burst that has begun by a time; below 0 before the first."""
        s = self.source
        k = np.floor((t - s.burst_at - s.delay) / s.burst_every + 1e-6).astype(int)
        return int(k) if np.ndim(k) == 0 else k

    def begun(self, times: np.ndarray) -> np.ndarray:
        """How many bursts have begun by each time."""
        s = self.source
        if not s.burst:
            return np.zeros(len(times))
        if not s.burst_every:
            return (times >= s.burst_at + s.delay).astype(float)
        return np.maximum(self._last_burst(times) + 1, 0).astype(float)

    def between(self, start: float, end: float) -> tuple[np.ndarray, np.ndarray]:
        """Ids (without the source's own) and moments of the births after `start` and up to `end`, in the
        order of their moments."""
        ids, moments = [], []
        low, high = float(self.due(start)), float(self.due(end))
        if high > low:
            n = np.arange(max(0, math.floor(low) - 1), math.ceil(high) + 1, dtype=np.int64)
            at = self._moments(n + chance(self.seed, n, "moment"))
            kept = (
                (n + chance(self.seed, n, "moment") < float(self.due(self.times[-1])))
                & (at > start)
                & (at <= end)
            )
            ids.append(n[kept])
            moments.append(at[kept])
        s = self.source
        for number, at_ in self.bursts(start, end):
            n = (
                (np.int64(1) << BURST_SHIFT)
                + number * np.int64(max(s.burst, 1))
                + np.arange(s.burst, dtype=np.int64)
            )
            at = at_ + s.burst_over * (np.arange(s.burst) + chance(self.seed, n, "moment")) / s.burst
            kept = (at > start) & (at <= end)
            ids.append(n[kept])
            moments.append(at[kept])
        if not ids:
            return np.zeros(0, np.int64), np.zeros(0)
        id, moment = np.concatenate(ids), np.concatenate(moments)
        order = np.argsort(moment, kind="stable")
        return id[order], moment[order]

    def most_alive(self) -> float:
        """Upper estimate of how many are alive at once."""
        s = self.source
        longest = (
            math.inf
            if s.stays
            else float(np.max(self.clock.lasting(self.times, curve(s.life, self.times - s.delay))))
        )
        due = self.due(self.times)
        before = self.due(self.times - longest) if math.isfinite(longest) else 0.0
        held = float(s.burst)
        if s.burst and s.burst_every:
            known = max(0, self._last_burst(float(self.times[-1])) + 1)
            held *= min(known, (longest + s.burst_over) / s.burst_every + 2)
        return float(np.max(due - before)) + held
