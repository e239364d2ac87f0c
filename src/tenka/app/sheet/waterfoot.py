"""Under a basin's rows: cells, memory, the time of a step, and the longest one that is stable."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.words import memory
from tenka.effect.model import WaterLayer
from tenka.water.step import longest


class WaterFoot(QWidget):
    """What a basin's cells take."""

    def __init__(self, state: State, layer: WaterLayer) -> None:
        super().__init__()
        self.state, self.id = state, layer.id
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 2, 8, 4)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        state.news.connect(self.refresh)
        self.refresh()

    def refresh(self, _: str = "") -> None:
        layer = next((x for x in self.state.effect.layers if x.id == self.id), None)
        if not isinstance(layer, WaterLayer):
            return
        x, y = layer.basin.cells
        step = longest(layer.basin.edge, max(layer.basin.depth, 2.0 * layer.basin.edge))
        text = (
            f"{x} × {y} = {x * y / 1e3:,.0f} thousand cells of {100 * layer.basin.edge:.3g} cm, about "
            f"{memory(layer.predicted_bytes)}; steps of at most {1e3 * step:.3g} ms"
        )
        own = self.state.status.layers.get(self.id)
        figures = list(own.figures.values()) if own is not None else []
        parts = [sum(m["parts"].values()) for m in figures if m.get("parts")]
        steps = [m["steps"] for m in figures if m.get("steps")]
        if parts and steps:
            text += f"; {sum(steps) / len(steps):.1f} steps a frame, each {sum(parts) / len(parts):.3g} ms"
        self.told.setText(text)
