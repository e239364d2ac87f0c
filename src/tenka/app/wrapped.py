"""A label of several lines that is never squeezed below them."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLabel


class Wrapped(QLabel):
    """Wraps its words, and asks for as much height as that takes at its width."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setWordWrap(True)

    def setText(self, a0: str | None) -> None:
        super().setText(a0)
        self._ask()

    def resizeEvent(self, a0: QResizeEvent | None) -> None:
        super().resizeEvent(a0)
        self._ask()

    def _ask(self) -> None:
        high = self.heightForWidth(self.width()) if self.width() > 1 else 0
        if high != self.minimumHeight():
            self.setMinimumHeight(max(high, 0))
