"""The time axis of a scene: a bar for each effect, what all take together, and the head."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.board.scenework import SceneWork
from tenka.board.scening import SceneBook
from tenka.effect.scenes import Scene

NAMES, AXIS, CURVE, EDGE = 170.0, 20.0, 76.0, 12.0
LEAST = 2.0  # s that are shown at least
STEP, COARSE = 0.05, 0.5  # s by which the arrow keys move


class SceneAxis(QWidget):
    """A bar is dragged to another moment; a press elsewhere goes to a moment."""

    moved = pyqtSignal(int, float, bool)  # which, to when, and whether the drag goes on from before
    sought = pyqtSignal(float)
    chosen = pyqtSignal(int)

    def __init__(self, work: SceneWork) -> None:
        super().__init__()
        self.work, self.one = work, -1
        self._held: tuple[int, float, float] | None = None
        self._dragged = self._seeking = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Scene: effects on one time axis")
        self.setToolTip("Drag a bar to another moment; the arrow keys move the chosen one")

    @property
    def scene(self) -> Scene:
        """As it is now: a hand may be faster than the picture."""
        return self.work.scene

    @property
    def book(self) -> SceneBook | None:
        return self.work.book

    def refresh(self, one: int) -> None:
        """Show the scene anew, with one of its effects chosen."""
        self.one = one
        self.setMinimumHeight(int(AXIS + len(self.scene.members) * theme.ROW + CURVE + 8))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(560, self.minimumHeight())

    # --- places -------------------------------------------------------------------------------

    def lasts(self, n: int) -> float:
        """How long an effect lasts, s; 1 while nobody knows."""
        players = self.book.players if self.book is not None else ()
        same = len(players) == len(self.scene.members)
        return players[n].effect.seconds if same else 1.0

    @property
    def span(self) -> float:
        """Seconds that are shown."""
        ends = [m.at + self.lasts(n) for n, m in enumerate(self.scene.members)]
        return max(LEAST, 1.08 * max(ends, default=0.0))

    def x_of(self, t: float) -> float:
        return NAMES + (self.width() - NAMES - EDGE) * t / self.span

    def time_at(self, x: float) -> float:
        return min(self.span, max(0.0, (x - NAMES) / (self.width() - NAMES - EDGE) * self.span))

    def bar(self, n: int) -> QRectF:
        """Where the bar of an effect is."""
        left = self.x_of(self.scene.members[n].at)
        right = self.x_of(self.scene.members[n].at + self.lasts(n))
        return QRectF(left, AXIS + n * theme.ROW + 4, max(6.0, right - left), theme.ROW - 8)

    # --- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        row = int((at.y() - AXIS) // theme.ROW)
        if 0 <= row < len(self.scene.members) and (at.x() < NAMES or self.bar(row).contains(at)):
            self.chosen.emit(row)
            if at.x() >= NAMES:
                self._held, self._dragged = (row, at.x(), self.scene.members[row].at), False
        elif at.x() >= NAMES:
            self._seeking = True
            self.sought.emit(self.time_at(at.x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = event.position().x()
        if self._seeking:
            self.sought.emit(self.time_at(x))
        elif self._held is not None:
            n, began, at = self._held
            by = (x - began) / (self.width() - NAMES - EDGE) * self.span
            self.moved.emit(n, round(max(0.0, at + by), 2), self._dragged)
            self._dragged = True

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        self._held, self._seeking = None, False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, shift = Qt.Key(event.key()), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key)
        up = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(key)
        count = len(self.scene.members)
        if by is not None and 0 <= self.one < count:
            at = self.scene.members[self.one].at + by * (COARSE if shift else STEP)
            self.moved.emit(self.one, round(max(0.0, at), 2), False)
        elif up is not None and count:
            self.chosen.emit(min(max(self.one + up, 0), count - 1))
        else:
            super().keyPressEvent(event)

    # --- painting -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour(theme.BENCH))
        painter.setFont(theme.font(theme.SMALL))
        steps = (0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60)
        step = next((s for s in steps if s / self.span * (self.width() - NAMES) > 56), 60)
        for k in range(int(self.span / step + 1e-6) + 1):
            x = self.x_of(k * step)
            painter.setPen(theme.colour(theme.RULE))
            painter.drawLine(QPointF(x, AXIS - 5), QPointF(x, self.height()))
            painter.setPen(theme.colour(theme.QUIET))
            painter.drawText(QPointF(x + 3, AXIS - 7), f"{k * step:g} s")
        painter.setFont(theme.font(theme.BODY))
        for n, member in enumerate(self.scene.members):
            self._paint_member(painter, n, member.name)
        self._paint_curve(painter)
        x = self.x_of(self.work.time)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1.5))
        painter.drawLine(QPointF(x, 2), QPointF(x, self.height()))
        if self.hasFocus():
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def _paint_member(self, painter: QPainter, n: int, name: str) -> None:
        top = AXIS + n * theme.ROW
        if n == self.one:
            painter.fillRect(QRectF(0, top, NAMES, theme.ROW), theme.colour(theme.VERDIGRIS, 0.16))
            painter.fillRect(QRectF(0, top, 2, theme.ROW), theme.colour(theme.VERDIGRIS))
        painter.setPen(theme.colour(theme.TEXT))
        fits = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(NAMES) - 22)
        painter.drawText(QRectF(10, top, NAMES - 14, theme.ROW), Qt.AlignmentFlag.AlignVCenter, fits)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(theme.VERDIGRIS, 0.75 if n == self.one else 0.45))
        painter.drawRoundedRect(self.bar(n), theme.RADIUS, theme.RADIUS)

    def _paint_curve(self, painter: QPainter) -> None:
        """What each takes, stacked, against what all effects together may take."""
        book = self.book
        if book is None or book.ms.shape[0] != len(self.scene.members):
            return
        base = AXIS + len(self.scene.members) * theme.ROW + CURVE
        tall = CURVE - 12.0
        whole = np.cumsum(book.ms, axis=0)
        worst, when = book.worst
        full = max(1.15 * worst, 1e-9)
        limit = book.budget_ms
        shown = limit <= 1.6 * worst
        full = max(full, 1.1 * limit) if shown else full
        below = np.zeros(len(book.times))
        xs = [self.x_of(t) for t in book.times.tolist()]
        painter.setPen(Qt.PenStyle.NoPen)
        for n, row in enumerate(whole):
            line = [QPointF(x, base - tall * v / full) for x, v in zip(xs, row.tolist())]
            under = [QPointF(x, base - tall * v / full) for x, v in zip(xs, below.tolist())]
            painter.setBrush(theme.colour(theme.VERDIGRIS, 0.75 if n == self.one else 0.25 + 0.12 * (n % 3)))
            painter.drawPolygon(QPolygonF([*line, *reversed(under)]))
            below = row
        at = QPointF(self.x_of(when), base - tall * worst / full)
        over = worst > limit
        hue = theme.BRICK if over else theme.TEXT
        painter.setBrush(theme.colour(hue))
        painter.drawEllipse(at, 3.5, 3.5)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(hue))
        words = f"{'▲ ' if over else ''}worst {worst:.3f} ms"
        box = QRectF(10, base - tall, NAMES - 20, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(theme.colour(theme.QUIET))
        painter.drawText(box.translated(0, 16), Qt.AlignmentFlag.AlignVCenter, f"of {limit:.2f} ms for all")
        painter.drawText(
            box.translated(0, 32), Qt.AlignmentFlag.AlignVCenter, f"{book.mb:.1f} of {book.budget_mb:g} MB"
        )
        if shown:
            y = base - tall * limit / full
            painter.setPen(QPen(theme.colour(theme.TEXT, 0.7), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(NAMES, y), QPointF(self.width() - EDGE, y))
