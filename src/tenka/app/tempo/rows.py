"""The rows of the tempo in the hand: the head, marks, bursts and cues are taken hold of here."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QLineEdit

from tenka.app import theme
from tenka.app.state import State
from tenka.app.tempo.axis import AXIS, OUTLINE
from tenka.app.tempo.nameline import NameLine
from tenka.app.tempo.outline import SOURCE_TIP
from tenka.app.tempo.rowkeys import RowKeys
from tenka.app.tempo.rowpicture import FOLDS, RISE, marks_of
from tenka.base.errors import TenkaError
from tenka.effect.courses import Value, with_burst
from tenka.effect.document import get
from tenka.effect.keyed import moments, with_moment_moved
from tenka.effect.model import Cue, Feed
from tenka.effect.things import group_of, put_at, renamed

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class Rows(RowKeys):
    """The rows as they are taken hold of: the head, marks, bursts and cues. `asked` asks for the menu of a
    thing, at a place of the screen."""

    asked = pyqtSignal(str, QPoint)
    spanned = pyqtSignal()

    def __init__(self, state: State) -> None:
        self._name: QLineEdit | None = None
        self._scrubbing = False
        self._burst: tuple[str, float, Value, object] | None = None
        self._moved: tuple[str, float, float, object] | None = None
        self._carried: tuple[str, QPointF] | None = None  # a row in the hand, and where it was taken
        self._drop: int | None = None  # before which line it would be put
        self._moment = 0.0  # of the keys that are held
        self._panned: float | None = None
        self._stretched: int | None = None  # the end of the stretch that stays
        super().__init__(state)

    # --- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at, lines = event.position(), self.lines()
        if self._press_axis(event):
            return
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
        if event.button() == Qt.MouseButton.RightButton and line.path in self.state.chosen:
            return  # its menu is of all that is selected
        for mark, (_, attribute, _tip) in enumerate(marks_of(line.path)):
            if self.mark_rect(row, mark).contains(at):
                path = f"{line.path}.{attribute}"
                self.state.edit(path, not get(self.state.effect, path))
                return
        self._choose(line.path, event.modifiers())
        self._carried = (line.path, at)

    def _choose(self, path: str, held: Qt.KeyboardModifier) -> None:
        """Select a row; with Ctrl it comes to what is selected or goes from it, with Shift all up to it."""
        chosen = self.state.chosen
        if held & CTRL:
            self.state.select_more(
                [p for p in chosen if p != path] if path in chosen and len(chosen) > 1 else [*chosen, path]
            )
        elif held & SHIFT:
            paths = [line.path for line in self.lines() if line.path]
            if self.state.selection in paths:
                a, b = sorted((paths.index(self.state.selection), paths.index(path)))
                between = [p for p in paths[a : b + 1] if group_of(p) == group_of(path) and p != path]
                self.state.select_more([*between, path])
            else:
                self.state.select(path)
        else:
            self.state.select(path)

    def _carry(self, at: QPointF) -> None:
        """Show where the row that is held would be put."""
        if self._carried is None or (self._drop is None and (at - self._carried[1]).manhattanLength() < 8):
            return
        path = self._carried[0]
        own = [n for n, line in enumerate(self.lines()) if _kin(line.path, path)]
        row = (at.y() - AXIS) / theme.ROW
        self._drop = min((*own, own[-1] + 1), key=lambda n: abs(n - row))
        self.update()

    def _put_down(self) -> None:
        """Put the row that was carried where it was shown."""
        carried, drop = self._carried, self._drop
        self._carried, self._drop = None, None
        if carried is None or drop is None:
            return
        path = carried[0]
        own = [n for n, line in enumerate(self.lines()) if _kin(line.path, path)]
        lines = self.lines()
        place = sum(1 for n in own if n < drop and lines[n].path != path)
        effect = put_at(self.state.effect, path, place)
        if effect is not self.state.effect:
            self.state.apply(effect, f"Move {get(effect, path).name}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._drop is not None:
            painter = QPainter(self)
            painter.fillRect(QRectF(0, self.row_top(self._drop) - 1, OUTLINE, 2), theme.colour(theme.SAFFRON))

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
        near = self._moment_at(row, path, at) if path else None
        if near is not None:
            self.state.select(path)
            self._moment, self._moved = near, (f"keys {path}", at.x(), near, object())
            return True
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

    def _moment_at(self, row: int, path: str, at: QPointF) -> float | None:
        """The moment of the lozenge at a place, if there is one."""
        y = self.row_top(row) + theme.ROW - 7
        near = [t for t in moments(self.state.effect, path) if abs(self.x_of(t) - at.x()) < 7]
        return min(near, key=lambda t: abs(self.x_of(t) - at.x())) if near and abs(at.y() - y) < 8 else None

    def _press_axis(self, event: QMouseEvent) -> bool:
        """On the axis: the middle button moves along time, Shift draws the stretch that is played, and its
        ends are taken hold of."""
        at, e = event.position(), self.state.effect
        if at.x() < OUTLINE:
            return False
        if event.button() == Qt.MouseButton.MiddleButton:
            self._panned = at.x()
            return True
        if at.y() >= AXIS:
            return False
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._stretched = self.frame_at(at.x())
            return True
        if self.span.stretch is not None:
            first, last = self.span.played(e.frames)
            for mine, other, x in ((first, last, first), (last, first, last + 1)):
                if abs(self.x_of(x / e.rate) - at.x()) < 6:
                    self._stretched = other
                    return mine >= 0
        return False

    def play_only(self, stretch: tuple[int, int] | None) -> None:
        """Play these frames over and over, or all."""
        self.span.stretch = stretch
        self.repaint_all()
        self.spanned.emit()

    def zoom(self, by: float, about: float | None = None) -> None:
        """Show less or more of the time round a moment, by default the head's."""
        e = self.state.effect
        self.span.zoom(by, self.state.time if about is None else about, e.seconds, e.rate)
        self._envelopes.clear()
        self.repaint_all()
        self.spanned.emit()

    def show_all(self) -> None:
        self.span.all()
        self.repaint_all()
        self.spanned.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Ctrl and the wheel zoom along time, Shift and the wheel move along it."""
        assert event is not None
        turn = (event.angleDelta().y() or event.angleDelta().x()) / 120.0
        if event.position().x() < OUTLINE or not event.modifiers() & (CTRL | SHIFT):
            event.ignore()  # the rows scroll
        elif event.modifiers() & CTRL:
            self.zoom(1.25**turn, self.seconds_at(event.position().x()))
        else:
            self.span.pan(-0.1 * turn * self.shown[1], self.state.effect.seconds)
            self.repaint_all()
            self.spanned.emit()

    def _move(self, x: float) -> None:
        """Go on with what was taken hold of, in whole frames."""
        if self._moved is None:
            return
        path, begun, before, token = self._moved
        rate = self.state.effect.rate
        to = round((before + (x - begun) / self.axis().width() * self.shown[1]) * rate) / rate
        if path.startswith("keys "):
            self._move_keys(path[5:], to)
            return
        self.state.edit(path, to, "Move in time", ("time", token))

    def _move_keys(self, path: str, to: float) -> None:
        """All keys of the moment that was taken hold of, as far as their neighbours let them."""
        if abs(to - self._moment) < 1e-6:
            return
        try:
            effect = with_moment_moved(self.state.effect, path, self._moment, to)
        except TenkaError:
            return
        assert self._moved is not None
        self.state.document.apply(effect, "Move keys in time", merge=("keys", self._moved[3]))
        self._moment = to

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
        if self._panned is not None:
            by = (self._panned - event.position().x()) / self.axis().width() * self.shown[1]
            self.span.pan(by, self.state.effect.seconds)
            self._panned = event.position().x()
            self.repaint_all()
            self.spanned.emit()
            return
        if self._stretched is not None:
            a, b = sorted((self._stretched, self.frame_at(event.position().x())))
            self.play_only((a, b))
            return
        if self._moved is not None:
            self._move(event.position().x())
            return
        if self._burst is not None:
            self._draw_burst(event.position().x())
            return
        if self._carried is not None:
            self._carry(event.position())
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
        self._panned, self._stretched = None, None
        self._put_down()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A double click on a name opens it for typing."""
        assert event is not None
        at, lines = event.position(), self.lines()
        if at.y() < AXIS and at.x() >= OUTLINE:
            self.play_only(None)
            return
        row = int((at.y() - AXIS) // theme.ROW)
        path = lines[row].path if at.x() < OUTLINE and 0 <= row < len(lines) else ""
        marks = range(len(marks_of(path)))
        if path and not any(self.mark_rect(row, mark).contains(at) for mark in marks):
            self.rename(path)
            return
        self.mousePressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        lines, row = self.lines(), int((event.pos().y() - AXIS) // theme.ROW)
        path = lines[row].path if 0 <= row < len(lines) else ""
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            path = self.state.selection
        self.asked.emit(path, event.globalPos())

    def rename(self, path: str) -> None:
        """Open a thing's name for typing; Enter and a click elsewhere keep it, Escape leaves it."""
        group = path.split(".")[0]
        if group in FOLDS and group not in self.unfolded:
            self.toggle_fold(group)
        row = next((n for n, line in enumerate(self.lines()) if line.path == path), None)
        if row is None:
            return
        line = self.lines()[row]
        edit = NameLine(line.name, self)
        left = 26 + 18 * line.depth
        edit.setGeometry(left, AXIS + theme.ROW * row + 1, OUTLINE - left - 70, theme.ROW - 2)
        edit.kept.connect(lambda name: self._named(path, name))
        edit.show()
        edit.setFocus()
        edit.selectAll()
        self._name = edit

    def _named(self, path: str, name: str) -> None:
        self._name = None
        self.setFocus()
        if not name or name == get(self.state.effect, path).name:
            return
        try:
            self.state.apply(renamed(self.state.effect, path, name), "Rename")
        except TenkaError as error:
            self.state.refuse(error)


def _kin(path: str, other: str) -> bool:
    """Whether two rows are of the same group of the same thing."""
    return bool(path) and path.rpartition(".")[0] == other.rpartition(".")[0]
