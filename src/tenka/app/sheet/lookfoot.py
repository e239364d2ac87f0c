"""One frame under several looks: the ten to begin with and those that were kept; a click lays one on the
layer."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app.stage.drawn import as_image
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import TenkaError
from tenka.base.jobs import Worker
from tenka.cache.store import Frame
from tenka.effect.courses import still
from tenka.effect.looks import BEGINNINGS, fits, keep, kept_looks, laid
from tenka.effect.model import Camera, Effect, Layer
from tenka.look.render import Renderer
from tenka.look.shot import shot_of
from tenka.pack.reels import png_of
from tenka.run.liquids import LiquidFrame
from tenka.run.watering import WaterFrame
from tenka.scene.cameras import view_of
from tenka.scene.meshes import joined

WIDTH, HEIGHT = 92, 58
FILLS = 0.95  # of the picture's height, by what is drawn
REACH = 1.7  # deviations from its middle that are held


def portrait_camera(camera: Camera, low: np.ndarray, high: np.ndarray) -> Camera:
    """A camera from the same side that holds a box."""
    half = 0.5 * float(np.linalg.norm(high - low))
    far = half / np.tan(np.radians(camera.fov) / 2) / FILLS
    middle = tuple(float(v) for v in (low + high) / 2)
    return camera.model_copy(update={"target": middle, "distance": max(far, 0.05)})


def held_box(frame: Any) -> tuple[np.ndarray, np.ndarray]:
    """The box in which most of what a frame shows is, m."""
    if isinstance(frame, Frame):
        weight = np.asarray(frame.density, np.float64)
        if frame.flame is not None:
            weight = weight + 40.0 * frame.flame
        index = np.argwhere(weight > 0.02 * max(float(weight.max()), 1e-9))
        places = np.asarray(frame.origin) + (index + 0.5) * frame.voxel
        share = weight[tuple(index.T)]
    elif isinstance(frame, WaterFrame):
        x, y = frame.origin
        across, along = (n * frame.cell for n in frame.shape)
        return np.array([x, y, frame.level - 0.1]), np.array([x + across, y + along, frame.level + 0.1])
    elif isinstance(frame, LiquidFrame) and frame.distance.size:
        index = np.argwhere(frame.distance < 0)
        places = np.asarray(frame.origin) + (index + 0.5) * frame.cell
        share = np.ones(len(places))
    else:
        places, share = frame.points.place, np.maximum(frame.points.width, 1e-6).astype(np.float64)
    if not len(places):
        return np.zeros(3), np.ones(3)
    middle = np.average(places, axis=0, weights=share)
    wide = REACH * np.sqrt(np.average((places - middle) ** 2, axis=0, weights=share)) + 0.05
    return middle - wide, middle + wide


def portrait(effect: Effect, layer: Layer, frame: Any, t: float, folder: Path | None) -> np.ndarray:
    """A layer alone, as one of its looks shows it, (h, w, 3)."""
    view = view_of(portrait_camera(effect.camera, *held_box(frame)), 2 * WIDTH, 2 * HEIGHT)
    alone = effect.with_layer(layer).model_copy(update={"layers": (layer,)})
    shot = shot_of(alone, {layer.id: frame}, folder, t, joined([]))
    return Renderer().draw_shot(shot, still(effect.light, t), view, passes=4).rgb


class _Sender(QObject):
    """What the worker gives pictures to: the strip may be gone while one is drawn."""

    drawn = pyqtSignal(int, str, object)


class LookFoot(QWidget):
    """Thumbnails of looks, and keeping the present one."""

    def __init__(self, state: State, layer: Layer) -> None:
        super().__init__()
        self.state, self.id = state, layer.id
        self.buttons: dict[str, QToolButton] = {}
        self._round = 0
        self._sender = _Sender()
        self._worker = worker = Worker("looks", lambda error: None)
        self.destroyed.connect(lambda: worker.close(0.0))
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 8, 6)
        column.setSpacing(5)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        self.strip = strip = QScrollArea()
        strip.setWidgetResizable(True)
        strip.setFrameShape(QFrame.Shape.NoFrame)
        strip.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        strip.setFixedHeight(HEIGHT + 48)
        strip.setAccessibleName("Looks")
        body = QWidget()
        body.setObjectName("bench")
        self.row = QHBoxLayout(body)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(4)
        strip.setWidget(body)
        column.addWidget(strip)
        line = QHBoxLayout()
        self.keep_button = QPushButton("Keep this look…")
        self.keep_button.setToolTip(
            "Keeps the present look with a picture, to be laid on other layers and effects"
        )
        self.keep_button.clicked.connect(self.ask_keep)
        line.addWidget(self.keep_button)
        self.again = QPushButton("This frame")
        self.again.setToolTip("Draws the looks anew, of the frame that is shown now")
        self.again.clicked.connect(self.draw)
        line.addWidget(self.again)
        column.addLayout(line)
        self._sender.drawn.connect(self._take)
        self.destroyed.connect(partial(self._worker.close, 0.0))
        self._fill()

    @property
    def layer(self) -> Layer | None:
        return next((x for x in self.state.effect.layers if x.id == self.id), None)

    def looks(self) -> dict[str, object]:
        """Names and looks that fit the layer."""
        layer = self.layer
        if layer is None:
            return {}
        begin = BEGINNINGS.get(type(getattr(layer, "look", None)), {})
        kept = {name: look for name, look, _ in kept_looks() if fits(look, layer)}
        return {**begin, **kept}

    def _fill(self) -> None:
        """A button for each look, with its picture when that is drawn."""
        while self.row.count():
            item = self.row.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.buttons = {}
        found = self.looks()
        for name in found:
            button = QToolButton()
            button.setText(name)
            button.setToolTip(f"Lay the look {name} on this layer")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(QSize(WIDTH, HEIGHT))
            button.setFixedSize(WIDTH + 18, HEIGHT + 26)
            button.clicked.connect(partial(self.lay, name))
            self.buttons[name] = button
            self.row.addWidget(button)
        self.strip.setVisible(bool(found))
        self.told.setText(
            "This frame under other looks; a click lays one on."
            if found
            else "No look of this kind is kept yet."
        )
        self.draw()

    def showEvent(self, a0: QShowEvent | None) -> None:
        """Looks that were kept elsewhere meanwhile are offered too."""
        super().showEvent(a0)
        if list(self.looks()) != list(self.buttons):
            self._fill()

    def draw(self) -> None:
        """Draw every look on the frame that is shown, in the background."""
        layer, state = self.layer, self.state
        if layer is None or not state.ready:
            return
        self._round += 1
        mine, index, effect, folder, session = (
            self._round,
            state.frame,
            state.effect,
            state.folder,
            state.session,
        )
        found, sender = self.looks(), self._sender

        def work() -> None:
            shown = session.frame(index, False)
            frame = shown.frames.get(layer.id) if shown is not None else None
            if frame is None:
                return
            t = index / effect.rate
            for name, look in found.items():
                if mine != self._round or self._worker.wanted:
                    return
                try:
                    picture = portrait(effect, layer.model_copy(update={"look": look}), frame, t, folder)
                except TenkaError:
                    continue
                sender.drawn.emit(mine, name, as_image(picture))

        self._worker.ask(work)

    def _take(self, round_: int, name: str, image: QImage) -> None:
        if round_ == self._round and name in self.buttons:
            self.buttons[name].setIcon(QIcon(QPixmap.fromImage(image)))

    def lay(self, name: str) -> None:
        """Lay a look on the layer, as one step that can be undone."""
        look = self.looks().get(name)
        if look is None or self.layer is None:
            return
        try:
            changed = laid(self.state.effect, self.id, look)  # type: ignore[arg-type]
        except TenkaError as error:
            self.state.refuse(error)
            return
        self.state.edit(f"layers.{self.id}.look", changed.layer(self.id).look, f"Lay the look {name}")

    def ask_keep(self) -> None:
        """Ask for a name and keep the present look."""
        layer = self.layer
        if layer is not None:
            name, agreed = QInputDialog.getText(self, "Keep this look", "Name", text=layer.name)
            if agreed and name.strip():
                self.keep(name)

    def keep(self, name: str) -> None:
        """Keep the present look under a name, with a picture of the frame that is shown."""
        layer, state = self.layer, self.state
        if layer is None:
            return
        shown = state.session.frame(state.frame, False)
        frame = shown.frames.get(layer.id) if shown is not None else None
        try:
            data = b""
            if frame is not None:
                data = png_of(portrait(state.effect, layer, frame, state.time, state.folder))
            keep(layer.look, name, data)
        except TenkaError as error:
            state.refuse(error)
            return
        state.said.emit(f"Kept the look {name.strip()}: it is among the looks of every layer of this kind.")
        self._fill()
