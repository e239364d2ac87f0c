"""What a tier takes over time, as rows of the tempo: all together against the budget, and each delivery."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from tenka.app import theme
from tenka.app.state import State
from tenka.app.tempo.axis import OUTLINE

if TYPE_CHECKING:
    from tenka.app.tempo.rowpicture import RowsPicture

COST = "cost"  # the fold's name, and the measure of all together; "cost 0" is that of the first line


def cost_rows(state: State) -> list[tuple[str, str]]:
    """Name and measure of each row below the heading."""
    book = state.ledger
    return [(line.layer, f"{COST} {n}") for n, line in enumerate(book.lines)] if book is not None else []


def cost_of(state: State, measure: str) -> tuple[np.ndarray, np.ndarray] | None:
    """Times, s, and ms of a row; None while nobody knows."""
    found = state.costing.now
    if found is None or not len(found.lines):
        return None
    _, _, n = measure.partition(" ")
    if n and int(n) >= len(found.lines):
        return None
    return found.times, found.lines[int(n)] if n else found.ms


def cost_at(state: State, measure: str) -> str:
    """What is taken at the head, in words."""
    found = cost_of(state, measure)
    return f"{np.interp(state.time, *found):.3f} ms" if found is not None else ""


def paint_cost(rows: RowsPicture, painter: QPainter, top: float, measure: str) -> None:
    """The curve, from nothing to the larger of its most and the budget, which is dashed; what is beyond it in
    another colour and hatched; and the worst moment's figure beside the name."""
    found, tier = cost_of(rows.state, measure), rows.state.tier
    if found is None or tier is None:
        return
    times, ms = found
    whole, worst = measure == COST, float(ms.max())
    limit = tier.ms if whole else 0.0
    most, base, tall = max(worst, limit, 1e-12), top + theme.ROW - 2.0, theme.ROW - 6.0

    def at(t: float, value: float) -> QPointF:
        return QPointF(rows.x_of(t), base - tall * value / most)

    painter.save()
    painter.setClipRect(QRectF(rows.axis().left(), 0, rows.width(), rows.height()))
    line = [at(t, v) for t, v in zip(times.tolist(), ms.tolist())]
    area = QPolygonF([at(times[0], 0.0), *line, at(times[-1], 0.0)])
    over = whole and worst > limit
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour(theme.VERDIGRIS, 0.22))
    painter.drawPolygon(area)
    if over:
        painter.save()
        painter.setClipRect(
            QRectF(rows.axis().left(), top, rows.width(), base - tall * limit / most - top),
            Qt.ClipOperation.IntersectClip,
        )
        painter.setBrush(theme.colour(theme.BRICK, 0.55))
        painter.drawPolygon(area)
        painter.restore()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.colour(theme.VERDIGRIS if whole else theme.QUIET), 1.2))
    painter.drawPolyline(QPolygonF(line))
    if whole:
        painter.setPen(QPen(theme.colour(theme.BRICK if over else theme.TEXT, 0.7), 1, Qt.PenStyle.DashLine))
        painter.drawLine(at(times[0], limit), at(times[-1], limit))
    painter.restore()
    if whole and rows.state.costing.now is not None:
        worst = rows.state.costing.now.worst[0]
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour(theme.BRICK if over else theme.QUIET))
    words = f"{'▲ ' if over else ''}worst {worst:.3f} ms" if whole else f"{worst:.3f} ms"
    box = QRectF(OUTLINE - 118, top, 110, theme.ROW)
    painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
