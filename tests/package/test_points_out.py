"""Particles and pieces written out, read back by other libraries."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pygltflib
import pytest
import trimesh
from pxr import Usd, UsdGeom

from tenka.base.errors import BadInput, Cancelled
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import AMBIENT_KELVIN, DebrisLayer, Effect, ParticleLayer, Pieces, PointMotion, PointSource
from tenka.look.shot import turns
from tenka.pack.points import continuous, export
from tenka.run.driver import plans_of
from tenka.run.frames import PointFrame

FRAMES = 20


def effect() -> Effect:
    sparks = PointSource(id="s", name="S", rate=300.0, start=0.0, life=0.5, speed=4.0, temperature=800.0)
    thrown = PointSource(id="s", name="S", rate=0.0, burst=12, speed=6.0, cone=60.0, width=0.3, life=60.0, far_share=0.2, far_reach=4.0)
    return Effect(
        name="Out", seconds=FRAMES / 24,
        layers=(ParticleLayer(id="sparks", name="Sparks", sources=(sparks,), motion=PointMotion(cooling=0.0)),
                DebrisLayer(id="bits", name="Bits", sources=(thrown,), pieces=Pieces(kinds=3))),
    )  # fmt: skip


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
        assert (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()) == (1, FRAMES, 24)
        points = UsdGeom.Points(stage.GetPrimAtPath("/sparks/points"))
        wanted = stored(store, "sparks", 9).points
        np.testing.assert_allclose(np.array(points.GetPointsAttr().Get(10)), wanted.place, rtol=1e-6)
        np.testing.assert_allclose(np.array(points.GetVelocitiesAttr().Get(10)), wanted.velocity, rtol=1e-6)
        np.testing.assert_allclose(np.array(points.GetWidthsAttr().Get(10)), wanted.width, rtol=1e-5)
        assert list(points.GetIdsAttr().Get(10)) == wanted.id.tolist()


def test_usd_instances_of_pieces_turn_without_flips(tmp_path: Path, store: FrameStore):
    export(effect(), None, store, tmp_path / "bits.usdc", layer_id="bits")
    stage = Usd.Stage.Open(str(tmp_path / "bits.usdc"))
    pieces = UsdGeom.PointInstancer(stage.GetPrimAtPath("/bits/points"))
    assert len(pieces.GetPrototypesRel().GetTargets()) == 3
    before = None
    for f in range(1, FRAMES + 1):
        turn = np.array([[q.GetReal(), *q.GetImaginary()] for q in pieces.GetOrientationsAttr().Get(f)])
        if before is not None:
            assert (np.einsum("nk,nk->n", turn, before) > 0).all()
        before = turn
        wanted = stored(store, "bits", f - 1).points
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
    return {k: (v["translation"][0], v["translation"][1], v["rotation"][1], v["scale"][1]) for k, v in found.items()}


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


def test_strays_are_culled_and_deleted_pieces_left_out(tmp_path: Path, store: FrameStore):
    reach = max(np.linalg.norm(stored(store, "bits", f).points.place, axis=1).max() for f in range(FRAMES))
    written = export(effect(), None, store, tmp_path / "near.glb", layer_id="bits", cull=0.7 * reach)
    assert 0 < written.culled < 12 and written.points == 12 - written.culled
    assert len(poses_of(tmp_path / "near.glb")) == written.points
    ids = stored(store, "bits", 0).points.id.tolist()
    layers = tuple(x.model_copy(update={"deleted": (ids[2],)}) if x.id == "bits" else x for x in effect().layers)
    written = export(effect().model_copy(update={"layers": layers}), None, store, tmp_path / "fewer.glb", layer_id="bits")
    assert written.points == 11 and str(ids[2]) not in poses_of(tmp_path / "fewer.glb")


def test_a_held_piece_stays_where_it_is_born(tmp_path: Path, store: FrameStore):
    ids = stored(store, "bits", 0).points.id.tolist()
    layers = tuple(x.model_copy(update={"held": (ids[3],)}) if x.id == "bits" else x for x in effect().layers)
    held = effect().model_copy(update={"layers": layers})
    export(held, None, store, tmp_path / "held.glb", layer_id="bits")
    tracks = poses_of(tmp_path / "held.glb")
    assert np.ptp(tracks[str(ids[3])][1], axis=0).max() == 0 and np.ptp(tracks[str(ids[4])][1], axis=0).max() > 0.5


def test_what_is_never_in_the_picture_is_culled(tmp_path: Path, store: FrameStore):
    away = effect().model_copy(update={"camera": effect().camera.model_copy(update={"target": (40.0, 0.0, 2.0), "distance": 5.0})})
    written = export(away, None, store, tmp_path / "none.csv", layer_id="sparks", span=(0, 5), off_camera=True)
    assert written.points == 0 and written.culled > 10


def test_quaternions_are_kept_on_one_side():
    turn = np.array([[1.0, 0, 0, 0], [-0.99, 0, 0, -0.1], [0.97, 0, 0, 0.2]])
    assert (np.einsum("nk,nk->n", continuous(turn)[1:], continuous(turn)[:-1]) > 0).all()


@pytest.mark.parametrize("name, layer, sentence", [
    ("a.obj", "sparks", "is no kind of file for points"), ("a.glb", "sparks", "is not drawn as meshes"), ("a.csv", "gone", "is no layer of particles"),
])  # fmt: skip
def test_what_cannot_be_written_is_one_sentence(tmp_path: Path, store: FrameStore, name: str, layer: str, sentence: str):
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
