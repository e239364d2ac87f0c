"""A water's surface as textures: what is written is what was simulated; loops, sides, windows; bad files."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from tenka.base.errors import BadInput, TenkaError
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect.courses import Key, Keys
from tenka.effect.document import on_tier, replaced, with_own
from tenka.effect.model import (
    BasinBox,
    Camera,
    Delivery,
    Effect,
    InWater,
    Prop,
    Tier,
    WaterLayer,
    WaterSource,
)
from tenka.effect.routes.livewater import LiveWater
from tenka.effect.routes.surface import SurfaceMaps
from tenka.look.flip import flip_error as flip
from tenka.look.render import Renderer
from tenka.look.shot import gathered, shot_of
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.package.surfaces import Atlases
from tenka.proof.elements.base import Run
from tenka.proof.engine import Package, package_view
from tenka.run.plans import plans_of

SECONDS = 1.0


def pond(**route: Any) -> Effect:
    """Water with a spout that beats, and a block that is towed."""
    block = Prop(
        id="block",
        name="Block",
        shape="box",
        size=(0.5, 0.3, 0.2),
        position=(-0.7, 0.3, -0.08),
        shift_x=Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=2, v=2.0, ease="linear"))),
    )
    spout = WaterSource(
        id="spout",
        name="Spout",
        flow=0.0,
        push=(0, 0, -1.6),
        position=(0.4, -0.3, 0),
        size=(0.3, 0.3, 0.3),
        foams=3.0,
    )
    layer = WaterLayer(
        id="pond",
        name="Pond",
        basin=BasinBox(origin=(-1.2, -0.8, -0.5), size=(2.4, 1.6, 0.9), depth=0.5, cell=0.05),
        sources=(spout,),
        colliders=(InWater(id="hull", name="Hull", prop="block"),),
    )
    settings = {"last": SECONDS, "texels": 48, "flow": True, **route}
    delivery = Delivery(id="sheet", name="Sheet", of=("pond",), route=SurfaceMaps(**settings))
    return Effect(
        name="Pond",
        seconds=SECONDS + 0.1,
        props=(block,),
        layers=(layer,),
        deliveries=(delivery,),
        camera=Camera(target=(0.0, 0.0, -0.05), distance=3.2, heading=-60.0, pitch=28.0),
        tiers=(Tier(id="low", name="Low", ms=2.0, mb=20.0),),
    )


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def packed(effect: Effect, store: FrameStore, out: Path) -> tuple[Any, Path]:
    pack(effect, None, store, out)
    return next(e for e in form.read(out).elements if e.id == effect.deliveries[0].id), out


def simulated(effect: Effect, store: FrameStore, index: int) -> Any:
    return plans_of(effect, None)["pond"].read(store, index)


def test_heights_foam_and_depth_are_those_of_the_frames(store: FrameStore, tmp_path: Path):
    effect = pond()
    element, folder = packed(effect, store, tmp_path / "p")
    assert element.frame == (48, 32) and len(element.times) == 25 and element.bits == 16
    atlas = Atlases(folder, element)
    for index in (0, 7, 24):
        frame, found = simulated(effect, store, index), atlas.at(index)
        # as many texels as cells: each is its cell
        assert found.rise.shape == frame.rise.shape
        assert float(np.abs(found.rise - frame.rise).max()) < 1e-4
        assert float(np.abs(found.depth - frame.depth).max()) < element.deepest / 255 + 2e-3
        assert float(np.abs(found.foam - frame.foam).max()) < 0.003
        assert float(np.abs(found.under - frame.under).max()) < 0.003
        assert found.origin == pytest.approx((-1.2, -0.8)) and found.cell == pytest.approx(0.05)
    assert element.lowest < -0.005 and element.highest > 0.005


def test_normals_and_flow_point_where_the_surface_and_the_water_do(store: FrameStore, tmp_path: Path):
    effect = pond()
    element, folder = packed(effect, store, tmp_path / "p")
    frame = simulated(effect, store, 12)
    (w, h), columns = element.frame, element.columns
    row, column = divmod(12, columns)
    cell = np.s_[row * h : row * h + h, column * w : column * w + w]
    with Image.open(folder / element.covers.file) as image:
        covers = np.swapaxes(np.asarray(image)[cell][::-1], 0, 1).astype(float)
    with Image.open(folder / element.flow.file) as image:
        flow = np.swapaxes(np.asarray(image)[cell][::-1], 0, 1).astype(float)
    x, y = np.gradient(frame.rise, 0.05)
    want = -x / np.sqrt(1 + x * x + y * y)
    assert np.abs(covers[..., 0] / 127.5 - 1 - want).max() < 0.01
    u, v = frame.speed
    scale = element.pace
    assert np.abs((flow[..., 0] / 127.5 - 1) * scale - u).max() < scale / 100
    assert np.abs((flow[..., 1] / 127.5 - 1) * scale - v).max() < scale / 100


def test_with_fewer_texels_waves_keep_their_volume(store: FrameStore, tmp_path: Path):
    effect = pond(texels=24, bits="8")
    element, folder = packed(effect, store, tmp_path / "p")
    assert element.frame == (24, 16) and element.bits == 8
    frame, found = simulated(effect, store, 20), Atlases(folder, element).at(20)
    step = (element.highest - element.lowest) / 255
    assert float(found.rise.mean()) == pytest.approx(float(frame.rise.mean()), abs=step)
    assert float(found.rise.std()) > 0.6 * float(frame.rise.std())


def test_a_loop_joins_and_says_how_well(store: FrameStore, tmp_path: Path):
    once, _ = packed(pond(), store, tmp_path / "once")
    loop, folder = packed(pond(ends="loop", blend=0.4), store, tmp_path / "loop")
    assert not once.loops and loop.loops and len(loop.times) == 25 - 10
    assert loop.end(2.0, 9.0) == once.end(2.0, 9.0) == 9.0
    atlas = Atlases(folder, loop)
    first, last = atlas.at(0), atlas.at(len(loop.times) - 1)
    changes = [
        float(np.abs(atlas.at(n + 1).rise - atlas.at(n).rise).mean()) for n in range(len(loop.times) - 1)
    ]
    seam = float(np.abs(first.rise - last.rise).mean())
    assert loop.seam == pytest.approx(seam / float(np.median(changes)), rel=0.02)
    assert seam < 2.0 * float(np.median(changes))
    # at its beginning it is what comes after its end, in the middle what was simulated there
    want = simulated(pond(), store, len(loop.times)).rise
    assert float(np.abs(first.rise - want).max()) < 2e-3
    assert float(np.abs(atlas.at(12).rise - simulated(pond(), store, 12).rise).max()) < 2e-3
    assert "join" in loop.remark


def test_tiled_sides_meet_and_still_ones_die_down(store: FrameStore, tmp_path: Path):
    tiled, folder = packed(pond(edges="tiled", margin=0.4), store, tmp_path / "t")
    assert tiled.size == pytest.approx((2.0, 1.2))
    now = Atlases(folder, tiled).at(20)
    across = np.abs(np.diff(now.rise, axis=0)).max()
    assert np.abs(now.rise[0] - now.rise[-1]).max() < 1.5 * across
    still, folder = packed(pond(edges="still", margin=0.4), store, tmp_path / "s")
    now = Atlases(folder, still).at(20)
    for side in (now.rise[0], now.rise[-1], now.rise[:, 0], now.rise[:, -1]):
        assert np.abs(side).max() < 0.02 * np.abs(now.rise).max() + 2e-5
    frame = simulated(pond(), store, 20)
    middle = np.s_[18:30, 12:20]
    assert np.abs(now.rise[middle] - frame.rise[middle]).max() < 1e-3


def test_a_window_that_follows_is_told_by_its_corners(tmp_path: Path):
    effect = replaced(pond(), "layers.pond.basin.follows", "block")
    element, folder = packed(effect, FrameStore(tmp_path / "frames"), tmp_path / "p")
    x = [o[0] for o in element.origins]
    pair = 2 * effect.layers[0].basin.cell  # by which it moves
    assert x[-1] - x[0] == pytest.approx(1.0, abs=pair + 1e-6) and sorted(x) == x
    assert np.allclose(np.diff(x) / pair, np.round(np.diff(x) / pair), atol=1e-4)
    assert Atlases(folder, element).at(24).origin == element.origins[24]


def test_proof_draws_what_the_stage_does(store: FrameStore, tmp_path: Path):

    effect = pond(texels=48)
    _, folder = packed(effect, store, tmp_path / "p")
    package = Package(folder)
    view = package_view(package, 320, 200)
    bare = effect.model_copy(update={"props": ()})
    frames, past = gathered(plans_of(effect, None), store, 16)
    shot = shot_of(bare, frames, None, 16 / 24, past=past)
    shot.waters[0].frame.under[:] = 0  # the block has moved away in the package's set
    stage = Renderer().draw_shot(shot, effect.light, view).rgb
    del package._leaving[:]
    package.mesh = package.mesh.__class__(
        np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32), np.zeros((0, 3), np.float32)
    )
    package._now = (-1, package.mesh)
    for played in package.played:
        played._atlases._flow = None
    proof = package.draw(16 / 24, view).rgb
    assert flip(stage, proof) < 0.06
    # it is over: the water stays as it ended, until it is stopped
    last, late = (package.draw(t, view).rgb for t in (SECONDS, 50.0))
    assert flip(last, late) < 0.03  # but for its ripples
    ended = package.draw(50.0, view, runs=(Run(ended=49.0),)).rgb
    assert flip(proof, ended) > 0.1


def test_what_the_player_turns_is_seen(store: FrameStore, tmp_path: Path):
    _, folder = packed(pond(), store, tmp_path / "p")
    package = Package(folder)
    view = package_view(package, 200, 120)
    usual = package.draw(0.6, view).rgb.astype(int)
    element = package.elements[0]
    for name, value in (("height", 0.0), ("foam", 0.0), ("speed", 0.2), ("squares", 3)):
        player = element.player.model_copy(update={name: value})
        other = package.draw(0.6, view, (player,)).rgb.astype(int)
        assert np.abs(other - usual).max() > 10, name


def test_files_that_are_not_what_the_manifest_says_are_told(store: FrameStore, tmp_path: Path):
    element, folder = packed(pond(), store, tmp_path / "p")
    heights = folder / element.heights.file
    kept = heights.read_bytes()
    for data in (b"", b"no picture", kept[:200]):
        heights.write_bytes(data)
        with pytest.raises(BadInput):
            Package(folder)
    Image.new("I;16", (10, 10)).save(heights)
    with pytest.raises(BadInput, match="as the manifest says"):
        Package(folder)
    heights.write_bytes(kept)
    tree = json.loads((folder / form.MANIFEST).read_text())
    tree["elements"][0]["origins"] = tree["elements"][0]["origins"][:3]
    (folder / form.MANIFEST).write_text(json.dumps(tree))
    with pytest.raises(BadInput, match="corner for each frame"):
        Package(folder)


def test_an_atlas_that_is_too_large_is_refused_before_anything_is_written(store: FrameStore, tmp_path: Path):
    effect = replaced(pond(), "seconds", 60.0)
    effect = replaced(
        replaced(effect, "deliveries.sheet.route.last", 60.0), "deliveries.sheet.route.texels", 1024
    )
    with pytest.raises(TenkaError, match=r"at most 16,384 px|would take about"):
        pack(effect, None, store, tmp_path / "p")
    assert not (tmp_path / "p").exists()


def test_its_cost_counts_texels_pixels_and_vertices():
    effect = pond()
    line = ledger(effect, "low", {}).lines[0]
    held = 28 * 48 * 32 * 10 / 1e6
    assert line.mb == pytest.approx(held, rel=1e-6)  # 25 frames in 4 x 7 cells, of 2, 4 and 4 bytes
    far = ledger(replaced(effect, "tiers.low.distance", 40.0), "low", {}).lines[0]
    assert far.covered < 0.25 * line.covered and far.ms < line.ms
    fine = with_own(effect, "low", "deliveries.sheet.route.texels", 96)
    assert ledger(fine, "low", {}).lines[0].mb == pytest.approx(4 * line.mb, rel=0.02)
    assert on_tier(fine, "low").deliveries[0].route.texels == 96


def test_a_live_water_is_described_to_the_last_setting(store: FrameStore, tmp_path: Path):
    effect = pond()
    route = LiveWater(last=SECONDS, cells=64, window="window", window_size=1.2)
    effect = effect.model_copy(
        update={"deliveries": (effect.deliveries[0].model_copy(update={"route": route}),)}
    )
    element, folder = packed(effect, store, tmp_path / "p")
    assert element.cells == (64, 64) and element.cell == pytest.approx(1.2 / 64) and element.movers == 1
    tree = json.loads((folder / element.table.file).read_text())
    assert tree["sources"]["Spout"]["push"] == {"value": [0.0, 0.0, -1.6], "unit": "m/s"}
    assert len(tree["in_water"]["Block"]["places"]) == effect.frames
    assert tree["in_water"]["Block"]["places"][24][0] == pytest.approx(-0.7 + 1.0)
    assert tree["basin"]["depth"] == {"value": 0.5, "unit": "m"}
    assert Package(folder).unplayed == ["Sheet"]
    whole = replaced(effect, "deliveries.sheet.route.window", "whole")
    assert ledger(whole, "low", {}).lines[0].ms > 0
    small, large = (
        ledger(replaced(effect, "deliveries.sheet.route.cells", n), "low", {}).lines[0].mb for n in (64, 128)
    )
    assert large == pytest.approx(4 * small, rel=0.02)
