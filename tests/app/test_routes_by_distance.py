"""Routes by distance in the window: compared, looked at, and taken by a click."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from drive import LEFT, pixels, until
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.board.routespage import RoutesPage, verdict
from tenka.app.state import State
from tenka.app.window import Window
from tenka.board.likeness import Likeness
from tenka.board.routing import Stood, Stretch
from tenka.board.variants import Tried
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import delivered_on
from tenka.effect.routes.base import EVERYWHERE


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> Window:
    file = tmp_path / "effect.tenka"
    storage.save(small_effect(), file)
    window = Window(State(FrameStore(tmp_path / "frames"), tmp_path / "journals"))
    window.ask_before_closing = lambda: "drop"
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    window.open(file)
    qtbot.waitUntil(lambda: all(window.state.status.stored[:12]), timeout=60_000)
    window.go_to("budget")
    QTest.mouseClick(window.budget.routes_tab, LEFT)
    return window


def stood(kind: str, distance: float, ms: float, flip: float) -> Stood:
    picture = np.full((40, 40, 3), 200 if kind == "volume" else 60, np.uint8)
    like = Likeness(flip, flip, 1.0, 0.0) if math.isfinite(flip) else None
    fault = "" if like else "a game solves it"
    stage = np.full((40, 40, 3), 120, np.uint8)
    return Stood(kind, distance, Tried({}, ms, 1.0, ms > 5, like, picture), ms, stage, fault)


FOUND = [
    stood("flipbook", 4.0, 1.0, 0.2),
    stood("flipbook", 16.0, 0.5, 0.01),
    stood("volume", 4.0, 2.0, 0.01),
    stood("volume", 16.0, 9.0, 0.01),
    stood("grid", 4.0, 1.0, math.nan),
]


def shown(page: RoutesPage) -> None:
    state = page.state
    page.work.stood, page.work.of = list(FOUND), (state.effect, state.tier.id, "puff")
    page._show()


def test_a_click_looks_at_a_picture_and_another_with_ctrl_is_held_against_it(window: Window, qtbot: QtBot):
    page = window.budget.routes
    shown(page)
    table = page.table
    qtbot.wait(30)
    for s, held in ((FOUND[0], False), (FOUND[2], True)):
        key = Qt.KeyboardModifier.ControlModifier if held else Qt.KeyboardModifier.NoModifier
        QTest.mouseClick(table, LEFT, key, table.cell(s).center().toPoint())
    assert page.one is FOUND[0] and page.other is FOUND[2]
    table.setFocus()
    QTest.keyClick(table, Qt.Key.Key_Right)
    assert page.one is FOUND[1] and page.other is None
    page.wipe.at = 0.5
    picture = pixels(page.wipe.grab().toImage())
    place = page.wipe._place()
    y = int(place.center().y())
    assert abs(picture[y, int(place.left()) + 6].mean() - 60) < 4  # the route
    assert abs(picture[y, int(place.right()) - 6].mean() - 120) < 4  # the stage
    # nobody is said to win whose likeness is not known
    assert "likeness not known" not in page.verdict.text()
    assert page.verdict.text().startswith("Volume to 8 m, flipbook beyond")


def test_a_verdict_says_where_none_is_within_the_budget():
    only = [Stretch("flipbook", 0.0, EVERYWHERE)]
    words = verdict(only, [stood("flipbook", 4.0, 9.0, 0.1), stood("flipbook", 16.0, 1.0, 0.1)])
    assert words.startswith("Flipbook wins at every distance.") and "At 4 m none" in words
    assert verdict([], []) == ""


def test_what_wins_is_taken_by_a_click_and_given_back_by_undo(window: Window, qtbot: QtBot):
    page, state = window.budget.routes, window.state
    shown(page)
    before = state.effect
    until(qtbot, page.takes.isEnabled)
    QTest.mouseClick(page.takes, LEFT)
    low = {
        d.route.kind: (d.route.seen_from, d.route.seen_to)
        for d in delivered_on(state.effect, state.tier.id).deliveries
    }
    assert low == {"volume": (0.0, 8.0), "flipbook": (8.0, EVERYWHERE)}
    qtbot.wait(150)
    assert not page.takes.isEnabled()  # it is of the effect as it was before
    window.undo()
    assert state.effect is before


def test_comparing_measures_all_routes_and_stops_at_once(window: Window, qtbot: QtBot):
    page = window.budget.routes
    QTest.mouseClick(page.start, LEFT)
    until(qtbot, lambda: len(page.work.stood) >= 2, 120_000)
    until(qtbot, lambda: page.start.text() == "Stop")
    QTest.mouseClick(page.start, LEFT)
    until(qtbot, lambda: not page.work.running and page.start.text() == "Compare")
    assert not page.work.problem
    first = page.work.stood[0]
    assert first.kind == "flipbook" and 0 < first.loss < 0.5
    assert page.fresh and page.takes.isEnabled()
