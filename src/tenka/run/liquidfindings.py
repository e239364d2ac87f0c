"""What is likely wrong with a liquid, from its settings and from what was measured of its frames."""

from __future__ import annotations

from typing import Any

from tenka.base.words import counted
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
