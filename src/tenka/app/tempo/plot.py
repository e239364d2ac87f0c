"""A course as a curve that is taken hold of."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.keys import TAKES_AWAY
from tenka.app.sheet.fields import shown
from tenka.app.tempo.rowpicture import OUTLINE
from tenka.app.tempo.rows import Rows
from tenka.effect.catalogue import Param
from tenka.effect.courses import Keys, curve, moved_key, with_key
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
    return Param(
        name,
        name,
        "number",
        0.0,
        unit,
        help,
        "",
        low,
        None,
        soft,
        (soft[1] - soft[0]) / 100,
        False,
        "none",
        "",
        (),
        (),
    )


class Plot(QWidget):
    """Curves over time; the keys of the chosen course can be dragged, added (double click) and removed
    (Delete), tangents turned."""

    own_keys = TAKES_AWAY
    own_text = ""

    def __init__(self, drawer: Drawer, rows: Rows) -> None:
        super().__init__()
        self.drawer, self.rows = drawer, rows
        self.chosen: int | None = None
        self._held = self._turning = False
        self._token: object = None
        self._range = (0.0, 1.0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Course")

    def _x(self, t: float) -> float:
        return self.rows.x_of(t) - OUTLINE

    def _t(self, x: float) -> float:
        return x / max(1.0, self.rows.axis().width()) * self.drawer.state.effect.seconds

    def _y(self, v: float) -> float:
        low, high = self._range
        return self.height() - 14 - (v - low) / (high - low) * (self.height() - 28)

    def _v(self, y: float) -> float:
        low, high = self._range
        return low + (self.height() - 14 - y) / (self.height() - 28) * (high - low)

    def fit(self) -> None:
        """Choose the value range that holds every curve, unless a key is being dragged."""
        if self._held:
            return
        curves = [self._curve(path) for path in self.drawer.paths]
        low, high = min(float(c.min()) for c in curves), max(float(c.max()) for c in curves)
        room = max(0.12 * (high - low), 0.05 * max(abs(high), abs(low)), 1e-3)
        self._range = (low - room, high + room)

    def _curve(self, path: str) -> np.ndarray:
        value = get(self.drawer.state.effect, path)
        seconds = self.drawer.state.effect.seconds
        return curve(value, np.linspace(0, seconds, 160))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.drawer.paths:
            return
        self.fit()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour(theme.WELL))
        painter.setFont(theme.font(theme.SMALL))
        low, high = self._range
        unit = param_at(self.drawer.state.effect, self.drawer.path).unit
        for k in range(1, 4):
            v = low + (high - low) * k / 4
            painter.setPen(theme.colour(theme.RULE, 0.7))
            painter.drawLine(QPointF(0, self._y(v)), QPointF(self.width(), self._y(v)))
            painter.setPen(theme.colour(theme.QUIET))
            painter.drawText(QPointF(4, self._y(v) - 2), f"{shown(v, (high - low) / 50)} {unit}")
        times = np.linspace(0, self.drawer.state.effect.seconds, 160)
        for n, path in enumerate(self.drawer.paths):
            line = self._curve(path)
            painter.setPen(QPen(theme.colour(HUES[n % 3], 1.0 if path == self.drawer.path else 0.5), 1.6))
            painter.drawPolyline(
                QPolygonF([QPointF(self._x(float(t)), self._y(float(v))) for t, v in zip(times, line)])
            )
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
        assert event is not None
        keys = self.drawer.keys()
        if (
            event.key() == Qt.Key.Key_Delete
            and keys is not None
            and self.chosen is not None
            and len(keys.keys) > 1
        ):
            kept = tuple(k for i, k in enumerate(keys.keys) if i != self.chosen)
            self.chosen = None
            self.drawer.put(Keys(keys=kept), object())
        else:
            super().keyPressEvent(event)
