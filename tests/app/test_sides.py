"""Three sides beside the camera's view: what is drawn, and what the hand may do meanwhile."""

from __future__ import annotations

import numpy as np
from drive import settle
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.stage.picking import pick
from tenka.app.stage.sides import side_views
from tenka.app.window import Window
from tenka.effect.model import Camera


def test_all_four_look_at_the_target_and_show_as_much_round_it():
    camera = Camera(target=(1.0, 2.0, 3.0), distance=10.0, heading=-50.0, pitch=15.0)
    views = side_views(camera, 800, 600)
    assert [(v.width, v.height) for v in views] == [(400, 300)] * 4
    target = np.array([[1.0, 2.0, 3.0]])
    for view in views:
        np.testing.assert_allclose(view.project(target)[0, :2], (200, 150), atol=1e-6)
    _, front, right, above = views
    up, east, north = np.array([0, 0, 1.0]), np.array([1.0, 0, 0]), np.array([0, 1.0, 0])
    for view, ahead, side in ((front, north, east), (right, -east, north), (above, -up, east)):
        np.testing.assert_allclose(view.forward, ahead, atol=1e-9)
        np.testing.assert_allclose(view.right, side, atol=1e-9)
    half = 10 * np.tan(np.radians(camera.fov / 2))
    assert front.project(target + half * up)[0, 1] < 1e-6


def image_of(window: Window) -> np.ndarray:
    image = window.stage.image
    assert image is not None
    bits = image.constBits()
    assert bits is not None
    data = np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8)
    return data.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3].astype(int)


def test_the_stage_shows_four_pictures_and_one_again(window: Window, qtbot: QtBot):
    whole = image_of(window)
    window.stage.setFocus()
    QTest.keyClick(window, Qt.Key.Key_T)
    settle(qtbot, window)
    assert window.stage.sides.on
    four = image_of(window)
    h, w = four.shape[0] // 2, four.shape[1] // 2
    parts = [four[y : y + h, x : x + w] for y in (0, h) for x in (0, w)]
    for n, one in enumerate(parts):
        assert one.std() > 3  # there is something in each
        for other in parts[n + 1 :]:
            assert np.abs(one - other).mean() > 0.3
    smaller = whole[: 2 * h, : 2 * w].reshape(h, 2, w, 2, 3).mean(axis=(1, 3))
    assert np.abs(parts[0] - smaller).mean() < 4  # the camera's own view
    before = window.state.selection
    assert pick(window.stage, 30, 30) == "" and window.state.selection == before
    heading = window.stage.camera.heading
    QTest.mousePress(window.stage, Qt.MouseButton.LeftButton, pos=QPoint(300, 300))
    QTest.mouseMove(window.stage, QPoint(360, 300))
    QTest.mouseRelease(window.stage, Qt.MouseButton.LeftButton, pos=QPoint(360, 300))
    settle(qtbot, window)
    window.stage.sides_button.toggle()
    settle(qtbot, window)
    assert not window.stage.sides.on
    if window.stage.camera.heading == heading:
        assert np.abs(image_of(window) - whole).mean() < 2
