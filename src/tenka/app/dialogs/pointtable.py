"""A table of particle values at the shown frame: sorted by any column, filtered, written as CSV; pieces are
deleted, held, moved or turned from it."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QItemSelectionModel, QModelIndex, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.sheet.groups import VectorField
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.base.files import write_atomic
from tenka.effect.catalogue import params
from tenka.effect.debris import Shifted
from tenka.effect.model import PointLayer
from tenka.look.pieces import kept_pieces
from tenka.pack.outgoing import columns_of
from tenka.particles.files import Column, csv_bytes
from tenka.particles.schedule import BURST_SHIFT
from tenka.run.frames import PointFrame

SIGNS = (">", "<", "=")


def short_id(id: int) -> str:
    """A particle's number as it is read: those of bursts begin with a b; its source has a column of its
    own."""
    number, burst = id & ((1 << BURST_SHIFT) - 1), (id >> BURST_SHIFT) & 15
    return f"b{number}" if burst else str(number)


WHOLE = ("id", "source", "asleep", "stuck")


class Values(QAbstractTableModel):
    """Columns of values; `order` are the rows that are shown, in their order."""

    def __init__(self) -> None:
        super().__init__()
        self.columns: list[Column] = []
        self.order = np.zeros(0, np.int64)
        self.by, self.falling = 0, False
        self.filter: tuple[int, str, float] | None = None

    def show_columns(self, columns: list[Column]) -> None:
        self.beginResetModel()
        self.columns = columns
        self._arrange()
        self.endResetModel()

    def set_filter(self, rule: tuple[int, str, float] | None) -> None:
        self.beginResetModel()
        self.filter = rule
        self._arrange()
        self.endResetModel()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self.beginResetModel()
        self.by, self.falling = column, order == Qt.SortOrder.DescendingOrder
        self._arrange()
        self.endResetModel()

    def _arrange(self) -> None:
        if not self.columns:
            self.order = np.zeros(0, np.int64)
            return
        kept = np.arange(len(self.columns[0].values))
        if self.filter is not None:
            column, sign, value = self.filter
            values = self.columns[column].values
            kept = np.flatnonzero(
                values > value
                if sign == ">"
                else values < value
                if sign == "<"
                else np.isclose(values, value, rtol=1e-3)
            )
        keys = self.columns[min(self.by, len(self.columns) - 1)].values[kept]
        order = np.argsort(keys, kind="stable")
        self.order = kept[order[::-1] if self.falling else order]

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.order)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role != Qt.ItemDataRole.DisplayRole or not index.isValid():
            return None
        column = self.columns[index.column()]
        value = column.values[self.order[index.row()]]
        if column.name == "id":
            return short_id(int(value))
        return (
            str(int(value))
            if column.name in WHOLE
            else "stays"
            if column.name == "life" and not np.isfinite(value)
            else f"{float(value):.4g}"
        )

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        return (
            self.columns[section].head
            if orientation == Qt.Orientation.Horizontal and section < len(self.columns)
            else section + 1
        )


class PointTable(QDialog):
    """Follows the shown frame."""

    def __init__(self, state: State, layer: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.state, self.layer_id = state, layer
        self.resize(900, 460)
        column = QVBoxLayout(self)
        line = QHBoxLayout()
        self.head = QLabel()
        line.addWidget(self.head, 1)
        self.which, self.sign, self.value = QComboBox(), QComboBox(), QLineEdit()
        self.which.setAccessibleName("Filter by")
        self.sign.setAccessibleName("Comparison")
        self.sign.addItems(SIGNS)
        self.value.setPlaceholderText("all")
        self.value.setAccessibleName("Value to compare with")
        self.value.setFixedWidth(90)
        show = QLabel("Show")
        show.setProperty("quiet", True)
        for part in (show, self.which, self.sign, self.value):
            line.addWidget(part)
        column.addLayout(line)
        self.model = Values()
        self.view = QTableView()
        self.view.setModel(self.model)
        self.view.setFont(theme.font(theme.SMALL))
        self.view.setSortingEnabled(True)
        self.view.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.view.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        column.addWidget(self.view, 1)
        foot = QHBoxLayout()
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        foot.addWidget(self.said, 1)
        self.delete, self.hold = QPushButton("Delete pieces"), QPushButton("Hold pieces")
        self.delete.setToolTip(
            "Takes the selected pieces out of the picture and of what is written; undo brings them back"
        )
        self.hold.setToolTip("Lets the selected pieces stay where they are born")
        self.delete.clicked.connect(lambda: self._edit("deleted", "Delete pieces"))
        self.hold.clicked.connect(lambda: self._edit("held", "Hold pieces"))
        export = QPushButton("Export CSV…")
        export.clicked.connect(self._ask)
        for button in (self.delete, self.hold, export):
            foot.addWidget(button)
        self.shift = QWidget()
        line = QHBoxLayout(self.shift)
        line.setContentsMargins(0, 0, 0, 0)
        self.fields: dict[str, VectorField] = {}
        for name, told in (("by", "Selected pieces moved by"), ("about", "turned by")):
            label = QLabel(told)
            label.setProperty("quiet", True)
            field = VectorField(params(Shifted)[name], (0.0, 0.0, 0.0))
            field.changed.connect(partial(self._shift, name))
            self.fields[name] = field
            line.addWidget(label)
            line.addWidget(field, 1)
        column.addWidget(self.shift)
        column.addLayout(foot)
        self._shown: tuple[str, int, object] | None = None
        self._marking = False
        state.points_chosen.connect(self.mark_chosen)
        selection = self.view.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(self._choose)
        for chosen in (self.which.activated, self.sign.activated):
            chosen.connect(self._filter)
        self.value.textChanged.connect(self._filter)
        state.moved.connect(self.refresh)
        state.changed.connect(self.refresh)
        state.news.connect(self.refresh)
        self.refresh()

    @property
    def layer(self) -> Any:
        return next((x for x in self.state.effect.layers if x.id == self.layer_id), None)

    def refresh(self, *_: object) -> None:
        """Show the present frame, when it is another than is shown."""
        layer = self.layer
        if layer is None:
            self.close()
            return
        frame = self.state.session.points_at(self.state.frame, self.layer_id)
        key = (self.state.session.key_of(self.state.frame), self.state.frame, layer.edits)
        if frame is None or key == self._shown:
            return
        self._shown = key
        self.show_frame(frame, layer)
        self.mark_chosen()  # a table that is filled anew has nothing selected

    def show_frame(self, frame: PointFrame, layer: PointLayer) -> None:
        points = kept_pieces(layer, frame.points)
        columns = columns_of(layer, points, frame.time)
        if self.which.count() != len(columns):
            self.which.clear()
            self.which.addItems([c.head for c in columns])
            self.which.setCurrentIndex(next(n for n, c in enumerate(columns) if c.name == "age"))
        self.model.show_columns(columns)
        word = layer.UNITS
        self.setWindowTitle(f"{layer.name}: {word}")
        self.head.setText(
            f"{layer.name}, frame {self.state.frame + 1}: {len(points):,} {word}, "
            f"{self.model.rowCount():,} shown"
        )
        for part in (self.delete, self.hold, self.shift):
            part.setVisible(hasattr(layer, "deleted"))

    def ids_of_rows(self) -> tuple[int, ...]:
        """Ids of the selected rows."""
        selection = self.view.selectionModel()
        rows = [i.row() for i in selection.selectedRows()] if selection is not None else []
        if not rows or not self.model.columns:
            return ()
        return tuple(int(i) for i in self.model.columns[0].values[self.model.order[rows]])

    def _choose(self, *_: object) -> None:
        """The stage rings what is selected here."""
        if not self._marking:
            self._show_shift()
            self._marking = True
            self.state.choose_points(self.layer_id, self.ids_of_rows())
            self._marking = False

    def mark_chosen(self) -> None:
        """Select the rows of what was chosen on the stage."""
        layer, ids = self.state.points
        if self._marking or layer != self.layer_id or not self.model.columns:
            return
        self._marking = True
        self.view.clearSelection()
        rows = np.flatnonzero(np.isin(self.model.columns[0].values[self.model.order], ids))
        selection = self.view.selectionModel()
        more = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        for row in rows.tolist():
            if selection is not None:
                selection.select(self.model.index(row, 0), more)
            self.view.scrollTo(self.model.index(row, 0))
        self._marking = False

    def _filter(self) -> None:
        text = self.value.text().strip().replace(",", ".")
        try:
            rule = (self.which.currentIndex(), self.sign.currentText(), float(text)) if text else None
        except ValueError:
            self.said.setText(f"'{text}' is not a number.")
            return
        self.said.setText("")
        self.model.set_filter(rule)
        self.head.setText(self.head.text().rsplit(", ", 1)[0] + f", {self.model.rowCount():,} shown")

    def _edit(self, name: str, label: str) -> None:
        layer, ids = self.layer, self.ids_of_rows()
        if not hasattr(layer, "deleted"):
            return
        if not ids:
            self.said.setText("Select rows first.")
            return
        self.state.edit(f"layers.{layer.id}.{name}", (*getattr(layer, name), *ids), label)
        self.said.setText(f"{len(ids)} of them; undo brings them back.")

    def _show_shift(self) -> None:
        """Show how the first of what is selected stands otherwise."""
        ids = self.ids_of_rows()
        found = next((s for s in getattr(self.layer, "shifted", ()) if ids and s.id == ids[0]), None)
        for name, field in self.fields.items():
            field.show_value(getattr(found, name) if found is not None else (0.0, 0.0, 0.0))

    def _shift(self, name: str, value: tuple[float, float, float], token: object) -> None:
        """Move or turn the selected pieces, at every moment."""
        layer, ids = self.layer, self.ids_of_rows()
        if not ids:
            self.said.setText("Select rows first.")
            self._show_shift()
            return
        label = "Move pieces" if name == "by" else "Turn pieces"
        shifted = layer.with_shift(ids, **{name: value}).shifted
        self.state.edit(f"layers.{layer.id}.shifted", shifted, label, token)

    def _ask(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Export the shown particles", f"{self.layer_id}.csv", "CSV (*.csv)"
        )
        if name:
            self.export(Path(name))

    def export(self, file: Path) -> None:
        """Write the rows that are shown, in their order; a fault is said."""
        columns = [Column(c.name, c.unit, c.values[self.model.order]) for c in self.model.columns]
        try:
            write_atomic(file, csv_bytes(columns))
            self.said.setText(f"Wrote {self.model.rowCount():,} rows to {file.name}")
        except TenkaError as error:
            self.said.setText(str(error))
