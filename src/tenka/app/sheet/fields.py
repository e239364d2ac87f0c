"""Fields of the sheet: numbers to drag or type, choices, vectors, colours, ramps."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QStandardItem,
    QStandardItemModel,
    QWheelEvent,
)
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QLineEdit, QSizePolicy, QToolTip, QWidget

from tenka.app import theme
from tenka.app.keys import ARROWS
from tenka.app.sheet.typed import typed
from tenka.effect.catalogue import Param


def shown(value: float, step: float) -> str:
    """A number with as many digits as its drag step makes sense of."""
    if value and abs(value) < step * 0.1:
        return f"{value:.3g}"
    digits = 0 if step >= 1 else 1 if step >= 0.1 else 2 if step >= 0.01 else 3
    return f"{value:.{digits}f}".rstrip("0").rstrip(".") if digits else f"{value:.0f}"


OPENS = "0123456789.,-(*/+^"
"""What opens a field for typing."""


class NumberField(QWidget):
    """A number: drag sideways, wheel or arrow keys to change it, click or type to enter a sum.

    `changed` carries the value and a token that is the same for all changes of one gesture. `told` says why
    something typed was refused, or what became of it.
    """

    changed = pyqtSignal(float, object)
    told = pyqtSignal(str)
    own_keys = ARROWS | {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2, Qt.Key.Key_Escape}
    own_text = OPENS

    def __init__(self, p: Param, value: float, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.p, self.value = p, float(value)
        self.locked = False
        self._press: QPointF | None = None
        self._from = self._start = self.value
        self._dragging = False
        self._token: object = None
        self._edit: TypedLine | None = None
        self.setFixedHeight(theme.FIELD)
        self.setMinimumWidth(46)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName(p.label)

    def show_value(self, value: float) -> None:
        if value != self.value:
            self.value = float(value)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(90, theme.FIELD)

    def _take(self, value: float, token: object, typed_: bool = False) -> None:
        """Take a value; one that was typed is told even where it is the one that stands there, for it may set
        a key at another time."""
        value = self.p.clamp(round(value) if self.p.kind == "whole" else value)
        if value != self.value or typed_:
            self.value = value
            self.update()
            self.changed.emit(value, token)

    def word(self) -> str:
        """The word for the value, where it has one."""
        return next((word for value, word in self.p.named if value == self.value), "")

    def _beside(self) -> float:
        """The value from which a drag or a key goes on: beside a value with a name, the nearest end of the
        usual range."""
        low, high = self.p.soft
        return min(max(self.value, low), high) if self.word() else self.value

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS if self.hasFocus() else theme.EDGE)))
        painter.setBrush(theme.colour(theme.WELL))
        painter.drawRoundedRect(box, theme.RADIUS, theme.RADIUS)
        low, high = self.p.soft
        if high > low:
            share = min(1.0, max(0.0, (self.value - low) / (high - low)))
            painter.fillRect(
                QRectF(2, self.height() - 3, (self.width() - 4) * share, 2),
                theme.colour(theme.VERDIGRIS, 0.55),
            )
        painter.setFont(theme.font(theme.BODY))
        painter.setPen(theme.colour(theme.QUIET if self.locked or not self.isEnabled() else theme.TEXT))
        word = self.word()
        text = word or shown(self.value, self.p.step if self.p.kind != "whole" else 1)
        inner = box.adjusted(6, 0, -6, -1)
        unit = self.p.unit if not word else ""
        metrics = painter.fontMetrics()
        wide = (
            metrics.horizontalAdvance(text) + (metrics.horizontalAdvance(" " + unit) if unit else 0)
            <= inner.width()
        )
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        if unit and wide:
            painter.setPen(theme.colour(theme.QUIET))
            painter.setFont(theme.font(theme.SMALL))
            painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, unit)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton and not self.locked:
            self._press, self._from, self._dragging, self._token = (
                event.position(),
                self.value,
                False,
                object(),
            )
            self._start = self._beside()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._press is None:
            return
        moved = event.position().x() - self._press.x()
        if not self._dragging and abs(moved) < 3:
            return
        self._dragging = True
        low, high = self.p.soft
        per_px = (high - low) / 250.0
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            per_px *= 0.1
        value = self._start + moved * per_px
        fine = self.p.step * (0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
        self._take(round(value / fine) * fine if fine > 0 else value, self._token)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._press is not None and not self._dragging:
            self.type_in()
        self._press = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus() or self.locked:
            event.ignore()  # the sheet scrolls
            return
        self._take(
            self._beside() + self.p.step * (1 if event.angleDelta().y() > 0 else -1), ("wheel", id(self))
        )

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if self.locked:
            return super().keyPressEvent(event)
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Left):
            sign = 1 if key in (Qt.Key.Key_Up, Qt.Key.Key_Right) else -1
            self._take(
                self._beside()
                + sign * self.p.step * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1),
                ("keys", id(self)),
            )
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.type_in()
        elif key == Qt.Key.Key_Escape and self._press is not None:
            self._press = None  # the drag ends where it began
            self._take(self._from, self._token)
        elif event.text() and event.text() in OPENS:
            self.type_in(event.text())
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.update()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self.update()
        super().focusOutEvent(event)

    def type_in(self, text: str | None = None) -> None:
        """Open the field for typing; Enter, Tab and a click elsewhere keep what is typed, Escape leaves it.

        What cannot be understood is said beside it, and turns brick while it is open.
        """
        edit = TypedLine(text if text is not None else self.word() or f"{self.value:g}", self)
        edit.setGeometry(self.rect())
        edit.given = text is not None
        if text is None:
            edit.selectAll()
        self._edit = edit
        edit.kept.connect(self._keep_typed)
        edit.left.connect(self._close)
        edit.show()
        edit.setFocus()

    def _keep_typed(self, stays: bool) -> None:
        """Take what was typed; with `stays`, a slip keeps the field open."""
        edit = self._edit
        if edit is None:
            return
        named = {word: value for value, word in self.p.named}
        try:
            said = edit.text().strip().lower()
            value = named[said] if said in named else typed(edit.text(), self.value, self.p.unit)
        except ValueError as error:
            words = str(error)
            self._tell(f"{self.p.label}: {words}." if stays else f"{self.p.label} is as it was: {words}.")
            if stays:
                edit.setStyleSheet(f"border-color: {theme.BRICK};")
            else:
                self._close()
            return
        meant = edit.isModified() or edit.given
        self._close()  # first: a change of which rows there are takes this field away
        held = self.p.clamp(round(value) if self.p.kind == "whole" else value)
        if held != value and abs(held - value) > 1e-9 * max(1.0, abs(value)):
            end = f"{held:g} {self.p.unit}".strip()
            whole = self.p.kind == "whole" and abs(held - value) < 1
            way = "no higher" if value > held else "no lower"
            words = f"is a whole number: {end}" if whole else f"goes {way} than {end}"
            self._tell(f"{self.p.label} {words}.")
        self._take(value, object(), meant)

    def _tell(self, words: str) -> None:
        """Say it beside the field, and in the window."""
        self.told.emit(words)
        QToolTip.showText(self.mapToGlobal(QPoint(0, self.height())), words, self, self.rect(), 4000)

    def _close(self) -> None:
        edit, self._edit = self._edit, None
        if edit is not None:
            had = edit.hasFocus()
            edit.hide()
            edit.deleteLater()
            if had:
                self.setFocus()


class TypedLine(QLineEdit):
    """A line over a number field: `kept` with whether it may stay open for a slip, `left` by Escape."""

    kept = pyqtSignal(bool)
    left = pyqtSignal()

    def __init__(self, text: str, parent: QWidget) -> None:
        super().__init__(text, parent)
        self.given = False  # whether it began with a letter that was typed
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(self)

    def eventFilter(self, a0: QObject | None, a1: QEvent | None) -> bool:
        """A press anywhere else keeps what is typed, also where nothing takes the keyboard."""
        if (
            a1 is not None
            and a1.type() == QEvent.Type.MouseButtonPress
            and isinstance(a0, QWidget)
            and a0 is not self
            and self.isVisible()
        ):
            self.kept.emit(False)
        return False

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        key = a0.key() if a0 is not None else 0
        if key == Qt.Key.Key_Escape:
            self.left.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.kept.emit(True)  # handled here: passed on to its field the key would open it again
        else:
            super().keyPressEvent(a0)

    def focusOutEvent(self, a0: QFocusEvent | None) -> None:
        super().focusOutEvent(a0)
        if a0 is not None and a0.reason() != Qt.FocusReason.PopupFocusReason and self.isVisible():
            self.kept.emit(False)


class ChoiceField(QComboBox):
    """A list to choose from; the wheel turns it only while it has the keyboard, otherwise the sheet
    scrolls."""

    def __init__(self, label: str, items: list[tuple[str, str]]) -> None:
        super().__init__()
        self.setAccessibleName(label)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        model = QStandardItemModel(self)  # at once: the list is measured anew with each item that comes
        for id, name in items:
            item = QStandardItem(name)
            item.setData(id, Qt.ItemDataRole.UserRole)
            model.appendRow(item)
        self.setModel(model)

    def wheelEvent(self, e: QWheelEvent | None) -> None:
        assert e is not None
        if self.hasFocus():
            super().wheelEvent(e)
        else:
            e.ignore()


class CheckField(QCheckBox):
    """A box that is ticked by a click anywhere in its field."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(theme.FIELD)

    def hitButton(self, pos: QPoint) -> bool:
        return self.rect().contains(pos)
