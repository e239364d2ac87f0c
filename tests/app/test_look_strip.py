"""Looks in the window: one frame under several, a click lays one, the present one is kept with a picture."""

from __future__ import annotations

from pathlib import Path

import pytest
from drive import settle, until
from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tenka.app.sheet.lookfoot import LookFoot
from tenka.app.window import Window
from tenka.effect.looks import STARTING, kept_looks


@pytest.fixture
def foot(window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> LookFoot:
    monkeypatch.setattr("tenka.effect.looks.looks_folder", lambda: tmp_path / "looks")
    window.state.select("layers.puff")
    window.go_to("look")
    settle(qtbot, window)
    found = window.sheet._now.look_foot
    assert found is not None
    return found


def test_every_starting_look_is_shown_with_a_picture_of_its_own(foot: LookFoot, qtbot: QtBot):
    assert list(foot.buttons) == list(STARTING)
    until(qtbot, lambda: all(not b.icon().isNull() for b in foot.buttons.values()), 60_000)
    images = [b.icon().pixmap(92, 58).toImage() for b in foot.buttons.values()]
    keys = {bytes(i.constBits().asarray(i.sizeInBytes())) for i in images}  # type: ignore[union-attr]
    assert len(keys) >= 8


def test_a_click_lays_a_look_and_undo_takes_it_off(window: Window, foot: LookFoot, qtbot: QtBot):
    before = window.state.effect.layer("puff").look
    foot.buttons["Ink"].click()
    assert window.state.effect.layer("puff").look == STARTING["Ink"]
    window.undo()
    assert window.state.effect.layer("puff").look == before


def test_the_present_look_is_kept_and_offered(window: Window, foot: LookFoot, qtbot: QtBot):
    window.state.edit("layers.puff.look.extinction", 3.25)
    foot.keep("Mine")
    ((name, look, file),) = kept_looks()
    assert name == "Mine" and look.extinction == 3.25 and file.with_suffix(".png").stat().st_size > 500
    assert "Mine" in foot.buttons


def test_a_strip_that_goes_while_it_is_drawn_ends_its_worker(window: Window, qtbot: QtBot):
    window.go_to("look")
    settle(qtbot, window)
    state, layer = window.state, window.state.effect.layers[0]
    foot = LookFoot(state, layer)
    worker = foot._worker
    foot.draw()
    foot.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    del foot
    until(qtbot, lambda: not worker._thread.is_alive())
