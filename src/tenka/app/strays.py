"""What is likely wrong with particles: popping at the end of life, leaving the gas, straying, births that were refused."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.effect.model import Effect, GasLayer, PointLayer, Ramp, Stop
from tenka.look.colour import ramp_table
from tenka.run.session import LayerStatus

POPS = 0.08  # opacity that is seen to go at once
FAR = 60.0  # m from the effect's origin, where nobody looks


@dataclass(frozen=True)
class Finding:
    """Something that is likely wrong: a sentence, and a mend (a new effect) when there is one."""

    text: str
    mend: str = ""
    mended: Effect | None = None


def _with(effect: Effect, layer: PointLayer, **changes: object) -> Effect:
    new = layer.model_copy(update=changes)
    return effect.model_copy(update={"layers": tuple(new if item.id == layer.id else item for item in effect.layers)})


def faded(ramp: Ramp) -> Ramp:
    """A ramp that ends at nothing."""
    stops = [s for s in ramp.stops if s.at < 0.7]
    if not stops or stops[-1].at < 0.6:
        stops.append(Stop(at=0.6, value=float(ramp_table(ramp, 65)[39])))
    return Ramp(stops=(*stops, Stop(at=1.0, value=0.0)), ease=ramp.ease)


def span_of(frames: list[int]) -> str:
    return f"frame {frames[0] + 1}" if len(frames) == 1 else f"{len(frames)} frames from {frames[0] + 1} to {frames[-1] + 1}"


def strays(effect: Effect, layer: PointLayer, status: LayerStatus) -> list[Finding]:
    """Findings of a layer of particles or debris, from what was counted of its frames."""
    found = []
    end = layer.look.opacity * float(ramp_table(layer.look.opacity_over, 65)[-1])
    popping = sorted(f for f, meta in status.figures.items() if meta.get("aged", 0) > 0)
    if end > POPS and popping and layer.look.form != "mesh":
        look = layer.look.model_copy(update={"opacity_over": faded(layer.look.opacity_over)})
        found.append(Finding(f"{layer.name} pops: particles die at an opacity of {end:.2f}, in {span_of(popping)}", "Fade them out over life",
                             _with(effect, layer, look=look)))  # fmt: skip
    refused = sum(meta.get("refused", 0) for meta in status.figures.values())
    if refused:
        found.append(Finding(f"{layer.name} lost {refused:,} births: more than {layer.most:,} would have been alive", "Allow twice as many",
                             _with(effect, layer, most=min(2 * layer.most, 20_000_000))))  # fmt: skip
    far = sorted(f for f, meta in status.figures.items() if _reach(meta) > FAR)
    if far:
        most = max(_reach(status.figures[f]) for f in far)
        ends = layer.ends.model_copy(update={"reach": FAR})
        found.append(Finding(f"{layer.name} strays as far as {most:.0f} m, in {span_of(far)}: it costs bakes for nothing", f"End them at {FAR:.0f} m",
                             _with(effect, layer, ends=ends)))  # fmt: skip
    gas = next((g for g in effect.layers if g.id == layer.motion.follows and isinstance(g, GasLayer)), None)
    if gas is not None and not layer.ends.leaves_gas:
        low = np.asarray(gas.domain.origin)
        high = low + np.asarray(gas.domain.size)
        out = sorted(
            f for f, m in status.figures.items() if m.get("alive") and (np.any(np.asarray(m["low"]) < low - 0.02) or np.any(np.asarray(m["high"]) > high + 0.02))
        )  # fmt: skip
        if out:
            ends = layer.ends.model_copy(update={"leaves_gas": True})
            found.append(Finding(f"{layer.name} leaves the box of {gas.name}, which then carries it no more, in {span_of(out)}", "End them there",
                                 _with(effect, layer, ends=ends)))  # fmt: skip
    return found


def _reach(meta: dict) -> float:
    return float(np.abs(np.array([meta.get("low", [0.0]), meta.get("high", [0.0])])).max()) if meta.get("alive") else 0.0
