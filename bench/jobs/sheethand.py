"""A hand on the sheet: it finds rows, types values, chooses, draws ramps and gives courses."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QColorDialog, QComboBox, QLineEdit, QToolButton, QWidget

from bench.jobs.barehand import LEFT, NONE, BareHand
from tenka.app.sheet.fields import NumberField
from tenka.app.sheet.ramps import RampField, qt_colour
from tenka.app.sheet.row import Row
from tenka.effect.courses import Keys
from tenka.effect.placed import Stop

AXES = "xyz"


class SheetHand(BareHand):
    """Works the rows of what is selected."""

    # --- the sheet ----------------------------------------------------------------------------

    def row(self, name: str) -> Row:
        """The row of a setting on the present sheet, by the end of its path."""
        rows = self.window.sheet.rows
        exact = [r for r in rows if r.path == f"{self.state.selection}.{name}"]
        found = exact or [r for r in rows if r.path.endswith(f".{name}") or r.path == name]
        assert len(found) == 1, f"{name}: {[r.path for r in found] or [r.path for r in rows]}"
        return found[0]

    def type(self, name: str, text: str | float, part: int | None = None) -> None:
        """Click a number and type another."""
        with self.says(self._told(name, text, part)):
            field: Any = self.row(name).field
            field = field if part is None else field.fields[part]
            self._type(field, str(text))

    def _told(self, name: str, text: object, part: int | None = None) -> str:
        """A setting and what is typed there, with its unit."""
        p, number = self.row(name).p, f"{text:g}" if isinstance(text, float) else str(text)
        axis = "" if part is None else f" {AXES[part]}"
        unit = f" {p.unit}" if p.unit and not number[-1].isalpha() else ""
        return f"**{p.label}**{axis} {number}{unit}"

    def _type(self, field: QWidget, text: str) -> None:
        with self.says(f"**{field.accessibleName()}** {text}"):
            self.show(field)
            assert field.isVisible() and field.isEnabled(), f"{field.accessibleName()} cannot be typed into"
            self.count += 1
            if isinstance(field, NumberField):
                QTest.mouseClick(field, LEFT)
                edit = field._edit
                assert edit is not None, f"{field.accessibleName()} follows a course"
                edit.selectAll()
                QTest.keyClicks(edit, text)
                QTest.keyClick(edit, Qt.Key.Key_Return)
            else:
                assert isinstance(field, QLineEdit)
                field.setFocus()
                field.selectAll()
                QTest.keyClicks(field, text)
                QTest.keyClick(field, Qt.Key.Key_Return)
            self.spin()

    def vector(self, name: str, *values: float) -> None:
        with self.says(self._told(name, ", ".join(f"{v:g}" for v in values))):
            for part, value in enumerate(values):
                if abs(self.row(name).value[part] - value) > 1e-9:
                    self.type(name, f"{value:g}", part)

    def choose(self, name: str, text: str) -> None:
        """Choose from the list of a setting."""
        with self.says(f"**{self.row(name).p.label}** *{text}*"):
            box = self.row(name).field
            assert isinstance(box, QComboBox)
            self.choose_from(box, text)

    def tick(self, name: str) -> None:
        with self.says(f"tick **{self.row(name).p.label}**"):
            field = self.row(name).field
            self.click(field, QPoint(10, field.height() // 2))

    def wall(self, name: str, part: int) -> None:
        with self.says(f"**{self.row(name).p.label}**, the {AXES[part]} one"):
            field: Any = self.row(name).field
            self.click(field.buttons[part])

    def menu(self, name: str, *entries: str) -> None:
        """A right click on a setting's row, and an entry of its menu."""
        with self.says(
            f"a right click on **{self.row(name).p.label}**, " + ", ".join(f"*{e}*" for e in entries)
        ):
            row = self.row(name)
            self.show(row)
            menu = row.menu()
            self.count += 2
            for text in entries:
                action = next((a for a in menu.actions() if a.text().startswith(text)), None)
                assert action is not None and action.isEnabled(), [a.text() for a in menu.actions()]
                inner = action.menu()
                if inner is None:
                    action.trigger()
                else:
                    menu = inner
                    self.count += 1
            self.spin()

    def course(self, name: str, kind: str) -> None:
        """The wave mark beside a value, and a kind of course."""
        with self.says(f"the wave beside **{self.row(name).p.label}**, *{kind.capitalize()}*"):
            wave = self.row(name).wave
            assert wave is not None
            self.pick(wave, kind.capitalize())

    def in_drawer(self, name: str, text: str | float) -> None:
        """Type one of the numbers that a course is made of."""
        with self.says(f"in the drawer **{name}** {text}"):
            drawer = self.window.drawer
            field = next(f for f, place in drawer._fields if place and place[-1] == name)
            self._type(field, str(text))

    def keyed(self, name: str, *keys: tuple[float, float]) -> None:
        """A course of keys: the head is put to each moment (s), and the value is typed there."""
        with self.says(
            f"**{self.row(name).p.label}** by keys: " + ", ".join(f"{v:g} at {t:.2g} s" for t, v in keys)
        ):
            first = not isinstance(self.row(name).value, Keys)
            for seconds, value in keys:
                self.at(min(self.effect.frames - 1, round(seconds * self.effect.rate)))
                if first:
                    self.type(name, f"{value:g}")
                    self.course(name, "keys")
                    first = False
                else:
                    self.type(name, f"{value:g}")

    def shape(self, name: str, *stops: tuple[float, float]) -> None:
        """Draw a ramp of numbers: stops between its ends are taken away, others added by double clicks, and
        all dragged to where they are wanted."""
        with self.says(
            f"**{self.row(name).p.label}** drawn: " + ", ".join(f"{v:g} at {a:g}" for a, v in stops)
        ):
            field = self.row(name).field
            assert isinstance(field, RampField)
            self.show(field)
            for index in range(len(field.value.stops) - 2, 0, -1):
                self.click(field, field._point(field.value.stops[index]).toPoint())
                self.keys(Qt.Key.Key_Delete)
            for index, (at, value) in ((0, stops[0]), (-1, stops[-1])):
                have = field.value.stops[index]
                if have.value != value:
                    self.drag(
                        field, field._point(have).toPoint(), field._point(Stop(at=at, value=value)).toPoint()
                    )
            for index, (at, value) in enumerate(stops[1:-1], start=1):
                area = field._area()
                self.count += 1
                place = QPointF(area.left() + area.width() * at, area.center().y()).toPoint()
                QTest.mouseDClick(field, LEFT, NONE, place)
                self.spin()
                have = field.value.stops[index]
                self.drag(
                    field, field._point(have).toPoint(), field._point(Stop(at=at, value=value)).toPoint()
                )
            found = [(s.at, s.value) for s in self.row(name).value.stops]
            assert len(found) == len(stops), found

    def colour(self, name: str, *rgb: float) -> None:
        """Click a colour, and choose another in the system's dialog."""
        chosen = patch.object(QColorDialog, "getColor", lambda *_, **__: qt_colour((rgb[0], rgb[1], rgb[2])))
        with self.says(f"another **{self.row(name).p.label}**"), chosen:
            self.count += 1
            self.click(self.row(name).field)

    def colours(self, name: str, *stops: tuple[float, tuple[float, float, float]]) -> None:
        """Give a ramp of colours other ones: a double click on each stop, and a colour in the dialog."""
        with self.says(f"other colours in **{self.row(name).p.label}**"):
            field = self.row(name).field
            assert isinstance(field, RampField)
            self.show(field)
            for index in range(len(field.value.stops) - 2, 0, -1):
                self.click(field, field._point(field.value.stops[index]).toPoint())
                self.keys(Qt.Key.Key_Delete)
            area = field._area()
            for at, _ in stops[1:-1]:
                self.count += 1
                place = QPointF(area.left() + area.width() * at, area.center().y()).toPoint()
                with patch.object(QColorDialog, "getColor", lambda *_, **__: QColor()):
                    QTest.mouseDClick(field, LEFT, NONE, place)
                self.spin()
            for index, (_, rgb) in enumerate(stops):
                self.count += 2
                with patch.object(QColorDialog, "getColor", lambda *_, rgb=rgb, **__: qt_colour(rgb)):
                    QTest.mouseDClick(field, LEFT, NONE, field._point(field.value.stops[index]).toPoint())
                self.spin()

    def draw(self, name: str, places: Iterable[tuple[float, float, float]]) -> None:
        """Draw a path or a curve on the stage: its button, a click for each point, Enter."""
        with self.says(f"**{self.row(name).p.label}** drawn on the stage by clicks, then Enter"):
            button = next(b for b in self.row(name).findChildren(QToolButton) if "stage" in b.toolTip())
            self.click(button)
            stage = self.window.stage
            for place in places:
                x, y, _ = stage.view().project(np.array([place]))[0]
                self.count += 1
                QTest.mouseClick(stage, LEFT, pos=QPoint(round(x), round(y)))
                self.spin()
            self.count += 1
            QTest.keyClick(stage, Qt.Key.Key_Return)
            self.spin()

    def foot(self, text: str) -> None:
        """A button under or above the rows of the sheet."""
        with self.says(f"press *{text}*"):
            self.button(text, self.window.sheet)

    def button(self, text: str, within: QWidget | None = None) -> None:
        """A button by its words."""
        with self.says(f"press *{text}*"):
            self.spin(0.02)
            assert self.window.sheet.rows is not None
            found = [
                b
                for b in (within or self.window).findChildren(QAbstractButton)
                if text in (b.text(), b.accessibleName()) and b.isVisible()
            ]
            assert found, f"there is no button {text}"
            self.click(found[0])
