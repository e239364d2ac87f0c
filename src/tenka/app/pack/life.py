"""A sprite's life as one strip: what it looks like from birth to end, over its size, opacity, colour and
frame, all on one axis of age."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.sheet.ramps import RampField
from tenka.app.state import State
from tenka.base.srgb import from_srgb, to_srgb
from tenka.effect.catalogue import params
from tenka.effect.model import Flipbook, Player
from tenka.look.colour import ramp_table

LANES = {"size_over": "size", "alpha": "opacity", "tint_over": "colour", "frames_over": "sequence"}
FEWEST, AGES = 4, 9  # ages at which a sprite is drawn
TALLEST = 180.0  # px of a sprite
LANE = (34, 84)  # px that a lane is high
FIELD_EDGE = 6  # px that a ramp leaves at its ends
STEPS = 257


class Sprites(QWidget):
    """One sprite at some ages, as large, as dense and in the colour that it has then; the pointer tells of an
    age."""

    def __init__(self) -> None:
        super().__init__()
        self.images: dict[int, QImage] = {}
        self.count = 1
        self.player = Player()
        self.looped = False
        self.pointed: float | None = None
        self.setMinimumHeight(48)
        self.setMouseTracking(True)
        self.setAccessibleName("A sprite over its life")

    def frame_at(self, age: float) -> int:
        """The cell that a sprite shows."""
        table = ramp_table(self.player.frames_over, STEPS)
        through = float(table[round(age * (STEPS - 1))]) * self.player.plays
        if self.looped or self.player.plays != 1.0:
            through -= int(through)
        return min(int(through * (self.count if self.looped else self.count - 1) + 1e-6), self.count - 1)

    def at(self, age: float) -> tuple[float, float, tuple[float, ...]]:
        """Size against its own, opacity and colour at an age."""
        n = round(age * (STEPS - 1))
        size, opacity, tint = (
            ramp_table(r, STEPS)[n] for r in (self.player.size_over, self.player.alpha, self.player.tint_over)
        )
        return float(size), float(opacity), tuple(float(c) for c in tint)

    def words(self, age: float) -> str:
        """What it is like at an age."""
        size, opacity, _ = self.at(age)
        seconds = age * self.player.life
        return (
            f"age {seconds:.2f} s of {self.player.life:g} s: frame {self.frame_at(age) + 1} of {self.count}, "
            f"size {100 * size:.0f} %, opacity {100 * opacity:.0f} %"
        )

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        room = max(self.width() - 2 * FIELD_EDGE, 1)
        self.pointed = min(max((event.position().x() - FIELD_EDGE) / room, 0.0), 1.0)
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.pointed = None
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour("#303335"))
        room = QRectF(self.rect()).adjusted(FIELD_EDGE, 4, -FIELD_EDGE, -20)
        some = next(iter(self.images.values()), None)
        wide = min(room.height(), TALLEST) * (some.width() / some.height() if some is not None else 1.0)
        count = min(max(round(room.width() / max(0.8 * wide, 1.0)), FEWEST), AGES)
        each = room.width() / count
        most = max(float(ramp_table(self.player.size_over, STEPS).max()), 1e-3)
        for n in range(count):
            age = (n + 0.5) / count
            size, opacity, tint = self.at(age)
            image = self.images.get(self.frame_at(age))
            if image is None or size <= 0:
                continue
            fit = min(1.4 * each / image.width(), room.height() / image.height()) * size / most
            wide, tall = image.width() * fit, image.height() * fit
            middle = room.left() + (n + 0.5) * each
            painter.setOpacity(opacity)
            painter.drawImage(
                QRectF(middle - wide / 2, room.bottom() - tall, wide, tall), tinted(image, tint)
            )
        painter.setOpacity(1.0)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.QUIET))
        under = QRectF(room.left(), room.bottom() + 2, room.width(), 18)
        if self.pointed is None:
            words = f"{self.player.life:g} s"
            painter.drawText(under, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, "birth")
            painter.drawText(under, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
            return
        painter.drawText(under, Qt.AlignmentFlag.AlignCenter, self.words(self.pointed))
        x = room.left() + self.pointed * room.width()
        painter.setPen(QPen(theme.colour(theme.SAFFRON), 1.0))
        painter.drawLine(QPointF(x, 0.0), QPointF(x, room.bottom()))


def tinted(image: QImage, tint: tuple[float, ...]) -> QImage:
    """A picture whose light is multiplied by a colour."""
    if all(abs(c - 1.0) < 1e-3 for c in tint):
        return image
    wide, tall = image.width(), image.height()
    bits = image.constBits()
    assert bits is not None
    texels = np.frombuffer(bits.asstring(4 * wide * tall), np.uint8).reshape(tall, wide, 4).copy()
    light = from_srgb(texels[..., :3].astype(np.float32) / 255) * np.array(tint, np.float32)
    texels[..., :3] = np.clip(to_srgb(light), 0, 1) * 255 + 0.5
    return QImage(texels.tobytes(), wide, tall, 4 * wide, image.format()).copy()


class LifeStrip(QWidget):
    """The sprites, and a lane for each ramp below them, of as much width."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.id = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        self.sprites = Sprites()
        grid.addWidget(self.sprites, 0, 1)
        grid.setRowStretch(0, 3)
        known, first = params(Player), Player()
        self.lanes: dict[str, RampField] = {}
        for row, (name, label) in enumerate(LANES.items(), start=1):
            head = QLabel(label)
            head.setProperty("quiet", True)
            head.setMinimumWidth(62)
            lane = RampField(known[name], getattr(first, name))
            lane.setToolTip(
                "Drag a stop; double-click adds one, or opens the colour of one; Delete takes it away"
            )
            lane.setMinimumHeight(LANE[0])
            lane.setMaximumHeight(LANE[1])
            lane.changed.connect(partial(self._edit, name))
            grid.addWidget(head, row, 0, Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(lane, row, 1)
            grid.setRowStretch(row, 1)
            self.lanes[name] = lane
        column.addLayout(grid, 1)

    def _edit(self, name: str, value: object, token: object) -> None:
        path = f"deliveries.{self.id}.route.player.{name}"
        self.state.edit(path, value, f"{LANES[name].capitalize()} over life", token)

    def show_book(self, id: str, book: Flipbook, images: dict[int, QImage], count: int) -> None:
        """Show a flipbook's player, with such cells as are drawn."""
        self.id = id
        self.sprites.player, self.sprites.looped = book.player, book.loop
        self.sprites.images, self.sprites.count = images, max(count, 1)
        for name, lane in self.lanes.items():
            if not lane.held:
                lane.show_value(getattr(book.player, name))
        self.sprites.update()
