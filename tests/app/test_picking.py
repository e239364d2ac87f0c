"""A click on the stage selects what is there."""

from __future__ import annotations

import math

import numpy as np
import pytest
from drive import LEFT, drag
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from tenka.app.window import Window
from tenka.effect.starters import with_force
from tenka.scene.meshes import primitive
from tenka.scene.picking import box_hit, mesh_hit


def test_rays_meet_boxes_and_meshes_where_they_should():
    low, high = np.array([-1.0, -1, -1]), np.array([1.0, 1, 1])
    start, way = np.array([-5.0, 0.2, 0.3]), np.array([1.0, 0, 0])
    assert box_hit(start, way, low, high) == pytest.approx(4.0)
    assert box_hit(np.zeros(3), way, low, high) == 0.0
    assert math.isinf(box_hit(start, -way, low, high))
    assert math.isinf(box_hit(start + np.array([0, 5.0, 0]), way, low, high))
    ball = primitive("sphere", (0.5, 0.5, 0.5)).scaled((2.0, 2.0, 2.0))  # stands on the ground
    middle = np.array([0.0, 0.0, 1.0])
    for seed in range(40):
        out = np.random.default_rng(seed).normal(size=3)
        out /= np.linalg.norm(out)
        assert mesh_hit(middle + 4 * out, -out, ball) == pytest.approx(3.0, abs=0.05)
    assert math.isinf(mesh_hit(middle + np.array([4.0, 0, 0]), np.array([1.0, 0, 0]), ball))


def spot(window: Window, place: tuple[float, float, float]) -> QPoint:
    x, y, depth = window.stage.view().project(np.array([place], float))[0]
    assert depth > 0
    return QPoint(round(x), round(y))


def test_sources_props_and_forces_are_clicked_and_what_lies_behind_too(window: Window, qtbot: QtBot):
    state, stage = window.state, window.stage
    state.edit("props.box.position", (0.9, -0.2, 0.0))
    state.edit("props.box.size", (0.3, 0.3, 0.3))
    effect, force = with_force(state.effect, "pull")
    effect = effect.model_copy(
        update={"forces": tuple(f.model_copy(update={"position": (-0.8, 0.0, 1.4)}) for f in effect.forces)}
    )
    state.apply(effect, "Add pull")
    state.select("light")
    before = stage.camera
    QTest.mouseClick(stage, LEFT, pos=spot(window, (0.9, -0.2, 0.15)))
    assert state.selection == "props.box" and stage.camera == before
    source = state.effect.layers[0].sources[0]
    QTest.mouseClick(stage, LEFT, pos=spot(window, source.position))
    assert state.selection == f"layers.puff.sources.{source.id}"
    QTest.mouseClick(stage, LEFT, pos=spot(window, (-0.8, 0.0, 1.4)))
    assert state.selection == force
    state.edit("props.box.position", (*source.position[:2], 0.0))
    QTest.mouseClick(stage, LEFT, pos=spot(window, source.position))
    first = state.selection
    QTest.mouseClick(stage, LEFT, pos=spot(window, source.position))
    if not stage.hands.grip(spot(window, source.position).toPointF()):
        assert state.selection != first


def test_a_drag_selects_nothing_and_a_click_on_nothing_keeps_the_selection(window: Window, qtbot: QtBot):
    state, stage = window.state, window.stage
    state.select("light")
    drag(stage, QPoint(400, 300), QPoint(460, 320))
    assert state.selection == "light"
    QTest.mouseClick(stage, LEFT, pos=QPoint(4, 4))
    assert state.selection == "light"


def test_a_right_click_selects_and_opens_the_menu_of_what_is_there(window: Window, qtbot: QtBot):
    state, stage = window.state, window.stage
    source = state.effect.layers[0].sources[0]
    asked: list[str] = []
    stage.asked.connect(lambda path, _: asked.append(path))
    QTest.mouseClick(stage, Qt.MouseButton.RightButton, pos=spot(window, source.position))
    assert asked == [f"layers.puff.sources.{source.id}"] and state.selection == asked[0]
    menus = [m for m in stage.findChildren(QMenu) if m.isVisible()]
    assert len(menus) == 1 and menus[0].actions()[0].text().startswith("Rename")
    menus[0].close()
