"""The sheet is sifted and folded, and keeps its place."""

from __future__ import annotations

from drive import LEFT
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.window import Window
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.document import get

K = Qt.Key


def names(window: Window) -> list[str]:
    return [row.p.label for row in window.sheet.rows if row.isVisible()]


def heads(window: Window) -> list[str]:
    return [part.head.section for part in window.sheet.parts if part.head.isVisible()]


def test_only_rows_whose_name_or_help_holds_the_words_are_left(window: Window, qtbot: QtBot):
    sheet, before = window.sheet, names(window)
    sheet.filter.setFocus()
    QTest.keyClicks(sheet.filter, "half life")
    assert names(window) == ["half-life", "heat half-life"] and heads(window) == ["Fading"]
    assert window.station == "shape"  # what is typed is no shortcut
    sheet.filter.setText("curl")
    found = names(window)
    assert "curls" in found and "curl sizes" in found and len(found) < len(before)
    sheet.filter.setText("zebra")
    assert names(window) == [] and heads(window) == []
    window.state.select("layers.puff.sources.source")
    sheet.filter.clear()
    window.state.select("layers.puff")
    assert names(window) == before


def test_only_what_is_changed_is_left(window: Window, qtbot: QtBot):
    sheet = window.sheet
    QTest.mouseClick(sheet.changed_only, LEFT)
    changed = names(window)
    assert "drag" not in changed
    window.state.edit("layers.puff.motion.drag", 3.3)
    assert "drag" in names(window)
    window.undo()
    assert names(window) == changed
    for row in sheet.rows:
        assert row.isVisible() == (row.value != row.p.default)
    QTest.mouseClick(sheet.changed_only, LEFT)


def test_a_section_folds_by_hand_and_by_key_and_stays_folded(window: Window, qtbot: QtBot):
    sheet = window.sheet
    head = next(p.head for p in sheet.parts if p.head.section == "Motion")
    QTest.mouseClick(head, LEFT)
    assert "lift" not in names(window) and "voxel" in names(window)
    window.state.select("light")
    window.state.select("layers.puff")
    assert "lift" not in names(window)
    sheet.filter.setText("lift")  # what is sought is shown though it is folded
    assert "lift" in names(window)
    sheet.filter.clear()
    head = next(p.head for p in sheet.parts if p.head.section == "Motion")
    head.setFocus()
    playing = window.tempo.playing
    QTest.keyClick(head, K.Key_Space)
    assert "lift" in names(window) and window.tempo.playing == playing


def test_it_is_where_it_was_left(window: Window, qtbot: QtBot):
    bar = window.sheet.area.verticalScrollBar()
    assert bar is not None
    qtbot.waitUntil(lambda: bar.maximum() >= 200)
    bar.setValue(200)
    window.state.select("layers.puff.sources.source")
    qtbot.waitUntil(lambda: bar.maximum() >= 90)
    bar.setValue(90)
    window.state.select("layers.puff")
    qtbot.wait(30)
    assert bar.value() == 200
    window.go_to("look")
    window.go_to("shape")
    qtbot.wait(30)
    assert bar.value() == 200
    window.state.select("layers.puff.sources.source")
    qtbot.wait(30)
    assert bar.value() == 90


def test_the_time_scale_of_every_kind_of_layer_is_in_its_sheet(window: Window):
    state = window.state
    for added in (None, "Sparks", "Debris"):
        if added is not None:
            effect, _ = with_new_layer(state.effect, LAYERS[added](state.effect))
            state.apply(effect, "Add a layer")
        path = f"layers.{state.effect.layers[-1].id}"
        state.select(path)
        row = window.sheet.row(f"{path}.time_scale")
        assert row is not None and "time scale" in names(window), path
        row.field.type_in("50 %")  # type: ignore[attr-defined]
        QTest.keyClick(row.field._edit, K.Key_Return)  # type: ignore[attr-defined]
        assert get(state.effect, path).time_scale == 0.5
