"""The chart of the board: what variants lose against what they take, with the front and the budget."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.board.work import Point, front_of
from tenka.app.stage.drawn import as_image

LEFT, TOP, RIGHT, BOTTOM = 62, 26, 18, 40
DOT = 5.0
NEAR = 9.0  # px, within which the pointer finds a point
LEAST_LOSS = 0.004  # FLIP, that the chart spans at least


class Chart(QWidget):
    """Points, drawn; a click chooses one, with Ctrl one to hold it against."""

    chosen = pyqtSignal(object, bool)  # the point, and whether it is the one to hold against

    def __init__(self) -> None:
        super().__init__()
        self.points: list[Point] = []
        self.by, self.unit, self.budget, self.tier = "ms", "ms", 1.0, ""
        self.one: Point | None = None
        self.other: Point | None = None
        self._over: Point | None = None
        self.words = ""
        self.setMouseTracking(True)
        self.setMinimumSize(200, 110)
        self.setAccessibleName("Board: what variants lose against what they take")

    def sizeHint(self) -> QSize:
        return QSize(520, 320)

    def show_points(self, points: list[Point], by: str, budget: float, tier: str, words: str) -> None:
        self.points = [p for p in points if not p.fault and math.isfinite(p.added)]
        self.by, self.unit, self.budget, self.tier = by, "ms" if by == "ms" else "MB", budget, tier
        self.words = words
        self._over = None
        self.update()

    # --- places -------------------------------------------------------------------------------

    @property
    def _room(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)

    def _spans(self) -> tuple[float, float, float]:
        """The largest cost, the least and the largest loss that are shown."""
        costs = [getattr(p, self.by) for p in self.points]
        losses = [p.added for p in self.points] or [0.0]
        low, high = min(0.0, *losses), max(0.0, *losses)
        spare = 0.12 * max(high - low, LEAST_LOSS)
        return 1.12 * max(self.budget, *costs, 1e-6), low - spare, max(high, low + LEAST_LOSS) + spare

    def place_of(self, point: Point) -> QPointF:
        """Where a point is drawn: cheaper to the left, more like the stage further up."""
        most, low, high = self._spans()
        room = self._room
        x = room.left() + room.width() * getattr(point, self.by) / most
        return QPointF(x, room.top() + room.height() * (point.added - low) / (high - low))

    def _under(self, at: QPointF) -> list[Point]:
        """The points at a place, the nearest first."""
        gaps = [math.dist((at.x(), at.y()), (q.x(), q.y())) for q in map(self.place_of, self.points)]
        near = sorted((gap, n) for n, gap in enumerate(gaps) if gap <= NEAR)
        return [self.points[n] for _, n in near]

    # --- hands --------------------------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        over = next(iter(self._under(event.position())), None)
        if over is not self._over:
            self._over = over
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._over = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        there = self._under(event.position())
        if not there:
            return
        held = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        against = bool(held) or event.button() == Qt.MouseButton.RightButton
        names = [p.what for p in there]
        last = self.other if against else self.one  # of several that lie on each other, the next each time
        begin = names.index(last.what) + 1 if last is not None and last.what in names else 0
        turn = [there[(begin + n) % len(there)] for n in range(len(there))]
        if against and self.one is not None:
            turn = [p for p in turn if p.what != self.one.what] or turn
        self.chosen.emit(turn[0], against)

    # --- drawing ------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        room = self._room
        painter.fillRect(room, theme.colour(theme.WELL))
        if not self.points:
            painter.setPen(theme.colour(theme.QUIET))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(room.adjusted(24, 0, -24, 0), flags, self.words)
            return
        self._axes(painter, room)
        self._front(painter)
        for point in sorted(self.points, key=lambda p: not p.what):  # how it is now is never hidden
            self._dot(painter, point)
        if self._over is not None:
            self._tip(painter, self._over)

    def _axes(self, painter: QPainter, room: QRectF) -> None:
        most, low, high = self._spans()
        painter.setFont(theme.font(theme.SMALL))
        for value in _ticks(0.0, most):
            x = room.left() + room.width() * value / most
            painter.setPen(QPen(theme.colour(theme.RULE), 1))
            painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
            painter.setPen(theme.colour(theme.QUIET))
            box = QRectF(x - 40, room.bottom() + 3, 80, 15)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{value:g}")
        for value in _ticks(low, high, 5):
            y = room.top() + room.height() * (value - low) / (high - low)
            painter.setPen(QPen(theme.colour(theme.RULE), 1))
            painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
            painter.setPen(theme.colour(theme.QUIET))
            box = QRectF(0, y - 8, LEFT - 6, 16)
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(box, right, f"{value:+.3f}" if value else "as now")
        foot = QRectF(room.left(), room.bottom() + 18, room.width(), 18)
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"what {self.tier} takes, {self.unit}")
        head = QRectF(6, 4, room.width(), 18)
        painter.drawText(head, Qt.AlignmentFlag.AlignLeft, "FLIP error added; less is further up")
        x = room.left() + room.width() * self.budget / most
        beyond = QRectF(x, room.top(), room.right() - x, room.height())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.fillRect(beyond, theme.colour(theme.BRICK, 0.10))
        painter.setPen(QPen(theme.colour(theme.BRICK), 1.5))
        painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
        words = f"budget {self.budget:g} {self.unit}"
        wide = painter.fontMetrics().horizontalAdvance(words) + 8
        left = x - wide - 2 if x + wide + 4 > room.right() else x + 4
        painter.drawText(QRectF(left, room.bottom() - 18, wide, 16), Qt.AlignmentFlag.AlignCenter, words)

    def _front(self, painter: QPainter) -> None:
        places = [self.place_of(p) for p in front_of(self.points, self.by)]
        line = []
        for n, place in enumerate(places):  # a step: between two there is nothing better than the cheaper
            if n:
                line.append(QPointF(place.x(), places[n - 1].y()))
            line.append(place)
        if places:
            line.append(QPointF(self._room.right(), places[-1].y()))
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS, 0.8), 1.5))
        painter.drawPolyline(QPolygonF(line))

    def _dot(self, painter: QPainter, point: Point) -> None:
        at = self.place_of(point)
        hue = theme.colour(theme.BRICK if point.over else theme.VERDIGRIS)
        painter.setPen(QPen(hue, 1.6))
        painter.setBrush(hue if point.measured else theme.colour(theme.WELL))
        if point.what:
            painter.drawEllipse(at, DOT, DOT)
        else:
            painter.setPen(QPen(theme.colour(theme.TEXT), 1.6))
            painter.setBrush(theme.colour(theme.TEXT if point.measured else theme.WELL))
            r = DOT + 1.5
            painter.drawPolygon(
                QPolygonF([at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r), at + QPointF(-r, 0)])
            )
        for which, letter in ((self.one, "A"), (self.other, "B")):
            if which is not None and which.what == point.what:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(theme.colour(theme.TEXT), 1.4))
                painter.drawEllipse(at, DOT + 4, DOT + 4)
                painter.setFont(theme.font(theme.SMALL))
                painter.drawText(QRectF(at.x() + 9, at.y() - 20, 16, 14), letter)

    def _tip(self, painter: QPainter, point: Point) -> None:
        """What a point is, with its picture where there is one."""
        lines = told(point)
        painter.setFont(theme.font(theme.SMALL))
        metrics = painter.fontMetrics()
        picture = point.tried.picture if point.tried is not None and point.measured else None
        side = 110 if picture is not None else 0
        wide = min(330, max(metrics.horizontalAdvance(line) for line in lines) + 16 + side)
        lines = [metrics.elidedText(line, Qt.TextElideMode.ElideMiddle, wide - 16 - side) for line in lines]
        tall = max(16 * len(lines) + 12, side)
        at = self.place_of(point)
        x = min(max(4.0, at.x() + 12), self.width() - wide - 4)
        y = at.y() + 12 if at.y() + tall + 16 < self.height() else at.y() - tall - 12
        box = QRectF(x, max(2.0, y), wide, tall)
        painter.setPen(QPen(theme.colour(theme.EDGE), 1))
        painter.setBrush(theme.colour(theme.BENCH))
        painter.drawRoundedRect(box, 3, 3)
        if picture is not None:
            draw_fitting(painter, QRectF(box.left() + 5, box.top() + 5, side - 10, tall - 10), picture)
        painter.setPen(theme.colour(theme.TEXT))
        for n, line in enumerate(lines):
            spot = QRectF(box.left() + 8 + side, box.top() + 6 + 16 * n, wide, 16)
            painter.drawText(spot, Qt.AlignmentFlag.AlignVCenter, line)


def told(point: Point) -> list[str]:
    """A point in words."""
    lines = [point.what or "As it is now", f"{point.ms:.3f} ms, {point.mb:.2f} MB"]
    if point.fault:
        return [lines[0], point.fault]
    if point.what:
        lines.append(f"FLIP {point.added:+.4f}" + ("" if point.measured else ", foretold"))
    like = point.tried.likeness if point.tried is not None else None
    if like is not None:
        lines.append(f"FLIP {like.loss:.4f} to the stage, SSIM {like.ssim:.3f}, jerk {like.jerk:.4f}")
    if point.foretold is not None and point.measured:
        ms, mb, loss = point.foretold
        lines.append(f"foretold {ms:.3f} ms, {mb:.2f} MB, {loss:+.4f}")
    return lines + ([point.note] if point.note else [])


def draw_fitting(painter: QPainter, box: QRectF, rgb: np.ndarray) -> None:
    """A picture, as large as fits into a box."""
    picture = as_image(rgb)
    scale = min(box.width() / picture.width(), box.height() / picture.height())
    w, h = picture.width() * scale, picture.height() * scale
    place = QRectF(box.center().x() - w / 2, box.center().y() - h / 2, w, h)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(place, picture)


def _ticks(low: float, high: float, most: int = 7) -> list[float]:
    """Round values within a span."""
    step = 10.0 ** math.floor(math.log10(max(high - low, 1e-12)))
    for part in (0.1, 0.2, 0.5, 1.0, 2.0):
        if (high - low) / (step * part) <= most:
            step *= part
            break
    first = math.ceil(low / step - 1e-9)
    return [round(n * step, 10) for n in range(first, math.floor(high / step + 1e-9) + 1)]
