"""Whole jobs by the gestures of a hand in the real window, in small: coarse, short, with what must be true at
the end. `python -m bench.jobs` does them in full."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from bench.jobs import jobs
from bench.jobs.hand import Hand
from tenka.app import theme
from tenka.app.state import State
from tenka.app.window import Window
from tenka.cache.store import FrameStore

JOBS = jobs()


@pytest.fixture
def hand(qtbot: QtBot, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Hand]:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    theme.apply(app)
    window = Window(State(FrameStore(tmp_path / "frames"), tmp_path / "journal"))
    window.ask_before_closing = lambda: "drop"
    window.resize(1280, 800)
    window.show()
    window.activateWindow()
    hand = Hand(window, tmp_path / "job.tenka", small=True)
    hand.until(window.isActiveWindow, "the window", 20)
    yield hand
    window.close()
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


@pytest.mark.parametrize("number", sorted(JOBS))
def test_a_whole_job(number: int, hand: Hand) -> None:
    job = JOBS[number]
    job.do(hand)
    told = job.holds(hand)
    assert hand.count > 10 and hand.packages and all(told.values())
    assert not hand.state.document.unsaved
