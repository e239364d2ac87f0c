"""What the Pack station shows of a delivery before it is written."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.base.jobs import Worker
from tenka.effect.courses import still, value_at
from tenka.effect.model import Delivery
from tenka.look.alone import drawn_alone
from tenka.look.shot import gathered, shot_of
from tenka.pack.atlases import encode
from tenka.pack.layout import Box, taken
from tenka.package.parts import Element
from tenka.run.plans import Plan
from tenka.scene.cameras import view_of
from tenka.scene.meshes import joined


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


def image_of(rgba: np.ndarray) -> QImage:
    """Premultiplied colours as a picture of the window's library."""
    h, w, _ = rgba.shape
    # pure light has no alpha: such pictures must have as much as any colour
    rgba[..., 3] = rgba.max(axis=2)
    kind = QImage.Format.Format_RGBA8888_Premultiplied
    return QImage(np.ascontiguousarray(rgba).tobytes(), w, h, 4 * w, kind).copy()


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


THUMBS = 7  # moments that are drawn
LEAST_THUMB, FEWEST = 190, 3  # px that a picture is wide at least, and how many are shown at least
THUMB = (360, 225)  # px of a picture as it is drawn, by the effect's camera
STRIP = 0.42  # of the height that they may take


class CurveView(RouteView):
    """Pictures of some moments, and what each frame holds over time, with its largest and its mean."""

    TITLE, UNIT = "", ""
    drawn = pyqtSignal(int, int, object)

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.curve: Curve | None = None
        self.span = (0.0, 1.0)
        self.pictures: dict[int, QImage] = {}
        self.moments: list[float] = []
        self._round = 0
        self._key: object = None
        self._worker = Worker("delivery's pictures", lambda error: state.refuse(error))
        self.drawn.connect(self._take)
        self.setMinimumSize(200, 160)
        self.setAccessibleName("What each frame holds")

    def curve_of(self, shown: Shown) -> Curve:
        """The values of the frames that are written, as far as they are simulated."""
        raise NotImplementedError

    def show_delivery(self, shown: Shown) -> None:
        self.curve = self.curve_of(shown)
        times = shown.element.times
        self.span = (times[0], max(times[-1], times[0] + 1e-3))
        self._draw(shown)
        self.update()

    def clear(self) -> None:
        self.curve, self._key, self.pictures, self.moments = None, None, {}, []
        self._round += 1
        self.update()

    def close_workers(self) -> None:
        self._round += 1
        self._worker.close()

    def _draw(self, shown: Shown) -> None:
        """Draw the moments whose frames are stored, unless they are drawn already."""
        effect, store, folder = self.state.played, self.state.store, self.state.folder
        first, last = (int(t * effect.rate + 1e-6) for t in (shown.element.times[0], shown.element.times[-1]))
        moments = sorted({round(first + (last - first) * (n + 0.5) / THUMBS) for n in range(THUMBS)})
        have = tuple(f for f in moments if all(store.has(run.name(f)) for run in shown.plans.values()))
        layers = tuple(taken(effect, shown.delivery))
        key = (layers, effect.light, effect.lights, effect.camera, have)
        self.moments = [f / effect.rate for f in moments]
        if key == self._key:
            return
        self._key, self.pictures = key, {}
        self._round += 1
        mine = self._round
        alone = effect.model_copy(update={"layers": layers})
        view = view_of(effect.camera, *THUMB)

        def work() -> None:
            for f in have:
                if mine != self._round:
                    return
                t = f / effect.rate
                held, past = gathered(shown.plans, store, f)
                shot = shot_of(alone, held, folder, t, joined([]), past)
                raw = drawn_alone(shot, still(effect.light, t), view)
                exposure = value_at(effect.light.exposure, t)
                self.drawn.emit(mine, moments.index(f), encode(raw, "premultiplied", exposure, True))

        self._worker.ask(work)

    def _take(self, of: int, index: int, rgba: np.ndarray) -> None:
        if of == self._round:
            self.pictures[index] = image_of(rgba)
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
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        top = self._strip(painter)
        if self.curve is not None:
            self._plot(painter, self.curve, QRectF(self.rect()).adjusted(64, top + 40, -24, -36))

    def _strip(self, painter: QPainter) -> float:
        """The pictures in a row; how far down they go."""
        room = QRectF(self.rect()).adjusted(24, 16, -24, 0)
        if not self.moments:
            return 0.0
        count = min(max(int(room.width() // LEAST_THUMB), FEWEST), len(self.moments))
        chosen = np.unique(np.linspace(0, len(self.moments) - 1, count).round().astype(int)).tolist()
        count = len(chosen)
        wide = (room.width() - 8 * (count - 1)) / count
        some = next(iter(self.pictures.values()), None)
        ratio = some.height() / some.width() if some is not None else 1.0
        tall = min(wide * ratio, STRIP * self.height())
        painter.setFont(theme.font(theme.SMALL))
        for place, n in enumerate(chosen):
            t = self.moments[n]
            box = QRectF(room.left() + place * (wide + 8), room.top(), wide, tall)
            painter.fillRect(box, theme.colour("#303335"))
            if n in self.pictures:
                image = self.pictures[n]
                fit = min(box.width() / image.width(), box.height() / image.height())
                size = QSizeF(image.width() * fit, image.height() * fit)
                at = box.center() - QPointF(size.width() / 2, size.height() / 2)
                painter.drawImage(QRectF(at, size), image)
            painter.setPen(theme.colour(theme.QUIET))
            under = QRectF(box.left(), box.bottom() + 2, box.width(), 18)
            painter.drawText(under, Qt.AlignmentFlag.AlignCenter, f"{t:.2f} s")
        return room.top() + tall + 20

    def _plot(self, painter: QPainter, curve: Curve, area: QRectF) -> None:
        painter.setFont(theme.font(theme.SMALL))
        if area.width() < 40 or area.height() < 30:
            return
        top = float(curve.values.max()) if len(curve.values) else 0.0
        painter.setPen(theme.colour(theme.TEXT))
        unit = f" {curve.unit}" if curve.unit else ""
        head = curve.name
        if len(curve.values):
            head += f": at most {_shown(top)}{unit}, {_shown(float(curve.values.mean()))}{unit} on average"
        else:
            head += ": known when frames are simulated"
        painter.drawText(QRectF(24, area.top() - 32, self.width() - 48, 20), Qt.AlignmentFlag.AlignLeft, head)
        painter.setPen(QPen(theme.colour(theme.RULE)))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.setPen(theme.colour(theme.QUIET))
        for share in (0.0, 0.5, 1.0):
            y = area.bottom() - share * area.height()
            if top > 0:
                box = QRectF(0, y - 9, area.left() - 8, 18)
                flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(box, flags, _shown(share * top))
            x = area.left() + share * area.width()
            t = self.span[0] + share * (self.span[1] - self.span[0])
            box = QRectF(min(x - 40, self.width() - 84), area.bottom() + 6, 80, 18)
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


def _shown(value: float) -> str:
    return f"{value:,.0f}" if value >= 100 else f"{value:,.3g}"
