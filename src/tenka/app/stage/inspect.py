"""Looking into the gas on the stage: a slice plane with its colour bar, vectors, flow lines, a histogram, and
a table of voxels."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen, QPolygonF, QTransform
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSlider, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.stage.tables import Histogram, Seen, VoxelTable, _table
from tenka.app.state import State
from tenka.base.jobs import Worker
from tenka.look.inspect import AXES, FIELDS, Slice, flow_lines, histogram, slice_of, vectors_on
from tenka.run.status import Shown
from tenka.scene.cameras import View

PLACES = 1000
# dark to light in brightness, so that it also reads without colour; two arms from a neutral middle for signed
# fields
RISING = ((0.0, (28, 30, 34)), (0.35, (62, 84, 92)), (0.7, (142, 168, 140)), (1.0, (244, 232, 190)))
EITHER = ((0.0, (214, 132, 92)), (0.5, (44, 46, 50)), (1.0, (110, 196, 184)))


class Inspector(QWidget):
    """The panel on the stage, and what it draws there."""

    found = pyqtSignal(object)
    renewed = pyqtSignal()

    def __init__(self, state: State, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state = state
        self.seen: Seen | None = None
        self._frame: Shown | None = None
        self._worker = Worker("inspect", lambda error: None)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 8)
        column.setSpacing(4)
        column.addLayout(self._fields())
        column.addLayout(self._places())
        column.addLayout(self._views())
        self.setFixedWidth(300)
        self.adjustSize()
        self.found.connect(self._take)
        self.field.activated.connect(self.refresh)
        self.axis.activated.connect(self.refresh)
        self.place.valueChanged.connect(self.refresh)
        for button in (self.slice_button, self.vector_button, self.flow_button):
            button.toggled.connect(self.refresh)
        self.table: VoxelTable | None = None
        self.hide()

    def _fields(self) -> QHBoxLayout:
        """Which field, and across which axis."""
        first = QHBoxLayout()
        first.setSpacing(6)
        self.field = QComboBox()
        self.field.setAccessibleName("Field of the slice")
        for f in FIELDS:
            self.field.addItem(f"{f.name} [{f.unit}]" if f.unit else f.name, f.id)
        self.axis = QComboBox()
        self.axis.setAccessibleName("Axis of the slice")
        for n, name in enumerate(AXES):
            self.axis.addItem(f"across {name}", n)
        self.axis.setCurrentIndex(1)
        first.addWidget(self.field, 1)
        first.addWidget(self.axis)
        return first

    def _places(self) -> QHBoxLayout:
        """Where the slice lies."""
        second = QHBoxLayout()
        second.setSpacing(6)
        self.place = QSlider(Qt.Orientation.Horizontal)
        self.place.setRange(0, PLACES)
        self.place.setValue(PLACES // 2)
        self.place.setAccessibleName("Place of the slice")
        self.place.setToolTip("Moves the slice through the domain")
        self.where = QLabel()
        self.where.setProperty("quiet", True)
        self.where.setFixedWidth(64)
        second.addWidget(self.place, 1)
        second.addWidget(self.where)
        return second

    def _views(self) -> QHBoxLayout:
        """How the field is shown, and how its values lie."""
        third = QHBoxLayout()
        third.setSpacing(2)
        self.slice_button = self._toggle("slice", "Slice plane")
        self.slice_button.setChecked(True)
        self.vector_button = self._toggle("move-3d", "Velocity on the slice, as arrows")
        self.flow_button = self._toggle("spline", "Flow lines where there is gas")
        self.table_button = self._toggle("table", "The slice's voxels as a table")
        self.table_button.setCheckable(False)
        self.table_button.clicked.connect(self.open_table)
        for button in (self.slice_button, self.vector_button, self.flow_button, self.table_button):
            third.addWidget(button)
        self.graph = Histogram()
        third.addWidget(self.graph, 1)
        return third

    def _toggle(self, icon: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setIcon(theme.icon(icon))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.setCheckable(True)
        return button

    def show_frame(self, shown: Shown | None) -> None:
        """Look into another frame; nothing is computed while the panel is closed."""
        if shown is not self._frame:
            self._frame = shown
            self.refresh()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Ask for what the present choices show of the present frame."""
        shown, session = self._frame, self.state.session
        if not self.isVisible() or shown is None:
            return
        id, axis, share = self.field.currentData(), self.axis.currentData(), self.place.value() / PLACES
        layer = self.state.gas.id if self.state.gas is not None else None
        sliced, arrows, flowing = (
            self.slice_button.isChecked(),
            self.vector_button.isChecked(),
            self.flow_button.isChecked(),
        )

        def work() -> None:
            frame = shown.gas(layer)
            if frame is None or frame.velocity is None:
                whole = session.frame_with_velocity(shown.index, layer)
                if whole is None:
                    return
                frame = whole
            place = frame.origin[axis] + share * frame.shape[axis] * frame.voxel
            cut = slice_of(frame, id, axis, min(place, float(frame.high[axis]) - 1e-6))
            counts, edges = histogram(cut.values)
            self.found.emit(
                Seen(
                    frame,
                    cut,
                    _image(cut) if sliced else None,
                    vectors_on(frame, cut) if arrows else None,
                    flow_lines(frame) if flowing else None,
                    counts,
                    edges,
                )
            )

        self._worker.ask(work)

    def _take(self, seen: Seen) -> None:
        self.seen = seen
        if seen.cut is not None:
            self.where.setText(f"{seen.cut.corners[0, seen.cut.axis]:.2f} m")
            self.graph.show_counts(seen.counts, seen.edges, seen.cut.field.unit)
        if self.table is not None and self.table.isVisible():
            self.table.show_slice(seen)
        self.renewed.emit()

    @property
    def busy(self) -> bool:
        return not self._worker.idle

    def open_table(self) -> None:
        if self.seen is None:
            return
        if self.table is None:
            self.table = VoxelTable(self.window())
        self.table.show_slice(self.seen)
        self.table.show()

    def close_worker(self) -> None:
        self._worker.close()

    # --- on the stage -------------------------------------------------------------------------

    def paint(self, painter: QPainter, view: View, rect: QRectF) -> None:
        """Draw over the picture what was found."""
        seen = self.seen
        if not self.isVisible() or seen is None:
            return
        if seen.image is not None and seen.cut is not None:
            at = view.project(seen.cut.corners)
            if (at[:, 2] > 0.05).all():
                h, w = float(seen.image.height()), float(seen.image.width())
                flat = QPolygonF([QPointF(0, 0), QPointF(w, 0), QPointF(w, h), QPointF(0, h)])
                spot = QPolygonF([QPointF(x, y) for x, y in at[:, :2].tolist()])
                turned = QTransform()
                if QTransform.quadToQuad(flat, spot, turned):
                    painter.save()
                    painter.setTransform(turned, True)
                    painter.setOpacity(0.86)
                    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
                    painter.drawImage(QPointF(0, 0), seen.image)
                    painter.restore()
        if seen.vectors is not None:
            self._arrows(painter, view, *seen.vectors)
        if seen.lines is not None:
            self._lines(painter, view, seen.lines)
        if seen.image is not None and seen.cut is not None:
            colour_bar(painter, QRectF(rect.right() - 30, rect.top() + 60, 10, 150), seen.cut)

    def _arrows(self, painter: QPainter, view: View, places: np.ndarray, velocity: np.ndarray) -> None:
        fastest = max(float(np.linalg.norm(velocity, axis=1).max()), 1e-6)
        assert self.seen is not None
        reach = 1.6 * max(self.seen.frame.shape) * self.seen.frame.voxel / 24
        feet, tips = view.project(places), view.project(places + velocity / fastest * reach)
        painter.setPen(QPen(theme.colour(theme.TEXT, 0.75), 1.0))
        for (x, y, z), (u, v, w) in zip(feet.tolist(), tips.tolist()):
            if z > 0.05 and w > 0.05:
                painter.drawLine(QPointF(x, y), QPointF(u, v))
                painter.drawEllipse(QPointF(x, y), 1.0, 1.0)

    def _lines(self, painter: QPainter, view: View, lines: np.ndarray) -> None:
        for line in lines:
            at = view.project(line)
            if (at[:, 2] <= 0.05).any():
                continue
            points = [QPointF(x, y) for x, y in at[:, :2].tolist()]
            for part, strength in ((points[: len(points) // 2 + 1], 0.35), (points[len(points) // 2 :], 0.8)):
                painter.setPen(
                    QPen(theme.colour(theme.TEXT, strength), 1.1)
                )  # fainter where it begins: so one sees which way
                painter.drawPolyline(QPolygonF(part))


def _image(cut: Slice) -> QImage:
    """The slice in colours; columns run along the first other axis."""
    low, high = cut.range
    shade = np.clip((cut.values - low) / (high - low) * 255.0, 0, 255).astype(np.uint8)
    pixels = np.ascontiguousarray(_table(EITHER if cut.field.signed else RISING)[shade.T])
    h, w, _ = pixels.shape
    return QImage(pixels.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).convertToFormat(
        QImage.Format.Format_RGB32
    )


def colour_bar(painter: QPainter, rect: QRectF, cut: Slice) -> None:
    """The slice's colours with their values, the unit above."""
    colours = _table(EITHER if cut.field.signed else RISING)[::-1]
    bar = QImage(np.ascontiguousarray(colours).tobytes(), 1, 256, 3, QImage.Format.Format_RGB888)
    painter.drawImage(rect, bar)
    painter.setPen(theme.colour(theme.TEXT))
    painter.setFont(theme.font(theme.SMALL))
    low, high = cut.range
    for share in (0.0, 0.5, 1.0):
        y = rect.bottom() - share * rect.height()
        painter.drawText(
            QRectF(rect.left() - 90, y - 8, 84, 16),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"{low + share * (high - low):.3g}",
        )
    title = cut.field.name + (f" [{cut.field.unit}]" if cut.field.unit else "")
    painter.drawText(QRectF(rect.right() - 160, rect.top() - 28, 160, 16), Qt.AlignmentFlag.AlignRight, title)
