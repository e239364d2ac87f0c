"""The sheet: rows of the selection from the catalogue, in sections, each with its cost gutter; findings at
its foot."""

from __future__ import annotations

import time
from typing import Any

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QLabel, QLineEdit, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.scroll import give_room, show_instead, upright_area
from tenka.app.sheet.findings import Findings
from tenka.app.sheet.made import Made, Part, begin, show_part
from tenka.app.sheet.nodes import nodes_for, rows_of
from tenka.app.sheet.row import Row
from tenka.app.state import WHOLE, State
from tenka.base.errors import TenkaError
from tenka.effect.document import get
from tenka.effect.things import group_of

MOST_KEPT = 8  # sheets; further ones are made anew
AT_ONCE, SLICE = 0.010, 0.006  # s in which rows are made before a sheet is shown, and at a time after that


class Sheet(QWidget):
    """The settings of what is selected, at one station."""

    value_copied = pyqtSignal(str)
    value_pasted = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state, self.station = state, "shape"
        self._made: Any = None
        self._kept: dict[Any, Made] = {}
        self._now = Made(QWidget(self), [], [], None, {})
        self._rest = QTimer(self)
        self._rest.setInterval(0)
        self._rest.timeout.connect(lambda: self._go_on(SLICE))
        self.folded: set[str] = set()
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
        self._go_on()
        self._arrange()

    def _arrange(self) -> None:
        words, changed = self.filter.text().lower().split(), self.changed_only.isChecked()
        for part in self._now.parts:
            folded = part.head.section in self.folded and not self.sifted
            part.head.show_folded(folded)
            some = False
            for row in part.rows:
                text = f"{row.p.label} {row.p.help} {part.head.section}".lower()
                wanted = all(word in text for word in words) and not (changed and row.value == row.p.default)
                some = some or wanted
                show_part(row, wanted and not folded)
            show_part(part.head, some or not self.sifted)
            for foot in part.feet:
                show_part(foot, not folded and not self.sifted)
                if not folded and not self.sifted and hasattr(foot, "refresh"):
                    foot.refresh()  # some stand only where they have something to say

    def fold(self, section: str) -> None:
        """Fold a section away, or open it again; it stays so wherever it is shown."""
        self.folded ^= {section}
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
                "pack": self.state.delivery.name if self.state.delivery else "Delivery",
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

    @property
    def rows(self) -> list[Row]:
        """All rows of what is selected now; those that are still to be made are made."""
        self._go_on()
        return self._now.rows

    @property
    def parts(self) -> list[Part]:
        """All sections."""
        self._go_on()
        return self._now.parts

    @property
    def feet(self) -> dict[str, QWidget]:
        """What stands under sections, by what it is about: box, mesh."""
        self._go_on()
        return self._now.feet

    @property
    def point_foot(self) -> Any:
        """What stands above the rows of a layer, if anything."""
        return self._now.point_foot

    def rebuild(self) -> None:
        """Show the rows of what is selected now, made anew or as they were made before; the keyboard stays in
        the row that it was in. Rows further down may come a moment later: a hand does not wait for them."""
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
            made = begin(self)
        else:
            for row in made.rows:
                row.refresh()
        self._kept[self._made] = self._now = made
        place = self._places.get(self._of, 0)
        self._go_on(None if place or self.sifted else AT_ONCE)
        self._arrange()
        show_instead(self.area, made.body, keep=True)
        while len(self._kept) > MOST_KEPT:
            self._kept.pop(next(iter(self._kept))).body.deleteLater()
        if bar is not None:
            bar.setValue(place)
        if within and not (focus[0] and self._focus(*focus)):
            self.setFocus()  # which uses no keys: Space plays, and does not press what comes next

    def _go_on(self, seconds: float | None = None) -> None:
        """Make what is still missing of the present sheet, for some time or all of it."""
        made, end = self._now, None if seconds is None else time.perf_counter() + seconds
        if made.more is None:
            self._rest.stop()
            return
        known = len(made.rows)
        for _ in made.more:
            if end is not None and time.perf_counter() > end:
                self._rest.start()
                break
        else:
            made.more = None
            self._rest.stop()
        if known:
            self._arrange()
        give_room(self.area, made.body)

    def forget(self) -> None:
        """Let go of all that was made for an effect that is no longer open."""
        for made in self._kept.values():
            made.body.hide()
            made.body.deleteLater()
        self._kept.clear()
        self._made, self._now = None, Made(QWidget(self), [], [], None, {})
        self._rest.stop()

    def _focused(self) -> tuple[str, int]:
        """Path of the row that has the keyboard, and which of its fields."""
        here = QApplication.focusWidget()
        for row in self._now.rows:
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

    def row(self, path: str) -> Row | None:
        """The row of a setting, for tests and for the drawer."""
        return next((r for r in self.rows if r.path == path), None)

    def _on_change(self, _: str) -> None:
        if self._shape() != self._made:
            self.rebuild()
            return
        self.title.setText(self._title())
        for row in self._now.rows:
            row.refresh()
        if self.changed_only.isChecked():
            self.arrange()

    def _refresh_moving(self) -> None:
        for row in self._now.rows:
            if row.p.course:
                row.refresh()
