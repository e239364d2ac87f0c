"""Under a particle layer's rows: how many there are and what they take; its table, writing it out, keeping it
as a preset."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tenka.app.dialogs.pointtable import PointTable
from tenka.app.dialogs.writeout import WriteOut
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.words import counted, singular, size_of
from tenka.effect.additions import with_children, with_trail
from tenka.effect.model import Layer
from tenka.particles.state import BYTES


class PointFoot(QWidget):
    def __init__(self, state: State, layer: Layer) -> None:
        super().__init__()
        self.state, self.id = state, layer.id
        self.table: PointTable | None = None
        self.writing: WriteOut | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 8, 6)
        column.setSpacing(5)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        self.buttons: dict[str, QPushButton] = {}
        rows = (
            (
                ("Table…", "Values of every particle at this frame: sort, filter, export", self.open_table),
                (
                    "Write out…",
                    "Points or pieces to PLY, CSV, NPZ, USD or GLB: frames, units, axes and outliers",
                    self.open_writing,
                ),
            ),
            (
                ("Let it smoke", "Feeds the first gas along the path of each", self._smoke),
                ("Let it split", "A further layer, born where these bounce", self._split),
            ),
        )
        for row in rows:
            line = QHBoxLayout()
            line.setSpacing(5)
            for name, tip, call in row:
                button = QPushButton(name)
                button.setToolTip(tip)
                button.clicked.connect(call)
                self.buttons[name] = button
                line.addWidget(button)
            column.addLayout(line)
        self.said = Wrapped()
        self.said.setProperty("quiet", True)
        self.said.hide()
        column.addWidget(self.said)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        state.news.connect(self.refresh)
        self.refresh()

    def _layer(self) -> Any:
        return next((x for x in self.state.effect.layers if x.id == self.id), None)

    def refresh(self, _: str = "") -> None:
        layer = self._layer()
        if layer is None:
            return
        figures = self.state.status.of(self.id).figures if self.id in self.state.status.layers else {}
        most = max((m.get("alive", 0) for m in figures.values()), default=0)
        born = sum(m.get("born", 0) for m in figures.values())
        word = layer.UNITS
        ignored: list[str] = next((m["ignored"] for m in figures.values() if m.get("ignored")), [])
        drawn = f", {most * layer.look.copies:,} drawn" if layer.look.copies > 1 else ""
        self.told.setText(
            (
                f"At most {counted(most, singular(word))} alive at once{drawn}, {born:,} born; about "
                f"{size_of(most * BYTES)} a frame"
                + (f". Columns that are not read: {', '.join(ignored)}" if ignored else "")
            )
            if figures
            else "Not simulated yet."
        )

    def open_table(self) -> None:
        self.table = PointTable(self.state, self.id, self.window())
        self.table.show()

    def _smoke(self) -> None:
        try:
            effect, path = with_trail(self.state.effect, self.id)
        except KeyError:
            self.state.said.emit("There is no gas to feed yet: add one from the tray's Layer menu first.")
            return
        self.state.apply(effect, "Let a layer smoke")
        self.state.select(path)

    def _split(self) -> None:
        effect, path = with_children(self.state.effect, self.id)
        self.state.apply(effect, "Let a layer split")
        self.state.select(path)

    def open_writing(self) -> None:
        """What will be written, and how, before anything is."""
        self.writing = WriteOut(self.state, self.id, self.window())
        self.writing.show()

    def _say(self, text: str) -> None:
        self.said.setText(text)
        self.said.show()
