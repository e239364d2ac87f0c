"""Every route: its tables fit each other, what is written holds what was simulated, and Proof shows it."""

from __future__ import annotations

import errno
import json
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import jsonschema
import numpy as np
import pytest
import trimesh
from build import small_effect
from command import command
from PIL import Image
from routes import alone, many_ways, packed_alone

import tenka.app.pack
import tenka.budget.routes
import tenka.effect.routes
import tenka.pack.routes
import tenka.package.elements
import tenka.proof.elements
from tenka.base.errors import BadInput, Cancelled
from tenka.base.exr import read_exr
from tenka.base.jobs import Progress
from tenka.budget.cost import ledger
from tenka.cache.store import Frame, FrameStore
from tenka.effect import storage
from tenka.effect.courses import still
from tenka.effect.document import on_tier, replaced, with_own
from tenka.effect.model import ROUTES, Delivery, Effect, Light, Look, Prop, Tier, rerouted, routes_for
from tenka.look.flip import flip_error as flip
from tenka.look.lamps import WIDE
from tenka.look.march import march
from tenka.look.pieces import bodies_mesh, lives_of
from tenka.look.render import Renderer
from tenka.look.shimmer import bends_of
from tenka.look.shot import gathered, shot_of
from tenka.look.swarm import Swarm, ready
from tenka.look.volume import light_volume
from tenka.pack.amiss import unfit
from tenka.pack.layout import bounds_of, left_out, packable, taken
from tenka.pack.packing import pack
from tenka.pack.routes import ROUTES as WRITERS
from tenka.package import manifest as form
from tenka.package.grids import frame_of, mixed
from tenka.package.rows import rows_of, stands_of
from tenka.proof.elements.base import Now, place_in
from tenka.proof.engine import Package, package_view
from tenka.run.driver import figures_of, past_of
from tenka.run.plans import plans_of
from tenka.scene.cameras import View, side_view, view_of

SCHEMA = Path(__file__).parents[2] / "docs" / "package-schema.json"


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


@pytest.fixture(scope="module")
def effect() -> Effect:
    return many_ways()


@pytest.fixture(scope="module")
def folder(effect: Effect, store: FrameStore, tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("packed") / "package"
    pack(effect, None, store, out)
    return out


def of(folder: Path, id: str):
    return next(e for e in form.read(folder).elements if e.id == id)


def stored(effect: Effect, store: FrameStore, id: str, index: int):
    layer = taken(effect, effect.delivery(id))[0]
    plan = plans_of(effect, None)[layer.id]
    return layer, plan.read(store, index, True)


def test_the_tables_of_routes_fit_each_other():
    words = set(ROUTES)
    for table in (
        tenka.pack.routes.ROUTES,
        tenka.package.elements.ELEMENTS,
        tenka.proof.elements.PLAYED,
        tenka.budget.routes.ROUTES,
        tenka.app.pack.VIEWS,
    ):
        assert set(table) == words
    page = Path(tenka.pack.routes.__file__).parents[1] / "page"
    for word in words:
        settings, element = ROUTES[word], tenka.package.elements.ELEMENTS[word]
        assert settings().kind == word and settings.TITLE and settings.HINT.endswith(".")
        assert set(settings.TAKES) <= {"gas", "particles", "debris", "water", "liquid"}
        assert element.model_fields["route"].default == word
        assert f"ROUTES.{word} = {{" in (page / f"{word}.js").read_text()
        own = {n for n in ("player",) if n in settings.model_fields}
        assert own == {n for n in ("player",) if n in element.model_fields}


def test_the_manifest_of_all_routes_fits_the_schema_and_names_every_file(folder: Path):
    tree = json.loads((folder / form.MANIFEST).read_text())
    jsonschema.Draft202012Validator(json.loads(SCHEMA.read_text())).validate(tree)
    manifest = form.read(folder)
    assert {p.name for p in folder.iterdir()} == {form.MANIFEST, *form.NOTES, *manifest.files}
    assert {e.route for e in manifest.elements} == set(ROUTES)
    text = (folder / form.ABOUT).read_text()
    for element in manifest.elements:
        assert f"{element.id}  ({element.route} of" in text and element.files[0] in text
    assert max(len(line) for line in text.splitlines()) < 160


def test_the_same_effect_gives_the_same_bytes(
    effect: Effect, store: FrameStore, folder: Path, tmp_path: Path
):
    pack(effect, None, store, tmp_path / "again")
    for file in folder.iterdir():
        assert (tmp_path / "again" / file.name).read_bytes() == file.read_bytes(), file.name


# --- volumes ---------------------------------------------------------------------------------------


def test_a_sparse_volume_holds_the_fields_of_its_frames(effect: Effect, store: FrameStore, folder: Path):
    element = of(folder, "fog")
    for index in (3, len(element.frames) - 1):
        _, frame = stored(effect, store, "fog", index)
        found = frame_of(folder, element, index)
        kept = (frame.density > np.float16(element.threshold)) | (frame.flame > np.float16(element.threshold))
        assert element.frames[index].active == kept.sum() > 50
        low = np.round((np.array(found.origin) - frame.origin) / frame.voxel).astype(int)
        inside = tuple(slice(a, a + n) for a, n in zip(low, found.shape))
        for name in ("density", "temperature", "flame"):
            want = np.where(kept, getattr(frame, name), 0).astype(np.float32)
            assert np.array_equal(getattr(found, name), want[inside])
            assert getattr(found, name).sum(dtype=float) == pytest.approx(want.sum(dtype=float))
        middle = [(np.indices(f.shape) * f.density).sum((1, 2, 3)) / f.density.sum() for f in (found, frame)]
        places = [np.array(f.origin) + (m + 0.5) * f.voxel for f, m in zip((found, frame), middle)]
        assert np.allclose(places[0], places[1], atol=0.02)


def test_a_dense_volume_keeps_the_sum_of_every_field(effect: Effect, store: FrameStore, folder: Path):
    element = of(folder, "slabs")
    assert max(element.shape) == 24 and element.tiles[0] * element.tiles[1] >= element.shape[2]
    index = len(element.frames) - 1
    _, frame = stored(effect, store, "slabs", index)
    found = frame_of(folder, element, index)
    for name in ("density", "temperature", "flame"):
        whole = getattr(frame, name).sum(dtype=float) * frame.voxel**3
        assert getattr(found, name).sum(dtype=float) * found.voxel**3 == pytest.approx(whole, rel=0.03)
    for axis in range(3):
        both = []
        for f in (frame, found):
            sums = f.density.astype(float).sum(axis=tuple(a for a in range(3) if a != axis))
            both.append(f.origin[axis] + f.voxel * ((np.arange(len(sums)) + 0.5) * sums).sum() / sums.sum())
        assert both[0] == pytest.approx(both[1], abs=0.4 * found.voxel)


def test_the_velocity_beside_slices_is_that_of_the_gas(store: FrameStore, tmp_path: Path):
    effect = replaced(rerouted(small_effect(), "puff", "volume"), "deliveries.puff.route.form", "dense")
    effect = replaced(
        replaced(effect, "deliveries.puff.route.velocity", True), "deliveries.puff.route.side", 12
    )
    element = pack(effect, None, store, tmp_path / "p").elements[0]
    run = plans_of(effect, None)["puff"]
    frame = run.kind.read(store, run.name(9), True)
    (nx, ny, nz), (columns, rows) = element.shape, element.tiles
    assert [g.name for g in element.grids] == ["density", "temperature"]
    sheet = read_exr(tmp_path / "p" / element.frames[9].velocity.file, columns * nx, rows * ny, "RGB")
    tiles = sheet.reshape(rows, ny, columns, nx, 3).swapaxes(1, 2).reshape(rows * columns, ny, nx, 3)[:nz]
    box = tiles[:, ::-1].transpose(2, 1, 0, 3)
    for axis in range(3):  # what moves which way is kept, as a whole and from slab to slab
        whole = frame.velocity[axis].astype(float)
        scale = np.abs(whole).sum() * frame.voxel**3
        assert (
            abs(box[..., axis].sum() * element.voxel**3 - whole.sum() * frame.voxel**3) < 0.02 * scale + 1e-6
        )
    rising = [
        f.origin[2] + f.voxel * ((np.arange(len(s)) + 0.5) * s).sum() / s.sum()
        for f, s in (
            (frame, np.maximum(frame.velocity[2], 0).sum(axis=(0, 1))),
            (element_box(element), np.maximum(box[..., 2], 0).sum(axis=(0, 1))),
        )
    ]
    assert rising[0] == pytest.approx(rising[1], abs=0.6 * element.voxel)
    assert "_velocity_" in (tmp_path / "p" / "READ-ME.txt").read_text()
    lines = [
        ledger(replaced(effect, "deliveries.puff.route.velocity", on), "mid").lines[0] for on in (False, True)
    ]
    assert lines[1].mb - lines[0].mb == pytest.approx(2 * 8 * nx * ny * nz / 1e6, rel=0.06)


def element_box(element: Any) -> Any:
    """Where an element's voxels lie, as a frame says it."""
    return SimpleNamespace(origin=element.low, voxel=element.voxel)


def test_velocity_and_carried_colour_are_written_when_asked_for(store: FrameStore, tmp_path: Path):
    effect = small_effect()
    effect = replaced(effect, "layers.puff.look.carried", 1.0)
    effect = replaced(effect, "layers.puff.sources.source.dye", True)
    effect = rerouted(effect, "puff", "volume")
    for name in ("velocity", "colour"):
        effect = replaced(effect, f"deliveries.puff.route.{name}", True)
    element = pack(effect, None, store, tmp_path / "p").elements[0]
    assert [g.name for g in element.grids] == ["density", "temperature", "velocity", "colour", "coloured"]
    _, frame = stored(effect, store, "puff", 9)
    found = frame_of(tmp_path / "p", element, 9)
    assert found.dye is not None and frame.dye is not None
    want = (
        np.where((frame.density > np.float16(0.002))[..., None], frame.dye, 0)
        .astype(float)
        .sum(axis=(0, 1, 2))
    )
    assert np.allclose(found.dye.astype(float).sum(axis=(0, 1, 2)), want, rtol=1e-3)


def test_between_two_moments_sums_change_evenly(folder: Path):
    element = of(folder, "fog")
    a, b = (frame_of(folder, element, n) for n in (5, 6))
    sums = [mixed(a, b, s).density.sum(dtype=float) for s in (0.0, 0.25, 1.0)]
    assert sums[1] == pytest.approx(0.75 * sums[0] + 0.25 * sums[2], rel=1e-4)
    assert mixed(a, b, 0.25).time == pytest.approx(0.75 * a.time + 0.25 * b.time)


# --- slices ----------------------------------------------------------------------------------------


def stacked(package: Package, view: View, t: float) -> np.ndarray:
    """A stack over nothing, as light and cover, (h, w, 4)."""
    played, element = package.played[0], package.elements[0]
    far = np.full((view.height, view.width), 1e6, np.float32)
    out = []
    for under in (0.0, 1.0):
        image = np.full((view.height, view.width, 3), under, np.float32)
        player = element.player.model_copy(update={"soft_edge": 0.0})
        drawn = played.drawn(player, Now(t, view, np.zeros((1, 3)), package.light, package.gain))
        drawn.paint(np.argsort(-drawn.depth), far, image)
        out.append(image)
    return np.concatenate([out[0], 1.0 - (out[1] - out[0]).mean(axis=2, keepdims=True)], axis=2)


@pytest.mark.parametrize(("aside", "most"), [(0.0, 0.09), (20.0, 0.16), (40.0, 0.3), (60.0, 0.5)])
def test_a_stack_is_the_whole_from_its_own_side_and_near_it_from_aside(
    store: FrameStore, tmp_path: Path, effect: Effect, aside: float, most: float
):
    one = replaced(alone(effect, "leaves"), "deliveries.leaves.route.count", 24)
    one = replaced(one, "light.exposure", 0.0)
    pack(one, None, store, tmp_path / "p")
    package = Package(tmp_path / "p")
    element = package.elements[0]
    t = element.times[-1]
    _, frame = stored(one, store, "leaves", round(t * one.rate))
    layer = one.layers[0]
    low, high = np.array(frame.origin), frame.high
    view = side_view(low, high, -90.0 + aside, 90, 90)
    volume = light_volume(frame, still(layer.look, t), still(one.light, t))
    true = march(volume, view)
    whole = np.concatenate([true[..., :3] + true[..., 4:7], true[..., 3:4]], axis=2)
    found = stacked(package, view, t)
    off = np.abs(found - whole).mean() / np.abs(whole).mean()
    assert off < most, off
    sums = found.sum(axis=(0, 1)) / whole.sum(axis=(0, 1))
    assert np.allclose(sums, 1.0, atol=0.06 + 0.0025 * aside), sums


def test_sheets_without_anything_are_left_out_and_others_lie_where_there_is_more(
    store: FrameStore, tmp_path: Path, effect: Effect
):
    told = {}
    for spacing in ("evenly", "where it changes"):
        one = replaced(effect, "deliveries.leaves.route.spacing", spacing)
        one = replaced(one, "deliveries.leaves.route.count", 20)
        element = packed_alone(one, store, tmp_path / spacing[:4], "leaves").elements[0]
        told[spacing] = np.array([s.away for s in element.sheets])
        assert all((tmp_path / spacing[:4] / s.file).is_file() for s in element.sheets)
    even, spaced = told["evenly"], told["where it changes"]
    assert len(even) < 20 and np.ptp(np.diff(even)) < 1e-4
    assert len(spaced) >= len(even) and np.diff(spaced).min() < 0.8 * np.diff(even).min()


# --- particles -------------------------------------------------------------------------------------


def test_particles_are_written_as_they_are_drawn(effect: Effect, store: FrameStore, folder: Path):
    element = of(folder, "specks")
    rows = rows_of(folder, element)
    gain = 2.0**effect.light.exposure  # type: ignore[operator]
    for index in (2, 8):
        layer, frame = stored(effect, store, "specks", index)
        t = index / effect.rate
        points = ready(Swarm(frame.points, t, layer.look, lives_of(layer, t)), still(effect.light, t))
        there = rows[index][rows[index][:, 3] > 0]
        assert len(there) == len(points) > 0
        order, want = np.lexsort(there[:, :3].T), np.lexsort(points.place.T)
        assert np.array_equal(there[order][:, :3], points.place[want])
        assert np.array_equal(there[order][:, 3], points.width[want])
        assert np.allclose(there[order][:, 4:7], points.colour[want] * gain, rtol=2e-3)
        assert np.allclose(there[order][:, 8:11], (points.tail - points.place)[want], atol=2e-3)
    alive = (rows[..., 3] > 0).sum(axis=1)
    assert element.most == alive.max() and element.mean_alive == pytest.approx(alive.mean(), abs=1e-3)


def test_a_particle_keeps_its_column_and_none_takes_it_at_once(
    effect: Effect, store: FrameStore, folder: Path
):
    element = of(folder, "specks")
    rows = rows_of(folder, element)
    layer = taken(effect, effect.delivery("specks"))[0]
    plan = plans_of(effect, None)[layer.id]
    before: dict[int, int] = {}
    for index in range(len(element.times)):
        frame = plan.read(store, index)
        at = {tuple(place): n for n, place in enumerate(rows[index][:, :3].tolist()) if rows[index][n, 3] > 0}
        now = {}
        for id, place in zip(frame.points.id.tolist(), frame.points.place.tolist()):
            if tuple(place) in at:
                now[id] = at[tuple(place)]
                assert before.get(id, now[id]) == now[id]
        fresh = set(now) - set(before)
        assert not {now[id] for id in fresh} & set(before.values())
        before = now


def test_more_particles_than_asked_for_are_stood_for_by_larger_ones(
    effect: Effect, store: FrameStore, tmp_path: Path
):
    few = replaced(effect, "deliveries.specks.route.most", 40)
    whole, fewer = (
        packed_alone(e, store, tmp_path / n, "specks").elements[0] for e, n in ((effect, "a"), (few, "b"))
    )
    assert fewer.most < 0.7 * whole.most
    area = [e.mean_alive * e.mean_width**2 for e in (whole, fewer)]
    assert area[1] == pytest.approx(area[0], rel=0.5)


def test_tables_hold_every_value_of_every_particle(effect: Effect, store: FrameStore, tmp_path: Path):
    told = replaced(effect, "deliveries.specks.route.tables", "CSV")
    element = packed_alone(told, store, tmp_path / "p", "specks").elements[0]
    assert len(element.tables) == len(element.times)
    lines = (tmp_path / "p" / element.tables[6].file).read_text().splitlines()
    _, frame = stored(effect, store, "specks", 6)
    assert "id" in lines[0] and "opacity" in lines[0] and len(lines) == 1 + len(frame.points)


# --- trails ----------------------------------------------------------------------------------------


def test_trails_lead_where_the_stage_draws_them(effect: Effect, store: FrameStore, folder: Path):
    package = Package(folder)
    played = next(p for p in package.played if p.element.id == "tails")
    view = package_view(package, 64, 40)
    for index in (4, 10):
        layer, frame = stored(effect, store, "tails", index)
        t, plan = index / effect.rate, plans_of(effect, None)[layer.id]
        swarm = Swarm(frame.points, t, layer.look, lives_of(layer, t), past=past_of(plan, store, index))
        want = ready(swarm, still(effect.light, t))
        found = played.points(
            played.element.player, Now(t, view, np.zeros((1, 3)), package.light, package.gain)
        )
        assert found is not None and len(want) > 20
        lengths = [np.linalg.norm(p.tail - p.place, axis=1) for p in (want, found)]
        assert lengths[1].sum() == pytest.approx(lengths[0].sum(), rel=0.05)
        areas = [(p.width * n * p.alpha).sum() for p, n in zip((want, found), lengths)]
        assert areas[1] == pytest.approx(areas[0], rel=0.06)
        for ends in ("place", "tail"):
            middles = [
                np.average(getattr(p, ends), axis=0, weights=n) for p, n in zip((want, found), lengths)
            ]
            assert np.allclose(middles[0], middles[1], atol=0.03)
    half = played.element.player.model_copy(update={"length": 0.5})
    short = played.points(half, Now(10 / effect.rate, view, np.zeros((1, 3)), package.light, package.gain))
    assert np.linalg.norm(short.tail - short.place, axis=1).sum() < 0.7 * lengths[1].sum()


# --- bodies ----------------------------------------------------------------------------------------


def test_corners_of_bodies_are_where_the_simulation_has_them(effect: Effect, store: FrameStore, folder: Path):
    package = Package(folder)
    played = next(p for p in package.played if p.element.id == "chips")
    view = package_view(package, 64, 40)
    for index in (2, 5, 11):
        layer, frame = stored(effect, store, "chips", index)
        t = index / effect.rate
        want = bodies_mesh(layer, frame.points, t, effect, None)
        found = played.standing(Now(t, view, np.zeros((1, 3)), package.light, 1.0))
        assert want is not None and found is not None and len(found.faces) == len(want.faces)
        middles = [m.corners.astype(float).reshape(-1, 9) for m in (want, found)]
        ordered = [m[np.lexsort(np.round(m, 3).T)] for m in middles]
        assert np.abs(np.sort(middles[0].ravel()) - np.sort(middles[1].ravel())).max() < 1e-3
        assert np.abs(ordered[0].sum(axis=0) - ordered[1].sum(axis=0)).max() < 1e-3 * len(ordered[0])


def test_other_readers_move_the_mesh_of_bodies_by_its_textures(
    effect: Effect, store: FrameStore, folder: Path
):
    """With trimesh for the mesh and the formula of READ-ME.txt, each piece by its second coordinates."""
    element = of(folder, "chips")
    scene = trimesh.load(folder / element.mesh.file, process=False)
    mesh = next(iter(scene.geometry.values()))
    raw = (folder / element.mesh.file).read_bytes()
    tree = json.loads(raw[20 : 20 + int.from_bytes(raw[12:16], "little")])
    at = tree["accessors"][tree["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_1"]]
    start = (
        20 + int.from_bytes(raw[12:16], "little") + 8 + tree["bufferViews"][at["bufferView"]]["byteOffset"]
    )
    coordinates = np.frombuffer(raw[start : start + 8 * at["count"]], "<f4").reshape(-1, 2)
    pieces = np.floor(coordinates[:, 0] * element.pieces).astype(int)
    places, turns = stands_of(folder, element)
    index = 7
    v = np.asarray(mesh.vertices)[:, [0, 2, 1]] * np.array([1.0, -1.0, 1.0])  # from y up
    q, w = turns[index][pieces][:, :3], turns[index][pieces][:, 3:]
    stand = places[index][pieces]
    corners = stand[:, :3] + stand[:, 3:] * (v + 2 * np.cross(q, np.cross(q, v) + w * v))
    layer, frame = stored(effect, store, "chips", index)
    want = bodies_mesh(layer, frame.points, index / effect.rate, effect, None)
    assert want is not None
    there = stand[:, 3] > 0
    low, high = corners[there].min(axis=0), corners[there].max(axis=0)
    assert np.allclose(low, want.points.min(axis=0), atol=1e-3)
    assert np.allclose(high, want.points.max(axis=0), atol=1e-3)


def test_bodies_as_nodes_stand_where_their_textures_have_them(folder: Path):
    element = of(folder, "nodes")
    scene = trimesh.load(folder / element.mesh.file)
    assert element.places is None and len(scene.graph.nodes_geometry) == element.pieces > 0
    package = Package(folder)
    nodes, textures = (next(p for p in package.played if p.element.id == id) for id in ("nodes", "chips"))
    assert element.triangles == textures.element.triangles
    for t in (0.1, 5 / 24, 0.4):
        now = Now(t, package_view(package, 64, 40), np.zeros((1, 3)), package.light, 1.0)
        both = [p.standing(now) for p in (nodes, textures)]
        corners = [np.sort(m.corners.astype(float).reshape(-1, 9).sum(axis=1)) for m in both]
        assert len(corners[0]) == len(corners[1]) > 0
        assert np.abs(corners[0] - corners[1]).max() < 0.03  # keys that hardly differ were left out
        middles = [m.corners.astype(float).mean(axis=(0, 1)) for m in both]
        assert np.allclose(middles[0], middles[1], atol=1e-3)


# --- light -----------------------------------------------------------------------------------------


def test_the_keys_of_a_light_tell_its_table(folder: Path, effect: Effect):
    element = of(folder, "glow")
    rows = [line.split(",") for line in (folder / element.table.file).read_text().splitlines()]
    assert rows[0] == ["time_s", "x_m", "y_m", "z_m", "red", "green", "blue", "radius_m"]
    table = np.array(rows[1:], float)
    keys = np.array(element.keys)
    told = np.stack([np.interp(table[:, 0], element.times, keys[:, c]) for c in range(7)], axis=1)
    brightest = table[:, 4:7].max()
    off = np.abs(told[:, 3:6] - table[:, 4:7]).max() / brightest
    close = effect.delivery("glow").route.close
    assert brightest > 0 and off <= close * 1.05 and element.error == pytest.approx(off, abs=2e-3)
    assert len(keys) < len(table)


def test_a_light_falls_on_the_ground_by_the_square_of_its_distance(
    folder: Path, store: FrameStore, effect: Effect, tmp_path: Path
):
    bare = effect.model_copy(
        update={"props": (), "light": effect.light.model_copy(update={"strength": 0.0, "sky": 0.0})}
    )
    packed_alone(bare, store, tmp_path / "p", "glow")
    package = Package(tmp_path / "p")
    element, t = package.elements[0], 0.4
    played = package.played[0]
    camera = effect.camera.model_copy(update={"target": (0.0, 0.0, 0.0), "pitch": 80.0, "distance": 9.0})
    view = view_of(camera, 200, 200)
    now = Now(t, view, np.zeros((1, 3)), package.light, 1.0)
    row = played.lamps(element.player.model_copy(update={"reach": 1e3}), now)[0]
    dark = package.draw(0.0, view, (element.player.model_copy(update={"brightness": 0.0}),))
    backdrop, lit = package._set(view, t, [], row[None], [])
    _, none = package._set(view, t, [], np.zeros((0, WIDE), np.float32), [])
    near = played.lamps(element.player.model_copy(update={"reach": 2.0}), now)[0]
    _, within = package._set(view, t, [], near[None], [])
    assert dark.counts.quads == 0
    light = (lit - none)[..., 0] / package.gain
    values = []
    for x in (0.5, 1.5, 3.0):
        px, py, _ = view.project(np.array([[row[0] + x, row[1], 0.0]]))[0]
        away = np.array([row[0] + x, row[1], 0.0]) - row[:3]
        far2 = float(away @ away)
        want = row[3] * (row[2] / np.sqrt(far2)) / (far2 + row[6]) / np.pi
        values.append(light[int(py), int(px)] / want)
        if far2 > 4.0:  # beyond its reach there is nothing of it
            assert within[int(py), int(px), 0] == pytest.approx(none[int(py), int(px), 0], abs=1e-6)
    assert within.sum() - none.sum() > 0.2 * (lit.sum() - none.sum())
    assert values[0] > 0 and np.allclose(values, np.mean(values), rtol=0.12)  # the ground has some grain
    assert np.mean(values) == pytest.approx(0.165, rel=0.15)  # its colour


# --- shimmer ---------------------------------------------------------------------------------------


def test_angles_are_those_of_a_column_of_hot_air():
    """A slab of heat that grows evenly to the right turns light by index times its slope times its depth."""
    n, h = 24, 0.1
    heat = np.repeat(np.linspace(0, 230, n)[:, None, None], n, axis=1) * np.ones((1, 1, n))
    frame = Frame(np.ones((n, n, n), np.float16), heat.astype(np.float16), None, (0.0, 0.0, 0.0), h, 0.0)
    look = Look(extinction=0.1)
    volume = light_volume(frame, look, Light())
    view = side_view(np.zeros(3), np.full(3, n * h), -90.0, 48, 48)
    found = bends_of(volume, view)[12:36, 12:36]
    x = np.linspace(0, n * h, 48)[12:36]
    kelvin = 230 / (n * h) * x
    slope = 2.7e-4 * 288 / (288 + kelvin) ** 2 * 230 / (n * h)  # of the missing index, 1/m
    assert np.allclose(found[..., 0].mean(axis=0), slope * n * h, rtol=0.08)
    assert np.abs(found[..., 1]).max() < 0.05 * np.abs(found[..., 0]).max()


def test_a_shimmer_bends_what_is_behind_it_as_the_stage_does(
    effect: Effect, store: FrameStore, tmp_path: Path
):
    one = alone(effect, "haze")
    gas = one.layers[0]
    look = gas.look.model_copy(update={"extinction": 1e-4, "flame": 0.0, "glow": 0.0, "shimmer": 3000.0})
    wall = Prop(id="wall", name="Wall", position=(0, 3, 0), size=(6, 0.2, 4), copies=1)
    bars = tuple(
        Prop(
            id=f"bar_{n}",
            name="Bar",
            position=(-2 + 0.4 * n, 2.8, 0),
            size=(0.15, 0.2, 4),
            colour=(0.9, 0.9, 0.9),
        )
        for n in range(11)
    )
    one = one.with_layer(gas.model_copy(update={"look": look})).model_copy(update={"props": (wall, *bars)})
    for name, value in (("side", 128), ("columns", 2), ("rows", 2)):
        one = replaced(one, f"deliveries.haze.route.{name}", value)
    pack(one, None, store, tmp_path / "p")
    package = Package(tmp_path / "p")
    element = package.elements[0]
    t = element.times[-1]
    camera = one.camera.model_copy(
        update={"target": (0.0, 0.0, 1.0), "distance": 5.0, "heading": -90.0, "pitch": 2.0}
    )
    view = view_of(camera, 240, 160)
    frames, past = gathered(plans_of(one, None), store, round(t * one.rate))
    shots = [
        Renderer()
        .draw_shot(shot_of(one, f, None, t, past=past), still(one.light, t), view, passes=4)
        .rgb.astype(int)
        for f in (frames, {})
    ]
    proofs = [
        package.draw(t, view, (element.player.model_copy(update={"strength": s}),)).rgb.astype(int)
        for s in (1.0, 0.0)
    ]
    moved = [np.abs(a - b).sum(axis=2) for a, b in (shots, proofs)]
    assert moved[1].max() > 60
    # the same places move, by about as much
    ratio = moved[1].sum() / moved[0].sum()
    assert 0.6 < ratio < 1.6, ratio
    assert np.corrcoef(moved[0].ravel(), moved[1].ravel())[0, 1] > 0.6


# --- live grid -------------------------------------------------------------------------------------


def test_a_live_grid_is_described_and_costs_what_its_voxels_do(
    effect: Effect, store: FrameStore, folder: Path
):
    element = of(folder, "live")
    told = json.loads((folder / element.table.file).read_text())
    gas = effect.gases[0]
    assert set(told["sources"]) == {s.name for s in gas.sources}
    source = next(iter(told["sources"].values()))
    assert source["size"]["unit"] == "m" and source["temperature"]["value"] == gas.sources[0].temperature
    assert max(element.shape) == 48 and told["rate"] == effect.rate
    assert Package(folder).unplayed == ["Live", "Ripples"]
    tiered = effect.model_copy(update={"tiers": (Tier(id="mid", name="Mid", distance=6.0),)})
    figures = {id: figures_of(plan, store) for id, plan in plans_of(effect, None).items()}

    def terms(**values: float) -> dict[str, float]:
        changed = tiered
        for name, value in values.items():
            changed = replaced(changed, f"deliveries.live.route.{name}", value)
        line = next(x for x in ledger(changed, "mid", figures).lines if x.layer == "Live")
        return {t.name: t.value for t in line.terms}

    plain = terms()
    assert terms(longest=96)["fields"] == pytest.approx(8 * plain["fields"], rel=0.1)
    assert terms(rate=60.0)["steps"] == pytest.approx(2 * plain["steps"])
    more = terms(passes=80)
    assert more["arithmetic"] > plain["arithmetic"] and more["memory"] > 1.4 * plain["memory"]


# --- copies ---------------------------------------------------------------------------------------


def test_copies_that_the_game_draws_together_share_a_call_where_they_can(
    effect: Effect, store: FrameStore, folder: Path
):
    figures = {id: figures_of(plan, store) for id, plan in plans_of(effect, None).items()}

    def counted(copies: int, together: int) -> dict[str, tuple[str, dict[str, float]]]:
        tier = Tier(id="mid", name="Mid", distance=6.0, ms=0.05, copies=copies, copies_a_call=together)
        book = ledger(effect.model_copy(update={"tiers": (tier,)}), "mid", figures)
        told.append([note for note in book.notes if "in one call" in note])
        return {x.layer: (x.route, {t.name: t.value for t in x.terms}) for x in book.lines}

    told: list[list[str]] = []
    one, apart, fives, all_at_once = counted(1, 1), counted(12, 1), counted(12, 5), counted(12, 400)
    assert {route for route, _ in one.values()} == set(ROUTES)
    for name, (route, terms) in one.items():
        alone = route in ("grid", "livewater", "light", "meshes", "volume")
        calls = [found[name][1].pop("calls") / terms["calls"] for found in (apart, fives, all_at_once)]
        assert calls == pytest.approx([12, 12, 12] if alone else [12, 3, 1]), route
        assert apart[name] == fives[name] == all_at_once[name], "nothing else is changed"
    assert [len(notes) for notes in told] == [0, 1, 0, 0]
    effect = effect.model_copy(update={"deliveries": tuple(d for d in effect.deliveries if d.id == "glow")})
    assert counted(12, 1) and not told[-1], "of what is drawn one by one anyway nothing is promised"


# --- together --------------------------------------------------------------------------------------


@pytest.mark.parametrize(("id", "most"), [("fog", 0.03), ("specks", 0.03), ("tails", 0.03), ("chips", 0.03)])
def test_proof_shows_what_the_stage_shows(
    effect: Effect, store: FrameStore, tmp_path: Path, id: str, most: float
):
    one = alone(effect, id)
    if id == "fog":  # marched as finely as the stage does
        one = replaced(one, "deliveries.fog.route.player.samples", 400)
        one = replaced(one, f"layers.{one.layers[0].id}.look.flame", 0.0)  # its light is a light's affair
        one = replaced(one, f"layers.{one.layers[0].id}.look.glow", 0.0)
    if id == "specks":  # likewise
        one = replaced(one, f"layers.{one.layers[0].id}.look.opaque", 1.0)
    pack(one, None, store, tmp_path / "p")
    package = Package(tmp_path / "p")
    index = 8
    near = one.camera.model_copy(update={"distance": one.camera.distance * (0.2 if id == "chips" else 1.0)})
    view = view_of(near, 240, 150)
    frames, past = gathered(plans_of(one, None), store, index)
    shot = shot_of(one, frames, None, index / one.rate, past=past)
    stage = Renderer().draw_shot(shot, still(one.light, 0.0), view, passes=8).rgb
    empty = Renderer().draw_shot(shot_of(one, {}, None, 0.0), still(one.light, 0.0), view, passes=8).rgb
    proof = package.draw(index / one.rate, view).rgb
    assert flip(stage, proof) < most < 0.05
    assert flip(stage, proof) < 0.6 * flip(empty, proof)


def test_what_the_game_turns_changes_the_picture(folder: Path):
    package = Package(folder)
    view, t = package_view(package, 200, 125), 0.4
    plain = package.draw(t, view).rgb.astype(float)
    turned = {
        "fog": {"glow": 0.0, "density": 0.0},
        "slabs": {"glow": 3.0},
        "glow": {"brightness": 4.0},
        "specks": {"share": 0.0},
        "leaves": {"opacity": 0.0},
        "tails": {"length": 0.0},
        "haze": {"strength": 0.0},
    }
    for id, change in turned.items():
        players = tuple(
            p.model_copy(update=change) if e.id == id and p is not None else p
            for e, p in zip(package.elements, package.players())
        )
        assert np.abs(package.draw(t, view, players).rgb - plain).max() > 8, id
    counts = package.draw(t, view).counts
    assert counts.particles > 0 and counts.triangles > 0 and counts.samples > 0


def test_before_and_after_its_moments_an_element_is_not_there():
    assert place_in((1.0, 2.0, 4.0), 0.5) is None and place_in((1.0, 2.0, 4.0), 4.5) is None
    assert place_in((1.0, 2.0, 4.0), 3.0) == (1, 0.5) and place_in((1.0, 2.0, 4.0), 4.0) == (2, 0.0)


def test_every_route_has_a_line_in_the_ledger_and_grows_with_what_it_draws(effect: Effect, store: FrameStore):
    tiered = effect.model_copy(update={"tiers": (Tier(id="mid", name="Mid", distance=6.0),)})
    plans = plans_of(effect, None)
    figures = {id: figures_of(plan, store) for id, plan in plans.items()}
    lines = {line.layer: line for line in ledger(tiered, "mid", figures).lines}
    assert set(lines) == {d.name for d in effect.deliveries}
    assert all(line.ms > 0 and line.route in ROUTES for line in lines.values())
    more = {
        "fog": ("samples", 480),
        "specks": ("width", 4.0),
        "glow": ("reach", 2.0),
        "slabs": ("samples", 4),
    }
    for id, (name, value) in more.items():
        other = ledger(replaced(tiered, f"deliveries.{id}.route.player.{name}", value), "mid", figures)
        line = next(x for x in other.lines if x.layer == id.title())
        before = lines[id.title()]
        assert (line.ms > before.ms) == (id in ("fog", "specks")), id
    near = ledger(replaced(tiered, "tiers.mid.distance", 3.0), "mid", figures)
    assert all(a.ms >= lines[a.layer].ms for a in near.lines)


def test_described_before_it_is_as_it_is_written(effect: Effect, store: FrameStore, folder: Path):
    plans = plans_of(effect, None)
    figures = {id: figures_of(plan, store) for id, plan in plans.items()}
    for delivery in packable(effect):
        box = bounds_of(effect, delivery, figures)
        assert box is not None
        writer, written = WRITERS[delivery.route.kind], of(folder, delivery.id)
        told = writer.describe(effect, delivery, box, figures, None)
        assert (
            set(written.files) <= set(told.files) if told.route == "slices" else told.files == written.files
        )
        assert told.wide == pytest.approx(written.wide)
        if delivery.route.kind != "light":
            assert told.times == written.times
        outputs = writer.outputs(effect, delivery, told)
        named = " ".join(o.file for o in outputs)
        assert told.files[0] in named
        known = sum(o.bytes for o in outputs if o.bytes is not None)
        size = sum((folder / name).stat().st_size for name in written.files)
        if all(o.bytes is not None for o in outputs):
            assert 0.6 < known / size < 1.6, delivery.id
        for a, b in zip(told.textures, written.textures):
            assert a[1] == b[1] and 0.8 <= a[0] / b[0] <= 1.3, delivery.id


def test_levers_and_own_values_of_tiers_reach_every_route(effect: Effect, store: FrameStore, tmp_path: Path):
    tiered = effect.model_copy(update={"tiers": (Tier(id="low", name="Low"), Tier(id="mid", name="Mid"))})
    tiered = with_own(tiered, "low", "deliveries.fog.route.player.samples", 12)
    tiered = with_own(tiered, "low", "deliveries.specks.route.every", 4)
    low = {e.id: e for e in pack(on_tier(tiered, "low"), None, store, tmp_path / "p").elements}
    mid = {e.id: e for e in pack(on_tier(tiered, "mid"), None, store, tmp_path / "q").elements}
    assert low["fog"].player.samples == 12 and mid["fog"].player.samples == 48
    assert len(low["specks"].times) == -(-len(mid["specks"].times) // 4)


def test_a_route_that_cannot_take_a_layer_is_one_sentence(effect: Effect):
    gas, sparks = effect.gases[0].id, next(x.id for x in effect.layers if x.kind == "particles")
    with pytest.raises(BadInput, match="cannot deliver"):
        replaced(
            effect, "deliveries", tuple(d.model_copy(update={"of": (sparks,)}) for d in effect.deliveries)
        )
    with pytest.raises(BadInput, match="several layers"):
        replaced(effect, "deliveries", (effect.delivery("fog").model_copy(update={"of": (gas, gas)}),))
    assert routes_for([effect.layer(gas)]) == ["flipbook", "volume", "slices", "grid", "light", "shimmer"]
    assert routes_for([effect.layer(gas), effect.layer(sparks)]) == ["flipbook", "light"]


def test_another_route_takes_levers_and_own_values_of_the_former_one_away():
    effect = small_effect()
    effect = with_own(effect, "low", "deliveries.puff.route.columns", 2)
    found = rerouted(effect, "puff", "volume")
    assert found.delivery("puff").route.kind == "volume" and not found.levers
    assert all(not t.values and not t.levers for t in found.tiers)
    assert Effect.model_validate(found.model_dump(mode="json")) == found
    assert rerouted(found, "puff", "volume") is found


def test_a_light_alone_does_not_show_its_layer(effect: Effect):
    gas = effect.gases[0].id
    lone = effect.model_copy(update={"deliveries": (effect.delivery("glow"),)})
    assert gas in {layer.id for layer in left_out(lone)}
    assert gas not in {layer.id for layer in left_out(effect)}


@pytest.mark.parametrize(
    "id", ["fog", "slabs", "leaves", "haze", "glow", "specks", "tails", "chips", "nodes"]
)
def test_stopping_leaves_the_earlier_package_whole(
    effect: Effect, store: FrameStore, tmp_path: Path, id: str
):
    out = tmp_path / "p"
    packed_alone(effect, store, out, "book")
    before = {p.name: p.read_bytes() for p in out.iterdir()}
    progress = Progress()

    def listen(p: Progress) -> None:
        if p.done >= 2:
            p.cancel()

    progress = Progress(listen=listen)
    with pytest.raises(Cancelled):
        pack(effect, None, store, out, progress, only=id)
    assert {p.name: p.read_bytes() for p in out.iterdir()} == before
    assert [p.name for p in tmp_path.iterdir()] == ["p"]


def test_a_volume_without_a_field_is_refused(effect: Effect, store: FrameStore, tmp_path: Path):
    bare = effect
    for name in ("density", "temperature", "flame", "velocity", "colour"):
        bare = replaced(bare, f"deliveries.fog.route.{name}", False)
    with pytest.raises(BadInput, match="writes no field"):
        packed_alone(bare, store, tmp_path / "p", "fog")
    assert not (tmp_path / "p").exists()


def test_what_no_more_fits_its_route_is_left_out_told_mended_and_not_counted(effect: Effect, tmp_path: Path):
    sparks = effect.delivery("specks").of[0]
    changed = replaced(effect, f"layers.{sparks}.look.form", "ribbon")
    kept = tuple(d for d in changed.deliveries if d.id != "drift")  # of the same sparks
    changed = changed.model_copy(update={"tiers": (Tier(id="mid", name="Mid"),), "deliveries": kept})
    found = unfit(changed)
    assert (
        len(found) == 1
        and "cannot go as particles" in found[0].text
        and "takes what is drawn as" in found[0].text
    )
    assert found[0].mended is not None and not unfit(found[0].mended)
    assert sparks in {x.id for x in left_out(changed)} and "specks" not in {d.id for d in packable(changed)}
    missing = [str(u) for u in ledger(changed, "mid").uncounted]
    assert any("as particles it takes what is drawn as" in text for text in missing)
    storage.save(changed, tmp_path / "e.tenka")
    run = command("pack", tmp_path / "e.tenka", "--out", tmp_path / "p", "--only", "book", "--json")
    assert run.code == 0 and "cannot go" not in run.err
    run = command("pack", tmp_path / "e.tenka", "--out", tmp_path / "p", "--only", "specks", "--json")
    assert run.code == 2 and "specks" in run.err
    dark = replaced(effect, f"layers.{effect.gases[0].id}.look.shimmer", 0.0)
    assert [f.text for f in unfit(dark)] == [
        f"{effect.gases[0].name} cannot go as shimmer, which takes a gas whose look has shimmer"
    ]


@pytest.mark.parametrize(
    "id", ["fog", "slabs", "leaves", "haze", "live", "glow", "specks", "tails", "chips", "nodes"]
)
def test_a_full_disk_and_a_foreign_folder_leave_all_as_it_was(
    effect: Effect, store: FrameStore, tmp_path: Path, id: str, monkeypatch: pytest.MonkeyPatch
):
    out = tmp_path / "p"
    out.mkdir()
    (out / "mine.txt").write_text("mine")
    with pytest.raises(BadInput):
        packed_alone(effect, store, out, id)
    assert [p.name for p in out.iterdir()] == ["mine.txt"]
    (out / "mine.txt").unlink()
    out.rmdir()
    packed_alone(effect, store, out, "book")
    before = {p.name: p.read_bytes() for p in out.iterdir()}

    def full(*_: object, **__: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    for place in (Path, Image.Image):
        for name in ("write_bytes", "write_text", "save"):
            if hasattr(place, name):
                monkeypatch.setattr(place, name, full)
    monkeypatch.setattr("tenka.pack.bodies.write_atomic", full)
    with pytest.raises(BadInput) as told:
        packed_alone(effect, store, out, id)
    monkeypatch.undo()
    assert str(told.value).count("\n") == 0 and "space" in str(told.value).lower()
    assert {p.name: p.read_bytes() for p in out.iterdir()} == before and [
        p.name for p in tmp_path.iterdir()
    ] == ["p"]


@pytest.mark.parametrize(
    ("id", "spoiled"),
    [
        ("fog", "fog_0005.vdb"),
        ("slabs", "slabs_0001.png"),
        ("specks", "specks_place.exr"),
        ("chips", "chips_turns.exr"),
        ("chips", "chips.glb"),
    ],
)
def test_a_spoiled_file_is_one_sentence(
    effect: Effect, store: FrameStore, tmp_path: Path, id: str, spoiled: str
):
    packed_alone(effect, store, tmp_path / "p", id)
    file = tmp_path / "p" / spoiled
    file.write_bytes(file.read_bytes()[:40])
    with pytest.raises(BadInput) as told:
        package = Package(tmp_path / "p")
        package.draw(package.elements[0].times[4], package_view(package, 64, 40))
    assert spoiled in str(told.value) and str(told.value).count("\n") == 0


def test_the_terminal_packs_and_tells_every_route(effect: Effect, tmp_path: Path):
    storage.save(effect, tmp_path / "many.tenka")
    run = command("pack", tmp_path / "many.tenka", "--out", tmp_path / "p", "--json")
    assert run.code == 0, run.err
    rows = {row["element"]: row for row in run.rows if "element" in row}
    assert {row["route"] for row in rows.values()} == set(ROUTES)
    for row in rows.values():
        assert row["bytes"] == sum((tmp_path / "p" / name).stat().st_size for name in row["files"]) > 0
    run = command(
        "proof", tmp_path / "p", "--frame", 8, "--picture", tmp_path / "a.png", "--size", "160x100", "--json"
    )
    assert (
        run.code == 0
        and run.rows[0]["particles"] > 0
        and run.rows[0]["triangles"] > 0
        and run.rows[0]["samples"] > 0
    )


def test_deliveries_of_an_unknown_route_are_refused(effect: Effect):
    tree = effect.model_dump(mode="json")
    tree["deliveries"][0]["route"]["kind"] = "smell"
    with pytest.raises(Exception, match=r"smell|kind"):
        Effect.model_validate(tree)
    assert Delivery(id="a", name="A", of=("a",)).route.kind == "flipbook"
