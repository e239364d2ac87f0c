"""The finder, and what is done with things in the hand: names, copies, order, menus."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from build import small_effect
from drive import LEFT
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tenka.app.finder import Entry, found, score
from tenka.app.recent import recent_files
from tenka.app.tempo.axis import AXIS
from tenka.app.window import Window
from tenka.base.errors import BadInput
from tenka.effect import storage, things
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.document import get, with_own
from tenka.effect.lights import SceneLight
from tenka.effect.model import Effect
from tenka.effect.starters import with_force, with_prop

K, CTRL = Qt.Key, Qt.KeyboardModifier.ControlModifier


# --- things, without a window ----------------------------------------------------------------------


def full() -> Effect:
    effect = small_effect()
    effect, _ = with_new_layer(effect, LAYERS["Sparks"](effect))
    effect, _ = with_force(effect, "wind")
    return with_prop(effect, name="Crate", shape="box")[0]


def paths(effect: Effect) -> list[str]:
    layers = [f"layers.{x.id}" for x in effect.layers]
    sources = [f"layers.{x.id}.sources.{s.id}" for x in effect.layers for s in x.sources]
    return [
        *layers,
        *sources,
        *(f"forces.{f.id}" for f in effect.forces),
        *(f"props.{p.id}" for p in effect.props),
    ]


def test_everything_is_doubled_and_copied_to_itself_and_to_an_empty_effect():
    effect = full()
    for path in paths(effect):
        more, new = things.duplicated(effect, path)
        one, two = get(effect, path), get(more, new)
        assert two.id != one.id and two.name != one.name
        assert two.model_copy(update={"id": one.id, "name": one.name}) == one
        text = things.as_text(effect, path)
        back, pasted = things.pasted(effect, text, path)
        assert get(back, pasted) == two
        group = things.group_of(path)
        if group not in ("sources", "colliders"):
            alone, there = things.pasted(Effect(), text, "")
            assert get(alone, there).name == one.name
            Effect.model_validate(alone.model_dump())


def test_a_copy_lets_go_what_another_effect_does_not_have():
    effect = full()
    puff = effect.layer("puff")
    on_prop = {"shape": "surface", "prop": effect.props[0].id}
    source = puff.sources[0].model_copy(update=on_prop)
    effect = effect.with_layer(puff.model_copy(update={"sources": (source,)}))
    bare = small_effect().model_copy(update={"props": ()})
    pasted, new = things.pasted(bare, things.as_text(effect, f"layers.puff.sources.{source.id}"), "")
    assert get(pasted, new).shape == "sphere"
    Effect.model_validate(pasted.model_dump())


def test_bad_texts_are_one_sentence():
    for text in (
        "",
        "hello",
        "[]",
        "{}",
        '{"tenka_thing": 1}',
        '{"tenka_thing": 9, "group": "props", "thing": {}}',
    ):
        with pytest.raises(BadInput, match="what was copied is no part of an effect"):
            things.pasted(Effect(), text, "")
    bad = json.dumps(
        {"tenka_thing": 1, "group": "props", "of": "", "thing": {"id": "a", "name": "A", "size": "x"}}
    )
    with pytest.raises(BadInput, match="is not sound"):
        things.pasted(Effect(), bad, "")
    source = things.as_text(full(), "layers.puff.sources.source")
    with pytest.raises(BadInput, match="of which there is none here"):
        things.pasted(Effect(), source, "")


def test_values_are_taken_over_without_name_and_place():
    effect = full()
    effect, second = things.duplicated(effect, "layers.puff.sources.source")
    changed = get(effect, second).model_copy(update={"density": 9.0, "position": (1.0, 1.0, 1.0)})
    effect = effect.with_layer(
        effect.layer("puff").model_copy(update={"sources": (effect.layer("puff").sources[0], changed)})
    )
    after, count = things.values_pasted(effect, things.as_text(effect, second), "layers.puff.sources.source")
    source = get(after, "layers.puff.sources.source")
    assert count == 1 and source.density == 9.0 and source.position != (1.0, 1.0, 1.0)
    with pytest.raises(BadInput, match="of another kind"):
        things.values_pasted(effect, things.as_text(effect, f"props.{effect.props[0].id}"), "layers.puff")


def test_order_and_names():
    effect = full()
    ids = [x.id for x in effect.layers]
    down = things.moved(effect, f"layers.{ids[0]}", 1)
    assert [x.id for x in down.layers] == [ids[1], ids[0]]
    assert things.moved(effect, f"layers.{ids[0]}", -5) is effect
    assert things.renamed(effect, "layers.puff", "  Thick   smoke ").layer("puff").name == "Thick smoke"
    with pytest.raises(BadInput):
        things.renamed(effect, "layers.puff", " ")
    assert things.numbered("Sparks 2", {"Sparks 2", "Sparks 3"}) == "Sparks 4"


# --- finding ----------------------------------------------------------------------------------------


def test_words_find_what_begins_with_them_first_and_synonyms_too():
    def entry(title: str, where: str = "", words: str = "", rank: int = 3) -> Entry:
        return Entry(title, where, lambda: None, words, "", rank)

    all_ = [
        entry("gravity", "Sparks · Motion"),
        entry("grip", "Wind · Motion"),
        entry("voxel", "Puff · Where"),
        entry("Add Swirl", "Add", rank=1),
        entry("grain", "Debris · What"),
    ]
    assert [e.title for e in found(all_, "gr")][:3] == ["grip", "grain", "gravity"]
    assert found(all_, "sparks grav")[0].title == "gravity"
    assert found(all_, "tornado")[0].title == "Add Swirl"
    assert found(all_, "resolution")[0].title == "voxel"
    assert found(all_, "zebra") == [] and score(all_[0], "gravity wind") is None


def typed_into(window: Window, text: str) -> list[str]:
    QTest.keyClick(window, K.Key_K, CTRL)
    assert window.finder.isVisible() and window.finder.line.hasFocus()
    QTest.keyClicks(window.finder.line, text)
    return window.finder.titles()


def test_the_finder_finds_and_runs(window: Window, qtbot: QtBot):
    assert typed_into(window, "go to look")[0] == "Go to Look"
    QTest.keyClick(window.finder.line, K.Key_Return)
    assert window.station == "look" and not window.finder.isVisible()
    assert "lift" in typed_into(window, "buoyancy")
    QTest.keyClick(window.finder.line, K.Key_Escape)
    assert "Add Wind" in typed_into(window, "add wind")
    QTest.keyClick(window.finder.line, K.Key_Return)
    assert window.state.effect.forces[-1].kind == "wind"
    typed_into(window, "zebra")
    assert window.finder.none.isVisible()
    QTest.keyClick(window.finder.line, K.Key_Escape)


def test_a_setting_that_is_found_has_the_keyboard(window: Window, qtbot: QtBot):
    window.go_to("look")
    typed_into(window, "viscosity")
    QTest.keyClick(window.finder.line, K.Key_Return)
    assert window.station == "shape"
    row = window.sheet.row("layers.puff.motion.viscosity")
    here = QApplication.focusWidget()
    assert row is not None and here is not None and (here is row.field or row.field.isAncestorOf(here))
    typed_into(window, "columns")
    QTest.keyClick(window.finder.line, K.Key_Return)
    assert window.station == "pack"


def test_every_action_of_the_window_is_in_the_finder_with_its_keys(window: Window):
    shown = {entry.title: entry.keys for entry in window.finder._entries_now()}
    for act in window.actions_.all:
        assert shown[act.name] == act.keys
    for name in window.tray.buttons:
        if name not in ("Layer", "Force", "Prop", "Water"):
            assert {f"Add {name}", f"Begin with {name}"} & set(shown), name
    assert {"Begin with Pool", "Begin with Mud"} <= set(shown)
    assert "Add Gravity" in shown and "Add Sparks layer" in shown and "Open kiln plume" in shown


# --- in the hand ------------------------------------------------------------------------------------


def row_at(window: Window, path: str) -> QPoint:
    rows = window.tempo.rows
    n = next(i for i, line in enumerate(rows.lines()) if line.path == path)
    from tenka.app import theme

    return QPoint(60, int(AXIS + theme.ROW * (n + 0.5)))


def test_a_name_is_typed_by_double_click_and_by_f2(window: Window, qtbot: QtBot):
    rows = window.tempo.rows
    QTest.mouseDClick(rows, LEFT, pos=row_at(window, "layers.puff"))
    edit = rows._name
    assert edit is not None and edit.text() == get(window.state.effect, "layers.puff").name
    QTest.keyClicks(edit, "Thick")
    QTest.keyClick(edit, K.Key_Return)
    assert window.state.effect.layer("puff").name == "Thick"
    window.state.select("layers.puff.sources.source")
    window.stage.setFocus()
    QTest.keyClick(window.stage, K.Key_F2)
    assert rows._name is not None
    QTest.keyClicks(rows._name, "Vent")
    QTest.keyClick(rows._name, K.Key_Escape)
    assert get(window.state.effect, "layers.puff.sources.source").name != "Vent"


def test_copies_go_by_keys_and_as_text(window: Window, qtbot: QtBot):
    window.state.select("layers.puff.sources.source")
    window.stage.setFocus()
    QTest.keyClick(window.stage, K.Key_C, CTRL)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None and json.loads(clipboard.text())["group"] == "sources"
    QTest.keyClick(window.stage, K.Key_V, CTRL)
    assert len(window.state.effect.layer("puff").sources) == 2
    QTest.keyClick(window.stage, K.Key_D, CTRL)
    assert len(window.state.effect.layer("puff").sources) == 3
    assert window.state.selection.endswith("source_3")
    QTest.keyClick(window.stage, K.Key_Up, CTRL)
    assert window.state.effect.layer("puff").sources[1].id == "source_3"
    clipboard.setText("no part of anything")
    before = window.state.effect
    QTest.keyClick(window.stage, K.Key_V, CTRL)
    assert window.state.effect is before and "no part of an effect" in window.said.text()


def test_a_row_has_a_menu_whose_entries_act(window: Window, qtbot: QtBot):
    menu = window.in_hand.menu(window, "layers.puff")
    texts = [a.text().split("\t")[0] for a in menu.actions() if a.text()]
    assert texts == [
        "Rename",
        "Duplicate",
        "Copy",
        "Cut",
        "Paste",
        "Fit a light to it",
        "Keep as a preset…",
        "Paste values",
        "Move up",
        "Move down",
        "Remove",
    ]
    next(a for a in menu.actions() if a.text().startswith("Duplicate")).trigger()
    assert len(window.state.effect.layers) == 2
    trial = window.in_hand.menu(window, "")
    assert [a.text().split("\t")[0] for a in trial.actions()] == ["Paste"]


def test_a_light_fitted_anew_is_the_same_one_with_what_the_hand_and_tiers_gave_it(window: Window):
    state = window.state
    first = SceneLight(
        id="firelight", name="Light of Puff", stands_for="puff", part_of="effect", strength=2.0
    )
    window.fire_light.found.emit(None, first)
    state.edit("lights.firelight.reach", 3.0)
    state.edit("lights.firelight.name", "Glow")
    tier = state.effect.tiers[0].id
    state.apply(with_own(state.effect, tier, "lights.firelight.reach", 1.5), "Own")
    window.fire_light.found.emit(None, first.model_copy(update={"id": "firelight_2", "strength": 5.0}))
    (again,) = state.effect.lights
    assert (again.id, again.name, again.reach, again.strength) == ("firelight", "Glow", 3.0, 5.0)
    assert state.effect.tiers[0].values["lights.firelight.reach"] == 1.5
    assert state.selection == "lights.firelight"


def test_recent_effects_are_kept_and_new_begins_with_nothing(window: Window, qtbot: QtBot, tmp_path: Path):
    assert recent_files()[0] == window.state.document.file.resolve()
    other = tmp_path / "other.tenka"
    storage.save(small_effect(), other)
    window.leave_for(other)
    assert recent_files()[0] == other.resolve() and window.state.document.file == other
    other.unlink()
    assert other.resolve() not in recent_files()
    window.new()
    assert window.state.effect.layers == () and window.state.document.file is None
