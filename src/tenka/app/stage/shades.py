"""Colours of what is looked into, and the bar that tells what they mean."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QPainter

from tenka.app import theme
from tenka.look.inspect import Field, Slice

# dark to light in brightness, so that it also reads without colour; two arms from a neutral middle for signed
# fields
RISING = ((0.0, (28, 30, 34)), (0.35, (62, 84, 92)), (0.7, (142, 168, 140)), (1.0, (244, 232, 190)))
LINES = ((0.0, (74, 108, 122)), (0.5, (132, 172, 150)), (1.0, (250, 236, 190)))
EITHER = ((0.0, (214, 132, 92)), (0.5, (44, 46, 50)), (1.0, (110, 196, 184)))


def shades(field: Field, lines: bool = False) -> np.ndarray:
    """The colours of a field's values from the least to the most, (256, 3) uint8; of lines none are so dark
    that they look like cracks in the picture."""
    stops = EITHER if field.signed else LINES if lines else RISING
    at, share = [s[0] for s in stops], np.linspace(0, 1, 256)
    return np.stack([np.interp(share, at, [s[1][c] for s in stops]) for c in range(3)], axis=1).astype(
        np.uint8
    )


def image_of(cut: Slice) -> QImage:
    """The slice in colours; columns run along the first other axis."""
    low, high = cut.range
    shade = np.clip((cut.values - low) / (high - low) * 255.0, 0, 255).astype(np.uint8)
    pixels = np.ascontiguousarray(shades(cut.field)[shade.T])
    h, w, _ = pixels.shape
    return QImage(pixels.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).convertToFormat(
        QImage.Format.Format_RGB32
    )


def colour_bar(
    painter: QPainter, rect: QRectF, field: Field, low: float, high: float, lines: bool = False
) -> None:
    """A field's colours with their values, the unit above."""
    colours = shades(field, lines)[::-1]
    bar = QImage(np.ascontiguousarray(colours).tobytes(), 1, 256, 3, QImage.Format.Format_RGB888)
    painter.drawImage(rect, bar)
    painter.setPen(theme.colour(theme.TEXT))
    painter.setFont(theme.font(theme.SMALL))
    for share in (0.0, 0.5, 1.0):
        y = rect.bottom() - share * rect.height()
        painter.drawText(
            QRectF(rect.left() - 90, y - 8, 84, 16),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"{low + share * (high - low):.3g}",
        )
    title = field.name + (f" [{field.unit}]" if field.unit else "")
    painter.drawText(QRectF(rect.right() - 160, rect.top() - 28, 160, 16), Qt.AlignmentFlag.AlignRight, title)
