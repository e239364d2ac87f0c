"""Labels that are never cut, of several lines and of one that is shortened in words; and thin lines."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

from tenka.app import theme


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


class Elided(QLabel):
    """One line, shortened in its middle where it has no room; its tip says it whole."""

    def __init__(self) -> None:
        super().__init__()
        self.whole = ""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, a0: str | None) -> None:
        self.whole = a0 or ""
        self._fit()

    def resizeEvent(self, a0: QResizeEvent | None) -> None:
        super().resizeEvent(a0)
        self._fit()

    def _fit(self) -> None:
        shown = self.fontMetrics().elidedText(self.whole, Qt.TextElideMode.ElideMiddle, max(self.width(), 0))
        super().setText(shown)
        self.setToolTip(self.whole if shown != self.whole else "")


def rule(level: bool = True) -> QWidget:
    """A thin line between parts of the window."""
    rule = QWidget()
    rule.setStyleSheet(f"background: {theme.RULE};")
    if level:
        rule.setFixedHeight(1)
    else:
        rule.setFixedWidth(1)
    return rule
