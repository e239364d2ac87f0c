"""The tempo in the hand: zoom and pan, the stretch that is played, pace and direction, frames by number, keys
in the rows, several rows at once, rows that are carried; the drawer's keys by number."""

from __future__ import annotations

import pytest
from drive import LEFT, drag, until
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tenka.app import theme
from tenka.app.tempo.axis import AXIS, OUTLINE
from tenka.app.tempo.player import Player
from tenka.app.tempo.span import Span
from tenka.app.window import Window
from tenka.effect.courses import Key, Keys
from tenka.effect.document import get

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
STORED = [True] * 24


def row_of(window: Window, path: str) -> int:
    return next(n for n, line in enumerate(window.tempo.rows.lines()) if line.path == path)


def at(window: Window, path: str, x: float = 60) -> QPoint:
    """A place in a thing's row."""
    return QPoint(round(x), round(AXIS + theme.ROW * (row_of(window, path) + 0.5)))


def test_zoom_keeps_the_moment_under_the_hand_and_ends_at_a_few_frames() -> None:
    span = Span()
    span.zoom(2.0, 3.0, 4.0, 24.0)
    start, length = span.shown(4.0)
    assert length == 2.0 and (3.0 - start) / length == pytest.approx(0.75)
    for _ in range(40):
        span.zoom(2.0, 3.0, 4.0, 24.0)
    assert span.shown(4.0)[1] == pytest.approx(6 / 24)
    span.pan(100.0, 4.0)
    assert sum(span.shown(4.0)) == pytest.approx(4.0)
    span.pan(-100.0, 4.0)
    assert span.shown(4.0)[0] == 0.0
    for _ in range(40):
        span.zoom(0.5, 1.0, 4.0, 24.0)
    assert span.shown(4.0) == (0.0, 4.0)
    assert not span.follow(2.0, 4.0)
    span.zoom(4.0, 0.0, 4.0, 24.0)
    assert span.follow(3.0, 4.0) and span.shown(4.0) == (3.0, 1.0)


def test_frames_follow_by_pace_direction_and_stretch() -> None:
    player = Player()
    assert player.following(3, 0.03, 24.0, (0, 23), STORED) is None  # its time has not come
    assert player.following(3, 1 / 24, 24.0, (0, 23), STORED) == 4
    assert player.following(3, 3.5 / 24, 24.0, (0, 23), STORED) == 6
    assert player.following(3, 3.5 / 24, 24.0, (0, 23), [True] * 5 + [False] * 19) == 4  # none is passed over
    assert player.following(23, 1 / 24, 24.0, (0, 23), STORED) == 0
    assert player.following(10, 1 / 24, 24.0, (4, 10), STORED) == 4
    assert player.following(20, 0.0, 24.0, (4, 10), STORED) == 4  # from outside, into the stretch
    player.backward = True
    assert player.following(4, 1 / 24, 24.0, (4, 10), STORED) == 10
    assert player.following(8, 2.2 / 24, 24.0, (4, 10), STORED) == 6
    player.speed = 0.5
    assert player.following(8, 1.9 / 24, 24.0, (4, 10), STORED) is None
    player.every_frame = True
    assert player.following(8, 0.0, 24.0, (4, 10), STORED) == 7


def test_the_wheel_zooms_and_the_axis_shows_the_part(window: Window) -> None:
    rows = window.tempo.rows
    x = OUTLINE + rows.axis().width() * 0.75
    before = rows.seconds_at(x)

    def turn(held: Qt.KeyboardModifier) -> None:
        place = QPointF(x, 40)
        event = QWheelEvent(
            place,
            rows.mapToGlobal(place),
            QPoint(),
            QPoint(0, 240),
            Qt.MouseButton.NoButton,
            held,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(rows, event)

    turn(CTRL)
    assert rows.shown[1] == pytest.approx(0.5 / 1.25**2)
    assert rows.seconds_at(x) == pytest.approx(before)
    start = rows.shown[0]
    turn(SHIFT)
    assert rows.shown[0] < start
    QTest.keyClick(window, Qt.Key.Key_0, CTRL)
    assert rows.shown == (0.0, 0.5)


def test_a_stretch_is_played_over_and_over_and_backward(qtbot: QtBot, window: Window) -> None:
    rows, tempo, state = window.tempo.rows, window.tempo, window.state
    middle = [QPoint(round(rows.x_of((f + 0.5) / 24)), AXIS // 2) for f in range(12)]
    QTest.mousePress(rows, LEFT, SHIFT, middle[3])
    QTest.mouseMove(rows, middle[6])
    QTest.mouseRelease(rows, LEFT, SHIFT, middle[6])
    assert rows.span.stretch == (3, 6) and tempo.whole.isVisible()
    assert "4 to 7" in tempo.where.text()
    seen: list[int] = []
    state.moved.connect(seen.append)
    tempo.mode.setChecked(True)  # every frame
    QTest.keyClick(window.stage, Qt.Key.Key_Space)
    until(qtbot, lambda: len(seen) > 9)
    QTest.keyClick(window.stage, Qt.Key.Key_Space)
    assert set(seen) == {3, 4, 5, 6} and (6, 3) in zip(seen, seen[1:])
    seen.clear()
    QTest.keyClick(window.stage, Qt.Key.Key_Space, SHIFT)
    until(qtbot, lambda: len(seen) > 6)
    QTest.keyClick(window.stage, Qt.Key.Key_Space, SHIFT)
    assert not tempo.playing
    assert all(b == a - 1 or (a, b) == (3, 6) for a, b in zip(seen, seen[1:])), seen
    QTest.keyClick(window.stage, Qt.Key.Key_Backslash)
    assert rows.span.stretch is None and not tempo.whole.isVisible()
    state.go(2)
    QTest.keyClick(window.stage, Qt.Key.Key_BracketLeft)
    state.go(5)
    QTest.keyClick(window.stage, Qt.Key.Key_BracketRight)
    assert rows.span.stretch == (2, 5)
    QTest.mouseDClick(rows, LEFT, pos=middle[4])  # on the axis
    assert rows.span.stretch is None


def test_slow_play_takes_as_much_longer(qtbot: QtBot, window: Window) -> None:
    tempo, state = window.tempo, window.state
    for _ in range(3):
        QTest.keyClick(window.stage, Qt.Key.Key_Comma, CTRL)
    assert tempo.player.speed == 0.125 and "3 a second" in tempo.pace.text()
    seen: list[int] = []
    state.moved.connect(seen.append)
    tempo.set_playing(True)
    qtbot.wait(800)
    tempo.set_playing(False)
    assert seen in ([1, 2], [1])  # 3 frames a second


def test_a_frame_is_typed(window: Window) -> None:
    entry = window.tempo.entry
    entry.type_in("8")
    QTest.keyClick(entry._edit, Qt.Key.Key_Return)
    assert window.state.frame == 7
    said: list[str] = []
    window.state.said.connect(said.append)
    entry.type_in("99")
    QTest.keyClick(entry._edit, Qt.Key.Key_Return)
    assert window.state.frame == 11 and "no higher than 12" in said[-1]
    window.state.go(4)
    assert entry.value == 5


def test_keys_are_seen_in_their_row_and_moved_there(window: Window) -> None:
    state, rows = window.state, window.tempo.rows
    path = f"layers.puff.sources.{state.effect.layers[0].sources[0].id}"
    keys = Keys(keys=(Key(t=3 / 24, v=1.0), Key(t=8 / 24, v=30.0)))
    state.edit(f"{path}.temperature", keys)
    top = rows.row_top(row_of(window, path))
    start = QPoint(round(rows.x_of(8 / 24)), round(top + theme.ROW - 7))
    drag(rows, start, start - QPoint(round(rows.x_of(2 / 24) - rows.x_of(0)), 0))
    moved = get(state.effect, f"{path}.temperature")
    assert [k.t for k in moved.keys] == pytest.approx([3 / 24, 6 / 24]) and moved.keys[1].v == 30.0
    drag(rows, QPoint(round(rows.x_of(6 / 24)), start.y()), QPoint(round(rows.x_of(1 / 24)), start.y()))
    assert get(state.effect, f"{path}.temperature").keys[1].t > 3 / 24  # not past its neighbour
    window.undo()
    window.undo()
    assert get(state.effect, f"{path}.temperature") == keys  # each drag is one step


def test_several_rows_are_chosen_and_changed_together(window: Window) -> None:
    state, rows = window.state, window.tempo.rows
    rows.toggle_fold("forces")
    QTest.mouseClick(rows, LEFT, pos=at(window, "forces.wind"))
    QTest.mouseClick(rows, LEFT, CTRL, at(window, "forces.eddies"))
    assert state.chosen == ["forces.wind", "forces.eddies"]
    assert window.sheet.title.text() == "2 forces"
    QTest.keyClick(rows, Qt.Key.Key_D, CTRL)
    assert len(state.effect.forces) == 4 and len(state.chosen) == 2
    state.select("forces.wind")
    QTest.mouseClick(rows, LEFT, SHIFT, at(window, "forces.eddies"))
    count = len(state.chosen)
    assert count >= 2 and state.selection == "forces.eddies"
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    assert len(state.effect.forces) == 4 - count
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert len(state.effect.forces) == 4  # all of it one step


def test_a_value_changes_all_that_is_chosen(window: Window) -> None:
    state = window.state
    state.select("forces.wind")
    window.in_hand.duplicate()
    other = state.selection
    state.select_more([other, "forces.wind"])
    row = window.sheet.row("forces.wind.speed")
    assert row is not None
    row._number(2.5, object())
    assert get(state.effect, "forces.wind.speed") == get(state.effect, f"{other}.speed") == 2.5
    state.select("forces.wind")
    window.sheet.row("forces.wind.speed")._number(4.0, object())
    assert get(state.effect, f"{other}.speed") == 2.5


def test_a_row_is_carried_to_another_place(window: Window) -> None:
    state, rows = window.state, window.tempo.rows
    rows.toggle_fold("forces")
    first, last = at(window, "forces.wind"), at(window, "forces.eddies")
    drag(rows, first, last + QPoint(0, theme.ROW))
    assert [f.id for f in state.effect.forces] == ["eddies", "wind"]
    window.undo()
    assert [f.id for f in state.effect.forces] == ["wind", "eddies"]
    drag(rows, first, first + QPoint(3, 2))  # a click that trembles moves nothing
    assert [f.id for f in state.effect.forces] == ["wind", "eddies"]


def test_a_value_is_copied_with_its_course_and_pasted(window: Window) -> None:
    state = window.state
    keys = Keys(keys=(Key(t=0.0, v=1.0), Key(t=0.4, v=3.0)))
    state.edit("forces.wind.speed", keys)
    state.select("forces.wind")
    row = window.sheet.row("forces.wind.speed")
    row.field.setFocus()
    QTest.keyClick(row.field, Qt.Key.Key_C, CTRL)
    state.select("layers.puff")
    lift = window.sheet.row("layers.puff.motion.lift")
    lift.field.setFocus()
    QTest.keyClick(lift.field, Qt.Key.Key_V, CTRL)
    assert get(state.effect, "layers.puff.motion.lift") == keys
    names = [a.text().split("\t")[0] for a in lift.menu().actions()]
    assert "Copy value" in names and "Paste value" in names


def test_the_drawer_names_its_curves_and_its_keys_go_by_number(window: Window) -> None:
    state, drawer = window.state, window.drawer
    before = window.tempo.height()
    keys = Keys(keys=(Key(t=0.0, v=1.0), Key(t=0.25, v=3.0, ease="through"), Key(t=0.5, v=2.0)))
    state.edit("forces.wind.speed", keys)
    state.edit("layers.puff.motion.lift", Keys(keys=(Key(t=0.0, v=0.1), Key(t=0.5, v=0.2))))
    state.course_asked.emit("layers.puff.motion.lift")
    state.course_asked.emit("forces.wind.speed")
    QApplication.processEvents()
    assert window.tempo.height() == pytest.approx(before, abs=3)  # its room comes from the stage
    plot = drawer.plot
    plot.grab()
    assert [drawer.name_of(p) for p in drawer.paths] == ["Puff: lift", "Wind: speed"]
    assert len(plot._names) == 2
    assert plot._range("forces.wind.speed")[1] > 3 > 0.3 > plot._range("layers.puff.motion.lift")[1]
    plot.setFocus()
    QTest.keyClick(plot, Qt.Key.Key_PageDown)
    QTest.keyClick(plot, Qt.Key.Key_PageDown)
    assert plot.chosen == 1 and drawer._by_number["value"].value == 3.0
    drawer._by_number["time"].changed.emit(0.3, object())
    drawer._by_number["slope"].changed.emit(-4.0, object())
    key = get(state.effect, "forces.wind.speed").keys[1]
    assert key.t == pytest.approx(0.3) and key.slope == -4.0
    QTest.keyClick(plot, Qt.Key.Key_Up)
    assert get(state.effect, "forces.wind.speed").keys[1].v > 3.0
    QTest.keyClick(plot, Qt.Key.Key_Delete)
    assert len(get(state.effect, "forces.wind.speed").keys) == 2
    box, path = plot._names[0]
    QTest.mouseClick(plot, LEFT, pos=box.center().toPoint())
    assert drawer.path == path == "layers.puff.motion.lift"
    drawer.close_all()
    QApplication.processEvents()
    assert window.tempo.height() == pytest.approx(before, abs=3)
