"""The window's tools for gas: what the tray adds, moving and burning things, looking into the gas,
measures."""

from __future__ import annotations

import csv
import time
from pathlib import Path

import numpy as np
import pytest
from drive import LEFT, drag, pixels, settle, until
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLineEdit
from pytestqt.qtbot import QtBot

from tenka.app.sheet.trialfoot import TrialFoot
from tenka.app.stage.handles import path_of
from tenka.app.window import Window
from tenka.effect.courses import Key, Keys
from tenka.effect.document import get
from tenka.effect.starters import with_force


@pytest.mark.parametrize("name", ["Swirl", "Pull", "Drag", "Gravity"])
def test_the_tray_adds_each_force_in_the_middle_of_the_box_and_it_acts(
    window: Window, qtbot: QtBot, name: str
):
    before = window.state.effect
    if name in window.tray.buttons:
        window.tray.buttons[name].click()
    else:
        next(a for a in window.tray.force_menu.actions() if a.text() == name).trigger()
    force = get(window.state.effect, window.state.selection)
    assert force.kind == name.lower() and force.position == (0.0, 0.0, 1.0)
    assert window.sheet.row(f"{window.state.selection}.region") is not None
    assert window.state.session.wait_until_stored(60)
    settle(qtbot, window)
    window.undo()
    assert window.state.effect is before


def test_a_prop_is_made_to_stop_the_gas_and_has_a_row_of_its_own(window: Window, qtbot: QtBot):
    window.tray.buttons["Block"].click()
    assert not window.state.effect.layers[0].colliders and "Select the prop" in window.said.text()
    window.state.edit("props.box.size", (0.8, 0.8, 0.6))
    window.state.select("props.box")
    window.tray.buttons["Block"].click()
    (pair,) = window.state.effect.layers[0].colliders
    assert pair.prop == "box" and "Box stops it" in [line.name for line in window.tempo.rows.lines()]
    assert window.state.selection.endswith(f"colliders.{pair.id}")
    assert window.state.session.wait_until_stored(60)
    frame = window.state.session.frame(11)
    assert frame is not None and not frame.frame.density[4:6, 4:6, :2].any()  # the box stands there
    window.tray.buttons["Block"].click()
    assert len(window.state.effect.layers[0].colliders) == 1


def test_the_fire_starter_burns_and_glows(window: Window, qtbot: QtBot):
    window.tray.begin("Fire")
    window.state.edit("layers.fire.domain.voxel", 0.16)
    window.state.edit("seconds", 0.5)
    assert window.state.session.wait_until_stored(120)
    window.state.go(11)
    settle(qtbot, window)
    shown = window.stage.shown
    assert shown is not None and shown.frame.flame is not None and float(shown.frame.flame.max()) > 0.05
    picture = pixels(window.stage.image)
    hot = picture[..., 0].astype(int) - picture[..., 2]
    assert (hot > 60).sum() > 50  # it is the only thing that is orange
    assert window.sheet.row("layers.fire.fire.ignition") is not None


def test_a_moving_prop_is_drawn_where_it_is_at_the_shown_time(window: Window, qtbot: QtBot):
    course = Keys(keys=(Key(t=0.0, v=0.0), Key(t=0.5, v=1.2)))
    window.state.edit("props.box.shift_x", course)
    window.state.go(0)
    settle(qtbot, window)
    low = window.stage.mesh(0).bounds[0][0]
    assert window.stage.mesh(11).bounds[0][0] > low + 1.0


def test_the_voxel_count_sets_the_voxel_and_what_it_takes_is_said(window: Window, qtbot: QtBot):
    window.state.select("layers.puff")
    foot = window.sheet.feet["box"]
    assert (
        "10 × 10 × 10" in foot.told.text()
        and "MB" in foot.told.text()
        and " s for all frames" in foot.told.text()
    )
    foot.count.changed.emit(20.0, 1)
    assert window.state.effect.layers[0].domain.voxel == pytest.approx(0.1)
    assert "20 × 20 × 20 = 8 thousand voxels" in foot.told.text()
    foot._fit()
    domain = window.state.effect.layers[0].domain
    assert domain.origin[2] == 0.0 and domain.size[2] > domain.size[0]


def test_a_curves_points_are_typed_and_bad_ones_are_said(window: Window, qtbot: QtBot):
    window.state.edit("layers.puff.sources.source.shape", "curve")
    window.state.select("layers.puff.sources.source")
    row = window.sheet.row("layers.puff.sources.source.curve")
    assert row is not None and isinstance(row.field, QLineEdit)
    row.field.setText("0 0 0; 1 0")
    row.field.editingFinished.emit()
    assert "two or more points" in window.said.text()
    row.field.setText("0 0 0; 0.5 0 0.2; 0.5 0.5 0.4")
    row.field.editingFinished.emit()
    assert get(window.state.effect, "layers.puff.sources.source.curve")[1] == (0.5, 0.0, 0.2)


# --- looking into the gas ---------------------------------------------------------------------------


def looking(window: Window, qtbot: QtBot) -> None:
    window.state.go(8)
    settle(qtbot, window)
    QTest.keyClick(window, Qt.Key.Key_I)
    until(qtbot, lambda: window.stage.inspector.seen is not None and not window.stage.inspector.busy)


def test_the_slice_shows_the_chosen_field_over_the_picture(window: Window, qtbot: QtBot):
    without = pixels(window.stage.grab().toImage())
    looking(window, qtbot)
    panel = window.stage.inspector
    assert panel.seen is not None and panel.seen.cut is not None and panel.seen.cut.field.id == "density"
    qtbot.wait(30)
    first = pixels(window.stage.grab().toImage())
    assert np.abs(first.astype(int) - without).mean() > 2
    panel.field.setCurrentIndex(panel.field.findData("velocity_z"))
    panel.field.activated.emit(0)
    until(
        qtbot,
        lambda: (
            panel.seen is not None and panel.seen.cut is not None and panel.seen.cut.field.id == "velocity_z"
        ),
    )
    shown = window.stage.shown
    assert shown is not None
    whole = window.state.session.frame_with_velocity(8)
    assert whole is not None and whole.velocity is not None
    np.testing.assert_array_equal(
        panel.seen.cut.values, whole.velocity[2][:, panel.seen.cut.index].astype(np.float32)
    )


def test_the_slice_moves_with_its_slider_and_arrows_and_flow_lines_are_drawn(window: Window, qtbot: QtBot):
    looking(window, qtbot)
    panel = window.stage.inspector
    first = panel.seen.cut.index
    panel.place.setValue(900)
    until(qtbot, lambda: panel.seen.cut.index != first)
    assert panel.where.text().endswith(" m")
    panel.vector_button.click()
    panel.flow_button.click()
    until(
        qtbot,
        lambda: (
            panel.seen.vectors is not None
            and panel.seen.lines is not None
            and len(panel.seen.lines.places) > 20
        ),
    )
    qtbot.wait(30)
    with_lines = pixels(window.stage.grab().toImage())
    panel.flow_button.click()
    until(qtbot, lambda: panel.seen.lines is None)
    assert np.abs(with_lines.astype(int) - pixels(window.stage.grab().toImage())).max() > 60


def choose(combo: QComboBox, data: object) -> None:
    """Choose as a hand does: the box tells who listens."""
    combo.setCurrentIndex(combo.findData(data))
    combo.activated.emit(combo.currentIndex())


def test_lines_are_begun_by_hand_and_coloured_by_any_value(window: Window, qtbot: QtBot):
    looking(window, qtbot)
    stage, panel = window.stage, window.stage.inspector
    panel.flow_button.click()
    assert panel.paths.isVisible() and not panel.paths.clear.isVisible()
    choose(panel.paths.start, "hand")
    assert panel.paths.clear.isVisible() and panel.paths.hint.isVisible()
    until(qtbot, lambda: panel.seen.lines is not None and not panel.busy)
    middle = panel.seen.cut.corners.mean(axis=0)
    x, y, _ = stage.view().project(middle[None])[0]
    before = stage.camera
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
    until(qtbot, lambda: panel.seen.lines is not None and len(panel.seen.lines.places) == 1)
    assert stage.camera == before
    lines = panel.seen.lines
    assert lines.places[0, lines.at] == pytest.approx(middle, abs=0.03)
    choose(panel.paths.span, 1)  # before and after
    choose(panel.paths.colour, "temperature")
    until(qtbot, lambda: panel.seen.lines.field is not None and panel.seen.lines.field.id == "temperature")
    times = panel.seen.lines.times
    assert times[0] < 8 / window.state.effect.rate < times[-1]
    QTest.mouseClick(panel.paths.clear, Qt.MouseButton.LeftButton)
    until(qtbot, lambda: len(panel.seen.lines.places) == 0)
    choose(panel.paths.start, "temperature")
    assert panel.paths.least.isVisible() and panel.paths.unit.text() == "K"
    until(qtbot, lambda: len(panel.seen.lines.places) > 20)


def test_the_push_of_forces_is_seen_on_a_plane(window: Window, qtbot: QtBot):
    looking(window, qtbot)
    panel = window.stage.inspector
    effect, _ = with_force(window.state.effect, "wind")
    window.state.apply(effect, "Add wind")
    choose(panel.field, "push")
    until(qtbot, lambda: panel.seen.cut is not None and panel.seen.cut.field.id == "push")
    assert panel.seen.cut.values.max() > 0.3  # m/s^2: a wind of 1.5 m/s at 0.8 a second
    panel.open_table()
    assert panel.table is not None and panel.table.isVisible()
    panel.table.close()


def test_the_table_lists_the_slices_voxels_and_exports_them(window: Window, qtbot: QtBot, tmp_path: Path):
    looking(window, qtbot)
    panel = window.stage.inspector
    panel.table_button.click()
    table = panel.table
    assert table is not None and table.isVisible()
    cut = panel.seen.cut
    assert (table.model.rowCount(), table.model.columnCount()) == (10, 10)
    assert float(table.model.data(table.model.index(9, 3))) == pytest.approx(
        float(cut.values[3, 0]), rel=1e-3
    )
    table.export(tmp_path / "slice.csv")
    rows = list(csv.reader((tmp_path / "slice.csv").open()))
    assert len(rows) == 101 and "density" in rows[0]
    table.export(tmp_path / "none" / "slice.csv")
    assert "none" in table.said.text() or "cannot" in table.said.text()
    table.close()


def test_measures_unfold_into_rows_with_a_value_for_each_stored_frame(window: Window, qtbot: QtBot):
    rows = window.tempo.rows
    fold = next(n for n, line in enumerate(rows.lines()) if line.fold == "measures")
    QTest.mouseClick(rows, LEFT, pos=QPoint(30, int(rows.row_top(fold)) + 10))
    names = [line.name for line in rows.lines()]
    assert {"Smoke", "Heat", "Movement", "Divergence left", "Time of a step"} <= set(names)
    frames, mass = rows.measured("mass")
    assert frames.tolist() == list(range(12)) and (mass > 0).all()
    stored = window.state.session.frame_with_velocity(6)
    assert stored is not None
    assert mass[6] == pytest.approx(float(stored.density.sum(dtype=np.float64)) * 0.2**3, rel=2e-3)
    assert (rows.measured("divergence")[1] < 0.05).all() and (rows.measured("ms")[1] > 0).all()
    QTest.mouseClick(
        rows, LEFT, pos=QPoint(30, int(rows.row_top(names.index("Heat"))) + 10)
    )  # nothing to select there
    assert window.state.selection == "layers.puff"


# --- the final run -----------------------------------------------------------------------------------


def test_a_final_run_goes_beside_the_window_and_is_wiped_against_the_preview(window: Window, qtbot: QtBot):
    bar = window.tempo.final
    bar.button.click()
    assert bar.run.running and bar.button.text() == "Stop"
    ticks = 0
    while bar.run.running and ticks < 600:  # the window goes on meanwhile
        qtbot.wait(50)
        ticks += 1
    assert not bar.run.problem and bar.run.made == 12 and "12 of 12" in bar.told.text()
    window.state.go(9)
    settle(qtbot, window)
    preview = pixels(window.stage.image)
    bar.show_beside("wipe", "final")
    until(qtbot, lambda: window.stage.final_image is not None)
    settle(qtbot, window)
    final = pixels(window.stage.final_image)
    assert np.abs(final - preview).mean() > 0.2  # finer, and so another picture
    found = window.state.session.beside("final", 9)
    assert (
        found is not None
        and found[0].frame.shape == (20, 20, 20)
        and found[0].frame.density.dtype == np.float32
    )
    stage, middle = window.stage, window.stage.width() // 2
    drag(stage, QPoint(middle, 200), QPoint(middle + 150, 200))
    assert stage.wipe_at == pytest.approx((middle + 150) / stage.width(), abs=0.01)
    assert window.stage.camera == window.state.effect.camera


def test_a_final_run_stops_at_once_and_goes_on_later(window: Window, qtbot: QtBot):
    window.state.edit("layers.puff.domain.voxel", 0.06)
    bar = window.tempo.final
    bar.run.start()
    until(qtbot, lambda: bar.run.made > 0 or not bar.run.running, 60_000)
    started = time.monotonic()
    bar.button.click()
    until(qtbot, lambda: not bar.run.running)
    assert time.monotonic() - started < 1.0 and bar.button.text() == "Final run" and 0 < bar.run.made < 12


# --- by hand -------------------------------------------------------------------------------------------


def on_screen(window: Window, point: tuple[float, float, float]) -> QPoint:
    x, y, _ = window.stage.view().project(np.array([point]))[0]
    return QPoint(round(x), round(y))


def test_a_source_is_carried_by_its_handle_and_undone_as_one(window: Window, qtbot: QtBot):
    window.state.select("layers.puff.sources.source")
    before, at = window.state.effect, on_screen(window, (0.0, 0.0, 0.4))
    drag(window.stage, at, at + QPoint(60, -40))
    source = get(window.state.effect, "layers.puff.sources.source")
    there = on_screen(window, source.position)
    assert abs(there.x() - at.x() - 60) <= 2 and abs(there.y() - at.y() + 40) <= 2
    assert window.stage.camera == before.camera
    window.undo()
    assert window.state.effect is before


def test_a_wall_of_the_domain_is_pulled(window: Window, qtbot: QtBot):
    window.state.select("layers.puff")
    at = on_screen(window, (0.0, 0.0, 2.0))
    drag(window.stage, at, at + QPoint(0, -80))
    domain = window.state.effect.layers[0].domain
    assert domain.size[2] > 2.3 and domain.origin == (-1, -1, 0) and domain.size[:2] == (2, 2)
    at = on_screen(window, (0.0, 0.0, domain.size[2]))
    drag(window.stage, at, at + QPoint(0, 900))
    assert window.state.effect.layers[0].domain.size[2] == pytest.approx(
        0.8
    )  # never thinner than four voxels


def test_a_carry_while_playing_is_kept_as_courses(window: Window, qtbot: QtBot):
    """By the hand's own clock: each move is simulated anew, so that what is shown may stand all the while."""
    window.state.select("layers.puff.sources.source")
    before = get(window.state.effect, "layers.puff.sources.source")
    QTest.keyClick(window, Qt.Key.Key_Home)
    QTest.keyClick(window, Qt.Key.Key_Space)
    at = on_screen(window, (0.0, 0.0, 0.4))
    QTest.mousePress(window.stage, LEFT, pos=at)
    began = time.monotonic()
    for k in range(30):
        QTest.mouseMove(window.stage, at + QPoint(3 * k + 3, 0))
        qtbot.wait(15)
    took = time.monotonic() - began
    QTest.mouseRelease(window.stage, LEFT, pos=at + QPoint(90, 0))
    QTest.keyClick(window, Qt.Key.Key_Space)
    source = get(window.state.effect, "layers.puff.sources.source")
    assert source.position == before.position and isinstance(source.shift_x, Keys)
    keys = source.shift_x.keys
    assert len(keys) >= 2 and "kept as courses" in window.said.text()
    if took < 0.9 * window.state.effect.seconds:  # else the play came round
        assert keys[-1].t - keys[0].t == pytest.approx(took, abs=0.25 * took + 0.1)
        assert keys[-1].v > keys[0].v


def test_a_path_keeps_the_longest_stretch_and_a_key_a_frame():
    samples = [
        (0.4, np.ones(3)),
        (0.45, np.ones(3)),
        (0.0, np.zeros(3)),
        (0.005, np.full(3, 0.1)),
        (0.05, np.full(3, 0.5)),
        (0.1, np.full(3, 1.0)),
    ]
    path = path_of(samples, 24.0)
    assert path is not None and [(k.t, k.v) for k in path[0].keys] == [(0.0, 0.1), (0.05, 0.5), (0.1, 1.0)]
    assert path_of(samples[:1], 24.0) is None


def test_a_point_of_a_curve_and_of_a_path_is_bent_by_hand(window: Window, qtbot: QtBot):
    path = "layers.puff.sources.source"
    window.state.edit(f"{path}.shape", "curve")
    window.state.edit(f"{path}.path", ((0.0, 0.0, 0.0), (0.5, 0.0, 0.5)))
    window.state.select(path)
    settle(qtbot, window)
    position = window.state.effect.layers[0].sources[0].position
    for name, first in (("curve", (-0.5, 0.0, 0.0)), ("path", (0.5, 0.0, 0.5))):
        index = 0 if name == "curve" else 1
        start = on_screen(window, tuple(p + q for p, q in zip(position, first)))
        drag(window.stage, start, start + QPoint(30, -20))
        source = window.state.effect.layers[0].sources[0]
        moved = np.asarray(getattr(source, name)[index]) - first
        assert np.linalg.norm(moved) > 0.05 and source.position == position, name
        window.undo()
        assert getattr(window.state.effect.layers[0].sources[0], name)[index] == first


def test_a_tangent_is_turned_in_the_drawer_and_let_go_by_a_double_click(window: Window, qtbot: QtBot):
    path = "layers.puff.motion.lift"
    keys = (Key(t=0.0, v=0.5, ease="through"), Key(t=0.25, v=1.0, ease="through"), Key(t=0.45, v=0.6))
    window.state.edit(path, Keys(keys=keys))
    window.state.course_asked.emit(path)
    plot = window.drawer.plot
    qtbot.wait(50)
    at = plot._x(0.25), plot._y(1.0)
    QTest.mouseClick(plot, LEFT, pos=QPoint(round(at[0]), round(at[1])))
    assert plot.chosen == 1
    end = plot._key_point() + plot._arm()
    drag(plot, end.toPoint(), end.toPoint() + QPoint(0, 30))
    slope = window.drawer.keys().keys[1].slope
    assert slope is not None and slope < -1.0 and window.drawer.keys().keys[1].v == 1.0
    end = (plot._key_point() + plot._arm()).toPoint()
    QTest.mouseDClick(plot, LEFT, pos=end)
    assert window.drawer.keys().keys[1].slope is None and len(window.drawer.keys().keys) == 3
    window.undo()
    window.undo()
    assert window.drawer.keys().keys[1].slope is None


def test_a_path_is_typed_and_emptied_again(window: Window):
    path = "layers.puff.sources.source"
    window.state.select(path)
    row = window.sheet.row(f"{path}.path")
    assert row is not None and isinstance(row.field, QLineEdit) and window.sheet.row(f"{path}.travel") is None
    row.field.setText("0 0 0; 1 0 0; 1 1 0")
    row.field.editingFinished.emit()
    assert (
        len(window.state.effect.layers[0].sources[0].path) == 3
        and window.sheet.row(f"{path}.travel") is not None
    )
    row = window.sheet.row(f"{path}.path")
    row.field.setText("")
    row.field.editingFinished.emit()
    assert window.state.effect.layers[0].sources[0].path == ()


def test_a_burst_is_drawn_in_one_gesture_on_a_sources_row(window: Window, qtbot: QtBot):
    rows = window.tempo.rows
    row = next(i for i, line in enumerate(rows.lines()) if line.path.endswith("sources.source"))
    y = 20 + 26 * row + 13
    start, end = (QPoint(round(rows.x_of(t)) + 2, y) for t in (0.125, 0.375))
    before = window.state.effect.layers[0].sources[0].emission
    drag(rows, start, end, held=Qt.KeyboardModifier.AltModifier)
    burst = window.state.effect.layers[0].sources[0].emission
    assert (
        isinstance(burst, Keys)
        and burst.at(0.1) == 0.0
        and burst.at(0.125 + 1 / 24) == 1.0
        and burst.at(0.375) == 0.0
    )
    window.undo()
    assert window.state.effect.layers[0].sources[0].emission == before


# --- trials --------------------------------------------------------------------------------------------


def test_a_trial_is_kept_wiped_against_and_gone_back_to_without_simulating(window: Window, qtbot: QtBot):
    window.state.go(9)
    settle(qtbot, window)
    before, then = window.state.effect, pixels(window.stage.image)
    bar = window.tempo.final
    bar.keep.click()
    (trial,) = window.state.effect.trials
    window.state.edit("layers.puff.motion.lift", 4.0)
    assert window.state.session.wait_until_stored(60)
    bar.show_beside("wipe", trial.id)
    until(qtbot, lambda: window.stage.final_image is not None)
    settle(qtbot, window)
    now, kept = (
        np.abs(pixels(image) - then).mean() for image in (window.stage.image, window.stage.final_image)
    )
    assert (
        now > 0.3 and kept < 0.6 * now
    )  # it is the picture of then, or a final run of it when another test left one
    found = window.state.session.beside(trial.id, 9)
    assert found is not None and found[1].layers == before.layers
    window.tempo.rows.toggle_fold("trials")
    assert "Trial 1" in [line.name for line in window.tempo.rows.lines()]
    window.state.select(f"trials.{trial.id}")
    foot = next(f for part in window.sheet.parts for f in part.feet if isinstance(f, TrialFoot))
    assert "motion, lift: 1 → 4" in foot.told.text()
    foot.back.click()
    assert window.state.effect.layers == before.layers and not foot.back.isEnabled()
    until(
        qtbot,
        lambda: (
            not window.state.status.running
            and len(window.state.status.stored) == 12
            and all(window.state.status.stored)
        ),
        2000,
    )
    window.undo()
    assert window.state.effect.layers[0].motion.lift == 4.0


def test_a_trial_is_renamed_and_removed_and_the_stage_shows_the_effect_again(window: Window, qtbot: QtBot):
    bar = window.tempo.final
    bar.keep.click()
    bar.show_beside("final", "trial")
    window.state.select("trials.trial")
    row = window.sheet.row("trials.trial.name")
    assert row is not None and isinstance(row.field, QLineEdit)
    row.field.setText("Lazy")
    row.field.editingFinished.emit()
    assert bar.shown.currentText() == "Lazy" and window.stage.other == "trial"
    window.in_hand.remove("trials.trial")
    assert window.stage.which == "preview" and bar.shown.currentText() == "Preview"
    window.undo()
    assert window.state.effect.trials[0].name == "Lazy"
