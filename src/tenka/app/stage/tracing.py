"""A path or a curve drawn by clicks on the stage: each click adds a point on what is there, or at the height
of the last one."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen

from tenka.app import theme
from tenka.app.stage.handles import path_frame
from tenka.base.errors import TenkaError
from tenka.effect.courses import Key, Keys
from tenka.effect.document import get, replaced
from tenka.effect.model import Effect
from tenka.scene.picking import mesh_hit
from tenka.scene.poses import Pose, pose_at

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage

ENDS = frozenset((Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape))
FURTHEST = 200.0  # m from the eye that a point may be
HINT = "Click where it goes, point by point; Enter ends it, Escape takes it back."
Vec3 = tuple[float, float, float]


class Tracing:
    """Draws into the setting `path` (of a thing's `path` or `curve`) until it is ended."""

    def __init__(self, stage: Stage, path: str) -> None:
        self.stage, self.path = stage, path
        self.before = stage.state.effect
        self.owner, _, self.name = path.rpartition(".")
        self.points: list[Vec3] = []
        self.placed: list[np.ndarray] = []  # the same in the scene
        self.token = object()

    def frame(self) -> Pose:
        """In which the points are."""
        node, props = get(self.before, self.owner), self.before.props
        if self.name == "path":
            return path_frame(node, props, self.stage.state.time)
        return pose_at(node, props, self.stage.state.time)

    def where(self, x: float, y: float) -> np.ndarray | None:
        """The place in the scene under a pixel: on a prop, else at the height of the last point, or of the
        thing itself."""
        start, way = self.stage.view().ray(x, y)
        far = mesh_hit(start, way, self.stage.mesh())
        height = self.placed[-1][2] if self.placed else self.frame().origin[2]
        if not math.isfinite(far) and abs(way[2]) > 1e-6:
            far = (height - start[2]) / way[2]
        if not math.isfinite(far) or not 0 < far < FURTHEST:
            return None
        return np.asarray(start + far * way)

    def click(self, x: float, y: float) -> None:
        place = self.where(x, y)
        if place is None:
            self.stage.state.refused.emit(
                "Nothing is there to put a point on: click on the ground or a prop."
            )
            return
        self.placed.append(place)
        own = self.frame().to_own(place[None])[0]
        self.points.append((round(float(own[0]), 4), round(float(own[1]), 4), round(float(own[2]), 4)))
        if len(self.points) >= 2:
            self._put()
        self.stage.update()

    def _put(self) -> None:
        state = self.stage.state
        try:
            effect = traced(self.before, self.path, tuple(self.points))
        except TenkaError as error:
            state.refuse(error)
            return
        state.document.apply(effect, f"Draw the {self.name}", merge=("trace", self.token))

    def take_back(self) -> None:
        """Leave it as it was before."""
        if len(self.points) >= 2:
            self.stage.state.document.undo()

    def paint(self, painter: QPainter) -> None:
        view = self.stage.view()
        painter.setPen(QPen(theme.colour(theme.SAFFRON), 1.5))
        painter.setBrush(theme.colour(theme.SAFFRON))
        for place in self.placed:
            x, y, depth = view.project(place[None])[0]
            if depth > 0.05:
                painter.drawEllipse(QPointF(x, y), 4.0, 4.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)


def traced(effect: Effect, path: str, points: tuple[Vec3, ...]) -> Effect:
    """The effect with points as a thing's path or curve. Along a new path it travels from the effect's start
    to its end, unless it has a course for that already."""
    owner, _, name = path.rpartition(".")
    effect = replaced(effect, path, points)
    node: Any = get(effect, owner)
    if name == "path" and isinstance(node.travel, float):
        end = max(effect.seconds - 1.0 / effect.rate, 1.0 / effect.rate)
        travel = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=end, v=1.0)))
        effect = replaced(effect, f"{owner}.travel", travel)
    return effect


def trace(stage: Stage, path: str) -> None:
    """Draw a path or a curve by clicks, until it is ended."""
    end_trace(stage)
    stage.tracing = Tracing(stage, path)
    stage.setCursor(Qt.CursorShape.CrossCursor)
    stage.setFocus()
    stage.state.said.emit(HINT)
    stage.update()


def end_trace(stage: Stage, keep: bool = True) -> None:
    """End the drawing, if there is one; what was drawn is kept, or taken back."""
    if stage.tracing is not None:
        if not keep:
            stage.tracing.take_back()
        stage.tracing = None
        stage.setCursor(Qt.CursorShape.ArrowCursor)
        stage.update()
