"""Boxes that fit: round all sources over time, on meshes and carried ones too, with room for what rises, is
thrown and is blown away; and boxes that ride on a prop."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import TenkaError
from tenka.effect.courses import most, value_at
from tenka.effect.document import replaced
from tenka.effect.model import FROM_LAYER, ON_PROP, Effect, Feed, GasLayer, heard
from tenka.gas.region import region_of
from tenka.scene.poses import pose_at

MOMENTS = 25  # at which moving sources are looked at
AIR = 288.0  # K
GRAVITY = 9.81  # m/s2
STREAK = 4.0  # radii in which a particle gives that count as the width of what it leaves
RISES, SPREADS = 3.5, 2.5  # widths of a source that what it gives rises and spreads at the most
BLOWN = 6.0  # widths that wind carries it at the most
DRAWN = 0.4  # of the speed at which heat alone would rise: the rest is drawn-in air
THROWN = 0.6  # s for which a push carries on
FAR = 2.0  # times the box of one moment, from which the simulated part follows the gas
Box = tuple[np.ndarray, np.ndarray]
Figures = dict[int, dict[str, Any]]


def source_bounds(
    effect: Effect, source: Feed, t: float, voxel: float, folder: Path | None, figures: dict[str, Figures]
) -> Box | None:
    """Bounds in the scene of a source at a time: of its form, or of what it is born on.

    Parameters
    ----------
    figures : of the frames of other layers, by their ids, for what is born of them
    """
    if source.shape in FROM_LAYER:
        told = figures.get(source.of, {})
        meta = told.get(round(t * effect.rate), {})
        if not meta.get("alive") or "low" not in meta:
            return None
        return np.asarray(meta["low"], float), np.asarray(meta["high"], float)
    try:
        region = region_of(source, effect.seed, t, effect.props, voxel, folder)
    except TenkaError:
        return None
    placed: Any = source
    if source.shape in ON_PROP:
        placed = next(p for p in effect.props if p.id == source.prop)
    return pose_at(placed, effect.props, t).bounds(region.low, region.high)


def awaited(effect: Effect, layer_id: str, figures: dict[str, Figures]) -> list[str]:
    """Names of layers that feed a gas and are not simulated to their end: where they go is not known."""
    feeds = {s.of for s in heard(effect.gas(layer_id).sources) if s.shape in FROM_LAYER}
    return [x.name for x in effect.layers if x.id in feeds and len(figures.get(x.id, {})) < effect.frames]


def _width(effect: Effect, source: Feed, box: Box) -> float:
    """How wide what a source gives is where it is given, m: what is born of a layer's particles is as wide as
    what one of them leaves, however far they are apart."""
    feeds = next((x for x in effect.layers if x.id == source.of and source.shape in FROM_LAYER), None)
    widest = feeds.widest if feeds is not None else 0.0
    if not widest:
        return float(np.max(box[1] - box[0]))
    return STREAK * 0.5 * widest * float(getattr(source, "point_size", 1.0))


def moments_of(effect: Effect, run_up: float = 0.0) -> np.ndarray:
    """Times at which what moves is looked at, s: from the run-up to the last frame."""
    return np.linspace(-run_up, max(effect.seconds - 1.0 / effect.rate, 0.0), MOMENTS)


def _gives(effect: Effect, source: Feed, t: float) -> bool:
    """Whether a source may give at a time, by its span."""
    own = t - source.delay - next((c.at for c in effect.cues if c.id == source.cue), 0.0)
    return source.start <= own < source.end


def _room(effect: Effect, layer: GasLayer, wide: float) -> Box:
    """How far below, above and to all sides what is given goes, m: from its heat, its push, the wind and how
    long it is there."""
    lasts = max(effect.seconds + layer.run_up_seconds, 0.1) * most(layer.time_scale)
    lasts = min(lasts, 4.0 * most(layer.fading.half_life))
    rise, push = 0.0, np.zeros((2, 3))
    for source in heard(layer.sources):
        heat = most(source.temperature) * most(layer.motion.lift)
        if layer.fire.burns and most(getattr(source, "fuel", 0.0)) > 0:
            heat = max(heat, most(layer.fire.heat) * most(layer.motion.lift))
        rise = max(rise, math.sqrt(2.0 * GRAVITY * max(heat, 0.0) / AIR * wide))
        thrown = THROWN * np.asarray(source.push, float) + THROWN * max(most(source.outward), 0.0) * 0.5
        push = np.array([np.minimum(push[0], thrown), np.maximum(push[1], thrown)])
    up = min(max(DRAWN * rise * lasts, 1.5 * wide), RISES * wide)
    side = 0.8 * wide if rise > 0 else SPREADS * wide
    wind = np.zeros(3)
    for force in heard(effect.forces):
        if force.kind == "wind" and force.region == "everywhere":
            heading = math.radians(value_at(force.heading, 0.0))
            wind += most(force.speed) * np.array([math.cos(heading), math.sin(heading), 0.0])
    carried = wind * min(lasts, up / max(rise, 0.3))
    length = float(np.linalg.norm(carried))
    carried *= min(1.0, BLOWN * wide / length) if length > 0 else 1.0
    low = np.array([side, side, 0.3 * wide]) + np.maximum(-carried, 0.0) - np.minimum(push[0], 0.0)
    high = np.array([side, side, up]) + np.maximum(carried, 0.0) + np.maximum(push[1], 0.0)
    return low, high


def fitted(
    effect: Effect, layer_id: str, folder: Path | None = None, figures: dict[str, Figures] | None = None
) -> Effect:
    """The effect with a gas's box round all its sources over their time, with room for what they give.

    Where they go far in that time, the simulated part follows the gas: its cost stays that of one moment.
    Without sources, or before it is known where they are, the box stays.
    """
    layer = effect.gas(layer_id)
    boxes: list[Box] = []
    wide = 0.0
    for t in moments_of(effect, layer.run_up_seconds):
        now = [
            (s, source_bounds(effect, s, float(t), layer.domain.voxel, folder, figures or {}))
            for s in heard(layer.sources)
            if _gives(effect, s, float(t))
        ]
        found = [b for _, b in now if b is not None]
        wide = max([wide, *(_width(effect, s, b) for s, b in now if b is not None)])
        if found:
            boxes.append((np.min([b[0] for b in found], axis=0), np.max([b[1] for b in found], axis=0)))
    if not boxes:
        return effect
    below, above = _room(effect, layer, wide)
    low = np.min([b[0] for b in boxes], axis=0) - below
    high = np.max([b[1] for b in boxes], axis=0) + above
    if layer.domain.origin[2] >= 0.0:  # what stands on the ground stays there
        low[2] = max(low[2], 0.0)
    one = np.max([h - lo for lo, h in boxes], axis=0) + below + above
    streaks = [s for s in heard(layer.sources) if s.shape in FROM_LAYER]
    if streaks:  # the simulated part is that of each by itself
        most_alive = max(
            (meta.get("alive", 0) for s in streaks for meta in (figures or {}).get(s.of, {}).values()),
            default=0,
        )
        one = np.minimum(one, np.cbrt(most_alive) * (below + above + wide))
    domain = layer.domain.model_copy(
        update={
            "origin": tuple(round(float(v), 3) for v in low),
            "size": tuple(round(float(v), 3) for v in high - low),
            "follow": layer.domain.follow or bool(np.prod(high - low) > FAR * np.prod(one)),
        }
    )
    return effect.with_layer(layer.model_copy(update={"domain": domain}))


def ridden(before: Effect, after: Effect) -> Effect:
    """The effect with each box that rides on a prop put as far as that prop was, when the props were changed
    by hand: effect and object move as one."""
    if before.props is after.props:
        return after
    for layer in after.layers:
        box: Any = getattr(layer, layer.BOX, None)
        id = box.rides if box is not None else ""
        if not id or not any(p.id == id for p in before.props) or not any(p.id == id for p in after.props):
            continue
        was, now = (
            pose_at(next(p for p in e.props if p.id == id), e.props, 0.0).origin for e in (before, after)
        )
        if np.allclose(was, now, atol=1e-9):
            continue
        origin = tuple(round(float(o + d), 4) for o, d in zip(box.origin, now - was))
        found: Effect = replaced(after, f"layers.{layer.id}.{layer.BOX}.origin", origin)
        after = found
    return after
