"""Under a basin's rows: cells, memory, the time of a step, and the longest one that is stable."""

from __future__ import annotations

from typing import Any

from tenka.app.sheet.foot import Foot, step_text
from tenka.base.words import memory
from tenka.water.step import longest


class WaterFoot(Foot):
    """What a basin's cells take."""

    def text(self, layer: Any) -> str:
        x, y = layer.basin.cells
        step = longest(layer.basin.edge, max(layer.basin.depth, 2.0 * layer.basin.edge))
        return (
            f"{x} × {y} = {x * y / 1e3:,.0f} thousand cells of {100 * layer.basin.edge:.3g} cm, about "
            f"{memory(layer.predicted_bytes)}; steps of at most {1e3 * step:.3g} ms"
            + step_text(self.figures())
        )
