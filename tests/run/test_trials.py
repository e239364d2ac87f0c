"""Trials: kept simulations with their settings; their frames outlive others in the store."""

from __future__ import annotations

import os
import time
from pathlib import Path

import numpy as np
import pytest
from build import frame_of, simulated, small_effect, with_layer

from tenka.base.errors import BadInput
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.courses import Wave
from tenka.effect.document import differences, replaced, with_trial
from tenka.effect.model import Effect, Swirl, Trial
from tenka.run.plans import Plan
from tenka.run.session import Session

LIFT = "layers.puff.motion.lift"


def test_going_back_gives_the_settings_of_then_and_keeps_what_is_delivered_now():
    before = small_effect()
    kept, trial = with_trial(before)
    changed = replaced(replaced(kept, LIFT, 3.0), "tiers.mid.ms", 9.0)
    back = trial.onto(changed)
    assert back.layers == before.layers and Plan.of(back).keys == Plan.of(before).keys
    assert back.tier("mid").ms == 9.0 and back.trials == kept.trials


def test_differences_are_phrases_with_units():
    effect = small_effect()
    other = replaced(effect, LIFT, 2.5)
    other = replaced(other, "layers.puff.sources.source.push", (0.0, 0.0, 2.0))
    other = replaced(other, "layers.puff.motion.drag", Wave())
    other = other.model_copy(update={"forces": (*effect.forces, Swirl(id="s", name="Whirl"))})
    found = differences(effect, other)
    assert "motion, lift: 1 → 2.5" in found and "Source, push: 0 0 1 m/s → 0 0 2 m/s" in found
    assert any("a course (wave)" in phrase for phrase in found) and found.count("Whirl: added") == 1
    assert differences(effect, effect) == [] and "Whirl: not there" in differences(other, effect)


def test_trials_are_numbered_on_and_survive_saving(tmp_path: Path):
    effect, _ = with_trial(small_effect())
    effect, second = with_trial(replaced(effect, LIFT, 2.0))
    assert [t.name for t in effect.trials] == ["Trial 1", "Trial 2"] and second.layers[0].motion.lift == 2.0
    storage.save(effect, tmp_path / "a.tenka")
    assert storage.load(tmp_path / "a.tenka") == effect
    with pytest.raises(BadInput, match="share the id"):
        replaced(effect, "trials", (second, second))


def test_a_trials_meshes_are_found_after_saving_elsewhere(tmp_path: Path):
    effect = replaced(replaced(small_effect(), "props.box.file", "m.glb"), "props.box.shape", "mesh")
    effect, _ = with_trial(effect)
    moved = storage.moved(effect, tmp_path, tmp_path / "deep")
    assert moved.trials[0].props[0].file == "../m.glb" == moved.props[0].file


def test_pinned_files_stay_when_room_is_made(tmp_path: Path):
    store = FrameStore(tmp_path / "frames", limit=1)
    owner = tmp_path / "a.tenka"
    owner.write_text("{}")
    for n, name in enumerate(("old", "older", "new")):
        store.put_frame(name, frame_of(np.ones((8, 8, 8))))
        os.utime(store.folder / name, (n, n))
    store.pin(str(owner), {"old"})
    FrameStore(store.folder, limit=1).prune()  # another process knows of it too
    assert {p.name for p in store.folder.iterdir() if not p.name.startswith(".")} == {"old"}
    owner.unlink()
    store.prune()
    assert not store.pinned() and not [p for p in store.folder.iterdir() if not p.name.startswith(".")]


def test_a_session_holds_on_to_its_trials_and_finds_their_frames(tmp_path: Path):
    first = small_effect()
    plan, store = simulated(first, tmp_path / "frames")
    file = tmp_path / "a.tenka"
    effect, trial = with_trial(first)
    effect = replaced(effect, LIFT, 2.0)
    storage.save(effect, file)
    session = Session(store, file)
    try:
        session.take(effect, wait=False)
        assert session.wait_until_stored(60)
        found = session.beside(trial.id, 7)
        assert found is not None and found[0].key == plan.name(7) and found[1].layers == first.layers
        assert session.beside("gone", 7) is None and session.beside("final", 7) is None
        assert {plan.name(f) for f in range(first.frames)} <= store.pinned()
        session.take(replaced(effect, "trials", ()), wait=False)
        assert session.wait_until_stored(60)
        for _ in range(100):
            if not store.pinned():
                break
            time.sleep(0.02)
        assert not store.pinned()
    finally:
        session.close()


def test_an_empty_effect_can_hold_a_trial():
    effect = Effect(layers=())
    assert isinstance(with_trial(effect)[1], Trial) and with_layer(small_effect()).trials == ()
