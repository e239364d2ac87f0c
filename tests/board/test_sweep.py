"""Variants of what is delivered: measured, ordered by cost, known again, and told in the terminal."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from command import command

from tenka.base.errors import BadInput
from tenka.board.likeness import Likeness, jerk_of, likeness
from tenka.board.looking import Looking
from tenka.board.sweeping import sweep
from tenka.board.variants import Tried, combined, fitted, front
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.look.flip import flip_error
from tenka.run.driver import figures_of
from tenka.run.plans import plans_of

WIDTH, HEIGHT = "deliveries.puff.route.width", "deliveries.puff.route.height"
COUNT = "deliveries.puff.route.columns"
LOOK = Looking((5, 6, 9, 10), size=(96, 60))


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def test_what_is_alike_differs_by_nothing_and_a_flicker_is_told():
    chance = np.random.default_rng(1)
    still = [chance.integers(40, 200, (40, 60, 3)).astype(np.uint8)] * 4
    same = likeness([still], [still])
    assert same.flip == same.worst == same.jerk == 0.0
    for step in (4, 20):
        flickers = [p + np.uint8(step * (n % 2)) for n, p in enumerate(still)]
        assert jerk_of(still, flickers) == pytest.approx(step / 255.0)
    brighter = [p + np.uint8(20) for p in still]  # all alike: it does not flicker
    assert jerk_of(still, brighter) == 0.0 and flip_error(still[0], brighter[0]) > 0.01
    moving = [np.roll(still[0], n, axis=1) for n in range(4)]
    assert jerk_of(moving, moving) == 0.0 and jerk_of(moving, still) > 0.05
    assert (
        likeness([still, still], [still, brighter]).worst > likeness([still, still], [still, brighter]).flip
    )


def test_frames_lie_in_pairs_over_the_effect():
    for frames in (1, 2, 3, 12, 96):
        effect = small_effect(seconds=frames / 24.0)
        look = Looking.of(effect, (0.0, 40.0))
        assert effect.frames == frames and 1 <= len(look.frames) <= 8
        assert all(0 <= f < frames for f in look.frames)
        if frames >= 12:
            assert all(b - a == 1 for a, b in zip(look.frames[::2], look.frames[1::2]))
    a, b = (c.heading for c in look.cameras(effect))
    assert b - a == 40.0


def test_larger_cells_are_dearer_and_more_alike_and_known_again(store: FrameStore):
    effect = small_effect()
    asked = {WIDTH: [256, 32, 96], HEIGHT: [96, 48]}
    tried = list(sweep(effect, "low", asked, None, store, looking=LOOK))
    assert [(t.ms, t.mb) for t in tried] == sorted((t.ms, t.mb) for t in tried) and len(tried) == 6
    assert not any(t.known or t.fault for t in tried)
    figures = {"puff": figures_of(plans_of(effect, None)["puff"], store)}
    for t in tried:
        book = ledger(next(m for v, m in combined(effect, "low", asked) if v == t.values), "low", figures)
        assert t.mb == pytest.approx(book.mb) and t.over == book.over
        assert t.likeness is not None and 0 < t.likeness.flip <= t.likeness.worst and t.likeness.jerk >= 0
        assert t.picture.shape == (60, 96, 3) and t.picture.std() > 3
    square = {v[WIDTH]: t.likeness.flip for t in tried if (v := t.values)[HEIGHT] == 96 and t.likeness}
    assert square[256] < square[32]
    again = list(sweep(effect, "low", asked, None, store, looking=LOOK))
    assert all(t.known for t in again)
    assert [t.likeness for t in again] == [t.likeness for t in tried]
    brighter = small_effect(light=effect.light.model_copy(update={"strength": 1.0}))
    first = next(iter(sweep(brighter, "low", {WIDTH: [32]}, None, store, looking=LOOK)))
    assert not first.known  # what it is held against is another


def test_a_sweep_that_is_stopped_goes_on(store: FrameStore):
    effect = small_effect(name="Stopped", camera=small_effect().camera.model_copy(update={"distance": 7.0}))
    asked = {WIDTH: [32, 64, 128]}
    running = sweep(effect, "mid", asked, None, store, looking=LOOK)
    done = next(running)
    running.close()
    known = [t.known for t in sweep(effect, "mid", asked, None, store, looking=LOOK)]
    assert known[0] and not known[-1] and not done.known


def test_what_cannot_be_packed_is_told_and_the_next_one_tried(store: FrameStore):
    found = list(sweep(small_effect(), "low", {COUNT: [32, 4]}, None, store, looking=LOOK))
    assert len(found) == 2
    bad = [t for t in found if t.fault]
    assert found[-1].fault and len(bad) == 1 and bad[0].values == {COUNT: 32} and bad[0].likeness is None
    assert front(found) == [n for n, t in enumerate(found) if not t.fault]


def test_the_front_is_what_none_beats():
    def at(ms: float, flip: float) -> Tried:
        like = Likeness(flip, flip, 1.0, 0.0)
        return Tried({}, ms, 1.0, False, like, np.zeros((1, 1, 3), np.uint8))

    tried = [at(1.0, 0.5), at(2.0, 0.2), at(2.0, 0.3), at(3.0, 0.2), at(0.5, 0.6), at(4.0, 0.1)]
    assert front(tried) == [4, 0, 1, 5]


def test_bad_values_are_one_sentence():
    effect = small_effect()
    with pytest.raises(BadInput, match="not a setting"):
        combined(effect, "low", {"deliveries.puff.route.nothing": [1]})
    with pytest.raises(BadInput, match="another on each tier"):
        combined(effect, "low", {"layers.puff.look.extinction": [1.0]})
    with pytest.raises(BadInput):
        combined(effect, "low", {WIDTH: [-4]})
    with pytest.raises(BadInput, match="variants"):
        combined(effect, "low", {WIDTH: list(range(16, 116)), HEIGHT: list(range(16, 116))})
    with pytest.raises(BadInput, match="no number"):
        fitted(effect, WIDTH, "wide")
    assert fitted(effect, "deliveries.puff.route.crop", "yes") is True
    assert fitted(effect, "deliveries.puff.route.player.scale", "1.5") == 1.5


def test_the_terminal_tells_each_and_the_front(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "frames"))
    file = tmp_path / "e.tenka"
    storage.save(small_effect(), file)
    run = command("sweep", file, "--tier", "low", "--set", f"{WIDTH}=32,128", "--json")
    assert run.code == 0 and len(run.rows) == 3, run.err
    assert {row["values"][WIDTH] for row in run.rows[:2]} == {32, 128}
    assert run.rows[0]["ms"] <= run.rows[1]["ms"]
    assert all(row["flip"] > 0 and row["mb"] > 0 for row in run.rows[:2]) and run.rows[2]["front"]
    assert "known" in run.rows[0] and not run.rows[0]["known"]
    again = command("sweep", file, "--tier", "low", "--set", f"{WIDTH}=32,128", "--json")
    assert all(row["known"] for row in again.rows[:2])
    for words, said in (
        (("--set", "x"), "says no values"),
        (("--tier", "no"), "no tier"),
        (("--sides", "left"), "is not usable"),
    ):
        run = command("sweep", file, *words)
        assert run.code == 2 and said in run.err and run.err.count("\n") == 1
