"""One setting as a row: label, field, wave mark, and its menu."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QContextMenuEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from tenka.app import theme
from tenka.app.sheet.fields import CheckField, ChoiceField, NumberField
from tenka.app.sheet.groups import VectorField, WallsField
from tenka.app.sheet.nodes import clips_of
from tenka.app.sheet.ownvalue import add_own
from tenka.app.sheet.partfield import part_menu
from tenka.app.sheet.ramps import ColourField, RampField
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.budget.devices import devices
from tenka.effect.additions import LINKED, nameable, reshaped
from tenka.effect.catalogue import Param
from tenka.effect.courses import Course, Keys, course_from, value_at, with_key
from tenka.effect.delivered import can_differ, has_own
from tenka.effect.document import dismissed, get, promoted
from tenka.effect.model import Feed, Ramp
from tenka.gas.held import HAVE_A_FORM

LABEL_WIDTH = 126


EASES = ("straight", "eased", "held", "through")


MOVES = ("constant", "keys", "wave", "noise", "sum", "product", "absolute", "clamp")


FILES = {
    "file": ("Choose a mesh", "Meshes (*.glb *.obj *.ply *.stl)"),
    "image": ("Choose an image", "Images (*.png *.jpg *.jpeg *.tif *.tiff)"),
    "points_file": ("Choose points", "Points (*.ply *.csv *.npz)"),
}


def _as_text(value: Any) -> str:
    """A text setting as it is edited: a curve's points are `x y z; x y z`."""
    return (
        "; ".join(" ".join(f"{n:g}" for n in point) for point in value)
        if isinstance(value, tuple)
        else str(value)
    )


NAMED = ("layer", "gas", "water", "pieces", "book")
CHOSEN = (*NAMED, "choice", "device", "prop", "parent", "clip", "cue", "source")


class Row(QWidget):
    """One setting: label, field, wave mark."""

    copied = pyqtSignal(str)
    pasted = pyqtSignal(str)

    def __init__(self, state: State, path: str, p: Param) -> None:
        super().__init__()
        self.state, self.path, self.p = state, path, p
        self.value_path = path  # what is copied from here and pasted here
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 1, 8, 1)
        line.setSpacing(6)
        label = QLabel(p.label)
        label.setFixedWidth(LABEL_WIDTH)
        label.setWordWrap(False)
        tip = p.help + (f" [{p.unit}]" if p.unit else "")
        self.setToolTip(tip)
        line.addWidget(label)
        self._label = label
        self.field = self._make(self.value)
        self.field.setToolTip(tip)
        self.setFixedHeight(theme.ROW if p.kind != "ramp" else 60)
        line.addWidget(self.field, 1)
        self.wave: QToolButton | None = None
        self._shown: object = None
        if p.course:
            self.wave = QToolButton()
            self.wave.setFixedSize(24, 24)
            self.wave.setAccessibleName(f"Course of {p.label}")
            self.wave.clicked.connect(self._wave)
            line.addWidget(self.wave)
        elif (beside := self._beside()) is not None:
            line.addWidget(beside)
        else:
            line.addSpacing(30)
        self.refresh()

    def _beside(self) -> QToolButton | None:
        """What helps with a value that is long to type: points are drawn on the stage, parts are chosen."""
        if self.p.kind == "points":
            icon, tip, call = "spline", "Draw it on the stage, by clicks", self._trace
        elif self.p.kind == "part":
            icon, tip, call = "list-filter", "Choose from the parts that the prop has", self._choose_parts
        else:
            return None
        button = QToolButton()
        button.setIcon(theme.icon(icon))
        button.setFixedSize(24, 24)
        button.setToolTip(tip)
        button.setAccessibleName(f"{tip}: {self.p.label}")
        button.clicked.connect(lambda _=False: call())
        return button

    def _trace(self) -> None:
        self.state.trace_asked.emit(self.path)

    def _choose_parts(self) -> None:
        self.parts = part_menu(self.state, self.path, self)
        self.parts.popup(self.mapToGlobal(self.rect().bottomRight()))

    @property
    def value(self) -> Any:
        return self.state.value(self.path)

    @property
    def own(self) -> bool:
        """Whether the present tier has a value of its own."""
        return has_own(self.state.effect, self.state.tier, self.path)

    def _make(self, value: Any) -> QWidget:
        p = self.p
        if p.kind in ("number", "whole"):
            field = NumberField(p, value_at(value, self.state.time))
            field.changed.connect(self._number)
            field.told.connect(self.state.said)
            return field
        if p.kind == "vector":
            vector = VectorField(p, value)
            vector.changed.connect(self._set)
            for part in vector.fields:
                part.told.connect(self.state.said)
            return vector
        if p.kind == "walls":
            names = ("x", "y", "floor" if p.name.endswith("low") else "ceiling")
            walls = WallsField(p, value, names)
            walls.changed.connect(self._set)
            return walls
        if p.kind == "ramp":
            ramp = RampField(p, value)
            ramp.changed.connect(self._set)
            return ramp
        if p.kind == "colour":
            colour = ColourField(p, value)
            colour.changed.connect(self._set)
            return colour
        if p.kind == "toggle":
            box = CheckField()
            box.setAccessibleName(p.label)
            box.clicked.connect(lambda on: self._set(bool(on), object()))
            return box
        if p.kind in CHOSEN:
            choice = ChoiceField(p.label, self._choices())
            choice.activated.connect(lambda: self._set(choice.currentData(), object()))
            return choice
        if p.kind in FILES:
            button = QPushButton("Choose…")
            button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            button.setProperty("field", True)
            button.clicked.connect(self._choose_file)
            return button
        edit = QLineEdit(_as_text(value))
        edit.setCursorPosition(0)
        edit.editingFinished.connect(lambda: self._text(edit))
        return edit

    def _text(self, edit: QLineEdit) -> None:
        if edit.text() == _as_text(self.value):
            return
        if self.p.kind != "points":
            self._set(edit.text(), object())
            return
        try:
            points = tuple(
                tuple(float(n) for n in part.split()) for part in edit.text().split(";") if part.strip()
            )
            if (len(points) < 2 and points != self.p.default) or any(len(p) != 3 for p in points):
                raise ValueError
        except ValueError:
            self.state.refused.emit(
                f"A {self.p.label} is two or more points of three numbers: 0 0 0; 1 0 0.5."
            )
            edit.setText(_as_text(self.value))
            return
        self._set(points, object())

    def _choices(self) -> list[tuple[str, str]]:
        if self.p.kind == "device":
            return [(d.id, d.name) for d in devices().values()]
        if self.p.kind == "prop":
            return [(q.id, q.name) for q in self.state.effect.props]
        if self.p.kind == "parent":
            return [
                ("", "nothing"),
                *((q.id, q.name) for q in self.state.effect.props if self.path != f"props.{q.id}.parent"),
            ]
        if self.p.kind in NAMED:
            return nameable(self.state.effect, self.path, self.p.kind)
        if self.p.kind == "source":
            return [
                ("", "none"),
                *(
                    (f"{layer.id}/{s.id}", f"{s.name} of {layer.name}")
                    for layer in self.state.effect.layers
                    for s in layer.sources
                    if s.shape in HAVE_A_FORM
                ),
            ]
        if self.p.kind == "cue":
            return [("", "the effect's start"), *((c.id, c.name) for c in self.state.effect.cues)]
        if self.p.kind == "clip":
            clips = clips_of(self.state, get(self.state.effect, self.path.rpartition(".")[0]))
            return [("", "none"), *((name, name) for name in clips)]
        return [(c, c) for c in self.p.choices]

    def _choose_file(self) -> None:
        title, kinds = FILES[self.p.kind]
        name, _ = QFileDialog.getOpenFileName(self, title, str(self.state.folder or ""), kinds)
        if name:
            self._set(name, object())

    def _set(self, value: object, token: object) -> None:
        owner, before = self.path.rpartition(".")[0], self.state.effect
        label = f"Change {self.p.label}"
        try:
            if self.p.name == "shape" and isinstance(get(before, owner), Feed):
                self.state.edit(owner, reshaped(before, owner, str(value)), label, token)
            elif self.p.name in LINKED:
                self.state.apply(LINKED[self.p.name](before, owner.rpartition(".")[0], str(value)), label)
            else:
                self.state.edit(self.path, value, label, token)
        except TenkaError as error:
            self.state.refuse(error)
        if self.state.effect is before:  # refused: the field shows what still holds
            self.refresh(again=True)

    def _number(self, value: float, token: object) -> None:
        present = self.value
        new: object = int(value) if self.p.kind == "whole" else value
        if isinstance(present, Keys):
            new = with_key(present, self.state.time, value)
        self._set(new, (self.path, token))

    def refresh(self, again: bool = False) -> None:
        """Show the document's present value, when it is another than is shown (or `again`)."""
        try:
            value = self.value
        except TenkaError:
            return
        shown = (value, self.state.frame if isinstance(value, Course) else None, self.own)
        if shown == self._shown and not again:
            return
        self._shown = shown
        if isinstance(self.field, NumberField):
            moving = isinstance(value, Course)
            self.field.locked = moving and not isinstance(value, Keys)
            self.field.show_value(value_at(value, self.state.time))
            self.field.update()
            if self.wave is not None:
                self.wave.setIcon(theme.icon("activity") if moving else theme.icon("activity", theme.QUIET))
                self.wave.setCheckable(True)
                self.wave.setChecked(moving)
                self.wave.setToolTip(
                    "Its course: a click opens it in the drawer" if moving else "Make it move over time"
                )
        elif isinstance(self.field, QCheckBox):
            self.field.setChecked(value)
        elif isinstance(self.field, QComboBox):
            self.field.setCurrentIndex(max(0, self.field.findData(value)))
        elif isinstance(self.field, QPushButton):
            self.field.setText(str(value).rsplit("/", 1)[-1] or "Choose…")
        elif isinstance(self.field, QLineEdit):
            self.field.setText(_as_text(value))
            self.field.setCursorPosition(0)
        else:
            self.field.show_value(value)  # type: ignore[attr-defined]
        changed = value != self.p.default
        hue = theme.SAFFRON if self.own else theme.TEXT if changed else theme.QUIET
        self._label.setStyleSheet(f"color: {hue};")
        self._label.setToolTip(
            f"{self.state.tier.name} has its own value" if self.own and self.state.tier else ""
        )

    def _wave(self) -> None:
        if isinstance(self.value, Course):
            self.refresh(again=True)
            self.state.course_asked.emit(self.path)
        else:
            self.refresh(again=True)
            self._course_menu().popup(self.mapToGlobal(self.rect().bottomRight()))

    def make_course(self, kind: str) -> None:
        """Give the value a course of `kind` that starts at its present value, and open the drawer."""
        value = course_from(kind, self.value, self.state.time, self.p.low, self.p.high)
        self._set(value, object())
        if isinstance(value, Course):
            self.state.course_asked.emit(self.path)

    def _course_menu(self) -> QMenu:
        menu = QMenu(self)
        for kind in MOVES:
            action = QAction(
                kind.capitalize() if kind != "constant" else "Constant (stay as it is now)", menu
            )
            action.triggered.connect(lambda _=False, k=kind: self.make_course(k))
            menu.addAction(action)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        self.menu().popup(event.globalPos())  # not `exec`: an entry may take this very row away

    def menu(self) -> QMenu:
        """What can be done to the setting."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for text, icon, call in (
            ("Copy value\tCtrl+C", "copy", self.copied),
            ("Paste value\tCtrl+V", "clipboard-paste", self.pasted),
        ):
            action = menu.addAction(theme.icon(icon), text)
            assert action is not None
            action.triggered.connect(lambda _=False, c=call: c.emit(self.path))
        menu.addSeparator()
        reset = menu.addAction("Reset to its default")
        assert reset is not None
        reset.setEnabled(self.value != self.p.default)
        reset.triggered.connect(lambda: self._set(self.p.default, object()))
        if self.p.course:
            submenu = self._course_menu()
            submenu.setTitle("Course")
            menu.addMenu(submenu)
        if isinstance(self.value, Ramp):
            between = menu.addMenu("Between its stops")
            assert between is not None
            for ease in EASES:
                action = between.addAction(ease)
                assert action is not None
                action.setCheckable(True)
                action.setChecked(self.value.ease == ease)
                action.triggered.connect(
                    lambda _=False, e=ease: self._set(self.value.model_copy(update={"ease": e}), object())
                )
        if self.state.tier is not None and can_differ(self.state.effect, self.path):
            add_own(menu, self.state, self.path, self.p.label)
        if self.p.affects == "player" and self.p.kind in ("number", "whole"):
            lever = menu.addAction("Give it to the game as a lever")
            assert lever is not None
            lever.setEnabled(all(x.path != self.path for x in self.state.effect.levers))
            lever.triggered.connect(self._promote)
        held = next(
            (
                x
                for x in self.state.effect.levers
                if self.path.endswith(f".levers.{x.id}") or self.path.startswith(f"levers.{x.id}.")
            ),
            None,
        )
        if held is not None:
            drop = menu.addAction(f"Take the lever {held.name} away from the game")
            assert drop is not None
            drop.triggered.connect(
                lambda: self.state.apply(
                    dismissed(self.state.effect, held.id), f"Dismiss the lever {held.name}"
                )
            )
        return menu

    def _promote(self) -> None:
        try:
            self.state.apply(promoted(self.state.effect, self.path), f"Make {self.p.label} a lever")
        except TenkaError as error:
            self.state.refuse(error)
