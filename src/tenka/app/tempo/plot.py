"""A course as a curve that is taken hold of."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.keys import ARROWS, TAKES_AWAY
from tenka.app.sheet.fields import shown
from tenka.app.tempo.axis import OUTLINE
from tenka.app.tempo.rows import Rows
from tenka.effect.catalogue import Param, plain_number
from tenka.effect.courses import Keys, curve, moved_key, value_at, with_key
from tenka.effect.document import get, param_at

HUES = (theme.VERDIGRIS, theme.SAFFRON, theme.TEXT)

if TYPE_CHECKING:
    from tenka.app.tempo.drawer import Drawer


ARM = 34.0  # px from a key to the ends of its tangent


def _number(p: Param, name: str, unit: str, soft: tuple[float, float], low: float | None = None) -> Param:
    help = {
        "period": "Time from one swing to the next.",
        "phase": "Shift along time, in periods.",
        "amount": "How far it swings.",
    }.get(name, name)
    return plain_number(name, unit, help, low, None, soft, (soft[1] - soft[0]) / 100, "number")


class Plot(QWidget):
    """Curves over time; the keys of the chosen course can be dragged, added (double click) and removed
    (Delete), tangents turned."""

    own_keys = TAKES_AWAY | ARROWS | {Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Plus}
    own_text = ""

    def __init__(self, drawer: Drawer, rows: Rows) -> None:
        super().__init__()
        self.drawer, self.rows = drawer, rows
        self.chosen: int | None = None
        self._held = self._turning = False
        self._token: object = None
        self._ranges: dict[str, tuple[float, float]] = {}  # of each curve: each has an axis of its own
        self._names: list[tuple[QRectF, str]] = []  # where the names of the curves stand
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Course")

    def _x(self, t: float) -> float:
        return self.rows.x_of(t) - OUTLINE

    def _t(self, x: float) -> float:
        return self.rows.seconds_at(x + OUTLINE)

    @property
    def value_path(self) -> str:
        """What is copied from here and pasted here."""
        return self.drawer.path

    def _range(self, path: str = "") -> tuple[float, float]:
        return self._ranges.get(path or self.drawer.path, (0.0, 1.0))

    def _y(self, v: float, path: str = "") -> float:
        low, high = self._range(path)
        return self.height() - 14 - (v - low) / (high - low) * (self.height() - 28)

    def _v(self, y: float) -> float:
        low, high = self._range()
        return low + (self.height() - 14 - y) / (self.height() - 28) * (high - low)

    def fit(self) -> None:
        """Choose for each curve the values that hold it, unless a key is being dragged."""
        if self._held:
            return
        for path in self.drawer.paths:
            line = self._curve(path)[1]
            low, high = float(line.min()), float(line.max())
            room = max(0.12 * (high - low), 0.05 * max(abs(high), abs(low)), 1e-3)
            self._ranges[path] = (low - room, high + room)

    def _curve(self, path: str) -> tuple[np.ndarray, np.ndarray]:
        """Times of what is shown, s, and the values there."""
        start, length = self.rows.shown
        times = np.linspace(start, start + length, 240)
        return times, curve(get(self.drawer.state.effect, path), times)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.drawer.paths:
            return
        self.fit()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour(theme.WELL))
        painter.setFont(theme.font(theme.SMALL))
        low, high = self._range()
        unit = param_at(self.drawer.state.effect, self.drawer.path).unit
        hue = HUES[self.drawer.paths.index(self.drawer.path) % len(HUES)]
        for k in range(1, 4):
            v = low + (high - low) * k / 4
            painter.setPen(theme.colour(theme.RULE, 0.7))
            painter.drawLine(QPointF(0, self._y(v)), QPointF(self.width(), self._y(v)))
            painter.setPen(theme.colour(hue))
            painter.drawText(QPointF(4, self._y(v) - 2), f"{shown(v, (high - low) / 50)} {unit}")
        for n, path in enumerate(self.drawer.paths):
            token = theme.colour(HUES[n % len(HUES)], 1.0 if path == self.drawer.path else 0.5)
            painter.setPen(QPen(token, 1.6))
            painter.drawPolyline(
                QPolygonF(
                    [QPointF(self._x(float(t)), self._y(float(v), path)) for t, v in zip(*self._curve(path))]
                )
            )
        self._paint_names(painter)
        keys = self.drawer.keys()
        for i, key in enumerate(keys.keys if keys else ()):
            painter.setPen(QPen(theme.colour(theme.GROUND), 1))
            painter.setBrush(theme.colour(theme.TEXT if i == self.chosen else theme.VERDIGRIS))
            painter.drawEllipse(QPointF(self._x(key.t), self._y(key.v)), 5, 5)
        if keys is not None and self._tangent():
            at, arm = self._key_point(), self._arm()
            painter.setPen(QPen(theme.colour(theme.TEXT, 0.8), 1))
            painter.drawLine(at - arm, at + arm)
            painter.setBrush(theme.colour(theme.TEXT))
            for end in (at - arm, at + arm):
                painter.drawRect(QRectF(end.x() - 2.5, end.y() - 2.5, 5, 5))
        x = self._x((self.drawer.state.frame + 0.5) / self.drawer.state.effect.rate)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS, 0.8), 1.5))
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _paint_names(self, painter: QPainter) -> None:
        """Each curve by its name, with its value at the head and its own unit; a click brings it to the
        front."""
        effect, t = self.drawer.state.effect, self.drawer.state.time
        self._names = []
        right, y = self.width() - 8.0, 4.0
        for n, path in enumerate(self.drawer.paths):
            p, value = param_at(effect, path), value_at(get(effect, path), t)
            low, high = self._range(path)
            text = f"{self.drawer.name_of(path)}  {shown(value, (high - low) / 200)} {p.unit}".rstrip()
            wide = painter.fontMetrics().horizontalAdvance(text) + 12
            box = QRectF(right - wide, y, wide, 16)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(theme.GROUND, 0.8))
            painter.drawRoundedRect(box, theme.RADIUS, theme.RADIUS)
            painter.setPen(theme.colour(HUES[n % len(HUES)], 1.0 if path == self.drawer.path else 0.8))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            self._names.append((box, path))
            y += 18

    def _tangent(self) -> bool:
        """Whether the chosen key has a slope that shapes the course."""
        keys, i = self.drawer.keys(), self.chosen
        if keys is None or i is None or i >= len(keys.keys):
            return False
        return keys.keys[i].ease == "through" or (i > 0 and keys.keys[i - 1].ease == "through")

    def _key_point(self) -> QPointF:
        keys = self.drawer.keys()
        assert keys is not None and self.chosen is not None
        key = keys.keys[self.chosen]
        return QPointF(self._x(key.t), self._y(key.v))

    def _scale(self) -> tuple[float, float]:
        """Pixels in a second and in a unit."""
        return self._x(1.0) - self._x(0.0), self._y(0.0) - self._y(1.0)

    def _arm(self) -> QPointF:
        """From the chosen key to the right end of its tangent."""
        keys = self.drawer.keys()
        assert keys is not None and self.chosen is not None
        x, y = self._scale()
        dx, dy = x, -keys.slope_at(self.chosen) * y
        length = max(np.hypot(dx, dy), 1e-9)
        return QPointF(ARM * dx / length, ARM * dy / length)

    def _on_tangent(self, at: QPointF) -> bool:
        if not self._tangent():
            return False
        ends = (self._key_point() + self._arm(), self._key_point() - self._arm())
        return any(abs(end.x() - at.x()) < 7 and abs(end.y() - at.y()) < 7 for end in ends)

    def _near(self, at: QPointF) -> int | None:
        keys = self.drawer.keys()
        for i, key in enumerate(keys.keys if keys else ()):
            if abs(self._x(key.t) - at.x()) < 8 and abs(self._y(key.v) - at.y()) < 10:
                return i
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        named = next((path for box, path in self._names if box.contains(event.position())), "")
        if named:
            if named != self.drawer.path:
                self.drawer.open(named)
            return
        self._turning = self._on_tangent(event.position())
        if not self._turning:
            self.chosen = self._near(event.position())
        self._held, self._token = self.chosen is not None, object()
        self.drawer.show_key()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = self._turning = False
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        keys = self.drawer.keys()
        if self._turning and keys is not None and self.chosen is not None:
            way = event.position() - self._key_point()
            x, y = self._scale()
            side = 1.0 if way.x() >= 0 else -1.0
            run = max(abs(way.x()), 2.0)  # a slope straight up is none
            self.drawer.put_slope(self.chosen, -side * way.y() / run * x / y, self._token)
        elif self._held and keys is not None and self.chosen is not None:
            rate = self.drawer.state.effect.rate
            t = round(self._t(event.position().x()) * rate) / rate
            self.drawer.put(
                moved_key(keys, self.chosen, t, self.drawer.clamp(self._v(event.position().y()))), self._token
            )

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        keys = self.drawer.keys()
        if self.chosen is not None and self._on_tangent(event.position()):
            self.drawer.put_slope(self.chosen, None, object())
        elif keys is not None and self._near(event.position()) is None:
            rate = self.drawer.state.effect.rate
            t = round(self._t(event.position().x()) * rate) / rate
            self.drawer.put(with_key(keys, t, self.drawer.clamp(self._v(event.position().y()))), object())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Keys of the course: the next by Page up and down, moved by the arrows, a further one by Plus."""
        assert event is not None
        keys, key = self.drawer.keys(), event.key()
        if keys is None:
            super().keyPressEvent(event)
            return
        count, rate = len(keys.keys), self.drawer.state.effect.rate
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            step = 1 if key == Qt.Key.Key_PageDown else -1
            self.chosen = (self.chosen + step) % count if self.chosen is not None else 0
            self.drawer.show_key()
        elif key == Qt.Key.Key_Plus:
            t = self.drawer.state.time
            self.drawer.put(with_key(keys, t, self.drawer.clamp(value_at(keys, t))), object())
        elif self.chosen is not None and self.chosen < count and key in ARROWS:
            now = keys.keys[self.chosen]
            low, high = self._range()
            fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            dt = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0) / rate
            dv = {Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}.get(Qt.Key(key), 0) * fine * (high - low) / 50
            moved = moved_key(keys, self.chosen, now.t + dt, self.drawer.clamp(now.v + dv))
            self.drawer.put(moved, ("arrows", self.chosen))
        elif key in TAKES_AWAY and self.chosen is not None and self.chosen < count > 1:
            kept = tuple(k for i, k in enumerate(keys.keys) if i != self.chosen)
            self.chosen = None
            self.drawer.put(Keys(keys=kept), object())
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def focusInEvent(self, a0: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, a0: QFocusEvent | None) -> None:
        self.update()
