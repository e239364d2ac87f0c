"""In the window: deliveries by distance, what happens out of sight, and channels of the contact sheet."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from drive import LEFT, settle, until
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot
from routes import many_ways

from tenka.app.pack.channels import CHANNELS, NEIGHBOURS, SEEN
from tenka.app.pack.flipbook import ContactView
from tenka.app.window import Window
from tenka.effect import storage
from tenka.effect.document import replaced

CHANGE = 9.0


def bytes_of(image: QImage) -> np.ndarray:
    found = image.convertToFormat(QImage.Format.Format_RGBA8888)
    bits = found.bits()
    assert bits is not None
    return np.frombuffer(bits.asstring(found.sizeInBytes()), np.uint8).reshape(found.height(), -1, 4).copy()


def test_distances_sight_and_channels_in_the_window(window: Window, qtbot: QtBot, tmp_path: Path):
    effect = many_ways()
    kept = tuple(d for d in effect.deliveries if d.id in ("fog", "book"))
    layers = tuple(x for x in effect.layers if x.kind == "gas")
    effect = effect.model_copy(update={"layers": layers, "deliveries": kept, "tiers": ()})
    effect = replaced(effect, "deliveries.book.route.motion", True)
    storage.save(effect, tmp_path / "two.tenka")
    assert window.open(tmp_path / "two.tenka")
    until(qtbot, lambda: window.state.ready and all(window.state.status.stored), 90_000)
    window.go_to("pack")
    window.pack.choice.choose("book")
    view = window.pack.views["flipbook"]
    assert isinstance(view, ContactView)
    until(qtbot, lambda: len(view.contact.cells) == 4, 30_000)
    pictures = {}
    for name in (SEEN, NEIGHBOURS, *CHANNELS):
        place = view.channel.findText(name)
        assert place >= 0
        view.channel.setCurrentIndex(place)
        view.channel.activated.emit(place)
        until(qtbot, lambda: len(view.contact.cells) == 4, 30_000)
        qtbot.wait(150)
        pictures[name] = bytes_of(view.contact.cells[2])
    for name, picture in pictures.items():
        assert name == SEEN or not np.array_equal(picture, pictures[SEEN]), name
    assert (pictures["cover"][..., 0] == pictures["cover"][..., 2]).all() and pictures["cover"].any()

    row = window.sheet.row("deliveries.book.route.seen_from")
    assert row is not None
    for path, value in (("book.route.seen_from", CHANGE), ("fog.route.seen_to", CHANGE)):
        window.state.edit(f"deliveries.{path}", value, "Distance")
    window.state.edit("out_of_sight", "sleep", "Out of sight")
    window.pack.set_target(tmp_path / "package")
    until(qtbot, lambda: window.pack.button.isEnabled())
    window.pack.start()
    until(qtbot, lambda: window.pack.progress is None and window.state.package is not None, 90_000)
    qtbot.wait(400)
    assert view.channel.findText("motion") > 0  # it is packed now
    window.go_to("proof")
    proof = window.proof
    until(qtbot, lambda: proof.package is not None and proof.screen_.image is not None, 30_000)
    until(qtbot, lambda: proof.bar.changes.isVisible(), 60_000)
    assert "at 9 m from Fog to Book: FLIP" in proof.bar.changes.text()
    until(qtbot, lambda: proof._at > 0.05)
    QTest.mouseClick(proof.bar.away, LEFT)
    until(qtbot, lambda: "asleep out of sight" in proof.bar.clock.text(), 30_000)
    stood = proof._at
    qtbot.wait(300)
    assert proof._at == stood  # its time stands still
    QTest.mouseClick(proof.bar.away, LEFT)
    until(qtbot, lambda: proof._at > stood and "asleep" not in proof.bar.clock.text(), 30_000)
    proof.show_time(0.4)
    proof.screen_.camera = proof.screen_.camera.model_copy(update={"distance": 6.0})
    settle(qtbot, window)
    until(qtbot, lambda: not proof._busy)
    proof.bar.copies.changed.emit(1, object())
    proof.bar.copies.value = 8
    proof.bar.rows.setCurrentIndex(0)  # side by side all are near
    proof.bar.rows.activated.emit(0)
    until(qtbot, lambda: proof.screen_.counts is not None and proof.screen_.counts.samples > 0, 30_000)
    until(qtbot, lambda: not proof._busy, 30_000)
    beside = proof.screen_.counts.quads
    proof.bar.rows.setCurrentIndex(1)  # into the distance some are far, and far ones are quads
    proof.bar.rows.activated.emit(1)
    until(qtbot, lambda: proof.screen_.counts.quads > beside, 30_000)
    assert proof.screen_.counts.samples > 0
