"""What is likely wrong with a layer, from what was measured of its frames: each a sentence, with a mend where
there is one."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from tenka.base.words import counted
from tenka.effect.courses import most
from tenka.effect.model import Effect, GasLayer, PointLayer, Ramp, Stop, heard, ramp_at
from tenka.gas.grid import Grid
from tenka.gas.settings import curls_by_size
from tenka.gas.vorticity import held_sizes

POPS = 0.08  # opacity that is seen to go at once
FAR = 60.0  # m from the effect's origin, where nobody looks
WALLS = ("low x", "high x", "low y", "high y", "floor", "ceiling")
LOST = 0.3  # share of the curls that are asked for and not driven, from which it is told
REACHED = 0.5  # share of a push, below which it is told
LEAST_GROWTH, MOST_GROWTH = 0.15, 1.5  # of the box, that a mend adds to one of its sides
SEEN = 0.06  # share of the densest smoke that shows when it is cut
Figures = dict[int, dict[str, Any]]


@dataclass(frozen=True)
class Finding:
    """Something that is likely wrong: a sentence, and a mend (a new effect) when there is one."""

    text: str
    mend: str = ""
    mended: Effect | None = None


def span_of(frames: list[int]) -> str:
    """Frames in words."""
    if len(frames) == 1:
        return f"frame {frames[0] + 1}"
    return f"{len(frames)} frames from {frames[0] + 1} to {frames[-1] + 1}"


def cut_offs(effect: Effect, layer: GasLayer, figures: Figures) -> list[Finding]:
    """Walls at which visible smoke leaves a gas's domain, with the frames; and a box that is larger at all of
    them, by as much as the smoke would go on until it is no longer seen."""
    cut = {}
    densest = max((meta.get("densest", 0.0) for meta in figures.values()), default=0.0)
    least = SEEN * max(densest, 1e-6)
    for wall in range(len(WALLS)):
        axis, high = divmod(wall, 2)
        if (layer.domain.open_high if high else layer.domain.open_low)[axis]:
            frames = [f for f, meta in figures.items() if meta.get("wall") and meta["wall"][wall] > least]
            if frames:
                cut[wall] = sorted(frames)
    if not cut:
        return []
    size, origin, grown = list(layer.domain.size), list(layer.domain.origin), []
    for wall, frames in cut.items():
        axis, high = divmod(wall, 2)
        grow = _goes_on(effect, layer, figures, wall, frames, least)
        size[axis] += grow
        origin[axis] -= 0.0 if high else grow
        grown.append(f"{WALLS[wall]} +{grow:.2g} m")
    domain = layer.domain.model_copy(
        update={"size": tuple(round(s, 4) for s in size), "origin": tuple(round(o, 4) for o in origin)}
    )
    times = Grid.of(domain).voxels / Grid.of(layer.domain).voxels
    mend = f"Grow the box: {', '.join(grown)}; {times:.1f} times the voxels"
    mended = _with(effect, layer, domain=domain)
    return [
        Finding(f"{layer.name} is cut off at the {WALLS[wall]} wall in {span_of(frames)}", mend, mended)
        for wall, frames in cut.items()
    ]


def _goes_on(
    effect: Effect, layer: GasLayer, figures: Figures, wall: int, frames: list[int], least: float
) -> float:
    """How far smoke goes on beyond a wall until it is seen no more or the effect ends, m; within bounds."""
    size, further = layer.domain.size[wall // 2], 0.0
    half_life = most(layer.fading.half_life)
    for f in frames:
        meta = figures[f]
        fades = half_life * math.log2(max(meta["wall"][wall] / least, 1.0))
        left = max(effect.frames - 1 - f, 0) / effect.rate
        further = max(further, meta.get("leaving", [0.0] * len(WALLS))[wall] * min(fades, left))
    return min(max(further, 4 * layer.domain.voxel, LEAST_GROWTH * size), MOST_GROWTH * size)


def unheld_curls(effect: Effect, layer: GasLayer) -> list[Finding]:
    """Curls that the curve asks for and the voxels, or the box, have no room for."""
    wanted = curls_by_size(most(layer.motion.curls), layer.motion.curl_sizes)
    whole = sum(rate for _, rate in wanted)
    least, largest = held_sizes(Grid.of(layer.domain))
    found = []
    for lost, text in (
        ([(s, r) for s, r in wanted if s < least], f"its voxels hold none under {100 * least:.0f} cm"),
        ([(s, r) for s, r in wanted if s > largest], f"its box has no room for any over {largest:.1f} m"),
    ):
        share = sum(rate for _, rate in lost) / whole if whole > 0 else 0.0
        if share > LOST:
            found.append(Finding(f"{100 * share:.0f} % of the curls of {layer.name} get nothing: {text}"))
    return found


def weak_sources(effect: Effect, layer: GasLayer, figures: Figures) -> list[Finding]:
    """Sources that are too small to be seen, and pushes that are not reached."""
    found = []
    for source in heard(layer.sources):
        told = [
            meta["sources"][source.id] for meta in figures.values() if source.id in meta.get("sources", {})
        ]
        if not told:
            continue
        fills = float(np.median([t["fills"] for t in told]))
        if fills < 1.0:
            text = f"{source.name} fills {fills:.2g} of one voxel: what it gives is thinned as much"
            found.append(Finding(text))
        pushed = [t for t in told if "asked" in t]
        reached = float(np.median([t["reached"] for t in pushed])) if pushed else 1.0
        if reached < REACHED:
            asked = max(t["asked"] for t in pushed)
            text = (
                f"{source.name} reaches {100 * max(reached, 0.0):.0f} % of its push of {asked:.1f} m/s: "
                "its grip is weak for it, or something is in its way"
            )
            firmer = source.model_copy(update={"grip": min(4.0 * source.grip, 200.0)})
            sources = tuple(firmer if s.id == source.id else s for s in layer.sources)
            mend = "Let it grip four times as firmly" if source.grip < 200.0 else ""
            found.append(Finding(text, mend, _with(effect, layer, sources=sources) if mend else None))
    return found


def too_small(effect: Effect, layer: GasLayer) -> list[Finding]:
    """Sources of a gas that give nothing, for all their particles are smaller than what gives."""
    found = []
    for source in heard(layer.sources):
        feeds = next((x for x in effect.layers if x.id == source.of and source.shape == "particles"), None)
        radius = 0.5 * source.point_size * (feeds.widest if feeds is not None else 0.0)
        if feeds is None or not radius or radius >= source.point_least:
            continue
        text = (
            f"{source.name} gives nothing: all of {feeds.name} are smaller than its least radius "
            f"({100 * radius:.2g} of {100 * source.point_least:.2g} cm)"
        )
        less = source.model_copy(update={"point_least": max(0.25 * radius, 0.001)})
        sources = tuple(less if s.id == source.id else s for s in layer.sources)
        found.append(Finding(text, "Let smaller ones give", _with(effect, layer, sources=sources)))
    return found


def of_gas(effect: Effect, layer: GasLayer, figures: Figures) -> list[Finding]:
    """All that is likely wrong with a gas."""
    return [
        *cut_offs(effect, layer, figures),
        *weak_sources(effect, layer, figures),
        *unheld_curls(effect, layer),
        *too_small(effect, layer),
    ]


def _with(effect: Effect, layer: GasLayer | PointLayer, **changes: object) -> Effect:
    new = layer.model_copy(update=changes)
    layers = tuple(new if item.id == layer.id else item for item in effect.layers)
    return effect.model_copy(update={"layers": layers})


def faded(ramp: Ramp) -> Ramp:
    """A ramp that ends at nothing."""
    stops = [s for s in ramp.stops if s.at < 0.7]
    if not stops or stops[-1].at < 0.6:
        stops.append(Stop(at=0.6, value=float(ramp_at(ramp, np.array([0.6]))[0])))
    return Ramp(stops=(*stops, Stop(at=1.0, value=0.0)), ease=ramp.ease)


def of_points(effect: Effect, layer: PointLayer, figures: Figures) -> list[Finding]:
    """What is wrong with particles or pieces: popping at the end of life, births that were refused, straying,
    leaving the gas."""
    found = []
    end = layer.look.opacity * float(ramp_at(layer.look.opacity_over, np.array([1.0]))[0])
    popping = sorted(f for f, meta in figures.items() if meta.get("aged", 0) > 0)
    if end > POPS and popping and layer.look.form != "mesh":
        look = layer.look.model_copy(update={"opacity_over": faded(layer.look.opacity_over)})
        text = f"{layer.name} pops: particles die at an opacity of {end:.2f}, in {span_of(popping)}"
        found.append(Finding(text, "Fade them out over life", _with(effect, layer, look=look)))
    refused = sum(meta.get("refused", 0) for meta in figures.values())
    if refused:
        more = _with(effect, layer, most=min(2 * layer.most, 20_000_000))
        text = (
            f"{layer.name} lost {counted(refused, 'birth')}: more than {layer.most:,} would have been alive"
        )
        found.append(Finding(text, "Allow twice as many", more))
    far = sorted(f for f, meta in figures.items() if _reach(meta) > FAR)
    if far:
        most = max(_reach(figures[f]) for f in far)
        ends = layer.ends.model_copy(update={"reach": FAR})
        text = f"{layer.name} has outliers as far as {most:.0f} m, in {span_of(far)}: bakes grow for nothing"
        found.append(Finding(text, f"End them at {FAR:.0f} m", _with(effect, layer, ends=ends)))
    gas = next((g for g in effect.gases if g.id == layer.motion.follows), None)
    if gas is not None and not layer.ends.leaves_gas:
        low = np.asarray(gas.domain.origin)
        high = low + np.asarray(gas.domain.size)
        out = sorted(
            f
            for f, m in figures.items()
            if m.get("alive")
            and (np.any(np.asarray(m["low"]) < low - 0.02) or np.any(np.asarray(m["high"]) > high + 0.02))
        )
        if out:
            ends = layer.ends.model_copy(update={"leaves_gas": True})
            text = (
                f"{layer.name} leaves the box of {gas.name}, which then carries it no more, in {span_of(out)}"
            )
            found.append(Finding(text, "End them there", _with(effect, layer, ends=ends)))
    return found


def _reach(meta: dict[str, Any]) -> float:
    if not meta.get("alive"):
        return 0.0
    return float(np.abs(np.array([meta.get("low", [0.0]), meta.get("high", [0.0])])).max())
