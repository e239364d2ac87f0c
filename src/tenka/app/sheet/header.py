"""The head of a section of the sheet: its name, what it costs, and whether it is folded."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from tenka.app import theme
from tenka.app.keys import PRESS


class Header(QWidget):
    """Ruled off from what stands above it; a click, Space or Enter folds its rows away."""

    toggled = pyqtSignal(str)
    own_keys = PRESS
    own_text = ""

    def __init__(self, section: str, folded: bool) -> None:
        super().__init__()
        self.section = section
        self.setFixedHeight(theme.ROW + 8)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"Section {section}")
        self.setToolTip("Folds this section, or opens it again")
        self.line = QHBoxLayout(self)
        self.line.setContentsMargins(12, 2, 8, 2)
        self.line.setSpacing(4)
        label = QLabel(section)
        label.setFont(theme.font(theme.BODY, QFont.Weight.DemiBold))
        self.mark = QLabel()
        self.mark.setFixedWidth(14)
        self.line.addWidget(label)
        self.line.addWidget(self.mark)
        self.line.addStretch(1)
        self.show_folded(folded)

    def show_folded(self, folded: bool) -> None:
        self.folded = folded
        self.mark.setPixmap(theme.pixmap("chevron-right" if folded else "chevron-down", theme.QUIET, 12))

    def mousePressEvent(self, a0: QMouseEvent | None) -> None:
        self.toggled.emit(self.section)

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        if a0 is not None and Qt.Key(a0.key()) in PRESS:
            self.toggled.emit(self.section)
        else:
            super().keyPressEvent(a0)

    def focusInEvent(self, a0: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, a0: QFocusEvent | None) -> None:
        self.update()

    def paintEvent(self, a0: QPaintEvent | None) -> None:
        """A rule along the top; a line round it while it has the keyboard."""
        painter = QPainter(self)
        painter.setPen(theme.colour(theme.RULE))
        painter.drawLine(12, 0, self.width() - 8, 0)
        if self.hasFocus():
            painter.setPen(theme.colour(theme.VERDIGRIS))
            painter.drawRoundedRect(self.rect().adjusted(4, 3, -5, -4), theme.RADIUS, theme.RADIUS)
