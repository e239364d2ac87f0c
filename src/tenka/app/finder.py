"""The finder: words lead to settings, actions, things that can be added, effects; it shows them and runs
them."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme

SHOWN = 60
WIDTH = 620
SYNONYMS = {
    "wind": "blow breeze gust",
    "eddies": "turbulence noise",
    "swirl": "vortex tornado whirl dust devil",
    "drag": "damping friction resistance slow",
    "fade": "dissipate decay vanish",
    "half": "dissipation decay fade",
    "voxel": "resolution cell detail",
    "density": "thickness opacity smoke",
    "temperature": "heat hot buoyancy",
    "lift": "buoyancy rise float",
    "curls": "swirls vorticity detail",
    "crowding": "add maximum blend overlap",
    "rate": "emission amount per second",
    "burst": "explosion at once",
    "spread": "cone angle scatter",
    "tail": "random speed variation",
    "width": "size radius",
    "life": "age lifetime duration",
    "flipbook": "atlas sprite sheet texture",
    "columns": "grid cells frames",
    "export": "write out save bake",
    "pack": "package build deliver",
    "undo": "back revert",
    "trial": "variant version snapshot",
    "prop": "object collider mesh geometry",
    "block": "collide collision obstacle",
    "seed": "random variation",
    "light": "sun shadow",
    "colour": "color ramp gradient tint",
    "opacity": "alpha transparency",
    "heap": "pile stack rubble",
    "break": "fracture shatter burst",
}
"""Other words for ours, so that whoever knows those finds these."""


@dataclass(frozen=True)
class Entry:
    """Something that can be found.

    Attributes
    ----------
    title, where : what it is called, and where it is
    words : more to be found by, not shown
    keys : its shortcut
    run : what it does
    rank : the lower, the earlier among equals
    """

    title: str
    where: str
    run: Callable[[], object] = field(compare=False)
    words: str = ""
    keys: str = ""
    rank: int = 0


def _others(title: str) -> list[str]:
    """Other words for those of a title."""
    return [other for word, others in SYNONYMS.items() if word in title.split() for other in others.split()]


def score(entry: Entry, query: str) -> float | None:
    """How well an entry answers to words, the lower the better; None when some word is not in it."""
    title, where, words = entry.title.lower(), entry.where.lower(), entry.words.lower()
    others, total = _others(title), 0.0
    for word in query.lower().split():
        if title.startswith(word):
            total += 0.0
        elif any(part.startswith(word) for part in title.split()):
            total += 1.0
        elif word in title:
            total += 2.0
        elif any(part.startswith(word) for part in (*others, *where.split())):
            total += 3.0
        elif any(part.startswith(word) for part in words.split()):
            total += 5.0
        elif word in words or word in where:
            total += 7.0
        else:
            return None
    return total + 0.1 * entry.rank + 0.005 * len(title)


def found(entries: list[Entry], query: str) -> list[Entry]:
    """The entries that answer to words, the best first."""
    if not query.strip():
        return [e for e in entries if e.rank == 0][:SHOWN]
    scored = [(s, n, e) for n, e in enumerate(entries) if (s := score(e, query)) is not None]
    return [e for _, _, e in sorted(scored, key=lambda row: row[:2])][:SHOWN]


class _Line(QStyledItemDelegate):
    """A title, where it is, and its keys."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, theme.ROW + 2)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        entry: Entry = index.data(Qt.ItemDataRole.UserRole)
        rect = QRectF(option.rect)
        if index.row() == getattr(self.parent(), "currentRow", lambda: -1)():
            painter.fillRect(rect, theme.colour(theme.RULE))
        inner = rect.adjusted(10, 0, -10, 0)
        centre = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.font(theme.BODY))
        painter.setPen(theme.colour(theme.TEXT))
        painter.drawText(inner, centre | Qt.AlignmentFlag.AlignLeft, entry.title)
        used = painter.fontMetrics().horizontalAdvance(entry.title) + 16
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.QUIET))
        metrics = painter.fontMetrics()
        right = inner
        if entry.keys:
            painter.drawText(inner, centre | Qt.AlignmentFlag.AlignRight, entry.keys)
            right = inner.adjusted(0, 0, -metrics.horizontalAdvance(entry.keys) - 14, 0)
        room = right.width() - used
        if room > 40:
            where = metrics.elidedText(entry.where, Qt.TextElideMode.ElideRight, int(room))
            painter.drawText(right, centre | Qt.AlignmentFlag.AlignRight, where)


class Finder(QFrame):
    """Over the window: a line to type into, and what answers to it."""

    def __init__(self, parent: QWidget, entries: Callable[[], list[Entry]]) -> None:
        super().__init__(parent)
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(f"QFrame#bench {{ border: 1px solid {theme.QUIET}; border-radius: 4px; }}")
        self._entries_now = entries
        self._entries: list[Entry] = []
        self._before: QWidget | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(6)
        self.line = QLineEdit()
        self.line.setPlaceholderText("Find a setting, an action, something to add, an effect…")
        self.line.setAccessibleName("Find")
        self.line.textChanged.connect(self._show)
        self.line.installEventFilter(self)
        column.addWidget(self.line)
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setStyleSheet("QListWidget { border: none; background: transparent; }")
        self.list.setItemDelegate(_Line(self.list))
        self.list.itemClicked.connect(lambda item: self._run(item))
        column.addWidget(self.list, 1)
        self.none = QLabel("Nothing here is called that.")
        self.none.setProperty("quiet", True)
        column.addWidget(self.none)
        self.hide()

    def open(self) -> None:
        """Show it, with nothing typed yet."""
        self._before = QApplication.focusWidget()
        self._entries = self._entries_now()
        parent = self.parentWidget()
        assert parent is not None
        width = min(WIDTH, parent.width() - 40)
        self.setGeometry((parent.width() - width) // 2, 56, width, 200)
        self.line.clear()
        self._show("")
        self.show()
        self.raise_()
        self.line.setFocus()

    def shut(self) -> None:
        """Close it; the keyboard goes back to where it was."""
        self.hide()
        if self._before is not None:
            with suppress(RuntimeError):  # where it is gone
                self._before.setFocus()
            self._before = None

    def _show(self, text: str) -> None:
        self.list.clear()
        for entry in found(self._entries, text):
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, entry)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{entry.title}, {entry.where}")
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.resize(self.width(), self._fitting_height())
        self.none.setVisible(self.list.count() == 0)

    def _fitting_height(self) -> int:
        """As high as what is found, up to a limit."""
        parent = self.parentWidget()
        assert parent is not None
        rows = max(self.list.count(), 2) * (theme.ROW + 2)
        return min(64 + rows, 440, max(160, parent.height() - 120))

    def titles(self) -> list[str]:
        """What is shown, from top to bottom."""
        found_: list[str] = []
        for n in range(self.list.count()):
            item = self.list.item(n)
            assert item is not None
            found_.append(item.data(Qt.ItemDataRole.UserRole).title)
        return found_

    def _run(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        entry: Entry = item.data(Qt.ItemDataRole.UserRole)
        self._before = None
        self.hide()
        entry.run()

    def eventFilter(self, watched: object, event: object) -> bool:  # type: ignore[override]
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            key = event.key()
            if key == Qt.Key.Key_Escape:
                self.shut()
                return True
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
                step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 10}.get(Qt.Key(key), -10)
                row = min(max(self.list.currentRow() + step, 0), self.list.count() - 1)
                self.list.setCurrentRow(row)
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run(self.list.currentItem())
                return True
        return False
