"""Copies that are dropped in the window: by a button, as one edit, stopped, scattered again."""

from __future__ import annotations

from drive import LEFT, until
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.sheet.heapfoot import HeapFoot
from tenka.app.window import Window
from tenka.effect.document import get


def foot_of(window: Window) -> HeapFoot:
    return next(foot for part in window.sheet.parts for foot in part.feet if isinstance(foot, HeapFoot))


def test_copies_fall_are_undone_and_scattered_again(window: Window, qtbot: QtBot):
    state = window.state
    state.edit("props.box.copies", 6)
    state.edit("props.box.size", (0.3, 0.2, 0.2))
    state.select("props.box")
    qtbot.wait(30)
    foot = foot_of(window)
    assert foot.isVisible() and not foot.scatters.isEnabled()
    before = state.effect
    QTest.mouseClick(foot.drops, LEFT)
    assert foot.drops.text() == "Stop"
    until(qtbot, lambda: len(get(state.effect, "props.box.lies")) == 6, 60_000)
    qtbot.wait(50)
    foot = foot_of(window)
    assert foot.drops.text() == "Drop them" and "6 of 6 lie as they fell" in foot.told.text()
    lies = get(state.effect, "props.box.lies")
    window.undo()
    assert state.effect is before
    window.redo()
    assert get(state.effect, "props.box.lies") == lies
    QTest.mouseClick(foot_of(window).scatters, LEFT)
    assert get(state.effect, "props.box.lies") == ()


def test_a_drop_is_stopped_and_changes_nothing(window: Window, qtbot: QtBot):
    state = window.state
    state.edit("props.box.copies", 300)
    state.edit("props.box.size", (0.3, 0.2, 0.2))
    state.select("props.box")
    qtbot.wait(30)
    before = state.effect
    QTest.mouseClick(foot_of(window).drops, LEFT)
    qtbot.wait(50)
    QTest.mouseClick(foot_of(window).drops, LEFT)
    until(qtbot, lambda: not state.dropper.busy)
    qtbot.wait(30)
    assert state.effect is before and foot_of(window).drops.text() == "Drop them"


def test_too_many_are_told_in_a_sentence(window: Window, qtbot: QtBot):
    state = window.state
    state.edit("props.box.copies", 2000)
    state.edit("props.box.heap", "pile")
    other = get(state.effect, "props.box").model_copy(update={"id": "more", "name": "More"})
    state.apply(state.effect.model_copy(update={"props": (*state.effect.props, other)}), "Add")
    state.select("props.box")
    qtbot.wait(30)
    QTest.mouseClick(foot_of(window).drops, LEFT)
    assert "4,000 copies" in window.said.text()
