"""What is kept of simulations, in the window, and sub-steps held against each other."""

from __future__ import annotations

from drive import LEFT, until
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.dialogs.kept import Kept, show_kept
from tenka.app.dialogs.stepping import show_steps
from tenka.app.window import Window
from tenka.run.holdings import EARLIER, NOW
from tenka.run.plans import plans_of


def opened(window: Window, qtbot: QtBot) -> Kept:
    dialog = show_kept(window.state, window)
    until(qtbot, lambda: bool(dialog.found))
    return dialog


def rows(dialog: Kept) -> dict[str, str]:
    found = {}
    for n in range(dialog.tree.topLevelItemCount()):
        top = dialog.tree.topLevelItem(n)
        for k in range(top.childCount()):
            found[top.child(k).text(0)] = top.child(k).text(1)
    return found


def test_what_is_kept_is_shown_and_what_nobody_needs_is_removed(window: Window, qtbot: QtBot):
    state = window.state
    state.edit("layers.puff.motion.drag", 0.7)
    plan = plans_of(state.effect, state.folder)["puff"]
    until(qtbot, lambda: not state.status.running and all(plan.stored(state.store)), 60_000)
    dialog = opened(window, qtbot)
    mine = next(h for h in dialog.found if h.owner == state.store.owner)
    assert mine.owner == str(state.document.file.resolve())
    assert len(mine.parts[NOW].names) >= state.effect.frames and mine.parts[EARLIER].names
    assert {NOW, EARLIER} <= set(rows(dialog))
    assert "12 of 12 frames stored" in dialog.again.text()
    before = set(mine.parts[NOW].names)
    QTest.mouseClick(dialog.cleans, LEFT)
    until(qtbot, lambda: all(EARLIER not in h.parts for h in dialog.found if h.owner == state.store.owner))
    left = {name for name, _, _ in state.store.files()}
    assert before <= left and all(state.status.stored)
    dialog.close()


def test_frames_that_were_removed_are_simulated_again(window: Window, qtbot: QtBot):
    state = window.state
    dialog = opened(window, qtbot)
    assert not dialog.removes.isEnabled()
    dialog.tree.selectAll()
    assert dialog.removes.isEnabled()
    frames = [state.session.plan("puff").name(f) for f in range(state.effect.frames)]
    marks = {name: (state.store.folder / name).stat().st_mtime_ns for name in frames}
    QTest.mouseClick(dialog.removes, LEFT)
    until(
        qtbot,
        lambda: all(
            (state.store.folder / n).exists() and (state.store.folder / n).stat().st_mtime_ns != marks[n]
            for n in frames
        ),
        60_000,
    )
    dialog.close()


def test_it_is_found_by_its_words(window: Window, qtbot: QtBot):
    window.finder.open()
    window.finder.line.setText("cache")
    qtbot.wait(50)
    act = next(a for a in window.actions_.all if "cache" in a.words)
    assert act.name == "What is kept of simulations"
    window.finder.close()
    act.call()
    dialog = next(d for d in window.findChildren(Kept) if d.isVisible())
    until(qtbot, lambda: bool(dialog.found))
    dialog.close()


def test_sub_steps_are_compared_beside_the_effect_and_stopped(window: Window, qtbot: QtBot):
    state, before = window.state, window.state.effect
    dialog = show_steps(state, window)
    until(qtbot, lambda: dialog.found is not None, 60_000)
    names = [dialog.table.topLevelItem(n).text(1) for n in range(dialog.table.topLevelItemCount())]
    assert "Where smoke is" in names and "of the smoke is elsewhere" in dialog.told.text()
    assert state.effect is before and dialog.button.text() == "Compare"
    dialog.many.setValue(32)
    dialog.few.setValue(31)
    QTest.mouseClick(dialog.button, LEFT)
    assert dialog.button.text() == "Stop"
    QTest.mouseClick(dialog.button, LEFT)
    until(qtbot, lambda: dialog.progress is None)
    assert dialog.told.text() == "Stopped."
    dialog.few.setValue(32)
    assert not dialog.button.isEnabled()  # few must be fewer
    dialog.close()
