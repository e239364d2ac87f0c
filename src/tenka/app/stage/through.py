"""Looking through a camera of the effect: the stage follows it, keeps views and keys in it, and lays its
reference picture over what it sees."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPen
from PyQt6.QtWidgets import QMenu

from tenka.app import theme
from tenka.effect.cameras import SceneCamera
from tenka.effect.document import get
from tenka.effect.starters import with_camera
from tenka.scene.cameras import View, camera_at, set_to, view_of

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage

FREE = "The stage's own view"
MOST = 4096  # px of a reference picture's longer side that are read


class Through:
    """Which camera the stage looks through, if any."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.id = ""
        self._picture: tuple[object, QImage | None] = (None, None)

    @property
    def camera(self) -> SceneCamera | None:
        """The one that is looked through."""
        return next((c for c in self.stage.state.effect.cameras if c.id == self.id), None)

    def follow(self, index: int) -> None:
        """Let the stage see what the camera does at a frame."""
        own, effect = self.camera, self.stage.state.effect
        if own is not None:
            self.stage.camera = camera_at(own, effect.props, index / effect.rate)

    def look(self, id: str) -> None:
        """Look through a camera, or with '' from where one is."""
        self.id = id
        self.stage.redraw()

    def next(self) -> None:
        """Look through the next camera, after the last one freely again."""
        ids = ["", *(c.id for c in self.stage.state.effect.cameras)]
        if len(ids) == 1:
            self.stage.state.said.emit(
                "There is no camera yet: the menu of the camera on the stage keeps one."
            )
            return
        at = ids.index(self.id) if self.id in ids else 0
        self.look(ids[(at + 1) % len(ids)])

    def keep(self) -> None:
        """Keep what is seen as a new camera."""
        state = self.stage.state
        effect = state.effect.model_copy(update={"camera": self.stage.camera})
        effect, path = with_camera(effect)
        state.edit("cameras", effect.cameras, "Keep a camera")
        state.select(path)
        self.look(path.rpartition(".")[2])

    def put(self, camera: SceneCamera, key: bool) -> None:
        """Let a camera see what the stage does: always, or by keys at the present time."""
        state = self.stage.state
        items = tuple(
            set_to(c, self.stage.camera, state.effect.props, state.time, key) if c.id == camera.id else c
            for c in state.effect.cameras
        )
        state.edit("cameras", items, f"{'Key' if key else 'Move'} {camera.name}")
        self.look(camera.id)

    def chosen(self) -> SceneCamera | None:
        """The camera that is selected, or looked through, or was looked through last."""
        state = self.stage.state
        if state.selection.startswith("cameras."):
            found: SceneCamera = get(state.effect, state.selection)
            return found
        return self.camera or (state.effect.cameras[-1] if state.effect.cameras else None)

    def key_here(self) -> None:
        """Give the camera that is worked with keys that see what the stage does now."""
        own = self.chosen()
        if own is None:
            self.keep()
        else:
            self.put(own, True)

    def fill(self, menu: QMenu) -> None:
        """What can be looked through, and what can be kept."""
        menu.clear()
        state = self.stage.state
        for id, name in (("", FREE), *((c.id, c.name) for c in state.effect.cameras)):
            action = menu.addAction(name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(id == (self.id if self.camera else ""))
            action.triggered.connect(lambda _=False, id=id: self.look(id))
        menu.addSeparator()
        own = self.chosen()
        works: list[tuple[str, Callable[[], None]]] = [
            ("Keep this view as a camera", self.keep),
            ("Open the effect with this view", self._open_with),
        ]
        if own is not None:
            works += [
                (f"Move {own.name} to this view", partial(self.put, own, False)),
                (f"Key {own.name} here", partial(self.put, own, True)),
            ]
        for text, call in works:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _=False, call=call: call())

    def _open_with(self) -> None:
        self.stage.state.edit("camera", self.stage.camera, "Keep the view")

    # --- painting -----------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        """The reference picture of the camera that is looked through, thirds, and its name."""
        own, w, h = self.camera, self.stage.width(), self.stage.height()
        if own is None:
            return
        picture = self._reference(own)
        if picture is not None:
            self._lay(painter, own, picture)
        painter.setPen(QPen(theme.colour(theme.TEXT, 0.16), 1.0))
        for n in (1, 2):
            painter.drawLine(QPointF(w * n / 3, 0), QPointF(w * n / 3, h))
            painter.drawLine(QPointF(0, h * n / 3), QPointF(w, h * n / 3))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.TEXT, 0.85))
        painter.drawText(
            QRectF(w / 2, 12, w / 2 - 12, 18), Qt.AlignmentFlag.AlignRight, f"through {own.name}"
        )

    def _lay(self, painter: QPainter, own: SceneCamera, picture: QImage) -> None:
        """The reference over what is seen, or on the right half beside it, as tall as the stage."""
        w, h = self.stage.width(), self.stage.height()
        wide = h * picture.width() / max(picture.height(), 1)
        painter.save()
        if own.reference_shown == "beside":
            painter.setClipRect(QRectF(w / 2, 0, w / 2, h))
        else:
            painter.setOpacity(own.reference_share)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF((w - wide) / 2, 0, wide, h), picture)
        painter.restore()

    def _reference(self, own: SceneCamera) -> QImage | None:
        """A camera's reference picture in its own exposure, read once; what cannot be read is said once."""
        folder = self.stage.state.folder
        key = (own.reference, own.reference_stops, folder)
        if not own.reference:
            return None
        if self._picture[0] != key:
            self._picture = (key, None)
            file = Path(own.reference)
            if not file.is_absolute() and folder is not None:
                file = folder / file
            try:
                with Image.open(file) as found:
                    found.thumbnail((MOST, MOST))
                    data = np.asarray(found.convert("RGB"))
            except (OSError, ValueError, Image.DecompressionBombError):
                self.stage.state.said.emit(f"The reference picture {file.name} cannot be read.")
                return None
            table = np.clip(255.0 * (np.arange(256) / 255.0) * 2.0 ** (own.reference_stops / 2.2), 0, 255)
            data = np.ascontiguousarray(table.astype(np.uint8)[data])
            h, w, _ = data.shape
            self._picture = (key, QImage(data.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).copy())
        return self._picture[1]


def paint_cameras(stage: Stage, painter: QPainter, view: View) -> None:
    """Every other camera as the edges of what it sees, a little way ahead."""
    state = stage.state
    for own in state.effect.cameras:
        if own.id == stage.through.id:
            continue
        eye = view_of(camera_at(own, state.effect.props, state.time), 16, 9)
        reach = 0.6
        ends = [
            eye.eye + reach * (eye.forward + x * eye.half_width * eye.right + y * eye.half_height * eye.up)
            for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))
        ]
        chosen = state.selection == f"cameras.{own.id}"
        painter.setPen(
            QPen(theme.colour(theme.VERDIGRIS if chosen else theme.TEXT, 0.9 if chosen else 0.5), 1.3)
        )
        at = view.project(np.array([eye.eye, *ends]))
        if (at[:, 2] <= 0.05).any():
            continue
        points = [QPointF(x, y) for x, y in at[:, :2].tolist()]
        for a, b in ((0, 1), (0, 2), (0, 3), (0, 4), (1, 2), (2, 3), (3, 4), (4, 1)):
            painter.drawLine(points[a], points[b])
