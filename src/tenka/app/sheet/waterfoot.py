"""Under a basin's rows: cells, memory, the time of a step, the longest one that is stable, and the wedges of
what moves in it."""

from __future__ import annotations

from typing import Any

import numpy as np

from tenka.app.sheet.foot import Foot, step_text
from tenka.base.words import memory
from tenka.effect.model import heard
from tenka.scene.poses import moves, pose_at
from tenka.water.step import longest
from tenka.water.wedge import wake_wedge

SLOW = 0.05  # m/s: less leaves no wake to speak of


class WaterFoot(Foot):
    """What a basin's cells take."""

    def text(self, layer: Any) -> str:
        x, y = layer.basin.cells
        step = longest(layer.basin.edge, max(layer.basin.depth, 2.0 * layer.basin.edge))
        return (
            f"{x} × {y} = {x * y / 1e3:,.0f} thousand cells of {100 * layer.basin.edge:.3g} cm, about "
            f"{memory(layer.predicted_bytes)}; steps of at most {1e3 * step:.3g} ms"
            + step_text(self.figures())
            + "".join(f". {line}" for line in self._wedges(layer))
        )

    def _wedges(self, layer: Any) -> list[str]:
        """What the wake of each hull opens to, at its slowest and its fastest where it goes at all."""
        effect, found = self.state.effect, []
        times = np.arange(effect.frames) / effect.rate
        for meets in (m for m in heard(layer.colliders) if m.acts == "hull"):
            prop = next((p for p in effect.props if p.id == meets.prop), None)
            if prop is None or not moves(prop, effect.props):
                continue
            ways = np.diff([pose_at(prop, effect.props, t).origin[:2] for t in times], axis=0)
            speeds = np.linalg.norm(ways, axis=1) * effect.rate
            speeds = speeds[speeds > SLOW]
            if not len(speeds):
                continue
            ends = dict.fromkeys(round(float(v), 2) for v in np.percentile(speeds, (10, 90)))
            told = [_wedge(v, layer.basin.depth, layer.flow.lengths == "every") for v in ends]
            found.append(f"The wake of {prop.name}: {'; '.join(told)}")
        return found


def _wedge(speed: float, depth: float, every: bool) -> str:
    """A wake's wedge in words."""
    angle = wake_wedge(speed, depth, every)
    wide = "none, all waves go ahead" if angle is None else f"a wedge of {angle:.1f}° either side"
    return f"{wide} at {speed:.2f} m/s"
