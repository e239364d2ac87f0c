"""The board in the window: savings are found and taken in five gestures, values are tried, two are wiped."""

from __future__ import annotations

from pathlib import Path

import pytest
from build import small_effect
from drive import LEFT, until
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.board.work import Point, front_of
from tenka.app.state import State
from tenka.app.window import Window
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import with_tier
from tenka.effect.lights import SceneLight
from tenka.effect.model import Tier

TIGHT = 0.05  # MB: the atlases of the effect take 0.12


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> Window:
    low = Tier(
        id="low", name="Low", device="satchel", distance=14.0, width=480, height=270, ms=50.0, mb=TIGHT
    )
    route = small_effect().deliveries[0].route.model_copy(update={"width": 256, "height": 256})
    book = small_effect().deliveries[0].model_copy(update={"route": route})
    file = tmp_path / "effect.tenka"
    storage.save(small_effect(tiers=(low,), deliveries=(book,)), file)
    window = Window(State(FrameStore(tmp_path / "frames"), tmp_path / "journals"))
    window.ask_before_closing = lambda: "drop"
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    window.open(file)
    qtbot.waitUntil(lambda: all(window.state.status.stored[:12]), timeout=60_000)
    return window


def test_from_over_budget_to_within_in_five_gestures(window: Window, qtbot: QtBot):
    state = window.state
    until(qtbot, lambda: state.ledger is not None and state.ledger.over)
    before = state.effect
    window.go_to("budget")  # 1
    QTest.mouseClick(window.budget.board_tab, LEFT)  # 2
    board = window.budget.board
    QTest.mouseClick(board.savings, LEFT)  # 3
    until(qtbot, lambda: board.work.foretold and board.one is not None, 60_000)
    assert board.one is not None and not board.one.over and board.one.foretold is not None
    until(qtbot, lambda: board.takes.isEnabled())
    QTest.mouseClick(board.takes, LEFT)  # 4
    assert state.effect is not before
    until(qtbot, lambda: state.ledger is not None and not state.ledger.over)
    assert not ledger(state.effect, "low").over
    window.undo()
    assert state.effect is before


def test_what_was_foretold_is_measured_and_told(window: Window, qtbot: QtBot):
    window.go_to("budget")
    board = window.budget.board
    QTest.mouseClick(window.budget.board_tab, LEFT)
    QTest.mouseClick(board.savings, LEFT)
    until(qtbot, lambda: bool(board.work.points) and not board.work.running, 180_000)
    points = [p for p in board.work.points if p.what]
    assert points and not board.work.problem and all(p.measured for p in board.work.points)
    qtbot.wait(150)
    assert "Foretold and measured differ by" in board.told.text()
    assert board.work.off()[1] < 0.2
    assert board.list.count() == len(points)
    # a point is chosen on the chart, and another to hold it against
    one, other = points[0], board.work.points[0]
    QTest.mouseClick(board.chart, LEFT, pos=board.chart.place_of(one).toPoint())
    place = board.chart.place_of(other).toPoint()
    QTest.mouseClick(board.chart, LEFT, Qt.KeyboardModifier.ControlModifier, place)
    assert board.other is not None and board.other.what != board.one.what
    assert board.one is not None and board.wipe.one is not None and board.wipe.other is not None
    half = board.wipe.at
    QTest.keyClick(board.wipe, Qt.Key.Key_Right)
    assert board.wipe.at > half
    picture = board.chart.grab().toImage()
    assert len({picture.pixel(x, y) for x in range(0, 400, 7) for y in range(0, 200, 7)}) > 4
    seen = set()  # points that lie on each other are reached one after another
    for _ in range(len(board.chart.points)):
        QTest.mouseClick(board.chart, LEFT, pos=board.chart.place_of(one).toPoint())
        seen.add(board.one.what)
    assert {p.what for p in board.chart._under(board.chart.place_of(one))} <= seen
    # filters
    board.which.setCurrentIndex(board.which.findData("within"))
    assert all(not p.over for p in board.shown if p.what)
    window.state.edit("deliveries.puff.route.width", 128)
    qtbot.wait(200)
    assert board.work.stale and "before its last change" in board.about.text()
    named = [board.which.itemText(n) for n in range(3, board.which.count())]
    assert named and all(text.startswith("Puff: ") for text in named), named
    # what is shown of a delivery that is gone is still shown
    window.state.apply(window.state.effect.model_copy(update={"deliveries": ()}), "Remove")
    qtbot.wait(200)
    assert board.work.stale and board.which.count() >= 3
    bare = window.state.effect
    board.choose(points[0])
    QTest.mouseClick(board.takes, LEFT)
    qtbot.wait(50)
    assert window.state.effect is bare and window.said.text(), "it cannot be taken, which is said"


def test_values_are_tried_and_one_is_taken(window: Window, qtbot: QtBot):
    window.go_to("budget")
    board = window.budget.board
    window.budget.show_part(1)
    qtbot.wait(100)
    rows = board.rows
    rows.setting.setCurrentIndex(rows.setting.findData("deliveries.puff.route.width"))
    assert "256" in rows.values.text()
    rows.values.setText("wide")
    QTest.mouseClick(rows.adds, LEFT)
    assert not rows.asked and "no number" in window.said.text()
    rows.values.setText("64, 128")
    QTest.keyClick(rows.values, Qt.Key.Key_Return)
    rows.setting.setCurrentIndex(rows.setting.findData("deliveries.puff.route.player.blend"))
    rows.values.setText("yes, no")
    QTest.mouseClick(rows.adds, LEFT)
    assert rows.count == 4 and "4 variants" in board.tries.text()
    QTest.mouseClick(board.tries, LEFT)
    until(qtbot, lambda: bool(board.work.points) and not board.work.running, 120_000)
    swept = [p for p in board.work.points if p.what]
    assert len(swept) == 4 and all(p.measured for p in swept)
    board.choose(swept[0])
    QTest.mouseClick(board.takes, LEFT)
    values = window.state.effect.tier("low").values
    assert values == dict(swept[0].values)
    board.tries.click()  # known by now, of another effect
    board.work.stop()
    assert not board.work.running


def test_a_run_is_stopped_at_once(window: Window, qtbot: QtBot):
    window.go_to("budget")
    board = window.budget.board
    window.budget.show_part(1)
    QTest.mouseClick(board.savings, LEFT)
    assert board.work.running
    qtbot.wait(300)
    QTest.mouseClick(board.savings, LEFT)
    assert not board.work.running
    count = len(board.work.points)
    qtbot.wait(1500)
    assert len(board.work.points) == count


def test_each_tier_has_a_board_of_its_own(window: Window, qtbot: QtBot):
    state = window.state
    state.apply(with_tier(state.effect, "low")[0], "Add a tier")
    other = state.effect.tiers[-1].id
    next(a for a in window.actions_.all if a.name == "Find savings on the board").call()
    board = window.budget.board
    assert board.work.running and window.budget.parts.currentWidget() is board
    until(qtbot, lambda: board.work.foretold, 60_000)
    assert board.work.points
    state.choose_tier(other)
    qtbot.wait(150)
    assert not board.work.points and not board.chart.points and board.list.count() == 0
    state.choose_tier("low")
    qtbot.wait(150)
    assert board.chart.points and not board.work.stale


def test_the_front_of_points():
    def at(what: str, ms: float, added: float, fault: str = "") -> Point:
        return Point(what, (), ms, 1.0, False, added, fault=fault)

    points = [at("a", 1, 0.3), at("b", 2, 0.1), at("c", 3, 0.2), at("d", 0.5, 0.0, "no")]
    assert [p.what for p in front_of(points, "ms")] == ["a", "b"]


def test_a_light_that_is_brought_along_is_among_the_savings_and_the_values_to_try(
    window: Window, qtbot: QtBot
):
    state = window.state
    lamp = SceneLight(id="lamp", name="Lamp", part_of="effect", position=(0.0, -0.4, 0.8), strength=6.0)
    lit = state.effect.model_copy(update={"lights": (lamp,)})
    bare, whole = ledger(state.effect, "low").ms, ledger(lit, "low").ms
    tier = state.effect.tiers[0].model_copy(update={"ms": 0.5 * (bare + whole), "mb": 50.0})
    state.apply(state.effect.model_copy(update={"lights": (lamp,), "tiers": (tier,)}), "Add")
    until(qtbot, lambda: state.ledger is not None and any(x.layer == "Lamp" for x in state.ledger.lines))
    assert state.ledger is not None and state.ledger.over
    window.go_to("budget")
    QTest.mouseClick(window.budget.board_tab, LEFT)
    board = window.budget.board
    texts = [board.rows.setting.itemText(n) for n in range(board.rows.setting.count())]
    assert "Lamp: reach" in texts and len(set(texts)) == len(texts)
    QTest.mouseClick(board.savings, LEFT)
    until(qtbot, lambda: board.work.foretold and board.one is not None and board.takes.isEnabled(), 120_000)
    assert not board.one.over
    QTest.mouseClick(board.takes, LEFT)
    until(qtbot, lambda: state.ledger is not None and not state.ledger.over)
    assert not board.work.running
    until(qtbot, lambda: board.savings.text() == "Find savings")
    own = state.effect.tiers[0]
    assert "lights.lamp.reach" in own.values or own.unlit == ("lamp",)
    assert state.effect.lights == (lamp,), "elsewhere it is as it was"


def test_what_is_taken_over_time_is_told_of_the_effect_that_was_counted(window: Window, qtbot: QtBot):
    """A ledger may be a little behind the document: a light that was taken away is still among its lines."""
    state = window.state
    lamp = SceneLight(id="lamp", name="Lamp", part_of="effect")
    state.apply(state.effect.model_copy(update={"lights": (lamp,)}), "Add")
    until(qtbot, lambda: state.ledger is not None and any(x.layer == "Lamp" for x in state.ledger.lines))
    until(qtbot, lambda: state.costing.now is not None and not state.status.running)
    for change in ((), (lamp, lamp.model_copy(update={"id": "other", "name": "Other"}))):
        state.document.effect = state.effect.model_copy(update={"lights": change})  # not counted yet
        state.costing._found.clear()
        assert state.costing.now is None
        state.costing._count_times()
        until(qtbot, lambda: state.costing.now is not None)
