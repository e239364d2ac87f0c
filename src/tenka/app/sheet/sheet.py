"""The sheet: rows of the selection from the catalogue, in sections, each with its cost gutter; findings at
its foot."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.kinds import view_of_kind
from tenka.app.scroll import show_instead
from tenka.app.sheet.boxfoot import BoxFoot
from tenka.app.sheet.findings import Findings
from tenka.app.sheet.gutter import Gutter
from tenka.app.sheet.heapfoot import HeapFoot
from tenka.app.sheet.meshfoot import MeshFoot
from tenka.app.sheet.nodes import lever_rows, nodes_for, rows_of
from tenka.app.sheet.propfoot import PropFoot
from tenka.app.sheet.row import Row
from tenka.app.sheet.trialfoot import TrialFoot
from tenka.app.state import WHOLE, State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import TenkaError
from tenka.effect.catalogue import SECTIONS, Param
from tenka.effect.document import get
from tenka.effect.model import DomainBox, Prop, Trial

"""What the sheet shows of a layer of each kind; '' is the layer itself."""


class Header(QWidget):
    """The head of a section, ruled off from what stands above it."""

    def paintEvent(self, a0: QPaintEvent | None) -> None:
        """A rule along the top."""
        painter = QPainter(self)
        painter.setPen(theme.colour(theme.RULE))
        painter.drawLine(12, 0, self.width() - 8, 0)


class Sheet(QWidget):
    """The settings of what is selected, at one station."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state, self.station = state, "shape"
        self.rows: list[Row] = []
        self.point_foot: Any = None  # what stands above the rows of a layer
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
            shape.append(
                (path, type(node), tuple(n for n, _ in rows_of(self.state, node)), getattr(node, "file", ""))
            )
        levers = tuple((x.id, x.low, x.high) for x in self.state.effect.levers)
        return (
            self.station,
            tuple(shape),
            tuple(
                (p.id, p.name)
                for p in (*self.state.effect.props, *self.state.effect.layers, *self.state.effect.cues)
            ),
            levers,
            self.state.tier_id,
        )

    def _title(self) -> str:
        if self.station != "shape":
            names = {
                "look": "Look and light",
                "pack": "Flipbook",
                "budget": "Tier",
                "proof": "How the game plays it",
            }
            return names[self.station] + (
                f" · {self.state.tier.name}" if self.station == "budget" and self.state.tier else ""
            )
        if self.state.selection == WHOLE:
            return self.state.effect.name
        try:
            return getattr(get(self.state.effect, self.state.selection), "name", "Light")
        except TenkaError:
            return ""

    def rebuild(self) -> None:
        """Make the rows anew for what is selected now; the keyboard stays in the row that it was in."""
        focus = self._focused()
        self._made = self._shape()
        self.title.setText(self._title())
        body = QWidget()
        body.setObjectName("bench")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 12)
        column.setSpacing(0)
        self.rows = []
        layer = self.state.layer
        foot = view_of_kind(layer).foot if layer is not None else None
        self.point_foot = None
        if self.station == "shape" and foot and layer and self.state.selection == f"layers.{layer.id}":
            self.point_foot = foot(self.state, layer)
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
            if section == "Where" and isinstance(prop, Prop):
                column.addWidget(PropFoot(self.state, prop.id))
            if section == "Copies" and isinstance(prop, Prop):
                column.addWidget(HeapFoot(self.state, prop.id))
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
            empty = Wrapped(
                "Nothing is selected.\nClick a row of the tempo, or take a starting point from the tray."
            )
            empty.setProperty("quiet", True)
            empty.setContentsMargins(12, 8, 12, 8)
            column.addWidget(empty)
        column.addStretch(1)
        show_instead(self.area, body)
        if focus[0]:
            self._focus(*focus)

    def _focused(self) -> tuple[str, int]:
        """Path of the row that has the keyboard, and which of its fields."""
        here = QApplication.focusWidget()
        for row in self.rows:
            if here is not None and row.isAncestorOf(here):
                fields = row.findChildren(QWidget)
                return row.path, fields.index(here) if here in fields else 0
        return "", 0

    def _focus(self, path: str, field: int) -> None:
        """Give the keyboard back to the row of a setting that is still there."""
        row = self.row(path)
        if row is not None:
            fields = row.findChildren(QWidget)
            target = fields[field] if field < len(fields) else row.field
            target.setFocus(Qt.FocusReason.OtherFocusReason)

    def _header(self, section: str, costs: set[str]) -> QWidget:
        head = Header()
        head.setFixedHeight(34)
        line = QHBoxLayout(head)
        line.setContentsMargins(12, 2, 8, 2)
        label = QLabel(section)
        label.setFont(theme.font(theme.BODY, QFont.Weight.DemiBold))
        line.addWidget(label)
        line.addStretch(1)
        if costs:
            line.addWidget(Gutter(self.state, section, costs))
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
