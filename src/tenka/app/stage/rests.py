"""What sleeps, sticks and moves among particles and pieces, as dots over the stage."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from tenka.app import theme
from tenka.particles.state import ASLEEP, STUCK
from tenka.run.frames import PointFrame
from tenka.run.status import Shown
from tenka.scene.cameras import View

MOST = 20_000  # dots that are drawn
KINDS = (("awake", theme.SAFFRON), ("stuck", theme.VERDIGRIS), ("asleep", theme.QUIET))


def paint_rests(painter: QPainter, view: View, rect: QRectF, shown: Shown) -> None:
    """A dot for each particle, by what it does, and how many do what."""
    frames = [f for f in shown.frames.values() if isinstance(f, PointFrame) and len(f.points)]
    counts = dict.fromkeys((name for name, _ in KINDS), 0)
    for frame in frames:
        p = frame.points
        every = max(1, len(p) // MOST)
        at = view.project(p.place[::every].astype(float))
        state = p.state[::every]
        asleep, stuck = (state & ASLEEP) > 0, (state & STUCK) > 0
        counts["asleep"] += int(((p.state & ASLEEP) > 0).sum())
        counts["stuck"] += int(((p.state & STUCK) > 0).sum())
        counts["awake"] += int(((p.state & (ASLEEP | STUCK)) == 0).sum())
        ahead = at[:, 2] > 0.05
        for (_, hue), own in zip(KINDS, (~asleep & ~stuck, stuck, asleep)):
            spots = at[own & ahead, :2]
            painter.setPen(QPen(theme.colour(hue, 0.9), 3.0, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPoints(QPolygonF([QPointF(x, y) for x, y in spots.tolist()]))
    plate = QRectF(rect.right() - 134, rect.bottom() - 94, 124, 56)  # above the words at the foot
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour(theme.GROUND, 0.72))
    painter.drawRoundedRect(plate, 4, 4)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setFont(theme.font(theme.SMALL))
    for n, (name, hue) in enumerate(KINDS):
        y = plate.top() + 4 + 16 * n
        painter.setPen(QPen(theme.colour(hue), 6.0, cap=Qt.PenCapStyle.RoundCap))
        painter.drawPoint(QPointF(plate.left() + 12, y + 8))
        painter.setPen(theme.colour(theme.TEXT))
        side = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(plate.left() + 22, y, 100, 16), side, f"{counts[name]:,} {name}")


def room_of(shown: Shown) -> tuple[np.ndarray, np.ndarray] | None:
    """Corners of the box in which particles are, with some air round it, m."""
    places = [f.points.place for f in shown.frames.values() if isinstance(f, PointFrame) and len(f.points)]
    if not places:
        return None
    low = np.min([p.min(axis=0) for p in places], axis=0).astype(float)
    high = np.max([p.max(axis=0) for p in places], axis=0).astype(float)
    return low - 0.5, high + 0.5
