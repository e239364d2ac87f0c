"""What is likely wrong with a water, from its settings and from what was measured of its frames."""

from __future__ import annotations

from typing import Any

import numpy as np

from tenka.effect.model import Effect, WaterLayer, heard
from tenka.run.findings import Figures, Finding, span_of
from tenka.water.follow import BORDER
from tenka.water.solver import MOST_STEPS

ACROSS = 3  # cells over a hull's least width, below which its wake is the grid's
DRIFTED = 2e-4  # of the water there is, that may be lost or made
FULL = 0.98  # of the room over the floor, from which waves are told to leave it


def of_water(effect: Effect, layer: WaterLayer, figures: Figures) -> list[Finding]:
    """All that is likely wrong with a water."""
    return [
        *_hulls(effect, layer, figures),
        *_steps(effect, layer, figures),
        *_drift(layer, figures),
        *_room(effect, layer, figures),
        *_forces(layer, figures),
        *_basin(effect, layer),
    ]


def _with(effect: Effect, layer: WaterLayer, **changes: object) -> Effect:
    new = layer.model_copy(update=changes)
    return effect.model_copy(
        update={"layers": tuple(new if item.id == layer.id else item for item in effect.layers)}
    )


def _finer(effect: Effect, layer: WaterLayer, cell: float) -> tuple[str, Effect]:
    box = layer.basin.model_copy(update={"cells_by": "size", "cell": round(cell, 4)})
    return f"Cells of {cell:.3g} m", _with(effect, layer, basin=box)


def _hulls(effect: Effect, layer: WaterLayer, figures: Figures) -> list[Finding]:
    found = []
    known = {p.id: p for p in effect.props}
    others = {x.id: x for x in effect.layers}
    told = [m for m in figures.values() if "touching" in m]
    for stop in heard(layer.colliders):
        if not stop.by_prop and stop.of not in others:
            found.append(Finding(f"{stop.name} of {layer.name} names no layer of debris, and pushes nothing"))
            continue
        if stop.acts == "bed" or not told or (stop.by_prop and stop.prop not in known):
            continue
        name = known[stop.prop].name if stop.by_prop else others[stop.of].name
        if not any(stop.id in m["touching"] for m in told):
            deepest = max(m["deep"].get(stop.id, 0.0) for m in told)
            why = "it is never over the basin" if deepest > 0 else "it never reaches below the level"
            found.append(Finding(f"{name} touches no water of {layer.name}: {why}, or lies under its bed"))
            continue
        widths = [m["wide"].get(stop.id, 0.0) for m in told]
        wide = float(np.median([w for w in widths if w > 0] or [0.0]))
        if 0 < wide < ACROSS * layer.basin.edge:
            mend, mended = _finer(effect, layer, wide / ACROSS)
            found.append(
                Finding(
                    f"{name} is {wide:.2g} m wide in the water, less than {ACROSS} cells of {layer.name}: "
                    "its wake is that of the cells",
                    mend,
                    mended,
                )
            )
    return found


def _steps(effect: Effect, layer: WaterLayer, figures: Figures) -> list[Finding]:
    late = sorted(f for f, m in figures.items() if m.get("wished", 0) > MOST_STEPS)
    if not late:
        return []
    most = max(figures[f]["wished"] for f in late)
    mend, mended = _finer(effect, layer, layer.basin.edge * most / MOST_STEPS)
    return [
        Finding(
            f"waves of {layer.name} cross more than a cell a step in {span_of(late)}: {most} steps "
            f"a frame are wanted and {MOST_STEPS} made",
            mend,
            mended,
        )
    ]


def _drift(layer: WaterLayer, figures: Figures) -> list[Finding]:
    if layer.basin.sides == "open" or layer.basin.follows:
        return []
    shares = {f: abs(m.get("astray", 0.0)) / max(m.get("volume", 0.0), 1e-9) for f, m in figures.items()}
    bad = sorted(f for f, s in shares.items() if s > DRIFTED and figures[f].get("volume", 0.0) > 1e-6)
    if not bad:
        return []
    worst = max(bad, key=lambda f: shares[f])
    return [
        Finding(
            f"the level of {layer.name} drifts: {100 * shares[worst]:.2g} % of its water was lost or made by "
            f"{span_of([worst])}, beside what its sources gave"
        )
    ]


def _room(effect: Effect, layer: WaterLayer, figures: Figures) -> list[Finding]:
    box = layer.basin
    room = box.size[2]
    high = sorted(f for f, m in figures.items() if box.depth + m.get("highest", 0.0) > FULL * room)
    if not high:
        return []
    top = max(box.depth + figures[f].get("highest", 0.0) for f in high)
    size = (*box.size[:2], round(1.2 * top, 2))
    return [
        Finding(
            f"{layer.name} rises to {top:.2g} m in {span_of(high)}, and its basin has room for {room:.2g} m: "
            "splashes over that are not counted in its bounds",
            f"Make it {size[2]:g} m high",
            _with(effect, layer, basin=box.model_copy(update={"size": size})),
        )
    ]


def _forces(layer: WaterLayer, figures: Figures) -> list[Finding]:
    names: list[str] = next((m["ignored"] for m in figures.values() if m.get("ignored")), [])
    if not names:
        return []
    return [Finding(f"{', '.join(names)} does not act on {layer.name}: no water feels eddies")]


def _basin(effect: Effect, layer: WaterLayer) -> list[Finding]:
    box, found = layer.basin, []
    gives = any(s.gives in ("flow", "level") for s in heard(layer.sources))
    if box.depth <= 0 and not gives and not any(s.gives == "rain" for s in heard(layer.sources)):
        deeper: dict[str, Any] = {"depth": round(0.5 * box.size[2], 3)}
        found.append(
            Finding(
                f"{layer.name} is dry: its depth is 0 m, and nothing gives it water",
                f"Fill it {deeper['depth']:g} m deep",
                _with(effect, layer, basin=box.model_copy(update=deeper)),
            )
        )
    if box.follows and min(box.cells) < 4 * BORDER:
        nx, ny = box.cells
        found.append(
            Finding(
                f"the window of {layer.name} is {nx} x {ny} cells: what leaves it is forgotten, and "
                f"{BORDER} cells at each side are damped"
            )
        )
    return found
