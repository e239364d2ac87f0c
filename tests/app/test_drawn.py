"""Paths and curves drawn on the stage, parts chosen, words for values, a prop set on fire, starting points
added or in place."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from drive import LEFT, settle, until
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.sheet.partfield import part_menu, parts_of
from tenka.app.stage.handles import path_frame
from tenka.app.stage.tracing import end_trace
from tenka.app.window import Window
from tenka.budget.cost import ledger
from tenka.effect.courses import Keys, value_at
from tenka.effect.document import get, replaced
from tenka.effect.model import Wind
from tenka.effect.starters import STARTERS, empty
from tenka.run.placing import prop_bounds


def where(window: Window, place: tuple[float, float, float]) -> QPoint:
    """The pixel of a place on the stage."""
    x, y, _ = window.stage.view().project(np.array([place]))[0]
    return QPoint(round(x), round(y))


def button_of(window: Window, path: str):  # type: ignore[no-untyped-def]
    from PyQt6.QtWidgets import QToolButton

    row = window.sheet.row(path)
    assert row is not None
    return next(b for b in row.findChildren(QToolButton) if "stage" in b.toolTip() or "parts" in b.toolTip())


def test_a_path_is_drawn_by_clicks_and_travelled(qtbot: QtBot, window: Window) -> None:
    state = window.state
    state.select("props.box")
    button_of(window, "props.box.path").click()
    assert window.stage.tracing is not None and "Enter ends it" in window.said.text()
    wanted = [(-0.8, 0.9, 0.0), (0.1, 1.0, 0.0), (0.9, 0.8, 0.0)]
    for place in wanted:
        QTest.mouseClick(window.stage, LEFT, pos=where(window, place))
    QTest.keyClick(window.stage, Qt.Key.Key_Return)
    assert window.stage.tracing is None
    box = get(state.effect, "props.box")
    scene = path_frame(box, state.effect.props, 0.0).to_scene(np.array(box.path))
    np.testing.assert_allclose(scene[:, :2], np.array(wanted)[:, :2], atol=0.03)
    np.testing.assert_allclose(scene[:, 2], 0.0, atol=1e-3)  # on the ground, at its own height
    assert isinstance(box.travel, Keys) and value_at(box.travel, 0.0) == 0 and value_at(box.travel, 0.5) == 1
    window.undo()
    assert get(state.effect, "props.box.path") == () and get(state.effect, "props.box.travel") == 0.0
    until(qtbot, lambda: not window.stage.busy)


def test_a_drawing_is_taken_back_by_escape_and_ended_by_going_elsewhere(window: Window) -> None:
    state = window.state
    before = state.effect
    state.trace_asked.emit("props.box.path")
    for place in ((-0.8, 0.9, 0.0), (0.5, 0.9, 0.0)):
        QTest.mouseClick(window.stage, LEFT, pos=where(window, place))
    assert state.effect is not before
    QTest.keyClick(window.stage, Qt.Key.Key_Escape)
    assert state.effect is before and window.stage.tracing is None
    state.trace_asked.emit("props.box.path")
    window.go_to("look")
    assert window.stage.tracing is None
    end_trace(window.stage)


def test_a_sources_curve_is_drawn_on_what_stands_there(window: Window) -> None:
    state = window.state
    path = f"layers.puff.sources.{state.effect.layers[0].sources[0].id}"
    state.edit(f"{path}.shape", "curve")
    state.trace_asked.emit(f"{path}.curve")
    top = 0.2 / 2 + get(state.effect, "props.box.position")[2]
    for x in (-0.2, 0.2):
        QTest.mouseClick(window.stage, LEFT, pos=where(window, (x, 0.0, top)))
    end_trace(window.stage)
    source = get(state.effect, path)
    scene = np.array(source.curve) + source.position
    low, high = prop_bounds(state.effect, state.effect.props[0], None, 0.0) or (None, None)
    assert high is not None and scene[:, 2] == pytest.approx([high[2]] * 2, abs=0.02)  # on the box's top


def test_parts_are_chosen_from_those_that_there_are(window: Window, tmp_path: Path) -> None:
    state = window.state
    scene = trimesh.Scene()
    for name, z in (("hull", 0.0), ("mast", 1.0)):
        scene.add_geometry(
            trimesh.creation.box(
                (0.5, 0.5, 0.5), transform=trimesh.transformations.translation_matrix((0, 0, z))
            ),
            node_name=name,
            geom_name=name,
        )
    scene.export(tmp_path / "boat.glb")
    window.tray.add_mesh(tmp_path / "boat.glb")
    prop = state.selection.split(".")[1]
    path = f"layers.puff.sources.{state.effect.layers[0].sources[0].id}"
    effect = replaced(replaced(state.effect, f"{path}.prop", prop), f"{path}.shape", "surface")
    state.apply(effect, "On the boat")
    state.select(path)
    names = parts_of(state, f"{path}.part")
    assert {"hull", "mast"} <= set(names)
    menu = part_menu(state, f"{path}.part", window)
    next(a for a in menu.actions() if a.text() == "mast").trigger()
    assert get(state.effect, f"{path}.part") == "mast"
    again = part_menu(state, f"{path}.part", window)
    assert next(a for a in again.actions() if a.text() == "mast").isChecked()
    next(a for a in again.actions() if a.text() == "mast").trigger()
    assert get(state.effect, f"{path}.part") == ""
    assert button_of(window, f"{path}.part").width() >= 24


def test_values_with_names_are_shown_typed_and_dragged(window: Window) -> None:
    state = window.state
    path = f"layers.puff.sources.{state.effect.layers[0].sources[0].id}"
    state.edit(f"{path}.start", -60.0)
    state.edit(f"{path}.end", 600.0)
    state.select(path)
    start, end = (window.sheet.row(f"{path}.{n}").field for n in ("start", "end"))
    assert start.word() == "from the start" and end.word() == "to the end"
    QTest.keyClick(end, Qt.Key.Key_Down)  # it goes on from the end of what is usual
    assert get(state.effect, f"{path}.end") == pytest.approx(10.0 - 0.02)
    end.type_in("to the end")
    QTest.keyClick(end._edit, Qt.Key.Key_Return)
    assert get(state.effect, f"{path}.end") == 600.0
    end.type_in("1.5")
    QTest.keyClick(end._edit, Qt.Key.Key_Return)
    assert get(state.effect, f"{path}.end") == 1.5 and end.word() == ""


def test_a_prop_is_set_on_fire_in_one_gesture_wherever_it_goes(qtbot: QtBot, window: Window) -> None:
    state = window.state
    state.select("props.box")
    state.edit("props.box.position", (0.0, 0.0, 0.3))
    state.trace_asked.emit("props.box.path")
    window.stage.tracing.placed = [np.array([-2.0, 0.0, 0.3])]
    window.stage.tracing.points = [(-2.0, 0.0, 0.0), (2.0, 0.0, 0.0)]
    window.stage.tracing._put()
    end_trace(window.stage)
    state.select("props.box")
    foot = next(p for part in window.sheet.parts for p in part.feet if hasattr(p, "breaks"))
    foot.buttons["Set on fire"].click()
    fire = state.layer
    assert fire is not None and fire.kind == "gas" and fire.fire.burns
    source = get(state.effect, state.selection)
    assert source.shape == "surface" and source.prop == "box" and source.fuel
    low, high = np.array(fire.domain.origin), np.array(fire.domain.origin) + fire.domain.size
    for t in (0.0, 11 / 24):
        bounds = prop_bounds(state.effect, state.effect.props[0], None, t)
        assert bounds is not None and np.all(bounds[0] >= low - 0.06) and np.all(bounds[1] <= high)
    count = len(state.effect.layers)
    state.select("props.box")
    foot = next(p for part in window.sheet.parts for p in part.feet if hasattr(p, "breaks"))
    foot.buttons["Let it smoke"].click()  # the puff is there already: it is fed besides
    assert len(state.effect.layers) == count and state.selection.startswith("layers.puff.sources.")
    window.undo()
    window.undo()
    assert len(state.effect.layers) == count - 1
    settle(qtbot, window)


@pytest.mark.parametrize("name", STARTERS)
def test_a_starting_point_is_added_to_what_is_there_and_within_budget(name: str, window: Window) -> None:
    before = window.state.effect
    added = STARTERS[name].added(before)
    assert added.layers[len(added.layers) - len(before.layers) :] == before.layers
    assert added.props[: len(before.props)] == before.props
    assert added.camera == before.camera and added.seconds == before.seconds and added.tiers == before.tiers
    assert sum(isinstance(f, Wind) and f.region == "everywhere" for f in added.forces) == 1
    twice = STARTERS[name].added(added)
    assert len({x.name for x in twice.layers}) == len({x.id for x in twice.layers}) == len(twice.layers)
    begun = STARTERS[name](empty())
    for tier in begun.tiers:
        book = ledger(begun, tier.id, {})
        assert not book.over, (name, tier.name, book.ms, book.update_ms, book.mb)
