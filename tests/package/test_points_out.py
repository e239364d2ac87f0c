"""Particles and pieces written out, read back by other libraries."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pygltflib
import pytest
import trimesh
from plyfile import PlyData
from pxr import Usd, UsdGeom
from routes import many_ways
from scipy.spatial.transform import Rotation

from tenka.base.errors import BadInput, Cancelled
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import (
    AMBIENT_KELVIN,
    Bodies,
    DebrisLayer,
    Effect,
    ParticleLayer,
    Pieces,
    PointMotion,
    PointSource,
    Prop,
)
from tenka.look.pieces import turns
from tenka.pack.outgoing import Axes
from tenka.pack.points import export
from tenka.pack.routes.volume import grids_of
from tenka.pack.turning import continuous, product, turned_by
from tenka.particles.files import Column, write_points
from tenka.run.frames import PointFrame
from tenka.run.plans import Plan, plans_of

FRAMES = 20

KEPT = PointMotion(heat_half_life=3600.0)


def effect() -> Effect:
    sparks = PointSource(id="s", name="S", rate=300.0, start=0.0, life=0.5, speed=4.0, temperature=800.0)
    thrown = PointSource(
        id="s",
        name="S",
        rate=0.0,
        burst=12,
        speed=6.0,
        cone=60.0,
        width=0.3,
        life=60.0,
        far_share=0.2,
        far_reach=4.0,
    )
    return Effect(
        name="Out",
        seconds=FRAMES / 24,
        layers=(
            ParticleLayer(
                id="sparks", name="Sparks", sources=(sparks,), motion=PointMotion(heat_half_life=3600.0)
            ),
            DebrisLayer(id="bits", name="Bits", sources=(thrown,), pieces=Pieces(kinds=3)),
        ),
    )


def stored(store: FrameStore, layer: str, frame: int, of: Effect | None = None) -> PointFrame:
    found = plans_of(of or effect(), None)[layer].read(store, frame)
    assert isinstance(found, PointFrame)
    return found


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


@pytest.mark.parametrize("kind", ["ply", "csv", "npz"])
def test_sequences_hold_what_was_simulated(tmp_path: Path, store: FrameStore, kind: str):
    written = export(effect(), None, store, tmp_path / f"sparks.{kind}", span=(3, 6), layer_id="sparks")
    assert [f.name for f in written.files] == [f"sparks_{n:04d}.{kind}" for n in (4, 5, 6, 7)]
    wanted = stored(store, "sparks", 5).points
    file = written.files[2]
    if kind == "ply":
        found = trimesh.load(file)
        np.testing.assert_allclose(found.vertices, wanted.place, rtol=1e-5)
    elif kind == "npz":
        found = np.load(file)
        np.testing.assert_allclose(found["temperature"], 800 + AMBIENT_KELVIN, rtol=1e-5)
        np.testing.assert_array_equal(found["id"], wanted.id)
    else:
        found = np.genfromtxt(file, delimiter=",", names=True, deletechars="")
        np.testing.assert_allclose(found["age_(s)"], wanted.age(5 / 24), atol=1e-6)
        assert found["age_(s)"].min() >= 0


def test_usd_points_have_times_widths_and_a_scale(tmp_path: Path, store: FrameStore):
    for ending in ("usda", "usdc"):
        export(effect(), None, store, tmp_path / f"sparks.{ending}", layer_id="sparks")
        stage = Usd.Stage.Open(str(tmp_path / f"sparks.{ending}"))
        assert UsdGeom.GetStageUpAxis(stage) == "Z" and UsdGeom.GetStageMetersPerUnit(stage) == 1.0
        assert (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()) == (
            0,
            FRAMES - 1,
            24,
        )
        points = UsdGeom.Points(stage.GetPrimAtPath("/sparks/points"))
        wanted = stored(store, "sparks", 9).points
        np.testing.assert_allclose(np.array(points.GetPointsAttr().Get(9)), wanted.place, rtol=1e-6)
        np.testing.assert_allclose(np.array(points.GetVelocitiesAttr().Get(9)), wanted.velocity, rtol=1e-6)
        np.testing.assert_allclose(np.array(points.GetWidthsAttr().Get(9)), wanted.width, rtol=1e-5)
        assert list(points.GetIdsAttr().Get(9)) == wanted.id.tolist()


def test_usd_instances_of_pieces_turn_without_flips(tmp_path: Path, store: FrameStore):
    export(effect(), None, store, tmp_path / "bits.usdc", layer_id="bits")
    stage = Usd.Stage.Open(str(tmp_path / "bits.usdc"))
    pieces = UsdGeom.PointInstancer(stage.GetPrimAtPath("/bits/points"))
    assert len(pieces.GetPrototypesRel().GetTargets()) == 3
    before = None
    for f in range(FRAMES):
        turn = np.array([[q.GetReal(), *q.GetImaginary()] for q in pieces.GetOrientationsAttr().Get(f)])
        if before is not None:
            assert (np.einsum("nk,nk->n", turn, before) > 0).all()
        before = turn
        wanted = stored(store, "bits", f).points
        np.testing.assert_allclose(turns(turn), turns(wanted.turn), atol=5e-3)  # half floats


def poses_of(file: Path) -> dict[str, tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]]:
    """Times, places, turns (x y z w) and sizes of each animated node, as a glTF library reads them."""
    doc = pygltflib.GLTF2().load_binary(str(file))
    blob = doc.binary_blob()

    def read(index: int, width: int) -> np.ndarray:
        accessor = doc.accessors[index]
        view = doc.bufferViews[accessor.bufferView]
        data = np.frombuffer(blob[view.byteOffset : view.byteOffset + view.byteLength], np.float32)
        return data.reshape(accessor.count, width)

    found: dict[str, dict] = {}
    for channel in doc.animations[0].channels:
        sampler = doc.animations[0].samplers[channel.sampler]
        width = 4 if channel.target.path == "rotation" else 3
        node = found.setdefault(doc.nodes[channel.target.node].extras["id"], {})
        node[channel.target.path] = (read(sampler.input, 1)[:, 0], read(sampler.output, width))
    return {
        k: (v["translation"][0], v["translation"][1], v["rotation"][1], v["scale"][1])
        for k, v in found.items()
    }


def test_glb_tracks_are_the_simulated_ones_and_continuous(tmp_path: Path, store: FrameStore):
    written = export(effect(), None, store, tmp_path / "bits.glb", layer_id="bits")
    assert written.points == 12
    tracks = poses_of(tmp_path / "bits.glb")
    assert len(tracks) == 12
    for id, (times, places, turned, _) in tracks.items():
        assert (np.einsum("nk,nk->n", turned[1:], turned[:-1]) > 0).all()
        for f in (0, 7, FRAMES - 1):
            frame = stored(store, "bits", f)
            n = frame.points.id.tolist().index(int(id))
            place = np.array([np.interp(f / 24, times, places[:, k]) for k in range(3)])
            x, y, z = frame.points.place[n]
            np.testing.assert_allclose(place, (x, z, -y), atol=2e-3)
    assert len(trimesh.load(tmp_path / "bits.glb").geometry) == 3


def test_outliers_are_culled_and_deleted_pieces_left_out(tmp_path: Path, store: FrameStore):
    reach = max(np.linalg.norm(stored(store, "bits", f).points.place, axis=1).max() for f in range(FRAMES))
    written = export(effect(), None, store, tmp_path / "near.glb", layer_id="bits", cull=0.7 * reach)
    assert 0 < written.culled < 12 and written.points == 12 - written.culled
    assert len(poses_of(tmp_path / "near.glb")) == written.points
    ids = stored(store, "bits", 0).points.id.tolist()
    layers = tuple(
        x.model_copy(update={"deleted": (ids[2],)}) if x.id == "bits" else x for x in effect().layers
    )
    written = export(
        effect().model_copy(update={"layers": layers}), None, store, tmp_path / "fewer.glb", layer_id="bits"
    )
    assert written.points == 11 and str(ids[2]) not in poses_of(tmp_path / "fewer.glb")


def test_a_piece_that_was_moved_by_hand_is_so_in_what_is_written(tmp_path: Path, store: FrameStore):
    own = effect()
    export(own, None, store, tmp_path / "plain.glb", layer_id="bits")
    ids = stored(store, "bits", 0).points.id.tolist()
    layer = own.layer("bits").with_shift(ids[1:2], by=(1.0, 2.0, 3.0))
    layer = layer.with_shift(ids[1:3], about=(0.0, 0.0, 90.0))
    moved = own.with_layer(layer)
    export(moved, None, store, tmp_path / "moved.glb", layer_id="bits")
    found = [poses_of(tmp_path / f"{name}.glb") for name in ("plain", "moved")]
    for n, id in enumerate(ids):
        (times, places, own_turns, _), (_, others, turned, _) = (poses[str(id)] for poses in found)
        off = (1.0, 3.0, -2.0) if n == 1 else (0.0, 0.0, 0.0)  # y up
        np.testing.assert_allclose(others - places, np.tile(off, (len(times), 1)), atol=1e-5)
        by = Rotation.from_quat(turned) * Rotation.from_quat(own_turns).inv()
        angle = 90.0 if n in (1, 2) else 0.0
        np.testing.assert_allclose(np.degrees(by.magnitude()), angle, atol=0.05)
        if angle:  # about what is up
            np.testing.assert_allclose(by.as_rotvec()[:, 1], np.pi / 2, atol=1e-3)
    assert layer.with_shift(ids[:3], by=(0.0,) * 3, about=(0.0,) * 3).shifted == ()


def test_a_sequence_goes_out_in_other_units_and_axes(tmp_path: Path, store: FrameStore):
    plain, turned = tmp_path / "plain.npz", tmp_path / "turned.npz"
    export(effect(), None, store, plain, layer_id="sparks", span=(10, 10))
    export(effect(), None, store, turned, layer_id="sparks", span=(10, 10), axes=Axes("cm", "y"))
    a, b = (np.load(f.with_name(f"{f.stem}_0011.npz")) for f in (plain, turned))
    np.testing.assert_allclose(b["x"], 100 * a["x"], rtol=1e-6)
    np.testing.assert_allclose(b["y"], 100 * a["z"], rtol=1e-6)  # up
    np.testing.assert_allclose(b["z"], -100 * a["y"], rtol=1e-6)  # right-handed still
    np.testing.assert_allclose(b["vy"], 100 * a["vz"], rtol=1e-6)
    np.testing.assert_allclose(b["width"], 100 * a["width"], rtol=1e-6)
    np.testing.assert_allclose(b["temperature"], a["temperature"])
    export(effect(), None, store, tmp_path / "x.csv", layer_id="sparks", span=(10, 10), axes=Axes("cm"))
    head = (tmp_path / "x_0011.csv").read_text().splitlines()[0]
    assert "x (cm)" in head and "speed (cm/s)" in head and "age (s)" in head


def test_a_held_piece_stays_where_it_is_born(tmp_path: Path, store: FrameStore):
    ids = stored(store, "bits", 0).points.id.tolist()
    layers = tuple(x.model_copy(update={"held": (ids[3],)}) if x.id == "bits" else x for x in effect().layers)
    held = effect().model_copy(update={"layers": layers})
    export(held, None, store, tmp_path / "held.glb", layer_id="bits")
    tracks = poses_of(tmp_path / "held.glb")
    assert (
        np.ptp(tracks[str(ids[3])][1], axis=0).max() == 0
        and np.ptp(tracks[str(ids[4])][1], axis=0).max() > 0.5
    )


def test_what_is_never_in_the_picture_is_culled(tmp_path: Path, store: FrameStore):
    away = effect().model_copy(
        update={"camera": effect().camera.model_copy(update={"target": (40.0, 0.0, 2.0), "distance": 5.0})}
    )
    written = export(
        away, None, store, tmp_path / "none.csv", layer_id="sparks", span=(0, 5), off_camera=True
    )
    assert written.points == 0 and written.culled > 10


def test_quaternions_are_kept_on_one_side():
    turn = np.array([[1.0, 0, 0, 0], [-0.99, 0, 0, -0.1], [0.97, 0, 0, 0.2]])
    assert (np.einsum("nk,nk->n", continuous(turn)[1:], continuous(turn)[:-1]) > 0).all()


@pytest.mark.parametrize(
    "name, layer, sentence",
    [
        ("a.obj", "sparks", "is no kind of file for points"),
        ("a.glb", "sparks", "is not drawn as meshes"),
        ("a.csv", "gone", "is no layer of particles, debris or liquid; expected one of: sparks"),
    ],
)
def test_what_cannot_be_written_is_one_sentence(
    tmp_path: Path, store: FrameStore, name: str, layer: str, sentence: str
):
    with pytest.raises(BadInput, match=sentence):
        export(effect(), None, store, tmp_path / name, layer_id=layer)
    assert not list(tmp_path.iterdir())


def test_a_cancelled_export_leaves_whole_files_only(tmp_path: Path, store: FrameStore):
    for name in ("bits.glb", "bits.usdc"):
        progress = Progress()
        progress.listen = lambda p: p.cancel() if p.what.startswith("Writing") and p.done > 3 else None
        with pytest.raises(Cancelled):
            export(effect(), None, store, tmp_path / name, progress, "bits")
    assert not list(tmp_path.iterdir())


def spinning(revolutions: float) -> Effect:
    """One cube, which turns about any axis at a steady pace, in no gravity."""
    source = PointSource(
        id="b",
        name="B",
        position=(0, 0, 2),
        rate=0.0,
        burst=1,
        speed=0.25 * revolutions,
        width=0.3,
        stays=True,
    )
    bodies = Bodies(turning=10.0, damping=0.0, sleeps=0.0, most_turns=0.0)
    layer = DebrisLayer(
        id="bits",
        name="Bits",
        sources=(source,),
        bodies=bodies,
        pieces=Pieces(make="prop", prop="cube"),
        motion=PointMotion(gravity=0.0, drag=0.0, ground="none"),
    )
    cube = Prop(id="cube", name="Cube", size=(0.3, 0.3, 0.3))
    return Effect(name="Spin", seconds=1.0, layers=(layer,), props=(cube,))


@pytest.mark.parametrize("pace", [1.0, 9.0, 23.0, 55.0])
def test_a_fast_turn_is_written_the_way_it_goes(pace: float, tmp_path: Path):
    """Between frames a piece stands where a steady turn has it, in GLB and in USD alike."""
    own = FrameStore(tmp_path / "frames")
    effect_ = spinning(pace)
    for ending in ("glb", "usdc"):
        export(effect_, None, own, tmp_path / f"bits.{ending}", layer_id="bits")
    p = [stored_of(own, effect_, f).points for f in range(24)]
    spin, first = p[1].spin[0].astype(float), p[1].turn[0].astype(float)
    ((times, _, turns_, _),) = poses_of(tmp_path / "bits.glb").values()
    stage = Usd.Stage.Open(str(tmp_path / "bits.usdc"))
    pieces = UsdGeom.PointInstancer(stage.GetPrimAtPath("/bits/points"))
    degrees = np.linalg.norm(np.array(pieces.GetAngularVelocitiesAttr().Get(5))[0])
    assert degrees == pytest.approx(np.degrees(np.linalg.norm(spin)), rel=0.02)
    low, high = np.array(pieces.GetExtentAttr().Get(5))
    assert (low < p[5].place[0]).all() and (high > p[5].place[0]).all()
    whole = [float(c) for c in pieces.GetOrientationsAttr().GetTimeSamples()]
    steps = np.diff([c for c in whole if c >= 1])
    assert steps.max() * np.degrees(np.linalg.norm(spin)) / 24 <= 61
    for code in np.arange(1.0, 20.0, 0.23):
        want = turns(product(turned_by(spin[None] * (code - 1) / 24), first[None]))[0]
        at = float(code) / 24
        k = int(np.searchsorted(times, at, side="right")) - 1
        share = (at - times[k]) / (times[k + 1] - times[k])
        a, b = turns_[k].astype(float), turns_[k + 1].astype(float)
        mixed = a + share * (b - a) if share < 1e-9 else slerp(a, b, share)
        x, y, z, w = mixed
        got = turns(np.array([[w, x, -z, y]]))[0]  # Y up, back to Z up
        assert np.abs(got - want).max() < 0.03
        q = pieces.GetOrientationsAttr().Get(float(code))[0]
        got = turns(np.array([[q.GetReal(), *q.GetImaginary()]], float))[0]
        assert np.abs(got - want).max() < 0.06  # half floats, straight between samples


def slerp(a: np.ndarray, b: np.ndarray, share: float) -> np.ndarray:
    """Between two quaternions as glTF says it, the short way."""
    if a @ b < 0:
        b = -b
    angle = np.arccos(np.clip(a @ b, -1, 1))
    if angle < 1e-6:
        return a
    return (np.sin((1 - share) * angle) * a + np.sin(share * angle) * b) / np.sin(angle)


def stored_of(own: FrameStore, effect_: Effect, f: int) -> PointFrame:
    frame = Plan.of(effect_, "bits").read(own, f)
    assert isinstance(frame, PointFrame)
    return frame


def test_both_formats_begin_at_the_first_frame_that_is_written(tmp_path: Path):
    own = FrameStore(tmp_path / "frames")
    effect_ = spinning(1.0)
    for ending in ("glb", "usdc"):
        export(effect_, None, own, tmp_path / f"bits.{ending}", layer_id="bits", span=(6, 12))
    ((times, *_),) = poses_of(tmp_path / "bits.glb").values()
    stage = Usd.Stage.Open(str(tmp_path / "bits.usdc"))
    assert times[0] == pytest.approx(0.0, abs=1e-6) and times[-1] == pytest.approx(6 / 24, abs=1e-5)
    assert (stage.GetStartTimeCode(), stage.GetEndTimeCode()) == (0, 6)


def test_a_frame_that_was_damaged_is_simulated_again_while_it_is_written(tmp_path: Path):
    own, effect_ = FrameStore(tmp_path / "frames"), spinning(1.0)
    export(effect_, None, own, tmp_path / "a.glb", layer_id="bits")
    file = own.folder / Plan.of(effect_, "bits").name(10)
    file.write_bytes(file.read_bytes()[:-30] + b"0" * 30)
    export(effect_, None, own, tmp_path / "b.glb", layer_id="bits")
    assert (tmp_path / "a.glb").read_bytes() == (tmp_path / "b.glb").read_bytes()


def test_usd_into_a_folder_that_is_not_there_is_one_sentence(tmp_path: Path):
    with pytest.raises(BadInput, match="cannot be written"):
        export(
            spinning(1.0), None, FrameStore(tmp_path / "f"), tmp_path / "none" / "bits.usdc", layer_id="bits"
        )


def test_ids_beyond_32_bits_survive_every_format(tmp_path: Path):
    ids = np.array([5, 2**31, (1 << 44) + 7, (3 << 44) + 2], np.int64)
    columns = [Column("id", "", ids)] + [Column(a, "m", np.arange(4, dtype=np.float32)) for a in "xyz"]
    for kind in ("ply", "csv", "npz"):
        write_points(tmp_path / f"a.{kind}", columns)
    found = PlyData.read(str(tmp_path / "a.ply"))["vertex"]["id"]
    assert found.astype(np.int64).tolist() == ids.tolist()
    assert [int(row.split(",")[0]) for row in (tmp_path / "a.csv").read_text().split()[-4:]] == ids.tolist()
    assert np.load(tmp_path / "a.npz")["id"].tolist() == ids.tolist()
    write_points(tmp_path / "b.ply", [Column(c.name, c.unit, c.values[:1]) for c in columns])
    assert PlyData.read(str(tmp_path / "b.ply"))["vertex"]["id"].dtype == np.dtype("<i4")


def test_a_gas_that_carries_no_colour_writes_no_grids_of_it():
    effect = many_ways()
    gas = effect.gases[0]
    assert "colour" not in grids_of(effect, effect.delivery("fog"))
    dyed = replaced(effect, f"layers.{gas.id}.sources.{gas.sources[0].id}.dye", True)
    assert {"colour", "coloured"} <= set(grids_of(dyed, dyed.delivery("fog")))
