"""A scene in the window: begun, filled, moved in time and place, undone, shown and packed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from drive import LEFT, drag, until
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.board.scenepage import ScenePage
from tenka.app.window import Window
from tenka.board.scening import TOGETHER
from tenka.effect import storage
from tenka.effect.scenes import load_scene


@pytest.fixture
def page(window: Window, qtbot: QtBot, tmp_path: Path) -> ScenePage:
    storage.save(small_effect(name="Other", seed=3), tmp_path / "other.tenka")
    window.go_to("budget")
    QTest.mouseClick(window.budget.scene_tab, LEFT)
    page = window.budget.scene
    page.open(tmp_path / "yard.scene.json")
    page.work.add(tmp_path / "small.tenka", 0.0)
    page.work.add(tmp_path / "other.tenka", 0.3)
    page.choose(1)
    until(qtbot, lambda: page.work.book is not None and len(page.work.book.players) == 2)
    qtbot.wait(100)
    return page


def test_effects_are_put_on_one_axis_and_what_they_take_is_summed(page: ScenePage, window: Window):
    page.work.keep()
    scene = load_scene(page.work.file)
    assert [(m.name, m.effect, m.at) for m in scene.members] == [
        ("Small", "small.tenka", 0.0),
        ("Other", "other.tenka", 0.3),
    ]
    book = page.work.book
    assert book.worst[0] > max(curve.max() for curve in book.ms)  # they come together
    assert 0.3 <= book.worst[1] <= 0.5
    window.state.document.file = None
    page.add_own()  # an effect without a file has nothing to be named by
    assert len(page.work.scene.members) == 2


def test_a_bar_is_dragged_as_one_edit_and_keys_move_it_too(page: ScenePage, qtbot: QtBot):
    axis, work = page.axis, page.work
    bar = axis.bar(1)
    start = bar.center().toPoint()
    by = int(axis.x_of(0.6) - axis.x_of(0.0))
    drag(axis, start, start + QPoint(by, 0))
    assert work.scene.members[1].at == pytest.approx(0.9, abs=0.03)
    until(
        qtbot, lambda: [m.at for m in load_scene(work.file).members] == [m.at for m in work.scene.members]
    )  # kept by itself
    until(qtbot, lambda: work.book is not None and work.book.players[1].at == work.scene.members[1].at)
    assert work.book.worst[0] == pytest.approx(max(c.max() for c in work.book.ms), rel=0.02)  # apart now
    until(qtbot, page.back.isEnabled)
    QTest.mouseClick(page.back, LEFT)
    assert work.scene.members[1].at == 0.3
    work.keep()
    assert load_scene(work.file).members[1].at == 0.3
    until(qtbot, page.again.isEnabled)
    QTest.mouseClick(page.again, LEFT)
    assert work.scene.members[1].at == pytest.approx(0.9, abs=0.03)
    axis.setFocus()
    before = work.scene.members[1].at
    QTest.keyClick(axis, Qt.Key.Key_Right)
    assert work.scene.members[1].at == pytest.approx(before + 0.05)
    QTest.keyClick(axis, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)  # where the keyboard is
    assert work.scene.members[1].at == pytest.approx(before)
    page.places[0].changed.emit(1.5, object())
    assert work.scene.members[1].place == (1.5, 0.0, 0.0)
    QTest.mouseClick(page.removes, LEFT)
    assert len(work.scene.members) == 1
    until(qtbot, page.back.isEnabled)
    QTest.mouseClick(page.back, LEFT)
    assert work.scene.members[1].place == (1.5, 0.0, 0.0)


def test_all_are_shown_together_at_the_head_and_packed(page: ScenePage, qtbot: QtBot, tmp_path: Path):
    work = page.work
    QTest.mouseClick(page.plays, LEFT)
    until(qtbot, lambda: work.picture is not None, 120_000)
    assert work.progress is None and not work.problem
    first = work.picture
    x = int(page.axis.x_of(0.4))
    QTest.mouseClick(page.axis, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(x, page.axis.height() - 10))
    assert work.time == pytest.approx(0.4, abs=0.02)
    until(qtbot, lambda: work.picture is not first)
    assert not np.array_equal(first, work.picture)
    out = tmp_path / "out"
    work.pack(out, False)
    until(qtbot, lambda: work.progress is None, 60_000)
    assert (out / TOGETHER).is_file() and (out / "small" / "manifest.json").is_file()


def test_what_is_wrong_is_said_and_leaves_the_scene_as_it_was(
    page: ScenePage, window: Window, qtbot: QtBot, tmp_path: Path
):
    work, said = page.work, []
    window.state.refused.connect(said.append)
    before = work.scene
    (tmp_path / "broken.tenka").write_text("{")
    work.add(tmp_path / "broken.tenka")
    (tmp_path / "broken.scene.json").write_text("[]")
    page.open(tmp_path / "broken.scene.json")
    assert work.scene is before and len(said) == 2
    (tmp_path / "other.tenka").unlink()
    work.weigh()
    until(qtbot, lambda: bool(work.problem))
    assert "other.tenka" in work.problem
