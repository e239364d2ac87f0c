"""What the Pack station shows of a delivery before it is written."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.effect.model import Delivery
from tenka.pack.layout import Box
from tenka.package.parts import Element
from tenka.run.plans import Plan


@dataclass(frozen=True)
class Shown:
    """A delivery that is shown, as the present tier has it."""

    delivery: Delivery
    box: Box
    element: Element
    plans: dict[str, Plan]


class RouteView(QWidget):
    """The picture of a delivery at the Pack station."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state

    def show_delivery(self, shown: Shown) -> None:
        """Show a delivery as it is now."""

    def clear(self) -> None:
        """Show none."""

    def close_workers(self) -> None:
        """Stop what is drawn in the background."""


@dataclass(frozen=True)
class Curve:
    """How much of something each frame has.

    Attributes
    ----------
    name, unit : of the values
    times : s; values : of each frame that is known
    """

    name: str
    unit: str
    times: np.ndarray
    values: np.ndarray


class CurveView(RouteView):
    """What each frame holds over time, with its largest and its mean."""

    TITLE, UNIT = "", ""

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.curve: Curve | None = None
        self.span = (0.0, 1.0)
        self.setMinimumSize(200, 160)
        self.setAccessibleName("What each frame holds")

    def curve_of(self, shown: Shown) -> Curve:
        """The values of the frames that are written, as far as they are simulated."""
        raise NotImplementedError

    def show_delivery(self, shown: Shown) -> None:
        self.curve = self.curve_of(shown)
        times = shown.element.times
        self.span = (times[0], max(times[-1], times[0] + 1e-3))
        self.update()

    def clear(self) -> None:
        self.curve = None
        self.update()

    def measured(self, shown: Shown, name: str) -> Curve:
        """A figure of the frames of a delivery's first layer, within its span."""
        layer = shown.delivery.of[0]
        figures = self.state.status.layers[layer].figures if layer in self.state.status.layers else {}
        rate, (first, last) = self.state.effect.rate, (shown.element.times[0], shown.element.times[-1])
        rows = [
            (f / rate, float(meta[name]))
            for f, meta in sorted(figures.items())
            if name in meta and first - 1e-6 <= f / rate <= last + 1e-6
        ]
        found = np.array(rows, float).reshape(-1, 2)
        return Curve(self.TITLE, self.UNIT, found[:, 0], found[:, 1])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        area = QRectF(self.rect()).adjusted(64, 44, -24, -40)
        curve = self.curve
        painter.setFont(theme.font(theme.SMALL))
        if curve is None or area.width() < 40 or area.height() < 30:
            return
        top = float(curve.values.max()) if len(curve.values) else 0.0
        painter.setPen(theme.colour(theme.TEXT))
        unit = f" {curve.unit}" if curve.unit else ""
        head = curve.name
        if len(curve.values):
            head += f": at most {top:,.6g}{unit}, {curve.values.mean():,.6g}{unit} on average"
        else:
            head += " are known when frames are simulated"
        painter.drawText(QRectF(24, 12, self.width() - 48, 20), Qt.AlignmentFlag.AlignLeft, head)
        painter.setPen(QPen(theme.colour(theme.RULE)))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.setPen(theme.colour(theme.QUIET))
        for share in (0.0, 0.5, 1.0):
            y = area.bottom() - share * area.height()
            if top > 0:
                box = QRectF(0, y - 9, area.left() - 8, 18)
                flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(box, flags, f"{share * top:,.4g}")
            x = area.left() + share * area.width()
            t = self.span[0] + share * (self.span[1] - self.span[0])
            box = QRectF(x - 40, area.bottom() + 6, 80, 18)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{t:.2f} s")
        if top <= 0 or not len(curve.values):
            return
        path = QPainterPath()
        for n, (t, v) in enumerate(zip(curve.times, curve.values)):
            at = QPointF(
                area.left() + (t - self.span[0]) / (self.span[1] - self.span[0]) * area.width(),
                area.bottom() - v / top * area.height(),
            )
            path.moveTo(at) if n == 0 else path.lineTo(at)
        under = QPainterPath(path)
        under.lineTo(path.currentPosition().x(), area.bottom())
        under.lineTo(path.elementAt(0).x, area.bottom())
        painter.fillPath(under, theme.colour(theme.VERDIGRIS, 0.14))
        painter.strokePath(path, QPen(theme.colour(theme.VERDIGRIS), 1.6))
