"""The start page and what is dropped on the window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from drive import LEFT, until
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from tenka.app.dropped import files_of
from tenka.app.recent import recent_files, stand_as_before
from tenka.app.startpage import PICTURES, StartPage
from tenka.app.window import Window
from tenka.demo import FOLDER
from tenka.effect import storage
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.document import get
from tenka.effect.starters import STARTERS

K, CTRL = Qt.Key, Qt.KeyboardModifier.ControlModifier


def test_every_card_has_a_picture():
    for name in (*(f.stem for f in FOLDER.glob("*.tenka")), *(f"start_{s.file}" for s in STARTERS.values())):
        image = QImage(str(PICTURES / f"{name}.png"))
        assert not image.isNull() and image.width() == 352, name


def test_new_shows_the_start_page_and_a_card_begins(window: Window, qtbot: QtBot):
    window.stage.setFocus()
    QTest.keyClick(window.stage, K.Key_N, CTRL)
    assert window.views.currentWidget() is window.start
    assert [p.shape for p in window.state.effect.props] == ["figure"] and not window.state.effect.layers
    qtbot.wait(30)
    card = window.start.cards["Puff"]
    assert card.isVisible() and card.text() == "Puff"
    QTest.mouseClick(card, LEFT)
    assert window.views.currentWidget() is window.stage
    assert window.state.effect.name == "Puff" and len(window.state.effect.layers) == 1
    window.undo()
    assert window.views.currentWidget() is window.start  # an effect without layers again


def test_it_is_reached_and_left_by_keys_and_opens_what_was_open_lately(
    window: Window, qtbot: QtBot, tmp_path: Path
):
    first = window.state.document.file
    assert first is not None
    other = tmp_path / "other.tenka"
    storage.save(small_effect(), other)
    window.leave_for(other)
    window.stage.setFocus()
    QTest.keyClick(window.stage, K.Key_Home, CTRL)
    assert window.views.currentWidget() is window.start
    QTest.keyClick(window, K.Key_Escape)
    assert window.views.currentWidget() is window.stage
    window.show_start()
    lines = [
        window.start._recent.itemAt(n).widget()  # type: ignore[union-attr]
        for n in range(window.start._recent.count())
    ]
    names = [line.accessibleName() for line in lines if line is not None]
    assert names[0].endswith("other.tenka") and any(str(first.resolve()) in n for n in names)
    line = next(x for x in lines if x is not None and x.accessibleName().endswith(str(first.resolve())))
    QTest.mouseClick(line, LEFT)
    assert window.state.document.file == first.resolve()


def drop(window: Window, *files: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(f)) for f in files])
    none = Qt.KeyboardModifier.NoModifier
    window.dropEvent(QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, none))


def test_files_are_dropped_for_what_they_are(window: Window, qtbot: QtBot, tmp_path: Path):
    mesh = tmp_path / "plate.obj"
    mesh.write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 1 2 4\nf 1 3 4\nf 2 3 4\n")
    drop(window, mesh)
    assert window.state.effect.props[-1].file == str(mesh)
    picture = tmp_path / "stripes.png"
    QImage(8, 8, QImage.Format.Format_RGB888).save(str(picture))
    drop(window, picture)
    assert "Select a source" in window.said.text()
    window.state.select("layers.puff.sources.source")
    drop(window, picture)
    assert get(window.state.effect, "layers.puff.sources.source.image") == str(picture)
    points = tmp_path / "grains.csv"
    points.write_text("x,y,z\n0,0,1\n0.1,0,1\n")
    drop(window, points)
    assert "Select a layer of particles" in window.said.text()
    effect, path = with_new_layer(window.state.effect, LAYERS["Dust"](window.state.effect))
    window.state.apply(effect, "Add dust")
    window.state.select(path)
    drop(window, points)
    assert get(window.state.effect, window.state.selection).file == str(points)
    other = tmp_path / "other.tenka"
    storage.save(small_effect(), other)
    drop(window, other)
    assert window.state.document.file == other
    until(qtbot, lambda: not window.stage.busy)


def test_what_has_no_use_is_not_taken(window: Window, tmp_path: Path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "song.mp3")), QUrl("https://kiln.quay/a.glb")])
    assert files_of(data) == [] and files_of(None) == []
    bad = tmp_path / "bad.tenka"
    bad.write_text("{")
    before = window.state.effect
    drop(window, bad)
    assert window.state.effect is before and window.notice.isVisible()


@pytest.mark.parametrize("width", (500, 980, 1600))
def test_cards_stand_in_as_many_columns_as_there_is_room_for(window: Window, qtbot: QtBot, width: int):
    page = StartPage(window)
    qtbot.addWidget(page)
    page.resize(width, 600)
    page.show()
    qtbot.wait(20)
    rights = [card.geometry().right() for card in page.cards.values()]
    assert max(rights) <= width and np.unique([c.x() for c in page.cards.values()]).size >= width // 260


@pytest.mark.parametrize(
    "text",
    ("[" * 100_000, '["' + "x" * 5000 + '"]', '["\\u0000"]', '{"geometry": [[]]}', "[" + "1," * 10**6 + "1]"),
)
def test_what_a_window_remembers_may_be_anything(
    text: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
):
    monkeypatch.setattr("tenka.app.recent.user_state_path", lambda name: tmp_path)
    for name in ("recent.json", "window.json"):
        (tmp_path / name).write_text(text)
    assert recent_files() == []
    stand_as_before(QWidget())  # type: ignore[arg-type]
