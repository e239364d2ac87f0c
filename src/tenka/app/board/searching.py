"""What is looked for in the background, one at a time: it tells what it finds, and stops at once."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from tenka.app.state import State
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker

Say = Callable[[object], None]


class Search(QObject):
    """A family says what is done with what is found; what an earlier look still tells is not heard."""

    changed = pyqtSignal()
    _raw = pyqtSignal(int, object)
    _ended = pyqtSignal(int, str)

    def __init__(self, state: State, name: str) -> None:
        super().__init__()
        self.state = state
        self.problem = ""
        self.progress: Progress | None = None
        self._worker, self._run = Worker(name), 0
        self._raw.connect(self._hear)
        self._ended.connect(self._end)

    @property
    def running(self) -> bool:
        return self.progress is not None

    def found(self, found: object) -> None:
        """Take what was found, in the window's thread."""
        raise NotImplementedError

    def begin(self, look: Callable[[Progress, Say], None]) -> None:
        """Look for something else than before."""
        self.stop()
        self._run += 1
        run, progress = self._run, Progress()
        self.problem, self.progress = "", progress

        def work() -> None:
            try:
                look(progress, lambda found: self._raw.emit(run, found))
                self._ended.emit(run, "")
            except Cancelled:
                self._ended.emit(run, "")
            except (TenkaError, MemoryError) as error:
                self._ended.emit(run, str(error) or "There is not enough memory for it.")

        self._worker.ask(work)
        self.changed.emit()

    def stop(self) -> None:
        """End what is under way."""
        if self.progress is not None:
            self.progress.cancel()
            self._run += 1
            self.progress = None
            self.changed.emit()

    def close(self) -> None:
        self.stop()
        self._worker.close()

    def _hear(self, run: int, found: object) -> None:
        if run == self._run:
            self.found(found)
            self.changed.emit()

    def _end(self, run: int, problem: str) -> None:
        if run == self._run:
            self.progress, self.problem = None, problem
            self.changed.emit()
