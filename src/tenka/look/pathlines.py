"""Pathlines: where gas goes from places that are chosen by hand or by a field's value, and what it is like on
its way.

Midpoint steps through stored frames, whose velocity runs straight from one to the next; or through one frame
that is held.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from tenka.base.randomness import unit_array
from tenka.cache.store import Frame
from tenka.look.inspect import Field, field_called, values_of

PARTS = 4  # points of a line from frame to frame, at least
STRIDE = 0.5  # voxels that a step goes at most, as far as MOST_PARTS let it
MOST_PARTS = 16
TIME = Field("time", "Time", "s")


@dataclass(frozen=True)
class Pathlines:
    """Lines along which gas goes.

    Attributes
    ----------
    places : (n, m, 3) m; after its end a line stays where it left
    times : (m,) s
    alive : (n, m) whether the line is still in what is known of the gas
    values : (n, m) of `field` on the way, None without one
    at : which of the m points is that of the moment at which they were begun
    """

    places: np.ndarray
    times: np.ndarray
    alive: np.ndarray
    at: int
    field: Field | None = None
    values: np.ndarray | None = None

    @property
    def range(self) -> tuple[float, float]:
        """Least and most value on the lines."""
        held = self.values[self.alive] if self.values is not None else np.zeros(0)
        if not held.size:
            return 0.0, 1.0
        low, high = float(held.min()), float(held.max())
        if self.field is not None and self.field.signed:
            low, high = -max(abs(low), abs(high)), max(abs(low), abs(high))
        return low, max(high, low + 1e-9)


def seeds_of(frame: Frame, id: str, least: float, count: int, seed: int = 1) -> np.ndarray:
    """Places strewn evenly where a field is at least `least`, (count, 3) m; none where it nowhere is."""
    held = np.flatnonzero(values_of(frame, id).ravel() >= least)
    if not held.size:
        return np.zeros((0, 3))
    n = np.arange(count)
    cell = held[((n + unit_array(seed, n)) / count * held.size).astype(int)]
    within = np.stack([unit_array(seed + 1 + a, n) for a in range(3)], axis=1)
    index = np.stack(np.unravel_index(cell, frame.shape), axis=1)
    return np.asarray(frame.origin) + (index + within) * frame.voxel


def _sampled(frame: Frame, field: np.ndarray, points: np.ndarray) -> np.ndarray:
    """A field at points of the scene, that of its border outside, (n,)."""
    place = (points - frame.origin) / frame.voxel - 0.5
    return ndimage.map_coordinates(field, place.T, order=1, mode="nearest")  # type: ignore[no-any-return]


def _inside(frame: Frame, points: np.ndarray) -> np.ndarray:
    return np.asarray(((points >= frame.origin) & (points <= frame.high)).all(axis=1))


class _Span:
    """The gas from one frame to the next."""

    def __init__(self, before: Frame, after: Frame, colour: str) -> None:
        self.ends = before, after
        self.flows = [np.asarray(f.velocity, np.float32) for f in self.ends]
        self.fields = [values_of(f, colour) for f in self.ends] if colour else []
        fastest = max(float(np.abs(flow).max()) for flow in self.flows) if self.flows[0].size else 0.0
        self.fastest = fastest / before.voxel  # voxels a second

    def _mixed(self, fields: list[np.ndarray], share: float, points: np.ndarray) -> np.ndarray:
        one, other = (_sampled(f, a, points) for f, a in zip(self.ends, fields))
        return (1 - share) * one + share * other

    def velocity(self, share: float, points: np.ndarray) -> np.ndarray:
        return np.stack([self._mixed([f[c] for f in self.flows], share, points) for c in range(3)], axis=1)

    def value(self, share: float, points: np.ndarray) -> np.ndarray:
        return self._mixed(self.fields, share, points)

    def holds(self, points: np.ndarray) -> np.ndarray:
        return _inside(self.ends[0], points) & _inside(self.ends[1], points)


def pathlines(
    frame_of: Callable[[int], Frame | None],
    index: int,
    rate: float,
    seeds: np.ndarray,
    before: int,
    after: int,
    colour: str = "",
    check: Callable[[], None] = lambda: None,
) -> Pathlines:
    """Lines through `seeds` at frame `index`, from `before` frames before it to `after` after it, or as far
    as there are frames.

    Parameters
    ----------
    frame_of : gives frames with their velocity, None where there is none
    seeds : (n, 3) m
    colour : the field whose values on the way are wanted, 'time', or ''
    check : is called before each frame, and may raise to stop
    """
    own = "" if colour == "time" else colour
    first = frame_of(index)
    start = [(index / rate, seeds, np.ones(len(seeds), bool), np.zeros(len(seeds)))]
    if first is None:
        return _joined(start, [], colour)
    if own:
        start[0] = (*start[0][:3], _sampled(first, values_of(first, own), seeds))
    halves = []
    for way, frames in ((1, after), (-1, before)):
        line, points, alive, here = [], seeds, np.ones(len(seeds), bool), first
        for n in range(frames):
            check()
            there = frame_of(index + way * (n + 1))
            if there is None or there.velocity is None:
                break
            span = _Span(here, there, own)
            parts = min(max(PARTS, math.ceil(span.fastest / rate / STRIDE)), MOST_PARTS)
            dt = way / rate / parts
            for k in range(parts):
                middle = points + 0.5 * dt * span.velocity(k / parts, points)
                ahead = points + dt * span.velocity((k + 0.5) / parts, middle)
                points = np.where(alive[:, None], ahead, points)
                alive = alive & span.holds(points)
                t = (index + way * (n + (k + 1) / parts)) / rate
                found = span.value((k + 1) / parts, points) if own else np.zeros(len(points))
                line.append((t, points, alive, found))
            here = there
        halves.append(line)
    return _joined([*start, *halves[0]], halves[1], colour)


_Point = tuple[float, np.ndarray, np.ndarray, np.ndarray]


def _joined(after: list[_Point], before: list[_Point], colour: str) -> Pathlines:
    line = [*reversed(before), *after]
    times = np.array([p[0] for p in line])
    places, alive = np.stack([p[1] for p in line], axis=1), np.stack([p[2] for p in line], axis=1)
    values, field = None, None
    if colour == "time":
        values, field = np.broadcast_to(times, alive.shape), TIME
    elif colour:
        values, field = np.stack([p[3] for p in line], axis=1), field_called(colour)
    return Pathlines(places, times, alive, len(before), field, values)


def paths_csv(lines: Pathlines) -> str:
    """Lines as CSV, a row for each of their points, with units in its head."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    field = lines.field
    named = [f"{field.id} ({field.unit})" if field.unit else field.id] if field and field is not TIME else []
    writer.writerow(["line", "time (s)", "x (m)", "y (m)", "z (m)", *named])
    for n in range(len(lines.places)):
        for m in np.flatnonzero(lines.alive[n]).tolist():
            row = [n, f"{lines.times[m]:.6g}", *(f"{v:.6g}" for v in lines.places[n, m])]
            if named and lines.values is not None:
                row.append(f"{lines.values[n, m]:.6g}")
            writer.writerow(row)
    return out.getvalue()
