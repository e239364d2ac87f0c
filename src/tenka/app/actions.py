"""The actions of a window: each with a name, keys, and what it does."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QApplication, QLineEdit, QWidget


@dataclass(frozen=True)
class Act:
    """An action: what it is called, its keys as they are shown, further words, and what it does."""

    name: str
    keys: str
    words: str
    call: Callable[[], object]


class Actions:
    """All actions of one window. Those that are `plain` leave their keys to a line that is being typed."""

    def __init__(self, window: QWidget) -> None:
        self.window = window
        self.all: list[Act] = []

    def add(
        self,
        name: str,
        call: Callable[[], object],
        keys: str | QKeySequence.StandardKey = "",
        plain: bool = False,
        more: str = "",
        words: str = "",
    ) -> None:
        """Add an action; `more` are further keys for it."""
        both = [QKeySequence(keys), *([QKeySequence(more)] if more else [])]
        sequences = list(dict.fromkeys(k for k in both if not k.isEmpty()))
        shown = sequences[0].toString(QKeySequence.SequenceFormat.NativeText) if sequences else ""
        self.all.append(Act(name, shown, words, call))
        if not sequences:
            return
        action = QAction(self.window)
        action.setShortcuts(sequences)
        action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        action.triggered.connect(
            lambda: None if plain and isinstance(QApplication.focusWidget(), QLineEdit) else call()
        )
        self.window.addAction(action)
