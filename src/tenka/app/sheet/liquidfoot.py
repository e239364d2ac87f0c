"""Above a liquid's rows: voxels, memory, how many particles there are, what a step takes; writing it out, and
letting it give mist."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tenka.app.dialogs.writeout import WriteOut
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.words import counted, memory
from tenka.effect.additions import with_trail
from tenka.effect.model import LiquidLayer
from tenka.gas.grid import Grid


class LiquidFoot(QWidget):
    """What a liquid takes, and what can be made of it."""

    def __init__(self, state: State, layer: LiquidLayer) -> None:
        super().__init__()
        self.state, self.id = state, layer.id
        self.writing: WriteOut | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 8, 6)
        column.setSpacing(5)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        line = QHBoxLayout()
        line.setSpacing(5)
        self.buttons: dict[str, QPushButton] = {}
        for name, tip, call in (
            ("Write out…", "Its surface as GLB, a mesh a frame", self.open_writing),
            ("Let it mist", "Feeds the first gas where its drops fly", self._mist),
        ):
            button = self.buttons[name] = QPushButton(name)
            button.setToolTip(tip)
            button.clicked.connect(call)
            line.addWidget(button)
        column.addLayout(line)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        state.news.connect(self.refresh)
        self.refresh()

    def refresh(self, _: str = "") -> None:
        layer = next((x for x in self.state.effect.layers if x.id == self.id), None)
        if not isinstance(layer, LiquidLayer):
            return
        x, y, z = Grid.of(layer.tank).shape  # type: ignore[arg-type]
        text = (
            f"{x} × {y} × {z} voxels of {100 * layer.tank.voxel:.3g} cm, at most "
            f"{memory(layer.predicted_bytes)} while it runs"
        )
        own = self.state.status.layers.get(self.id)
        figures = list(own.figures.values()) if own is not None else []
        most = max((int(m.get("count", 0)) for m in figures), default=0)
        if most:
            text += f"; at most {counted(most, 'particle')}"
        parts = [sum(m["parts"].values()) for m in figures if m.get("parts")]
        steps = [m["steps"] for m in figures if m.get("steps")]
        if parts and steps:
            text += f"; {sum(steps) / len(steps):.1f} steps a frame, each {sum(parts) / len(parts):.3g} ms"
        joined = max((m.get("joined", 0.0) for m in figures), default=0.0)
        if joined > 0:
            text += f"; {1000.0 * joined:,.0f} l flow on into a water"
        self.told.setText(text)

    def open_writing(self) -> None:
        """What will be written, and how, before anything is."""
        self.writing = WriteOut(self.state, self.id, self.window())
        self.writing.show()

    def _mist(self) -> None:
        try:
            effect, path = with_trail(self.state.effect, self.id)
        except KeyError:
            self.state.said.emit("There is no gas to feed yet: add one from the tray's Layer menu first.")
            return
        self.state.apply(effect, "Let a liquid mist")
        self.state.select(path)
