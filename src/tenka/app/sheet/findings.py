"""Findings at the foot of the sheet."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QPushButton, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.dialogs.stepping import show_steps
from tenka.app.state import State
from tenka.app.timers import once
from tenka.app.wrapped import Wrapped
from tenka.base.words import counted

AFTER_MS = 30


class Findings(QWidget):
    """A quiet line; a click opens the list, with a mend beside what has one."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state = state
        self._open = False
        self._shown: object = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(8, 4, 8, 6)
        self._column.setSpacing(3)
        self.line = QToolButton()
        self.line.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.line.clicked.connect(self._toggle)
        self._column.addWidget(self.line)
        self.items: list[QWidget] = []
        self._soon = once(self, AFTER_MS, self.refresh)  # no hand waits for what is likely wrong
        for signal in (state.news, state.costed, state.changed, state.costing.changed):
            signal.connect(self._later)
        self.refresh()

    def _later(self, *_: object) -> None:
        if not self._soon.isActive():
            self._soon.start()

    def _toggle(self) -> None:
        self._open = not self._open
        self._shown = None
        self.refresh()

    def refresh(self) -> None:
        found = self.state.findings()
        key = (self._open, [(f.text, f.mend) for f in found])
        if key == self._shown:
            return
        self._shown = key
        fold = theme.pixmap("chevron-down" if self._open else "chevron-right", theme.QUIET)
        self.line.setIcon(QIcon(theme.pixmap("triangle-alert", theme.SAFFRON)) if found else QIcon(fold))
        self.line.setText(counted(len(found), "finding") if found else "No findings")
        self.line.setEnabled(bool(found))
        for item in self.items:
            item.deleteLater()
        self.items = []
        for f in found if self._open else []:
            box = QWidget()
            column = QVBoxLayout(box)
            column.setContentsMargins(4, 2, 4, 4)
            column.setSpacing(3)
            label = Wrapped(f.text)
            label.setProperty("quiet", True)
            column.addWidget(label)
            if f.mended is not None:
                button = QPushButton(f.mend)
                button.clicked.connect(self._mend(f))
                column.addWidget(button)
            self._column.addWidget(box)
            self.items.append(box)
        if self._open and self.state.effect.layers:
            steps = QPushButton("Compare 1 and 4 sub-steps…")
            steps.setToolTip("Simulate both, and see by number what of the motion hangs on the steps")
            steps.clicked.connect(lambda _=False: show_steps(self.state, self.window()))
            self._column.addWidget(steps)
            self.items.append(steps)

    def _mend(self, f: Any) -> Callable[[], None]:
        return lambda: self.state.apply(f.mended, f.mend)
