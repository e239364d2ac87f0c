"""Cameras in the window: kept, looked through, keyed, with a reference picture, and gone again."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from command import command
from drive import settle
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from tenka.app.dialogs.filming import ask_film
from tenka.app.window import Window
from tenka.effect.courses import Keys
from tenka.effect.storage import save


def choose(window: Window, text: str) -> None:
    """Choose an entry of the camera's menu on the stage."""
    menu = QMenu()
    window.stage.through.fill(menu)
    next(a for a in menu.actions() if a.text() == text).trigger()


def test_a_view_is_kept_moved_and_keyed_and_the_stage_follows_it(window: Window, qtbot: QtBot):
    stage, state = window.stage, window.state
    stage.hands.orbit(30, 5)
    first = stage.camera
    choose(window, "Keep this view as a camera")
    settle(qtbot, window)
    (own,) = state.effect.cameras
    assert stage.through.id == own.id and state.selection == f"cameras.{own.id}"
    assert stage.camera.heading % 360 == pytest.approx(first.heading % 360, abs=0.01)
    # the hand goes elsewhere: the camera stays, and the stage is free
    stage.hands.orbit(40, 10)
    second = stage.camera
    assert stage.through.id == "" and state.effect.cameras == (own,)
    state.go(state.effect.frames - 1)
    stage.setFocus()
    QTest.keyClick(window, Qt.Key.Key_O, Qt.KeyboardModifier.ShiftModifier)
    settle(qtbot, window)
    keyed = state.effect.cameras[0]
    assert isinstance(keyed.turn, Keys) and isinstance(keyed.tilt, Keys) and not isinstance(keyed.away, Keys)
    assert stage.camera.heading % 360 == pytest.approx(second.heading % 360, abs=0.01)
    state.go(0)
    settle(qtbot, window)
    assert stage.camera.heading % 360 == pytest.approx(first.heading % 360, abs=0.01)
    state.go(state.effect.frames // 2)
    settle(qtbot, window)
    assert first.pitch < stage.camera.pitch < second.pitch
    # a setting of the camera moves what is seen at once, and undo brings it back
    state.edit(f"cameras.{own.id}.away", 3.0)
    settle(qtbot, window)
    assert stage.camera.distance == 3.0
    state.document.undo()
    settle(qtbot, window)
    assert stage.camera.distance == pytest.approx(own.away)
    choose(window, f"Move {own.name} to this view")
    assert not isinstance(state.effect.cameras[0].turn, Keys)
    QTest.keyClick(window, Qt.Key.Key_O)
    assert stage.through.id == ""


def test_a_camera_has_its_rows_and_goes_with_delete(window: Window, qtbot: QtBot):
    window.stage.through.keep()
    settle(qtbot, window)
    path = window.state.selection
    assert window.sheet.row(f"{path}.away") is not None and window.sheet.row(f"{path}.aperture") is not None
    window.in_hand.remove()
    settle(qtbot, window)
    assert window.state.effect.cameras == () and window.stage.through.camera is None
    said: list[str] = []
    window.state.said.connect(said.append)
    QTest.keyClick(window, Qt.Key.Key_O)
    assert "no camera yet" in said[-1]


def grabbed(window: Window) -> np.ndarray:
    image = window.stage.grab().toImage().convertToFormat(window.stage.image.format())  # type: ignore[union-attr]
    bits = image.constBits()
    assert bits is not None
    data = np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8)
    return data.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3].astype(int)


def test_a_reference_picture_lies_over_or_beside_in_its_own_exposure(
    window: Window, qtbot: QtBot, tmp_path: Path
):
    window.stage.through.keep()
    settle(qtbot, window)
    path = window.state.selection
    file = tmp_path / "plate.png"
    Image.fromarray(np.full((90, 160, 3), (0, 0, 120), np.uint8)).save(file)
    bare = grabbed(window)
    window.state.edit(f"{path}.reference", str(file))
    window.state.edit(f"{path}.reference_share", 1.0)
    settle(qtbot, window)
    h, w, _ = bare.shape
    over = grabbed(window)
    assert over[h // 2 + 30, w // 3 + 30, 0] == pytest.approx(120, abs=2)  # blue, green, red
    window.state.edit(f"{path}.reference_shown", "beside")
    window.state.edit(f"{path}.reference_stops", 1.0)
    settle(qtbot, window)
    beside = grabbed(window)
    assert beside[h // 2 + 30, 2 * w // 3 + 30, 0] == pytest.approx(120 * 2 ** (1 / 2.2), abs=2)
    np.testing.assert_array_equal(beside[h // 2 + 30, w // 3 + 30], bare[h // 2 + 30, w // 3 + 30])
    said: list[str] = []
    window.state.said.connect(said.append)
    window.state.edit(f"{path}.reference", str(tmp_path / "none.png"))
    settle(qtbot, window)
    grabbed(window)
    assert sum("none.png cannot be read" in text for text in said) == 1


def test_final_pictures_are_seen_from_a_camera_by_name(window: Window, qtbot: QtBot, tmp_path: Path):
    window.stage.hands.orbit(90, 20)
    window.stage.through.keep()
    settle(qtbot, window)
    (own,) = window.state.effect.cameras
    soft = own.model_copy(update={"id": "soft", "name": "Soft", "aperture": 1.0, "sharp_at": 2.0})
    file = tmp_path / "eyes.tenka"
    save(window.state.effect.model_copy(update={"cameras": (own, soft)}), file)
    seen = {}
    for name in ("view", own.name, "soft"):
        out = tmp_path / f"{name}.png"
        size = ("--size", "96x60", "--passes", "4", "--frame", "2")
        assert command("render", str(file), "--camera", name, "--picture", str(out), *size).code == 0
        seen[name] = np.asarray(Image.open(out).convert("L"), float)
    assert np.abs(seen["view"] - seen[own.name]).mean() > 3

    def edges(picture: np.ndarray) -> float:
        return float(np.abs(np.diff(picture, axis=0)).mean() + np.abs(np.diff(picture, axis=1)).mean())

    assert edges(seen["soft"]) < 0.7 * edges(seen[own.name])
    wrong = command(
        "render", str(file), "--camera", "nobody", "--frame", "0", "--picture", str(tmp_path / "n.png")
    )
    assert wrong.code != 0 and "Soft" in wrong.err


def test_final_pictures_tell_what_a_wide_lens_and_a_final_run_cost(window: Window, qtbot: QtBot):
    window.stage.through.keep()
    settle(qtbot, window)
    path = window.state.selection
    window.state.edit(f"{path}.aperture", 0.2)
    ask_film(window.stage)
    asking = window.stage.filming
    assert asking is not None and asking.film.through == path.rpartition(".")[2]
    asking.last.show_value(1.0)
    soft = asking.told.text()
    asking.seen.setCurrentIndex(0)
    sharp = asking.told.text()
    assert soft != sharp and "to simulate before" not in sharp
    asking.run.setCurrentIndex(1)
    assert asking.film.final and "1 frame to simulate before" in asking.told.text()
    asking.close()
