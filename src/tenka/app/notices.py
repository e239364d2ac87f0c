"""What the window says, in three weights: a remark that goes by itself, a refusal that stays until something
else is done, and a notice over the stage that stays until it is closed or no longer holds."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QToolButton, QWidget

from tenka.app import theme
from tenka.app.timers import once
from tenka.app.wrapped import Wrapped

REMARK_MS, LETTER_MS = 5000, 60  # a remark stays for this long, and longer by its letters
REFUSAL_MS = 60_000


class SaidLine(QLabel):
    """Remarks and refusals, in the head of the window."""

    def __init__(self) -> None:
        super().__init__()
        self.setWordWrap(True)
        self.refusal = False
        self._goes = once(self, REMARK_MS, self._clear)
        self._dress()

    def _dress(self) -> None:
        hue = theme.SAFFRON if self.refusal else theme.QUIET
        self.setStyleSheet(f"color: {hue}; font-size: {theme.SMALL}px;")

    def say(self, text: str) -> None:
        """A remark: it goes by itself."""
        self._show(text, False, REMARK_MS + LETTER_MS * len(text))

    def refuse(self, text: str) -> None:
        """Why something was not done: it stays until something is."""
        self._show(text, True, REFUSAL_MS)

    def _show(self, text: str, refusal: bool, ms: int) -> None:
        self.refusal = refusal
        self._dress()
        self.setText(text)
        self.setToolTip(text)
        self._goes.start(ms)

    def done(self) -> None:
        """Something was done: a refusal has had its time."""
        if self.refusal:
            self._clear()

    def _clear(self) -> None:
        self._goes.stop()
        self.refusal = False
        self.setText("")
        self.setToolTip("")


class NoticeBar(QWidget):
    """A sentence that stays, with a mend where there is one. `about` names what it is about: it goes when
    that is settled."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(f"QWidget#bench {{ border-left: 3px solid {theme.BRICK}; }}")
        self.about = ""
        self._mend: Callable[[], object] | None = None
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 4, 8, 4)
        line.setSpacing(8)
        self.text = Wrapped()
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        line.addWidget(self.text, 1)
        self.mend = QPushButton()
        self.mend.clicked.connect(self._do)
        line.addWidget(self.mend)
        close = QToolButton()
        close.setIcon(theme.icon("x"))
        close.setToolTip("Close this notice")
        close.setAccessibleName("Close this notice")
        close.clicked.connect(self.hide)
        line.addWidget(close)
        self.hide()

    def tell(
        self, text: str, about: str = "", mend: str = "", call: Callable[[], object] | None = None
    ) -> None:
        """Show a sentence, and beside it what mends it."""
        self.about, self._mend = about, call
        self.text.setText(text)
        self.mend.setText(mend)
        self.mend.setVisible(bool(mend))
        self.show()

    def settle(self, about: str) -> None:
        """What a notice was about holds no more."""
        if self.about == about:
            self.hide()

    def _do(self) -> None:
        self.hide()
        if self._mend is not None:
            self._mend()
