"""Water in the window: begun, given a hull and a bed, shaped by its handles, dressed, packed and proved."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from drive import LEFT, drag, pixels, settle, until
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.sheet.fields import ChoiceField
from tenka.app.sheet.liquidfoot import LiquidFoot
from tenka.app.sheet.waterfoot import WaterFoot
from tenka.app.stage.picking import under
from tenka.app.window import Window
from tenka.effect import storage
from tenka.effect.courses import Key, Keys
from tenka.effect.document import get
from tenka.effect.model import rerouted, routes_for
from tenka.effect.starters import STARTERS, empty
from tenka.pack.lightmaps import asked_in_vain
from tenka.pack.packing import pack
from tenka.run.watering import WaterFrame

WATERS = [name for name, made in STARTERS.items() if made.group == "Water"]


def light(window: Window, cell: float = 0.1, seconds: float = 0.5) -> None:
    """Coarse and short, so that the test is quick."""
    state = window.state
    state.edit("seconds", seconds)
    for layer in state.effect.layers:
        if layer.BOX:
            edge = "voxel" if layer.BOX == "tank" else "cell"
            state.edit(f"layers.{layer.id}.{layer.BOX}.{edge}", cell)
            state.edit(f"layers.{layer.id}.{layer.BOX}.run_up", 0.2)


def frame(window: Window, index: int) -> WaterFrame:
    state = window.state
    assert state.session.wait_until_stored(120)
    shown = state.session.frame(index)
    assert shown is not None
    return shown.frames[state.effect.layers[0].id]


def begin(window: Window, name: str) -> None:
    """From an empty effect, by the tray's menu."""
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    window.leave_start()
    menu = window.tray.buttons["Water"].menu()
    assert menu is not None
    next(a for a in menu.actions() if a.text() == name).trigger()


@pytest.mark.parametrize("name", WATERS)
def test_each_beginning_of_water_is_one_menu_away_runs_and_is_seen(window: Window, qtbot: QtBot, name: str):
    begin(window, name)
    state = window.state
    layer = state.effect.layers[0]
    assert layer.kind in ("water", "liquid") and state.selection == f"layers.{layer.id}"
    light(window, 0.05 if layer.kind == "liquid" else 0.1)  # coarser than that, and what gives is lumps
    last = frame(window, 11)
    assert layer.kind == "liquid" or np.isfinite(last.rise).all()
    assert last.meta["volume"] > 0.03 and last.meta["energy"] > 0
    state.go(11)
    settle(qtbot, window)
    wet = pixels(window.stage.image)
    state.edit(f"layers.{layer.id}.hidden", True)
    settle(qtbot, window)
    assert np.abs(wet - pixels(window.stage.image)).max() > 40
    window.undo()
    assert state.findings() == [] or name == "Wake"  # the coarse cells are told there


def test_a_raft_is_made_a_hull_and_towed_by_hand(window: Window, qtbot: QtBot):
    begin(window, "Pool")
    state = window.state
    light(window)
    still = frame(window, 11).meta["energy"]
    next(a for a in window.tray.prop_menu.actions() if a.text() == "Box").trigger()
    prop = state.selection.split(".")[1]
    state.edit(f"props.{prop}.position", (-1.5, -2.4, -0.12))
    state.edit(f"props.{prop}.size", (0.7, 0.5, 0.3))
    state.edit(
        f"props.{prop}.shift_x", Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=1, v=2, ease="linear")))
    )
    window.tray.buttons["Block"].click()
    stop = get(state.effect, state.selection)
    assert stop.prop == prop and stop.acts == "hull"
    assert window.sheet.row(f"{state.selection}.push") is not None
    told = frame(window, 11)
    assert told.meta["touching"] == [stop.id] and told.meta["energy"] > 1.3 * still
    state.edit(f"{state.selection}.acts", "bed")
    assert window.sheet.row(f"{state.selection}.push") is None  # a bed has none
    assert frame(window, 11).meta["touching"] == []
    window.undo()
    window.undo()
    assert state.effect.layers[0].colliders == ()


def test_the_basin_is_pulled_at_its_walls_and_told_of_under_its_rows(window: Window, qtbot: QtBot):
    begin(window, "Pool")
    state = window.state
    light(window)
    before = state.effect.layers[0].basin
    state.select("layers.pool")
    settle(qtbot, window)
    assert window.sheet.rows
    foot = next(p for part in window.sheet.parts for p in part.feet if isinstance(p, WaterFoot))
    assert "50 × 50 = 2 thousand cells of 10 cm" in foot.told.text()
    (x, y, z), (wide, deep, high) = before.origin, before.size
    point = np.array([[x + wide, y + 0.5 * deep, z + 0.5 * high]])
    px, py, _ = window.stage.view().project(point)[0]
    at = QPoint(round(px), round(py))
    drag(window.stage, at, at + QPoint(60, 10))
    after = state.effect.layers[0].basin
    assert after.size[0] > wide + 0.2 and after.size[1:] == before.size[1:] and after.depth == before.depth
    assert after.cell == before.cell and after.cells[0] > before.cells[0]
    state.edit("layers.pool.basin.cells_by", "count")
    state.edit("layers.pool.basin.count", 40)
    assert max(state.effect.layers[0].basin.cells) == 40
    assert window.sheet.row("layers.pool.basin.cell") is None
    settle(qtbot, window)
    assert "40 ×" in foot.told.text()
    for _ in range(3):
        window.undo()
    assert state.effect.layers[0].basin == before


def test_a_click_on_the_water_selects_it_and_the_tray_adds_inflows(window: Window, qtbot: QtBot):
    begin(window, "Pool")
    state = window.state
    light(window)
    frame(window, 2)
    state.go(2)
    settle(qtbot, window)
    state.select("props.prop")
    px, py, _ = window.stage.view().project(np.array([[-0.5, -3.5, -0.05]]))[0]
    assert under(window.stage, px, py)[0] == "layers.pool"
    QTest.mouseClick(window.stage, LEFT, pos=QPoint(round(px), round(py)))
    assert state.selection.startswith("layers.pool")
    state.select("layers.pool")
    window.tray.buttons["Source"].click()
    source = get(state.effect, state.selection)
    assert source.name == "Inflow" and source.flow == 0.05
    for name in ("flow", "push", "foams"):
        assert window.sheet.row(f"{state.selection}.{name}") is not None, name
    assert window.sheet.row(f"{state.selection}.rain") is None
    state.edit(f"{state.selection}.gives", "rain")
    assert window.sheet.row(f"{state.selection}.rain") is not None
    first, last = frame(window, 0), frame(window, 11)
    assert last.meta["given"] > first.meta["given"]


def test_looks_of_water_are_laid_kept_and_compared(window: Window, qtbot: QtBot, tmp_path: Path):
    begin(window, "Pool")
    state = window.state
    light(window)
    frame(window, 5)
    state.go(5)
    window.go_to("look")
    foot = window.sheet._now.look_foot
    assert foot is not None and {"Clear pool", "Mud", "Copper glaze"} <= set(foot.buttons)
    until(qtbot, lambda: not foot.buttons["Mud"].icon().isNull(), 60_000)
    keys = state.status.of("pool").stored
    foot.buttons["Copper glaze"].click()
    assert state.effect.layers[0].look.murk == 40.0
    assert state.status.of("pool").stored == keys  # nothing is simulated again
    foot.keep("Of the quay")
    assert "Of the quay" in foot.looks()
    window.undo()
    assert state.effect.layers[0].look.murk == 0.05


def test_water_is_packed_and_played_in_the_window(window: Window, qtbot: QtBot, tmp_path: Path):
    effect = STARTERS["Wake"](empty())
    storage.save(effect, tmp_path / "wake.tenka")
    assert window.open(tmp_path / "wake.tenka")
    light(window, 0.16, 1.0)
    until(qtbot, lambda: window.state.ready and all(window.state.status.stored), 90_000)
    window.go_to("pack")
    row = window.sheet.row("deliveries.wake.route.texels")
    assert row is not None
    window.state.edit("deliveries.wake.route.texels", 48)
    window.state.edit("deliveries.wake.route.last", 0.9)
    window.pack.set_target(tmp_path / "package")
    until(qtbot, lambda: window.pack.button.isEnabled())
    window.pack.start()
    until(qtbot, lambda: window.pack.progress is None and window.state.package is not None, 90_000)
    window.go_to("proof")
    proof = window.proof
    until(qtbot, lambda: proof.package is not None and proof.screen_.image is not None, 30_000)
    assert routes_for([window.state.effect.layers[0]]) == ["surface", "livewater"]
    window.state.apply(rerouted(window.state.effect, "wake", "livewater"), "Another route")
    window.go_to("pack")
    until(qtbot, lambda: window.sheet.row("deliveries.wake.route.cells") is not None)


def test_a_fountain_falls_into_its_bowl_is_told_and_written_out(window: Window, qtbot: QtBot, tmp_path: Path):
    begin(window, "Fountain")
    state = window.state
    light(window, 0.05)
    state.edit("layers.fountain.tank.run_up", 1.2)  # until it falls
    frame(window, 11)
    state.select("layers.fountain")
    settle(qtbot, window)
    foot = window.sheet.point_foot
    assert isinstance(foot, LiquidFoot)
    until(qtbot, lambda: "flow on into a water" in foot.told.text())
    assert "voxels of 5 cm" in foot.told.text() and "steps a frame" in foot.told.text()
    row = window.sheet.row("layers.fountain.ends.joins")
    field = row.field
    assert isinstance(field, ChoiceField) and field.currentText() == "Bowl"
    field.setCurrentIndex(field.findData(""))
    field.activated.emit(field.currentIndex())
    assert get(state.effect, "layers.fountain.ends.joins") == ""
    assert get(state.effect, "layers.bowl.sources") == ()
    window.undo()
    assert [s.of for s in get(state.effect, "layers.bowl.sources")] == ["fountain"]
    state.select("layers.bowl.sources.pours")  # it gives where that falls: nothing places it
    settle(qtbot, window)
    shown = {
        name
        for name in ("shape", "of", "turn", "parent", "path", "shift_x", "carried", "gives", "foams")
        if window.sheet.row(f"layers.bowl.sources.pours.{name}") is not None
    }
    assert shown == {"shape", "of", "foams"}
    state.select("layers.fountain")
    settle(qtbot, window)
    frame(window, 11)
    foot = window.sheet.point_foot
    foot.buttons["Write out…"].click()
    sheet = foot.writing
    until(qtbot, lambda: "about" in sheet.told.text())
    assert "12 meshes" in sheet.told.text()
    sheet.write(tmp_path / "bell.glb")
    until(qtbot, lambda: sheet.progress is None)
    assert "12 frames" in sheet.said.text() and "vertices" in sheet.said.text()
    assert len(trimesh.load(tmp_path / "bell.glb").geometry) > 3
    sheet.close()
    said: list[str] = []
    state.said.connect(said.append)
    foot.buttons["Let it mist"].click()
    assert "no gas to feed" in said[-1]


def test_a_liquid_goes_by_a_flipbook_with_normals(window: Window, qtbot: QtBot, tmp_path: Path):
    begin(window, "Splash")
    state = window.state
    light(window, 0.05)
    last = frame(window, 11)
    assert "flipbook" in routes_for(state.effect.layers)
    book = "deliveries.splash.route"
    state.apply(rerouted(state.effect, "splash", "flipbook"), "By another route")
    asked = {
        "columns": 4,
        "rows": 2,
        "width": 256,
        "height": 128,
        "normals": True,
        "distance": True,
        "six_way": True,
    }
    for name, value in asked.items():
        state.edit(f"{book}.{name}", value)
    assert "light maps" in asked_in_vain(state.effect, state.effect.deliveries[0])
    assert "normals" not in asked_in_vain(state.effect, state.effect.deliveries[0])
    manifest = pack(state.effect, state.folder, state.store, tmp_path / "p")
    element = manifest.elements[0]
    assert element.normals is not None and element.distance is not None and element.lit is None
    with Image.open(tmp_path / "p" / element.colour.file) as image:
        cells = np.asarray(image.convert("RGBA")).astype(float) / 255
    assert cells[..., 3].max() > 0.2 and cells[..., :3].max() > 0.2
    # as much of each frame is covered as the water's outline covers
    assert last.meta["count"] > 1000 and (cells[-64:, -64:, 3] > 0.02).mean() > 0.05
