"""Under a prop's copies: drop them as a heap, or scatter them again."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import TenkaError
from tenka.particles.heap import heaped


class HeapFoot(QWidget):
    def __init__(self, state: State, id: str) -> None:
        super().__init__()
        self.state, self.id = state, id
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 4, 8, 4)
        column.setSpacing(4)
        line = QHBoxLayout()
        self.drops = QPushButton("Drop them")
        self.drops.setToolTip(
            "The copies fall on the ground, on what stands there and on each other, and lie as they fell"
        )
        self.drops.clicked.connect(self._drop)
        self.scatters = QPushButton("Scatter again")
        self.scatters.setToolTip(
            "The copies stand within their spread again, as if they had not been dropped"
        )
        self.scatters.clicked.connect(self._scatter)
        line.addWidget(self.drops)
        line.addWidget(self.scatters)
        line.addStretch(1)
        column.addLayout(line)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        state.dropper.told.connect(self._tell)
        self.refresh()

    def refresh(self, _: str = "") -> None:
        prop = next((p for p in self.state.effect.props if p.id == self.id), None)
        self.setVisible(prop is not None and prop.scattered)
        if prop is None or not prop.scattered:
            return
        self.scatters.setEnabled(bool(prop.lies))
        try:
            others = [p.name for p in heaped(self.state.effect, self.id) if p.id != self.id]
            words = f"Falls together with {', '.join(others)}." if others else ""
        except TenkaError as error:
            words = str(error)
        lying = min(len(prop.lies), prop.copies)
        if lying:
            words = f"{lying} of {prop.copies} lie as they fell. {words}"
        self._tell("Dropping…" if self.state.dropper.busy else "", words)

    def _tell(self, now: str, words: str | None = None) -> None:
        self.drops.setText("Stop" if now else "Drop them")
        if now:
            self.told.setText(now)
        elif words is None:
            self.refresh()
            return
        else:
            self.told.setText(words)
        self.told.setVisible(bool(self.told.text()))

    def _drop(self) -> None:
        if self.state.dropper.busy:
            self.state.dropper.stop()
            return
        try:
            self.state.dropper.drop(self.id, self.state.folder)
        except TenkaError as error:
            self.state.refuse(error)

    def _scatter(self) -> None:
        self.state.edit(f"props.{self.id}.lies", (), "Scatter the copies")
