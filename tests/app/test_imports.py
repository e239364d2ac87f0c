"""Meshes in the window: brought in, thinned, played, looked through, scattered; sources on parts of them,
shaped by images."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from drive import field, pixels, settle
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox
from pytestqt.qtbot import QtBot

from tenka.app.window import Window
from tenka.demo import FOLDER, canvas
from tenka.effect import storage
from tenka.scene.distance import prop_distance
from tenka.scene.props import own_mesh

CANVAS = FOLDER / "props" / "canvas.glb"


def typed(window: Window, path: str, text: str) -> None:
    number = field(window, path)
    number.type_in(text)
    assert number._edit is not None
    QTest.keyClick(number._edit, Qt.Key.Key_Return)


def brought_in(window: Window) -> str:
    window.tray.add_mesh(CANVAS)
    return window.state.selection


def test_a_mesh_comes_with_its_clip_its_credit_and_what_it_is_made_of(window: Window, qtbot: QtBot):
    path = brought_in(window)
    prop = window.state.effect.props[-1]
    assert prop.clip == "flap" and prop.credit == canvas.CREDIT
    told = window.sheet.feet["mesh"].told.text()
    assert (
        "1,440 triangles" in told
        and "damp" in told
        and "open edges" in told
        and "KB in a package's set" in told
    )
    typed(window, f"{path}.keep", "0.25")
    assert "1,440 → 3" in window.sheet.feet["mesh"].told.text()
    window.undo()
    assert window.state.effect.props[-1].keep == 1.0


def test_the_clip_row_lists_the_files_clips_and_is_not_there_for_others(window: Window):
    path = brought_in(window)
    row = window.sheet.row(f"{path}.clip")
    assert row is not None and isinstance(row.field, QComboBox)
    assert [row.field.itemText(i) for i in range(row.field.count())] == ["none", "flap"]
    row.field.setCurrentIndex(0)
    row.field.activated.emit(0)
    assert window.state.effect.props[-1].clip == "" and window.sheet.row(f"{path}.clip_speed") is None
    window.tray.add_mesh(FOLDER / "props" / "figure.glb")
    assert (
        window.sheet.row(f"{window.state.selection}.clip") is None
        and window.sheet.row(f"{window.state.selection}.keep") is not None
    )


def test_a_playing_clip_is_drawn_where_it_is_at_each_frame(window: Window, qtbot: QtBot):
    brought_in(window)
    assert window.state.session.wait_until_stored(60)
    pictures = []
    for frame in (0, 9):
        window.state.go(frame)
        settle(qtbot, window)
        pictures.append(pixels(window.stage.image))
    assert (np.abs(pictures[0] - pictures[1]).max(axis=2) > 12).sum() > 500


def test_looking_through_a_files_camera_moves_the_view_and_is_undone(window: Window, qtbot: QtBot):
    brought_in(window)
    before = window.state.effect.camera
    window.sheet.feet["mesh"].eyes["yard"].click()
    assert window.state.effect.camera != before and window.stage.camera == window.state.effect.camera
    assert window.state.effect.camera.fov > 39.9
    window.undo()
    assert window.state.effect.camera == before


def test_copies_have_rows_once_there_are_several(window: Window):
    window.state.select("props.box")
    assert window.sheet.row("props.box.copies_turn") is None
    typed(window, "props.box.copies", "12")
    assert window.sheet.row("props.box.copies_turn") is not None
    assert len(window.stage.mesh().faces) == 12 * 12


def test_a_source_on_a_part_says_which_parts_there_are(window: Window, qtbot: QtBot):
    brought_in(window)
    prop = window.state.effect.props[-1].id
    source = "layers.puff.sources.source"
    window.state.edit(f"{source}.prop", prop)
    window.state.edit(f"{source}.shape", "surface")
    window.state.select(source)
    row = window.sheet.row(f"{source}.part")
    assert row is not None
    row.field.setText("sail")  # type: ignore[attr-defined]
    row.field.editingFinished.emit()  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: "no part 'sail'" in window.state.status.problem, timeout=10_000)
    row.field.setText("damp")  # type: ignore[attr-defined]
    row.field.editingFinished.emit()  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: not window.state.status.problem, timeout=10_000)
    assert window.state.session.wait_until_stored(60)


def test_an_image_is_found_after_saving_elsewhere(window: Window, tmp_path: Path):
    Image.new("L", (4, 4), 255).save(tmp_path / "m.png")
    source = "layers.puff.sources.source"
    window.state.edit(f"{source}.shaped_by", "image")
    window.state.edit(f"{source}.image", "m.png")
    (tmp_path / "deep").mkdir()
    assert window.save_to(tmp_path / "deep" / "b.tenka")
    assert storage.load(tmp_path / "deep" / "b.tenka").layers[0].sources[0].image == "../m.png"


def test_the_tray_adds_a_figure_for_scale(window: Window):
    next(a for a in window.tray.prop_menu.actions() if a.text() == "Figure").trigger()
    figure = window.state.effect.props[-1]
    low, high = own_mesh(figure, None).bounds
    assert figure.shape == "figure" and high[2] - low[2] == pytest.approx(1.75, abs=0.03)
    assert prop_distance(figure, None, np.array([[0.0, 0.0, 1.0], [1.0, 0.0, 1.0]]), 0.05) == pytest.approx(
        [-0.1, 0.65], abs=0.1
    )
