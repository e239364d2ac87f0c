"""The board: its chart and two pictures, what was found as a list, and what looks for more."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.board.chart import Chart
from tenka.app.board.sweeprows import SweepRows, named, written
from tenka.app.board.wiping import Wipe
from tenka.app.board.work import Point, Work, front_of
from tenka.app.sheet.fields import ChoiceField
from tenka.app.state import State
from tenka.app.timers import once
from tenka.base.words import span
from tenka.effect.document import is_there

SIDE, LEAST_SIDE = 330, 200
SHOW_MS = 60
EMPTY = (
    "Find savings looks for the single changes that bring this tier within its budget with the least loss, "
    "foretells each from a few frames, and measures it. Or try values of settings of your own."
)


class BoardPage(QWidget):
    """The board of the present tier."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state, self.work = state, Work(state)
        self.one: Point | None = None
        self.other: Point | None = None
        line = QHBoxLayout(self)
        line.setContentsMargins(16, 8, 8, 8)
        line.setSpacing(12)
        left, side = QVBoxLayout(), QVBoxLayout()
        left.setSpacing(6)
        side.setSpacing(6)
        top = QHBoxLayout()
        self.by = ChoiceField("What is taken", [("ms", "time, ms"), ("mb", "memory, MB")])
        self.by.setToolTip("What the chart's points are laid out by")
        self.by.currentIndexChanged.connect(lambda _: self._show())
        self.which = ChoiceField("Which are shown", [("all", "all")])
        self.which.setToolTip("Which variants are shown")
        self.which.currentIndexChanged.connect(lambda _: self._show())
        self.about = QLabel()
        self.about.setProperty("quiet", True)
        self.about.setMinimumWidth(40)
        for part in (self.by, self.which):
            part.setMinimumContentsLength(6)
            part.setSizeAdjustPolicy(ChoiceField.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            top.addWidget(part)
        top.addWidget(self.about, 1)
        left.addLayout(top)
        self.chart, self.wipe = Chart(), Wipe()
        self.chart.chosen.connect(self.choose)
        left.addWidget(self.chart, 3)
        left.addWidget(self.wipe, 2)
        self.savings = QPushButton("Find savings")
        self.savings.setProperty("main", True)
        self.savings.setToolTip("Look for changes that save, the least loss first, and measure them")
        self.savings.clicked.connect(lambda _=False: self._find())
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        self.told.setWordWrap(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Variants")
        self.list.setWordWrap(True)
        self.list.setMinimumHeight(48)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.list.currentItemChanged.connect(self._item_chosen)
        self.list.itemActivated.connect(lambda _: self.take())
        self.takes = QPushButton("Take into the tier")
        self.takes.clicked.connect(lambda _=False: self.take())
        self.rows = SweepRows(state)
        self.rows.changed.connect(self._name)
        self.tries = QPushButton()
        self.tries.setToolTip("Measure every combination of these values, the cheapest first")
        self.tries.clicked.connect(lambda _=False: self.work.sweep(dict(self.rows.asked)))
        for each in (self.savings, self.bar, self.told):
            side.addWidget(each)
        side.addWidget(self.list, 1)
        side.addWidget(self.takes)
        side.addSpacing(6)
        side.addWidget(self.rows)
        side.addWidget(self.tries)
        line.addLayout(left, 2)
        holder = QWidget()
        holder.setMinimumWidth(LEAST_SIDE)
        holder.setMaximumWidth(SIDE)
        holder.setLayout(side)
        side.setContentsMargins(0, 0, 0, 0)
        line.addWidget(holder, 1)
        self._soon = once(self, SHOW_MS, self._show)
        self.work.changed.connect(self._soon.start)
        for signal in (state.tier_chosen, state.costed):
            signal.connect(self._soon.start)
        state.opened.connect(self._forget)
        state.changed.connect(lambda _: self._soon.start())
        self._show()

    # --- what is done -------------------------------------------------------------------------

    def _find(self) -> None:
        if self.work.running_here:
            self.work.stop()
        else:  # what is looked for on another tier ends
            self.one = self.other = None
            self.work.suggest()

    def choose(self, point: Point, against: bool = False) -> None:
        """Look at a point, or hold it against the one that is looked at."""
        if against and self.one is not None and point.what != self.one.what:
            self.other = point
        else:
            self.one = point
            if self.other is not None and self.other.what == point.what:
                self.other = None
        self._show()

    def take(self) -> None:
        """Make the chosen point's changes in the effect."""
        if self.one is not None and self.one.changes and not self.one.fault:
            self.work.take(self.one)

    def _forget(self) -> None:
        self.one = self.other = None
        self.work.forget()

    def _item_chosen(self, item: QListWidgetItem | None, _: object = None) -> None:
        if item is None:
            return
        point = next((p for p in self.work.points if p.what == item.data(Qt.ItemDataRole.UserRole)), None)
        if point is not None and (self.one is None or self.one.what != point.what):
            self.choose(point)

    # --- what is shown ------------------------------------------------------------------------

    def showEvent(self, a0: QShowEvent | None) -> None:
        super().showEvent(a0)
        self._show()

    @property
    def shown(self) -> list[Point]:
        """The points that the filter lets through; how it is now is always there."""
        wanted, points = self.which.currentData(), self.work.points
        if wanted == "within":
            return [p for p in points if not p.over or not p.what]
        if wanted == "best":
            best = {p.what for p in front_of(points, str(self.by.currentData()))}
            return [p for p in points if p.what in best or not p.what]
        if isinstance(wanted, tuple):
            path, value = wanted
            return [p for p in points if p.values.get(path) == value or not p.what]
        return points

    def _refresh(self) -> None:
        """The points that are looked at as they are known by now."""
        known = {p.what: p for p in self.work.points}
        self.one = known.get(self.one.what) if self.one is not None else None
        self.other = known.get(self.other.what) if self.other is not None else None
        if (
            self.one is None and self.work.foretold and self.work.points
        ):  # the best one, so that it can be taken at once
            self.one = next(iter(self._listed()), None)

    def _show(self) -> None:
        if not self.isVisible():
            return
        tier, by = self.state.tier, str(self.by.currentData())
        self._refresh()
        self._fill_filter()
        budget = (tier.ms if by == "ms" else tier.mb) if tier is not None else 1.0
        name = tier.name if tier is not None else ""
        self.chart.one, self.chart.other = self.one, self.other
        words = EMPTY if tier is not None else "The effect has no tier yet: add one at Frame."
        self.chart.show_points(self.shown, by, budget, name, words)
        self.wipe.show_points(self.one, self.other, self.work.stage)
        self._fill_list()
        if not self.rows.asked or not self.work.running:
            self.rows.refill()
        self._name()

    def _name(self) -> None:
        work, tier = self.work, self.state.tier
        self.savings.setText("Stop" if work.running_here else "Find savings")
        self.savings.setEnabled(tier is not None and bool(self.state.effect.deliveries))
        self.bar.setVisible(work.running)
        progress = work.progress
        words = work.problem
        if progress is not None:
            self.bar.setRange(0, max(1, progress.total))
            self.bar.setValue(progress.done)
            left = progress.seconds_left
            words = f"{progress.what or 'Looking'}: {progress.done} of {progress.total}" + (
                f", {span(left)} left" if left else ""
            )
        elif not words and work.points:
            words = self._ended()
        self.told.setText(words)
        self.told.setVisible(bool(words))
        name = tier.name if tier is not None else "the tier"
        able = self.one is not None and bool(self.one.changes) and not self.one.fault
        self.takes.setText(f"Take into {name}")
        self.takes.setEnabled(able)
        self.tries.setText(self.rows.told())
        self.tries.setEnabled(self.rows.count > 0 and not work.running and tier is not None)
        about = f"Looked at in {work.looked}" if work.looked else ""
        if work.stale:
            about = "Of the effect as it was before its last change"
        self.about.setText(about)

    def _ended(self) -> str:
        ms, mb = self.work.off()
        within = sum(1 for p in self.work.points if p.what and not p.over and not p.fault)
        words = f"{within} of {sum(1 for p in self.work.points if p.what)} are within the budget."
        if math.isfinite(ms):
            words += f" Foretold and measured differ by {100 * ms:.1f} % in ms, {100 * mb:.1f} % in MB."
        return words

    def _fill_filter(self) -> None:
        items: list[tuple[object, str]] = [
            ("all", "all"),
            ("within", "within the budget"),
            ("best", "none beats them"),
        ]
        seen = {}
        for p in self.work.points:
            for path, value in p.values.items():
                seen[(path, str(value))] = (path, value)
        there = [(path, value) for path, value in seen.values() if is_there(self.state.effect, path)]
        for path, value in there:
            items.append(((path, value), f"{named(self.state.effect, path)} {written(value)}"))
        if items != [(self.which.itemData(n), self.which.itemText(n)) for n in range(self.which.count())]:
            now = self.which.currentData()
            self.which.blockSignals(True)
            self.which.clear()
            for data, text in items:
                self.which.addItem(text, data)
            at = next((n for n, (data, _) in enumerate(items) if data == now), 0)
            self.which.setCurrentIndex(at)
            self.which.blockSignals(False)

    def _listed(self) -> list[Point]:
        """What is shown, the best first."""
        return sorted(
            (p for p in self.shown if p.what),
            key=lambda p: (bool(p.fault), p.over, _hides(p), p.added if math.isfinite(p.added) else math.inf),
        )

    def _fill_list(self) -> None:
        rows = [(p.what, _row(p), p) for p in self._listed()]
        have = [self.list.item(n) for n in range(self.list.count())]
        if [(i.data(Qt.ItemDataRole.UserRole), i.text()) for i in have if i is not None] != [
            (what, text) for what, text, _ in rows
        ]:
            self.list.blockSignals(True)
            self.list.clear()
            for what, text, p in rows:
                item = QListWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, what)
                if p.over or p.fault:
                    item.setForeground(theme.colour(theme.QUIET))
                self.list.addItem(item)
            self.list.blockSignals(False)
        at = next((n for n, row in enumerate(rows) if self.one is not None and row[0] == self.one.what), -1)
        self.list.blockSignals(True)
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)


def _hides(point: Point) -> bool:
    return any(change.hides for change in point.changes)


def _row(point: Point) -> str:
    if point.fault:
        return f"{point.what}\n{point.fault}"
    takes = f"{point.ms:.3f} ms, {point.mb:.2f} MB"
    tail = ("over; " if point.over else "") + takes + f", FLIP {point.added:+.4f}"
    return f"{point.what}\n{tail}{'' if point.measured else ', foretold'}" + (
        f"\n{point.note}" if point.note else ""
    )
