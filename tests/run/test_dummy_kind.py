"""A kind of layer that only its registration knows, through every entry point without a window."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from command import command
from gauge import GaugeLayer, gauges, read

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect import storage
from tenka.effect.document import replaced
from tenka.effect.model import Effect, Tier
from tenka.effect.starters import STARTERS
from tenka.look.shot import gathered, shot_of
from tenka.run.driver import simulate
from tenka.run.plans import plans_of


@pytest.fixture(autouse=True)
def kind() -> Iterator[None]:
    with gauges():
        yield


TIER = Tier(id="wide", name="Wide", ms=1000, mb=1e5)


def beside_gas() -> Effect:
    """A gauge beside a fire that is made quick."""
    effect = STARTERS["Fire"](Effect())
    gas = effect.gases[0]
    domain = gas.domain.model_copy(update={"voxel": 2.5 * gas.domain.voxel})
    layers = (gas.model_copy(update={"domain": domain}), GaugeLayer(id="level", name="Level"))
    return Effect.model_validate({**dict(effect), "layers": layers, "seconds": 0.25, "tiers": (TIER,)})


def test_it_is_simulated_stored_and_read_like_any_other(tmp_path: Path):
    effect = Effect(layers=(GaugeLayer(id="level", name="Level", pace=2.0),), seconds=0.5)
    store, plan = FrameStore(tmp_path), plans_of(effect, None)["level"]
    simulate(plan, store, Progress())
    levels = [plan.read(store, f).level for f in range(effect.frames)]
    assert levels == pytest.approx([2.0 * f / effect.rate for f in range(effect.frames)])
    other = plans_of(replaced(effect, "layers.level.pace", 3.0), None)["level"]
    assert other.keys != plan.keys and plans_of(effect, None, final=True)["level"].keys == plan.keys
    assert read(store, plan.name(2)) is not None


def test_it_is_passed_over_where_nothing_draws_it(tmp_path: Path):
    effect, store = beside_gas(), FrameStore(tmp_path)
    plans = plans_of(effect, FOLDER)
    for plan in plans.values():
        simulate(plan, store, Progress())
    frames, past = gathered(plans, store, 3)
    assert set(frames) == {layer.id for layer in effect.layers}
    shot = shot_of(effect, frames, FOLDER, 3 / effect.rate, past=past)
    assert len(shot.gases) == 1 and not shot.swarms and not shot.bodies


def test_the_terminal_takes_it_or_says_what_it_has_not(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "frames"))
    file, effect = tmp_path / "e.tenka", beside_gas()
    storage.save(effect, file)
    assert storage.load(file) == effect
    run = command("info", file, "--json")
    assert run.code == 0 and run.rows[0]["layers"][1]["pace"] == 0.5
    assert "rises at 0.5 m/s" in command("info", file).out
    run = command("simulate", file, "--json")
    assert run.code == 0 and {row["layer"] for row in run.rows} == {layer.id for layer in effect.layers}
    assert command("simulate", file, "--quality", "final", "--json").code == 0
    assert command("render", file, "--frame", 2, "--picture", tmp_path / "r.png").code == 0
    run = command("pack", file, "--out", tmp_path / "package", "--json")
    assert run.code == 1 and "Level" in run.err
    assert [row["name"] for row in run.rows[-1]["left_out"]] == ["Level"]
    assert [row["element"] for row in run.rows if "element" in row] == [effect.layers[0].id]
    run = command("budget", file, "--json")
    assert run.code == 0
    run = command("gate", file, "--tier", "Wide", "--json")
    assert run.code == 1 and run.rows[-1]["not_counted"][0].startswith("Level is not counted")
    run = command("gate", file, "--tier", "Wide", "--accept-uncounted", "--json")
    assert run.code == 0
    assert run.rows[-1]["not_counted"][0].startswith("Level is not counted")
    run = command("export", file, "--out", tmp_path / "x.ply", "--layer", "level")
    assert run.code == 2 and run.err.count("\n") <= 2 and "level" in run.err
    run = command("pack", file, "--out", tmp_path / "other", "--layer", "level")
    assert run.code == 2 and "level" in run.err and not (tmp_path / "other").exists()


def test_alone_it_is_told_that_nothing_can_be_packed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "frames"))
    file = tmp_path / "e.tenka"
    storage.save(Effect(layers=(GaugeLayer(id="level", name="Level"),), seconds=0.25), file)
    assert command("simulate", file).code == 0
    assert command("render", file, "--frame", 2, "--picture", tmp_path / "r.png").code == 0
    run = command("pack", file, "--out", tmp_path / "p")
    assert run.code == 2 and not (tmp_path / "p").exists() and len(run.err.strip()) > 10
