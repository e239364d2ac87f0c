"""Under a mesh's rows: what it is made of, what is not sound in it, who made it, and cameras to look
through."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import TenkaError
from tenka.base.words import counted
from tenka.scene.props import eyes_of, told_of

MOST_PARTS = 8


class MeshFoot(QWidget):
    def __init__(self, state: State, id: str) -> None:
        super().__init__()
        self.state, self.id = state, id
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 2, 8, 4)
        self._column.setSpacing(4)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        self._column.addWidget(self.told)
        self.eyes: dict[str, QPushButton] = {}
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        self.refresh()

    def refresh(self, _: str = "") -> None:
        prop = next((p for p in self.state.effect.props if p.id == self.id), None)
        if prop is None:
            return
        try:
            told = told_of(prop, self.state.folder)
            names = list(eyes_of(prop, self.state.effect.props, self.state.folder))
        except TenkaError as error:
            self.told.setText(str(error))
            return
        count = (
            counted(told.before, "triangle")
            if told.after == told.before
            else f"{told.before:,} → {told.after:,} triangles"
        )
        lines = [f"{count}; {told.packed / 1024:,.0f} KB in a package's set"]
        if told.parts:
            more = f" and {len(told.parts) - MOST_PARTS} more" if len(told.parts) > MOST_PARTS else ""
            lines.append("Parts: " + ", ".join(told.parts[:MOST_PARTS]) + more)
        lines += [note[0].upper() + note[1:] for note in told.notes]
        self.told.setText("\n".join(lines))
        for name in names:
            if name not in self.eyes:
                button = QPushButton(f"Look through {name}")
                button.setToolTip("Sets the effect's camera to this camera of the mesh file")
                button.clicked.connect(partial(self.look_through, name))
                self.eyes[name] = button
                self._column.addWidget(button)

    def look_through(self, name: str) -> None:
        prop = next(p for p in self.state.effect.props if p.id == self.id)
        camera = eyes_of(prop, self.state.effect.props, self.state.folder).get(name)
        if camera is not None:
            self.state.edit("camera", camera, f"Look through {name}")
