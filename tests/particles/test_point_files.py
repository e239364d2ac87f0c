"""Points on disk: read and written, sequences, and whatever can be wrong with a file."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import Effect, ParticleLayer, PointMotion, PointSource
from tenka.particles.files import Column, csv_bytes, read, sequence, write_points
from tenka.particles.solver import PointSolver
from tenka.run.driver import simulate
from tenka.run.plans import plans_of

STILL = PointMotion(gravity=0.0, drag=0.0, ground="none")


def columns(n: int = 5) -> list[Column]:
    rng = np.random.default_rng(2)
    place = rng.random((n, 3)).astype(np.float32)
    return [
        Column("id", "", np.arange(n)),
        *(Column(a, "m", place[:, k]) for k, a in enumerate("xyz")),
        *(Column(f"v{a}", "m/s", place[:, k] * 2) for k, a in enumerate("xyz")),
        Column("width", "m", np.full(n, 0.1, np.float32)),
    ]


@pytest.mark.parametrize("kind", ["ply", "csv", "npz"])
def test_points_come_back_as_they_were_written(tmp_path: Path, kind: str):
    file, wanted = tmp_path / f"points.{kind}", columns()
    write_points(file, wanted)
    found = read(file)
    assert found.velocity is not None and found.width is not None and found.id is not None
    np.testing.assert_allclose(found.place, np.stack([c.values for c in wanted[1:4]], axis=1), rtol=1e-6)
    np.testing.assert_allclose(found.velocity, 2 * found.place, rtol=1e-6)
    assert found.id.tolist() == [0, 1, 2, 3, 4] and found.width.tolist() == pytest.approx([0.1] * 5)


def test_other_libraries_read_them_too(tmp_path: Path):
    wanted = columns()
    for kind in ("ply", "csv", "npz"):
        write_points(tmp_path / f"points.{kind}", wanted)
    place = np.stack([c.values for c in wanted[1:4]], axis=1)
    np.testing.assert_allclose(trimesh.load(tmp_path / "points.ply").vertices, place, rtol=1e-6)
    np.testing.assert_allclose(np.load(tmp_path / "points.npz")["z"], place[:, 2])
    table = np.genfromtxt(tmp_path / "points.csv", delimiter=",", names=True, deletechars="")
    np.testing.assert_allclose(table["y_(m)"], place[:, 1], rtol=1e-6)


def test_a_table_names_units():
    assert (
        csv_bytes(columns()).decode().splitlines()[0]
        == "id,x (m),y (m),z (m),vx (m/s),vy (m/s),vz (m/s),width (m)"
    )


def test_a_sequence_counts_by_the_last_number_of_the_name(tmp_path: Path):
    for name in ("a_v2_0008.csv", "a_v2_0009.csv", "a_v2_0010.csv", "a_v2_0012.csv", "alone.csv"):
        (tmp_path / name).write_text("x,y,z\n1,2,3\n")
    assert [f.name for f in sequence(tmp_path / "a_v2_0008.csv")] == [
        "a_v2_0008.csv",
        "a_v2_0009.csv",
        "a_v2_0010.csv",
    ]
    assert sequence(tmp_path / "alone.csv") == (tmp_path / "alone.csv",)


def layer_of(file: Path, **changes: object) -> ParticleLayer:
    source = PointSource(
        id="file", name="File", shape="file", file=str(file), rate=0.0, speed=0.0, stays=True, **changes
    )  # type: ignore[arg-type]
    return ParticleLayer(id="points", name="Points", sources=(source,), motion=STILL)


def test_imported_points_are_born_and_then_move(tmp_path: Path):
    write_points(tmp_path / "points.npz", columns())
    layer = layer_of(tmp_path / "points.npz", file_scale=2.0)
    solver = PointSolver(
        layer.model_copy(update={"motion": STILL.model_copy(update={"gravity": 1.0})}), (), (), 1, 24.0, 9
    )
    state = solver.start()
    place = state.points.place.copy()
    np.testing.assert_allclose(np.sort(place[:, 0]), np.sort(2 * columns()[1].values), rtol=1e-5)
    assert solver.frame(state).points.place[:, 2].max() < place[:, 2].max()


def test_columns_that_are_not_read_are_in_the_frames_figures(tmp_path: Path):
    (tmp_path / "points.csv").write_text("x,y,z,mood,charge\n1,2,3,4,5\n2,3,4,5,6\n")
    effect = Effect(name="Read", seconds=0.1, layers=(layer_of(tmp_path / "points.csv"),))
    plan = plans_of(effect, tmp_path)["points"]
    store = FrameStore(tmp_path / "frames")
    simulate(plan, store, Progress())
    meta = store.figures(plan.name(0))
    assert meta is not None and meta["ignored"] == ["charge", "mood"] and meta["alive"] == 2


def test_a_sequence_plays_as_it_is(tmp_path: Path):
    for n in range(4):
        (tmp_path / f"p{n}.csv").write_text(f"id,x,y,z\n7,{n},0,0\n" + (f"9,0,{n},0\n" if n > 1 else ""))
    solver = PointSolver(layer_of(tmp_path / "p0.csv", plays=True), (), (), 1, 24.0, 9)
    state, seen = solver.start(), []
    for _ in range(5):
        seen.append(sorted(state.points.place[:, 0].tolist()))
        state = solver.frame(state)
    assert seen == [[0.0], [1.0], [0.0, 2.0], [0.0, 3.0], [0.0, 3.0]]


@pytest.mark.parametrize(
    "name, data, sentence",
    [
        ("a.csv", b"", "is empty|no places"),
        ("a.csv", b"x,y\n1,2\n", "no places"),
        ("a.csv", b"x,y,z\n1,2\n", "line 2 has 2 values where the head has 3"),
        ("a.csv", b"x,y,z\n1,2,three\n", "line 2 has 'three' where a number was expected"),
        ("a.csv", b"x,y,z\n1,2,nan\n", "point 1 has a place that is not a number"),
        ("a.csv", b"x,y,z,vx,vy,vz\n1,2,3,0,inf,0\n", "point 1 has a velocity that is not a number"),
        ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 3\n", "broken off or not a point file"),
        ("a.ply", b"nonsense", "head that is not"),
        ("a.npz", b"PK\x03\x04 nonsense", "broken off or not a point file"),
        ("a.obj", b"v 1 2 3", "is no kind of point file"),
        ("gone.csv", None, "cannot be read"),
    ],
)
def test_a_bad_file_is_one_sentence(tmp_path: Path, name: str, data: bytes | None, sentence: str):
    if data is not None:
        (tmp_path / name).write_bytes(data)
    with pytest.raises(BadInput, match=sentence):
        read(tmp_path / name)


def test_a_source_without_a_file_is_told():
    with pytest.raises(BadInput, match="has no file of points"):
        PointSolver(
            ParticleLayer(id="p", name="P", sources=(PointSource(id="s", name="S", shape="file"),)),
            (),
            (),
            1,
            24.0,
            4,
        )
