"""Scenes: several effects on one time axis, summed, packed together or apart, and played in one picture."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from build import BOOK, small_effect
from command import command

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.scening import TOGETHER, SceneBook, pack_scene, players_of, standing_in, weigh
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.model import Effect, Player
from tenka.effect.scenes import Member, Scene, load_scene, save_scene
from tenka.package.manifest import read
from tenka.proof.engine import Package, package_view
from tenka.proof.together import draw_together

STEADY = Player(count=1, life=0.4, life_spread=0.0, size_spread=0.0, drift=(0.0, 0.0, 0.0))


def still_effect(**more: object) -> Effect:
    """One sprite at a time, from the first moment on."""
    effect = small_effect(levers=(), **more)
    book = BOOK.model_copy(update={"player": STEADY})
    deliveries = tuple(d.model_copy(update={"route": book}) for d in effect.deliveries)
    tiers = tuple(t.model_copy(update={"levers": {}}) for t in effect.tiers)
    return effect.model_copy(update={"deliveries": deliveries, "tiers": tiers})


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    place = tmp_path_factory.mktemp("scene")
    storage.save(still_effect(name="One"), place / "one.tenka")
    storage.save(still_effect(name="Two", seed=5), place / "two.tenka")
    return place


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def scene_of(*members: tuple[str, float, float]) -> Scene:
    return Scene(
        name="yard",
        members=tuple(
            Member(name=f"{file} {n}", effect=f"{file}.tenka", at=at, place=(x, 0.0, 0.0))
            for n, (file, at, x) in enumerate(members)
        ),
    )


def weighed(scene: Scene, folder: Path, store: FrameStore) -> SceneBook:
    return weigh(players_of(scene, folder, "Low"), store, Progress())


def test_what_a_scene_takes_is_the_sum_where_effects_come_together(folder: Path, store: FrameStore):
    one = ledger(storage.load(folder / "one.tenka"), "low")
    alone = weighed(scene_of(("one", 0.0, 0)), folder, store)
    assert alone.worst[0] == pytest.approx(one.ms, rel=0.02) and alone.mb == pytest.approx(one.mb)
    both = weighed(scene_of(("one", 0.0, 0), ("one", 0.25, 2)), folder, store)
    assert both.worst[0] == pytest.approx(2 * alone.worst[0], rel=0.02)
    assert 0.25 <= both.worst[1] <= 0.5  # while both are there
    assert both.mb == pytest.approx(one.mb)  # a package that two use is there once
    after = weighed(scene_of(("one", 0.0, 0), ("two", 2.0, 2)), folder, store)
    assert after.worst[0] == pytest.approx(alone.worst[0], rel=0.02)  # never at once
    assert after.mb == pytest.approx(2 * one.mb)
    whole, single = (np.trapezoid(b.ms.sum(axis=0), b.times) for b in (both, alone))
    assert whole == pytest.approx(2 * single, rel=0.15)
    device = one.device
    assert (both.budget_ms, both.budget_mb) == (device.effects_ms, device.effects_memory_mb)


def test_together_a_file_says_when_and_where_and_apart_there_is_none(
    folder: Path, store: FrameStore, tmp_path: Path
):
    scene = scene_of(("one", 0.0, 0), ("two", 0.5, 2), ("one", 1.0, -2))
    players = players_of(scene, folder, "Low")
    out = tmp_path / "together"
    folders = pack_scene(scene, players, store, out, Progress())
    assert [f.name for f in folders] == ["one", "two"]
    told = json.loads((out / TOGETHER).read_text())
    assert [(m["package"], m["at"], m["place"]) for m in told["members"]] == [
        ("one", 0.0, [0, 0, 0]),
        ("two", 0.5, [2, 0, 0]),
        ("one", 1.0, [-2, 0, 0]),
    ]
    for m in told["members"]:
        read(out / m["package"])  # each is a whole package
    pack_scene(scene, players, store, out, Progress())  # again, in its own place
    apart = tmp_path / "apart"
    pack_scene(scene, players, store, apart, Progress(), apart=True)
    assert sorted(p.name for p in apart.iterdir()) == ["one", "two"]
    (out / TOGETHER).write_text('{"of": "somebody"}')
    with pytest.raises(BadInput):
        pack_scene(scene, players, store, out, Progress())
    assert (out / TOGETHER).read_text() == '{"of": "somebody"}'


def test_each_plays_from_its_moment_on_in_its_own_place(folder: Path, store: FrameStore, tmp_path: Path):
    scene = scene_of(("one", 0.0, 0.0), ("one", 0.5, 1.5))
    players = players_of(scene, folder, "Low")
    pack_scene(scene, players, store, tmp_path, Progress(), apart=True)
    standing = standing_in(players, tmp_path)
    package = Package(tmp_path / "one")
    view = package_view(package, 200, 120)
    early = draw_together(standing, 0.25, view)
    assert np.array_equal(early.rgb, package.draw(0.25, view).rgb)  # the second is not there yet
    late = draw_together(standing, 0.95, view)
    alone = draw_together(standing[1:], 0.95, view)
    moved = package.draw(0.45, view, carriers=np.array([[1.5, 0.0, 0.0]]))
    # the first was stopped after its half second, and its last sprite has died
    assert np.array_equal(alone.rgb, moved.rgb) and np.array_equal(late.rgb, moved.rgb)
    twice = scene_of(("one", 0.0, 0.0), ("one", 0.0, 1.5))
    both = draw_together(standing_in(players_of(twice, folder, "Low"), tmp_path), 0.25, view)
    copies = package.draw(0.25, view, carriers=np.array([[0.0, 0.0, 0.0], [1.5, 0.0, 0.0]]))
    # as copies, but for how each is turned
    assert both.counts.covered == pytest.approx(copies.counts.covered, rel=0.1)
    assert both.counts.quads == 2 > early.counts.quads


def test_scenes_are_kept_and_faults_are_sentences(folder: Path, tmp_path: Path):
    scene = scene_of(("one", 0.0, 0), ("two", 0.5, 2))
    file = tmp_path / "yard.scene.json"
    save_scene(scene, file)
    assert load_scene(file) == scene
    for wrong in ("{", "[]", '{"scene_version": 2}', '{"scene_version": 1, "members": [{"name": "x"}]}'):
        file.write_text(wrong)
        with pytest.raises(BadInput):
            load_scene(file)
    with pytest.raises(BadInput, match="no tier is called"):
        players_of(scene, folder, "Immense")
    with pytest.raises(BadInput):
        players_of(scene_of(("gone", 0.0, 0)), folder, "Low")
    with pytest.raises(BadInput, match="no effect"):
        players_of(Scene(), folder, "Low")


def test_a_scene_in_the_terminal(folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "store"))
    file = tmp_path / "yard.scene.json"
    assert command("scene", file, "--add", folder / "one.tenka", "--json").code == 0
    more = ("--add", folder / "two.tenka", "--at", "0.25", "--place", "1,0,0")
    assert command("scene", file, *more).code == 0
    assert [m.at for m in load_scene(file).members] == [0.0, 0.25]
    picture, out = tmp_path / "all.png", tmp_path / "out"
    words = ("--tier", "Mid", "--out", out, "--picture", picture, "--time", "0.3", "--size", "160x100")
    run = command("scene", file, *words, "--json")
    assert run.code == 0, run.err
    assert picture.is_file() and (out / TOGETHER).is_file()
    rows = [r for r in run.rows if "package" in r]
    total = next(r for r in run.rows if "worst_ms" in r)
    assert total["worst_ms"] <= sum(r["worst"] for r in rows) + 1e-9 and not total["over"]
    for wrong in (("--time", "-1", "--picture", picture), ("--tier", "Immense")):
        run = command("scene", file, *wrong)
        assert run.code == 2 and len(run.err.strip().splitlines()) == 1
    assert command("scene", tmp_path / "none.scene.json").code == 2
