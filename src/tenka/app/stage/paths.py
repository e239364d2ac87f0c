"""Pathlines on the stage: from where they are begun, how long they are, what colours them; and their
picture."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QLineF, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.sheet.fields import NumberField
from tenka.app.stage.shades import shades
from tenka.cache.store import Frame
from tenka.effect.catalogue import LOOK, Settings, params
from tenka.look.inspect import FIELDS, field_called
from tenka.look.pathlines import Pathlines, pathlines, seeds_of
from tenka.scene.cameras import View

COUNT = 160
LEVELS = 24  # of colour
HAND = "hand"
SPANS = (
    ("as it flows now", 0.0, 0.6, True),
    ("0.25 s either way", 0.25, 0.25, False),
    ("0.5 s before", 0.5, 0.0, False),
    ("0.5 s after", 0.0, 0.5, False),
    ("1 s either way", 1.0, 1.0, False),
    ("the whole time", 600.0, 600.0, False),
)
"""How long lines are: seconds before and after, and whether the present frame is held."""
LEAST = {"density": 0.05, "temperature": 300.0, "fuel": 0.05, "flame": 0.05, "speed": 0.5, "vorticity": 2.0}


@dataclass(frozen=True)
class Asked:
    """What lines are wanted."""

    field: str
    least: float
    hand: tuple[tuple[float, float, float], ...]
    before: float
    after: float
    held: bool
    colour: str

    def lines(self, frame: Frame, frame_of: Any, index: int, rate: float) -> Pathlines:
        """The lines through a frame; `frame_of` gives the others, or raises to stop."""
        seeds = (
            np.array(self.hand, float).reshape(-1, 3)
            if self.field == HAND
            else seeds_of(frame, self.field, self.least, COUNT)
        )
        before, after = (round(s * rate) for s in (self.before, self.after))
        given = (lambda n: frame) if self.held else (lambda n: frame if n == index else frame_of(n))
        return pathlines(given, index, rate, seeds, before, after, self.colour)


class Least(Settings):
    """The value from which on lines begin; its unit is that of the chosen field."""

    least: float = LOOK.number(
        0.05, "", -1e6, 1e6, "Lines begin where the field is at least this.", soft=(0, 10), step=0.01
    )


class PathPanel(QWidget):
    """Rows of choices; `changed` when lines must be found anew."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.hand: list[tuple[float, float, float]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(4)
        self.start = self._combo("Where lines begin", [("where " + f.name.lower(), f.id) for f in FIELDS])
        self.start.addItem("by hand", HAND)
        self.least = NumberField(params(Least)["least"], Least().least)
        self.least.setAccessibleName("Least value where lines begin")
        self.least.changed.connect(lambda *_: self.changed.emit())
        self.unit = QLabel()
        self.unit.setProperty("quiet", True)
        self.clear = QPushButton("Clear")
        self.clear.setToolTip("Take back all lines that were begun by hand")
        self.clear.clicked.connect(self._clear)
        first = QHBoxLayout()
        first.setSpacing(6)
        first.addWidget(self.start, 1)
        self.at_least = QLabel("≥")
        for part in (self.at_least, self.least, self.unit, self.clear):
            first.addWidget(part)
        self.least.setFixedWidth(58)
        column.addLayout(first)
        second = QHBoxLayout()
        second.setSpacing(6)
        self.span = self._combo("How long lines are", [(s[0], n) for n, s in enumerate(SPANS)])
        self.colour = self._combo("What colours lines", [("plain", ""), ("by time", "time")])
        for f in FIELDS:
            self.colour.addItem("by " + f.name.lower(), f.id)
        second.addWidget(self.span, 1)
        second.addWidget(self.colour, 1)
        column.addLayout(second)
        self.hint = QLabel("Click on the stage: a line begins on the slice there.")
        self.hint.setProperty("quiet", True)
        self.hint.setWordWrap(True)
        column.addWidget(self.hint)
        self._show_parts()

    def _combo(self, name: str, items: list[tuple[str, Any]]) -> QComboBox:
        combo = QComboBox()
        combo.setAccessibleName(name)
        combo.setToolTip(name)
        combo.setMinimumContentsLength(8)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for text, data in items:
            combo.addItem(text, data)
        combo.activated.connect(self._chosen)
        return combo

    def _chosen(self) -> None:
        if self.sender() is self.start and not self.by_hand:
            self.least.value = LEAST.get(self.start.currentData(), 0.0)
        self._show_parts()
        self.changed.emit()

    @property
    def by_hand(self) -> bool:
        return bool(self.start.currentData() == HAND)

    def _show_parts(self) -> None:
        """Only what takes part: a least value for a field, what clears for the hand."""
        for part in (self.at_least, self.least, self.unit):
            part.setVisible(not self.by_hand)
        self.clear.setVisible(self.by_hand)
        self.hint.setVisible(self.by_hand)
        unit = "" if self.by_hand else field_called(self.start.currentData()).unit
        self.unit.setText(unit)
        self.least.p = replace(self.least.p, unit=unit)  # so that what is typed may have it
        self.least.update()

    def begin_at(self, place: np.ndarray) -> None:
        """Begin a line by hand."""
        self.hand.append((float(place[0]), float(place[1]), float(place[2])))
        self.changed.emit()

    def _clear(self) -> None:
        self.hand.clear()
        self.changed.emit()

    def asked(self) -> Asked:
        _, before, after, held = SPANS[self.span.currentData()]
        return Asked(
            self.start.currentData(),
            self.least.value,
            tuple(self.hand),
            before,
            after,
            held,
            self.colour.currentData(),
        )


def paint_paths(painter: QPainter, view: View, lines: Pathlines) -> None:
    """Draw lines: by their colour, or plain and fainter where they begin, so that one sees which way."""
    n, m, _ = lines.places.shape
    if n == 0 or m < 2:
        return
    at = view.project(lines.places.reshape(-1, 3)).reshape(n, m, 3)
    seen = (at[:, :-1, 2] > 0.05) & (at[:, 1:, 2] > 0.05) & lines.alive[:, :-1] & lines.alive[:, 1:]
    if lines.values is not None and lines.field is not None:
        low, high = lines.range
        share = (0.5 * (lines.values[:, :-1] + lines.values[:, 1:]) - low) / (high - low)
        colours = shades(lines.field, lines=True)
        pens = [QColor(*(int(c) for c in colours[int(k * 255 / (LEVELS - 1))])) for k in range(LEVELS)]
    else:
        share = np.broadcast_to((np.arange(m - 1) + 0.5) / (m - 1), (n, m - 1))
        pens = [theme.colour(theme.TEXT, 0.3 + 0.55 * k / (LEVELS - 1)) for k in range(LEVELS)]
    level = np.clip((share * LEVELS).astype(int), 0, LEVELS - 1)
    ends = np.concatenate([at[:, :-1, :2], at[:, 1:, :2]], axis=2)
    for k, pen in enumerate(pens):
        held = ends[seen & (level == k)]
        if len(held):
            painter.setPen(QPen(pen, 1.4))
            for a, b, c, d in held.tolist():
                painter.drawLine(QLineF(a, b, c, d))
