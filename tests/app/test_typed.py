"""What is typed into numbers: understood, kept, refused with a reason; and who owns the keys."""

from __future__ import annotations

import pytest
from drive import LEFT, field, until
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from tenka.app.sheet.typed import typed
from tenka.app.window import Window
from tenka.effect.document import get

LIFT = "layers.puff.motion.lift"
VOXEL = "layers.puff.domain.voxel"
K = Qt.Key


@pytest.mark.parametrize(
    "text,now,unit,value",
    (
        ("2*3", 0, "", 6.0),
        ("(1+0.5)/4", 0, "m", 0.375),
        ("-2", 5, "m", -2.0),
        ("1,5", 0, "", 1.5),
        ("2 m", 0, "m", 2.0),
        ("50 cm", 0, "m", 0.5),
        ("50 %", 0, "", 0.5),
        ("2^3", 0, "", 8.0),
        ("*2", 3, "m", 6.0),
        ("/4", 8, "", 2.0),
        ("+0.1", 1, "s", 1.1),
        ("+10%", 50, "m", 55.0),
        ("^2", 3, "", 9.0),
        ("(1+2) cm + 1 m", 0, "m", 1.03),
        ("36 km/h", 0, "m/s", 10.0),
        ("200 ms", 0, "s", 0.2),
        ("1e-3", 0, "m", 0.001),
        ("3 1/s", 0, "1/s", 3.0),
        ("90 deg", 0, "°", 90.0),
        ("9.8 m/s²", 0, "m/s²", 9.8),
    ),
)
def test_sums_units_and_changes_are_understood(text: str, now: float, unit: str, value: float):
    assert typed(text, now, unit) == pytest.approx(value)


@pytest.mark.parametrize(
    "text,unit,why",
    (
        ("", "", "a number is expected"),
        ("a", "", "a number or a sum"),
        ("__import__('os')", "", "a number or a sum"),
        ("1/0", "", "divided by 0"),
        ("9**9**9", "", "too large"),
        ("9^99", "", "too large"),
        ("True", "", "a number or a sum"),
        ("(1", "", "a number or a sum"),
        ("1e999", "", "too large"),
        ("2 s", "m", "s is a time, and this is in m"),
        ("2 apples", "m", "'apples' is no unit"),
        ("2 m", "", "this has no unit"),
        ("50 %", "m", "a share is no value in m"),
        ("1" * 200, "", "too long"),
    ),
)
def test_what_is_not_understood_says_why(text: str, unit: str, why: str):
    with pytest.raises(ValueError, match=why.replace("*", ".").replace("(", ".").replace("%", ".")):
        typed(text, 1.0, unit)


def opened(window: Window, path: str, text: str) -> QLineEdit:
    """A field with something typed into it, still open."""
    number = field(window, path)
    QTest.mouseClick(number, LEFT)
    edit = number._edit
    assert edit is not None and edit.hasFocus()
    edit.selectAll()
    QTest.keyClicks(edit, text)
    return edit


@pytest.mark.parametrize("how", ("enter", "tab", "another field", "the stage", "a bare place"))
def test_a_typed_number_is_kept_however_one_goes_on(window: Window, qtbot: QtBot, how: str):
    edit = opened(window, LIFT, "0.5")
    if how == "enter":
        QTest.keyClick(edit, K.Key_Return)
    elif how == "tab":
        QTest.keyClick(edit, K.Key_Tab)
    elif how == "another field":
        QTest.mouseClick(field(window, VOXEL), LEFT)
    elif how == "the stage":
        QTest.mouseClick(window.stage, LEFT, pos=QPoint(300, 200))
    else:
        QTest.mouseClick(window.sheet.title, LEFT)
    assert get(window.state.effect, LIFT) == 0.5
    assert field(window, LIFT)._edit is None
    window.undo()
    assert get(window.state.effect, LIFT) != 0.5  # one step


def test_escape_leaves_what_is_typed_and_ends_a_drag(window: Window, qtbot: QtBot):
    before = get(window.state.effect, LIFT)
    QTest.keyClick(opened(window, LIFT, "9"), K.Key_Escape)
    number = field(window, LIFT)
    assert get(window.state.effect, LIFT) == before and number._edit is None
    QTest.mousePress(number, LEFT, pos=QPoint(20, 8))
    for x in (30, 50, 70):
        QTest.mouseMove(number, QPoint(x, 8))
    assert get(window.state.effect, LIFT) != before
    QTest.keyClick(number, K.Key_Escape)
    assert get(window.state.effect, LIFT) == before
    QTest.mouseMove(number, QPoint(90, 8))
    QTest.mouseRelease(number, LEFT, pos=QPoint(90, 8))
    assert get(window.state.effect, LIFT) == before


def test_a_slip_and_a_limit_are_told(window: Window, qtbot: QtBot):
    before = get(window.state.effect, VOXEL)
    edit = opened(window, VOXEL, "2 s")
    QTest.keyClick(edit, K.Key_Return)
    assert "s is a time, and this is in m" in window.said.text() and field(window, VOXEL)._edit is edit
    QTest.mouseClick(window.sheet.title, LEFT)
    assert get(window.state.effect, VOXEL) == before and field(window, VOXEL)._edit is None
    assert "as it was" in window.said.text()
    QTest.keyClick(opened(window, VOXEL, "0.1 mm"), K.Key_Return)
    assert "goes no lower than 0.002 m" in window.said.text()
    window.undo()
    QTest.keyClick(opened(window, VOXEL, "25 cm"), K.Key_Return)
    assert get(window.state.effect, VOXEL) == 0.25


def test_what_has_the_keyboard_owns_its_keys(window: Window, qtbot: QtBot):
    number = field(window, LIFT)
    number.setFocus()
    QTest.keyClick(number, K.Key_2)
    assert window.station == "shape" and number._edit is not None and number._edit.text() == "2"
    QTest.keyClick(number._edit, K.Key_Escape)
    box = window.sheet.row("layers.puff.domain.flat").field
    box.setFocus()
    playing = window.tempo.playing
    QTest.keyClick(box, K.Key_Space)
    assert window.tempo.playing == playing and get(window.state.effect, "layers.puff.domain.flat")
    window.undo()
    window.stage.setFocus()
    QTest.keyClick(window.stage, K.Key_2)
    assert window.station == "look"
    QTest.keyClick(window.stage, K.Key_1)
    QTest.keyClick(window.stage, K.Key_Space)
    assert window.tempo.playing
    QTest.keyClick(window.stage, K.Key_Space)


def test_delete_removes_what_is_selected_and_says_so_but_not_in_a_line(window: Window, qtbot: QtBot):
    window.state.select("layers.puff.sources.source")
    before = window.state.effect
    window.stage.setFocus()
    QTest.keyClick(window.stage, K.Key_Delete)
    assert not window.state.effect.layers[0].sources
    assert "Source is removed" in window.said.text() or "is removed" in window.said.text()
    window.undo()
    assert window.state.effect is before
    edit = opened(window, LIFT, "12") if window.sheet.row(LIFT) else None
    if edit is None:
        window.state.select("layers.puff")
        edit = opened(window, LIFT, "12")
    QTest.keyClick(edit, K.Key_Delete)
    QTest.keyClick(edit, K.Key_Escape)
    assert window.state.effect is before
    until(qtbot, lambda: not window.stage.busy)
