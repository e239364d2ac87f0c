"""The time axis over the rows of the tempo."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from tenka.app import theme

if TYPE_CHECKING:
    from tenka.app.tempo.rowpicture import RowsPicture

OUTLINE = 232
AXIS = 20


def paint_axis(rows: RowsPicture, painter: QPainter) -> None:
    """Seconds, the stretch that is played, and which part of the time is shown."""
    a, (start, length) = rows.axis(), rows.shown
    painter.setFont(theme.font(theme.SMALL))
    steps = (0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 600)
    step = next((s for s in steps if s / length * a.width() > 56), 600)
    for k in range(math.ceil(start / step - 1e-9), int((start + length) / step + 1e-9) + 1):
        x = rows.x_of(k * step)
        painter.setPen(theme.colour(theme.RULE))
        painter.drawLine(QPointF(x, AXIS - 5), QPointF(x, rows.height()))
        painter.setPen(theme.colour(theme.QUIET))
        if x < rows.width() - 30:
            painter.drawText(QPointF(x + 3, AXIS - 7), f"{round(k * step, 3):g} s")
    _paint_stretch(rows, painter)
    if rows.span.length:
        _paint_part(rows, painter)


def _paint_part(rows: RowsPicture, painter: QPainter) -> None:
    """Which part of the time is shown, as a thin bar under the axis."""
    a, (start, length), seconds = rows.axis(), rows.shown, rows.state.effect.seconds
    theme.draw_share(painter, QRectF(a.left(), AXIS - 2, a.width(), 2), 0.0)
    part = QRectF(a.left() + a.width() * start / seconds, AXIS - 2, a.width() * length / seconds, 2)
    painter.fillRect(part, theme.colour(theme.QUIET))


def _paint_stretch(rows: RowsPicture, painter: QPainter) -> None:
    """What is played over and over: a bar with feet on the axis."""
    if rows.span.stretch is None:
        return
    e = rows.state.effect
    first, last = rows.span.played(e.frames)
    left, right = rows.x_of(first / e.rate), rows.x_of((last + 1) / e.rate)
    painter.fillRect(QRectF(left, 0, right - left, 5), theme.colour(theme.SAFFRON, 0.8))
    for x in (left, right - 2):
        painter.fillRect(QRectF(x, 0, 2, AXIS - 3), theme.colour(theme.SAFFRON))
    painter.fillRect(
        QRectF(left, AXIS, right - left, rows.height() - AXIS), theme.colour(theme.SAFFRON, 0.05)
    )
