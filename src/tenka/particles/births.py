"""Births: how many, when, where, and with what. Nothing here depends on how time is cut into steps.

A source's births are numbered, and each number has its own moment: the inverse of the rate's integral, one
birth in each unit of it at a place that is hashed. All that differs from one to the next is hashed from the
number.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.courses import curve
from tenka.effect.model import ON_PROP, DebrisLayer, PointLayer, PointSource, Prop, ramp_at
from tenka.gas.settings import SAMPLES, Moment
from tenka.particles.files import Cloud, cloud_at
from tenka.particles.state import ASLEEP, FREE, NEW, AirField, Events, Paths, Points
from tenka.scene.distance import form_distance, gradient, prop_distance
from tenka.scene.poses import Pose, motion_between
from tenka.scene.props import deforms, own_mesh
from tenka.scene.surface import Part, part_faces

SOURCE_SHIFT = 44  # bits of an id below the number of its source
BURST_SHIFT = 40  # bits below the mark of a burst
TRIES = 48
PURPOSE = {
    name: n
    for n, name in enumerate(
        (
            "moment",
            "place",
            "direction",
            "speed",
            "scatter",
            "life",
            "width",
            "far",
            "spin",
            "turn",
            "axis",
            "piece",
            "look",
            "copy",
        )
    )
}


def chance(seed: int, id: np.ndarray, purpose: str, index: int = 0) -> np.ndarray:
    """A number in [0, 1) for each particle, the same for good, another for each purpose and index."""
    return unit_array(seed, id & 0xFFFFFFFF, id >> 32, PURPOSE[purpose] * 64 + index).astype(np.float64)


def bell(seed: int, id: np.ndarray, purpose: str, index: int = 0) -> np.ndarray:
    """A normally distributed number for each particle (Box and Muller)."""
    a = np.maximum(chance(seed, id, purpose, 2 * index), 1e-7)
    return np.sqrt(-2.0 * np.log(a)) * np.cos(2.0 * np.pi * chance(seed, id, purpose, 2 * index + 1))


@dataclass(frozen=True)
class Schedule:
    """When a source gives birth.

    Attributes
    ----------
    times : (m,) s, where the rate is sampled; it runs straight between
    level : (m,) births a second there, without the source's span
    """

    source: PointSource
    seed: int
    times: np.ndarray
    level: np.ndarray

    @classmethod
    def of(cls, source: PointSource, seed: int, first: float, count: int, rate: float) -> Schedule:
        times = first + np.arange(count) / (rate * SAMPLES)
        own = times - source.delay
        level = np.maximum(0.0, curve(source.rate, own)) * np.maximum(0.0, curve(source.emission, own))
        return cls(source, seed, times, level)

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
        longest = math.inf if s.stays else float(np.max(curve(s.life, self.times - s.delay)))
        due = self.due(self.times)
        before = self.due(self.times - longest) if math.isfinite(longest) else 0.0
        held = float(s.burst)
        if s.burst and s.burst_every:
            known = max(0, self._last_burst(float(self.times[-1])) + 1)
            held *= min(known, (longest + s.burst_over) / s.burst_every + 2)
        return float(np.max(due - before)) + held


@dataclass
class Context:
    """What births may look at: the effect's props and files, and the layers that are given from."""

    props: tuple[Prop, ...]
    folder: Path | None
    rate: float
    gas: Callable[[str], AirField | None]
    paths: Callable[[str], Paths | None]
    events: Callable[[str, str], Events]


@dataclass
class _Spots:
    """Where births are, in the source's own coordinates; flow and colours where there are any of their
    own."""

    place: np.ndarray
    outward: np.ndarray
    flow: np.ndarray | None = None
    colour: np.ndarray | None = None
    in_scene: bool = False
    width: np.ndarray | None = None


def _ball(seed: int, id: np.ndarray) -> np.ndarray:
    z = 2 * chance(seed, id, "place", 0) - 1
    a = 2 * np.pi * chance(seed, id, "place", 1)
    r = np.cbrt(chance(seed, id, "place", 2))
    across = np.sqrt(np.maximum(0.0, 1 - z * z))
    return r[:, None] * np.stack([across * np.cos(a), across * np.sin(a), z], axis=1)


def in_form(shape: str, size: tuple[float, float, float], seed: int, id: np.ndarray) -> np.ndarray:
    """Places spread evenly through a form's volume, centred on the origin, (n, 3)."""
    u, v, w = (chance(seed, id, "place", k) for k in range(3))
    half = np.asarray(size) / 2
    a = 2 * np.pi * v
    if shape == "point":
        return np.zeros((len(id), 3))
    if shape == "sphere":
        return _ball(seed, id) * half
    if shape == "box":
        return (2 * np.stack([u, v, w], axis=1) - 1) * half
    if shape == "cylinder":
        r = np.sqrt(u)
        return np.stack([r * np.cos(a), r * np.sin(a), 2 * w - 1], axis=1) * half
    if shape == "cone":
        s = np.cbrt(w)
        r = np.sqrt(u) * s
        return np.stack([r * np.cos(a), r * np.sin(a), 1 - 2 * s], axis=1) * half
    radius = float(min(half[0], half[1]))
    stretch = np.array([half[0] / radius, half[1] / radius, 1.0])
    if shape == "torus":
        tube = float(half[2])
        ring = max(radius - tube, 1e-9)
        r, b = tube * np.sqrt(u), 2 * np.pi * w
        out = r * np.cos(b)
        out = np.where(
            chance(seed, id, "place", 3) > 0.5 * (1 + out / ring), -out, out
        )  # more room on the outside
        return np.stack([(ring + out) * np.cos(a), (ring + out) * np.sin(a), r * np.sin(b)], axis=1) * stretch
    reach = max(float(half[2]) - radius, 0.0)  # capsule
    body = 2 * reach / (2 * reach + 4 / 3 * radius)
    ball = _ball(seed, id) * radius
    r = radius * np.sqrt(u)
    straight = np.stack([r * np.cos(a), r * np.sin(a), (2 * w - 1) * reach], axis=1)
    ends = ball + np.where(ball[:, 2:] > 0, reach, -reach) * np.array([0.0, 0.0, 1.0])
    return np.where((chance(seed, id, "place", 3) < body)[:, None], straight, ends) * stretch


def _on_curve(source: PointSource, seed: int, id: np.ndarray) -> _Spots:
    p = np.asarray(source.curve, float)
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))])
    at = chance(seed, id, "place", 4) * length[-1]
    middle = np.stack([np.interp(at, length, p[:, a]) for a in range(3)], axis=1)
    off = _ball(seed, id) * source.thickness
    return _Spots(middle + off, off / np.maximum(np.linalg.norm(off, axis=1, keepdims=True), 1e-9))


def _part(source: PointSource) -> Part:
    return Part(source.part, source.part_axis, *sorted((source.part_low, source.part_high)))


def _on_surface(
    source: PointSource,
    prop: Prop,
    folder: Path | None,
    seed: int,
    id: np.ndarray,
    moment: np.ndarray,
    rate: float,
) -> _Spots:
    """On a prop's faces, even by area, or at its points; where it moves by itself, where it is at the moment
    of each birth."""
    rest = own_mesh(prop.model_copy(update={"clip": ""}), folder)
    faces = part_faces(rest, _part(source))
    corners = rest.points[rest.faces[faces]].astype(np.float64)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normal, axis=1)
    if source.born_at == "points":
        pick = np.minimum((chance(seed, id, "place", 0) * len(faces)).astype(int), len(faces) - 1)
        share = np.eye(3)[np.minimum((chance(seed, id, "place", 1) * 3).astype(int), 2)]
    else:
        whole = np.cumsum(area)
        pick = np.minimum(np.searchsorted(whole, chance(seed, id, "place", 0) * whole[-1]), len(faces) - 1)
        r, s = np.sqrt(chance(seed, id, "place", 1)), chance(seed, id, "place", 2)
        share = np.stack([1 - r, r * (1 - s), r * s], axis=1)
    flow = None
    if deforms(prop):
        low = np.floor(moment * rate * SAMPLES + 1e-9) / (rate * SAMPLES)
        place, flow, normals = np.zeros((len(id), 3)), np.zeros((len(id), 3)), np.zeros((len(id), 3))
        for t in np.unique(low):
            rows = np.flatnonzero(low == t)
            ends = [own_mesh(prop, folder, float(at)) for at in (t, t + 1 / (rate * SAMPLES))]
            a, b = (m.points[m.faces[faces[pick[rows]]]].astype(np.float64) for m in ends)
            f = ((moment[rows] - t) * rate * SAMPLES)[:, None, None]
            now = a + (b - a) * f
            place[rows] = np.einsum("nk,nkd->nd", share[rows], now)
            flow[rows] = np.einsum("nk,nkd->nd", share[rows], (b - a) * rate * SAMPLES)
            normals[rows] = np.cross(now[:, 1] - now[:, 0], now[:, 2] - now[:, 0])
    else:
        place, normals = np.einsum("nk,nkd->nd", share, corners[pick]), normal[pick]
    outward = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    off = source.offset + source.thickness * chance(seed, id, "place", 3) * (source.born_at == "area")
    return _Spots(place + outward * off[:, None], outward, flow, rest.colours[faces[pick]].astype(np.float64))


def _inside(
    source: PointSource, prop: Prop, folder: Path | None, seed: int, id: np.ndarray, t: float
) -> _Spots:
    """Even through a prop's inside, by trying places in its bounds."""
    mesh = own_mesh(prop, folder, t)
    low, high = (np.asarray(b, float) for b in mesh.bounds)
    n = "xyz".index(source.part_axis)
    a, b = sorted((source.part_low, source.part_high))
    low[n], high[n] = low[n] + a * (high[n] - low[n]), low[n] + b * (high[n] - low[n])
    fine = max(float((high - low).max()) / 48, 1e-4)
    place, left = np.tile((low + high) / 2, (len(id), 1)), np.arange(len(id))
    for k in range(TRIES):
        if not len(left):
            break
        u = np.stack(
            [unit_array(seed, id[left] & 0xFFFFFFFF, id[left] >> 32, 5000 + 3 * k + c) for c in range(3)],
            axis=1,
        )
        tried = low + u * (high - low)
        hit = prop_distance(prop, folder, tried, fine, t) < source.offset
        place[left[hit]] = tried[hit]
        left = left[~hit]
    outward = (
        gradient(lambda p: prop_distance(prop, folder, p, fine, t), place, fine)
        if source.outward
        else np.zeros_like(place)
    )
    return _Spots(place, outward)


def _in_gas(
    source: PointSource, field: AirField | None, seed: int, id: np.ndarray, moment: np.ndarray
) -> tuple[_Spots, np.ndarray]:
    """Where a gas is denser than the least, the more the denser; and which of the births find any."""
    none = _Spots(np.zeros((0, 3)), np.zeros((0, 3)), in_scene=True), np.zeros(len(id), bool)
    if field is None:
        return none
    density = field.before[..., 3]
    cells = np.flatnonzero(density.reshape(-1) > source.least)
    if not len(cells):
        return none
    weight = np.cumsum(density.reshape(-1)[cells].astype(np.float64))
    pick = cells[
        np.minimum(np.searchsorted(weight, chance(seed, id, "place", 0) * weight[-1]), len(cells) - 1)
    ]
    index = np.stack(np.unravel_index(pick, density.shape), axis=1)
    jitter = np.stack([chance(seed, id, "place", 1 + c) for c in range(3)], axis=1)
    flow = field.before[index[:, 0], index[:, 1], index[:, 2], :3].astype(np.float64)
    place = np.asarray(field.before_origin) + (index + jitter) * field.voxel
    return _Spots(place, np.tile([0.0, 0.0, 1.0], (len(id), 1)), flow, in_scene=True), np.ones(len(id), bool)


def _directions(source: PointSource, seed: int, id: np.ndarray, spots: _Spots) -> np.ndarray:
    """Unit directions in which births are thrown, in the source's own coordinates."""
    main = np.asarray(source.direction, float)
    main = main / max(float(np.linalg.norm(main)), 1e-9)
    d = max(0.0, 1.0 - source.outward - source.off_axis - source.along) * np.tile(main, (len(id), 1))
    if source.outward:
        d += source.outward * spots.outward
    if source.off_axis:
        away = spots.place * np.array([1.0, 1.0, 0.0])
        far = np.linalg.norm(away, axis=1, keepdims=True)
        a = 2 * np.pi * chance(seed, id, "direction", 2)
        d += source.off_axis * np.where(
            far > 1e-9, away / np.maximum(far, 1e-9), np.stack([np.cos(a), np.sin(a), 0 * a], axis=1)
        )
    if source.along:
        up = np.array([0.0, 0.0, 1.0]) - spots.outward * spots.outward[:, 2:]
        d += source.along * up / np.maximum(np.linalg.norm(up, axis=1, keepdims=True), 1e-9)
    size = np.linalg.norm(d, axis=1, keepdims=True)
    d = np.where(size > 1e-9, d / np.maximum(size, 1e-9), main)
    if source.cone > 0:  # even over the cap round the direction
        z = 1 - chance(seed, id, "direction", 0) * (1 - math.cos(math.radians(source.cone)))
        a = 2 * np.pi * chance(seed, id, "direction", 1)
        r = np.sqrt(np.maximum(0.0, 1 - z * z))
        side = np.cross(
            d, np.where(np.abs(d[:, 2:]) < 0.9, np.array([[0.0, 0.0, 1.0]]), np.array([[1.0, 0.0, 0.0]]))
        )
        side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-9)
        d = d * z[:, None] + side * (r * np.cos(a))[:, None] + np.cross(d, side) * (r * np.sin(a))[:, None]
    return d


def _poses(
    source: PointSource, ctx: Context, moment: np.ndarray
) -> tuple[list[Pose], list[Pose], np.ndarray, np.ndarray]:
    """Poses of the source (or of its prop) at the sample points round each moment: before, after, which pair,
    and how far between."""
    placed = (
        source if source.shape not in ON_PROP else next((p for p in ctx.props if p.id == source.prop), source)
    )
    step = 1.0 / (ctx.rate * SAMPLES)
    number = np.floor(moment / step + 1e-9).astype(int)
    used, which = np.unique(number, return_inverse=True)
    ends = {
        n: Moment(ctx.props, ctx.rate, n * step, 0.0).pose(placed, 0.0)
        for n in {*used.tolist(), *(used + 1).tolist()}
    }
    return (
        [ends[n] for n in used.tolist()],
        [ends[n + 1] for n in used.tolist()],
        which.reshape(-1),
        moment / step - number,
    )


def bodies_turn(seed: int, id: np.ndarray) -> np.ndarray:
    """Random turns, even over all of them, (n, 4) quaternions (Shoemake 1992)."""
    u, a, b = (chance(seed, id, "turn", k) for k in range(3))
    p, q = np.sqrt(1 - u), np.sqrt(u)
    return np.stack(
        [
            p * np.sin(2 * np.pi * a),
            p * np.cos(2 * np.pi * a),
            q * np.sin(2 * np.pi * b),
            q * np.cos(2 * np.pi * b),
        ],
        axis=1,
    )


def _parents(
    source: PointSource, ctx: Context, seed: int, start: float, end: float
) -> tuple[np.ndarray, np.ndarray, _Spots] | None:
    """Births at the particles of another layer: ids, moments, places."""
    if source.born_on == "life":
        paths = ctx.paths(source.of)
        if paths is None or not len(paths.id):
            return None
        per = max(0.0, float(curve(source.rate, np.array([0.5 * (start + end) - source.delay]))[0]))
        if per <= 0:
            return None
        since, until = np.maximum(paths.since, start), np.minimum(paths.until, end)
        awake = ~paths.asleep & (until > since)
        first = (
            np.floor(
                np.where(awake, (since - paths.born) * per - chance(seed, paths.id, "moment"), 0.0)
            ).astype(np.int64)
            + 1
        )
        last = (
            np.floor(
                np.where(awake, (until - paths.born) * per - chance(seed, paths.id, "moment"), 0.0)
            ).astype(np.int64)
            + 1
        )
        first = np.maximum(first, 0)
        count = np.maximum(last - first, 0)
        rows = np.repeat(np.arange(len(count)), count)
        number = first[rows] + np.arange(len(rows)) - np.repeat(np.cumsum(count) - count, count)
        moment = paths.born[rows] + (number + chance(seed, paths.id, "moment")[rows]) / per
        place, flow = paths.at(moment, rows)
        id, colour = paths.id[rows], paths.colour[rows]
    else:
        events = ctx.events(source.of, source.born_on).within(start, end)
        if not len(events.time) or not source.burst:
            return None
        rows = np.repeat(np.arange(len(events.time)), source.burst)
        number = np.tile(np.arange(source.burst, dtype=np.int64), len(events.time))
        if source.born_on == "bounce":  # a particle may bounce many times
            number = number + (np.round(events.time[rows] * 1e4).astype(np.int64) << 16)
        moment, place, flow = events.time[rows], events.place[rows], events.velocity[rows]
        id, colour = events.parent[rows], events.colour[rows]
    within = (moment - source.delay >= source.start) & (moment - source.delay < source.end)
    low = unit_array(seed, id & 0xFFFFFFFF, id >> 32, number & 0x7FFFFFFF)
    high = unit_array(seed + 1, id & 0xFFFFFFFF, id >> 32, number & 0x7FFFFFFF)
    child = (low.astype(np.float64) * (1 << 24)).astype(np.int64) << 18 | (
        high.astype(np.float64) * (1 << 18)
    ).astype(np.int64)
    up = np.linalg.norm(flow, axis=1, keepdims=True)
    outward = np.where(up > 1e-6, flow / np.maximum(up, 1e-6), [[0.0, 0.0, 1.0]])
    spots = _Spots(place[within], outward[within], flow[within], colour[within], True)
    return child[within], moment[within], spots


def born(layer: PointLayer, index: int, schedule: Schedule, ctx: Context, start: float, end: float) -> Points:
    """The particles of one source that are born after `start` and up to `end`, each as it is at its own
    moment.

    Raises
    ------
    BadInput
        A prop, a part or a file that is not there.
    """
    source, seed = schedule.source, schedule.seed
    found = np.ones(0, bool)
    if source.shape == "particles":
        parents = _parents(source, ctx, seed, start, end)
        if parents is None:
            return Points()
        id, moment, spots = parents
    elif source.shape == "file":
        cloud = cloud_at(source, ctx.folder, 0)
        id, moment, spots = _from_file(source, cloud, schedule, start, end)
    else:
        id, moment = schedule.between(start, end)
        if not len(id):
            return Points()
        if source.shape == "curve":
            spots = _on_curve(source, seed, id)
        elif source.shape in ON_PROP:
            prop = next((p for p in ctx.props if p.id == source.prop), None)
            if prop is None:
                raise BadInput(
                    f"names the prop '{source.prop}', which is not in the effect",
                    place=f"source {source.name}",
                )
            spots = (
                _on_surface(source, prop, ctx.folder, seed, id, moment, ctx.rate)
                if source.shape == "surface"
                else _inside(source, prop, ctx.folder, seed, id, 0.5 * (start + end))
            )
        elif source.shape == "gas":
            spots, found = _in_gas(source, ctx.gas(source.of), seed, id, moment)
            if not found.any():
                return Points()
        else:
            place = in_form(source.shape, source.size, seed, id)
            outward = _ball(seed, id) if source.shape == "point" else np.zeros_like(place)
            if source.outward and source.shape != "point":
                outward = gradient(
                    lambda p: form_distance(source.shape, np.asarray(source.size), p),
                    place,
                    0.01 * min(source.size),
                )
            spots = _Spots(place, outward / np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-9))
    if not len(id):
        return Points()
    return _made(layer, index, source, seed, ctx, id, moment, spots)


def _from_file(
    source: PointSource, cloud: Cloud, schedule: Schedule, start: float, end: float
) -> tuple[np.ndarray, np.ndarray, _Spots]:
    """A file's points are all born at the burst's time, over its length."""
    n = len(cloud.place)
    id = np.arange(n, dtype=np.int64)
    moment = (
        source.burst_at
        + source.delay
        + source.burst_over * (id + chance(schedule.seed, id, "moment")) / max(n, 1)
    )
    kept = (moment > start) & (moment <= end)
    flow = cloud.velocity[kept] if cloud.velocity is not None else None
    place = cloud.place[kept]
    outward = np.tile([0.0, 0.0, 1.0], (len(place), 1))
    return (
        id[kept],
        moment[kept],
        _Spots(
            place,
            outward,
            flow,
            None if cloud.colour is None else cloud.colour[kept],
            width=None if cloud.width is None else cloud.width[kept],
        ),
    )


def _made(
    layer: PointLayer,
    index: int,
    source: PointSource,
    seed: int,
    ctx: Context,
    id: np.ndarray,
    moment: np.ndarray,
    spots: _Spots,
) -> Points:
    n = len(id)
    own = moment - source.delay
    d = _directions(source, seed, id, spots)
    speed = np.maximum(0.0, curve(source.speed, own)) * (
        1 + source.speed_spread * (2 * chance(seed, id, "speed") - 1)
    )
    far = chance(seed, id, "far", 0) < source.far_share
    speed = np.where(far, speed * (1 + source.far_reach * chance(seed, id, "far", 1)), speed)
    velocity = d * speed[:, None]
    if any(source.scatter):
        velocity += np.stack([bell(seed, id, "scatter", c) for c in range(3)], axis=1) * np.asarray(
            source.scatter
        )
    place, inherited = spots.place, spots.flow
    if not spots.in_scene:
        before, after, which, f = _poses(source, ctx, moment)
        turn = np.stack([p.turn for p in before])[which], np.stack([p.turn for p in after])[which]
        origin = np.stack([p.origin for p in before])[which], np.stack([p.origin for p in after])[which]
        turn_now = turn[0] + (turn[1] - turn[0]) * f[:, None, None]
        origin_now = origin[0] + (origin[1] - origin[0]) * f[:, None]
        place = np.einsum("nij,nj->ni", turn_now, spots.place) + origin_now
        velocity = np.einsum("nij,nj->ni", turn_now, velocity)
        moving = np.zeros((n, 3))
        step = 1.0 / (ctx.rate * SAMPLES)
        for k, (a, b) in enumerate(zip(before, after)):
            if not a.same_as(b):
                rows = which == k
                moving[rows] = motion_between(a, b, step).at(place[rows])
        inherited = moving if inherited is None else moving + np.einsum("nij,nj->ni", turn_now, inherited)
    if inherited is not None:
        pace = np.linalg.norm(inherited, axis=1)
        velocity += inherited * ramp_at(source.carried, pace / source.carried_speed)[:, None]
    width = np.maximum(curve(source.width, own), 1e-4)
    width = width * (source.least_width + (1 - source.least_width) * chance(seed, id, "width") ** source.skew)
    if source.shape == "file" and spots.width is not None:
        width = spots.width
    life = np.maximum(1e-3, curve(source.life, own)) * (
        1 + source.life_spread * (2 * chance(seed, id, "life") - 1)
    )
    if source.stays:
        life = np.full(n, np.inf)
    colour = np.tile(np.asarray(source.colour), (n, 1))
    if source.coloured and spots.colour is not None:
        colour = spots.colour
    asleep = bool(getattr(getattr(layer, "bed", None), "rests", False))
    turn_, spin_, still = np.zeros((0, 4), np.float32), np.zeros((0, 3), np.float32), np.zeros(0, np.float32)
    if isinstance(layer, DebrisLayer):
        axis = _ball(seed + 77, id)
        axis /= np.maximum(np.linalg.norm(axis, axis=1, keepdims=True), 1e-9)
        small = float(np.max(curve(source.width, own))) * source.least_width
        pace = (
            2
            * np.pi
            * layer.bodies.tumble
            * (0.3 + 0.7 * chance(seed, id, "spin"))
            * (small / width) ** layer.bodies.tumble_slower
        )
        turn_, spin_, still = (
            bodies_turn(seed, id).astype(np.float32),
            (axis * pace[:, None]).astype(np.float32),
            np.zeros(n, np.float32),
        )
    return Points(
        (np.int64(index) << SOURCE_SHIFT) + id,
        moment.astype(np.float64),
        life.astype(np.float32),
        place.astype(np.float32),
        (np.zeros_like(velocity) if asleep else velocity).astype(np.float32),
        width.astype(np.float32),
        np.maximum(-280.0, curve(source.temperature, own)).astype(np.float32),
        np.full(n, index, np.int16),
        np.full(n, NEW | (ASLEEP if asleep else 0), np.uint8),
        np.full(n, FREE, np.int8),
        colour.astype(np.float32),
        turn_,
        spin_,
        still,
    )


def source_seed(effect_seed: int, layer: PointLayer, source: PointSource) -> int:
    return stable_seed(effect_seed, layer.id, source.id)
