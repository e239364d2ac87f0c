"""Final pictures from the window: told before, drawn in the background, stopped at once."""

from __future__ import annotations

from pathlib import Path

import av
import pytest
from drive import until
from pytestqt.qtbot import QtBot

from tenka.app.dialogs.filming import Filming
from tenka.app.window import Window


@pytest.fixture
def asking(window: Window, qtbot: QtBot) -> Filming:
    act = next(a for a in window.actions_.all if a.name == "Final pictures and movies")
    act.call()
    found = window.stage.filming
    assert found is not None
    found.large.setCurrentIndex(0)
    found.quiet.setCurrentIndex(0)
    return found


def test_what_will_be_drawn_is_told_and_follows_the_fields(asking: Filming):
    assert "12 pictures of 640 × 400" in asking.told.text() and "about" in asking.told.text()
    asking.first.show_value(3.0)
    asking.refresh()
    assert "10 pictures" in asking.told.text()
    asking.kind.setCurrentIndex(asking.kind.findData(".exr"))
    assert "MB" in asking.told.text()


def test_a_movie_is_written_and_said(asking: Filming, qtbot: QtBot, tmp_path: Path):
    file = tmp_path / "film.mp4"
    asking.write(file)
    until(qtbot, lambda: asking.progress is None, 60_000)
    assert asking.said.text().startswith("Wrote film.mp4")
    with av.open(str(file)) as container:
        assert sum(1 for _ in container.decode(video=0)) == 12


def test_stopping_leaves_no_movie_and_says_so(asking: Filming, qtbot: QtBot, tmp_path: Path):
    asking.large.setCurrentIndex(3)
    asking.write(tmp_path / "film.webm")
    assert asking.button.text() == "Stop"
    asking.button.click()
    until(qtbot, lambda: asking.progress is None, 30_000)
    assert "Stopped" in asking.said.text() and not list(tmp_path.glob("*film*"))
    asking.write(tmp_path / "no" / "film.mp4")
    until(qtbot, lambda: asking.progress is None, 30_000)
    assert "cannot be written" in asking.said.text()
