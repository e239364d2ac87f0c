"""A table of measured times that is dropped: a profile is fitted, shown, kept, and weighs the tier."""

from __future__ import annotations

from pathlib import Path

import pytest
from drive import LEFT, until
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.dialogs.calibration import Calibration
from tenka.app.window import Window
from tenka.budget.calibrating import COLUMNS
from tenka.budget.devices import read_again

FILL = 2.0  # Gpx/s of the made-up device, of 4 bytes: its pictures have 8
CALL = 0.03  # ms


@pytest.fixture
def profiles(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    place = tmp_path / "profiles"
    monkeypatch.setattr("tenka.budget.devices.own_profiles", lambda: place)
    monkeypatch.setattr("tenka.budget.calibrating.own_profiles", lambda: place)
    read_again()
    yield place
    read_again()


def table(file: Path) -> Path:
    rows = [",".join(COLUMNS)]
    for step in (0, 1, 2, 4, 8, 16):
        covered = 50_000 * step
        ms = 0.5 + (covered * 2.0 / (FILL * 1e6) + CALL if step else 0.0)
        rows.append(f"smoke,flipbook,count,{step},{1 if step else 0},{covered},640,360,{ms:.5f}")
    file.write_text("\n".join(rows) + "\n")
    return file


def drop(window: Window, file: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(file))])
    event = QDropEvent(
        QPointF(300, 300),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    window.dropEvent(event)


def dialog_of(window: Window) -> Calibration | None:
    return next((d for d in window.findChildren(Calibration) if d.isVisible()), None)


def test_a_dropped_table_of_times_becomes_the_tiers_device(
    window: Window, qtbot: QtBot, tmp_path: Path, profiles: Path
):
    state = window.state
    tier, was = state.tier, state.tier.device
    until(qtbot, lambda: state.ledger is not None)
    drop(window, table(tmp_path / "Yard Tablet 3.csv"))
    dialog = dialog_of(window)
    assert dialog is not None and dialog.name.text() == "yard-tablet-3"
    made = dialog.fit.device
    assert dialog.fit.off < 0.02
    assert made.fill_gpixel_s == pytest.approx(FILL, rel=0.02) and "fill" in dialog.fit.bound
    for wrong in ("", "Yard", "satchel", "9lives"):
        dialog.name.setText(wrong)
        assert not dialog.keep.isEnabled()
    dialog.name.setText("yard")
    QTest.mouseClick(dialog.keep, LEFT)
    assert (profiles / "yard.json").is_file() and state.tier.device == "yard"
    until(qtbot, lambda: state.ledger is not None and state.ledger.device.id == "yard")
    assert "Yard Tablet 3.csv" in state.ledger.calibration
    window.undo()
    assert state.tier.id == tier.id and state.tier.device == was


def test_a_table_that_cannot_be_fitted_is_refused_in_a_sentence(
    window: Window, qtbot: QtBot, tmp_path: Path, profiles: Path
):
    before, said = window.state.effect, []
    window.state.refused.connect(said.append)
    broken = tmp_path / "broken.csv"
    broken.write_text(",".join(COLUMNS) + "\nsmoke,flipbook,count,one,1,1,1,1,1\n")
    drop(window, broken)
    assert dialog_of(window) is None and len(said) == 1 and "\n" not in said[0]
    points = tmp_path / "points.csv"
    points.write_text("x,y,z\n0,0,0\n")
    drop(window, points)  # it is of points, and goes its own way
    assert dialog_of(window) is None
    assert window.state.effect is before and not profiles.exists()
