"""A hand on the real window: it clicks, presses keys, drags and chooses, and each of these is counted."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QMenu, QScrollArea, QWidget

from tenka.app.window import Window
from tenka.effect.document import get

LEFT = Qt.MouseButton.LeftButton
DRY = 5.0  # s, and no longer, where nothing is simulated
NONE = Qt.KeyboardModifier.NoModifier
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def named(widget: QWidget) -> str:
    """What a widget is called, in short: its words, else what it says of itself."""
    words = getattr(widget, "text", str)() or widget.accessibleName() or widget.toolTip()
    return str(words).partition(":")[0].partition(",")[0]


class BareHand:
    """Works a window and counts its gestures.

    A click, a drag, a value that is typed, a key with those held beside it, a file that is dropped are one
    each; what is chosen from a menu or a list is two.

    Parameters
    ----------
    file : where it saves the effect
    small : whether what it makes is to be coarse and short
    dry : whether it waits for no simulation and writes no package, so that its steps alone are true
    """

    def __init__(self, window: Window, file: Path, small: bool = False, dry: bool = False) -> None:
        self.window, self.file, self.small, self.dry, self.count = window, file, small, dry, 0
        self.begun = time.monotonic()
        self.packages: list[Path] = []
        self.moment: int | None = None  # of the frame that shows it best

        self.seen: dict[str, Any] = {}  # on the way, for what must hold
        self.steps: list[str] = []  # what it does, in words for the guide
        self._within = 0

    @property
    def state(self):  # type: ignore[no-untyped-def]
        return self.window.state

    @property
    def effect(self):  # type: ignore[no-untyped-def]
        return self.state.effect

    def got(self, name: str) -> Any:
        """A value of what is selected."""
        return get(self.effect, f"{self.state.selection}.{name}")

    # --- in words -----------------------------------------------------------------------------

    @contextmanager
    def says(self, words: str, begins: bool = False) -> Iterator[None]:
        """Tell what is done within, once; by default on the line of what was done before."""
        if not self._within:
            if begins or not self.steps:
                self.steps.append(words)
            else:
                self.steps[-1] += ("; " if ": " in self.steps[-1] else ": ") + words
        self._within += 1
        try:
            yield
        finally:
            self._within -= 1

    # --- waiting ------------------------------------------------------------------------------

    def spin(self, seconds: float = 0.0) -> None:
        end = time.monotonic() + seconds
        QApplication.processEvents()
        while time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.005)

    def until(self, ready: Callable[[], object], what: str, seconds: float = 900.0) -> None:
        end = time.monotonic() + (min(seconds, DRY) if self.dry else seconds)
        while not ready():
            if self.dry and time.monotonic() > end:
                return
            if time.monotonic() > end:
                raise TimeoutError(f"waited {seconds:.0f} s for {what}")
            self.spin(0.01)

    # --- the bare hand ------------------------------------------------------------------------

    def click(self, widget: QWidget, at: QPoint | None = None, held: Qt.KeyboardModifier = NONE) -> None:
        self.show(widget)
        assert widget.isVisible() and widget.isEnabled(), f"{widget} cannot be clicked"
        with self.says(f"click *{named(widget)}*"):
            self.count += 1
            QTest.mouseClick(widget, LEFT, held, widget.rect().center() if at is None else at)
            self.spin()

    def show(self, widget: QWidget) -> None:
        """Scroll what lies further down into sight."""
        self.spin()
        parent = widget.parentWidget()
        while parent is not None:
            if isinstance(parent, QScrollArea):
                parent.ensureWidgetVisible(widget, 0, 40)
            parent = parent.parentWidget()
        self.spin()

    def keys(self, key: Qt.Key, held: Qt.KeyboardModifier = NONE) -> None:
        with self.says(f"press {QKeySequence(held.value | key.value).toString()}"):
            self.count += 1
            if not self.window.isActiveWindow():  # a popup that was closed off-screen does not give it back
                self.window.activateWindow()
                self.spin(0.02)
            QTest.keyClick(QApplication.focusWidget() or self.window, key, held)
            self.spin()

    def drag(self, widget: QWidget, start: QPoint, end: QPoint, held: Qt.KeyboardModifier = NONE) -> None:
        with self.says("drag in it"):
            self.count += 1
            QTest.mousePress(widget, LEFT, held, start)
            for k in range(1, 9):
                QTest.mouseMove(widget, start + (end - start) * k / 8)
                self.spin()
            QTest.mouseRelease(widget, LEFT, held, end)
            self.spin()

    def pick(self, opens: QWidget, text: str, at: QPoint | None = None) -> None:
        """Open a menu by a click and choose from it."""
        self.show(opens)
        picked: list[str] = []

        def choose() -> None:
            popup = QApplication.activePopupWidget()
            if not isinstance(popup, QMenu):
                QTimer.singleShot(5, choose)
                return
            action = next((a for a in popup.actions() if a.text().startswith(text)), None)
            if action is None:
                popup.close()
                picked.append("")
                return
            picked.append(action.text())
            QTest.mouseClick(popup, LEFT, NONE, popup.actionGeometry(action).center())

        QTimer.singleShot(0, choose)
        self.count += 2
        QTest.mouseClick(opens, LEFT, NONE, opens.rect().center() if at is None else at)
        self.until(lambda: picked, f"the menu with {text}", 10)
        self.spin()
        assert picked[0], f"no entry begins with {text}"

    def choose_from(self, box: QComboBox, text: str) -> None:
        """Choose from a list."""
        self.show(box)
        assert box.isVisible() and box.isEnabled(), f"{box.accessibleName()} cannot be chosen from"
        at = next((n for n in range(box.count()) if text in (box.itemText(n), box.itemData(n))), None)
        assert at is not None, f"{text} is not among {[box.itemText(n) for n in range(box.count())]}"
        with self.says(f"choose *{box.itemText(at)}*"):
            self.count += 2
            box.setFocus()
            box.setCurrentIndex(at)
            box.activated.emit(at)
            self.spin()
