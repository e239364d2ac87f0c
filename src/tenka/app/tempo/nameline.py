"""A name that is typed in its row."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget


class NameLine(QLineEdit):
    """A name that is typed: `kept` with the name, or with nothing when it is left."""

    kept = pyqtSignal(str)

    def __init__(self, text: str, parent: QWidget) -> None:
        super().__init__(text, parent)
        self.setMaxLength(60)
        self._done = False

    def _end(self, name: str) -> None:
        if not self._done:
            self._done = True
            self.hide()
            self.deleteLater()
            self.kept.emit(name)

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        key = a0.key() if a0 is not None else 0
        if key == Qt.Key.Key_Escape:
            self._end("")
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._end(self.text().strip())
        else:
            super().keyPressEvent(a0)

    def focusOutEvent(self, a0: QFocusEvent | None) -> None:
        super().focusOutEvent(a0)
        if a0 is not None and a0.reason() != Qt.FocusReason.PopupFocusReason:
            self._end(self.text().strip())
