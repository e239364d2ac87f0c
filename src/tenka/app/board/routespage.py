"""Routes against each other by distance, on the present tier; what wins is taken by a click."""

from __future__ import annotations

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from tenka.app.board.distances import Distances
from tenka.app.board.searching import Say, Search
from tenka.app.board.wiping import Wipe
from tenka.app.board.work import Point
from tenka.app.scroll import upright_area
from tenka.app.sheet.fields import ChoiceField
from tenka.app.state import State
from tenka.app.timers import once
from tenka.base.errors import TenkaError
from tenka.base.jobs import Progress
from tenka.base.words import span
from tenka.board.routing import Stood, Stretch, compare, compared_routes, taken, winners
from tenka.effect.document import delivered_on
from tenka.effect.model import Effect
from tenka.effect.routes import ROUTES

SHOW_MS = 60
EMPTY = (
    "Compare packs the same layers by every route that can show them and plays each from five distances "
    "about the tier's: what it takes, how like the stage it is, and which to show where."
)


class RouteWork(Search):
    """The comparing, for the effect as it is when it is begun."""

    def __init__(self, state: State) -> None:
        super().__init__(state, "routes")
        self.stood: list[Stood] = []
        self.of: tuple[Effect, str, str] | None = None  # effect, tier and delivery that are compared

    @property
    def best(self) -> list[Stretch]:
        return winners(self.stood)

    def compare(self, tier: str, delivery: str) -> None:
        """Measure all routes of a delivery's layers."""
        effect, folder, store = self.state.effect, self.state.folder, self.state.store
        self.stood, self.of = [], (effect, tier, delivery)

        def look(progress: Progress, say: Say) -> None:
            for stood in compare(effect, tier, delivery, folder, store, progress):
                say(stood)

        self.begin(look)

    def found(self, found: object) -> None:
        """A route from a distance."""
        assert isinstance(found, Stood)
        self.stood.append(found)

    def forget(self) -> None:
        self.stop()
        self.stood, self.of, self.problem = [], None, ""
        self.changed.emit()

    def take(self) -> None:
        """Show each route where it wins, as one step that can be undone."""
        if self.of is None or self.of[0] is not self.state.effect:
            return
        effect, tier, delivery = self.of
        try:
            made = taken(effect, tier, delivery, self.best)
        except TenkaError as error:
            self.state.refuse(error)
            return
        name = effect.tier(tier).name
        self.state.apply(made, f"Show each route where it wins, on {name}")
        self.state.said.emit(f"Each route is shown where it wins on {name}; Ctrl+Z takes it back.")


class RoutesPage(QWidget):
    """What is compared, the table of pictures, and two of them wiped."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state, self.work = state, RouteWork(state)
        self.one: Stood | None = None
        self.other: Stood | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 16, 8)
        column.setSpacing(6)
        top = QHBoxLayout()
        self.which = ChoiceField("Which delivery is compared", [("", "")])
        self.which.setToolTip("The delivery whose layers go by one route and by another")
        self.which.setMinimumContentsLength(12)
        self.which.currentIndexChanged.connect(lambda _: self._name())
        self.start = QPushButton("Compare")
        self.start.setProperty("main", True)
        self.start.setToolTip("Pack and play the same layers by every route that can show them")
        self.start.clicked.connect(lambda _=False: self._start())
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        self.told.setMinimumWidth(40)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setMaximumWidth(120)
        for part in (self.which, self.start, self.bar):
            top.addWidget(part)
        top.addWidget(self.told, 1)
        column.addLayout(top)
        self.table, self.wipe = Distances(), Wipe()
        self.table.chosen.connect(self.choose)
        area = upright_area(False)
        area.setWidget(self.table)
        column.addWidget(area, 3)
        column.addWidget(self.wipe, 2)
        foot = QHBoxLayout()
        self.verdict = QLabel()
        self.verdict.setMinimumWidth(40)
        self.verdict.setWordWrap(True)
        self.takes = QPushButton("Show each where it wins")
        self.takes.setToolTip("Give this tier the routes that win, each for its distances")
        self.takes.clicked.connect(lambda _=False: self.work.take())
        foot.addWidget(self.verdict, 1)
        foot.addWidget(self.takes)
        column.addLayout(foot)
        self._soon = once(self, SHOW_MS, self._show)
        self.work.changed.connect(self._soon.start)
        state.opened.connect(self._forget)
        for signal in (state.changed, state.tier_chosen):
            signal.connect(lambda *_: self._soon.start())
        self._show()

    def showEvent(self, a0: QShowEvent | None) -> None:
        super().showEvent(a0)
        self._show()

    def choose(self, stood: Stood, against: bool = False) -> None:
        """Look at a picture, or hold it against the one that is looked at."""
        if against and self.one is not None:
            self.other = stood
        else:
            self.one, self.other = stood, None
        self._show()

    def _forget(self) -> None:
        self.one = self.other = None
        self.work.forget()

    def _start(self) -> None:
        tier = self.state.tier
        if self.work.running:
            self.work.stop()
        elif tier is not None and self.which.currentData():
            self.one = self.other = None
            self.work.compare(tier.id, str(self.which.currentData()))

    def _fill(self) -> None:
        tier = self.state.tier
        played = delivered_on(self.state.effect, tier.id) if tier is not None else None
        able = [d for d in played.deliveries if compared_routes(played, d)] if played is not None else []
        items = [(d.id, d.name) for d in able] or [("", "nothing to compare")]
        if items != [(self.which.itemData(n), self.which.itemText(n)) for n in range(self.which.count())]:
            now = self.which.currentData()
            self.which.blockSignals(True)
            self.which.clear()
            for id, name in items:
                self.which.addItem(name, id)
            self.which.setCurrentIndex(next((n for n, (id, _) in enumerate(items) if id == now), 0))
            self.which.blockSignals(False)

    @property
    def fresh(self) -> bool:
        """Whether what is shown is of the effect and the tier as they are."""
        of, tier = self.work.of, self.state.tier
        return of is not None and tier is not None and of[0] is self.state.effect and of[1] == tier.id

    def _show(self) -> None:
        if not self.isVisible():
            return
        self._fill()
        self.table.one, self.table.other = self.one, self.other
        self.table.show_stood(self.work.stood, EMPTY)
        self.wipe.setVisible(bool(self.work.stood))
        stage = self.one.stage if self.one is not None else None
        self.wipe.show_points(_point(self.one), _point(self.other), stage)
        self._name()

    def _name(self) -> None:
        work, tier = self.work, self.state.tier
        self.start.setText("Stop" if work.running else "Compare")
        self.start.setEnabled(work.running or (tier is not None and bool(self.which.currentData())))
        self.bar.setVisible(work.running)
        words = work.problem
        if work.progress is not None:
            left = work.progress.seconds_left
            self.bar.setRange(0, max(1, work.progress.total))
            self.bar.setValue(work.progress.done)
            words = f"{work.progress.what or 'Looking'}{f', {span(left)} left' if left else ''}"
        elif work.stood and not self.fresh:
            words = "Of the effect or the tier as it was before"
        self.told.setText(words)
        best = work.best if not work.running else []
        self.verdict.setText(verdict(best, work.stood))
        self.takes.setEnabled(bool(best) and self.fresh)


def verdict(best: list[Stretch], stood: list[Stood]) -> str:
    """Which route wins where, in words."""
    if not best:
        return ""
    if len(best) == 1:
        words = f"{ROUTES[best[0].kind].TITLE} wins at every distance."
    else:
        parts = [f"{ROUTES[b.kind].TITLE.lower()} to {b.far:g} m" for b in best[:-1]]
        words = f"{', '.join(parts)}, {ROUTES[best[-1].kind].TITLE.lower()} beyond."
    tight = sorted(
        d for d in {s.distance for s in stood} if all(s.tried.over for s in stood if s.distance == d)
    )
    if tight:
        words += f" At {', '.join(f'{d:g}' for d in tight)} m none is within the budget: the cheapest counts."
    return words[0].upper() + words[1:]


def _point(s: Stood | None) -> Point | None:
    if s is None:
        return None
    t = s.tried
    shown = t if t.likeness is not None else None
    what = f"{ROUTES[s.kind].TITLE} at {s.distance:g} m"
    return Point(what, (), t.ms, t.mb, t.over, s.loss, shown, fault=s.fault)
