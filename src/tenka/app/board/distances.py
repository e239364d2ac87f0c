"""Routes and distances as a table of pictures: what each takes and loses, and which wins."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.stage.drawn import as_image
from tenka.board.routing import Stood, best_of
from tenka.effect.routes import ROUTES

NAME, HEAD, WORDS, GAP = 96.0, 22.0, 32.0, 8.0
LEAST, MOST_TALL = 96.0, 150.0  # px of a picture's width, and of its height
STEPS = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}


class Distances(QWidget):
    """A row for each route, a column for each distance; a click chooses a cell, with Ctrl one to hold it
    against."""

    chosen = pyqtSignal(object, bool)

    def __init__(self) -> None:
        super().__init__()
        self.stood: list[Stood] = []
        self.one: Stood | None = None
        self.other: Stood | None = None
        self.words = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Routes by distance")
        self.setToolTip("A click looks at a picture, one with Ctrl holds another against it")

    @property
    def kinds(self) -> list[str]:
        return list(dict.fromkeys(s.kind for s in self.stood))

    @property
    def distances(self) -> list[float]:
        return sorted({s.distance for s in self.stood})

    def show_stood(self, stood: Sequence[Stood], words: str) -> None:
        """Show what is known, or words where nothing is."""
        self.stood, self.words = list(stood), words
        self.setMinimumHeight(int(HEAD + len(self.kinds) * self._row + GAP) if stood else 90)
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(560, max(self.minimumHeight(), 90))

    def resizeEvent(self, _: object) -> None:
        self.show_stood(self.stood, self.words)

    # --- places -------------------------------------------------------------------------------

    @property
    def _wide(self) -> float:
        count = max(1, len(self.distances))
        return max(LEAST, (self.width() - NAME - GAP) / count - GAP)

    @property
    def _tall(self) -> float:
        shapes = [s.tried.picture.shape for s in self.stood]
        share = max((h / w for h, w, _ in shapes), default=0.62)
        return min(MOST_TALL, self._wide * share)

    @property
    def _row(self) -> float:
        return self._tall + WORDS + GAP

    def cell(self, stood: Stood) -> QRectF:
        """Where a picture and its words are."""
        row, column = self.kinds.index(stood.kind), self.distances.index(stood.distance)
        left = NAME + column * (self._wide + GAP)
        return QRectF(left, HEAD + row * self._row, self._wide, self._tall + WORDS)

    # --- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        hit = next((s for s in self.stood if self.cell(s).contains(event.position())), None)
        if hit is not None:
            self.chosen.emit(hit, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = STEPS.get(Qt.Key(event.key()))
        if step is None or not self.stood:
            super().keyPressEvent(event)
            return
        kinds, away = self.kinds, self.distances
        one = self.one or self.stood[0]
        row = min(max(kinds.index(one.kind) + step[0], 0), len(kinds) - 1)
        column = min(max(away.index(one.distance) + step[1], 0), len(away) - 1)
        for s in self.stood:
            if (s.kind, s.distance) == (kinds[row], away[column]):
                self.chosen.emit(s, False)

    # --- painting -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        painter.setFont(theme.font(theme.BODY))
        middle = Qt.AlignmentFlag.AlignVCenter
        if not self.stood:
            painter.setPen(theme.colour(theme.QUIET))
            box = QRectF(self.rect()).adjusted(24, 0, -24, 0)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.words)
            return
        best = {
            (b.kind, b.distance)
            for d in self.distances
            if (b := best_of([s for s in self.stood if s.distance == d])) is not None
        }
        painter.setPen(theme.colour(theme.QUIET))
        for column, distance in enumerate(self.distances):
            box = QRectF(NAME + column * (self._wide + GAP), 0, self._wide, HEAD)
            painter.drawText(box, middle, f"{distance:g} m")
        painter.setPen(theme.colour(theme.TEXT))
        for row, kind in enumerate(self.kinds):
            box = QRectF(0, HEAD + row * self._row, NAME - GAP, self._tall)
            painter.drawText(box, middle | Qt.TextFlag.TextWordWrap, ROUTES[kind].TITLE)
        for stood in self.stood:
            self._paint(painter, stood, (stood.kind, stood.distance) in best)

    def _paint(self, painter: QPainter, s: Stood, wins: bool) -> None:
        cell, t = self.cell(s), s.tried
        box = QRectF(cell.left(), cell.top(), cell.width(), self._tall)
        painter.fillRect(box, theme.colour(theme.WELL))
        painter.setFont(theme.font(theme.SMALL))
        middle = Qt.AlignmentFlag.AlignVCenter
        if t.likeness is not None:
            h, w, _ = t.picture.shape
            scale = min(box.width() / w, box.height() / h)
            wide, tall = w * scale, h * scale
            painter.drawImage(
                QRectF(box.center().x() - wide / 2, box.center().y() - tall / 2, wide, tall),
                as_image(t.picture),
            )
        else:
            painter.setPen(theme.colour(theme.QUIET))
            within = box.adjusted(6, 4, -6, -4)
            painter.drawText(within, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, s.fault)
        mine = [x for x in (self.one, self.other) if x is not None]
        if any((x.kind, x.distance) == (s.kind, s.distance) for x in mine):
            painter.setPen(QPen(theme.colour(theme.TEXT), 1.4))
            painter.drawRect(box)
        first = QRectF(cell.left(), box.bottom() + 1, cell.width(), 15)
        second = first.translated(0, 14)
        if not math.isfinite(t.ms):
            return
        painter.setPen(theme.colour(theme.BRICK if t.over else theme.TEXT))
        painter.drawText(first, middle, f"{'▲ ' if t.over else ''}{t.ms:.3f} ms, {t.mb:.1f} MB")
        painter.setPen(theme.colour(theme.VERDIGRIS if wins else theme.QUIET))
        loss = f"FLIP {s.loss:.4f}" if math.isfinite(s.loss) else "likeness not known"
        painter.drawText(second, middle, ("best  " if wins else "") + loss)
        if wins:
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 2))
            painter.drawLine(
                QPointF(cell.left(), cell.bottom() - 0.5), QPointF(cell.right(), cell.bottom() - 0.5)
            )
