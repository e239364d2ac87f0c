"""One and four sub-steps held against each other by number: what of the motion hangs on the steps."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.base.words import span
from tenka.run.stepping import COUNTS, Stepping, compare_steps

RIGHT = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)


class Steps(QDialog):
    """A row for each figure of each layer."""

    _raw = pyqtSignal(object)
    _moved = pyqtSignal()

    def __init__(self, state: State, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.state = state
        self.found: Stepping | None = None
        self.progress: Progress | None = None
        self._worker = Worker("sub-steps")
        self._raw.connect(self._show)
        self._moved.connect(self._tick)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Compare sub-steps")
        self.setObjectName("ground")
        self.resize(620, 380)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        line = QHBoxLayout()
        self.few, self.many = QSpinBox(), QSpinBox()
        for box, value, name in ((self.few, COUNTS[0], "Few"), (self.many, COUNTS[1], "Many")):
            box.setRange(1, 32)
            box.setValue(value)
            box.setAccessibleName(f"{name} sub-steps")
            box.valueChanged.connect(lambda _: self._name())
        for part in (self.few, QLabel("against"), self.many, QLabel("sub-steps of a frame")):
            line.addWidget(part)
        line.addStretch(1)
        self.button = QPushButton("Compare")
        self.button.setProperty("main", True)
        self.button.clicked.connect(lambda _=False: self.press())
        line.addWidget(self.button)
        column.addLayout(line)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        column.addWidget(self.bar)
        self.told = Wrapped(
            "Both are simulated whole, beside the effect, which stays as it is. Where they hardly differ, "
            "fewer sub-steps do."
        )
        column.addWidget(self.told)
        self.table = QTreeWidget()
        self.table.setRootIsDecorated(False)
        self.table.setAccessibleName("Differences")
        self._heads()
        column.addWidget(self.table, 1)
        self._name()

    def _heads(self) -> None:
        few, many = self.found.counts if self.found is not None else (self.few.value(), self.many.value())
        self.table.setHeaderLabels(["layer", "figure", f"with {few}", f"with {many}", "differ by"])
        head = self.table.header()
        assert head is not None
        head.setStretchLastSection(False)
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)

    def press(self) -> None:
        """Begin, or stop."""
        if self.progress is not None:
            self.progress.cancel()
            return
        state, progress = self.state, Progress()
        progress.listen = lambda _: self._moved.emit()
        self.progress, self.found = progress, None
        effect, folder, store = state.effect, state.folder, state.store
        counts = (self.few.value(), self.many.value())

        def work() -> None:
            try:
                self._raw.emit(compare_steps(effect, folder, store, progress, counts))
            except Cancelled:
                self._raw.emit("Stopped.")
            except (TenkaError, MemoryError) as error:
                self._raw.emit(str(error) or "There is not enough memory for it.")

        self._worker.ask(work)
        self._name()

    def _tick(self) -> None:
        progress = self.progress
        if progress is None:
            return
        self.bar.setRange(0, max(1, progress.total))
        self.bar.setValue(progress.done)
        left = progress.seconds_left
        self.told.setText(f"{progress.what}{f', {span(left)} left' if left else ''}")

    def _show(self, found: Any) -> None:
        self.progress = None
        self._name()
        if isinstance(found, str):
            self.told.setText(found)
            return
        self.found = found
        self._heads()
        self.table.clear()
        for r in found.rows:
            apart = r.what.startswith("Where")
            values = ("", f"{r.many:.3g} {r.unit} apart" if r.unit else "") if apart else ()
            few, many = values or (f"{r.few:.4g} {r.unit}", f"{r.many:.4g} {r.unit}")
            row = QTreeWidgetItem([r.layer, r.what, few, many, f"{100 * r.off:.1f} %"])
            for n in (2, 3, 4):
                row.setTextAlignment(n, RIGHT)
            self.table.addTopLevelItem(row)
        left = f" {', '.join(found.left)}: no sub-steps to set." if found.left else ""
        self.told.setText(found.told() + left)

    def _name(self) -> None:
        running = self.progress is not None
        self.bar.setVisible(running)
        self.button.setText("Stop" if running else "Compare")
        self.button.setEnabled(running or self.few.value() < self.many.value())
        for box in (self.few, self.many):
            box.setEnabled(not running)

    def done(self, result: int) -> None:
        if self.progress is not None:
            self.progress.cancel()
        self._worker.close()
        super().done(result)


def show_steps(state: State, parent: QWidget | None) -> Steps:
    """Open it, and begin."""
    dialog = Steps(state, parent)
    dialog.show()
    dialog.press()
    return dialog
