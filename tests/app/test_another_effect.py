"""Another effect is open: nothing of the one before is shown, played or written over."""

from __future__ import annotations

from pathlib import Path

import pytest
import trimesh
from build import small_effect
from drive import field, settle, until
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.dropped import take_file
from tenka.app.window import Window
from tenka.effect import storage
from tenka.effect.courses import Keys
from tenka.effect.document import get
from tenka.effect.starters import STARTERS, empty
from tenka.package.manifest import MANIFEST

K = Qt.Key
LIFT = "layers.puff.motion.lift"


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A home folder with nothing in it."""
    place = tmp_path / "home"
    place.mkdir()
    monkeypatch.setenv("HOME", str(place))
    return place


def packed_here(window: Window, qtbot: QtBot) -> Path:
    window.go_to("pack")
    window.pack.start()
    until(qtbot, lambda: window.state.package is not None and window.pack.progress is None, 90_000)
    assert window.state.package is not None
    return window.state.package


def test_proof_lets_go_of_the_package_of_the_effect_before(window: Window, qtbot: QtBot, tmp_path: Path):
    packed_here(window, qtbot)
    window.go_to("proof")
    proof = window.proof
    until(qtbot, lambda: proof.package is not None and proof.screen_.counts is not None)
    proof.bar.copies.show_value(5)
    proof.bar.heat.setChecked(True)
    proof.show_time(614.0)
    until(qtbot, lambda: proof.bar.clock.text().startswith("614"))
    other = tmp_path / "other.tenka"
    storage.save(small_effect(name="Other"), other)
    assert window.open(other)
    assert proof.package is None and proof.performance is None and proof.screen_.image is None
    assert proof.screen_.counts is None and not proof.bar.heat.isChecked() and proof.bar.copies.value == 1
    assert proof.bar.clock.text() == "" and not proof.bar.levers.sliders
    qtbot.wait(400)  # a picture that was on its way comes too late
    assert proof.screen_.image is None and "no package yet" in proof.screen_.words
    own = packed_here(window, qtbot)
    window.go_to("proof")
    until(qtbot, lambda: proof.package is not None and proof.screen_.image is not None)
    assert proof.package is not None and proof.package.folder == own
    assert proof.package.manifest.effect == "Other" and proof._at < 60.0


def test_the_stage_shows_no_picture_of_the_effect_before(window: Window, qtbot: QtBot):
    settle(qtbot, window)
    assert window.stage.image is not None and window.stage.shown is not None
    window.stage.redraw(1)  # on its way while another effect is opened
    window.new()
    assert window.stage.image is None and window.stage.shown is None
    window.tray.begin("Fireball")
    window.leave_start()
    assert window.stage.shown is None
    until(qtbot, lambda: window.stage.image is not None)
    shown = window.stage.shown
    assert shown is None or set(shown.frames) <= {layer.id for layer in window.state.effect.layers}
    assert window.stage.stands_in == "" or "other settings" not in window.stage.stands_in


def test_a_mesh_that_is_dropped_on_the_start_page_is_seen_on_the_stage(
    window: Window, qtbot: QtBot, tmp_path: Path
):
    window.new()
    assert window.views.currentWidget() is window.start
    trimesh.creation.box((1, 1, 1)).export(tmp_path / "crate.obj")
    take_file(window, tmp_path / "crate.obj")
    assert [p.name for p in window.state.effect.props if p.shape == "mesh"] == ["crate"]
    assert window.views.currentWidget() is window.stage


def test_effects_without_a_file_are_packed_into_folders_of_their_own(
    window: Window, qtbot: QtBot, home: Path
):
    places = []
    for _ in range(2):
        window.new()
        window.state.apply(small_effect(name="untitled"), "Begin")
        until(qtbot, lambda: window.state.ready and all(window.state.status.stored), 60_000)
        window.go_to("pack")
        until(qtbot, lambda: window.state.package_folder.name in window.pack.where.text())
        places.append(packed_here(window, qtbot))
        assert places[-1] == window.state.package_folder  # the next pack replaces its own
    assert places[0] != places[1] and all((place / MANIFEST).is_file() for place in places)
    assert all(place.is_relative_to(home) for place in places)


def test_pack_names_the_folder_of_the_effect_that_is_open(window: Window, qtbot: QtBot, home: Path):
    window.go_to("pack")
    qtbot.wait(300)
    before = window.pack.where.text()
    window.new()
    until(qtbot, lambda: window.pack.where.text() != before)
    assert "small" not in window.pack.where.text()


def keys_of(window: Window) -> Keys:
    value = get(window.state.effect, LIFT)
    assert isinstance(value, Keys)
    return value


def test_a_value_that_is_typed_at_a_time_sets_a_key_there_even_if_the_course_has_it_already(
    window: Window, qtbot: QtBot
):
    rate = window.state.effect.rate
    window.state.edit(LIFT, Keys(keys=({"t": 0.0, "v": 1.0}, {"t": 6 / rate, "v": 1.0})))
    for frame in (2, 4, 9):
        window.state.go(frame)
        number = field(window, LIFT)
        number.setFocus()
        QTest.keyClicks(number, "1")
        QTest.keyClick(number._edit, K.Key_Return)
    assert [round(k.t * rate) for k in keys_of(window).keys] == [0, 2, 4, 6, 9]
    number = field(window, LIFT)
    before = window.state.effect
    number.type_in()
    QTest.keyClick(number._edit, K.Key_Return)  # opened and shut again: nothing was typed
    assert window.state.effect is before


@pytest.mark.parametrize("name", STARTERS)
def test_a_starting_point_takes_on_the_length_that_was_set_before(name: str):
    for seconds in (2.5, 2.7, 9.0):
        begun = STARTERS[name](empty(), seconds)
        assert begun.seconds == seconds
        assert all(d.route.first <= d.route.last <= seconds for d in begun.deliveries)
        added = STARTERS[name].added(begun)
        assert added.seconds == seconds and all(d.route.last <= seconds for d in added.deliveries)


def test_a_length_that_was_typed_outlives_the_button_that_begins(window: Window, qtbot: QtBot):
    window.new()
    window.tray.begin("Fireball")
    usual = window.state.effect.seconds
    window.tray.begin("Plume")
    assert window.state.effect.seconds != usual  # nobody set it: it is as long as what is begun with
    window.state.edit("seconds", usual)  # a length that a starting point has too
    window.tray.begin("Plume")
    assert window.state.effect.seconds == usual
    assert all(d.route.last <= usual for d in window.state.effect.deliveries)


def test_all_tiers_of_an_untitled_effect_leave_those_of_another_whole(
    window: Window, qtbot: QtBot, home: Path
):
    there = home / "tenka_packages" / "untitled_1_package_low"
    there.mkdir(parents=True)
    window.new()
    assert window.state.package_folder.name == "untitled_2_package"
