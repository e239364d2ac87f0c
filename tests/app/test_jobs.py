"""Six jobs of an artist, from an empty window to what plays, by the gestures of a hand, each counted: a
click, a drag, a value that is typed, a file that is dropped, keys pressed together."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from drive import LEFT, until
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QMenu, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from tenka.app.dropped import take_file
from tenka.app.window import Window
from tenka.demo import FOLDER
from tenka.effect.document import get

CTRL = Qt.KeyboardModifier.ControlModifier
PROPS = FOLDER / "props"


class Hand:
    """Works a window and counts."""

    def __init__(self, qtbot: QtBot, window: Window) -> None:
        self.qtbot, self.window, self.count = qtbot, window, 0

    @property
    def state(self):  # type: ignore[no-untyped-def]
        return self.window.state

    def keys(self, key: Qt.Key, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        self.count += 1
        QTest.keyClick(self.window.focusWidget() or self.window, key, held)

    def click(self, button: QWidget) -> None:
        assert button.isVisible() and button.isEnabled(), button
        self.count += 1
        QTest.mouseClick(button, LEFT)

    def choose(self, menu: QMenu, text: str) -> None:
        """Open a menu and choose from it."""
        self.count += 2
        menu.aboutToShow.emit()
        next(a for a in menu.actions() if a.text().startswith(text)).trigger()

    def row(self, name: str):  # type: ignore[no-untyped-def]
        row = self.window.sheet.row(f"{self.state.selection}.{name}")
        assert row is not None, name
        return row

    def type(self, name: str, text: str, part: int | None = None) -> None:
        """Type a value of what is selected."""
        self.count += 1
        field = self.row(name).field
        field = field if part is None else field.fields[part]
        field.type_in(text)
        QTest.keyClick(field._edit, Qt.Key.Key_Return)

    def drop(self, file: Path) -> None:
        self.count += 1
        take_file(self.window, file)

    def draw(self, name: str, places: list[tuple[float, float, float]]) -> None:
        """Draw a path or a curve on the stage: its button, a click for each point, Enter."""
        button = next(b for b in self.row(name).findChildren(QToolButton) if "stage" in b.toolTip())
        self.click(button)
        for place in places:
            x, y, _ = self.window.stage.view().project(np.array([place]))[0]
            self.count += 1
            QTest.mouseClick(self.window.stage, LEFT, pos=QPoint(round(x), round(y)))
        self.count += 1
        QTest.keyClick(self.window.stage, Qt.Key.Key_Return)

    def foot(self, text: str) -> QAbstractButton:
        """A button under the rows of the sheet."""
        assert self.window.sheet.rows
        return next(
            b for b in self.window.sheet.findChildren(QAbstractButton) if b.text() == text and b.isVisible()
        )

    def play(self) -> None:
        """Let it play; it is stopped again without being counted."""
        self.keys(Qt.Key.Key_Space)
        assert self.window.tempo.playing
        self.window.tempo.set_playing(False)

    def burns(self) -> bool:
        """Whether flames are seen at the last frame of a coarse and short run."""
        self.light()
        return bool(self.field(11)["flame"].max() > 0.02)

    def new(self) -> None:
        self.keys(Qt.Key.Key_N, CTRL)
        self.window.leave_start()

    def light(self, seconds: float = 0.5, voxels: int = 26) -> None:
        """Not counted: coarse and short, so that the test is quick."""
        self.state.edit("seconds", seconds)
        for gas in self.state.effect.gases:
            self.state.edit(f"layers.{gas.id}.domain.voxel", max(gas.domain.size) / voxels)
            self.state.edit(f"layers.{gas.id}.domain.run_up", 0.3)
        assert self.state.session.wait_until_stored(120)

    def field(self, frame: int) -> dict[str, np.ndarray]:
        """The first gas at a frame."""
        found = self.state.session.frame(frame)
        assert found is not None
        gas = found.frames[self.state.effect.gases[0].id]
        flame = gas.flame if gas.flame is not None else np.zeros(1)
        return {"density": np.asarray(gas.density), "flame": np.asarray(flame)}


@pytest.fixture
def hand(qtbot: QtBot, window: Window) -> Hand:
    return Hand(qtbot, window)


def test_fire_on_a_skinned_figure(hand: Hand) -> None:
    hand.new()
    hand.drop(PROPS / "canvas.glb")  # a skinned mesh with a clip: it plays at once
    prop = get(hand.state.effect, hand.state.selection)
    assert prop.clip == "flap"
    hand.click(hand.foot("Set on fire"))
    hand.play()
    assert hand.burns()
    assert hand.count == 4  # 52 before


def test_fire_on_a_moving_cart(hand: Hand) -> None:
    hand.new()
    hand.drop(PROPS / "crate.glb")
    cart = hand.state.selection
    hand.draw("path", [(-1.5, 0.0, 0.0), (0.0, 0.4, 0.0), (1.5, 0.0, 0.0)])
    hand.click(hand.row("faces_path").field)
    hand.click(hand.foot("Set on fire"))
    hand.play()
    prop, gas = get(hand.state.effect, cart), hand.state.effect.gases[0]
    assert len(prop.path) == 3 and prop.faces_path and prop.travel.at(10.0) == 1.0
    low, high = np.array(gas.domain.origin), np.array(gas.domain.origin) + gas.domain.size
    assert low[0] < -1.5 and high[0] > 1.5  # all the way
    assert hand.burns()
    assert hand.count == 10  # 84 before


def test_an_object_through_smoke_with_its_final_run(hand: Hand, qtbot: QtBot) -> None:
    hand.new()
    hand.click(hand.window.tray.buttons["Plume"])
    hand.choose(hand.window.tray.prop_menu, "Ball")
    ball = hand.state.selection
    hand.draw("path", [(-0.8, 0.0, 0.0), (0.8, 0.0, 0.0)])
    hand.click(hand.window.tray.buttons["Block"])
    hand.light(0.25, 20)
    gas = hand.state.effect.gases[0]
    assert gas.colliders[0].prop == ball.split(".")[1] and hand.field(5)["density"].max() > 0
    hand.click(hand.window.tempo.final.button)
    until(qtbot, lambda: not hand.window.tempo.final.run.running, 120_000)
    assert hand.window.tempo.final.run.made == hand.state.effect.frames
    hand.count += 2  # the list beside, and "Wipe" in it
    hand.window.tempo.final.show_beside("wipe", "final")
    until(qtbot, lambda: hand.window.stage.final_image is not None)
    assert hand.count == 12  # 73 before


def test_a_burning_heap(hand: Hand, qtbot: QtBot) -> None:
    hand.new()
    hand.choose(hand.window.tray.prop_menu, "Box")
    prop = hand.state.selection
    for axis in range(3):
        hand.type("size", "30 cm", axis)
    hand.type("copies", "12")
    hand.click(hand.foot("Drop them"))
    until(qtbot, lambda: len(get(hand.state.effect, prop).lies) == 12, 60_000)
    hand.click(hand.foot("Set on fire"))
    hand.play()
    assert hand.burns()
    assert hand.count == 10  # 47 before, and unfinished


def test_a_whirl(hand: Hand) -> None:
    hand.new()
    hand.click(hand.window.tray.buttons["Plume"])
    hand.click(hand.window.tray.buttons["Swirl"])
    swirl = hand.state.selection
    for name, value in (("reach", "1.5"), ("spin", "2"), ("pull", "1"), ("lift", "1.5"), ("wander", "0.2")):
        hand.type(name, value)
    hand.choose(hand.window.tray.layer_menu, "Dust")
    hand.play()
    assert get(hand.state.effect, swirl).spin == 2.0 and len(hand.state.effect.layers) == 2
    hand.light(0.25, 20)
    assert hand.field(5)["density"].max() > 0
    assert hand.count == 11  # 84 before


def test_a_torch_in_the_wind_from_nothing(hand: Hand) -> None:
    hand.new()
    hand.choose(hand.window.tray.prop_menu, "Cylinder")
    for axis, length in enumerate(("10 cm", "10 cm", "1.2 m")):
        hand.type("size", length, axis)
    hand.click(hand.foot("Set on fire"))
    hand.type("part_low", "0.8")  # its head alone
    hand.click(hand.window.tray.buttons["Wind"])
    hand.type("speed", "3")
    hand.play()
    hand.light(0.5, 40)
    assert hand.field(11)["flame"].max() > 0.02
    assert hand.count == 11  # 63 before
