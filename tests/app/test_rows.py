"""Every list and every number of every kind of row, by mouse, wheel and keys: nothing ends the program, and
what is chosen is in the document."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from build import small_effect
from drive import LEFT
from PyQt6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from tenka.app import theme
from tenka.app.sheet.fields import ChoiceField, NumberField
from tenka.app.sheet.groups import VectorField
from tenka.app.sheet.row import Row
from tenka.app.state import State
from tenka.app.window import Window
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.additions import LAYERS, with_cue, with_new_layer
from tenka.effect.courses import Keys
from tenka.effect.document import get, replaced, with_trial
from tenka.effect.forces import NEW_FORCES
from tenka.effect.lights import SceneLight
from tenka.effect.model import Effect, Prop
from tenka.effect.starters import with_collider, with_force


def everything() -> Effect:
    """An effect with a thing of every kind."""
    effect = small_effect()
    for name in ("Sparks", "Debris"):
        effect, path = with_new_layer(effect, LAYERS[name](effect))
        effect, _ = with_collider(effect, "box", path.split(".")[1])
    effect, _ = with_collider(effect, "box", "puff")
    for word in NEW_FORCES:
        effect, _ = with_force(effect, word)
    effect, _ = with_cue(effect, 0.2)
    return with_trial(effect)[0]


@pytest.fixture
def full(qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Window]:
    """A window on it, in which nothing is simulated: only the sheet is tried."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    theme.apply(app)
    monkeypatch.setattr("tenka.run.session.Session.take", lambda *_, **__: None)
    monkeypatch.setattr("tenka.app.stage.view.Stage.redraw", lambda *_, **__: None)
    file = tmp_path / "all.tenka"
    storage.save(everything(), file)
    window = Window(State(FrameStore(tmp_path / "frames"), tmp_path / "journal"))
    window.ask_before_closing = lambda: "drop"
    assert window.open(file)
    window.tempo.rows.hide()  # its painting is not what is tried here
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    yield window
    window.close()
    window.deleteLater()
    settle()


def settle() -> None:
    """Let events run, and what is to be deleted go."""
    for _ in range(2):
        QApplication.processEvents()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


def selections(effect: Effect) -> list[str]:
    found = ["effect", "light"]
    for layer in effect.layers:
        found.append(f"layers.{layer.id}")
        found += [f"layers.{layer.id}.sources.{s.id}" for s in layer.sources]
        found += [f"layers.{layer.id}.colliders.{c.id}" for c in layer.colliders]
    for group in ("forces", "props", "cues", "trials"):
        found += [f"{group}.{x.id}" for x in getattr(effect, group)]
    return found


def turn(widget: QWidget, by: int) -> None:
    at = QPointF(widget.width() / 2, widget.height() / 2)
    event = QWheelEvent(
        at,
        widget.mapToGlobal(at),
        QPoint(),
        QPoint(0, by),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(widget, event)


def choose_by_mouse(field: ChoiceField, item: int) -> None:
    field.showPopup()
    QApplication.processEvents()
    view = field.view()
    assert view is not None
    model, port = field.model(), view.viewport()
    assert model is not None and port is not None
    place = view.visualRect(model.index(item, 0)).center()
    QTest.mouseClick(port, LEFT, pos=place)
    settle()


def row_of(window: Window, path: str) -> Row | None:
    row = window.sheet.row(path)
    if row is not None:
        window.sheet.area.ensureWidgetVisible(row)
    return row


def tried(window: Window, path: str, how: str) -> None:
    """Try one row in one way."""
    row = row_of(window, path)
    assert row is not None
    field = row.field.fields[1] if isinstance(row.field, VectorField) else row.field
    field.setFocus()
    if isinstance(field, ChoiceField):
        if how == "mouse":
            choose_by_mouse(field, (field.currentIndex() + 1) % max(1, field.count()))
        elif how == "wheel":
            turn(field, -120)
            turn(field, 120)
        else:
            for key in (Qt.Key.Key_Down, Qt.Key.Key_End, Qt.Key.Key_Home):
                held = row_of(window, path)
                if held is not None:
                    QTest.keyClick(held.field, key)
                    settle()
    elif how == "mouse":
        QTest.mousePress(field, LEFT, pos=QPoint(20, 8))
        for x in (30, 45, 60):
            QTest.mouseMove(field, QPoint(x, 8))
        QTest.mouseRelease(field, LEFT, pos=QPoint(60, 8))
    elif how == "wheel":
        turn(field, 120)
        turn(field, -120)
    else:
        QTest.keyClick(field, Qt.Key.Key_Up)
        held = row_of(window, path)
        if held is not None and isinstance(held.field, NumberField):
            QTest.keyClick(held.field, "2")
            edit = QApplication.focusWidget()
            if edit is not None:
                QTest.keyClicks(edit, "*1")
                QTest.keyClick(edit, Qt.Key.Key_Return)
    settle()


@pytest.mark.parametrize("how", ["mouse", "wheel", "keys"])
@pytest.mark.parametrize("kind", [ChoiceField, NumberField, VectorField])
def test_every_row_is_tried_and_undone(full: Window, kind: type, how: str):
    state, begun, count = full.state, full.state.effect, 0
    ways = ("mouse", "wheel", "keys")
    seen: set[object] = set()
    for station in ("shape", "look", "pack", "budget", "proof"):
        full.go_to(station)
        for selection in selections(begun) if station != "budget" else ["light"]:
            state.select(selection)
            for path, p, owner in [
                (r.path, r.p, get(begun, r.path.rpartition(".")[0])) for r in full.sheet.rows
            ]:
                declared = (type(owner), p.name)
                row = full.sheet.row(path)
                if declared in seen or row is None or not isinstance(row.field, kind):
                    continue
                seen.add(declared)
                if kind is NumberField and ways[len(seen) % 3] != how:
                    continue  # there are hundreds: each of them is tried in one way
                tried(full, path, how)
                count += 1
                while state.document.undo():
                    pass
                assert state.effect is begun
    assert count > {ChoiceField: 25, NumberField: 60, VectorField: 10}[kind]


def test_a_list_whose_choice_takes_its_own_row_away_keeps_the_keyboard_where_it_was(full: Window):
    full.state.select("forces.wind")
    path = "forces.wind.region"
    row = row_of(full, path)
    assert row is not None and isinstance(row.field, ChoiceField)
    row.field.setFocus()
    choose_by_mouse(row.field, 1)
    again = row_of(full, path)
    assert again is not None and again is not row and again.field.hasFocus()
    assert full.sheet.row("forces.wind.region_size") is not None


def test_the_wheel_over_a_list_without_the_keyboard_scrolls_and_changes_nothing(full: Window):
    full.state.select("layers.puff.sources.source")
    row = row_of(full, "layers.puff.sources.source.shape")
    assert row is not None and isinstance(row.field, ChoiceField)
    full.stage.setFocus()
    before = full.state.effect
    turn(row.field, -120)
    assert full.state.effect is before


def test_the_menu_of_a_row_may_take_the_row_away(full: Window):
    prop = Prop(id="other", name="Other", shape="sphere")
    full.state.apply(full.state.effect.model_copy(update={"props": (*full.state.effect.props, prop)}), "Add")
    full.state.select("props.other")
    row = full.sheet.row("props.other.shape")
    assert row is not None
    menu = row.menu()
    menu.popup(QPoint(10, 10))
    next(a for a in menu.actions() if a.text().startswith("Reset")).trigger()
    settle()
    assert full.state.effect.props[-1].shape == "box" and full.sheet.row("props.other.shape") is not None


def test_a_light_that_is_brought_along_has_its_own_reach_on_a_tier(full: Window):
    state = full.state
    lamp = SceneLight(id="lamp", name="Lamp", part_of="effect")
    moon = SceneLight(id="moon", name="Moon")
    state.apply(state.effect.model_copy(update={"lights": (lamp, moon)}), "Add")
    tier = state.tier
    assert tier is not None
    entries = {}
    for light in ("moon", "lamp"):
        state.select(f"lights.{light}")
        row = row_of(full, f"lights.{light}.reach")
        assert row is not None
        menu = row.menu()
        entries[light] = [a for a in menu.actions() if a.text() == f"Its own value on {tier.name}"]
    assert not entries["moon"] and len(entries["lamp"]) == 1
    entries["lamp"][0].trigger()
    state.edit("lights.lamp.reach", 2.5)
    settle()
    assert state.effect.lights[0].reach == 0.0 and state.value("lights.lamp.reach") == 2.5
    assert state.tier is not None and state.tier.values == {**tier.values, "lights.lamp.reach": 2.5}
    state.edit(
        f"tiers.{tier.id}.unlit", ("lamp",)
    )  # left out there, its row still shows what it is elsewhere
    assert state.value("lights.lamp.reach") == 0.0
    # taken over by other ways than an edit it is the game's all the same, and can be changed
    pasted = replaced(state.effect, "lights.lamp.part_of", "set")
    state.apply(pasted, "Paste")
    state.edit("lights.lamp.reach", 4.0)
    assert state.effect.lights[0].reach == 4.0 == state.value("lights.lamp.reach")
    state.edit("lights.lamp.part_of", "effect")
    state.edit("lights.lamp.part_of", "set")
    assert state.tier is not None and state.tier.values == tier.values


def test_a_drawers_lists_may_take_themselves_away(full: Window):
    path = "forces.wind.speed"
    keyed = Keys(keys=({"t": 0.0, "v": 1.0}, {"t": 0.4, "v": 2.0}))  # type: ignore[arg-type]
    full.state.apply(replaced(full.state.effect, path, keyed), "Course")
    full.state.course_asked.emit(path)
    settle()
    for kind in ("wave", "sum", "constant"):
        fields = [f for f in full.drawer.findChildren(ChoiceField) if f.accessibleName() == "Kind of course"]
        if fields:
            choose_by_mouse(fields[0], fields[0].findData(kind))
    assert full.state.effect.forces
