"""Few and many sub-steps: what differs is told by number, and the less the finer both are."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import ONE_POINT, QUIET, small_effect
from command import command

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.model import DebrisLayer, ParticleLayer, PointSource
from tenka.effect.starters import STARTERS, empty
from tenka.run.stepping import STEPPED, compare_steps, with_steps


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def test_gas_differs_less_the_finer_both_are(store: FrameStore):
    effect = small_effect()
    off = {}
    for pair in ((1, 2), (4, 8), (8, 16)):
        found = compare_steps(effect, None, store, Progress(), pair)
        assert found.counts == pair and found.left == ()
        off[pair] = {r.what: r.off for r in found.rows}
        assert all(0.0 <= r.off <= 1.0 for r in found.rows)
    smoke = [off[pair]["Where smoke is"] for pair in ((1, 2), (4, 8), (8, 16))]
    assert smoke[0] > smoke[1] > smoke[2] > 0.0
    assert "Between 1 and 4" in compare_steps(effect, None, store, Progress()).told()


def test_a_point_that_falls_freely_hardly_hangs_on_its_steps_and_one_at_rest_not_at_all(store: FrameStore):
    source = PointSource(id="gun", name="Gun", **{**ONE_POINT, "speed": 4.0, "position": (0.0, 0.0, 5.0)})
    free = QUIET.__class__ if False else None
    layer = ParticleLayer(id="grit", name="Grit", sources=(source,))
    still = layer.model_copy(update={"motion": layer.motion.model_copy(update={"gravity": 0.0, "drag": 0.0})})
    assert free is None
    found = compare_steps(small_effect(layers=(still,)), None, store, Progress())
    where = next(r for r in found.rows if r.what == "Where the same one is")
    assert where.many < 1e-4  # a straight line at even speed
    fall = layer.model_copy(update={"motion": layer.motion.model_copy(update={"drag": 0.0})})
    found = compare_steps(small_effect(layers=(fall,), seconds=1.0), None, store, Progress())
    where = next(r for r in found.rows if r.what == "Where the same one is")
    # a first-order step is off by half of g t dt at most, where steps of a frame go against a quarter of one
    assert where.many <= 0.5 * 9.81 * 1.0 / 24.0


def test_all_kinds_have_their_steps_set_or_are_said_to_have_none():
    effect = small_effect(layers=(small_effect().layers[0], ParticleLayer(id="p", name="P")))
    made = with_steps(effect, 3)
    assert made.layers[0].quality.most_substeps == 3 and made.layers[1].steps == 3
    debris = small_effect(layers=(DebrisLayer(id="d", name="D"),))
    assert with_steps(debris, 5).layers[0].steps == 5
    assert {"gas", "liquid", "particles", "debris"} == set(STEPPED)


def test_water_is_named_as_without_steps(tmp_path: Path, store: FrameStore):
    effect = STARTERS["Pool"](empty()).model_copy(update={"seconds": 0.2})
    found = compare_steps(effect, None, store, Progress())
    assert found.left == tuple(layer.name for layer in effect.layers)
    assert all(r.off == 0.0 for r in found.rows)  # the same frames twice


def test_counts_that_cannot_be_are_refused(store: FrameStore):
    for counts in ((4, 1), (0, 4), (1, 33), (1,)):
        with pytest.raises(BadInput):
            compare_steps(small_effect(), None, store, Progress(), counts)


def test_sub_steps_are_compared_in_the_terminal(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "store"))
    file = tmp_path / "puff.tenka"
    storage.save(small_effect(), file)
    before = file.read_bytes()
    run = command("steps", file, "--json")
    assert run.code == 0 and file.read_bytes() == before
    rows = [r for r in run.rows if "what" in r]
    assert any(r["what"] == "Where smoke is" and r["off"] > 0 for r in rows)
    assert all(np.isfinite(r["off"]) for r in rows) and run.rows[-1]["counts"] == [1, 4]
    assert command("steps", file, "--counts", "few").code == 2
