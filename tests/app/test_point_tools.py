"""The window's tools for particles and pieces: layers from the tray, cues and bursts in the tempo, the table,
writing out, presets."""

from __future__ import annotations

import csv
import re
from pathlib import Path

import numpy as np
import pytest
from drive import drag, pixels, settle, until
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.dialogs.pointtable import PointTable
from tenka.app.sheet.propfoot import PropFoot
from tenka.app.stage.handles import ARROW, handles_of
from tenka.app.stage.overlay import ROSE, rose_lines
from tenka.app.window import Window
from tenka.effect import presets
from tenka.effect.document import get
from tenka.effect.model import Effect, PointSource, ramp
from tenka.run.findings import of_points
from tenka.run.frames import PointFrame
from tenka.scene.poses import STILL


def add(window: Window, name: str) -> str:
    """Add a layer from the tray's menu; its path."""
    window.tray.layer_menu.aboutToShow.emit()
    next(a for a in window.tray.layer_menu.actions() if a.text() == name).trigger()
    return window.state.selection


def simulated(window: Window, qtbot: QtBot) -> None:
    assert window.state.session.wait_until_stored(60)
    until(qtbot, lambda: bool(window.state.status.stored) and all(window.state.status.stored))
    settle(qtbot, window)


def row_at(window: Window, path: str) -> int:
    rows = window.tempo.rows
    return next(i for i, line in enumerate(rows.lines()) if line.path == path)


def place(window: Window, path: str, seconds: float) -> QPoint:
    rows = window.tempo.rows
    return QPoint(round(rows.x_of(seconds)), round(rows.row_top(row_at(window, path)) + 12))


@pytest.mark.parametrize("name", ["Gas", "Sparks", "Embers", "Dust", "Debris"])
def test_the_tray_adds_each_layer_and_it_runs(window: Window, qtbot: QtBot, name: str):
    before = window.state.effect
    path = add(window, name)
    layer = get(window.state.effect, path)
    assert layer.name == name and len(window.state.effect.layers) == 2 and window.state.layer is layer
    if name == "Gas":
        window.state.edit(f"{path}.domain.voxel", 0.25)
    simulated(window, qtbot)
    shown = window.stage.shown
    assert shown is not None and set(shown.frames) == {"puff", layer.id} and not window.state.status.problem
    window.undo()
    window.undo() if name == "Gas" else None
    assert window.state.effect is before


def test_sparks_are_seen_on_the_stage_and_their_sheet_and_counts_are_there(window: Window, qtbot: QtBot):
    window.state.go(4)
    settle(qtbot, window)
    without = pixels(window.stage.image)
    path = add(window, "Sparks")
    simulated(window, qtbot)
    window.state.go(4)
    settle(qtbot, window)
    until(qtbot, lambda: np.abs(pixels(window.stage.image) - without).max() > 60)
    assert window.sheet.row(f"{path}.motion.gravity") is not None and window.sheet.point_foot is not None
    assert "600 particles alive at once" in window.sheet.point_foot.told.text()
    assert window.state.status.of("sparks").figures[4]["alive"] == 600
    window.tempo.rows.toggle_fold("measures")
    assert "Alive" in [line.name for line in window.tempo.rows.lines()]
    frames, alive = window.tempo.rows.measured("alive")
    assert len(frames) == 12 and alive.max() == 600


def test_a_particle_under_the_pointer_tells_its_values(window: Window, qtbot: QtBot):
    from tenka.app.stage.words import nearest_point

    add(window, "Sparks")
    simulated(window, qtbot)
    window.state.go(5)
    settle(qtbot, window)
    shown = window.stage.shown
    assert shown is not None
    frame = shown.frames["sparks"]
    assert isinstance(frame, PointFrame)
    view = window.stage.view()
    x, y, _ = view.project(frame.points.place)[10]
    text = nearest_point(view, x, y, shown, "sparks")
    assert text.startswith("age 0.") and "m/s" in text and " K" in text
    assert nearest_point(view, -500, -500, shown, "sparks") == ""


def test_a_cue_is_added_at_the_head_and_dragging_it_moves_what_hangs_on_it(window: Window, qtbot: QtBot):
    window.state.go(3)
    window.tempo.cue.click()
    (cue,) = window.state.effect.cues
    assert cue.at == pytest.approx(3 / 24)
    path = add(window, "Sparks")
    window.state.edit(f"{path}.sources.burst.cue", cue.id)
    drag(
        window.tempo.rows,
        place(window, f"cues.{cue.id}", cue.at),
        place(window, f"cues.{cue.id}", cue.at + 0.125),
    )
    assert window.state.effect.cues[0].at == pytest.approx(0.25, abs=0.03)
    simulated(window, qtbot)
    figures = window.state.status.of("sparks").figures
    assert figures[5]["alive"] == 0 and figures[9]["alive"] > 0
    window.undo()
    assert window.state.effect.cues[0].at == pytest.approx(3 / 24)  # one drag, one step
    window.in_hand.remove(f"cues.{cue.id}")
    assert get(window.state.effect, f"{path}.sources.burst").delay == pytest.approx(3 / 24)


def test_a_bursts_stem_is_dragged_with_its_cue_or_alone(window: Window, qtbot: QtBot):
    path = add(window, "Sparks")
    source = f"{path}.sources.burst"
    drag(window.tempo.rows, place(window, source, 0.0), place(window, source, 0.2))
    assert get(window.state.effect, source).burst_at == pytest.approx(0.2, abs=0.03)
    window.state.go(2)
    window.tempo.cue.click()
    cue = window.state.effect.cues[0]
    window.state.edit(f"{source}.cue", cue.id)
    at = cue.at + get(window.state.effect, source).burst_at
    drag(window.tempo.rows, place(window, source, at), place(window, source, at + 0.1))
    assert window.state.effect.cues[0].at == pytest.approx(cue.at + 0.1, abs=0.03)
    drag(
        window.tempo.rows,
        place(window, "layers.puff.sources.source", 0.1),
        place(window, "layers.puff.sources.source", 0.3),
        held=Qt.KeyboardModifier.ControlModifier,
    )
    assert get(window.state.effect, "layers.puff.sources.source").delay == pytest.approx(0.2, abs=0.03)


def test_another_seed_keeps_a_trial_and_gives_another_variation(window: Window, qtbot: QtBot):
    add(window, "Sparks")
    simulated(window, qtbot)
    before, seed = window.state.session.points_at(5, "sparks"), window.state.effect.seed
    window.tempo.seed.click()
    assert window.state.effect.seed != seed and len(window.state.effect.trials) == 1
    simulated(window, qtbot)
    after = window.state.session.points_at(5, "sparks")
    assert before is not None and after is not None and len(before.points) == len(after.points)
    assert np.abs(before.points.place - after.points.place).max() > 0.05
    window.state.apply(window.state.effect.trials[0].onto(window.state.effect), "Go back")
    simulated(window, qtbot)
    again = window.state.session.points_at(5, "sparks")
    assert again is not None and np.array_equal(again.points.place, before.points.place)


def test_the_table_sorts_filters_and_writes_what_it_shows(window: Window, qtbot: QtBot, tmp_path: Path):
    add(window, "Sparks")
    simulated(window, qtbot)
    window.state.go(6)
    foot = window.sheet.point_foot
    assert foot is not None
    foot.buttons["Table…"].click()
    table = foot.table
    assert table is not None
    until(qtbot, lambda: table.model.rowCount() == 600)
    names = [c.name for c in table.model.columns]
    speed = names.index("speed")
    table.view.sortByColumn(speed, Qt.SortOrder.DescendingOrder)
    shown = [float(str(table.model.data(table.model.index(r, speed)))) for r in range(5)]
    assert shown == sorted(shown, reverse=True)
    table.which.setCurrentIndex(speed)
    table.value.setText("5")
    kept = table.model.rowCount()
    assert 0 < kept < 600 and f"{kept} shown" in table.head.text()
    table.export(tmp_path / "sparks.csv")
    with open(tmp_path / "sparks.csv") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == kept and min(float(r["speed (m/s)"]) for r in rows) > 5
    assert float(rows[0]["speed (m/s)"]) >= float(rows[-1]["speed (m/s)"])
    table.value.setText("fast")
    assert "'fast' is not a number" in table.said.text()
    window.state.go(0)
    until(qtbot, lambda: "frame 1:" in table.head.text())
    table.close()


def test_pieces_are_moved_and_turned_from_the_table_without_simulating_again(window: Window, qtbot: QtBot):
    path = add(window, "Debris")
    simulated(window, qtbot)
    window.state.go(6)
    table = PointTable(window.state, "debris", window)
    until(qtbot, lambda: table.model.rowCount() > 0)
    key = window.state.session.key_of(6)
    table._shift("by", (0.0, 0.0, 1.0), object())
    assert "Select rows first" in table.said.text() and not get(window.state.effect, path).shifted
    table.view.selectRow(2)
    (id,) = table.ids_of_rows()
    column = next(n for n, c in enumerate(table.model.columns) if c.name == "z")
    before = table.model.columns[column].values[table.model.order[2]]
    table.fields["by"].fields[2]._take(1.5, object())
    table.fields["about"].fields[0]._take(90.0, object())
    (shift,) = get(window.state.effect, path).shifted
    assert (shift.id, shift.by, shift.about) == (id, (0.0, 0.0, 1.5), (90.0, 0.0, 0.0))
    assert window.state.session.key_of(6) == key and table.ids_of_rows() == (id,)
    assert table.model.columns[column].values[table.model.order[2]] == pytest.approx(before + 1.5, abs=1e-4)
    table.view.clearSelection()
    table.view.selectRow(5)
    assert table.fields["by"].fields[2].value == 0.0  # another one stands as it was
    table.view.clearSelection()
    table.view.selectRow(2)
    assert table.fields["by"].fields[2].value == 1.5
    table.fields["by"].fields[2]._take(0.0, object())
    table.fields["about"].fields[0]._take(0.0, object())
    assert get(window.state.effect, path).shifted == ()
    table.close()


def test_pieces_are_deleted_and_held_from_the_table(window: Window, qtbot: QtBot):
    path = add(window, "Debris")
    simulated(window, qtbot)
    window.state.go(6)
    table = PointTable(window.state, "debris", window)
    until(qtbot, lambda: table.model.rowCount() > 0)
    table.delete.click()
    assert "Select rows first" in table.said.text()
    table.view.selectRow(2)
    table.delete.click()
    assert len(get(window.state.effect, path).deleted) == 1
    until(qtbot, lambda: table.model.rowCount() == 39)
    table.view.clearSelection()
    table.view.selectRow(3)
    table.hold.click()
    assert len(get(window.state.effect, path).held) == 1
    window.undo()
    window.undo()
    assert get(window.state.effect, path).deleted == () == get(window.state.effect, path).held
    table.close()


def test_writing_out_tells_first_what_it_writes_and_then_what_it_wrote_or_why_not(
    window: Window, qtbot: QtBot, tmp_path: Path
):
    add(window, "Debris")
    simulated(window, qtbot)
    window.sheet.point_foot.open_writing()
    sheet = window.sheet.point_foot.writing
    until(qtbot, lambda: "about" in sheet.told.text())
    assert "12 frames" in sheet.told.text() and "pieces" in sheet.told.text()
    for kind in (".glb", ".usdc", ".usda", ".ply", ".csv", ".npz"):
        sheet.kind.setCurrentIndex(sheet.kind.findData(kind))
        told = size_told(sheet.told.text())
        sheet.write(tmp_path / f"bits{kind}")
        until(qtbot, lambda: sheet.progress is None)
        wrote = size_told(sheet.said.text())
        assert "12 frames" in sheet.said.text(), sheet.said.text()
        most = 1.5 * told if "meshes" not in sheet.told.text() else 1e7
        assert told / 1.5 < wrote < most, (kind, told, wrote)
    sheet.first._take(3, object())
    sheet.last._take(6, object())
    assert "4 files, " in sheet.told.text() and "_0003.npz" in sheet.told.text()
    sheet.write(tmp_path / "part.npz")
    until(qtbot, lambda: sheet.progress is None)
    assert sorted(f.name for f in tmp_path.glob("part*")) == [f"part_{n:04d}.npz" for n in (3, 4, 5, 6)]
    sheet.write(tmp_path / "bits.txt")
    until(qtbot, lambda: sheet.progress is None)
    assert "is no kind of file for points" in sheet.said.text()
    sheet.close()


def size_told(text: str) -> float:
    """Bytes that a sentence tells."""
    number, unit = re.findall(r"([\d.,]+) (kB|MB)", text)[0]
    return float(number.replace(",", "")) * {"kB": 1e3, "MB": 1e6}[unit]


def test_a_layer_is_kept_as_a_preset_and_comes_back_from_the_tray(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
):
    monkeypatch.setattr(presets, "presets_folder", lambda: tmp_path)
    path = add(window, "Embers")
    window.state.edit(f"{path}.motion.drag", 3.5)
    window.in_hand.keep_preset(path.split(".")[1], "Slow embers")
    assert (tmp_path / "slow_embers.png").exists()  # the stage, for its card
    again = add(window, "Slow embers")
    assert again != path and get(window.state.effect, again).motion.drag == 3.5
    assert get(window.state.effect, again).name == "Slow embers"
    window.show_start()
    window.start.cards["Slow embers"].click()
    assert [x.name for x in window.state.effect.layers] == ["Slow embers"]
    assert window.state.effect.layers[0].motion.drag == 3.5


def test_smoke_and_splits_are_one_click(window: Window, qtbot: QtBot):
    add(window, "Sparks")
    foot = window.sheet.point_foot
    assert foot is not None
    foot.buttons["Let it smoke"].click()
    source = get(window.state.effect, window.state.selection)
    assert source.shape == "particles" and source.of == "sparks"
    window.state.select("layers.sparks")
    assert window.sheet.point_foot is not None
    window.sheet.point_foot.buttons["Let it split"].click()
    assert get(window.state.effect, window.state.selection).sources[0].of == "sparks"
    simulated(window, qtbot)
    assert not window.state.status.problem
    window.in_hand.remove("layers.sparks")  # and what took from it
    assert all(s.shape != "particles" for layer in window.state.effect.layers for s in layer.sources)


def test_edits_of_particles_take_hold_while_playing(window: Window, qtbot: QtBot):
    path = add(window, "Dust")
    simulated(window, qtbot)
    session = window.state.session
    assert session.frame(4, live=True) is not None
    window.state.edit(f"{path}.motion.gravity", -3.0)
    shown = session.frame(5, live=True)
    assert shown is not None and shown.loose
    frame = shown.frames["dust"]
    assert isinstance(frame, PointFrame) and frame.points.velocity[:, 2].max() > 0
    simulated(window, qtbot)


def test_a_prop_stops_the_layer_that_is_worked_on(window: Window, qtbot: QtBot):
    add(window, "Sparks")
    window.state.select("props.box")
    window.tray.buttons["Block"].click()
    sparks = window.state.effect.layer("sparks")
    assert sparks.colliders and sparks.colliders[0].prop == "box" and not window.state.effect.gas().colliders


def test_findings_tell_of_popping_straying_and_lost_births_with_mends(window: Window, qtbot: QtBot):
    path = add(window, "Sparks")
    window.state.edit(f"{path}.sources.burst.life", 0.2)
    window.state.edit(f"{path}.look.opacity_over", ramp((0.0, 1.0), (1.0, 1.0)))
    simulated(window, qtbot)

    def found(effect: Effect) -> list[str]:
        figures = window.state.status.of("sparks").figures
        return [f.text for f in of_points(effect, effect.layer("sparks"), figures)]

    assert any("pops: particles die at an opacity of 1.00" in t for t in found(window.state.effect))
    mend = next(f for f in window.state.findings() if "pops" in f.text)
    assert mend.mended is not None
    window.state.apply(mend.mended, mend.mend)
    assert not any("pops" in t for t in found(window.state.effect))
    window.state.edit(f"{path}.sources.burst.speed", 900.0)
    window.state.edit(f"{path}.motion.drag", 0.0)
    window.state.edit(f"{path}.sources.burst.life", 5.0)
    window.state.edit(f"{path}.motion.forces", 0.0)
    simulated(window, qtbot)
    window.state._take_news()
    texts = [f.text for f in window.state.findings()]
    assert any("outliers as far as" in t for t in texts)


def test_bad_points_are_a_finding_and_nothing_is_lost(window: Window, qtbot: QtBot, tmp_path: Path):
    (tmp_path / "bad.csv").write_text("x,y,z\n1,2,nan\n")
    path = add(window, "Dust")
    window.state.edit(f"{path}.sources.puff.shape", "file")
    window.state.edit(f"{path}.sources.puff.file", str(tmp_path / "bad.csv"))
    until(qtbot, lambda: "not a number" in window.state.session.status.problem)
    window.undo()
    window.undo()
    simulated(window, qtbot)


def test_a_selected_particle_source_can_be_moved_by_its_handle(window: Window, qtbot: QtBot):
    path = add(window, "Sparks")
    window.state.select(f"{path}.sources.burst")
    simulated(window, qtbot)
    source = get(window.state.effect, window.state.selection)
    x, y, _ = window.stage.view().project(np.array([source.position]))[0]
    at = QPoint(round(x), round(y))
    QTest.mouseMove(window.stage, at)
    drag(window.stage, at, at + QPoint(60, 0))
    moved = get(window.state.effect, window.state.selection)
    assert moved.position != source.position


def test_a_shape_that_needs_a_prop_or_a_layer_takes_the_first_that_fits(window: Window, qtbot: QtBot):
    path = add(window, "Sparks")
    source = f"{path}.sources.burst"
    window.state.select(source)
    for shape, name, value in (("surface", "prop", "box"), ("gas", "of", "puff"), ("sphere", "of", "puff")):
        row = window.sheet.row(f"{source}.shape")
        assert row is not None
        row.field.setCurrentIndex(row.field.findData(shape))  # type: ignore[attr-defined]
        row.field.activated.emit(row.field.currentIndex())  # type: ignore[attr-defined]
        node = get(window.state.effect, source)
        assert node.shape == shape and getattr(node, name) == value
    window.state.select("layers.puff.sources.source")
    row = window.sheet.row("layers.puff.sources.source.shape")
    assert row is not None
    window.state.edit("layers.puff.sources.source.shape", "particles")  # names no layer yet: refused
    assert get(window.state.effect, "layers.puff.sources.source").shape != "particles"
    row._set("particles", object())
    assert get(window.state.effect, "layers.puff.sources.source").of == "sparks"
    window.in_hand.remove(path)
    window.state.select("layers.puff.sources.source")


def test_rows_that_would_do_nothing_are_not_shown(window: Window, qtbot: QtBot):
    path = add(window, "Debris")
    assert window.sheet.row(f"{path}.look.spin") is None and window.sheet.row(f"{path}.look.colour") is None
    path = add(window, "Dust")
    assert (
        window.sheet.row(f"{path}.look.colour") is not None
        and window.sheet.row(f"{path}.look.colour_low") is None
    )
    window.state.edit(f"{path}.look.colour_by", "speed")
    assert window.sheet.row(f"{path}.look.colour_low") is not None


def test_the_rose_of_a_source_is_drawn_as_it_throws(window: Window, qtbot: QtBot):
    source = PointSource(id="s", name="S", arrow=(1, 0, 0), spread=90.0, rose=ramp((0.0, 0.0), (1.0, 1.0)))
    arrow, *roses = rose_lines(source, STILL)
    assert np.allclose(arrow[1], (ARROW, 0, 0))
    for rose in roses:  # nothing ahead, all of it square to the arrow
        far = np.linalg.norm(rose, axis=1)
        assert far.max() == pytest.approx(ROSE) and abs(rose[int(far.argmax()), 0]) < 1e-6
        assert far[len(far) // 2] < 1e-6
    path = add(window, "Sparks")
    simulated(window, qtbot)
    plain = pixels(window.stage.grab().toImage())
    window.state.select(f"{path}.sources.{get(window.state.effect, path).sources[0].id}")
    settle(qtbot, window)
    assert (np.abs(pixels(window.stage.grab().toImage()) - plain).max(axis=2) > 40).sum() > 150


def test_a_prop_is_let_break_from_its_sheet(window: Window, qtbot: QtBot):
    before = window.state.effect
    window.state.select("props.box")
    foot = next(f for part in window.sheet.parts for f in part.feet if isinstance(f, PropFoot))
    QTest.mouseClick(foot.breaks, Qt.MouseButton.LeftButton)
    layer = window.state.layer
    assert layer is not None and layer.breaks == "box" and window.state.selection == f"layers.{layer.id}"
    simulated(window, qtbot)
    window.state.go(window.state.effect.frames - 1)
    settle(qtbot, window)
    frame = window.stage.shown.frames[layer.id]
    assert isinstance(frame, PointFrame) and len(frame.points) >= 40 and not window.state.status.problem
    window.undo()
    assert window.state.effect is before


def test_the_arrow_is_aimed_by_its_tip(window: Window, qtbot: QtBot):
    path = add(window, "Sparks")
    id = get(window.state.effect, path).sources[0].id
    window.state.select(f"{path}.sources.{id}")
    settle(qtbot, window)
    before = window.state.effect
    tip = next(h for h in handles_of(window.state) if h.line == "arrow")
    view = window.stage.view()
    x, y, _ = view.project(tip.point[None])[0]
    drag(window.stage, QPoint(round(x), round(y)), QPoint(round(x) + 60, round(y) + 20))
    source = get(window.state.effect, f"{path}.sources.{id}")
    assert source.arrow != get(before, f"{path}.sources.{id}").arrow
    assert np.linalg.norm(source.arrow) == pytest.approx(1.0, abs=2e-3)
    assert source.position == get(before, f"{path}.sources.{id}").position
    window.undo()
    assert window.state.effect is before
