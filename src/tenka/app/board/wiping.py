"""Two variants, or one and the stage, in one picture, with a line between that is dragged."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.board.work import Point
from tenka.app.stage.drawn import as_image

STEP = 0.05


class Wipe(QWidget):
    """The pictures of two points, each on its side of a line."""

    def __init__(self) -> None:
        super().__init__()
        self.one: Point | None = None
        self.other: Point | None = None
        self.stage: np.ndarray | None = None
        self.at = 0.5
        self.setMinimumHeight(56)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Two variants beside each other")
        self.setToolTip("Drag the line between both; the arrow keys move it too")

    def sizeHint(self) -> QSize:
        return QSize(520, 230)

    def show_points(self, one: Point | None, other: Point | None, stage: np.ndarray | None = None) -> None:
        """Show a point against another, or against the stage's picture."""
        self.one, self.other, self.stage = one, other, stage
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        place = self._place()
        if place is not None:
            self.at = min(1.0, max(0.0, (event.position().x() - place.left()) / place.width()))
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Left: -STEP, Qt.Key.Key_Right: STEP}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        self.at = min(1.0, max(0.0, self.at + step))
        self.update()

    def _place(self) -> QRectF | None:
        shown = next((p for p in (self.one, self.other) if p is not None and p.tried is not None), None)
        if shown is None or shown.tried is None:
            return None
        h, w, _ = shown.tried.picture.shape
        room = QRectF(self.rect()).adjusted(8, 8, -8, -26)
        scale = min(room.width() / w, room.height() / h)
        return QRectF(room.center().x() - w * scale / 2, room.top(), w * scale, h * scale)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        painter.setFont(theme.font(theme.SMALL))
        place = self._place()
        if place is None:
            painter.setPen(theme.colour(theme.QUIET))
            painter.drawText(
                QRectF(self.rect()).adjusted(24, 0, -24, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                "Choose a measured variant for its picture, and another with Ctrl to hold it against.",
            )
            return
        x = place.left() + self.at * place.width()
        second = _picture(self.other) if self.other is not None else self.stage
        for picture, left, right in ((_picture(self.one), place.left(), x), (second, x, place.right())):
            if picture is not None:
                painter.save()
                painter.setClipRect(QRectF(left, place.top(), right - left, place.height()))
                painter.drawImage(place, as_image(picture))
                painter.restore()
        if second is not None:
            painter.setPen(QPen(theme.colour(theme.TEXT), 1.2))
            painter.drawLine(int(x), int(place.top()), int(x), int(place.bottom()))
        painter.setPen(theme.colour(theme.QUIET))
        metrics, half = painter.fontMetrics(), self.width() / 2 - 16
        beside = "on the stage" if self.stage is not None else ""
        for told, letter, left, side in (
            (_told(self.one), "A", 8.0, Qt.AlignmentFlag.AlignLeft),
            (_told(self.other) or beside, "B", self.width() / 2 + 8, Qt.AlignmentFlag.AlignRight),
        ):
            if told:
                words = metrics.elidedText(f"{letter}: {told}", Qt.TextElideMode.ElideRight, int(half))
                painter.drawText(QRectF(left, self.height() - 20, half, 16), side, words)


def _picture(point: Point | None) -> np.ndarray | None:
    return point.tried.picture if point is not None and point.tried is not None else None


def _told(point: Point | None) -> str:
    return "" if point is None else point.what or "as it is now"
