"""A window that writes something in the background, with a bar and time left, and stops at once."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QFormLayout, QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.base.words import span

STOPPED = "Stopped; only whole files were left."


class Writing(QDialog):
    """Fields, what would be written, a bar, and two buttons; a family says what it writes."""

    progressed = pyqtSignal(object)
    written = pyqtSignal(object)

    def __init__(self, state: State, title: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.state = state
        self.progress: Progress | None = None
        self._worker: Worker | None = None
        self.setWindowTitle(title)
        self.setObjectName("ground")
        self.setMinimumWidth(420)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        column.addLayout(self._fields())
        self.told = Wrapped()
        column.addWidget(self.told)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        column.addWidget(self.bar)
        self.said = Wrapped()
        self.said.setProperty("quiet", True)
        column.addWidget(self.said)
        line = QHBoxLayout()
        line.addStretch(1)
        self.close_button = QPushButton("Close")
        self.close_button.clicked.connect(self.close)
        self.button = QPushButton("Write…")
        self.button.setProperty("main", True)
        self.button.clicked.connect(self._press)
        line.addWidget(self.close_button)
        line.addWidget(self.button)
        column.addLayout(line)
        self.progressed.connect(self._show_progress)
        self.written.connect(self._end)
        state.changed.connect(self.refresh)
        state.news.connect(self.refresh)
        self.refresh()

    def _fields(self) -> QFormLayout:
        """What is asked for."""
        raise NotImplementedError

    def refresh(self, _: str = "") -> None:
        """Tell what would be written now."""
        raise NotImplementedError

    def _ask(self) -> None:
        """Ask where to, and begin."""
        raise NotImplementedError

    def told_of(self, found: object) -> str:
        """A sentence on what was written."""
        raise NotImplementedError

    def _press(self) -> None:
        if self.progress is not None:
            self.progress.cancel()
        else:
            self._ask()

    def begin(self, name: str, write: Callable[[Progress], object]) -> None:
        """Write in the background; what it gives, or a fault, is said."""
        progress = self.progress = Progress(
            listen=lambda p: self.progressed.emit((p.what, p.done, p.total, p.seconds_left))
        )
        self.button.setText("Stop")
        self.bar.setValue(0)
        self.bar.show()

        def work() -> None:
            try:
                self.written.emit(write(progress))
            except (TenkaError, Cancelled) as error:
                self.written.emit(error)

        self._worker = Worker(name, lambda error: self.written.emit(error))
        self._worker.ask(work)

    def _show_progress(self, told: tuple[str, int, int, float | None]) -> None:
        what, done, total, left = told
        self.bar.setMaximum(max(1, total))
        self.bar.setValue(done)
        self._say(f"{what}: {done} of {total}" + (f", {span(left)} left" if left is not None else ""))

    def _say(self, text: str) -> None:
        self.said.setText(text)

    def _end(self, found: object) -> None:
        self.progress = None
        if self._worker is not None:
            self._worker.close(0.0)
            self._worker = None
        self.button.setText("Write…")
        self.bar.hide()
        if isinstance(found, BaseException):
            self._say(STOPPED if isinstance(found, Cancelled) else str(found))
        else:
            self._say(self.told_of(found))

    def reject(self) -> None:
        """Escape and the close button end what is under way."""
        if self.progress is not None:
            self.progress.cancel()
        super().reject()

    def closeEvent(self, a0: object) -> None:
        if self.progress is not None:
            self.progress.cancel()
