"""What each tier takes: its ledger, and what it takes over time, both found in the background."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from tenka.app.timers import once
from tenka.base.jobs import Worker
from tenka.budget.cost import Ledger, ledger
from tenka.budget.overtime import OverTime, over_time
from tenka.effect.document import Document
from tenka.effect.model import Effect
from tenka.pack.looked import known_cuts
from tenka.run.findings import Finding
from tenka.run.placing import placing

if TYPE_CHECKING:
    from tenka.app.state import State

PAUSE_MS = 250  # after a change, so that a drag is not counted at each step


class Costing(QObject):
    """The ledgers of the open effect.

    Attributes
    ----------
    ledgers : of each tier
    effect : what the ledgers are of, which may be a little behind
    placed : what was found of where things stand, of that effect
    problem : why nothing could be counted
    """

    changed = pyqtSignal()  # what is taken over time
    _raw_books = pyqtSignal(object)
    _raw_times = pyqtSignal(str, object, object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.ledgers: dict[str, Ledger] = {}
        self.effect: Effect | None = None
        self.placed: list[Finding] = []
        self.problem = ""
        self._found: dict[str, tuple[Ledger, OverTime]] = {}
        self._counter = Worker("ledger", self._raw_books.emit)
        self._worker = Worker("cost over time")
        self._soon = once(self, PAUSE_MS, self._count_times)
        self._raw_books.connect(self._take_books)
        self._raw_times.connect(self._take_times)
        state.costed.connect(self._soon.start)

    def forget(self) -> None:
        """Know nothing: another effect is open."""
        self.ledgers, self.effect, self.placed, self.problem = {}, None, [], ""

    def count(self) -> None:
        """Work out the ledgers anew."""
        state = self.state
        folder, store, document, effect = state.folder, state.store, state.document, state.effect
        figures = {id: of.figures for id, of in state.status.layers.items()}

        def work() -> None:
            known = known_cuts(store, folder)
            books = {tier.id: ledger(effect, tier.id, figures, folder, known) for tier in effect.tiers}
            self._raw_books.emit((document, effect, books, placing(effect, folder, figures)))

        self._counter.ask(work)

    def _take_books(
        self, found: Exception | tuple[Document, Effect, dict[str, Ledger], list[Finding]]
    ) -> None:
        if isinstance(found, Exception):
            self.forget()
            self.problem = str(found)
        else:
            document, effect, books, placed = found
            if document is not self.state.document:
                return  # another one was opened meanwhile
            self.ledgers, self.effect, self.placed, self.problem = books, effect, placed, ""
        self.state.costed.emit()

    @property
    def now(self) -> OverTime | None:
        """Of the present tier; None while its ledger is another one than this was found for."""
        book = self.state.ledger
        return self.of(book) if book is not None else None

    def of(self, book: Ledger) -> OverTime | None:
        """What belongs to a ledger, where that is known."""
        found = self._found.get(book.tier.id)
        return found[1] if found is not None and found[0] is book else None

    def _count_times(self) -> None:
        state, now = self.state, self.state.tier
        books = [book for book in self.ledgers.values() if self.of(book) is None]
        books.sort(key=lambda book: now is None or book.tier.id != now.id)  # the one that is looked at first
        effect, figures = self.effect, {id: of.figures for id, of in state.status.layers.items()}

        def work() -> None:
            assert effect is not None, "there are ledgers"
            for book in books:
                if self._worker.wanted:
                    return
                self._raw_times.emit(book.tier.id, book, over_time(book, effect, figures))

        if books:
            self._worker.ask(work)
        else:
            self.changed.emit()

    def _take_times(self, tier: str, book: Ledger, found: OverTime) -> None:
        self._found[tier] = (book, found)
        self.changed.emit()

    def close(self) -> None:
        self._soon.stop()
        self._counter.close()
        self._worker.close()
