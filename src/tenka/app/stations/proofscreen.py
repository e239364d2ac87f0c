"""The game's picture at the Proof station, with what drawing it took."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.base.words import counted
from tenka.effect.model import Camera
from tenka.proof.engine import Counts, Held
from tenka.proof.heat import HEAT, HEAT_AT
from tenka.scene.cameras import View

Outline = tuple[str, bool, list[tuple[QPointF, QPointF]]]
"""A box's name, whether what is in it may leave it, and its edges in px."""
BESIDE = 214.0  # px from the left, where the counts end
EDGES = [(a, b) for a in range(8) for b in range(a + 1, 8) if (a ^ b).bit_count() == 1]


def outlines(boxes: list[Held], view: View) -> list[Outline]:
    """Boxes as they are seen; edges that reach behind the eye are left out."""
    found: list[Outline] = []
    for name, low, high, left in boxes:
        corners = np.array([[high[k] if n >> k & 1 else low[k] for k in range(3)] for n in range(8)])
        at = view.project(corners)
        edges = [
            (QPointF(at[a, 0], at[a, 1]), QPointF(at[b, 0], at[b, 1]))
            for a, b in EDGES
            if view.orthographic or min(at[a, 2], at[b, 2]) > 0.05
        ]
        found.append((name, left, edges))
    return found


class Screen(QWidget):
    """The game's picture; drag to walk round, or to turn the sun; wheel to come nearer."""

    looked = pyqtSignal(object)
    sun_turned = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.words = ""
        self.counts: Counts | None = None
        self.heat = False
        self.boxes: list[Outline] = []
        self.turns_light = False
        self.camera = Camera()
        self._press: QPointF | None = None
        self.setMinimumSize(320, 140)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Proof")

    def forget(self) -> None:
        """Nothing is shown any more, and what comes next is seen as it says itself."""
        self.image, self.words, self.counts, self.boxes = None, "", None, []
        self.heat = self.turns_light = False
        self.camera = Camera()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.image is None:
            painter.fillRect(self.rect(), theme.colour("#3A3A3A"))
            painter.setPen(theme.colour(theme.TEXT))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.words)
            return
        painter.drawImage(self.rect(), self.image)
        for name, left, edges in self.boxes:
            painter.setPen(QPen(theme.colour(theme.SAFFRON if left else theme.VERDIGRIS, 0.8), 1.0))
            for a, b in edges:
                painter.drawLine(a, b)
            if edges:
                painter.setFont(theme.font(theme.SMALL))
                middle = sum((a + b for a, b in edges), QPointF()) / (2 * len(edges))
                told = f"{name} may leave its bounds as it is played now" if left else name
                x = min(max(middle.x(), BESIDE), max(self.width() - 200.0, BESIDE))  # beside the counts
                at = QPointF(x, min(max(middle.y(), 24.0), self.height() - 12.0))
                metrics = painter.fontMetrics()
                back = QRectF(metrics.boundingRect(told)).translated(at).adjusted(-6, -3, 6, 3)
                hue = painter.pen().color()
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour(theme.GROUND, 0.78))
                painter.drawRoundedRect(back, theme.RADIUS, theme.RADIUS)
                painter.setPen(theme.colour(theme.TEXT) if not left else hue)
                painter.drawText(at, told)
        if self.counts is not None:
            c = self.counts
            share = c.pixels / max(1, self.image.width() * self.image.height())
            more = (("particles", c.particles), ("triangles", c.triangles), ("volume samples", c.samples))
            rows = [
                ("quads", f"{c.quads}"),
                *((name, f"{count:,}") for name, count in more if count),
                ("covered", f"{c.covered / 1e6:.2f} Mpx"),
                ("of the picture", f"{100 * share:.1f} %"),
                ("overdraw", f"{c.overdraw:.2f} layers"),
                ("most", counted(c.most, "layer")),
                ("texture read", f"{c.texture_bytes / 1e6:.2f} MB"),
            ]
            box = QRectF(12, 12, 190, 14 + 17 * len(rows))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(theme.GROUND, 0.78))
            painter.drawRoundedRect(box, theme.RADIUS, theme.RADIUS)
            painter.setFont(theme.font(theme.SMALL))
            for k, (name, text) in enumerate(rows):
                line = QRectF(box.left() + 10, box.top() + 7 + 17 * k, box.width() - 20, 17)
                painter.setPen(theme.colour(theme.QUIET))
                painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
                painter.setPen(theme.colour(theme.TEXT))
                painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        if self.heat:
            self._legend(painter)

    def _legend(self, painter: QPainter) -> None:
        wide, left, top = 34, self.width() - 34 * len(HEAT_AT) - 16, self.height() - 40
        painter.setFont(theme.font(theme.SMALL))
        for k, (layers, hue) in enumerate(zip(HEAT_AT, HEAT)):
            r, g, b = (int(255 * c) for c in hue)
            painter.fillRect(QRectF(left + k * wide, top, wide, 8), theme.colour(f"#{r:02x}{g:02x}{b:02x}"))
            painter.setPen(theme.colour(theme.TEXT))
            painter.drawText(
                QRectF(left + k * wide, top + 9, wide, 16), Qt.AlignmentFlag.AlignCenter, f"{layers}"
            )
        painter.drawText(
            QRectF(left - 110, top - 4, 104, 16),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            "layers per pixel",
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._press = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._press = None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._press is not None:
            d = event.position() - self._press
            self._press = event.position()
            pitch = min(80.0, max(-15.0, self.camera.pitch + d.y() * 0.3))
            if self.turns_light:
                self.sun_turned.emit(-0.5 * d.x(), -0.3 * d.y())
            else:
                self._look({"heading": self.camera.heading - d.x() * 0.4, "pitch": pitch})

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self._look(
            {"distance": min(5e3, max(0.5, self.camera.distance * 0.9 ** (event.angleDelta().y() / 120)))}
        )

    def _look(self, change: dict[str, float]) -> None:
        self.camera = self.camera.model_copy(update=change)
        self.looked.emit(self.camera)
