"""Scroll areas: as they are made here, and changing what one shows from inside an event of what it shows."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import QApplication, QScrollArea, QVBoxLayout, QWidget


def upright_area(bench: bool = True) -> QScrollArea:
    """An area that scrolls up and down; the keyboard goes to what is in it, not to itself."""
    area = QScrollArea()
    if bench:
        area.setObjectName("bench")
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def holder_of(area: QScrollArea) -> QWidget:
    """What is in an area whose contents change: it stays, so that nothing gets another parent, after which
    every widget below would have to take its looks anew."""
    holder = area.widget()
    if holder is None:
        holder = QWidget()
        holder.setObjectName("bench")
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        area.setWidget(holder)
    return holder


def give_room(area: QScrollArea, body: QWidget) -> None:
    """Let what was added to `body` have its room now: it would be squeezed until the next events."""
    layout = body.layout()
    if layout is not None and body.isVisible():
        layout.activate()
        QApplication.sendEvent(holder_of(area), QEvent(QEvent.Type.LayoutRequest))


def show_instead(area: QScrollArea, body: QWidget, keep: bool = False) -> None:
    """Show `body`, which was made with the area's holder for its parent, at the same place of the scroll bar.
    What was shown may be in the middle of an event of its own (a list whose choice changed which rows there
    are): it goes when that has ended, and not before; with `keep` it is only hidden."""
    bar = area.verticalScrollBar()
    place = bar.value() if bar is not None else 0
    holder = holder_of(area)
    layout = holder.layout()
    assert layout is not None
    while (item := layout.takeAt(0)) is not None:
        old = item.widget()
        if old is not None and old is not body:
            old.hide()
            if not keep:
                old.deleteLater()
    layout.addWidget(body)
    body.show()
    if bar is not None:
        layout.activate()
        bar.setValue(place)
