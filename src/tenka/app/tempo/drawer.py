"""The course drawer: one or more courses on the tempo's time axis, with the fields of what they are made
of."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.scroll import show_instead
from tenka.app.sheet.fields import ChoiceField, NumberField, shown
from tenka.app.state import State
from tenka.app.tempo.tempo import OUTLINE, Rows
from tenka.base.errors import TenkaError
from tenka.effect.catalogue import Param
from tenka.effect.courses import (
    KINDS,
    Absolute,
    Clamp,
    Course,
    Ease,
    Keys,
    Noise,
    Product,
    Sum,
    Value,
    Wave,
    course_from,
    curve,
    moved_key,
    with_key,
)
from tenka.effect.document import get, param_at

HUES = (theme.VERDIGRIS, theme.SAFFRON, theme.TEXT)
EASES: tuple[Ease, ...] = ("smooth", "through", "linear", "hold")
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


class Drawer(QWidget):
    """Opens above the tempo for the courses that were asked for."""

    def __init__(self, state: State, rows: Rows) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state = state
        self.path = ""
        self.paths: list[str] = []
        self._made: object = None
        self.setFixedHeight(168)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 14, 0)
        line.setSpacing(0)
        side = QWidget()
        side.setFixedWidth(OUTLINE)
        column = QVBoxLayout(side)
        column.setContentsMargins(10, 6, 8, 4)
        column.setSpacing(3)
        head = QHBoxLayout()
        self.title = QLabel()
        head.addWidget(self.title, 1)
        close = QToolButton()
        close.setIcon(theme.icon("x"))
        close.setToolTip("Close the drawer")
        close.clicked.connect(self.close_all)
        head.addWidget(close)
        column.addLayout(head)
        self.area = QScrollArea()
        self.area.setObjectName("bench")
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.area, 1)
        line.addWidget(side)
        self.plot = Plot(self, rows)
        line.addWidget(self.plot, 1)
        self.hide()
        state.course_asked.connect(self.open)
        state.changed.connect(lambda _: self.refresh())
        state.moved.connect(lambda _: self.plot.update())

    def open(self, path: str) -> None:
        """Show a course; one that is shown already comes to the front."""
        self.path = path
        if path not in self.paths:
            self.paths.append(path)
        self.plot.chosen = None
        self._made = None
        self.refresh()
        self.show()

    def close_all(self) -> None:
        self.paths, self.path = [], ""
        self.hide()

    def value(self) -> Value:
        return get(self.state.effect, self.path)

    def keys(self) -> Keys | None:
        value = self.value() if self.path else None
        return value if isinstance(value, Keys) else None

    def clamp(self, v: float) -> float:
        return param_at(self.state.effect, self.path).clamp(v)

    def put(self, value: Value, token: object) -> None:
        self.state.edit(self.path, value, "Change a course", ("course", self.path, token))

    def refresh(self) -> None:
        kept = []
        for path in self.paths:
            try:
                if isinstance(get(self.state.effect, path), Course):
                    kept.append(path)
            except TenkaError:
                continue
        self.paths = kept
        if not kept:
            self.close_all()
            return
        if self.path not in kept:
            self.path = kept[-1]
        p = param_at(self.state.effect, self.path)
        self.title.setText(f"{p.label[:1].upper()}{p.label[1:]}" + (f" ({p.unit})" if p.unit else ""))
        shape = (self.path, _shape(self.value()))
        if shape != self._made:
            self._made = shape
            self._rebuild()
        else:
            for field, place in self._fields:
                field.show_value(_leaf(self.value(), place))
        self.plot.update()

    def _rebuild(self) -> None:
        body = QWidget()
        body.setObjectName("bench")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(2)
        self._fields: list[tuple[NumberField, tuple[Any, ...]]] = []
        if len(self.paths) > 1:
            others = ChoiceField(
                "Course shown", [(path, param_at(self.state.effect, path).label) for path in self.paths]
            )
            others.setCurrentIndex(self.paths.index(self.path))
            others.activated.connect(lambda: self.open(others.currentData()))
            column.addWidget(others)
        self._build(column, self.value(), (), 0)
        column.addStretch(1)
        show_instead(self.area, body)
        self.show_key()

    def _build(self, column: QVBoxLayout, value: Value, place: tuple[Any, ...], depth: int) -> None:
        p = param_at(self.state.effect, self.path)
        kind = ChoiceField("Kind of course", [(name, name) for name in ("constant", *KINDS)])
        now = value.kind if isinstance(value, Course) else "constant"
        kind.setCurrentText(now)
        kind.activated.connect(lambda: self._change_kind(place, kind.currentData()))
        row = QHBoxLayout()
        row.setContentsMargins(depth * 10, 0, 0, 0)
        row.addWidget(kind, 1)
        column.addLayout(row)
        span = max(p.soft[1] - p.soft[0], 1e-3)
        if not isinstance(value, Course):
            self._field(column, _number(p, "value", p.unit, p.soft), value, place, depth)
        elif isinstance(value, Keys):
            if not place:
                ease = ChoiceField("How the course leaves the chosen key", [(n, n) for n in EASES])
                ease.activated.connect(lambda: self._set_ease(ease.currentData()))
                self._ease = ease
                line = QHBoxLayout()
                line.addWidget(QLabel("ease"))
                line.addWidget(ease, 1)
                column.addLayout(line)
        elif isinstance(value, Wave | Noise):
            names = [
                ("base", p.unit, p.soft),
                ("amount", p.unit, (0.0, span / 2)),
                ("period", "s", (0.1, 5.0)),
            ]
            if isinstance(value, Wave):
                names.append(("phase", "", (0.0, 1.0)))
            for name, unit, soft in names:
                self._field(
                    column,
                    _number(p, name, unit, soft, 0.02 if name == "period" else None),
                    getattr(value, name),
                    (*place, name),
                    depth,
                )
        elif isinstance(value, Sum | Product):
            for i, part in enumerate(value.of):
                self._build(column, part, (*place, "of", i), depth + 1)
        elif isinstance(value, Absolute | Clamp):
            if isinstance(value, Clamp):
                for name in ("low", "high"):
                    self._field(
                        column, _number(p, name, p.unit, p.soft), getattr(value, name), (*place, name), depth
                    )
            self._build(column, value.of, (*place, "of"), depth + 1)

    def _field(self, column: QVBoxLayout, p: Param, value: float, place: tuple[Any, ...], depth: int) -> None:
        row = QHBoxLayout()
        row.setContentsMargins(depth * 10, 0, 0, 0)
        label = QLabel(p.label)
        label.setProperty("quiet", True)
        label.setFixedWidth(48)
        field = NumberField(p, value)
        field.setToolTip(p.help)
        field.changed.connect(lambda v, token: self._put_leaf(place, v, token))
        row.addWidget(label)
        row.addWidget(field, 1)
        column.addLayout(row)
        self._fields.append((field, place))

    def _put_leaf(self, place: tuple[Any, ...], v: float, token: object) -> None:
        try:
            self.put(_with_leaf(self.value(), place, v), token)
        except ValueError:
            self.state.said.emit("A clamp's low must not be above its high.")
            self.refresh()

    def _change_kind(self, place: tuple[Any, ...], kind: str) -> None:
        p = param_at(self.state.effect, self.path)
        part = _leaf(self.value(), place)
        self.put(
            _with_leaf(self.value(), place, course_from(kind, part, self.state.time, p.low, p.high)), object()
        )

    def _set_ease(self, ease: Ease) -> None:
        keys, i = self.keys(), self.plot.chosen
        if keys is not None and i is not None:
            changed = tuple(
                k.model_copy(update={"ease": ease}) if n == i else k for n, k in enumerate(keys.keys)
            )
            self.put(Keys(keys=changed), object())

    def put_slope(self, index: int, slope: float | None, token: object) -> None:
        """Give a key a slope in units a second, or with None that of its neighbours."""
        keys = self.keys()
        if keys is not None:
            changed = tuple(
                k.model_copy(update={"slope": slope}) if n == index else k for n, k in enumerate(keys.keys)
            )
            self.put(Keys(keys=changed), token)

    def show_key(self) -> None:
        """Mirror the chosen key's ease."""
        keys, i = self.keys(), self.plot.chosen
        if keys is not None and hasattr(self, "_ease"):
            self._ease.setEnabled(i is not None and i < len(keys.keys))
            if i is not None and i < len(keys.keys):
                self._ease.setCurrentText(keys.keys[i].ease)


def _leaf(value: Any, place: tuple[Any, ...]) -> Any:
    for step in place:
        value = value[step] if isinstance(step, int) else getattr(value, step)
    return value


def _with_leaf(value: Any, place: tuple[Any, ...], new: Any) -> Any:
    if not place:
        return new
    step, rest = place[0], place[1:]
    if isinstance(step, int):
        return tuple(_with_leaf(v, rest, new) if i == step else v for i, v in enumerate(value))
    fields = {name: getattr(value, name) for name in type(value).model_fields}
    fields[step] = _with_leaf(fields[step], rest, new)
    return type(value).model_validate(fields)


def _shape(value: Any) -> Any:
    """What decides which fields there are."""
    if isinstance(value, Sum | Product):
        return value.kind, tuple(_shape(v) for v in value.of)
    if isinstance(value, Absolute | Clamp):
        return value.kind, _shape(value.of)
    return value.kind if isinstance(value, Course) else "constant"
