"""The rows of the tempo in the hand: the head, marks, bursts and cues are taken hold of here."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFocusEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.app.tempo.rowpicture import AXIS, OUTLINE, RISE, SOURCE_TIP, RowsPicture, marks_of
from tenka.base.errors import TenkaError
from tenka.effect.additions import without_cue, without_layer
from tenka.effect.courses import Value, with_burst
from tenka.effect.document import get
from tenka.effect.model import Cue, Feed
from tenka.effect.things import renamed

UP, DOWN = Qt.Key.Key_Up, Qt.Key.Key_Down


class Rows(RowsPicture):
    """The rows as they are taken hold of: the head, marks, bursts and cues. `asked` asks for the menu of a
    thing, at a place of the screen."""

    asked = pyqtSignal(str, QPoint)
    own_keys = frozenset((UP, DOWN, Qt.Key.Key_Return, Qt.Key.Key_Plus, Qt.Key.Key_Asterisk))
    own_text = ""

    def __init__(self, state: State) -> None:
        self._name: QLineEdit | None = None
        self._scrubbing = False
        self._burst: tuple[str, float, Value, object] | None = None
        self._moved: tuple[str, float, float, object] | None = None
        super().__init__(state)

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
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Asterisk):
            self.unfolded = {"forces", "props"}
            self._resize()
        else:
            super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A double click on a name opens it for typing."""
        assert event is not None
        at, lines = event.position(), self.lines()
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
        if group in ("forces", "props", "trials") and group not in self.unfolded:
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
            self.state.said.emit(str(error))

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


class NameLine(QLineEdit):
    """A name that is typed: `kept` with the name, or with nothing when it is left."""

    kept = pyqtSignal(str)

    def __init__(self, text: str, parent: QWidget) -> None:
        super().__init__(text, parent)
        self.setMaxLength(60)
        self._done = False

    def _end(self, name: str) -> None:
        if not self._done:
            self._done = True
            self.hide()
            self.deleteLater()
            self.kept.emit(name)

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        key = a0.key() if a0 is not None else 0
        if key == Qt.Key.Key_Escape:
            self._end("")
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._end(self.text().strip())
        else:
            super().keyPressEvent(a0)

    def focusOutEvent(self, a0: QFocusEvent | None) -> None:
        super().focusOutEvent(a0)
        if a0 is not None and a0.reason() != Qt.FocusReason.PopupFocusReason:
            self._end(self.text().strip())
