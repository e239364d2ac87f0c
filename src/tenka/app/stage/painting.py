"""What is painted over the stage's picture: whose moment it is, the second run beside it, words and hints."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from tenka.app import theme
from tenka.app.stage.handles import handles_of
from tenka.app.stage.overlay import source_box
from tenka.app.stage.words import _counted
from tenka.base.errors import TenkaError
from tenka.effect.model import REGIONS
from tenka.gas.grid import Grid
from tenka.run.frames import PointFrame
from tenka.scene.props import prop_mesh

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage


def paint_stand_in(stage: Stage, painter: QPainter) -> None:
    """Mark a picture that is not of the present moment: dimmed, with the frame that it is of."""
    if not stage.stands_in:
        return
    if stage.elsewhen:
        painter.fillRect(stage.rect(), theme.colour(theme.GROUND, 0.5))
    painter.setFont(theme.font(theme.BODY))
    wide = painter.fontMetrics().horizontalAdvance(stage.stands_in) + 24
    box = QRectF((stage.width() - wide) / 2, 10, wide, 26)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour(theme.GROUND, 0.85))
    painter.drawRoundedRect(box, theme.RADIUS, theme.RADIUS)
    painter.setPen(theme.colour(theme.SAFFRON if stage.elsewhen else theme.TEXT))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, stage.stands_in)


def paint_final(stage: Stage, painter: QPainter) -> None:
    if stage.which == "preview" or stage.final_image is None:
        return
    x = 0.0 if stage.which == "final" else stage.wipe_at * stage.width()
    painter.save()
    painter.setClipRect(QRectF(x, 0, stage.width() - x, stage.height()))
    painter.drawImage(stage.rect(), stage.final_image)
    painter.restore()
    if stage.which == "wipe":
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1.5))
        painter.drawLine(QPointF(x, 0), QPointF(x, stage.height()))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.TEXT, 0.85))
        y = stage.height() - 46
        painter.drawText(
            QRectF(x - 96, y, 90, 16),
            Qt.AlignmentFlag.AlignRight,
            "now" if stage.other != "final" else "preview",
        )
        painter.drawText(QRectF(x + 6, y, 160, 16), Qt.AlignmentFlag.AlignLeft, stage._other_name())


def paint_words(stage: Stage, painter: QPainter) -> None:
    painter.setFont(theme.font(theme.SMALL))
    left = QRectF(10, stage.height() - 24, stage.width() - 20, 16)
    words = []
    if stage.shown is not None:
        words += _counted(stage.shown, stage.state)
        if stage.one_in > 1:
            words.append(f"1 in {stage.one_in} drawn for now")
        if stage.which != "preview" and stage.final_image is None:
            words.append(
                f"this frame of the {stage._other_name()} is not there"
                + (" yet" if stage.other == "final" else "")
            )
        elif stage.which != "preview" and stage.other == "final" and stage.wander is not None:
            words.append(f"final run {100 * stage.wander:.1f} cm from the preview")
        if stage.shown.index < 0:
            words.append("run-up")
        elif stage.shown.loose:
            words.append("loose")
    if stage.took:
        words.append(f"drawn in {stage.took:.0f} ms")
    told = "   ".join(words)
    _on_plate(painter, left, Qt.AlignmentFlag.AlignRight, told)
    metrics = painter.fontMetrics()
    room = left.width() - (metrics.horizontalAdvance(told) + 24 if told else 0)
    hint = metrics.elidedText(stage._probe or hint_of(stage), Qt.TextElideMode.ElideRight, int(room))
    _on_plate(painter, left, Qt.AlignmentFlag.AlignLeft, hint)


def _on_plate(painter: QPainter, rect: QRectF, side: Qt.AlignmentFlag, text: str) -> None:
    """Words over the picture, on a soft dark plate so that they read on any."""
    if not text:
        return
    flags = (side | Qt.AlignmentFlag.AlignVCenter).value
    plate = painter.boundingRect(rect, flags, text).adjusted(-6, -3, 6, 3)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour(theme.GROUND, 0.72))
    painter.drawRoundedRect(plate, 4, 4)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(theme.colour(theme.TEXT))
    painter.drawText(rect, flags, text)


def hint_of(stage: Stage) -> str:
    if stage.state.layer is None:
        return "Take a starting point from the tray to begin."
    if stage.turning_light:
        return "Drag to turn the light."
    if stage.show_box and handles_of(stage.state):
        return (
            "A click selects; drag a handle to move what is selected (while playing, its way is kept), "
            "beside it to orbit; Shift pans, the wheel zooms."
        )
    return "A drag orbits, Shift-drag pans, the wheel zooms, Ctrl-drag turns the light."


def bounds_of(stage: Stage) -> tuple[np.ndarray, np.ndarray]:
    layer, gas, chosen = stage.state.layer, stage.state.gas, stage.state.selection
    if chosen.startswith("props."):
        prop = next((p for p in stage.state.effect.props if p.id == chosen.split(".")[1]), None)
        if prop is not None:
            try:
                return prop_mesh(prop, stage.state.effect.props, stage.state.folder, stage.state.time).bounds
            except TenkaError:
                pass
    if layer is not None and ".sources." in chosen:
        source = next((s for s in layer.sources if chosen.endswith(s.id)), None)
        if source is not None and source.shape in REGIONS:
            return source_box(source, stage.state)
    frame = stage.shown.frames.get(layer.id) if stage.shown is not None and layer is not None else None
    if isinstance(frame, PointFrame) and len(frame.points):
        place = frame.points.place
        return np.quantile(place, 0.02, axis=0), np.quantile(place, 0.98, axis=0)
    if layer is not None and layer.room is not None:
        low, size = (np.asarray(part, float) for part in layer.room)
        return low, low + size
    if gas is not None:
        grid = Grid.of(gas.domain)
        return np.asarray(grid.origin), np.asarray(grid.origin) + np.asarray(grid.size)
    mesh = stage.mesh()
    return mesh.bounds if len(mesh.points) else (np.zeros(3), np.ones(3))
