"""The real window, driven as a hand would: what it does to the document and to the picture."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from drive import LEFT, drag, field, pixels, settle, until, wheel
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QMenu
from pytestqt.qtbot import QtBot

from tenka.app import theme
from tenka.app.sheet.fields import NumberField, shown
from tenka.app.sheet.ramps import RampField
from tenka.app.stage.painting import hint_of
from tenka.app.state import State
from tenka.app.window import Window
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.courses import Keys, Wave
from tenka.effect.document import get, replaced
from tenka.effect.model import DomainBox
from tenka.gas import solver

LIFT = "layers.puff.motion.lift"


# --- opening, looking -----------------------------------------------------------------------------


def test_opening_shows_the_plume_the_rows_and_the_ledger(window: Window):
    assert window.name.text() == "Small"
    assert pixels(window.stage.image).std() > 10
    assert window.stage.shown is not None and window.stage.shown.frame.shape == (10, 10, 10)
    assert [line.name for line in window.tempo.rows.lines()] == [
        "Puff",
        "Source",
        "Forces (2)",
        "Props (1)",
        "Cost on Mid",
        "Measures",
    ]
    assert window.state.ledger is not None and window.state.ledger.ms > 0
    assert window.state.status.of("puff").step_parts["velocity"] > 0


def test_a_bad_file_is_said_and_what_was_open_stays(window: Window, tmp_path: Path):
    (tmp_path / "bad.tenka").write_text("{")
    before = window.state.effect
    assert not window.open(tmp_path / "bad.tenka")
    assert window.state.effect is before
    assert window.notice.isVisible() and "not JSON" in window.notice.text.text()


def test_orbit_pan_zoom_and_framing_change_the_picture_and_not_the_document(window: Window, qtbot: QtBot):
    stage, before = window.stage, window.state.effect
    for act in (
        lambda: drag(stage, QPoint(300, 250), QPoint(380, 270)),
        lambda: drag(stage, QPoint(300, 250), QPoint(350, 220), held=Qt.KeyboardModifier.ShiftModifier),
        lambda: wheel(stage, 240),
        lambda: QTest.keyClick(window, Qt.Key.Key_F),
    ):
        picture, camera = pixels(stage.image), stage.camera
        act()
        settle(qtbot, window)
        assert stage.camera != camera and np.abs(pixels(stage.image) - picture).mean() > 0.5
    assert window.state.effect is before


def test_turning_the_light_by_drag_moves_shadows_simulates_nothing_and_undoes_as_one(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
):
    QTest.keyClick(window, Qt.Key.Key_2)
    assert window.station == "look" and window.stage.turning_light
    settle(qtbot, window)
    monkeypatch.setattr(solver, "step", lambda *_: pytest.fail("it simulated"))
    before, picture = window.state.effect, pixels(window.stage.image)
    drag(window.stage, QPoint(300, 250), QPoint(420, 230))
    settle(qtbot, window)
    light = window.state.effect.light
    assert light.heading == pytest.approx(before.light.heading + 60) and light.height > before.light.height
    assert np.abs(pixels(window.stage.image) - picture).mean() > 1.0
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.state.effect is before


def test_the_probe_reads_values_with_units_under_the_pointer(window: Window, qtbot: QtBot):
    window.stage.frame_selected()
    settle(qtbot, window)
    QTest.mouseMove(window.stage, QPoint(5, 5))
    x, y, _ = window.stage.view().project(np.array([[0.0, 0.0, 0.5]]))[0]
    QTest.mouseMove(window.stage, QPoint(int(x), int(y)))
    until(qtbot, lambda: "density" in window.stage._probe)
    assert all(unit in window.stage._probe for unit in (" K", " m/s", " m"))


# --- time -----------------------------------------------------------------------------------------


def test_scrubbing_opens_stored_frames_back_and_forth_without_simulating(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setattr(solver, "step", lambda *_: pytest.fail("it simulated"))
    rows = window.tempo.rows
    pictures = {}
    for f in (2, 10, 5, 2, 11, 0, 10):
        x = rows.axis().left() + (f + 0.5) / 12 * rows.axis().width()
        QTest.mousePress(rows, LEFT, pos=QPoint(int(x), 8))
        QTest.mouseRelease(rows, LEFT, pos=QPoint(int(x), 8))
        settle(qtbot, window)
        assert window.state.frame == f and window.stage.shown is not None and window.stage.shown.index == f
        picture = pixels(window.stage.image)
        if f in pictures:
            np.testing.assert_array_equal(picture, pictures[f])
        pictures[f] = picture
    assert np.abs(pictures[2] - pictures[10]).max() > 10


def test_play_goes_through_the_frames_and_round_and_stops(window: Window, qtbot: QtBot):
    seen: list[int] = []
    window.state.moved.connect(seen.append)
    window.tempo.mode.setChecked(True)
    QTest.keyClick(window, Qt.Key.Key_Space)
    assert window.tempo.playing
    until(qtbot, lambda: len(seen) > 14)
    QTest.keyClick(window, Qt.Key.Key_Space)
    assert not window.tempo.playing
    steps = {(b - a) % 12 for a, b in zip(seen, seen[1:])}
    assert steps == {1} and 0 in seen and "frames a second" not in window.tempo.pace.text()
    qtbot.wait(60)
    count = len(seen)
    qtbot.wait(150)
    assert len(seen) == count


def test_keys_step_and_jump(window: Window):
    for key, frame in (
        (Qt.Key.Key_End, 11),
        (Qt.Key.Key_Comma, 10),
        (Qt.Key.Key_Home, 0),
        (Qt.Key.Key_Period, 1),
    ):
        QTest.keyClick(window, key)
        assert window.state.frame == frame


def test_a_value_dragged_while_playing_shows_loose_frames_and_a_clean_run_takes_over(
    window: Window, qtbot: QtBot
):
    window.state.select("forces.wind")
    window.tempo.mode.setChecked(True)
    window.tempo.set_playing(True)
    until(qtbot, lambda: window.state.frame == 3)
    target = field(window, "forces.wind.speed")
    loose: list[int] = []
    window.stage.drawn.connect(
        lambda d: loose.append(d.shown.index) if d.shown is not None and d.shown.loose else None
    )
    drag(target, QPoint(20, 10), QPoint(20 + int(70 + np.random.default_rng().random() * 60), 10))
    assert get(window.state.effect, "forces.wind.speed") > 2.0
    until(qtbot, lambda: loose)
    until(
        qtbot,
        lambda: (
            all(window.state.status.stored)
            and window.stage.shown is not None
            and not window.stage.shown.loose
        ),
    )
    window.tempo.set_playing(False)
    document = window.state.document
    assert document.undo_label == "Change speed" and document.undo() and not document.unsaved


# --- the sheet ------------------------------------------------------------------------------------


def test_a_field_takes_drags_keys_and_sums_and_each_is_undone(window: Window, qtbot: QtBot):
    target = field(window, LIFT)
    start = window.state.effect
    drag(target, QPoint(10, 10), QPoint(60, 10))
    dragged = get(window.state.effect, LIFT)
    assert dragged > 1.2
    target.setFocus()
    QTest.keyClick(target, Qt.Key.Key_Up)
    assert get(window.state.effect, LIFT) == pytest.approx(dragged + target.p.step)
    QTest.mouseClick(target, LEFT, pos=QPoint(20, 10))
    assert target._edit is not None
    QTest.keyClick(target._edit, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(target._edit, "3*(0.5+1)/2")
    QTest.keyClick(target._edit, Qt.Key.Key_Return)
    assert get(window.state.effect, LIFT) == pytest.approx(2.25)
    assert target._edit is None
    for _ in range(3):
        window.undo()
    assert window.state.effect is start


def test_nonsense_typed_changes_nothing_and_says_so(window: Window):
    target, before = field(window, LIFT), window.state.effect
    target.type_in("2 parsnips")
    assert target._edit is not None
    QTest.keyClick(target._edit, Qt.Key.Key_Return)
    assert window.state.effect is before and "'parsnips' is no unit" in window.said.text()
    QTest.keyClick(target._edit, Qt.Key.Key_Escape)
    assert target._edit is None


def test_numbers_are_shown_with_sensible_digits():
    assert (shown(1.2345, 0.01), shown(4600.0, 50), shown(0.5, 0.1), shown(0.00002, 0.01)) == (
        "1.23",
        "4600",
        "0.5",
        "2e-05",
    )


def test_every_row_says_what_it_does_and_every_control_has_a_name(window: Window):
    for station in ("shape", "look", "pack", "budget", "proof"):
        window.go_to(station)
        assert window.sheet.rows
        for row in window.sheet.rows:
            assert len(row.toolTip()) > 8
            if row.p.unit:
                assert f"[{row.p.unit}]" in row.toolTip()
            if isinstance(row.field, NumberField | QComboBox):
                assert row.field.accessibleName()


def test_the_gutter_shows_measured_and_modelled_shares(window: Window):
    from tenka.app.sheet.gutter import Gutter

    def gutters() -> dict:
        heads = [g for part in window.sheet.parts for g in part.head.findChildren(Gutter)]
        return {g.section: g.figures() for g in heads}

    found = gutters()
    shares = [found[s][0] for s in ("Where", "Motion", "Fading")]
    assert all(s is not None and 0 < s[0] < 1 and s[1].endswith(" ms") for s in shares)
    assert all(f[1] is None for f in found.values()), "the game never pays for the simulation"
    window.go_to("pack")
    packed = gutters()
    assert packed["Player"][1] is not None and packed["Player"][1][1].endswith(" ms")


def test_the_ledger_moves_while_the_player_is_changed(window: Window, qtbot: QtBot):
    window.go_to("pack")
    before = window.state.ledger
    assert before is not None
    drag(field(window, "deliveries.puff.route.player.scale"), QPoint(10, 10), QPoint(70, 10))
    until(qtbot, lambda: window.state.ledger is not None and window.state.ledger.ms > before.ms * 1.2)


def test_a_ramp_is_edited_by_hand(window: Window):
    window.go_to("pack")
    row = window.sheet.row("deliveries.puff.route.player.alpha")
    assert row is not None and isinstance(row.field, RampField)
    area = row.field._area()
    QTest.mouseDClick(
        row.field, LEFT, pos=QPoint(int(area.left() + area.width() * 0.8), int(area.center().y()))
    )
    stops = get(window.state.effect, "deliveries.puff.route.player.alpha").stops
    assert len(stops) == 5 and stops[3].at == pytest.approx(0.8, abs=0.02)
    row.field.chosen = 3
    QTest.keyClick(row.field, Qt.Key.Key_Delete)
    assert len(get(window.state.effect, "deliveries.puff.route.player.alpha").stops) == 4


# --- courses, levers, rows ------------------------------------------------------------------------


def test_a_value_is_made_to_move_in_the_drawer_and_does_not_jump(window: Window):
    window.state.go(5)
    row = window.sheet.row(LIFT)
    assert row is not None
    row.make_course("wave")
    wave = get(window.state.effect, LIFT)
    assert isinstance(wave, Wave) and wave.at(window.state.time) == pytest.approx(1.0)
    assert window.drawer.isVisible() and window.drawer.path == LIFT
    QTest.keyClick(window.drawer._fields[1][0], Qt.Key.Key_Up)
    assert get(window.state.effect, LIFT).amount != wave.amount
    window.drawer._change_kind((), "keys")
    assert isinstance(get(window.state.effect, LIFT), Keys)
    plot = window.drawer.plot
    QTest.mouseDClick(plot, LEFT, pos=QPoint(plot.width() // 2, 30))
    keys = get(window.state.effect, LIFT).keys
    assert len(keys) == 2
    at = QPoint(int(plot._x(keys[-1].t)), int(plot._y(keys[-1].v)))
    drag(plot, at, at + QPoint(0, 40))
    assert get(window.state.effect, LIFT).keys[-1].v < keys[-1].v
    window.drawer._change_kind((), "constant")
    assert isinstance(get(window.state.effect, LIFT), float) and not window.drawer.isVisible()


def test_a_setting_is_promoted_to_a_lever(window: Window):
    window.go_to("pack")
    row = window.sheet.row("deliveries.puff.route.player.life")
    assert row is not None
    row._promote()
    assert [lever.id for lever in window.state.effect.levers] == ["sprites", "life"]


def test_rows_are_the_outline_with_solo_hide_and_pass_over(window: Window, qtbot: QtBot):
    rows = window.tempo.rows
    rows.toggle_fold("forces")
    lines = [line.path for line in rows.lines()]
    wind = lines.index("forces.wind")
    QTest.mouseClick(rows, LEFT, pos=QPoint(60, int(rows.row_top(wind) + 10)))
    assert window.state.selection == "forces.wind" and window.sheet.row("forces.wind.gusts") is not None
    for mark, attribute in enumerate(("solo", "hidden", "passed_over")):
        QTest.mouseClick(rows, LEFT, pos=rows.mark_rect(wind, mark).center().toPoint())
        assert get(window.state.effect, f"forces.wind.{attribute}") is True
        window.undo()
    rows.setFocus()
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    assert [f.id for f in window.state.effect.forces] == ["eddies"]
    window.undo()
    assert len(window.state.effect.forces) == 2


def test_hiding_the_layer_takes_it_out_of_the_picture_only(window: Window, qtbot: QtBot):
    window.state.go(9)
    settle(qtbot, window)
    with_gas = pixels(window.stage.image)
    window.state.edit("layers.puff.hidden", True)
    settle(qtbot, window)
    assert np.abs(pixels(window.stage.image) - with_gas).max() > 20
    assert all(window.state.status.stored)


def test_the_tray_begins_and_adds(window: Window, tmp_path: Path):
    before = window.state.effect
    QTest.mouseClick(window.tray.buttons["Wind"], LEFT)
    QTest.mouseClick(window.tray.buttons["Source"], LEFT)
    next(a for a in window.tray.prop_menu.actions() if a.text() == "Box").trigger()
    assert (
        len(window.state.effect.forces) == 3
        and len(window.state.effect.layers[0].sources) == 2
        and len(window.state.effect.props) == 2
    )
    QTest.mouseClick(window.tray.buttons["Puff"], LEFT)  # which asks, as there is a layer
    menu = next(m for m in window.tray.findChildren(QMenu) if m.isVisible())
    add, replace = menu.actions()
    assert "Add puff" in add.text() and "Take the place" in replace.text()
    add.trigger()
    menu.close()
    assert [x.name for x in window.state.effect.layers] == ["Puff 2", "Puff"]
    window.undo()
    window.tray.begin("Puff")
    assert window.state.effect.layers[0].sources[0].id == "burst"
    (tmp_path / "bad.obj").write_text("not a mesh")
    window.tray.add_mesh(tmp_path / "bad.obj")
    assert "bad.obj" in window.said.text() and len(window.state.effect.props) == 2
    for _ in range(4):
        window.undo()
    assert window.state.effect is before


# --- findings -------------------------------------------------------------------------------------


def test_the_trays_words_have_room_for_their_feet(window: Window):
    for word in ("Layer", "Prop", "Block"):
        button = window.tray.buttons[word]
        ink = np.flatnonzero((pixels(button.grab().toImage()).max(axis=2) > 110).any(axis=1))
        last = ink[np.flatnonzero(np.diff(ink, prepend=-9) > 1)[-1] :]  # rows of the word, under the icon
        assert len(last) >= button.fontMetrics().tightBoundingRect(word).height() - 1, word
    assert button.mapTo(window.tray, button.rect().bottomLeft()).y() <= window.tray.height()


def test_smoke_cut_off_at_a_wall_is_found_and_mended(window: Window, qtbot: QtBot):
    narrow = window.state.effect.layers[0].domain.model_copy(
        update={"size": (1.2, 2.0, 2.0), "origin": (-0.4, -1.0, 0.0)}
    )
    window.state.edit("layers.puff.domain", narrow)
    until(
        qtbot,
        lambda: any("cut off at the" in f.text and f.mended is not None for f in window.state.findings()),
    )
    findings = window.sheet.findings
    QTest.mouseClick(findings.line, LEFT)
    found = next(f for f in window.state.findings() if f.mended is not None)
    assert "frame" in found.text
    findings._mend(found)()
    before, after = np.array(narrow.size), np.array(window.state.effect.layers[0].domain.size)
    assert ((after > before + 0.1).sum(), (after < before).sum()) == (1, 0)


def test_a_domain_too_large_is_a_finding_and_nothing_is_lost(window: Window, qtbot: QtBot):
    before, known = window.state.effect, [f.text for f in window.state.findings()]
    window.state.edit("layers.puff.domain", DomainBox(size=(900, 900, 900), voxel=0.05))
    until(qtbot, lambda: any("GB of memory" in f.text for f in window.state.findings()))
    window.undo()
    assert window.state.effect is before
    until(
        qtbot, lambda: all(window.state.status.stored) and [f.text for f in window.state.findings()] == known
    )


# --- stations 3 to 5 ------------------------------------------------------------------------------


def test_pack_writes_the_package_and_proof_plays_it_with_levers_and_heat(
    window: Window, qtbot: QtBot, tmp_path: Path
):
    QTest.keyClick(window, Qt.Key.Key_3)
    assert "puff_colour.png" in window.pack.outputs.text() and "as BC" in window.pack.outputs.text()
    until(qtbot, lambda: len(window.pack.views["flipbook"].contact.cells) == 6)
    window.pack.set_target(tmp_path / "package")
    QTest.mouseClick(window.pack.button, LEFT)
    until(qtbot, lambda: window.pack.progress is None and window.state.package is not None)
    assert (tmp_path / "package" / "manifest.json").exists() and "MB on disk" in window.pack.told.text()

    QTest.keyClick(window, Qt.Key.Key_5)
    until(qtbot, lambda: window.proof.package is not None and window.proof.screen_.image is not None)
    window.proof.show_time(3.0)
    until(qtbot, lambda: window.proof.screen_.counts is not None and window.proof.screen_.counts.quads == 3)
    still = pixels(window.proof.screen_.image)
    slider = window.proof.bar.levers.sliders["sprites"]
    slider.setValue(slider.maximum())
    until(qtbot, lambda: window.proof.screen_.counts.quads == 12)
    QTest.keyClick(window, Qt.Key.Key_H)
    until(qtbot, lambda: np.abs(pixels(window.proof.screen_.image) - still).max() > 60)
    assert not window.state.document.unsaved, "levers belong to the game, not to the document"
    window.state.edit("deliveries.puff.route.player.scale", 1.5)
    until(qtbot, lambda: window.proof.bar.tried.isVisible())


def test_packing_is_stopped_at_once(window: Window, qtbot: QtBot, tmp_path: Path):
    window.go_to("pack")
    window.pack.set_target(tmp_path / "p")
    window.state.edit("deliveries.puff.route.width", 2048)
    window.state.edit("deliveries.puff.route.height", 3072)
    window.pack.start()
    window.pack.cancel()
    until(qtbot, lambda: window.pack.progress is None)
    assert "Stopped" in window.pack.told.text() and not (tmp_path / "p").exists()


def test_a_layout_that_cannot_be_is_said(window: Window, qtbot: QtBot):
    window.go_to("pack")
    window.state.edit("deliveries.puff.route.columns", 32)
    until(qtbot, lambda: "leave" in window.pack.outputs.text())
    assert not window.pack.button.isEnabled()


def test_proof_without_a_package_says_what_to_do(window: Window):
    window.go_to("proof")
    assert "station 3 packs one" in window.proof.screen_.words


def test_budget_shows_each_tier_and_a_click_chooses_it(window: Window, qtbot: QtBot):
    QTest.keyClick(window, Qt.Key.Key_4)
    cards = window.budget.cards
    assert [b.tier.id for b in cards.books()] == ["low", "mid"]
    QTest.mouseClick(cards, LEFT, pos=QPoint(200, 40))
    assert window.state.tier_id == "low" and window.ledger.tiers.currentText() == "Low"
    window.state.edit("tiers.low.ms", 0.001)
    until(qtbot, lambda: window.state.ledger is not None and window.state.ledger.over)
    assert any("Over the budget of Low" in f.text for f in window.state.findings())


def test_selection_time_and_ledger_stay_across_stations(window: Window):
    window.state.select("forces.eddies")
    window.state.go(7)
    for key in (Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_4, Qt.Key.Key_5, Qt.Key.Key_1):
        QTest.keyClick(window, key)
    assert (window.state.selection, window.state.frame, window.station) == ("forces.eddies", 7, "shape")
    assert window.sheet.row("forces.eddies.strength") is not None


# --- files, closing, crashes ----------------------------------------------------------------------


def test_saving_clears_the_mark_and_the_file_holds_the_edit(window: Window):
    window.state.edit(LIFT, 2.5)
    assert window.name.text().endswith("*")
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert not window.name.text().endswith("*")
    assert (
        window.state.document.file is not None and get(storage.load(window.state.document.file), LIFT) == 2.5
    )


def test_meshes_are_found_after_saving_elsewhere(window: Window, tmp_path: Path):
    from tenka.scene.glb import to_bytes
    from tenka.scene.meshes import box
    from tenka.scene.props import scene_mesh

    (tmp_path / "m.glb").write_bytes(to_bytes({"m": box((1, 1, 1), (1, 0, 0))}))
    effect = replaced(replaced(window.state.effect, "props.box.file", "m.glb"), "props.box.shape", "mesh")
    window.state.apply(effect, "Mesh")
    (tmp_path / "deep" / "er").mkdir(parents=True)
    assert window.save_to(tmp_path / "deep" / "er" / "b.tenka") and not window.state.document.unsaved
    again = storage.load(tmp_path / "deep" / "er" / "b.tenka")
    assert (
        again.props[0].file == "../../m.glb" and len(scene_mesh(again, tmp_path / "deep" / "er").faces) == 12
    )


def test_a_levers_value_and_range_are_set_per_tier(window: Window):
    window.go_to("budget")
    value = field(window, "tiers.mid.levers.sprites")
    value.type_in("6")
    assert value._edit is not None
    QTest.keyClick(value._edit, Qt.Key.Key_Return)
    assert (
        window.state.effect.tier("mid").levers["sprites"] == 6.0
        and window.state.effect.tier("low").levers["sprites"] == 2.0
    )
    window.state.edit("levers.sprites.high", 5.0)
    assert window.sheet.row("levers.sprites.low") is not None
    window.state.edit("levers.sprites.low", 9.0)
    assert window.state.effect.levers[0].low == 1.0 and "low must be below" in window.said.text()


def test_an_unwritable_place_is_said_and_the_edit_is_kept(window: Window, tmp_path: Path):
    window.state.edit(LIFT, 2.5)
    assert not window.save_to(tmp_path / "no" / "such" / "a.tenka")
    assert "cannot be written" in window.notice.text.text() and window.state.document.unsaved


def test_closing_with_unsaved_changes_asks_and_does_as_told(window: Window, qtbot: QtBot):
    window.state.edit(LIFT, 2.75)
    asked: list[str] = []
    window.ask_before_closing = lambda: asked.append("x") or "stay"  # type: ignore[func-returns-value]
    assert not window.close() and asked == ["x"] and window.isVisible()
    window.ask_before_closing = lambda: "save"
    file = window.state.document.file
    assert window.close() and file is not None
    assert get(storage.load(file), LIFT) == 2.75


def test_edits_come_back_after_a_crash_and_undo_returns_to_the_saved_file(
    window: Window, qtbot: QtBot, tmp_path: Path, shared_frames: Path
):
    file = window.state.document.file
    window.state.edit(LIFT, 3.25)
    journal = window.state.journal
    assert journal is not None and file is not None
    until(qtbot, lambda: journal.path.exists())
    journal.close()  # as the end of the process does it
    other = State(
        FrameStore(shared_frames), tmp_path / "journal"
    )  # as another start after a kill would find it
    told: list[str] = []
    other.noticed.connect(told.append)
    other.open(file)
    try:
        assert get(other.effect, LIFT) == 3.25 and other.document.unsaved and told
        other.document.undo()
        assert other.effect == storage.load(file)
    finally:
        other.close()


def test_undo_and_redo_of_a_simulated_value_return_picture_and_cache(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
):
    window.state.go(8)
    settle(qtbot, window)
    first = pixels(window.stage.image)
    window.state.edit("forces.wind.speed", 6.0)
    until(qtbot, lambda: all(window.state.status.stored) and window.stage.shown.frame.time > 0)
    settle(qtbot, window)
    until(qtbot, lambda: np.abs(pixels(window.stage.image) - first).max() > 5)
    monkeypatch.setattr(solver, "step", lambda *_: pytest.fail("it simulated"))
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    np.testing.assert_array_equal(pixels(window.stage.image), first)


def test_the_interface_keeps_answering_while_a_simulation_runs(window: Window, qtbot: QtBot):
    """Not a timing: while the clean run goes on, events are handled and the window can be used."""
    window.state.edit("layers.puff.domain.voxel", 0.06)
    until(qtbot, lambda: window.state.status.running)
    QTest.keyClick(window, Qt.Key.Key_2)
    assert window.station == "look"
    QTest.keyClick(window, Qt.Key.Key_1)
    replaced_effect = replaced(window.state.effect, "layers.puff.domain.voxel", 0.2)
    window.state.apply(replaced_effect, "Back")
    until(qtbot, lambda: all(window.state.status.stored))


# --- small things a hand finds --------------------------------------------------------------------


def test_the_stages_view_is_kept_only_when_asked(window: Window):
    drag(window.stage, QPoint(300, 250), QPoint(340, 250))
    assert window.state.effect.camera == small_effect().camera
    window.state.edit("camera", window.stage.camera, "Keep the view")
    assert window.state.effect.camera.heading == pytest.approx(small_effect().camera.heading - 18)
    window.undo()


def test_a_row_is_reset_and_its_label_tells_what_was_changed(window: Window):
    row = window.sheet.row(LIFT)
    assert row is not None
    window.state.edit(LIFT, 4.0)
    assert theme.TEXT in row._label.styleSheet()
    row._set(row.p.default, object())
    assert theme.QUIET in row._label.styleSheet() and get(window.state.effect, LIFT) == row.p.default


def test_the_effects_length_is_changed_and_its_frames_follow(window: Window, qtbot: QtBot):
    QTest.mouseClick(window.name, LEFT)
    assert window.sheet.title.text() == "Small"
    length = field(window, "seconds")
    length.type_in("0.25")
    assert length._edit is not None
    QTest.keyClick(length._edit, Qt.Key.Key_Return)
    assert window.state.effect.frames == 6 and "of 6 " in window.tempo.where.text()
    until(qtbot, lambda: window.state.status.stored == [True] * 6)
    window.undo()
    assert window.state.effect.frames == 12 and window.sheet.row("rate") is not None


def test_rows_that_do_nothing_are_not_shown(window: Window):
    window.state.select("layers.puff.sources.source")
    path = "layers.puff.sources.source"
    assert window.sheet.row(f"{path}.size") is not None and window.sheet.row(f"{path}.thickness") is None
    effect = replaced(replaced(window.state.effect, f"{path}.prop", "box"), f"{path}.shape", "surface")
    window.state.apply(effect, "Surface")
    assert window.sheet.row(f"{path}.size") is None and window.sheet.row(f"{path}.thickness") is not None


def test_a_choice_a_wall_and_a_toggle_reach_the_document(window: Window):
    walls = window.sheet.row("layers.puff.domain.open_high")
    assert walls is not None
    QTest.mouseClick(walls.field.buttons[2], LEFT)  # type: ignore[attr-defined]
    assert window.state.effect.layers[0].domain.open_high == (True, True, False)
    window.go_to("pack")
    alpha = window.sheet.row("deliveries.puff.route.alpha_form")
    blend = window.sheet.row("deliveries.puff.route.player.blend")
    assert alpha is not None and blend is not None and isinstance(alpha.field, QComboBox)
    alpha.field.setCurrentText("straight")
    alpha.field.activated.emit(alpha.field.currentIndex())
    QTest.mouseClick(blend.field, LEFT, pos=QPoint(8, 10))
    book = window.state.effect.deliveries[0].route
    assert book.alpha_form == "straight" and not book.player.blend


def test_the_box_and_the_light_are_toggled_by_keys(window: Window):
    box, light = window.stage.box_button.isChecked(), window.stage.light_button.isChecked()
    QTest.keyClick(window, Qt.Key.Key_B)
    QTest.keyClick(window, Qt.Key.Key_L)
    assert window.stage.box_button.isChecked() != box and window.stage.light_button.isChecked() != light
    QTest.keyClick(window, Qt.Key.Key_R)
    assert window.tempo.every_frame


def test_numbers_typed_into_a_field_do_not_change_the_station(window: Window):
    target = field(window, LIFT)
    target.type_in("")
    assert target._edit is not None
    QTest.keyClicks(target._edit, "3")
    QTest.keyClick(target._edit, Qt.Key.Key_Return)
    assert window.station == "shape" and get(window.state.effect, LIFT) == 3.0


def test_a_missing_mesh_is_said_and_the_rest_is_drawn(window: Window, qtbot: QtBot):
    effect, path = window.state.effect, "props.box"
    window.state.apply(
        replaced(replaced(effect, f"{path}.file", "gone.glb"), f"{path}.shape", "mesh"), "Break it"
    )
    until(qtbot, lambda: "gone.glb" in window.said.text())
    settle(qtbot, window)
    assert pixels(window.stage.image).std() > 5


def test_an_empty_effect_says_what_to_do_next(window: Window, qtbot: QtBot):
    assert window.open(None)
    assert window.state.layer is None and "tray" in hint_of(window.stage)
    for key in (Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_4, Qt.Key.Key_5, Qt.Key.Key_1):
        QTest.keyClick(window, key)
    QTest.keyClick(window, Qt.Key.Key_Space)
    qtbot.wait(60)
    QTest.keyClick(window, Qt.Key.Key_Space)
    QTest.mouseClick(window.tray.buttons["Mist"], LEFT)
    assert window.state.layer is not None and window.state.tier is not None


def test_the_light_and_the_layer_are_one_undo_each(window: Window):
    window.state.edit("light.height", 60.0)
    window.state.edit("layers.puff.look.extinction", 20.0)
    assert window.undo_button.toolTip() == "Undo: Change extinction"
    window.undo()
    assert window.undo_button.toolTip() == "Undo: Change height" and window.redo_button.isEnabled()


def test_no_two_actions_share_a_key_and_redo_has_both(window: Window):
    keys = [k.toString() for action in window.actions() for k in action.shortcuts()]
    assert len(keys) > 15 and len(set(keys)) == len(keys)
    window.state.edit(LIFT, 2.5)
    held = Qt.KeyboardModifier.ControlModifier
    for key, more in (
        (Qt.Key.Key_Z, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_Y, Qt.KeyboardModifier(0)),
    ):
        QTest.keyClick(window, Qt.Key.Key_Z, held)
        assert get(window.state.effect, LIFT) != 2.5
        QTest.keyClick(window, key, held | more)
        assert get(window.state.effect, LIFT) == 2.5
