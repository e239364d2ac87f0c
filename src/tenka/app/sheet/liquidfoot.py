"""Above a liquid's rows: voxels, memory, how many particles there are, what a step takes; writing it out, and
letting it give mist."""

from __future__ import annotations

from typing import Any

from tenka.app.sheet.foot import Foot, step_text
from tenka.app.state import State
from tenka.base.words import counted, memory
from tenka.effect.model import LiquidLayer
from tenka.gas.grid import Grid


class LiquidFoot(Foot):
    """What a liquid takes, and what can be made of it."""

    def __init__(self, state: State, layer: LiquidLayer) -> None:
        row = (
            ("Write out…", "Its surface as GLB, a mesh a frame", self.open_writing),
            ("Let it mist", "Feeds the first gas where its drops fly", self._mist),
        )
        super().__init__(state, layer, (row,))

    def text(self, layer: Any) -> str:
        x, y, z = Grid.of(layer.tank).shape
        text = (
            f"{x} × {y} × {z} voxels of {100 * layer.tank.voxel:.3g} cm, at most "
            f"{memory(layer.predicted_bytes)} while it runs"
        )
        figures = self.figures()
        most = max((int(m.get("count", 0)) for m in figures), default=0)
        if most:
            text += f"; at most {counted(most, 'particle')}"
        text += step_text(figures)
        joined = max((m.get("joined", 0.0) for m in figures), default=0.0)
        return text + (f"; {1000.0 * joined:,.0f} l flow on into a water" if joined > 0 else "")

    def _mist(self) -> None:
        self.feed_gas("Let a liquid mist")
