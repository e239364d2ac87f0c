"""Fields that are made of several, and a slider: vectors, walls."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QSlider, QToolButton, QWidget

from tenka.app import theme
from tenka.app.sheet.fields import NumberField
from tenka.effect.catalogue import Param


class LineSlider(QSlider):
    """A slider as a thin line with a round handle; its step, mouse and keys are Qt's own."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setFixedHeight(theme.FIELD)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        share = (self.value() - self.minimum()) / max(1, self.maximum() - self.minimum())
        left, wide, middle = 6.0, self.width() - 12.0, self.height() / 2
        painter.fillRect(QRectF(left, middle - 1, wide, 2), theme.colour(theme.RULE))
        painter.fillRect(QRectF(left, middle - 1, wide * share, 2), theme.colour(theme.VERDIGRIS))
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 2) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(theme.TEXT))
        painter.drawEllipse(QPointF(left + wide * share, middle), 5, 5)


class VectorField(QWidget):
    """Three numbers side by side."""

    changed = pyqtSignal(object, object)

    def __init__(self, p: Param, value: tuple[float, float, float]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.fields = [NumberField(p, v) for v in value]
        for axis, field in zip("xyz", self.fields):
            field.setAccessibleName(f"{p.label} {axis}")
            field.changed.connect(
                lambda _v, token: self.changed.emit(tuple(f.value for f in self.fields), token)
            )
            row.addWidget(field)

    def show_value(self, value: tuple[float, float, float]) -> None:
        for field, v in zip(self.fields, value):
            field.show_value(v)


class WallsField(QWidget):
    """Three open or closed walls."""

    changed = pyqtSignal(object, object)

    def __init__(self, p: Param, value: tuple[bool, bool, bool], names: tuple[str, str, str]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.buttons: list[QToolButton] = []
        for name, v in zip(names, value):
            button = QToolButton()
            button.setText(name)
            button.setCheckable(True)
            button.setChecked(v)
            button.setToolTip(f"{name}: lit is open, dark is closed")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.setFixedHeight(theme.FIELD)
            button.setStyleSheet(
                f"QToolButton {{ border: 1px solid {theme.EDGE}; padding: 0; min-height: 0; }} "
                f"QToolButton:checked {{ color: {theme.VERDIGRIS}; }} "
                f"QToolButton:focus {{ border-color: {theme.VERDIGRIS}; }}"
            )
            button.clicked.connect(
                lambda: self.changed.emit(tuple(b.isChecked() for b in self.buttons), object())
            )
            row.addWidget(button)
            self.buttons.append(button)

    def show_value(self, value: tuple[bool, bool, bool]) -> None:
        for button, v in zip(self.buttons, value):
            button.setChecked(v)
