"""The stage beside its own package: each frame on a still sprite, as in the game, and wiped."""

from __future__ import annotations

import numpy as np
import pytest
from drive import settle, until
from PyQt6.QtGui import QImage
from pytestqt.qtbot import QtBot

from tenka.app.stage.asplayed import GAME, PACKED
from tenka.app.window import Window


def data_of(image: QImage | None) -> np.ndarray:
    assert image is not None
    bits = image.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8)
    return rows.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3].astype(int)


def test_without_a_package_the_stage_says_so(window: Window, qtbot: QtBot):
    said: list[str] = []
    window.state.said.connect(said.append)
    window.tempo.final.show_beside("wipe", GAME)
    settle(qtbot, window)
    assert any("no package yet" in text for text in said) and window.stage.final_image is None


def test_what_was_packed_lies_beside_what_was_simulated(window: Window, qtbot: QtBot):
    window.go_to("pack")
    window.pack.start()
    until(qtbot, lambda: window.state.package is not None, 60_000)
    window.go_to("shape")
    seen = {}
    for frame in (6, 10):
        window.state.go(frame)
        window.tempo.final.show_beside("preview", "final")
        settle(qtbot, window)
        seen["stage", frame] = data_of(window.stage.image)
        for what in (PACKED, GAME):
            window.tempo.final.show_beside("final", what)
            settle(qtbot, window)
            seen[what, frame] = data_of(window.stage.final_image)
    assert seen[PACKED, 6].shape == seen["stage", 6].shape
    # the set is the same picture, and so is the puff but for its sprite's side and size of texel
    assert np.abs(seen[PACKED, 6] - seen["stage", 6]).mean() < 4
    assert np.abs(seen[PACKED, 6] - seen[PACKED, 10]).mean() > 0.2  # each shows its own frame
    assert np.abs(seen[PACKED, 6] - seen[GAME, 6]).mean() > 0.2  # the game plays several at once
    assert window.stage._other_name() == "as in the game"


def test_proof_opens_the_packages_page(window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch):
    opened: list[str] = []
    services = "tenka.app.stations.proof.QDesktopServices.openUrl"
    monkeypatch.setattr(services, lambda url: opened.append(url.toLocalFile()) or True)
    said: list[str] = []
    window.state.said.connect(said.append)
    window.proof.show_page()
    assert "packing again" in said[-1] and not opened
    window.go_to("pack")
    window.pack.start()
    until(qtbot, lambda: window.state.package is not None, 60_000)
    window.go_to("proof")
    until(qtbot, lambda: window.proof.package is not None)
    window.proof.bar.page.click()
    assert opened and opened[0].endswith("play.html")
