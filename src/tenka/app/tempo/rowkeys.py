"""The rows of the tempo by keys: up and down through folds and things, aside through a row's marks."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPaintEvent, QPen

from tenka.app import theme
from tenka.app.keys import ARROWS
from tenka.app.state import State
from tenka.app.tempo.axis import OUTLINE
from tenka.app.tempo.outline import Line, marks_of
from tenka.app.tempo.rowpicture import RowsPicture
from tenka.effect.document import get

K = Qt.Key


class RowKeys(RowsPicture):
    """Return works what the keyboard is at: a fold opens, a mark is set, a name is typed."""

    own_keys = ARROWS | {K.Key_Return, K.Key_Enter, K.Key_Plus, K.Key_Asterisk}
    own_text = ""

    def __init__(self, state: State) -> None:
        self._fold = ""  # the fold that the keyboard is at, if it is at one
        self._mark = -1  # the mark, or -1 for the name
        super().__init__(state)
        state.selected.connect(self._leave_fold)

    def _leave_fold(self, _path: str) -> None:
        self._fold, self._mark = "", -1

    def toggle_fold(self, fold: str) -> None:
        raise NotImplementedError

    def rename(self, path: str) -> None:
        raise NotImplementedError

    def here(self) -> int:
        """Index of the line that the keyboard is at."""
        lines = self.lines()
        for n, line in enumerate(lines):
            if line.fold == self._fold if self._fold else line.path and line.path == self.state.selection:
                return n
        return 0

    def _step(self, by: int) -> None:
        """To the next line that is a thing or a fold."""
        lines, n = self.lines(), self.here() + by
        while 0 <= n < len(lines) and not (lines[n].path or lines[n].fold):
            n += by
        if not 0 <= n < len(lines):
            return
        self._mark = -1
        if lines[n].fold:
            self._fold = lines[n].fold
        else:
            self.state.select(lines[n].path)
            self._fold = ""
        self.update()

    def _aside(self, by: int, line: Line) -> None:
        """A fold opens to the right and closes to the left; a row's marks stand to the right of its name."""
        if line.fold:
            if (by > 0) != (line.fold in self.unfolded):
                self.toggle_fold(line.fold)
        else:
            self._mark = min(max(self._mark + by, -1), len(marks_of(line.path)) - 1)
        self.update()

    def _work(self, line: Line) -> None:
        if line.fold:
            self.toggle_fold(line.fold)
        elif line.path and self._mark >= 0:
            path = f"{line.path}.{marks_of(line.path)[self._mark][1]}"
            self.state.edit(path, not get(self.state.effect, path))
        elif line.path:
            self.rename(line.path)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        lines, key = self.lines(), event.key()
        line = lines[self.here()] if lines else Line("", "", "", 0)
        if key in (K.Key_Up, K.Key_Down):
            self._step(1 if key == K.Key_Down else -1)
        elif key in (K.Key_Left, K.Key_Right):
            self._aside(1 if key == K.Key_Right else -1, line)
        elif key in (K.Key_Return, K.Key_Enter):
            self._work(line)
        elif key in (K.Key_Plus, K.Key_Asterisk):
            self.unfolded = {"forces", "lights", "cameras", "props"}
            self._resize()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, a0: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, a0: QFocusEvent | None) -> None:
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Round what the keyboard is at, while it is here."""
        super().paintEvent(event)
        lines = self.lines()
        if not self.hasFocus() or not lines:
            return
        row = self.here()
        painter = QPainter(self)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1))
        box = QRectF(0.5, self.row_top(row) + 0.5, OUTLINE - 1, theme.ROW - 1)
        painter.drawRect(self.mark_rect(row, self._mark) if self._mark >= 0 else box)
