"""Fields for colours and ramps."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QColorDialog, QSizePolicy, QToolButton, QToolTip, QWidget

from tenka.app import theme
from tenka.app.keys import ARROWS, TAKES_AWAY
from tenka.base.srgb import to_srgb
from tenka.effect.catalogue import Param
from tenka.effect.model import Ramp, Stop
from tenka.look.colour import ramp_table


def qt_colour(linear: tuple[float, float, float]) -> QColor:
    r, g, b = (float(c) for c in to_srgb(list(linear)))  # type: ignore[arg-type]
    return QColor.fromRgbF(r, g, b)


def linear_colour(c: QColor) -> tuple[float, float, float]:
    def decode(x: float) -> float:
        return x / 12.92 if x <= 0.04045 else ((x + 0.055) / 1.055) ** 2.4

    return decode(c.redF()), decode(c.greenF()), decode(c.blueF())


def _words(value: float, unit: str) -> str:
    """A place on an axis: a length, or a share."""
    return length_words(value) if unit == "m" else f"{100 * value:.3g} %"


def length_words(metres: float) -> str:
    """A length in a few letters."""
    return f"{metres:.2g} m" if metres >= 0.995 else f"{100 * metres:.2g} cm"


class ColourField(QToolButton):
    """A colour; a click opens the picker."""

    changed = pyqtSignal(object, object)

    def __init__(self, p: Param, value: tuple[float, float, float]) -> None:
        super().__init__()
        self.value = value
        self.setFixedHeight(theme.FIELD)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(p.label)
        self.clicked.connect(self._pick)

    def show_value(self, value: tuple[float, float, float]) -> None:
        self.value = value
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS if self.hasFocus() else theme.RULE)))
        painter.setBrush(qt_colour(self.value))
        painter.drawRoundedRect(
            QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), theme.RADIUS, theme.RADIUS
        )

    def _pick(self) -> None:
        found = QColorDialog.getColor(qt_colour(self.value), self)
        if found.isValid():
            self.changed.emit(linear_colour(found), object())


class RampField(QWidget):
    """A ramp with its stops: drag one sideways (values also up and down), double-click to add, Delete to
    remove. By keys: left and right choose a stop, with Shift they move it, up and down change its value, Plus
    adds one, Return opens its colour."""

    changed = pyqtSignal(object, object)

    own_keys = ARROWS | TAKES_AWAY | {Qt.Key.Key_Plus, Qt.Key.Key_Insert, Qt.Key.Key_Return}
    own_text = ""

    def __init__(self, p: Param, value: Ramp) -> None:
        super().__init__()
        self.p = p
        self.value, self.chosen = value, 0
        self._token: object = None
        self.held = False
        self.setFixedHeight(54)
        self.setMinimumWidth(100)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(p.label)
        self.setMouseTracking(True)

    def show_value(self, value: Ramp) -> None:
        self.value = value
        self.chosen = min(self.chosen, len(value.stops) - 1)
        self.update()

    def _area(self) -> QRectF:
        return QRectF(6, 3, self.width() - 12, self.height() - 16)

    def _point(self, stop: Stop) -> QPointF:
        a = self._area()
        height = 0.0 if isinstance(stop.value, tuple) else min(1.0, max(0.0, stop.value))
        y = a.bottom() + 6 if self.value.coloured else a.bottom() - a.height() * height
        return QPointF(a.left() + a.width() * stop.at, y)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        a = self._area()
        if self.value.coloured:
            gradient = QLinearGradient(a.left(), 0, a.right(), 0)
            for i, c in enumerate(ramp_table(self.value, 33)):
                gradient.setColorAt(i / 32, qt_colour(tuple(c)))
            painter.setBrush(gradient)
        else:
            painter.setBrush(theme.colour(theme.WELL))
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS if self.hasFocus() else theme.RULE)))
        painter.drawRoundedRect(a.adjusted(-0.5, -0.5, 0.5, 0.5), theme.RADIUS, theme.RADIUS)
        if not self.value.coloured:
            table = ramp_table(self.value, 65)
            line = [
                QPointF(a.left() + a.width() * i / 64, a.bottom() - a.height() * min(1.0, float(v)))
                for i, v in enumerate(table)
            ]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(theme.VERDIGRIS, 0.18))
            painter.drawPolygon(QPolygonF([a.bottomLeft(), *line, a.bottomRight()]))
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1.4))
            painter.drawPolyline(QPolygonF(line))
        if self.p.axis is not None:
            self._draw_axis(painter, self.p.axis)
        for i, stop in enumerate(self.value.stops):
            painter.setPen(QPen(theme.colour(theme.GROUND), 1))
            painter.setBrush(theme.colour(theme.TEXT if i == self.chosen else theme.QUIET))
            painter.drawEllipse(self._point(stop), 4, 4)

    def _draw_axis(self, painter: QPainter, axis: tuple[float, float, str]) -> None:
        """A mark at every octave, and as many words below as there is room for."""
        a, marks = self._area(), round(math.log2(axis[1] / axis[0]))
        painter.setFont(theme.font(theme.SMALL))
        every = 1 if a.width() > 46 * marks else 2 if a.width() > 23 * marks else 4
        for n in range(marks + 1):
            x = a.left() + a.width() * n / marks
            painter.setPen(QPen(theme.colour(theme.RULE)))
            painter.drawLine(QPointF(x, a.bottom()), QPointF(x, a.bottom() + 3))
            if n % every == 0:
                painter.setPen(QPen(theme.colour(theme.QUIET)))
                box = QRectF(x - 30, a.bottom() + 2, 60, 12)
                side = Qt.AlignmentFlag.AlignHCenter
                if n == 0:
                    box, side = QRectF(0, box.top(), 60, 12), Qt.AlignmentFlag.AlignLeft
                elif n == marks:
                    box, side = QRectF(self.width() - 60, box.top(), 60, 12), Qt.AlignmentFlag.AlignRight
                painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, _words(axis[0] * 2.0**n, axis[2]))

    def _tell(self, stop: Stop) -> None:
        """Say what a stop stands for while it is held."""
        if self.p.axis is not None and not isinstance(stop.value, tuple):
            low, high, unit = self.p.axis
            words = f"{_words(low * (high / low) ** stop.at, unit)}: {100 * stop.value:.0f} %"
            QToolTip.showText(self.mapToGlobal(self._point(stop).toPoint()), words, self)

    def _near(self, at: QPointF) -> int | None:
        gaps = [
            (
                abs(self._point(s).x() - at.x())
                + (0 if self.value.coloured else 0.3 * abs(self._point(s).y() - at.y())),
                i,
            )
            for i, s in enumerate(self.value.stops)
        ]
        gap, i = min(gaps)
        return i if gap < 9 else None

    def _set(self, stops: list[Stop], token: object) -> None:
        self.value = Ramp(stops=tuple(stops), ease=self.value.ease)
        self.update()
        self.changed.emit(self.value, token)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        near = self._near(event.position())
        self.held, self._token = near is not None, object()
        if near is not None:
            self.chosen = near
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.held = False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self.held:
            return
        a, stops, i = self._area(), list(self.value.stops), self.chosen
        low = stops[i - 1].at if i else 0.0
        high = stops[i + 1].at if i + 1 < len(stops) else 1.0
        at = min(high, max(low, (event.position().x() - a.left()) / a.width()))
        value: Any = stops[i].value
        if not self.value.coloured:
            value = round(min(1.0, max(0.0, (a.bottom() - event.position().y()) / a.height())), 3)
        stops[i] = Stop(at=round(at, 4), value=value)
        self._set(stops, self._token)
        self._tell(stops[i])

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        near = self._near(event.position())
        if near is not None:
            self._ask_colour(near)
            return
        a = self._area()
        self._add(min(1.0, max(0.0, (event.position().x() - a.left()) / a.width())))

    def _ask_colour(self, index: int) -> None:
        """Choose a stop's colour."""
        stops = list(self.value.stops)
        if self.value.coloured:
            found = QColorDialog.getColor(qt_colour(stops[index].value), self)  # type: ignore[arg-type]
            if found.isValid():
                stops[index] = Stop(at=stops[index].at, value=linear_colour(found))
                self._set(stops, object())

    def _add(self, at: float) -> None:
        """A further stop, of the value that the ramp has there."""
        stops = list(self.value.stops)
        v = ramp_table(self.value, 1025)[round(at * 1024)]
        stops.append(
            Stop(at=round(at, 4), value=tuple(float(c) for c in v) if self.value.coloured else float(v))
        )
        stops.sort(key=lambda s: s.at)
        self.chosen = next(i for i, s in enumerate(stops) if abs(s.at - at) < 1e-3)
        self._set(stops, object())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        stops, key, i = list(self.value.stops), event.key(), self.chosen
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        along = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        up = {Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}.get(Qt.Key(key), 0)
        if key in TAKES_AWAY and len(stops) > 1:
            del stops[i]
            self.chosen = max(0, i - 1)
            self._set(stops, object())
        elif along and shift:
            low = stops[i - 1].at if i else 0.0
            high = stops[i + 1].at if i + 1 < len(stops) else 1.0
            at = min(high, max(low, stops[i].at + 0.01 * along))
            stops[i] = Stop(at=round(at, 4), value=stops[i].value)
            self._set(stops, ("keys", id(self)))
        elif along:
            self.chosen = (i + along) % len(stops)
            self.update()
        elif up and not self.value.coloured:
            now = stops[i].value
            assert isinstance(now, float)
            value = round(min(1.0, max(0.0, now + (0.01 if shift else 0.05) * up)), 3)
            stops[i] = Stop(at=stops[i].at, value=value)
            self._set(stops, ("keys", id(self)))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Insert):
            other = stops[i + 1].at if i + 1 < len(stops) else 1.0
            self._add(0.5 * (stops[i].at + other))
        elif key == Qt.Key.Key_Return:
            self._ask_colour(i)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, a0: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, a0: QFocusEvent | None) -> None:
        self.update()
