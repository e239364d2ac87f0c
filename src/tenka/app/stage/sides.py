"""Three sides of the same frame beside the camera's view: from the front, from the right, from above."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPen

from tenka.app import theme
from tenka.app.stage.overlay import paint_box
from tenka.app.stage.through import paint_cameras
from tenka.effect.model import Camera, Light
from tenka.look.render import Picture, Renderer, Shot
from tenka.scene.cameras import View, frame_of, view_of

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage

SIDES = (("front", -90.0, 0.0), ("right", 0.0, 0.0), ("above", -90.0, 90.0))


def side_views(camera: Camera, width: int, height: int) -> list[View]:
    """The camera's view and three straight ones, in quarters of a picture; all look at the camera's target
    and show as much round it."""
    w, h = width // 2, height // 2
    half = camera.distance * float(np.tan(np.radians(camera.fov) / 2))
    views = [view_of(camera, w, h)]
    for _, heading, pitch in SIDES:
        forward, right, up = frame_of(heading, pitch)
        eye = np.asarray(camera.target) - 4.0 * camera.distance * forward
        views.append(View(eye, forward, right, up, half, w, h, True))
    return views


class Sides:
    """Whether they are shown, and what draws them."""

    def __init__(self) -> None:
        self.on = False
        self._renderer = Renderer(views=1 + len(SIDES))

    def show(self, stage: Stage, on: bool) -> None:
        """Show them, or the camera's view alone."""
        self.on = on
        stage.redraw()

    def drawn(
        self, own: Renderer, camera: Camera, shot: Shot, light: Light, view: View, coarse: int, passes: int
    ) -> Picture:
        """The stage's picture: one view, or four in quarters."""
        if not self.on:
            return own.draw_shot(shot, light, view, coarse, passes)
        views = side_views(camera, view.width, view.height)
        found = [self._renderer.draw_shot(shot, light, v, coarse, passes) for v in views]
        h, w = found[0].alpha.shape
        rgb = np.zeros((view.height, view.width, 3), np.uint8)
        alpha = np.zeros((view.height, view.width), np.float32)
        for n, picture in enumerate(found):
            y, x = (n // 2) * h, (n % 2) * w
            rgb[y : y + h, x : x + w], alpha[y : y + h, x : x + w] = picture.rgb, picture.alpha
        return Picture(rgb, found[0].linear, alpha, found[0].one_in)


def paint_over(stage: Stage, painter: QPainter) -> None:
    """What lies over the picture: handles and readings, or with four pictures their names."""
    if stage.sides.on:
        _names(stage, painter)
        return
    if stage.show_box:
        paint_box(painter, stage.view(), stage.state)
        paint_cameras(stage, painter, stage.view())
    stage.inspector.paint(painter, stage.view(), QRectF(stage.rect()))


def _names(stage: Stage, painter: QPainter) -> None:
    """The lines between the four, and the name of each."""
    w, h = stage.width() / 2, stage.height() / 2
    painter.setPen(QPen(theme.colour(theme.RULE), 1.0))
    painter.drawLine(QPointF(w, 0), QPointF(w, stage.height()))
    painter.drawLine(QPointF(0, h), QPointF(stage.width(), h))
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour(theme.TEXT, 0.8))
    for n, name in enumerate(("camera", *(side for side, _, _ in SIDES))):
        corner = QRectF((n % 2) * w + 10, (n // 2) * h + (44 if n < 2 else 8), w - 20, 18)
        painter.drawText(corner, name)
