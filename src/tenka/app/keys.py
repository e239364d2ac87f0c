"""What has the focus keeps the keys that it uses: the window's plain shortcuts do not take them."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QSlider,
    QWidget,
)

K = Qt.Key
ARROWS = frozenset((K.Key_Left, K.Key_Right, K.Key_Up, K.Key_Down))
ENDS = frozenset((K.Key_Home, K.Key_End, K.Key_PageUp, K.Key_PageDown))
PRESS = frozenset((K.Key_Space, K.Key_Return, K.Key_Enter))
TAKES_AWAY = frozenset((K.Key_Delete, K.Key_Backspace))
TYPING = ARROWS | ENDS | PRESS | TAKES_AWAY | {K.Key_Escape}
KINDS: tuple[tuple[type[QWidget], frozenset[Qt.Key], bool], ...] = (
    (QLineEdit, TYPING, True),
    (QPlainTextEdit, TYPING, True),
    (QAbstractSpinBox, TYPING, True),
    (QComboBox, ARROWS | ENDS | PRESS, True),
    (QAbstractItemView, ARROWS | ENDS | PRESS, True),
    (QSlider, ARROWS | ENDS, False),
    (QAbstractButton, PRESS, False),
)
"""Which keys each kind of widget uses, and whether it takes what is typed as text. A widget of ours says it
itself by `own_keys` and `own_text`."""
HELD = (
    Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier
)


def owns(widget: QWidget | None, event: QKeyEvent) -> bool:
    """Whether a widget uses a key itself."""
    if widget is None or event.modifiers() & HELD:
        return False
    own_keys, own_text = getattr(widget, "own_keys", None), getattr(widget, "own_text", "")
    if own_keys is not None:
        return Qt.Key(event.key()) in own_keys or (bool(event.text()) and event.text() in own_text)
    for kind, keys, text in KINDS:
        if isinstance(widget, kind):
            return Qt.Key(event.key()) in keys or (text and event.text().isprintable() and bool(event.text()))
    return False


class KeyOwner(QObject):
    """A filter of the events of what has the keyboard, which it follows."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._follow)
        self._follow(None, QApplication.focusWidget())

    def _follow(self, before: QWidget | None, now: QWidget | None) -> None:
        if before is not None:
            before.removeEventFilter(self)
        if now is not None:
            now.removeEventFilter(self)
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            event is not None
            and event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and watched is QApplication.focusWidget()
            and owns(QApplication.focusWidget(), event)
        ):
            event.accept()
            return True
        return False
