"""The rows of the tempo as they are painted: a line for each layer, source and force, with its span, curves
and stored frames."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPixmap, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.app.tempo.axis import AXIS, OUTLINE, paint_axis
from tenka.app.tempo.outline import Line, lines_of, marks_of
from tenka.app.tempo.rowcost import COST, cost_at, paint_cost
from tenka.app.tempo.span import Span
from tenka.effect.document import get
from tenka.effect.keyed import moments
from tenka.effect.model import Cue, Feed, Layer, PointSource, envelope
from tenka.run.kinds import KINDS

FOLDS = ("forces", "lights", "cameras", "props", "trials")
RISE = 0.15  # of a drawn burst's length


EDGE_SECONDS = 0.1  # pause before asking again for a frame that is still to be simulated


class RowsPicture(QWidget):
    """Outline on the left, time on the right; painted as one."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.unfolded: set[str] = set()
        self.span = Span()
        self._drawn_lines: list[Line] = []
        self._moments: dict[str, tuple[object, object, list[float]]] = {}
        self._span_of: object = None
        self._still: QPixmap | None = None  # everything but the head, which alone moves while playing
        self._envelopes: dict[object, tuple[QPolygonF, QPolygonF]] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tempo")
        self.setMouseTracking(True)
        state.changed.connect(self._of_another)
        state.changed.connect(lambda _: self._resize())
        state.selected.connect(lambda _: self._mark_chosen())
        state.moved.connect(lambda _: self.update())
        state.news.connect(self.repaint_all)
        state.costing.changed.connect(self._resize)
        self._resize()

    def _of_another(self, path: str) -> None:
        """Another effect is shown whole again."""
        if path == "" and self._span_of != id(self.state.document):
            self._span_of, self.span = id(self.state.document), Span()

    def lines(self) -> list[Line]:
        return lines_of(self.state, self.unfolded)

    def _resize(self) -> None:
        self.setMinimumHeight(AXIS + theme.ROW * len(self.lines()) + 4)
        self.repaint_all()

    def _mark_chosen(self) -> None:
        """Another row is marked; all is drawn anew only where there are other rows, or other measures. A fold
        opens for what is selected in it."""
        group, _, id = self.state.selection.partition(".")
        if id and group in FOLDS:
            self.unfolded |= {group}
        if self.lines() != self._drawn_lines or "measures" in self.unfolded:
            self._resize()
        else:
            self.update()

    def repaint_all(self) -> None:
        self._still = None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._still = None

    def sizeHint(self) -> QSize:
        return QSize(600, AXIS + theme.ROW * len(self.lines()) + 4)

    # --- geometry -----------------------------------------------------------------------------

    def axis(self) -> QRectF:
        return QRectF(OUTLINE, 0, max(40, self.width() - OUTLINE - 14), AXIS)

    def x_of(self, seconds: float) -> float:
        a, (start, length) = self.axis(), self.shown
        return a.left() + a.width() * (seconds - start) / length

    @property
    def shown(self) -> tuple[float, float]:
        """Start and length of what is shown, s."""
        return self.span.shown(self.state.effect.seconds)

    def seconds_at(self, x: float) -> float:
        a, (start, length) = self.axis(), self.shown
        return start + (x - a.left()) / a.width() * length

    def frame_at(self, x: float) -> int:
        e = self.state.effect
        return min(e.frames - 1, max(0, int(self.seconds_at(x) * e.rate + 1e-6)))

    def row_top(self, index: int) -> float:
        return AXIS + index * theme.ROW

    def mark_rect(self, row: int, mark: int) -> QRectF:
        return QRectF(OUTLINE - 78 + mark * 25, self.row_top(row) + 1, 25, 24)

    # --- painting -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._still is None:
            sharp = self.devicePixelRatioF()
            self._still = QPixmap(self.size() * sharp)
            self._still.setDevicePixelRatio(sharp)
            self._still.fill(theme.colour(theme.BENCH))
            still = QPainter(self._still)
            still.setRenderHint(QPainter.RenderHint.Antialiasing)
            paint_axis(self, still)
            self._drawn_lines = self.lines()
            for row, line in enumerate(self._drawn_lines):
                self._paint_line(still, row, line)
            still.end()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._still)
        for row, line in enumerate(self._drawn_lines):
            if line.path and line.path in self.state.chosen:
                top = self.row_top(row)
                painter.fillRect(QRectF(0, top, OUTLINE, theme.ROW), theme.colour(theme.VERDIGRIS, 0.16))
                painter.fillRect(QRectF(0, top, 2, theme.ROW), theme.colour(theme.VERDIGRIS))
        x = self.x_of((self.state.frame + 0.5) / self.state.effect.rate)
        if x < self.axis().left() - 1:  # before what is shown
            return
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1.5))
        painter.drawLine(QPointF(x, 2), QPointF(x, self.height()))
        painter.setBrush(theme.colour(theme.VERDIGRIS))
        painter.drawPolygon(QPolygonF([QPointF(x - 5, 1), QPointF(x + 5, 1), QPointF(x, 8)]))
        self._paint_counts(painter, x)

    def _paint_counts(self, painter: QPainter, x: float) -> None:
        """Beside the head, how many are alive in each layer of particles, and what is taken."""
        painter.setFont(theme.font(theme.SMALL))
        for row, line in enumerate(self.lines()):
            text = cost_at(self.state, line.measure) if line.measure.startswith(COST) else self._alive(line)
            if not text:
                continue
            wide = painter.fontMetrics().horizontalAdvance(text) + 8
            left = x + 4 if x + 4 + wide < self.width() else x - 4 - wide
            box = QRectF(left, self.row_top(row) + 5, wide, theme.ROW - 10)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(theme.GROUND, 0.75))
            painter.drawRoundedRect(box, theme.RADIUS, theme.RADIUS)
            painter.setPen(theme.colour(theme.TEXT))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _alive(self, line: Line) -> str:
        """How many are alive at the head in a row's layer of particles."""
        if line.depth or not line.path.startswith("layers."):
            return ""
        own = self.state.status.layers.get(line.path.split(".")[1])
        meta = own.figures.get(self.state.frame, {}) if own is not None else {}
        counts = KINDS[layer.kind].counts if (layer := self._layer_of(line)) is not None else ""
        return f"{meta[counts]:,}" if counts in meta else ""

    def _layer_of(self, line: Line) -> Layer | None:
        """The layer of a row, when it is of a kind that is simulated here."""
        id = line.path.split(".")[1]
        return next((x for x in self.state.effect.layers if x.id == id and x.kind in KINDS), None)

    def moments_of(self, path: str) -> list[float]:
        """When a thing has keys, s; found again only when it or a cue has changed."""
        effect = self.state.effect
        node = get(effect, path)
        known = self._moments.get(path)
        if known is None or known[0] is not node or known[1] is not effect.cues:
            if len(self._moments) > 256:
                self._moments.clear()
            known = self._moments[path] = (node, effect.cues, moments(effect, path))
        return known[2]

    def _paint_keys(self, painter: QPainter, top: float, path: str) -> None:
        """A lozenge for each moment at which a thing has keys."""
        painter.setPen(QPen(theme.colour(theme.GROUND), 1))
        painter.setBrush(theme.colour(theme.SAFFRON))
        y = top + theme.ROW - 7
        for t in self.moments_of(path):
            x = self.x_of(t)
            painter.drawPolygon(
                QPolygonF([QPointF(x - 4, y), QPointF(x, y - 4), QPointF(x + 4, y), QPointF(x, y + 4)])
            )
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_line(self, painter: QPainter, row: int, line: Line) -> None:
        top = self.row_top(row)
        box = QRectF(0, top, self.width(), theme.ROW)
        painter.setPen(theme.colour(theme.RULE))
        painter.drawLine(box.topLeft(), box.topRight())
        left = 10 + line.depth * 18
        painter.drawPixmap(QPointF(left, top + 5), theme.pixmap(line.icon, theme.QUIET))
        node = get(self.state.effect, line.path) if line.path else None
        painter.setFont(theme.font(theme.BODY))
        out = node is not None and getattr(node, "passed_over", False) and not line.path.startswith("props.")
        painter.setPen(theme.colour(theme.QUIET if out or node is None else theme.TEXT))
        width = OUTLINE - 80 - (left + 22) if node is not None else OUTLINE - left - 26
        text = painter.fontMetrics().elidedText(line.name, Qt.TextElideMode.ElideRight, int(width))
        painter.drawText(QRectF(left + 22, top, width, theme.ROW), Qt.AlignmentFlag.AlignVCenter, text)
        if line.measure.startswith(COST):
            paint_cost(self, painter, top, line.measure)
        elif line.measure:
            self._paint_measure(painter, top, line.measure)
        if node is None:
            return
        for mark, (name, attribute, _) in enumerate(marks_of(line.path)):
            on = getattr(node, attribute)
            shown = "eye-off" if attribute == "hidden" and on else name
            painter.setOpacity(1.0 if on else 0.45)
            painter.drawPixmap(
                self.mark_rect(row, mark).topLeft() + QPointF(4, 4),
                theme.pixmap(shown, theme.VERDIGRIS if on else theme.QUIET),
            )
            painter.setOpacity(1.0)
        painter.setClipRect(QRectF(self.axis().left(), 0, self.width(), self.height()))
        if isinstance(node, Feed):
            self._paint_source(painter, top, node)
        elif isinstance(node, Cue):
            self._paint_cue(painter, top, node)
        elif line.path.count(".") == 1 and line.path.startswith("layers."):
            self._paint_stored(painter, top, line.path.split(".")[1])
        self._paint_keys(painter, top, line.path)
        painter.setClipping(False)

    def _envelope(self, source: Feed) -> tuple[QPolygonF, QPolygonF]:
        """The envelope's line and its filled area, with the row's top at 0."""
        a, (first, seconds) = self.axis(), self.shown
        key = (
            source.emission,
            source.start,
            source.end,
            source.delay,
            self.cue_of(source),
            a.width(),
            first,
            seconds,
        )
        if key not in self._envelopes:
            if len(self._envelopes) > 64:
                self._envelopes.clear()
            times = np.linspace(first, first + seconds, max(2, int(a.width() / 4)))
            level = envelope(source, times - self.cue_of(source))
            x = a.left() + a.width() * (times - first) / seconds
            base = theme.ROW - 3.0
            y = base - (theme.ROW - 7) * level / max(1.0, float(level.max()))
            line = [QPointF(p, q) for p, q in zip(x.tolist(), y.tolist())]
            self._envelopes[key] = (
                QPolygonF(line),
                QPolygonF([QPointF(line[0].x(), base), *line, QPointF(line[-1].x(), base)]),
            )
        return self._envelopes[key]

    def _paint_cue(self, painter: QPainter, top: float, cue: Cue) -> None:
        """A flag at the cue's time."""
        x = self.x_of(cue.at)
        painter.setPen(QPen(theme.colour(theme.TEXT), 1.2))
        painter.drawLine(QPointF(x, top + 3), QPointF(x, top + theme.ROW - 3))
        painter.setBrush(theme.colour(theme.TEXT))
        painter.drawPolygon(QPolygonF([QPointF(x, top + 4), QPointF(x + 9, top + 8), QPointF(x, top + 12)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def cue_of(self, source: Feed) -> float:
        """The time from which a source's own times are counted."""
        return next((c.at for c in self.state.effect.cues if c.id == source.cue), 0.0)

    def bursts_of(self, source: Feed) -> list[float]:
        """When a source's bursts come, s."""
        if not isinstance(source, PointSource) or not (source.burst or source.given):
            return []
        first, seconds = source.burst_at + source.delay + self.cue_of(source), self.state.effect.seconds
        if not source.burst_every:
            return [first]
        return [first + k * source.burst_every for k in range(64) if first + k * source.burst_every < seconds]

    def _paint_bursts(self, painter: QPainter, top: float, source: Feed) -> None:
        """A stem with a head for each burst, and how long it lasts."""
        painter.setPen(QPen(theme.colour(theme.TEXT, 0.9), 1.4))
        for t in self.bursts_of(source):
            x = self.x_of(t)
            if x < self.axis().left() or x > self.width():
                continue
            painter.drawLine(QPointF(x, top + 6), QPointF(x, top + theme.ROW - 3))
            painter.drawLine(
                QPointF(x, top + theme.ROW - 4),
                QPointF(self.x_of(t + getattr(source, "burst_over", 0.0)), top + theme.ROW - 4),
            )
            painter.setBrush(theme.colour(theme.TEXT))
            painter.drawEllipse(QPointF(x, top + 6), 2.6, 2.6)
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_source(self, painter: QPainter, top: float, source: Feed) -> None:
        if isinstance(source, PointSource):
            self._paint_bursts(painter, top, source)
            if source.rate == 0.0 or source.given:
                return
        line, area = self._envelope(source)
        painter.translate(0, top)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(theme.TEXT, 0.13))
        painter.drawPolygon(area)
        painter.setPen(QPen(theme.colour(theme.QUIET), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(line)
        painter.translate(0, -top)

    def measured(self, measure: str) -> tuple[np.ndarray, np.ndarray]:
        """Frames, and a figure of each, as far as they are stored."""
        figures = self.state.status.of(self.state.layer.id if self.state.layer else None).figures
        frames = [f for f in sorted(figures) if measure in figures[f] or measure == "ms"]
        values = [
            sum(figures[f].get("parts", {}).values()) if measure == "ms" else figures[f][measure]
            for f in frames
        ]
        return np.array(frames, int), np.array(values, float)

    def _paint_measure(self, painter: QPainter, top: float, measure: str) -> None:
        """A curve from nothing to its most, with the value at the head."""
        frames, values = self.measured(measure)
        if not len(frames):
            return
        rate, most = self.state.effect.rate, max(float(values.max()), 1e-12)
        base = top + theme.ROW - 3.0
        points = [
            QPointF(self.x_of((f + 0.5) / rate), base - (theme.ROW - 7) * max(v, 0.0) / most)
            for f, v in zip(frames.tolist(), values.tolist())
        ]
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS, 0.8), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setClipRect(QRectF(self.axis().left(), 0, self.width(), self.height()))
        painter.drawPolyline(QPolygonF(points))
        painter.setClipping(False)
        unit = next((u for kind in KINDS.values() for id, _, u in kind.measures if id == measure), "ms")
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.QUIET))
        box = QRectF(OUTLINE - 92, top, 84, theme.ROW)
        painter.drawText(
            box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{most:.3g} {unit}"
        )

    def _paint_stored(self, painter: QPainter, top: float, layer: str) -> None:
        e, status = self.state.effect, self.state.status
        own = status.layers.get(layer)
        stored = own.stored if own is not None else []
        y, tall = top + theme.ROW / 2 - 4, 8.0
        a = self.axis()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(theme.WELL))
        painter.drawRect(QRectF(a.left(), y, a.width(), tall))
        start = None
        for f in range(e.frames + 1):
            have = f < len(stored) and stored[f]
            if have and start is None:
                start = f
            elif not have and start is not None:
                painter.setBrush(theme.colour(theme.VERDIGRIS, 0.75))
                painter.drawRect(
                    QRectF(
                        self.x_of(start / e.rate), y, self.x_of(f / e.rate) - self.x_of(start / e.rate), tall
                    )
                )
                start = None
        for f in status.loose:
            if f < len(stored) and not stored[f]:
                painter.setBrush(theme.colour(theme.SAFFRON, 0.25))
                box = QRectF(
                    self.x_of(f / e.rate), y, self.x_of((f + 1) / e.rate) - self.x_of(f / e.rate), tall
                )
                painter.drawRect(box)
                painter.setBrush(theme.colour(theme.SAFFRON))
                painter.setBrush(Qt.BrushStyle.BDiagPattern)
                painter.drawRect(box)
        if status.running and (status.doing or layer) == layer and not all(stored):
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.colour(theme.TEXT, 0.85))
            left = (
                f"simulating, {status.seconds_left:.0f} s left"
                if status.seconds_left is not None
                else "simulating"
            )
            painter.drawText(
                QRectF(a.left(), top - 1, a.width() - 4, theme.ROW),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                left,
            )
