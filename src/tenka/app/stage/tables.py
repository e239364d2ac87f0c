"""Voxels as a table, and values as a histogram."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.cache.store import Frame
from tenka.look.inspect import AXES, Slice, table_csv
from tenka.look.pathlines import Pathlines


@dataclass(frozen=True)
class Seen:
    """What the worker found for one frame and one set of choices."""

    frame: Frame | None
    cut: Slice | None
    image: QImage | None
    vectors: tuple[np.ndarray, np.ndarray] | None
    lines: Pathlines | None
    counts: np.ndarray | None
    edges: np.ndarray | None


class Histogram(QWidget):
    """How often each value occurs on the slice, in our own look."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(34)
        self._counts: np.ndarray | None = None
        self._text = ""

    def show_counts(self, counts: np.ndarray | None, edges: np.ndarray | None, unit: str) -> None:
        self._counts = counts
        if edges is not None:
            self._text = f"{edges[0]:.3g} to {edges[-1]:.3g} {unit}".strip()
        self.setToolTip("How often each value occurs on the slice; what is nearly nothing is left out")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._counts is None or not self._counts.any():
            return
        painter = QPainter(self)
        w, h = self.width() / len(self._counts), self.height() - 13
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(theme.VERDIGRIS, 0.7))
        for n, share in enumerate(np.sqrt(self._counts / self._counts.max()).tolist()):
            painter.drawRect(QRectF(n * w, h * (1 - share), max(w - 1, 0.6), h * share))
        painter.setPen(theme.colour(theme.QUIET))
        painter.setFont(theme.font(theme.SMALL))
        painter.drawText(
            QRectF(0, h, self.width(), 13),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            self._text,
        )


class _Voxels(QAbstractTableModel):
    def __init__(self) -> None:
        super().__init__()
        self.cut: Slice | None = None

    def show_slice(self, cut: Slice) -> None:
        self.beginResetModel()
        self.cut = cut
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        return 0 if self.cut is None or parent.isValid() else self.cut.values.shape[1]

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:
        return 0 if self.cut is None or parent.isValid() else self.cut.values.shape[0]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if self.cut is None or role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.TextAlignmentRole):
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        # the last voxels are at the top, as they are on the stage
        return f"{float(self.cut.values[index.column(), self.rowCount() - 1 - index.row()]):.4g}"

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role != Qt.ItemDataRole.DisplayRole or self.cut is None:
            return None
        a, b = (n for n in range(3) if n != self.cut.axis)
        return (
            f"{AXES[a]} {section}"
            if orientation == Qt.Orientation.Horizontal
            else f"{AXES[b]} {self.rowCount() - 1 - section}"
        )


class VoxelTable(QDialog):
    """The slice's voxels, and all their values as CSV."""

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Voxels of the slice")
        self.resize(720, 420)
        column = QVBoxLayout(self)
        self.head = QLabel()
        column.addWidget(self.head)
        self.model = _Voxels()
        self.view = QTableView()
        self.view.setModel(self.model)
        self.view.setFont(theme.font(theme.SMALL))
        column.addWidget(self.view, 1)
        line = QHBoxLayout()
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        line.addWidget(self.said, 1)
        export = QPushButton("Export CSV…")
        export.clicked.connect(self._ask)
        line.addWidget(export)
        column.addLayout(line)
        self._seen: Seen | None = None

    def show_slice(self, seen: Seen) -> None:
        self._seen = seen
        if seen.cut is not None:
            self.model.show_slice(seen.cut)
            unit = f" in {seen.cut.field.unit}" if seen.cut.field.unit else ""
            self.head.setText(
                f"{seen.cut.field.name}{unit}, voxels {seen.cut.index} along {AXES[seen.cut.axis]}"
            )

    def _ask(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Export the slice's voxels", "slice.csv", "CSV (*.csv)")
        if name:
            self.export(Path(name))

    def export(self, file: Path) -> None:
        """Write all values of the slice's voxels; a fault is said."""
        if self._seen is None or self._seen.cut is None or self._seen.frame is None:
            return
        try:
            write_atomic(file, table_csv(self._seen.frame, self._seen.cut).encode())
            self.said.setText(f"Wrote {file.name}")
        except (BadInput, OSError) as error:
            self.said.setText(str(error))
