"""The sheet: rows of the selection from the catalogue, in sections, each with its cost gutter; findings at
its foot."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QLabel, QLineEdit, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.kinds import view_of_kind
from tenka.app.scroll import holder_of, show_instead, upright_area
from tenka.app.sheet.boxfoot import BoxFoot
from tenka.app.sheet.findings import Findings
from tenka.app.sheet.gutter import Gutter
from tenka.app.sheet.header import Header
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
from tenka.effect.things import group_of

"""What the sheet shows of a layer of each kind; '' is the layer itself."""


@dataclass
class Part:
    """A section as it is shown: its head, its rows, and what stands under them."""

    head: Header
    rows: list[Row] = field(default_factory=list)
    feet: list[QWidget] = field(default_factory=list)


def _show(part: QWidget, on: bool) -> None:
    """Show a part of the sheet or hide it, when that is a change: what is new is shown with the rest."""
    if on == bool(part.property("away")):
        part.setProperty("away", not on)
        part.setVisible(on)


@dataclass
class Made:
    """What the sheet shows of one selection at one station; a few are kept, so that going back to one is
    quick."""

    body: QWidget
    rows: list[Row]
    parts: list[Part]
    point_foot: Any
    feet: dict[str, QWidget]


MOST_KEPT = 1


class Sheet(QWidget):
    """The settings of what is selected, at one station."""

    value_copied = pyqtSignal(str)
    value_pasted = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state, self.station = state, "shape"
        self.rows: list[Row] = []
        self.point_foot: Any = None  # what stands above the rows of a layer
        self._made: Any = None
        self._kept: dict[Any, Made] = {}
        self.feet: dict[str, QWidget] = {}  # by what they are about: box, mesh
        self._parts: list[Part] = []
        self._folded: set[str] = set()
        self._places: dict[tuple[str, str], int] = {}  # where each was scrolled to
        self._of = ("", "")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.title = QLabel()
        self.title.setProperty("title", True)
        self.title.setContentsMargins(12, 10, 8, 6)
        column.addWidget(self.title)
        column.addLayout(self._sieve())
        self.area = upright_area()
        column.addWidget(self.area, 1)
        self.findings = Findings(state)
        column.addWidget(self.findings)
        state.changed.connect(self._on_change)
        state.selected.connect(lambda _: self.rebuild())
        state.moved.connect(lambda _: self._refresh_moving())
        state.tier_chosen.connect(self.rebuild)
        state.opened.connect(self.forget)

    def _sieve(self) -> QHBoxLayout:
        """What is typed here leaves only rows whose name or help holds it."""
        line = QHBoxLayout()
        line.setContentsMargins(12, 0, 8, 6)
        line.setSpacing(4)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter by name or help")
        self.filter.setAccessibleName("Filter of the sheet")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(lambda _: self.arrange())
        self.changed_only = QToolButton()
        self.changed_only.setIcon(theme.icon("list-filter"))
        self.changed_only.setCheckable(True)
        self.changed_only.setToolTip("Only what is not as it was when it was new")
        self.changed_only.setAccessibleName("Only what is changed")
        self.changed_only.toggled.connect(lambda _: self.arrange())
        line.addWidget(self.filter, 1)
        line.addWidget(self.changed_only)
        return line

    @property
    def sifted(self) -> bool:
        """Whether only some rows are wanted."""
        return bool(self.filter.text().strip()) or self.changed_only.isChecked()

    def arrange(self) -> None:
        """Show the rows that are wanted, under the heads that have some."""
        words, changed = self.filter.text().lower().split(), self.changed_only.isChecked()
        for part in self._parts:
            folded = part.head.section in self._folded and not self.sifted
            part.head.show_folded(folded)
            some = False
            for row in part.rows:
                text = f"{row.p.label} {row.p.help} {part.head.section}".lower()
                wanted = all(word in text for word in words) and not (changed and row.value == row.p.default)
                some = some or wanted
                _show(row, wanted and not folded)
            _show(part.head, some or not self.sifted)
            for foot in part.feet:
                _show(foot, not folded and not self.sifted)
                if not folded and not self.sifted and hasattr(foot, "refresh"):
                    foot.refresh()  # some stand only where they have something to say

    def fold(self, section: str) -> None:
        """Fold a section away, or open it again; it stays so wherever it is shown."""
        self._folded ^= {section}
        self.arrange()

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
            tuple((s.id, s.name, s.shape) for x in self.state.effect.layers for s in x.sources),
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
        if self.state.also:
            return f"{len(self.state.chosen)} {group_of(self.state.selection)}"
        try:
            return getattr(get(self.state.effect, self.state.selection), "name", "Light")
        except TenkaError:
            return ""

    def rebuild(self) -> None:
        """Show the rows of what is selected now, made anew or as they were made before; the keyboard stays in
        the row that it was in."""
        focus, bar = self._focused(), self.area.verticalScrollBar()
        here = QApplication.focusWidget()
        within = here is not None and self.area.isAncestorOf(here)
        if bar is not None:
            self._places[self._of] = bar.value()
        self._of = (self.station, self.state.selection)
        self._made = self._shape()
        self.title.setText(self._title())
        self.title.setToolTip("Changes are made to all of them." if self.state.also else "")
        made = self._kept.pop(self._made, None)
        if made is None:
            made = self._build()
        self._kept[self._made] = made
        self.rows, self._parts, self.point_foot, self.feet = made.rows, made.parts, made.point_foot, made.feet
        for row in self.rows:
            row.refresh()
        self.arrange()
        show_instead(self.area, made.body, keep=True)
        while len(self._kept) > MOST_KEPT:
            self._kept.pop(next(iter(self._kept))).body.deleteLater()
        if bar is not None:
            bar.setValue(self._places.get(self._of, 0))
        if within and not (focus[0] and self._focus(*focus)):
            self.setFocus()  # which uses no keys: Space plays, and does not press what comes next

    def forget(self) -> None:
        """Let go of all that was made for an effect that is no longer open."""
        for made in self._kept.values():
            made.body.hide()
            made.body.deleteLater()
        self._kept.clear()
        self._made = None

    def _build(self) -> Made:
        """Make the rows of what is selected now."""
        body = QWidget(holder_of(self.area))
        body.setObjectName("bench")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 12)
        column.setSpacing(0)
        self.rows, self._parts, self.feet = [], [], {}
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
            part = self._part(column, section, {p.cost for _, p, _ in items if p.cost})
            for path, p, _ in items:
                self._row(column, part, path, p)
            domain_of = next((node for path, _, node in items if isinstance(node, DomainBox)), None)
            if section == "Where" and domain_of is not None and self.state.gas is not None:
                self.feet["box"] = BoxFoot(self.state, self.state.gas)
                self._foot(column, part, self.feet["box"])
            trial = items[0][2]
            if isinstance(trial, Trial):
                self._foot(column, part, TrialFoot(self.state, trial.id))
            prop = items[0][2]
            if section == "Where" and isinstance(prop, Prop):
                self._foot(column, part, PropFoot(self.state, prop.id))
            if section == "Copies" and isinstance(prop, Prop):
                self._foot(column, part, HeapFoot(self.state, prop.id))
            if section == "Mesh" and isinstance(prop, Prop):
                self.feet["mesh"] = MeshFoot(self.state, prop.id)
                self._foot(column, part, self.feet["mesh"])
        if self.station == "budget" and self.state.tier is not None and self.state.effect.levers:
            part = self._part(column, "Levers", set())
            for path, p in lever_rows(self.state):
                self._row(column, part, path, p)
        if not grouped:
            empty = Wrapped(
                "Nothing is selected.\nClick a row of the tempo, or take a starting point from the tray."
            )
            empty.setProperty("quiet", True)
            empty.setContentsMargins(12, 8, 12, 8)
            column.addWidget(empty)
        column.addStretch(1)
        return Made(body, self.rows, self._parts, self.point_foot, self.feet)

    def _focused(self) -> tuple[str, int]:
        """Path of the row that has the keyboard, and which of its fields."""
        here = QApplication.focusWidget()
        for row in self.rows:
            if here is not None and row.isAncestorOf(here):
                fields = row.findChildren(QWidget)
                return row.path, fields.index(here) if here in fields else 0
        return "", 0

    def _focus(self, path: str, field: int) -> bool:
        """Give the keyboard back to the row of a setting, if it is still there."""
        row = self.row(path)
        if row is None:
            return False
        fields = row.findChildren(QWidget)
        target = fields[field] if field < len(fields) else row.field
        target.setFocus(Qt.FocusReason.OtherFocusReason)
        return True

    def _part(self, column: QVBoxLayout, section: str, costs: set[str]) -> Part:
        """A new section with its head."""
        head = Header(section, section in self._folded)
        head.toggled.connect(self.fold)
        if costs:
            head.line.addWidget(Gutter(self.state, section, costs))
        column.addWidget(head)
        part = Part(head)
        self._parts.append(part)
        return part

    def _row(self, column: QVBoxLayout, part: Part, path: str, p: Param) -> None:
        row = Row(self.state, path, p)
        row.copied.connect(self.value_copied)
        row.pasted.connect(self.value_pasted)
        self.rows.append(row)
        part.rows.append(row)
        column.addWidget(row)

    def _foot(self, column: QVBoxLayout, part: Part, foot: QWidget) -> None:
        part.feet.append(foot)
        column.addWidget(foot)

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
        if self.changed_only.isChecked():
            self.arrange()

    def _refresh_moving(self) -> None:
        for row in self.rows:
            if row.p.course:
                row.refresh()
