"""What is likely wrong with a liquid, from its settings and from what was measured of its frames."""

from __future__ import annotations

from typing import Any

from tenka.base.words import counted
from tenka.effect.additions import poured
from tenka.effect.model import ON_PROP, Effect, LiquidLayer, heard
from tenka.run.findings import Figures, Finding, span_of

THIN = 2.0  # voxels: a form that is thinner gives by chance
GIVEN = 1e-9  # m^3


def of_liquid(effect: Effect, layer: LiquidLayer, figures: Figures) -> list[Finding]:
    """All that is likely wrong with a liquid."""
    return [
        *_empty(effect, layer, figures),
        *_thin(effect, layer),
        *_steps(effect, layer, figures),
        *_refused(effect, layer, figures),
        *_ignored(effect, layer),
        *_unheard(effect, layer),
        *_poured(effect, layer),
    ]


def _with(effect: Effect, layer: LiquidLayer, **changes: Any) -> Effect:
    new = layer.model_copy(update=changes)
    return effect.model_copy(
        update={"layers": tuple(new if item.id == layer.id else item for item in effect.layers)}
    )


def _empty(effect: Effect, layer: LiquidLayer, figures: Figures) -> list[Finding]:
    whole = len([f for f in figures if f >= 0]) >= effect.frames
    if whole and all(m.get("came", 0.0) <= GIVEN for m in figures.values()):
        return [Finding(f"nothing comes into {layer.name}: no source of it gives inside its box")]
    return []


def _thin(effect: Effect, layer: LiquidLayer) -> list[Finding]:
    found = []
    for s in heard(layer.sources):
        wide = 2.0 * s.thickness if s.shape in ("curve", "surface") else min(s.size)
        if s.shape in ON_PROP and s.shape != "surface":
            continue
        if 0 < wide < THIN * layer.tank.voxel:
            voxel = round(wide / THIN, 4)
            tank = layer.tank.model_copy(update={"voxel": voxel})
            found.append(
                Finding(
                    f"{s.name} is {wide:.2g} m thick, less than {THIN:g} voxels of {layer.name}: it gives in "
                    "lumps",
                    f"Voxels of {voxel:.3g} m",
                    _with(effect, layer, tank=tank),
                )
            )
    return found


def _steps(effect: Effect, layer: LiquidLayer, figures: Figures) -> list[Finding]:
    most = layer.quality.most_steps
    late = sorted(f for f, m in figures.items() if m.get("wished", 0) > most)
    if not late:
        return []
    wished = max(figures[f]["wished"] for f in late)
    quality = layer.quality.model_copy(update={"most_steps": min(wished, 96)})
    return [
        Finding(
            f"{layer.name} crosses more voxels a step than it may in {span_of(late)}: {wished} steps a frame "
            f"are wanted and {most} made",
            f"Up to {min(wished, 96)} steps",
            _with(effect, layer, quality=quality),
        )
    ]


def _refused(effect: Effect, layer: LiquidLayer, figures: Figures) -> list[Finding]:
    late = sorted(f for f, m in figures.items() if m.get("refused", 0) > 0)
    if not late:
        return []
    count = sum(figures[f]["refused"] for f in late)
    return [
        Finding(
            f"{layer.name} is as full as it may be in {span_of(late)}: {counted(count, 'particle')} refused"
        )
    ]


def _ignored(effect: Effect, layer: LiquidLayer) -> list[Finding]:
    missing = [
        s.name
        for s in heard(layer.sources)
        if s.shape in ON_PROP and all(p.id != s.prop for p in effect.props)
    ]
    return [Finding(f"{name} of {layer.name} names no prop, and gives nothing") for name in missing]


def _unheard(effect: Effect, layer: LiquidLayer) -> list[Finding]:
    """Sources of others that wait for what no liquid tells."""
    return [
        Finding(f"{s.name} of {other.name} waits for what happens to drops of {layer.name}, which tells none")
        for other in heard(effect.layers)
        for s in heard(other.sources)
        if s.shape == "particles" and s.of == layer.id and getattr(s, "born_on", "life") != "life"
    ]


def _poured(effect: Effect, layer: LiquidLayer) -> list[Finding]:
    """A liquid and the water that it is to flow into, where that cannot be."""
    joins = layer.ends.joins
    hearers = [
        (water, s)
        for water in heard(effect.layers)
        for s in heard(water.sources)
        if s.shape == "liquid" and s.of == layer.id
    ]
    water: Any = next((x for x in heard(effect.layers) if x.id == joins), None)
    if not joins:
        return [
            Finding(
                f"{s.name} of {water.name} waits for {layer.name} to fall in, which flows into no water",
                f"Let it flow into {water.name}",
                poured(effect, f"layers.{layer.id}", water.id),
            )
            for water, s in hearers[:1]
        ]
    if water is None:
        return [Finding(f"{layer.name} flows into a water that is not heard, and stays as it is")]
    found = []
    if all(other.id != joins for other, _ in hearers):
        found.append(
            Finding(
                f"{layer.name} flows into {water.name}, which takes none of it: what falls there is lost",
                f"Let {water.name} take it in",
                poured(effect, f"layers.{layer.id}", joins),
            )
        )
    floor, level = layer.tank.origin[2], water.basin.level
    if not layer.tank.open_low[2] and floor > level - 0.5 * layer.tank.voxel:
        low = round(level - layer.tank.voxel, 4)
        x, y, _ = layer.tank.origin
        long, wide, high = layer.tank.size
        tank = layer.tank.model_copy(
            update={"origin": (x, y, low), "size": (long, wide, round(high + floor - low, 4))}
        )
        found.append(
            Finding(
                f"the shut floor of {layer.name} lies at {floor:.3g} m, over the level of {water.name} at "
                f"{level:.3g} m: nothing of it falls in",
                f"A floor at {low:.3g} m",
                _with(effect, layer, tank=tank),
            )
        )
    x, y, _ = layer.tank.origin
    long, wide, _ = layer.tank.size
    if water.basin.follows:
        return found
    left, foot, _ = water.basin.origin
    apart = left > x + long or foot > y + wide or left + water.basin.size[0] < x
    if apart or foot + water.basin.size[1] < y:
        found.append(
            Finding(f"the box of {layer.name} and the basin of {water.name} lie apart: it never flows in")
        )
    return found
