"""The small tools in the stage's corner."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QHBoxLayout, QMenu, QToolButton, QWidget

from tenka.app import theme
from tenka.app.dialogs.filming import ask_film

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage

INSIDE = "Look inside: slices of gas and forces, arrows, pathlines, what sleeps, table (I)"


def _tool(name: str, tip: str, checkable: bool) -> QToolButton:
    button = QToolButton()
    button.setIcon(theme.icon(name))
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    button.setCheckable(checkable)
    return button


def add_tools(stage: Stage) -> tuple[QToolButton, QToolButton, QToolButton, QToolButton]:
    """Make them; those that stay pressed: light, boxes, looking inside, three sides."""
    bar = QWidget(stage)
    line = QHBoxLayout(bar)
    line.setContentsMargins(6, 6, 6, 6)
    line.setSpacing(2)
    light = _tool("sun", "Turn the light by dragging (L)", True)
    light.toggled.connect(stage.light_mode)
    boxes = _tool("cuboid", "Show the domain and the sources (B)", True)
    boxes.setChecked(True)
    boxes.toggled.connect(stage.box_mode)
    inside = _tool("slice", INSIDE, True)
    inside.toggled.connect(stage.inspect_mode)
    frame = _tool("focus", "Frame what is selected (F)", False)
    frame.clicked.connect(stage.frame_selected)
    sides = _tool("grid-2x2", "Three sides beside the camera's view (T)", True)
    sides.toggled.connect(lambda on: stage.sides.show(stage, on))
    keep = _tool("camera", "Cameras: look through one (O), keep this view, key it here (Shift+O)", False)
    menu = QMenu(keep)
    menu.aboutToShow.connect(lambda: stage.through.fill(menu))
    keep.setMenu(menu)
    keep.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    keep.setObjectName("bare")
    film = _tool("film", "Final pictures and movies (Ctrl+Shift+M)", False)
    film.clicked.connect(lambda: ask_film(stage))
    for button in (light, boxes, inside, frame, sides, keep, film):
        line.addWidget(button)
    bar.adjustSize()
    stage.inspector.move(8, bar.height() + 6)
    return light, boxes, inside, sides
