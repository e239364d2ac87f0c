"""Driving the real window as a hand would: waiting, dragging, turning the wheel, reading pixels."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from tenka.app.sheet.fields import NumberField
from tenka.app.window import Window

LEFT = Qt.MouseButton.LeftButton


def until(qtbot: QtBot, ready: Callable[[], object], ms: int = 20_000) -> None:
    qtbot.waitUntil(lambda: bool(ready()), timeout=ms)


def settle(qtbot: QtBot, window: Window) -> None:
    """Wait until the stage has drawn its refined picture."""
    qtbot.wait(220)
    until(qtbot, lambda: not window.stage.busy and not window.stage._idle.isActive())
    qtbot.wait(30)


def pixels(image: QImage | None) -> np.ndarray:
    assert image is not None
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    data = image.constBits()
    assert data is not None
    raw = np.frombuffer(data.asstring(image.sizeInBytes()), np.uint8).reshape(
        image.height(), image.bytesPerLine()
    )
    return raw[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def drag(
    widget: QWidget,
    start: QPoint,
    end: QPoint,
    steps: int = 6,
    held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
) -> None:
    QTest.mousePress(widget, LEFT, held, start)
    for k in range(1, steps + 1):
        QTest.mouseMove(widget, start + (end - start) * k / steps)
        QApplication.processEvents()
    QTest.mouseRelease(widget, LEFT, held, end)


def field(window: Window, path: str) -> NumberField:
    row = window.sheet.row(path)
    assert row is not None and isinstance(row.field, NumberField), path
    return row.field


def wheel(widget: QWidget, turn: int) -> None:
    at = QPointF(widget.width() / 2, widget.height() / 2)
    event = QWheelEvent(
        at,
        widget.mapToGlobal(at),
        QPoint(),
        QPoint(0, turn),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(widget, event)
