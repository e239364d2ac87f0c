"""The tempo: playing, the time axis, and the rows of layers, sources, forces and props, which are the outline
too."""

from __future__ import annotations

from dataclasses import dataclass
from time import perf_counter as _now

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.kinds import view_of_force, view_of_kind
from tenka.app.stage.view import Drawn, Stage
from tenka.app.state import State
from tenka.app.tempo.final import FinalBar
from tenka.app.timers import every
from tenka.effect.additions import with_cue, without_cue, without_layer
from tenka.effect.courses import Value, with_burst
from tenka.effect.document import get, reseeded
from tenka.effect.model import Cue, Feed, Layer, PointSource, envelope
from tenka.run.kinds import KINDS, kind_of

OUTLINE = 232
AXIS = 20
RISE = 0.15  # of a drawn burst's length
EDGE_SECONDS = 0.1  # pause before asking again for a frame that is still to be simulated
MARKS = (
    ("ear", "solo", "Heard alone"),
    ("eye", "hidden", "Hide: takes part, is not drawn"),
    ("ban", "passed_over", "Pass over: left out of the simulation"),
)
SOURCE_TIP = (
    "Alt-drag draws a burst: it begins where you press and has died down where you let go.\n"
    "Ctrl-drag moves all of its timing; a burst is moved by its stem, with all that hangs on its cue "
    "(with Shift alone)."
)


def marks_of(path: str) -> tuple[tuple[str, str, str], ...]:
    """Solo, hide and pass over; a prop gives only scale and shape, so there is nothing to pass over; a trial
    takes no part."""
    if path.startswith(("trials.", "cues.")):
        return ()
    return MARKS[:2] if path.startswith("props.") else MARKS


@dataclass(frozen=True)
class Line:
    """One row: where it stands in the document (or a fold)."""

    path: str
    name: str
    icon: str
    depth: int
    fold: str = ""
    measure: str = ""


class Rows(QWidget):
    """Outline on the left, time on the right; painted as one."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.unfolded: set[str] = set()
        self._scrubbing = False
        self._burst: tuple[str, float, Value, object] | None = None
        self._moved: tuple[str, float, float, object] | None = None
        self._still: QPixmap | None = None  # everything but the head, which alone moves while playing
        self._envelopes: dict[object, tuple[QPolygonF, QPolygonF]] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tempo")
        self.setMouseTracking(True)
        state.changed.connect(lambda _: self._resize())
        state.selected.connect(lambda _: self._resize())
        state.moved.connect(lambda _: self.update())
        state.news.connect(self.repaint_all)
        self._resize()

    def lines(self) -> list[Line]:
        e, found = self.state.effect, []
        for layer in e.layers:
            found.append(Line(f"layers.{layer.id}", layer.name, view_of_kind(layer).icon, 0))
            for source in layer.sources:
                found.append(Line(f"layers.{layer.id}.sources.{source.id}", source.name, "circle-dot", 1))
            for collider in layer.colliders:
                found.append(Line(f"layers.{layer.id}.colliders.{collider.id}", collider.name, "shield", 1))
        found += [Line(f"cues.{cue.id}", cue.name, "flag", 0) for cue in e.cues]
        for fold, items, group in (("forces", e.forces, "Forces"), ("props", e.props, "Props")):
            if items:
                open_ = fold in self.unfolded
                found.append(
                    Line("", f"{group} ({len(items)})", "chevron-down" if open_ else "chevron-right", 0, fold)
                )
                if open_:
                    found += [
                        Line(
                            f"{fold}.{i.id}", i.name, view_of_force(i).icon if fold == "forces" else "box", 1
                        )
                        for i in items
                    ]
        if e.trials:
            open_ = "trials" in self.unfolded
            found.append(
                Line(
                    "", f"Trials ({len(e.trials)})", "chevron-down" if open_ else "chevron-right", 0, "trials"
                )
            )
            if open_:
                found += [Line(f"trials.{t.id}", t.name, "bookmark", 1) for t in e.trials]
        if e.layers:
            open_ = "measures" in self.unfolded
            title = (
                f"Measures of {self.state.layer.name}"
                if self.state.layer and len(e.layers) > 1
                else "Measures"
            )
            found.append(Line("", title, "chevron-down" if open_ else "chevron-right", 0, "measures"))
            if open_:
                layer_now = self.state.layer
                burns = any(gas.fire.burns for gas in e.gases)
                table = kind_of(layer_now).measures if layer_now is not None else ()
                found += [
                    Line("", name, "chart-line", 1, measure=id)
                    for id, name, _ in table
                    if burns or id not in ("fuel", "burnt")
                ]
                found.append(Line("", "Time of a step", "chart-line", 1, measure="ms"))
        return found

    def _resize(self) -> None:
        self.setMinimumHeight(AXIS + theme.ROW * len(self.lines()) + 4)
        self.repaint_all()

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
        a = self.axis()
        return a.left() + a.width() * seconds / max(self.state.effect.seconds, 1e-6)

    def frame_at(self, x: float) -> int:
        a, e = self.axis(), self.state.effect
        return min(e.frames - 1, max(0, int((x - a.left()) / a.width() * e.frames)))

    def row_top(self, index: int) -> float:
        return AXIS + index * theme.ROW

    def mark_rect(self, row: int, mark: int) -> QRectF:
        return QRectF(OUTLINE - 74 + mark * 22, self.row_top(row) + 4, 18, 18)

    # --- painting -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._still is None:
            self._still = QPixmap(self.size())
            self._still.fill(theme.colour(theme.BENCH))
            still = QPainter(self._still)
            still.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_axis(still)
            for row, line in enumerate(self.lines()):
                self._paint_line(still, row, line)
            still.end()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._still)
        x = self.x_of((self.state.frame + 0.5) / self.state.effect.rate)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1.5))
        painter.drawLine(QPointF(x, 2), QPointF(x, self.height()))
        painter.setBrush(theme.colour(theme.VERDIGRIS))
        painter.drawPolygon(QPolygonF([QPointF(x - 5, 1), QPointF(x + 5, 1), QPointF(x, 8)]))
        self._paint_counts(painter, x)

    def _paint_counts(self, painter: QPainter, x: float) -> None:
        """Beside the head, how many are alive in each layer of particles."""
        painter.setFont(theme.font(theme.SMALL))
        for row, line in enumerate(self.lines()):
            if line.depth or not line.path.startswith("layers."):
                continue
            own = self.state.status.layers.get(line.path.split(".")[1])
            meta = own.figures.get(self.state.frame, {}) if own is not None else {}
            counts = KINDS[layer.kind].counts if (layer := self._layer_of(line)) is not None else ""
            if counts not in meta:
                continue
            text = f"{meta[counts]:,}"
            wide = painter.fontMetrics().horizontalAdvance(text) + 8
            left = x + 4 if x + 4 + wide < self.width() else x - 4 - wide
            box = QRectF(left, self.row_top(row) + 5, wide, theme.ROW - 10)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(theme.GROUND, 0.75))
            painter.drawRoundedRect(box, theme.RADIUS, theme.RADIUS)
            painter.setPen(theme.colour(theme.TEXT))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _layer_of(self, line: Line) -> Layer | None:
        """The layer of a row, when it is of a kind that is simulated here."""
        id = line.path.split(".")[1]
        return next((x for x in self.state.effect.layers if x.id == id and x.kind in KINDS), None)

    def _paint_axis(self, painter: QPainter) -> None:
        a, e = self.axis(), self.state.effect
        painter.setFont(theme.font(theme.SMALL))
        step = next(s for s in (0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 600) if s / e.seconds * a.width() > 56)
        for k in range(int(e.seconds / step) + 1):
            x = self.x_of(k * step)
            painter.setPen(theme.colour(theme.RULE))
            painter.drawLine(QPointF(x, AXIS - 5), QPointF(x, self.height()))
            painter.setPen(theme.colour(theme.QUIET))
            if x < self.width() - 30:
                painter.drawText(QPointF(x + 3, AXIS - 7), f"{k * step:g} s")

    def _paint_line(self, painter: QPainter, row: int, line: Line) -> None:
        top = self.row_top(row)
        box = QRectF(0, top, self.width(), theme.ROW)
        if line.path and line.path == self.state.selection:
            painter.fillRect(QRectF(0, top, OUTLINE, theme.ROW), theme.colour(theme.VERDIGRIS, 0.16))
            painter.fillRect(QRectF(0, top, 2, theme.ROW), theme.colour(theme.VERDIGRIS))
        painter.setPen(theme.colour(theme.RULE))
        painter.drawLine(box.topLeft(), box.topRight())
        left = 10 + line.depth * 18
        painter.drawPixmap(QPointF(left, top + 5), theme.pixmap(line.icon, theme.QUIET))
        node = get(self.state.effect, line.path) if line.path else None
        painter.setFont(theme.font(theme.BODY))
        out = node is not None and getattr(node, "passed_over", False) and not line.path.startswith("props.")
        painter.setPen(theme.colour(theme.QUIET if out or node is None else theme.TEXT))
        width = OUTLINE - 78 - (left + 22) if node is not None else OUTLINE - left - 26
        text = painter.fontMetrics().elidedText(line.name, Qt.TextElideMode.ElideRight, int(width))
        painter.drawText(QRectF(left + 22, top, width, theme.ROW), Qt.AlignmentFlag.AlignVCenter, text)
        if line.measure:
            self._paint_measure(painter, top, line.measure)
        if node is None:
            return
        for mark, (name, attribute, _) in enumerate(marks_of(line.path)):
            on = getattr(node, attribute)
            shown = "eye-off" if attribute == "hidden" and on else name
            painter.setOpacity(1.0 if on else 0.45)
            painter.drawPixmap(
                self.mark_rect(row, mark).topLeft(),
                theme.pixmap(shown, theme.VERDIGRIS if on else theme.QUIET),
            )
            painter.setOpacity(1.0)
        if isinstance(node, Feed):
            self._paint_source(painter, top, node)
        elif isinstance(node, Cue):
            self._paint_cue(painter, top, node)
        elif line.path.count(".") == 1 and line.path.startswith("layers."):
            self._paint_stored(painter, top, line.path.split(".")[1])

    def _envelope(self, source: Feed) -> tuple[QPolygonF, QPolygonF]:
        """The envelope's line and its filled area, with the row's top at 0."""
        a, seconds = self.axis(), self.state.effect.seconds
        key = (
            source.emission,
            source.start,
            source.end,
            source.delay,
            self.cue_of(source),
            a.width(),
            seconds,
        )
        if key not in self._envelopes:
            if len(self._envelopes) > 64:
                self._envelopes.clear()
            times = np.linspace(0, seconds, max(2, int(a.width() / 4)))
            level = envelope(source, times - self.cue_of(source))
            x = a.left() + a.width() * times / max(seconds, 1e-6)
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
        if not isinstance(source, PointSource) or (not source.burst and source.shape != "file"):
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
            if source.rate == 0.0 or source.shape == "file":
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
        painter.drawPolyline(QPolygonF(points))
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
                box = QRectF(self.x_of(f / e.rate), y, a.width() / e.frames, tall)
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

    # --- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at, lines = event.position(), self.lines()
        if at.x() >= OUTLINE and self._take_hold(at, event.modifiers()):
            return
        if (
            at.x() >= OUTLINE
            and event.modifiers() & Qt.KeyboardModifier.AltModifier
            and (path := self._source_at(at))
        ):
            self._burst = (
                path,
                self.frame_at(at.x()) / self.state.effect.rate,
                get(self.state.effect, f"{path}.emission"),
                object(),
            )
            self._draw_burst(at.x())
            return
        if at.x() >= OUTLINE:
            self._scrubbing = True
            self.state.go(self.frame_at(at.x()))
            return
        row = int((at.y() - AXIS) // theme.ROW)
        if not 0 <= row < len(lines):
            return
        line = lines[row]
        if line.fold:
            self.toggle_fold(line.fold)
            return
        if not line.path:
            return
        for mark, (_, attribute, _tip) in enumerate(marks_of(line.path)):
            if self.mark_rect(row, mark).contains(at):
                path = f"{line.path}.{attribute}"
                self.state.edit(path, not get(self.state.effect, path))
                return
        self.state.select(line.path)

    def _source_at(self, at: QPointF) -> str:
        """The path of the source whose row is at a place, if any."""
        row, lines = int((at.y() - AXIS) // theme.ROW), self.lines()
        path = lines[row].path if 0 <= row < len(lines) else ""
        return path if ".sources." in path else ""

    def _take_hold(self, at: QPointF, held: Qt.KeyboardModifier) -> bool:
        """Begin to move a cue, a burst (with all that hangs on its cue; with Shift alone), or with Ctrl a
        source's whole timing."""
        row, lines = int((at.y() - AXIS) // theme.ROW), self.lines()
        path = lines[row].path if 0 <= row < len(lines) else ""
        node = get(self.state.effect, path) if path else None
        moved = ""
        if isinstance(node, Cue):
            moved = f"{path}.at" if abs(at.x() - self.x_of(node.at)) < 10 else ""
        elif isinstance(node, Feed):
            if held & Qt.KeyboardModifier.ControlModifier:
                moved = f"{path}.delay"
            elif any(abs(at.x() - self.x_of(t)) < 6 for t in self.bursts_of(node)):
                moved = (
                    f"cues.{node.cue}.at"
                    if node.cue and not held & Qt.KeyboardModifier.ShiftModifier
                    else f"{path}.burst_at"
                )
        if not moved:
            return False
        self.state.select(path)
        self._moved = (moved, at.x(), float(get(self.state.effect, moved)), object())
        return True

    def _move(self, x: float) -> None:
        """Go on with what was taken hold of, in whole frames."""
        if self._moved is None:
            return
        path, begun, before, token = self._moved
        rate = self.state.effect.rate
        seconds = (x - begun) / self.axis().width() * self.state.effect.seconds
        self.state.edit(path, round((before + seconds) * rate) / rate, "Move in time", ("time", token))

    def _draw_burst(self, x: float) -> None:
        """Give the source a burst from where the drag began to here: one gesture, one edit."""
        if self._burst is None:
            return
        path, start, before, token = self._burst
        frame = 1.0 / self.state.effect.rate
        seconds = max(2 * frame, self.frame_at(x) * frame - start)
        burst = with_burst(before, start, seconds, max(frame, RISE * seconds))
        self.state.edit(f"{path}.emission", burst, "Draw a burst", ("burst", token))

    def toggle_fold(self, fold: str) -> None:
        self.unfolded ^= {fold}
        self._resize()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._moved is not None:
            self._move(event.position().x())
            return
        if self._burst is not None:
            self._draw_burst(event.position().x())
            return
        if self._scrubbing:
            self.state.go(self.frame_at(event.position().x()))
            return
        tip = SOURCE_TIP if self._source_at(event.position()) else ""
        for row, line in enumerate(self.lines()):
            if line.path:
                for mark, (_, _attribute, words) in enumerate(marks_of(line.path)):
                    if self.mark_rect(row, mark).contains(event.position()):
                        tip = words
        self.setToolTip(tip)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._scrubbing, self._burst, self._moved = False, None, None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        lines = [line for line in self.lines() if line.path]
        now = next((i for i, line in enumerate(lines) if line.path == self.state.selection), 0)
        if event.key() == Qt.Key.Key_Up and now > 0:
            self.state.select(lines[now - 1].path)
        elif event.key() == Qt.Key.Key_Down and now + 1 < len(lines):
            self.state.select(lines[now + 1].path)
        elif event.key() == Qt.Key.Key_Delete and lines:
            self.remove(lines[now].path)
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Asterisk):
            self.unfolded = {"forces", "props"}
            self._resize()
        else:
            super().keyPressEvent(event)

    def remove(self, path: str) -> None:
        """Take a layer, source, force or prop out of the effect (undoable)."""
        group, _, id = path.rpartition(".")
        if group in ("layers", "cues"):
            name = get(self.state.effect, path).name
            self.state.apply(
                (without_layer if group == "layers" else without_cue)(self.state.effect, id), f"Remove {name}"
            )
            return
        items = get(self.state.effect, group)
        name = get(self.state.effect, path).name
        self.state.edit(group, tuple(i for i in items if i.id != id), f"Remove {name}")


class Tempo(QWidget):
    """Play controls above the rows.

    While playing, the next frame is asked for when the last one was shown, so that a slow simulation
    slows the play and never the window.
    """

    def __init__(self, state: State, stage: Stage) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state, self.stage = state, stage
        self.playing = False
        self.every_frame = False
        self._behind = 0.0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 4, 8, 4)
        bar.setSpacing(4)
        self.rewind = self._button("skip-back", "To the first frame (Home)")
        self.rewind.clicked.connect(lambda: state.go(0))
        self.play = self._button("play", "Play or pause (Space)")
        self.play.clicked.connect(self.toggle)
        self.mode = self._button("list-video", "Every frame in turn, or at the true rate (R)")
        self.mode.setCheckable(True)
        self.mode.toggled.connect(self._set_mode)
        self.where = QLabel()
        self.where.setFont(theme.font(theme.BODY))
        self.pace = QLabel()
        self.pace.setProperty("quiet", True)
        for part in (self.rewind, self.play, self.mode):
            bar.addWidget(part)
        bar.addSpacing(8)
        bar.addWidget(self.where)
        bar.addSpacing(12)
        bar.addWidget(self.pace)
        bar.addStretch(1)
        self.cue = self._button(
            "flag", "A cue here: a moment that sources can hang on, and that moves all of them at once"
        )
        self.cue.clicked.connect(self._add_cue)
        bar.addWidget(self.cue)
        self.seed = self._button(
            "dices",
            (
                "Keep this as a trial and try another seed: another variation of everything that is left "
                "to chance"
            ),
        )
        self.seed.clicked.connect(self._reseed)
        bar.addWidget(self.seed)
        self.final = FinalBar(state)
        self.final.picked.connect(stage.show_run)
        self.final.run.changed.connect(
            lambda: stage.redraw() if stage.which != "preview" and stage.final_image is None else None
        )
        bar.addWidget(self.final)
        column.addLayout(bar)
        self.rows = Rows(state)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.rows)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(area, 1)
        self._tick = every(self, 8, self._step)
        self._clock = 0.0
        state.moved.connect(lambda _: self._show_where())
        state.changed.connect(lambda _: self._show_where())
        stage.drawn.connect(self._on_drawn)
        self._waiting = False
        self._hold = 0.0
        self._last_shown: float | None = None
        self._show_where()

    def _button(self, name: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setIcon(theme.icon(name))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        return button

    def _add_cue(self) -> None:
        effect, path = with_cue(self.state.effect, self.state.time)
        self.state.apply(effect, "Add a cue")
        self.state.select(path)

    def _reseed(self) -> None:
        effect, seed = reseeded(self.state.effect)
        self.state.apply(effect, "Try another seed")
        self.state.said.emit(f"Seed {seed}; the one before is kept as {effect.trials[-1].name}.")

    def _set_mode(self, on: bool) -> None:
        self.every_frame = on
        self._show_where()

    def _show_where(self) -> None:
        e = self.state.effect
        self.where.setText(f"{self.state.frame + 1} / {e.frames}   {self.state.time:.2f} s")
        if not self.playing:
            self.pace.setText("every frame" if self.every_frame else f"true rate, {e.rate:g} a second")

    def toggle(self) -> None:
        self.set_playing(not self.playing)

    def set_playing(self, on: bool) -> None:
        self.playing = on
        self.stage.live = on
        self.play.setIcon(theme.icon("pause" if on else "play"))
        self._waiting = False
        self._last_shown = None
        if on:
            self._clock = _now() - self.state.frame / self.state.effect.rate
            self._tick.start()
        else:
            self._tick.stop()
            self.stage.redraw(live=False)
        self._show_where()

    def _step(self) -> None:
        """Ask for the next frame when its time has come and the last picture has arrived."""
        if self._waiting or _now() < self._hold:
            return
        e = self.state.effect
        if self.every_frame:
            following = (self.state.frame + 1) % e.frames
        else:
            due = int((_now() - self._clock) * e.rate)
            if due < self.state.frame + 1:
                return
            following = due
            stored = self.state.status.stored
            # only stored frames may be dropped to keep the rate; the edge of a running simulation is walked
            # frame by frame
            while following > self.state.frame + 1 and not (following < len(stored) and stored[following]):
                following -= 1
            if following >= e.frames:
                following = 0
                self._clock = _now()
        self._waiting = True
        self.stage.redraw_at(following)

    def _on_drawn(self, drawn: Drawn) -> None:
        if not self.playing or not self._waiting:
            return
        self._waiting = False
        if drawn.shown is None or drawn.shown.index < 0:
            self._hold = _now() + EDGE_SECONDS
            self._clock = _now() - self.state.frame / self.state.effect.rate  # wait at the edge
            return
        now = _now()
        if self._last_shown is not None:
            pace = 1.0 / max(1e-3, now - self._last_shown)
            self._behind = 0.8 * self._behind + 0.2 * pace if self._behind else pace
            self.pace.setText(
                f"{self._behind:.0f} frames a second" + (", loose" if drawn.shown.loose else "")
            )
        self._last_shown = now
        if self.state.frame + 1 < drawn.shown.index or drawn.shown.loose:
            self._clock = now - drawn.shown.index / self.state.effect.rate
        self.stage.quiet_go(drawn.shown.index)
