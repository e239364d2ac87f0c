"""The course drawer: one or more courses on the tempo's time axis, with the fields of what they are made
of."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.scroll import holder_of, show_instead, upright_area
from tenka.app.sheet.fields import ChoiceField, NumberField
from tenka.app.state import State
from tenka.app.tempo.axis import OUTLINE
from tenka.app.tempo.plot import Plot, _number
from tenka.app.tempo.rows import Rows
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
    moved_key,
)
from tenka.effect.document import get, param_at

HEIGHT = 168
EASES: tuple[Ease, ...] = ("smooth", "through", "linear", "hold")


class Drawer(QWidget):
    """Opens above the tempo for the courses that were asked for."""

    opened = pyqtSignal(bool)

    def __init__(self, state: State, rows: Rows) -> None:
        super().__init__()
        self._open = False
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state = state
        self.path = ""
        self.paths: list[str] = []
        self._made: object = None
        self.setFixedHeight(HEIGHT)
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
        self.area = upright_area()
        column.addWidget(self.area, 1)
        line.addWidget(side)
        self.plot = Plot(self, rows)
        line.addWidget(self.plot, 1)
        self.hide()
        state.course_asked.connect(self.open)
        state.changed.connect(lambda _: self.refresh())
        state.moved.connect(lambda _: self.plot.update())
        rows.spanned.connect(self.plot.update)

    def open(self, path: str) -> None:
        """Show a course; one that is shown already comes to the front."""
        self.path = path
        if path not in self.paths:
            self.paths.append(path)
        self.plot.chosen = None
        self._made = None
        self.refresh()
        if not self._open:
            self._open = True
            self.opened.emit(True)
        self.show()

    def close_all(self) -> None:
        self.paths, self.path = [], ""
        self.hide()
        if self._open:
            self._open = False
            self.opened.emit(False)

    def name_of(self, path: str) -> str:
        """A course as it is named: its label, and whose it is when several are shown."""
        label = param_at(self.state.effect, path).label
        label = f"{label[:1].upper()}{label[1:]}"
        if len(self.paths) < 2:
            return label
        steps = path.split(".")
        for n in range(len(steps) - 1, 0, -1):
            name = getattr(get(self.state.effect, ".".join(steps[:n])), "name", "")
            if name:
                return f"{name}: {label[:1].lower()}{label[1:]}"
        return label

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
            self.show_key()
        self.plot.update()

    def _rebuild(self) -> None:
        body = QWidget(holder_of(self.area))
        body.setObjectName("bench")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(2)
        self._fields: list[tuple[NumberField, tuple[Any, ...]]] = []
        if len(self.paths) > 1:
            others = ChoiceField("Course shown", [(path, self.name_of(path)) for path in self.paths])
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
                self._key_fields(column, p)
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

    def _key_fields(self, column: QVBoxLayout, p: Param) -> None:
        """The chosen key by numbers: its time, its value, and the slope with which it is passed."""
        span = max(p.soft[1] - p.soft[0], 1e-3)
        self._by_number: dict[str, NumberField] = {}
        of_each = (
            ("time", "s", (0.0, self.state.effect.seconds)),
            ("value", p.unit, p.soft),
            ("slope", f"{p.unit}/s" if p.unit else "1/s", (-span, span)),
        )
        for name, unit, soft in of_each:
            row = QHBoxLayout()
            label = QLabel(name)
            label.setProperty("quiet", True)
            label.setFixedWidth(48)
            field = NumberField(_number(p, name, unit, soft), 0.0)
            field.changed.connect(partial(self._set_key, name))
            field.told.connect(self.state.said)
            row.addWidget(label)
            row.addWidget(field, 1)
            column.addLayout(row)
            self._by_number[name] = field

    def _set_key(self, name: str, v: float, token: object) -> None:
        keys, i = self.keys(), self.plot.chosen
        if keys is None or i is None or i >= len(keys.keys):
            return
        key = keys.keys[i]
        if name == "slope":
            self.put_slope(i, v, token)
        else:
            t, value = (v, key.v) if name == "time" else (key.t, self.clamp(v))
            self.put(moved_key(keys, i, t, value), token)
        self.show_key()

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
        """Mirror the chosen key: its ease and its numbers."""
        keys, i = self.keys(), self.plot.chosen
        if keys is None or not hasattr(self, "_ease"):
            return
        key = keys.keys[i] if i is not None and i < len(keys.keys) else None
        self._ease.setEnabled(key is not None)
        for name, field in self._by_number.items():
            field.setEnabled(key is not None and (name != "slope" or self.plot._tangent()))
        if key is not None and i is not None:
            self._ease.setCurrentText(key.ease)
            for name, value in (("time", key.t), ("value", key.v), ("slope", keys.slope_at(i))):
                self._by_number[name].show_value(value)


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
