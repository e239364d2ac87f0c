"""What sources do to a water in a step: what they give and take, the speed and the foam that they hand on."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.jit import kernel
from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.courses import Course, Value, value_at
from tenka.effect.model import FROM_LAYER, WaterLayer, WaterSource, envelope, heard, ramp_at
from tenka.gas.region import region_of
from tenka.gas.settings import Moment, between, emitted
from tenka.scene.poses import Pose
from tenka.water.basin import Basin, WaterState
from tenka.water.flow import GRAVITY

HOUR = 3600.0
NARROW = 1.3  # cells: no dent of a drop is narrower
DROP_WIDE = 0.02  # m


@dataclass(frozen=True)
class Given:
    """What a source does in a step.

    Attributes
    ----------
    share : (nx, ny) of each cell that it reaches
    height : m that it adds to each of those (below 0: takes); held : the rise that it holds, m, or None
    keep : share of the difference from that, or from its push, that is left after the step
    push : m/s; foam : share of what is bare that it covers
    head : m of water, by which what falls presses
    """

    share: np.ndarray
    height: float
    held: float | None
    keep: float
    push: tuple[float, float] | None
    foam: float
    head: float


def footprint(source: WaterSource, size: float, pose: Pose, basin: Basin, folder: Path | None) -> np.ndarray:
    """Share of each cell that lies under a source's form, (nx, ny); at least one where it is over the
    basin."""
    if source.shape == "everywhere":
        return np.ones(basin.shape, np.float32)
    now = source.model_copy(
        update={"size": tuple(size * s for s in source.size), "thickness": size * source.thickness}
    )
    region = region_of(now, 0, 0.0, (), basin.cell, folder)
    x, y = basin.middles()
    low, high = pose.bounds(region.low, region.high)
    box = []
    for axis, (first, n) in enumerate(zip(basin.origin, basin.shape)):
        a = int(np.clip(math.floor((low[axis] - first) / basin.cell) - 1, 0, n))
        box.append(slice(a, int(np.clip(math.ceil((high[axis] - first) / basin.cell) + 1, a, n))))
    share = np.zeros(basin.shape, np.float32)
    xs, ys = np.broadcast_arrays(x[box[0]], y[:, box[1]])
    if xs.size:
        middle = pose.to_scene(0.5 * (region.low + region.high)[None])[0, 2]
        places = np.stack([xs.ravel(), ys.ravel(), np.full(xs.size, middle)], axis=1)
        away = region.distance(pose.to_own(places)).reshape(xs.shape)
        share[box[0], box[1]] = np.clip(0.5 - away / basin.cell, 0.0, 1.0)
    if not share.any():
        i, j = (math.floor((p - o) / basin.cell) for p, o in zip(pose.origin, basin.origin))
        if 0 <= i < basin.shape[0] and 0 <= j < basin.shape[1]:
            share[i, j] = 1.0
    return share


MOST_KEPT = 64  # footprints


class Footprints:
    """The newest footprints of sources: most of them stay where they are."""

    def __init__(self) -> None:
        self._kept: dict[tuple[object, ...], np.ndarray] = {}

    def of(
        self, source: WaterSource, size: float, pose: Pose, basin: Basin, folder: Path | None
    ) -> np.ndarray:
        """As `footprint`."""
        form = (source.shape, source.size, source.curve, source.thickness, size)
        key = (form, pose.turn.tobytes(), pose.origin.tobytes(), basin.origin, basin.shape, basin.cell)
        if key not in self._kept:
            if len(self._kept) >= MOST_KEPT:
                self._kept.clear()
            self._kept[key] = footprint(source, size, pose, basin, folder)
        return self._kept[key]


def gifts(
    layer: WaterLayer, basin: Basin, moment: Moment, folder: Path | None, known: Footprints
) -> list[Given]:
    """What all sources do in a step."""
    found = []
    middle = moment.t + 0.5 * moment.dt
    for source in heard(layer.sources):
        part, emission = emitted(source, moment.t, moment.dt, moment.rate)
        if emission <= 0.0 or part <= 0.0 or source.shape in FROM_LAYER:
            continue
        own = by_own_delay(source, middle, moment.rate)
        share = known.of(source, max(own(source.size_over), 1e-3), moment.pose(source, 0.5), basin, folder)
        whole = float(share.sum(dtype=np.float64))
        if whole <= 0.0:
            continue
        span, much = part * moment.span, emission
        height, held = 0.0, None
        if source.gives == "flow":
            height = own(source.flow) * much * span / (whole * basin.cell**2)
        elif source.gives == "rain":
            height = max(own(source.rain), 0.0) / 1000.0 / HOUR * much * span
        else:
            held = own(source.stands)
        over = own(source.push_over)
        push = _with_own(source, tuple(over * v for v in source.push), moment)
        keep = math.exp(-source.grip * span * min(much, 1.0))
        down = max(-push[2], 0.0)
        found.append(
            Given(
                share,
                height,
                held,
                keep,
                (push[0], push[1]) if any(push) else None,
                1.0 - math.exp(-max(own(source.foams), 0.0) * much * span),
                0.5 * down * down / GRAVITY * part,
            )
        )
    return found


def _with_own(source: WaterSource, push: tuple[float, ...], moment: Moment) -> tuple[float, ...]:
    """A push, with the share of the source's own speed that it hands on."""
    motion = moment.placing(source)[1]
    if motion is None:
        return push
    pace = float(np.linalg.norm(motion.speed))
    share = float(ramp_at(source.carried, np.array([min(pace / source.carried_speed, 1.0)]))[0])
    return tuple(p + share * float(v) for p, v in zip(push, motion.speed))


def by_own_delay(source: WaterSource, middle: float, rate: float) -> Callable[[Value], float]:
    """Reads a source's courses at a time, as late as the source is."""

    def own(value: Value) -> float:
        if not isinstance(value, Course):
            return float(value)
        return between(lambda at: value_at(value, at - source.delay), middle, rate)

    return own


def fed_by(
    fed: Sequence[Given], basin: Basin, state: WaterState
) -> tuple[np.ndarray | None, np.ndarray | None, float]:
    """What presses on the water and what comes in, (nx, ny) m each, of all that feeds it in a step; and how
    many m^3 that is."""
    head: Any = None
    total: Any = None
    came = 0.0
    for g in fed:
        if g.held is not None:
            lowest = np.maximum(np.float32(g.held), -basin.rest)
            height = g.share * (lowest - state.rise) * np.float32(1.0 - g.keep)
        else:
            height = g.share * np.float32(g.height)
            if g.height < 0:
                height = np.maximum(height, -state.depth(basin))
        if g.held is not None or g.height:
            total = height if total is None else total + height
            came += float(height.sum(dtype=np.float64)) * basin.cell**2
        if g.head > 0:
            head = g.share * np.float32(g.head) if head is None else head + g.share * np.float32(g.head)
    return head, total, came


def pushed(state: WaterState, fed: Sequence[Given]) -> None:
    """Water at a source takes on its push, in place."""
    for g in fed:
        if g.push is None:
            continue
        for axis, speed in enumerate((state.u, state.v)):
            face, share = (np.moveaxis(f, axis, 0) for f in (speed, g.share))
            part = np.maximum(share[1:], share[:-1]) * np.float32(1.0 - g.keep)
            face[1:-1] += part * (np.float32(g.push[axis]) - face[1:-1])


def dents(
    layer: WaterLayer,
    basin: Basin,
    seed: int,
    moment: Moment,
    known: Footprints,
    events: Callable[[str, str], Any] | None = None,
) -> np.ndarray | None:
    """What the drops of all rain, and particles that die, do to the surface in a step, (nx, ny) m; no water
    is made or lost by it.

    Drops are numbered through time and fall by chance: any division of time gives the same.
    """
    out: np.ndarray | None = None
    nx, ny = basin.shape
    area = nx * ny * basin.cell**2
    wide = np.float32(max(NARROW, DROP_WIDE / basin.cell))
    for source in heard(layer.sources):
        if source.shape == "particles":
            found = events(source.of, "death") if events is not None else None
            if found is None or not len(found.time) or source.strikes <= 0.0:
                continue
            now = found.within(moment.t, moment.t + moment.dt)
            kept = envelope(source, now.time) > 0.0
            at = (now.place[kept, :2] - basin.origin) / basin.cell
            inside = ((at > 0) & (at < basin.shape)).all(axis=1)
            if inside.any():
                out = np.zeros(basin.shape, np.float32) if out is None else out
                _dented(at[inside].astype(np.float64), wide, np.float32(source.strikes), out)
            continue
        if (
            source.shape in FROM_LAYER
            or source.gives != "rain"
            or source.drops <= 0.0
            or source.drop_deep <= 0.0
        ):
            continue
        part, emission = emitted(source, moment.t, moment.dt, moment.rate)
        if part <= 0.0 or emission <= 0.0:
            continue
        pace = source.drops * area
        first, last = (math.floor(pace * t) for t in (moment.own, moment.own + moment.span))
        number = np.arange(first, last)
        if not len(number):
            continue
        of = stable_seed(seed, layer.id, source.id)
        x, y, luck = (unit_array(of, number, k) for k in range(3))
        kept = luck < min(emission, 1.0) * part
        places = np.stack([x * nx, y * ny], axis=1)[kept]
        if source.shape != "everywhere":
            share = known.of(source, 1.0, moment.pose(source, 0.5), basin, None)
            i, j = places.T.astype(int)
            places = places[share[np.minimum(i, nx - 1), np.minimum(j, ny - 1)] > 0.5]
        out = np.zeros(basin.shape, np.float32) if out is None else out
        _dented(places, wide, np.float32(source.drop_deep), out)
    return out


@kernel
def _dented(places, wide, deep, out):
    """A dent with a rim for each place, in cells: as much over the level as under it."""
    nx, ny = out.shape
    reach = int(np.ceil(3.5 * wide))
    for n in range(places.shape[0]):
        i0, j0 = int(places[n, 0]), int(places[n, 1])
        total, count, near = 0.0, 0.0, 0.0
        for turn in range(2):
            for i in range(max(i0 - reach, 0), min(i0 + reach + 1, nx)):
                for j in range(max(j0 - reach, 0), min(j0 + reach + 1, ny)):
                    dx, dy = i + 0.5 - places[n, 0], j + 0.5 - places[n, 1]
                    r = 0.5 * (dx * dx + dy * dy) / (wide * wide)
                    near = np.exp(-r)
                    if turn == 0:
                        total += (1.0 - r) * near
                        count += near
                    else:
                        out[i, j] -= deep * ((1.0 - r) * near - total / count * near)
