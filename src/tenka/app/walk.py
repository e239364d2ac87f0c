"""A first effect, walked through with marks on the window: what to do stands beside where it is done. It can
be left at any step."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.timers import every
from tenka.app.wrapped import Wrapped
from tenka.effect.courses import value_at

if TYPE_CHECKING:
    from tenka.app.window import Window

WIDE, GAP = 300, 12  # px of a note, and between it and what it is about


@dataclass(frozen=True)
class Step:
    """A step: what to do, where, at which station, and whether it has been done."""

    text: str
    station: str
    where: Callable[[Window], QWidget | None]
    done: Callable[[Window], bool] = lambda _: False


def _wind(window: Window) -> QWidget | None:
    row = next((r for r in window.sheet.rows if r.path.endswith(".speed")), None)
    return row or window.sheet


def _windy(window: Window) -> bool:
    return any(f.kind == "wind" and value_at(f.speed, 0.0) > 2.0 for f in window.state.effect.forces)


STEPS = (
    Step(
        "Begin with a plume: a column of smoke in a light wind.",
        "shape",
        lambda w: w.tray.buttons["Plume"],
        lambda w: bool(w.state.effect.layers),
    ),
    Step(
        "Space plays it, and pauses. While it is simulated, the play waits at its edge; then it runs at the "
        "true rate.",
        "shape",
        lambda w: w.tempo.play,
        lambda w: w.tempo.playing,
    ),
    Step(
        "Open Forces here, and click the wind: the sheet shows its settings.",
        "shape",
        lambda w: w.tempo.rows,
        lambda w: w.state.selection.startswith("forces."),
    ),
    Step(
        "Drag speed sideways to lean the plume: above 2 m/s it leans well. What follows is simulated anew.",
        "shape",
        _wind,
        _windy,
    ),
    Step(
        "What is likely wrong stands here. A smoke that is cut off at a wall has a mend: one click grows the "
        "box, and says what that costs.",
        "shape",
        lambda w: w.sheet.findings,
    ),
    Step(
        "Station 2, Look: drag in the picture to turn the light, and change the smoke's colours. Nothing is "
        "simulated anew.",
        "look",
        lambda w: w.stage,
    ),
    Step(
        "Station 3, Pack: the frames as they will stand in the atlas. Pack writes the package that the game "
        "reads.",
        "pack",
        lambda w: w.pack.button,
        lambda w: w.state.package is not None,
    ),
    Step("Station 4, Budget: what it costs on each tier, against what it may.", "budget", lambda w: w.budget),
    Step(
        "Station 5, Proof: the package alone, as the game plays it. That is all: save with Ctrl+S, find "
        "anything with Ctrl+K, and F1 opens the guide.",
        "proof",
        lambda w: w.proof,
    ),
)


class Walk(QWidget):
    """A mark round what a step is about, and a note beside it. The window can be used all the while."""

    def __init__(self, window: Window) -> None:
        root = window.centralWidget()
        assert root is not None
        super().__init__(root)
        self.window_, self.at = window, -1
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._mark = QRect()
        self.note = QFrame(root)
        self.note.setObjectName("bench")
        self.note.setStyleSheet(
            f"QFrame#bench {{ background: {theme.BENCH}; border: 1px solid {theme.SAFFRON}; "
            f"border-radius: {theme.RADIUS}px; }}"
        )
        self.note.setFixedWidth(WIDE)
        column = QVBoxLayout(self.note)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(10)
        self.count = QLabel()
        self.count.setProperty("quiet", True)
        self.text = Wrapped()
        column.addWidget(self.count)
        column.addWidget(self.text)
        line = QHBoxLayout()
        self.skip, self.back, self.next = QPushButton("Leave"), QPushButton("Back"), QPushButton("Next")
        self.next.setProperty("main", True)
        self.skip.clicked.connect(self.leave)
        self.back.clicked.connect(lambda: self.go(self.at - 1))
        self.next.clicked.connect(lambda: self.go(self.at + 1))
        line.addWidget(self.skip)
        line.addStretch(1)
        line.addWidget(self.back)
        line.addWidget(self.next)
        column.addLayout(line)
        self._tick = every(self, 200, self._look)
        self._was_done = False
        self.hide()
        self.note.hide()

    def begin(self) -> None:
        """Start with nothing, at the first step; what is open is asked for first."""
        if self.window_._may_leave() and self.window_.open(None):
            self.window_.leave_start()
            self.go(0)

    def go(self, step: int) -> None:
        """Go to a step; beyond the last one it ends."""
        if not 0 <= step < len(STEPS):
            self.leave()
            return
        self.at = step
        here = STEPS[step]
        if self.window_.station != here.station:
            self.window_.go_to(here.station)
        if here.station == "shape":
            self.window_.leave_start()
        self._was_done = here.done(self.window_)
        self.count.setText(f"{step + 1} of {len(STEPS)}")
        self.text.setText(here.text)
        self.back.setEnabled(step > 0)
        self.next.setText("Done" if step + 1 == len(STEPS) else "Next")
        self.show()
        self.note.show()
        self._tick.start()
        self._look()

    def leave(self) -> None:
        self._tick.stop()
        self.at = -1
        self.hide()
        self.note.hide()

    def _look(self) -> None:
        """Keep the mark and the note where they belong; go on when the step was done."""
        step, root = STEPS[self.at], self.parentWidget()
        assert root is not None
        if not self._was_done and step.done(self.window_):
            self.go(self.at + 1)
            return
        target = step.where(self.window_)
        self.setGeometry(root.rect())
        if target is None or not target.isVisible():
            self._mark = QRect()
        else:
            self._mark = QRect(target.mapTo(root, QPoint(0, 0)), target.size())
        self.note.adjustSize()
        self.note.move(self._beside(root))
        self.raise_()
        self.note.raise_()
        self.update()

    def _beside(self, root: QWidget) -> QPoint:
        """Where the note stands: beside the mark where there is room, else within it."""
        size, m = self.note.size(), self._mark
        if m.isNull():
            return QPoint((root.width() - size.width()) // 2, (root.height() - size.height()) // 2)
        if m.width() > root.width() // 2 and m.height() > root.height() // 2:
            return QPoint(m.center().x() - size.width() // 2, m.top() + 24)
        x = (
            m.right() + GAP
            if m.right() + GAP + size.width() < root.width()
            else m.left() - GAP - size.width()
        )
        y = m.top()
        if x < 0:  # as wide as the window: above it
            x, y = m.left() + GAP, m.top() - GAP - size.height()
        return QPoint(x, min(max(y, GAP), root.height() - size.height() - GAP))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._mark.isNull():
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour(theme.SAFFRON), 2))
        painter.drawRoundedRect(QRectF(self._mark).adjusted(1, 1, -1, -1), 5, 5)
