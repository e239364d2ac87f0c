"""The window by keyboard alone: everything is reached by Tab and arrows, what has the keyboard is seen, and
what can be done by hand can be done by keys. Points of the table and of the stage choose each other."""

from __future__ import annotations

import numpy as np
import pytest
from drive import pixels, settle, until
from PyQt6.QtCore import QItemSelectionModel, QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from tenka.app.sheet.header import Header
from tenka.app.sheet.ramps import RampField
from tenka.app.window import Window
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.document import get

K = Qt.Key
SHIFT = Qt.KeyboardModifier.ShiftModifier


def walked(first: QWidget, most: int = 400) -> list[QWidget]:
    """Every widget that Tab leads through, from one round to it again."""
    first.setFocus()
    seen: list[QWidget] = []
    for _ in range(most):
        here = QApplication.focusWidget()
        assert here is not None
        if here in seen:
            return seen
        seen.append(here)
        QTest.keyClick(here, K.Key_Tab)
    raise AssertionError("Tab does not come round")


def reachable(window: Window) -> set[QWidget]:
    """What can have the keyboard now."""
    return {
        w
        for w in window.findChildren(QWidget)
        if w.isVisible()
        and w.isEnabled()
        and w.focusPolicy() & Qt.FocusPolicy.TabFocus
        and w.window() is window
    }


@pytest.mark.parametrize("station", ("shape", "look", "pack", "budget", "proof"))
def test_tab_comes_to_everything_and_round(window: Window, qtbot: QtBot, station: str) -> None:
    window.go_to(station)
    qtbot.wait(50)
    seen = walked(window.stage if station in ("shape", "look") else window.sheet.filter)
    missed = reachable(window) - set(seen)
    names = sorted(f"{type(w).__name__} {w.accessibleName()}" for w in missed)
    assert not names, names
    nameless = [type(w).__name__ for w in seen if not (w.accessibleName() or getattr(w, "text", str)())]
    assert not nameless, nameless


def test_what_has_the_keyboard_is_seen(window: Window, qtbot: QtBot) -> None:
    settle(qtbot, window)
    for widget in walked(window.stage):
        if widget is window.stage or widget.width() > 900:
            continue
        window.sheet.area.ensureWidgetVisible(widget)
        window.sheet.filter.setFocus()
        if widget is window.sheet.filter:
            window.stage.setFocus()
        QApplication.processEvents()
        before = pixels(widget.grab().toImage())
        widget.setFocus(Qt.FocusReason.TabFocusReason)
        QApplication.processEvents()
        after = pixels(widget.grab().toImage())
        assert (before != after).any(), (
            f"{type(widget).__name__} {widget.accessibleName()} {getattr(widget, 'text', str)()}"
        )


def test_rows_folds_and_marks_are_worked_by_keys(window: Window) -> None:
    rows, state = window.tempo.rows, window.state
    rows.setFocus()
    state.select("layers.puff")
    order = [line.path or line.fold for line in rows.lines() if line.path or line.fold]
    for _ in range(len(order)):
        QTest.keyClick(rows, K.Key_Down)
    assert rows._fold == "measures"  # the last line
    while rows._fold != "forces":
        QTest.keyClick(rows, K.Key_Up)
    QTest.keyClick(rows, K.Key_Return)
    assert "forces" in rows.unfolded
    QTest.keyClick(rows, K.Key_Left)
    assert "forces" not in rows.unfolded
    QTest.keyClick(rows, K.Key_Right)
    QTest.keyClick(rows, K.Key_Down)
    assert state.selection == "forces.wind" and not rows._fold
    for _ in range(3):
        QTest.keyClick(rows, K.Key_Right)
    QTest.keyClick(rows, K.Key_Return)
    assert state.effect.forces[0].passed_over
    QTest.keyClick(rows, K.Key_Left)
    QTest.keyClick(rows, K.Key_Return)
    assert state.effect.forces[0].hidden and state.effect.forces[0].passed_over
    for _ in range(4):
        QTest.keyClick(rows, K.Key_Left)
    QTest.keyClick(rows, K.Key_Return)  # its name
    assert rows._name is not None
    QTest.keyClick(rows._name, K.Key_Escape)


def test_sections_fold_by_keys(window: Window) -> None:
    window.state.select("layers.puff")
    head = next(h for h in window.sheet.findChildren(Header) if h.section == "Motion" and h.isVisible())
    head.setFocus()
    QTest.keyClick(head, K.Key_Space)
    assert not window.sheet.row("layers.puff.motion.lift").isVisible() and not window.tempo.playing
    QTest.keyClick(head, K.Key_Return)
    assert window.sheet.row("layers.puff.motion.lift").isVisible()


def test_stops_of_a_ramp_are_worked_by_keys(window: Window) -> None:
    window.state.select("layers.puff")
    path = "layers.puff.motion.curl_sizes"
    ramp = window.sheet.row(path).field
    assert isinstance(ramp, RampField)
    ramp.setFocus()
    before = get(window.state.effect, path).stops
    QTest.keyClick(ramp, K.Key_Right)
    QTest.keyClick(ramp, K.Key_Down)
    QTest.keyClick(ramp, K.Key_Right, SHIFT)
    moved = get(window.state.effect, path).stops[1]
    assert moved.value == pytest.approx(before[1].value - 0.05)
    assert moved.at == pytest.approx(before[1].at + 0.01)
    QTest.keyClick(ramp, K.Key_Plus)
    assert len(get(window.state.effect, path).stops) == len(before) + 1
    QTest.keyClick(ramp, K.Key_Backspace)
    assert len(get(window.state.effect, path).stops) == len(before)


def test_what_is_selected_is_moved_by_keys(window: Window) -> None:
    state = window.state
    state.select("props.box")
    window.stage.setFocus()
    start = np.array(state.effect.props[0].position)
    QTest.keyClick(window.stage, K.Key_Right)
    way = np.array(state.effect.props[0].position) - start
    view = window.stage.view()
    assert np.linalg.norm(way) == pytest.approx(0.1, abs=1e-3) and way[2] == 0
    assert way @ view.right > 0.09
    QTest.keyClick(window.stage, K.Key_PageUp, SHIFT)
    assert state.effect.props[0].position[2] == pytest.approx(start[2] + 0.01)
    QTest.keyClick(window.stage, K.Key_Left)
    window.undo()  # all of it is one step
    assert state.effect.props[0].position == tuple(start)
    state.select("layers.puff")
    low = np.array(state.effect.gas().domain.origin)
    QTest.keyClick(window.stage, K.Key_PageUp)
    assert state.effect.gas().domain.origin[2] == pytest.approx(low[2] + 0.1)
    state.select("forces.wind")
    frame = state.frame
    QTest.keyClick(window.stage, K.Key_Right)
    assert state.frame == frame


def test_table_and_stage_choose_each_others_points(window: Window, qtbot: QtBot) -> None:
    state = window.state
    effect, path = with_new_layer(state.effect, LAYERS["Debris"](state.effect))
    state.apply(effect, "Add debris")
    state.select(path)
    until(qtbot, lambda: all(state.status.stored) and len(state.status.stored) == 12)
    state.go(6)
    settle(qtbot, window)
    foot = window.sheet.point_foot
    foot.open_table()
    table = foot.table
    until(qtbot, lambda: table.model.rowCount() > 3)
    table.view.selectRow(2)
    id = int(table.model.columns[0].values[table.model.order[2]])
    assert state.points == ("debris", (id,))
    plain = pixels(window.stage.grab().toImage())
    table.view.clearSelection()
    assert state.points == ("debris", ())
    assert (pixels(window.stage.grab().toImage()) != plain).any()  # its ring
    until(qtbot, lambda: "debris" in window.stage.shown.frames)
    frame = window.stage.shown.frames["debris"]
    at = window.stage.view().project(frame.points.place.astype(float))
    n = int(np.argmin(at[:, 2]))  # the nearest to the eye
    spot = QPoint(round(at[n, 0]), round(at[n, 1]))
    state.select("light")
    QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=spot)
    for _ in range(4):
        if state.selection == path:
            break
        QTest.mouseClick(window.stage, Qt.MouseButton.LeftButton, pos=spot)
    assert state.selection == path and len(state.points[1]) == 1
    chosen = state.points[1][0]
    assert table.ids_of_rows() == (chosen,)
    window.stage.setFocus()
    QTest.keyClick(window.stage, K.Key_Delete)
    assert get(state.effect, path).deleted == (chosen,) and len(state.effect.layers) == 2
    window.undo()
    assert get(state.effect, path).deleted == ()
    table.view.selectionModel().select(
        table.model.index(0, 0),
        QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows,
    )
    assert len(state.points[1]) == 1
    table.close()
