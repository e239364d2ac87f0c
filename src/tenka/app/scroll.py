"""Scroll areas: as they are made here, and changing what one shows from inside an event of what it shows."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QScrollArea, QWidget


def upright_area(bench: bool = True) -> QScrollArea:
    """An area that scrolls up and down; the keyboard goes to what is in it, not to itself."""
    area = QScrollArea()
    if bench:
        area.setObjectName("bench")
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def show_instead(area: QScrollArea, body: QWidget) -> None:
    """Show `body` at the same place of the scroll bar. What was shown may be in the middle of an event of its
    own (a list whose choice changed which rows there are): it goes when that has ended, and not before."""
    bar = area.verticalScrollBar()
    place = bar.value() if bar is not None else 0
    old = area.takeWidget()
    if old is not None:
        old.hide()
        old.setParent(area)  # not left to be collected with its last reference
        old.deleteLater()
    area.setWidget(body)
    if bar is not None:
        bar.setValue(place)
