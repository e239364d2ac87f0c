"""What is kept of simulations: by effect and trial, what would be made again and why, and cleaning."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.base.words import counted, size_of
from tenka.run.holdings import Holding, holdings, remove
from tenka.run.noted import why_again
from tenka.run.plans import plans_of

RIGHT = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
NAMES = Qt.ItemDataRole.UserRole


class Kept(QDialog):
    """A row for each effect, under it what it is of; what is selected goes, or all that nobody needs."""

    _raw = pyqtSignal(object)

    def __init__(self, state: State, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.state = state
        self.found: list[Holding] = []
        self._worker, self._progress = Worker("kept"), Progress()
        self._raw.connect(self._show)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("What is kept of simulations")
        self.setObjectName("ground")
        self.resize(640, 460)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        self.told = Wrapped("Looking…")
        column.addWidget(self.told)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("What is kept")
        self.tree.setHeaderLabels(["effect", "on disk", "files"])
        self.tree.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        head = self.tree.header()
        assert head is not None
        head.setStretchLastSection(False)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.tree.itemSelectionChanged.connect(self._name)
        column.addWidget(self.tree, 1)
        title = QLabel(f"Of {state.effect.name}")
        title.setProperty("quiet", True)
        column.addWidget(title)
        self.again = Wrapped()
        column.addWidget(self.again)
        column.addLayout(self._foot())
        self._look()

    def _foot(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.removes = QPushButton("Remove what is selected")
        self.removes.clicked.connect(lambda _=False: self._remove(self._selected()))
        self.cleans = QPushButton("Remove what nobody needs")
        self.cleans.setProperty("main", True)
        self.cleans.setToolTip(
            "Frames of earlier states, to which undo alone leads back, and of effects that are gone"
        )
        self.cleans.clicked.connect(lambda _=False: self._remove(self._needless()))
        leave = QPushButton("Close")
        leave.clicked.connect(self.close)
        line.addWidget(self.removes)
        line.addStretch(1)
        line.addWidget(leave)
        line.addWidget(self.cleans)
        return line

    def _look(self) -> None:
        state, progress = self.state, self._progress
        store, effect, folder = state.store, state.effect, state.folder
        opened = (store.owner, effect, folder)

        def work() -> None:
            try:
                found = holdings(store, opened, progress.check)
                layers = []
                for plan in plans_of(effect, folder).values():
                    stored = plan.stored(store)
                    layers.append((plan.layer.name, sum(stored), len(stored), why_again(plan, store)))
                self._raw.emit((found, layers))
            except Cancelled:
                pass
            except TenkaError as error:
                self._raw.emit(str(error))

        self._worker.ask(work)
        self._name()

    def _show(self, found: Any) -> None:
        if isinstance(found, str):
            self.told.setText(found)
            return
        self.found, layers = found
        self.tree.clear()
        for h in self.found:
            top = self._row(h)
            self.tree.addTopLevelItem(top)
            top.setExpanded(h.owner == self.state.store.owner)
        total, limit = sum(h.bytes for h in self.found), self.state.store.limit
        spare = sum(self._spare(h) for h in self.found)
        self.told.setText(
            f"{size_of(total)} of {size_of(limit)}, {size_of(spare)} of it needed by nobody. What was used "
            "least lately goes first where there is no room; all of it can be made again."
        )
        rows = []
        for name, have, frames, why in layers:
            again = f"; made again: {why}" if why else ""
            rows.append(f"{name}: {have} of {counted(frames, 'frame')} stored{again}")
        self.again.setText("\n".join(rows))
        self._name()

    @staticmethod
    def _row(h: Holding) -> QTreeWidgetItem:
        """An effect, and under it what its files are of."""
        files = sum(len(part.names) for part in h.parts.values())
        gone = "" if h.there or not h.owner else ", its file is gone"
        top = QTreeWidgetItem([f"{h.title}{gone}", size_of(h.bytes), f"{files:,}"])
        top.setToolTip(0, h.owner)
        top.setData(0, NAMES, [name for part in h.parts.values() for name in part.names])
        for what, part in sorted(h.parts.items(), key=lambda row: -row[1].bytes):
            row = QTreeWidgetItem([what, size_of(part.bytes), f"{len(part.names):,}"])
            row.setData(0, NAMES, part.names)
            top.addChild(row)
        for item in (top, *(top.child(n) for n in range(top.childCount()))):
            for column in (1, 2):
                if item is not None:
                    item.setTextAlignment(column, RIGHT)
        return top

    @staticmethod
    def _spare(h: Holding) -> int:
        spare = set(h.needless)
        return sum(part.bytes for part in h.parts.values() if part.names and part.names[0] in spare)

    def _needless(self) -> list[str]:
        return [name for h in self.found for name in h.needless]

    def _selected(self) -> list[str]:
        return list(
            dict.fromkeys(name for item in self.tree.selectedItems() for name in item.data(0, NAMES) or ())
        )

    def _name(self) -> None:
        self.removes.setEnabled(bool(self.tree.selectedItems()))
        self.cleans.setEnabled(bool(self._needless()))

    def _remove(self, names: list[str]) -> None:
        count = remove(self.state.store, names)
        self.state.said.emit(f"{counted(count, 'file')} of simulations removed.")
        self.state.session.again()
        self.told.setText("Looking…")
        self._look()

    def done(self, result: int) -> None:
        self._progress.cancel()
        self._worker.close()
        super().done(result)


def show_kept(state: State, parent: QWidget | None) -> Kept:
    """Open it."""
    dialog = Kept(state, parent)
    dialog.show()
    return dialog
