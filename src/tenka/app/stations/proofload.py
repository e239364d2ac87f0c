"""How much is drawn over time at the Proof station: where the worst moment is, and the marks."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tenka.app import theme

MOMENTS = 60
TALL, HEAD, EDGE = 62, 20, 12


class Measuring:
    """What is drawn at even moments, found a few at a time so that pictures come between.

    Parameters
    ----------
    covered_at : pixels times layers at a time, s
    """

    def __init__(self, covered_at: Callable[[float], float], span: float) -> None:
        self.covered_at = covered_at
        self.times = np.linspace(0.0, span, MOMENTS)
        self.covered = np.zeros(MOMENTS)
        self.known = 0

    @property
    def done(self) -> bool:
        return self.known == MOMENTS

    def go_on(self, seconds: float) -> None:
        """Measure further moments, one at least, for about so long."""
        end = time.perf_counter() + seconds
        while not self.done:
            self.covered[self.known] = self.covered_at(float(self.times[self.known]))
            self.known += 1
            if time.perf_counter() > end:
                return


class LoadCurve(QWidget):
    """Pixels times layers over time; a press goes to a moment, a double click to the worst one."""

    sought = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.times = np.zeros(0)
        self.covered = np.zeros(0)
        self.marks: tuple[tuple[str, float], ...] = ()
        self.now = 0.0
        self.setFixedHeight(TALL)
        self.setAccessibleName("What is drawn over time")
        self.setToolTip("Press to see a moment; a double click goes to the one at which most is drawn")

    def forget(self) -> None:
        """Nothing was measured yet."""
        self.times, self.covered, self.marks, self.now = np.zeros(0), np.zeros(0), (), 0.0
        self.update()

    def show_load(self, times: np.ndarray, covered: np.ndarray) -> None:
        """Show what was measured: s, and pixels times layers."""
        self.times, self.covered = times, covered
        self.update()

    def show_time(self, now: float) -> None:
        self.now = now
        self.update()

    @property
    def worst(self) -> float | None:
        """The moment at which most is drawn, s."""
        if not len(self.covered) or self.covered.max() <= 0:
            return None
        return float(self.times[int(np.argmax(self.covered))])

    @property
    def words(self) -> str:
        """The figures in words."""
        worst = self.worst
        if worst is None:
            return "drawn over time: nothing yet"
        most, mean = self.covered.max() / 1e6, self.covered.mean() / 1e6
        return f"drawn over time: at most {most:.2f} Mpx at {worst:.2f} s, {mean:.2f} Mpx on average"

    def _x(self, t: float) -> float:
        span = max(float(self.times[-1]) if len(self.times) else 1.0, 1e-6)
        return EDGE + min(max(t / span, 0.0), 1.0) * (self.width() - 2 * EDGE)

    def _seek(self, x: float) -> None:
        if len(self.times):
            share = min(max((x - EDGE) / max(self.width() - 2 * EDGE, 1), 0.0), 1.0)
            self.sought.emit(share * float(self.times[-1]))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._seek(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._seek(event.position().x())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if self.worst is not None:
            self.sought.emit(self.worst)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.QUIET))
        head = QRectF(EDGE, 0, self.width() - 2 * EDGE, HEAD)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(head, left, self.words)
        foot, tall = self.height() - 6.0, self.height() - HEAD - 8.0
        painter.setPen(QPen(theme.colour(theme.RULE)))
        painter.drawLine(QPointF(EDGE, foot), QPointF(self.width() - EDGE, foot))
        worst = self.worst
        if worst is not None:
            top, path = float(self.covered.max()), QPainterPath()
            for n, (t, v) in enumerate(zip(self.times.tolist(), self.covered.tolist())):
                at = QPointF(self._x(t), foot - tall * v / top)
                path.moveTo(at) if n == 0 else path.lineTo(at)
            under = QPainterPath(path)
            under.lineTo(self._x(float(self.times[-1])), foot)
            under.lineTo(EDGE, foot)
            painter.fillPath(under, theme.colour(theme.VERDIGRIS, 0.14))
            painter.strokePath(path, QPen(theme.colour(theme.VERDIGRIS), 1.5))
            mean = foot - tall * float(self.covered.mean()) / top
            painter.setPen(QPen(theme.colour(theme.QUIET), 1.0, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(EDGE, mean), QPointF(self.width() - EDGE, mean))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(theme.SAFFRON))
            painter.drawEllipse(QPointF(self._x(worst), foot - tall), 3.5, 3.5)
        for name, moment in self.marks:
            x = self._x(moment)
            painter.setPen(QPen(theme.colour(theme.QUIET)))
            painter.drawLine(QPointF(x, HEAD), QPointF(x, foot))
            painter.drawText(QRectF(x + 3, HEAD - 2, 120, 16), left, name)
        if len(self.times):
            x = self._x(self.now)
            painter.setPen(QPen(theme.colour(theme.TEXT), 1.0))
            painter.drawLine(QPointF(x, HEAD), QPointF(x, foot))
