"""How much changes from frame to frame of a flipbook, under its contact sheet."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tenka.app import theme

TALL = 58
LEFT, RIGHT, HEAD = 16, 16, 20


class Steps(QWidget):
    """A bar for the change from each frame to the next, the median as a line, and the seam of a loop in
    amber."""

    def __init__(self) -> None:
        super().__init__()
        self.steps = np.zeros(0)
        self.seam: float | None = None
        self.setFixedHeight(TALL)
        self.setAccessibleName("Change from frame to frame")
        self.hide()

    def show_steps(self, cells: list[np.ndarray], looped: bool) -> None:
        """Measure cells, (h, w, 4) uint8 each, in their order."""
        pictures = [c.astype(np.float32) for c in cells]
        self.steps = np.array([float(np.abs(b - a).mean()) for a, b in zip(pictures, pictures[1:])])
        self.seam = float(np.abs(pictures[0] - pictures[-1]).mean()) if looped and pictures else None
        self.setVisible(len(self.steps) > 1)
        self.update()

    @property
    def words(self) -> str:
        """The figures in words."""
        middle = float(np.median(self.steps)) if len(self.steps) else 0.0
        if middle <= 0:
            return "nothing changes from frame to frame"
        told = f"change from frame to frame, at most {self.steps.max() / middle:.1f} of the median"
        return told if self.seam is None else f"{told}; the seam is {self.seam / middle:.2f} of it"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.QUIET))
        wide = self.width() - LEFT - RIGHT
        head = QRectF(LEFT, 0, wide, HEAD)
        painter.drawText(head, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.words)
        values = [*self.steps.tolist(), *([self.seam] if self.seam is not None else [])]
        top = max(values, default=0.0)
        if top <= 0:
            return
        foot, tall, each = TALL - 6.0, TALL - HEAD - 8.0, wide / len(values)
        for n, value in enumerate(values):
            seam = self.seam is not None and n == len(values) - 1
            hue = theme.colour(theme.SAFFRON if seam else theme.VERDIGRIS, 0.9)
            high = tall * value / top
            painter.fillRect(QRectF(LEFT + n * each, foot - high, max(each - 1.0, 1.0), high), hue)
        line = foot - tall * float(np.median(self.steps)) / top
        painter.setPen(QPen(theme.colour(theme.TEXT), 1.0))
        painter.drawLine(QPointF(LEFT, line), QPointF(LEFT + wide, line))
