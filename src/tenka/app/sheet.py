"""The sheet: rows of the selection from the catalogue, in sections, each with its cost gutter; findings at its foot."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from pydantic import BaseModel
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QAction, QContextMenuEvent, QFont, QIcon, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from tenka.app import theme
from tenka.app.meshfoot import MeshFoot
from tenka.app.pointfoot import PointFoot
from tenka.app.state import WHOLE, State
from tenka.app.trialfoot import TrialFoot
from tenka.app.widgets import ColourField, NumberField, RampField, VectorField, WallsField
from tenka.base.errors import TenkaError
from tenka.budget.devices import devices
from tenka.effect.additions import reshaped
from tenka.effect.catalogue import SECTIONS, Param, params
from tenka.effect.courses import Course, Keys, course_from, value_at, with_key
from tenka.effect.document import dismissed, get, param_at, promoted
from tenka.effect.model import DebrisLayer, DomainBox, Feed, GasLayer, PointLayer, PointLook, Prop, Ramp, Trial
from tenka.effect.starters import fitted
from tenka.gas.grid import Grid
from tenka.run.driver import predicted_seconds
from tenka.scene.files import read
from tenka.scene.props import mesh_file

LABEL_WIDTH = 92
NOT_OF_PIECES = ("mesh", "turned", "spin", "spin_slower", "spin_fade")  # looks that pieces have by themselves
PARTS = {
    "gas": ("domain", "fire", "motion", "fading", "quality"),
    "particles": ("motion", "ends", "bed", "look", ""),
    "debris": ("pieces", "motion", "bodies", "ends", "look", ""),
}
"""What the sheet shows of a layer of each kind; '' is the layer itself."""
COUNT = Param("count", "voxels", "whole", 64, "", "Voxels along the longest side: the voxel's edge follows.", "Where", 4.0, 2048.0, (16.0, 200.0), 1.0, False,
              "simulation", "", (), ())  # fmt: skip
EASES = ("straight", "eased", "held", "through")
MOVES = ("constant", "keys", "wave", "noise", "sum", "product", "absolute", "clamp")

FILES = {
    "file": ("Choose a mesh", "Meshes (*.glb *.obj *.ply *.stl)"),
    "image": ("Choose an image", "Images (*.png *.jpg *.jpeg *.tif *.tiff)"),
    "points_file": ("Choose points", "Points (*.ply *.csv *.npz)"),
}

Nodes = list[tuple[str, BaseModel]]


def _as_text(value: Any) -> str:
    """A text setting as it is edited: a curve's points are `x y z; x y z`."""
    return "; ".join(" ".join(f"{n:g}" for n in point) for point in value) if isinstance(value, tuple) else str(value)


def clips_of(state: State, prop: Prop) -> list[str]:
    """Names of the animations that a prop's mesh file holds."""
    try:
        rig = read(mesh_file(prop, state.folder)).rig if prop.shape == "mesh" and prop.file else None
    except TenkaError:
        return []
    return [c.name for c in rig.clips] if rig is not None else []


def rows_of(state: State, node: BaseModel) -> list[tuple[str, Param]]:
    """Names and declarations of the settings of `node` that do something now."""
    found = [(n, p) for n, p in params(type(node)).items() if p.shown_when(node)]
    if isinstance(node, PointLook) and isinstance(state.layer, DebrisLayer):
        found = [(n, p) for n, p in found if n not in NOT_OF_PIECES]
    if isinstance(node, Prop) and not clips_of(state, node):
        found = [(n, p) for n, p in found if not n.startswith("clip")]
    return found


def nodes_for(state: State, station: str) -> Nodes:
    """Which settings the sheet shows at a station, as (path, node)."""
    effect, layer, gas = state.effect, state.layer, state.gas
    if station == "budget":
        return [(f"tiers.{state.tier.id}", state.tier)] if state.tier else []
    if gas is not None and station in ("pack", "proof"):
        book = f"layers.{gas.id}.flipbook"
        return (
            [(book, gas.flipbook), (f"{book}.player", gas.flipbook.player)]
            if station == "pack"
            else [(f"{book}.player", gas.flipbook.player)]
        )
    if station == "look":
        return [*([(f"layers.{layer.id}.look", layer.look)] if layer else []), ("light", effect.light)]
    if state.selection == WHOLE:
        return [("", effect)]
    try:
        node = get(effect, state.selection)
    except TenkaError:
        return []
    if layer is not None and state.selection == f"layers.{layer.id}":
        parts = PARTS[layer.kind]
        return [(f"{state.selection}.{part}" if part else state.selection, getattr(node, part) if part else node) for part in parts]
    return [(state.selection, node)] if isinstance(node, BaseModel) and state.selection else []


def lever_rows(state: State) -> list[tuple[str, Param]]:
    """For each lever its value in the chosen tier, and the range that the game may move it in."""
    found = []
    assert state.tier is not None
    for lever in state.effect.levers:
        own = param_at(state.effect, lever.path)
        value = replace(
            own,
            label=lever.name,
            kind="number",
            low=lever.low,
            high=lever.high,
            soft=(lever.low, lever.high),
            help=f"{lever.name} in this tier.",
        )
        if lever.id in state.tier.levers:
            found.append((f"tiers.{state.tier.id}.levers.{lever.id}", value))
        for end, word in (("low", "at least"), ("high", "at most")):
            limit = replace(
                own,
                name=end,
                label=word,
                kind="number",
                default=getattr(lever, end),
                help=f"The game moves {lever.name} no further than this.",
            )
            found.append((f"levers.{lever.id}.{end}", limit))
    return found


class Gutter(QWidget):
    """Two thin bars with figures: this section's share of the simulation step, and of the tier's frame."""

    def __init__(self, state: State, section: str, costs: set[str]) -> None:
        super().__init__()
        self.state, self.section, self.costs = state, section, costs
        self.setFixedSize(118, 30)
        self.setToolTip(
            "Upper: measured share of a simulation step.\nLower: modelled share of the tier's budget; empty where the game never pays."
        )
        state.news.connect(self.update)
        state.costed.connect(self.update)

    def figures(self) -> tuple[tuple[float, str] | None, tuple[float, str] | None]:
        """(share, figure) of the step and of the frame."""
        parts = self.state.status.of(self.state.layer.id if self.state.layer else None).step_parts
        total = sum(parts.values())
        step = None
        if total > 0:
            ms = total if self.section == "Quality" and "step" in self.costs else sum(parts.get(c, 0.0) for c in self._parts())
            if ms > 0:
                step = (ms / total, f"{ms:.1f} ms")
        book = self.state.ledger
        frame = None
        if book is not None and self.costs & {"fill", "arithmetic"}:
            frame = (book.ms / book.tier.ms, f"{book.ms:.3f} ms")
        elif book is not None and "memory" in self.costs:
            frame = (book.mb / book.tier.mb, f"{book.mb:.1f} MB")
        return step, frame

    def _parts(self) -> set[str]:
        return (self.costs - {"step"}) | ({"velocity", "pressure"} if "step" in self.costs else set())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(theme.font(theme.SMALL))
        for row, (found, token) in enumerate(zip(self.figures(), (theme.QUIET, None))):
            if found is None:
                continue
            share, text = found
            y = 8 + row * 14
            theme.draw_share(painter, QRectF(0, y - 1, 54, 3), share, token)
            painter.setPen(theme.colour(theme.QUIET if row == 0 else theme.TEXT))
            painter.drawText(QRectF(58, y - 7, self.width() - 60, 14), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)


class Row(QWidget):
    """One setting: label, field, wave mark."""

    def __init__(self, state: State, path: str, p: Param) -> None:
        super().__init__()
        self.state, self.path, self.p = state, path, p
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 2, 8, 2)
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
            self.wave.setFixedSize(20, 20)
            self.wave.setAccessibleName(f"Course of {p.label}")
            self.wave.clicked.connect(self._wave)
            line.addWidget(self.wave)
        else:
            line.addSpacing(26)
        self.refresh()

    @property
    def value(self) -> Any:
        return get(self.state.effect, self.path)

    def _make(self, value: Any) -> QWidget:
        p = self.p
        if p.kind in ("number", "whole"):
            field = NumberField(p, value_at(value, self.state.time))
            field.changed.connect(self._number)
            return field
        if p.kind == "vector":
            vector = VectorField(p, value)
            vector.changed.connect(self._set)
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
            box = QCheckBox()
            box.setAccessibleName(p.label)
            box.clicked.connect(lambda on: self._set(bool(on), object()))
            return box
        if p.kind in ("choice", "device", "prop", "parent", "clip", "layer", "gas", "cue"):
            choice = QComboBox()
            choice.setAccessibleName(p.label)
            for id, name in self._choices():
                choice.addItem(name, id)
            choice.activated.connect(lambda: self._set(choice.currentData(), object()))
            return choice
        if p.kind in FILES:
            button = QPushButton("Choose…")
            button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
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
            points = tuple(tuple(float(n) for n in part.split()) for part in edit.text().split(";") if part.strip())
            if (len(points) < 2 and points != self.p.default) or any(len(p) != 3 for p in points):
                raise ValueError
        except ValueError:
            self.state.said.emit(f"A {self.p.label} is two or more points of three numbers: 0 0 0; 1 0 0.5.")
            edit.setText(_as_text(self.value))
            return
        self._set(points, object())

    def _choices(self) -> list[tuple[str, str]]:
        if self.p.kind == "device":
            return [(d.id, d.name) for d in devices().values()]
        if self.p.kind == "prop":
            return [(q.id, q.name) for q in self.state.effect.props]
        if self.p.kind == "parent":
            return [("", "nothing"), *((q.id, q.name) for q in self.state.effect.props if self.path != f"props.{q.id}.parent")]
        if self.p.kind in ("layer", "gas"):
            return self._layers()
        if self.p.kind == "cue":
            return [("", "the effect's start"), *((c.id, c.name) for c in self.state.effect.cues)]
        if self.p.kind == "clip":
            return [("", "none"), *((name, name) for name in clips_of(self.state, get(self.state.effect, self.path.rpartition(".")[0])))]
        return [(c, c) for c in self.p.choices]

    def _layers(self) -> list[tuple[str, str]]:
        """Layers that can be named here: gases, or for a source at particles those."""
        owner = get(self.state.effect, self.path.rpartition(".")[0])
        own = self.path.split(".")[1]
        gas = self.p.kind == "gas" or getattr(owner, "shape", "") == "gas"
        found = [(x.id, x.name) for x in self.state.effect.layers if (x.kind == "gas") == gas and x.id != own]
        return [("", "none"), *found]

    def _choose_file(self) -> None:
        title, kinds = FILES[self.p.kind]
        name, _ = QFileDialog.getOpenFileName(self, title, str(self.state.folder or ""), kinds)
        if name:
            self._set(name, object())

    def _set(self, value: object, token: object) -> None:
        owner, before = self.path.rpartition(".")[0], self.state.effect
        if self.p.name == "shape" and isinstance(get(before, owner), Feed):
            try:
                self.state.edit(owner, reshaped(before, owner, str(value)), f"Change {self.p.label}", token)
            except TenkaError as error:
                self.state.said.emit(str(error))
        else:
            self.state.edit(self.path, value, f"Change {self.p.label}", token)
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
        shown = (value, self.state.frame if isinstance(value, Course) else None)
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
                self.wave.setToolTip("Its course: a click opens it in the drawer" if moving else "Make it move over time")
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
        self._label.setStyleSheet(f"color: {theme.TEXT if changed else theme.QUIET};")

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
            action = QAction(kind.capitalize() if kind != "constant" else "Constant (stay as it is now)", menu)
            action.triggered.connect(lambda _=False, k=kind: self.make_course(k))
            menu.addAction(action)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        menu = QMenu(self)
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
                action.triggered.connect(lambda _=False, e=ease: self._set(self.value.model_copy(update={"ease": e}), object()))
        if self.p.affects == "player" and self.p.kind in ("number", "whole"):
            lever = menu.addAction("Give it to the game as a lever")
            assert lever is not None
            lever.setEnabled(all(x.path != self.path for x in self.state.effect.levers))
            lever.triggered.connect(self._promote)
        held = next(
            (x for x in self.state.effect.levers if self.path.endswith(f".levers.{x.id}") or self.path.startswith(f"levers.{x.id}.")), None
        )
        if held is not None:
            drop = menu.addAction(f"Take the lever {held.name} away from the game")
            assert drop is not None
            drop.triggered.connect(lambda: self.state.apply(dismissed(self.state.effect, held.id), f"Dismiss the lever {held.name}"))
        menu.exec(event.globalPos())

    def _promote(self) -> None:
        try:
            self.state.apply(promoted(self.state.effect, self.path), f"Make {self.p.label} a lever")
        except TenkaError as error:
            self.state.said.emit(str(error))


class BoxFoot(QWidget):
    """Under a domain's rows: its voxels along the longest side (editable), what it takes, and fitting it to the sources."""

    def __init__(self, state: State, layer: GasLayer) -> None:
        super().__init__()
        self.state, self.id = state, layer.id
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 2, 8, 4)
        column.setSpacing(4)
        line = QHBoxLayout()
        line.setSpacing(6)
        label = QLabel("voxels")
        label.setProperty("quiet", True)
        label.setFixedWidth(LABEL_WIDTH)
        line.addWidget(label)
        self.count = NumberField(COUNT, 64.0)
        self.count.setToolTip(COUNT.help)
        self.count.setFixedHeight(theme.ROW - 4)
        self.count.changed.connect(self._set_count)
        line.addWidget(self.count, 1)
        fit = QPushButton("Fit to sources")
        fit.setToolTip("Sets the box round the sources, with room to rise")
        fit.clicked.connect(self._fit)
        line.addWidget(fit)
        column.addLayout(line)
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        state.news.connect(self.refresh)
        self.refresh()

    def _layer(self) -> GasLayer | None:
        return next((layer for layer in self.state.effect.gases if layer.id == self.id), None)

    def refresh(self, _: str = "") -> None:
        layer = self._layer()
        if layer is None:
            return
        grid = Grid.of(layer.domain)
        self.count.show_value(float(max(grid.shape)))
        pace = self.state.status.pace.get(self.id)
        seconds = predicted_seconds(layer, self.state.effect.frames, self.state.effect.rate, *(pace or ({}, None)))
        x, y, z = grid.shape
        need = grid.predicted_bytes()
        memory = f"{need / 1e9:.1f} GB" if need > 9e8 else f"{need / 1e6:.0f} MB"
        span = f"{seconds:.0f} s" if seconds < 100 else f"{seconds / 60:.0f} min"
        self.told.setText(f"{x} × {y} × {z} = {grid.voxels / 1e3:,.0f} thousand voxels; about {memory}, and {span} for all frames")

    def _set_count(self, value: float, token: object) -> None:
        layer = self._layer()
        if layer is not None:
            voxel = max(layer.domain.size) / max(4.0, value)
            self.state.edit(f"layers.{self.id}.domain.voxel", voxel, "Change the voxel count", ("count", token))

    def _fit(self) -> None:
        self.state.apply(fitted(self.state.effect, self.id), "Fit the box to the sources")


class Sheet(QWidget):
    """The settings of what is selected, at one station."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state, self.station = state, "shape"
        self.rows: list[Row] = []
        self.point_foot: PointFoot | None = None
        self._made: object = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.title = QLabel()
        self.title.setProperty("title", True)
        self.title.setContentsMargins(12, 10, 8, 6)
        column.addWidget(self.title)
        self.area = QScrollArea()
        self.area.setObjectName("bench")
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.area, 1)
        self.findings = Findings(state)
        column.addWidget(self.findings)
        state.changed.connect(self._on_change)
        state.selected.connect(lambda _: self.rebuild())
        state.moved.connect(lambda _: self._refresh_moving())
        state.tier_chosen.connect(self.rebuild)

    def show_station(self, station: str) -> None:
        self.station = station
        self.rebuild()

    def _shape(self) -> object:
        """What decides which rows there are; while it is the same, rows are only refreshed."""
        shape = []
        for path, node in nodes_for(self.state, self.station):
            shape.append((path, type(node), tuple(n for n, _ in rows_of(self.state, node)), getattr(node, "file", "")))
        levers = tuple((x.id, x.low, x.high) for x in self.state.effect.levers)
        return (
            self.station,
            tuple(shape),
            tuple((p.id, p.name) for p in (*self.state.effect.props, *self.state.effect.layers, *self.state.effect.cues)),
            levers,
            self.state.tier_id,
        )

    def _title(self) -> str:
        if self.station != "shape":
            names = {"look": "Look and light", "pack": "Flipbook", "budget": "Tier", "proof": "How the game plays it"}
            return names[self.station] + (f" · {self.state.tier.name}" if self.station == "budget" and self.state.tier else "")
        if self.state.selection == WHOLE:
            return self.state.effect.name
        try:
            return getattr(get(self.state.effect, self.state.selection), "name", "Light")
        except TenkaError:
            return ""

    def rebuild(self) -> None:
        self._made = self._shape()
        self.title.setText(self._title())
        body = QWidget()
        body.setObjectName("bench")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 12)
        column.setSpacing(0)
        self.rows = []
        layer = self.state.layer
        if self.station == "shape" and isinstance(layer, PointLayer) and self.state.selection == f"layers.{layer.id}":
            self.point_foot = PointFoot(self.state, layer)
            column.addWidget(self.point_foot)
        grouped: dict[str, list[tuple[str, Param, BaseModel]]] = {}
        for path, node in nodes_for(self.state, self.station):
            for name, p in rows_of(self.state, node):
                grouped.setdefault(p.section, []).append((f"{path}.{name}".lstrip("."), p, node))
        for section in SECTIONS:
            if section not in grouped:
                continue
            items = grouped[section]
            column.addWidget(self._header(section, {p.cost for _, p, _ in items if p.cost}))
            for path, p, _ in items:
                row = Row(self.state, path, p)
                self.rows.append(row)
                column.addWidget(row)
            domain_of = next((node for path, _, node in items if isinstance(node, DomainBox)), None)
            if section == "Where" and domain_of is not None and self.state.gas is not None:
                self.foot = BoxFoot(self.state, self.state.gas)
                column.addWidget(self.foot)
            trial = items[0][2]
            if isinstance(trial, Trial):
                column.addWidget(TrialFoot(self.state, trial.id))
            prop = items[0][2]
            if section == "Mesh" and isinstance(prop, Prop):
                self.mesh_foot = MeshFoot(self.state, prop.id)
                column.addWidget(self.mesh_foot)
        if self.station == "budget" and self.state.tier is not None and self.state.effect.levers:
            column.addWidget(self._header("Levers", set()))
            for path, p in lever_rows(self.state):
                row = Row(self.state, path, p)
                self.rows.append(row)
                column.addWidget(row)
        if not grouped:
            empty = QLabel("Nothing is selected.\nClick a row of the tempo, or take a starting point from the tray.")
            empty.setProperty("quiet", True)
            empty.setWordWrap(True)
            empty.setContentsMargins(12, 8, 12, 8)
            column.addWidget(empty)
        column.addStretch(1)
        self.area.setWidget(body)

    def _header(self, section: str, costs: set[str]) -> QWidget:
        head = QWidget()
        head.setFixedHeight(34)
        line = QHBoxLayout(head)
        line.setContentsMargins(12, 2, 8, 2)
        label = QLabel(section)
        label.setFont(theme.font(theme.BODY, QFont.Weight.DemiBold))
        line.addWidget(label)
        line.addStretch(1)
        if costs:
            line.addWidget(Gutter(self.state, section, costs))
        head.paintEvent = lambda a0: _rule(head)  # type: ignore[method-assign,assignment]
        return head

    def row(self, path: str) -> Row | None:
        """The row of a setting, for tests and for the drawer."""
        return next((r for r in self.rows if r.path == path), None)

    def _on_change(self, _: str) -> None:
        if self._shape() != self._made:
            self.rebuild()
            return
        self.title.setText(self._title())
        for row in self.rows:
            row.refresh()

    def _refresh_moving(self) -> None:
        for row in self.rows:
            if row.p.course:
                row.refresh()


def _rule(widget: QWidget) -> None:
    painter = QPainter(widget)
    painter.setPen(theme.colour(theme.RULE))
    painter.drawLine(12, 0, widget.width() - 8, 0)


class Findings(QWidget):
    """A quiet line; a click opens the list, with a mend beside what has one."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state = state
        self._open = False
        self._shown: object = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(8, 4, 8, 6)
        self._column.setSpacing(3)
        self.line = QToolButton()
        self.line.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.line.clicked.connect(self._toggle)
        self._column.addWidget(self.line)
        self.items: list[QWidget] = []
        for signal in (state.news, state.costed):
            signal.connect(self.refresh)
        state.changed.connect(lambda _: self.refresh())
        self.refresh()

    def _toggle(self) -> None:
        self._open = not self._open
        self._shown = None
        self.refresh()

    def refresh(self) -> None:
        found = self.state.findings()
        key = (self._open, [(f.text, f.mend) for f in found])
        if key == self._shown:
            return
        self._shown = key
        fold = theme.pixmap("chevron-down" if self._open else "chevron-right", theme.QUIET)
        self.line.setIcon(QIcon(theme.pixmap("triangle-alert", theme.SAFFRON)) if found else QIcon(fold))
        self.line.setText(f"{len(found)} finding{'s' if len(found) != 1 else ''}" if found else "No findings")
        self.line.setEnabled(bool(found))
        for item in self.items:
            item.deleteLater()
        self.items = []
        for f in found if self._open else []:
            box = QWidget()
            column = QVBoxLayout(box)
            column.setContentsMargins(4, 2, 4, 4)
            column.setSpacing(3)
            label = QLabel(f.text)
            label.setWordWrap(True)
            label.setProperty("quiet", True)
            column.addWidget(label)
            if f.mended is not None:
                button = QPushButton(f.mend)
                button.clicked.connect(self._mend(f))
                column.addWidget(button)
            self._column.addWidget(box)
            self.items.append(box)

    def _mend(self, f: Any) -> Callable[[], None]:
        return lambda: self.state.apply(f.mended, f.mend)
