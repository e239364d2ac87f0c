"""A window on the small effect, simulated and drawn."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from pathlib import Path

import pytest
from build import small_effect
from drive import settle, until
from PyQt6.QtCore import QEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tenka.app import theme
from tenka.app.state import State
from tenka.app.window import Window
from tenka.cache.store import FrameStore
from tenka.effect import storage


@pytest.fixture(scope="module")
def shared_frames(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("frames")


@pytest.fixture(scope="session")
def frozen() -> None:
    """What is there now stays out of collections: they take a tenth of the time."""
    gc.collect()
    gc.freeze()


@pytest.fixture
def window(
    qtbot: QtBot, tmp_path: Path, shared_frames: Path, frozen: None, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Window]:
    """A window on the small effect, simulated and drawn; its pictures take two passes, which is quicker."""
    monkeypatch.setattr("tenka.app.stage.drawn.PASSES", 2)
    gc.collect()  # the last one is in cycles, and its arrays are large
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    theme.apply(app)
    file = tmp_path / "small.tenka"
    storage.save(small_effect(), file)
    window = Window(State(FrameStore(shared_frames), tmp_path / "journal"))
    window.ask_before_closing = lambda: "drop"
    assert window.open(file)
    window.resize(1280, 800)
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    until(qtbot, window.isActiveWindow)
    until(
        qtbot,
        lambda: (
            all(window.state.status.stored)
            and len(window.state.status.stored) == 12
            and bool(window.state.ledgers)
        ),
    )
    settle(qtbot, window)
    yield window
    window.ask_before_closing = lambda: "drop"
    window.close()
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
