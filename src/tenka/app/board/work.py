"""What the board knows of the effect on the present tier, and the looking for more in the background."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tenka.app.board.searching import Say, Search
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.base.jobs import Progress
from tenka.board.changes import Change
from tenka.board.suggesting import Suggester, Suggestion, error_of
from tenka.board.sweeping import Bench, measure_all, sweep_on, time_of
from tenka.board.variants import Tried, beaten_by_none
from tenka.effect.document import param_at
from tenka.effect.model import Effect


@dataclass(frozen=True)
class Point:
    """A variant on the board.

    Attributes
    ----------
    what : in words; '' for the effect as it is
    changes : what is made of the effect for it
    ms, mb : what the tier takes
    over : whether that is more than its budget
    added : FLIP error that it adds to how it is now
    tried : as it was measured; None while it is foretold
    foretold : ms, MB and added error, where it was foretold
    fault : why it cannot be
    """

    what: str
    changes: tuple[Change, ...]
    ms: float
    mb: float
    over: bool
    added: float
    tried: Tried | None = None
    foretold: tuple[float, float, float] | None = None
    fault: str = ""
    note: str = ""
    values: Mapping[str, Any] = field(default_factory=dict)

    @property
    def measured(self) -> bool:
        return self.tried is not None and self.tried.likeness is not None


def point_of(s: Suggestion) -> Point:
    """A suggestion on the board."""
    foretold, tried = (s.ms, s.mb, s.loss), s.tried
    values = {path: value for change in s.changes for path, value in change.values.items()}
    if tried is None or tried.likeness is None:
        fault = tried.fault if tried is not None else ""
        return Point(s.what, s.changes, s.ms, s.mb, s.over, s.loss, tried, foretold, fault, s.note, values)
    return Point(
        s.what, s.changes, tried.ms, tried.mb, tried.over, s.added, tried, foretold, "", s.note, values
    )


def _now_of(tried: Tried) -> Point:
    """The effect as it is, measured."""
    return Point("", (), tried.ms, tried.mb, tried.over, 0.0, tried, fault=tried.fault)


class Work(Search):
    """Suggestions and sweeps, one at a time, for the effect as it is when they are begun."""

    def __init__(self, state: State) -> None:
        super().__init__(state, "board")
        self._boards: dict[str, tuple[Effect, list[Point]]] = {}  # by tier: of which effect, and its points
        self._on = ""  # the tier that is looked at for more
        self.looked = ""  # from where
        self.stage: np.ndarray | None = None  # what variants are held against
        self.foretold = False  # whether all that was found is foretold

    @property
    def stale(self) -> bool:
        """Whether the effect is another one than the points of the present tier are of."""
        board = self._board
        return board is not None and bool(board[1]) and board[0] is not self.state.effect

    @property
    def running_here(self) -> bool:
        """Whether it is the present tier that is looked at for more."""
        return self.running and self.state.tier is not None and self._on == self.state.tier.id

    @property
    def _board(self) -> tuple[Effect, list[Point]] | None:
        tier = self.state.tier
        return self._boards.get(tier.id) if tier is not None else None

    @property
    def points(self) -> list[Point]:
        """What is known on the present tier."""
        board = self._board
        return board[1] if board is not None else []

    def suggest(self) -> None:
        """Look for what saves, then measure it."""

        def find(bench: Bench, say: Callable[[object], None]) -> None:
            finder = Suggester(bench)
            say(Point("", (), finder.now.ms, finder.now.mb, finder.over, 0.0))
            found = finder.suggest(bench.progress, lambda s: say(point_of(s)))
            for s in found:
                say(point_of(s))
            say(None)
            for s in finder.measure(found):
                if finder.tried is not None:
                    say(_now_of(finder.tried))
                say(point_of(s))

        self._start(find)

    def sweep(self, asked: Mapping[str, Sequence[Any]]) -> None:
        """Measure all combinations of values."""

        def find(bench: Bench, say: Callable[[object], None]) -> None:
            book, base = bench.book(bench.effect), math.nan
            say(Point("", (), time_of(book), book.mb, book.over, 0.0))
            for tried in measure_all(bench, [({}, bench.effect, book)]):
                base = tried.likeness.loss if tried.likeness is not None else math.nan
                say(_now_of(tried))
            for tried in sweep_on(bench, asked):
                say(self._swept(bench.effect, tried, base))

        self._start(find, keep=True)

    @staticmethod
    def _swept(effect: Effect, tried: Tried, base: float) -> Point:
        told = ", ".join(_told(effect, path, value) for path, value in tried.values.items())
        changes = (Change(told, dict(tried.values)),)
        if tried.likeness is None:
            return Point(told, changes, tried.ms, tried.mb, True, math.nan, tried, None, tried.fault)
        added = tried.likeness.loss - base
        takes = (tried.ms, tried.mb, tried.over)
        return Point(told, changes, *takes, added, tried, values=dict(tried.values))

    def forget(self) -> None:
        """Another effect is open."""
        self.stop()
        self._boards, self.problem = {}, ""
        self.changed.emit()

    def take(self, point: Point) -> None:
        """Make the changes of a point in the present effect, as one step that can be undone."""
        tier = self.state.tier
        if tier is None or not point.changes:
            return
        effect = self.state.effect
        try:
            for change in point.changes:
                effect = change.on(effect, tier.id)
        except TenkaError as error:
            self.state.refuse(error)
            return
        self.stop()  # what is still measured is of the effect as it was
        self.state.apply(effect, f"Take into {tier.name}: {point.what}")
        self.state.said.emit(f"{point.what}: taken into {tier.name}; Ctrl+Z takes it back.")

    def off(self) -> tuple[float, float]:
        """How far what was foretold is from what was measured, as mean shares of ms and MB."""
        done = [p for p in self.points if p.foretold is not None and p.measured]
        told = [p.foretold for p in done if p.foretold is not None]
        return (
            error_of([f[0] for f in told], [p.ms for p in done]),
            error_of([f[1] for f in told], [p.mb for p in done]),
        )

    def _start(self, find: Callable[[Bench, Callable[[object], None]], None], keep: bool = False) -> None:
        tier, effect = self.state.tier, self.state.effect
        if tier is None:
            self.state.refused.emit("The effect has no tier to look for variants on.")
            return
        if not keep or self.stale or self._board is None:
            self._boards[tier.id] = (effect, [])
        self._on, self.stage, self.foretold = tier.id, None, False
        folder, store = self.state.folder, self.state.store

        def look(progress: Progress, say: Say) -> None:
            bench = Bench(effect, tier.id, folder, store, progress)
            say(bench.view)
            find(bench, say)
            say(bench.stage)

        self.begin(look)

    def found(self, found: object) -> None:
        """A point, the stage's picture, from where it is looked at, or (None) that all is foretold."""
        if isinstance(found, Point):
            self._put(found)
        elif isinstance(found, np.ndarray):
            self.stage = found
        elif found is None:
            self.foretold = True
        else:
            view: Any = found
            width, height = view.size
            self.looked = f"{width} × {height} px, as large as {view.held_at or view.distance or 0:g} m away"
            if view.density > 1.01:
                self.looked = f"{width} × {height} px; the tier shows it {view.density:.1f} times as large"

    def _put(self, point: Point) -> None:
        points = self._boards[self._on][1]
        for n, old in enumerate(points):
            if old.what == point.what:
                if point.tried is not None or old.tried is None:
                    points[n] = point
                return
        points.append(point)


def _told(effect: Effect, path: str, value: Any) -> str:
    label = param_at(effect, path).label
    told = ("on" if value else "off") if isinstance(value, bool) else f"{value}"
    return f"{label} {told}"


def front_of(points: Sequence[Point], by: str) -> list[Point]:
    """Those that no other beats in both what they lose and what they take, the cheapest first."""
    losses = [math.nan if p.fault else p.added for p in points]
    return [points[n] for n in beaten_by_none([getattr(p, by) for p in points], losses)]
