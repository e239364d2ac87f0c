"""Looking into what is on the stage: a slice plane with its colour bar, of the gas or of the forces, vectors,
pathlines, what sleeps, a histogram, and a table of voxels."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QTransform
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.sheet.groups import LineSlider
from tenka.app.stage.paths import PathPanel, paint_paths
from tenka.app.stage.rests import paint_rests, room_of
from tenka.app.stage.shades import colour_bar, image_of
from tenka.app.stage.tables import Histogram, Seen, VoxelTable
from tenka.app.state import State
from tenka.base.errors import Cancelled
from tenka.base.jobs import Worker
from tenka.cache.store import Frame
from tenka.look.inspect import AXES, FIELDS, histogram, slice_of, vectors_on
from tenka.look.pushes import PUSH, Room, push_slice
from tenka.run.status import Shown
from tenka.scene.cameras import View

PLACES = 1000
ACROSS = 64  # values along the longest side of a slice through a place without gas


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
        self._asked = 0
        self._worker = Worker("inspect", lambda error: None)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 8)
        column.setSpacing(4)
        column.addLayout(self._fields())
        column.addLayout(self._places())
        column.addLayout(self._views())
        self.paths = PathPanel(self)
        self.paths.hide()
        column.addWidget(self.paths)
        self.setFixedWidth(300)
        self.adjustSize()
        self.found.connect(self._take)
        self.field.activated.connect(self.refresh)
        self.axis.activated.connect(self.refresh)
        self.place.valueChanged.connect(self.refresh)
        for button in (self.slice_button, self.vector_button, self.flow_button):
            button.toggled.connect(self.refresh)
        self.rest_button.toggled.connect(self.renewed)
        self.flow_button.toggled.connect(self._show_paths)
        self.paths.changed.connect(self._paths_changed)
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
        self.field.addItem(f"{PUSH.name} [{PUSH.unit}]", PUSH.id)
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
        self.place = LineSlider()
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
        self.flow_button = self._toggle("spline", "Pathlines: where gas goes, and came from")
        self.rest_button = self._toggle("moon", "What sleeps, sticks and moves, of particles and pieces")
        self.table_button = self._toggle("table", "The slice's voxels as a table")
        self.table_button.setCheckable(False)
        self.table_button.clicked.connect(self.open_table)
        for button in (
            self.slice_button,
            self.vector_button,
            self.flow_button,
            self.rest_button,
            self.table_button,
        ):
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

    def _show_paths(self, on: bool) -> None:
        self.paths.setVisible(on)
        self._fit()

    def _paths_changed(self) -> None:
        self._fit()
        self.refresh()

    def _fit(self) -> None:
        """As high as what it shows."""
        column = self.layout()
        assert column is not None
        column.activate()
        self.adjustSize()

    def refresh(self) -> None:
        """Ask for what the present choices show of the present frame."""
        shown, session, state = self._frame, self.state.session, self.state
        if not self.isVisible() or shown is None:
            return
        id, axis, share = self.field.currentData(), self.axis.currentData(), self.place.value() / PLACES
        layer, effect, folder = state.gas.id if state.gas is not None else None, state.effect, state.folder
        sliced, arrows = self.slice_button.isChecked(), self.vector_button.isChecked()
        wanted = self.paths.asked() if self.flow_button.isChecked() else None
        self._asked += 1
        mine = self._asked

        def frame_of(index: int) -> Frame | None:
            if self._asked != mine:
                raise Cancelled
            return session.frame_with_velocity(index, layer)

        def work() -> None:
            frame = shown.gas(layer)
            if frame is not None and frame.velocity is None:
                frame = session.frame_with_velocity(shown.index, layer)
            room = _room(frame, shown)
            if room is None or (frame is None and id != PUSH.id):
                self.found.emit(Seen(None, None, None, None, None, None, None))
                return
            place = room.origin[axis] + share * room.shape[axis] * room.voxel
            place = min(place, room.origin[axis] + room.shape[axis] * room.voxel - 1e-6)
            if id == PUSH.id:
                cut = push_slice(effect, folder, shown.index / effect.rate, room, axis, place)
            else:
                assert frame is not None
                cut = slice_of(frame, id, axis, place)
            counts, edges = histogram(cut.values)
            lines = None
            if wanted is not None and frame is not None:
                try:
                    lines = wanted.lines(frame, frame_of, shown.index, effect.rate)
                except Cancelled:
                    return
            self.found.emit(
                Seen(
                    frame,
                    cut,
                    image_of(cut) if sliced else None,
                    vectors_on(frame, cut) if arrows and frame is not None else None,
                    lines,
                    counts,
                    edges,
                )
            )

        self._worker.ask(work)

    def takes_click(self, view: View, x: float, y: float) -> bool:
        """Begin a line by hand where a click meets the slice; False where clicks mean something else."""
        seen = self.seen
        if not (self.isVisible() and self.flow_button.isChecked() and self.paths.by_hand):
            return False
        if seen is None or seen.cut is None:
            return False
        start, way = view.ray(x, y)
        axis, plane = seen.cut.axis, float(seen.cut.corners[0, seen.cut.axis])
        if abs(way[axis]) < 1e-9:
            return False
        place = start + (plane - start[axis]) / way[axis] * way
        inside = (place >= seen.cut.corners.min(axis=0) - 1e-6) & (
            place <= seen.cut.corners.max(axis=0) + 1e-6
        )
        if not np.delete(inside, axis).all():
            return False
        self.paths.begin_at(place)
        return True

    def _take(self, seen: Seen) -> None:
        self.seen = seen
        if seen.cut is not None and seen.counts is not None:
            self.where.setText(f"{seen.cut.corners[0, seen.cut.axis]:.2f} m")
            self.graph.show_counts(seen.counts, seen.edges, seen.cut.field.unit)
        if self.table is not None and self.table.isVisible():
            self.table.show_slice(seen)
        self.renewed.emit()

    @property
    def busy(self) -> bool:
        return not self._worker.idle

    def open_table(self) -> None:
        if self.seen is None or self.seen.frame is None:
            self.state.said.emit("There is no gas here whose voxels a table could list.")
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
        if self.rest_button.isChecked() and self._frame is not None:
            paint_rests(painter, view, rect, self._frame)
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
        bar = QRectF(rect.right() - 30, rect.top() + 60, 10, 150)
        if seen.lines is not None:
            paint_paths(painter, view, seen.lines)
            if seen.lines.field is not None:
                colour_bar(painter, bar, seen.lines.field, *seen.lines.range, lines=True)
                bar = bar.translated(0, 210)
        if seen.image is not None and seen.cut is not None:
            colour_bar(painter, bar, seen.cut.field, *seen.cut.range)

    def _arrows(self, painter: QPainter, view: View, places: np.ndarray, velocity: np.ndarray) -> None:
        fastest = max(float(np.linalg.norm(velocity, axis=1).max()), 1e-6)
        assert self.seen is not None and self.seen.frame is not None
        reach = 1.6 * max(self.seen.frame.shape) * self.seen.frame.voxel / 24
        feet, tips = view.project(places), view.project(places + velocity / fastest * reach)
        painter.setPen(QPen(theme.colour(theme.TEXT, 0.75), 1.0))
        for (x, y, z), (u, v, w) in zip(feet.tolist(), tips.tolist()):
            if z > 0.05 and w > 0.05:
                painter.drawLine(QPointF(x, y), QPointF(u, v))
                painter.drawEllipse(QPointF(x, y), 1.0, 1.0)


def _room(frame: Frame | None, shown: Shown) -> Room | None:
    """The box that is looked into: that of the gas, or without one where particles are."""
    if frame is not None:
        return Room(frame.origin, frame.shape, frame.voxel)
    held = room_of(shown)
    if held is None:
        return None
    low, high = held
    voxel = float((high - low).max()) / ACROSS
    nx, ny, nz = (max(1, int(np.ceil(n))) for n in (high - low) / voxel)
    return Room((float(low[0]), float(low[1]), float(low[2])), (nx, ny, nz), voxel)
