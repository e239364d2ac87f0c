"""What each tier takes over time, found in the background after its ledger."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from tenka.app.timers import once
from tenka.base.jobs import Worker
from tenka.budget.cost import Ledger
from tenka.budget.overtime import OverTime, over_time

if TYPE_CHECKING:
    from tenka.app.state import State

PAUSE_MS = 250  # after a change, so that a drag is not counted at each step


class Costing(QObject):
    """Keeps what is taken over time beside the ledgers."""

    changed = pyqtSignal()
    _raw = pyqtSignal(str, object, object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self._found: dict[str, tuple[Ledger, OverTime]] = {}
        self._worker = Worker("cost over time")
        self._soon = once(self, PAUSE_MS, self._count)
        self._raw.connect(self._take)
        state.costed.connect(self._soon.start)

    @property
    def now(self) -> OverTime | None:
        """Of the present tier; None while its ledger is another one than this was found for."""
        book = self.state.ledger
        return self.of(book) if book is not None else None

    def of(self, book: Ledger) -> OverTime | None:
        """What belongs to a ledger, where that is known."""
        found = self._found.get(book.tier.id)
        return found[1] if found is not None and found[0] is book else None

    def _count(self) -> None:
        state, now = self.state, self.state.tier
        books = [book for book in state.ledgers.values() if self.of(book) is None]
        books.sort(key=lambda book: now is None or book.tier.id != now.id)  # the one that is looked at first
        effect, figures = state.costed_effect, {id: of.figures for id, of in state.status.layers.items()}

        def work() -> None:
            assert effect is not None, "there are ledgers"
            for book in books:
                if self._worker.wanted:
                    return
                self._raw.emit(book.tier.id, book, over_time(book, effect, figures))

        if books:
            self._worker.ask(work)
        else:
            self.changed.emit()

    def _take(self, tier: str, book: Ledger, found: OverTime) -> None:
        self._found[tier] = (book, found)
        self.changed.emit()

    def close(self) -> None:
        self._soon.stop()
        self._worker.close()
