"""The tray: starting points, and what can be added to the effect."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QFileDialog, QLabel, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect.starters import STARTERS, with_force, with_prop, with_source
from tenka.scene.meshes import load

ICONS = {"Plume": "factory", "Puff": "cloudy", "Mist": "cloud-fog"}


class Tray(QWidget):
    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state = state
        self.setFixedWidth(76)
        column = QVBoxLayout(self)
        column.setContentsMargins(4, 10, 4, 8)
        column.setSpacing(2)
        self.buttons: dict[str, QToolButton] = {}
        self._head(column, "Begin")
        for name, make in STARTERS.items():
            words = (make.__doc__ or "").split("\n")[0]
            self._button(column, name, ICONS[name], f"{words} It takes the place of the gas; undo brings it back.", self._begin(name, make))
        self._head(column, "Add")
        self._button(
            column, "Source", "circle-dot", "A region that feeds the gas", lambda: self._add(lambda e: with_source(e), "Add a source")
        )
        self._button(column, "Wind", "wind", "Wind with gusts", lambda: self._add(lambda e: with_force(e, "wind"), "Add wind"))
        self._button(
            column,
            "Eddies",
            "tornado",
            "Turbulence: swirls that stir the gas",
            lambda: self._add(lambda e: with_force(e, "eddies"), "Add eddies"),
        )
        self._button(column, "Box", "box", "A box as a prop", lambda: self._add(lambda e: with_prop(e), "Add a box"))
        self._button(column, "Mesh", "import", "A mesh from a file as a prop (GLB, OBJ, PLY, STL)", self._ask_mesh)
        column.addStretch(1)

    def _head(self, column: QVBoxLayout, text: str) -> None:
        label = QLabel(text)
        label.setProperty("quiet", True)
        label.setContentsMargins(4, 6, 0, 2)
        column.addWidget(label)

    def _button(self, column: QVBoxLayout, name: str, icon: str, tip: str, call: Callable[[], None]) -> None:
        button = QToolButton()
        button.setText(name)
        button.setIcon(theme.icon(icon))
        button.setIconSize(QSize(16, 16))
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        button.setFixedSize(68, 44)
        button.setFont(theme.font(theme.SMALL))
        button.setToolTip(tip)
        button.clicked.connect(call)
        self.buttons[name] = button
        column.addWidget(button)

    def _begin(self, name: str, make: Callable) -> Callable[[], None]:
        def begin() -> None:
            self.state.apply(make(self.state.effect), f"Begin with {name}")
            self.state.select(f"layers.{self.state.effect.layers[0].id}")

        return begin

    def _add(self, make: Callable, label: str) -> None:
        try:
            effect, path = make(self.state.effect)
        except KeyError:
            self.state.said.emit("There is no gas to feed yet: take a starting point first.")
            return
        self.state.apply(effect, label)
        self.state.select(path)

    def _ask_mesh(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Choose a mesh", str(self.state.folder or ""), "Meshes (*.glb *.obj *.ply *.stl)")
        if name:
            self.add_mesh(Path(name))

    def add_mesh(self, file: Path) -> None:
        """Add a mesh as a prop; a bad file is said and changes nothing."""
        try:
            load(file)
        except TenkaError as error:
            self.state.said.emit(str(error))
            return
        self._add(lambda e: with_prop(e, str(file), file.stem), "Add a mesh")
