"""The clean run, the cache, keys, live editing."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from build import simulated, small_effect, with_layer

from tenka.base.errors import BadInput, Cancelled, TooLarge
from tenka.base.jobs import Progress
from tenka.cache.store import KEY, NOTES, Frame, FrameStore, pack_arrays, unpack_arrays
from tenka.effect import storage
from tenka.effect.courses import Key, Keys
from tenka.effect.document import Document, replaced
from tenka.effect.model import DomainBox, Effect, Quality
from tenka.run.driver import CHECKPOINT_EVERY, simulate
from tenka.run.frames import frame_of_state, state_of_frame
from tenka.run.plans import Plan
from tenka.run.session import REST_SECONDS, Session

LIFT = "layers.puff.motion.lift"
WIND = "forces.wind.speed"


def arrays(plan: Plan, store: FrameStore) -> list[Frame]:
    found = [store.get_frame(plan.name(f), velocity=True) for f in range(plan.effect.frames)]
    assert all(f is not None for f in found)
    return found  # type: ignore[return-value]


def assert_same(a: list[Frame], b: list[Frame]) -> None:
    for x, y in zip(a, b, strict=True):
        np.testing.assert_array_equal(x.density, y.density)
        np.testing.assert_array_equal(x.temperature, y.temperature)
        np.testing.assert_array_equal(x.velocity, y.velocity)


# --- keys -----------------------------------------------------------------------------------------


def keys(effect: Effect) -> dict[int, str]:
    return Plan.of(effect).keys


def test_a_look_a_name_or_a_delivery_does_not_change_the_keys():
    effect = small_effect()
    changed = replaced(replaced(effect, "layers.puff.look.extinction", 30.0), "light.heading", 10.0)
    changed = replaced(replaced(changed, "deliveries.puff.route.columns", 4), "layers.puff.name", "Other")
    assert keys(changed) == keys(effect)


@pytest.mark.parametrize(
    "path,value",
    (
        (LIFT, 1.7),
        (WIND, 2.0),
        ("seed", 5),
        ("layers.puff.domain.voxel", 0.25),
        ("layers.puff.sources.source.density", 3.0),
        ("forces.eddies.passed_over", True),
        ("layers.puff.quality.courant", 1.0),
        ("layers.puff.passed_over", True),
    ),
)
def test_whatever_shapes_the_motion_changes_every_key(path: str, value: object):
    before, after = keys(small_effect()), keys(replaced(small_effect(), path, value))
    assert not set(before.values()) & set(after.values())


def test_a_key_at_a_late_frame_keeps_the_keys_before_it():
    early = Keys(keys=(Key(t=0.0, v=1.0), Key(t=0.25, v=1.0), Key(t=0.4, v=2.0)))
    late = Keys(keys=(Key(t=0.0, v=1.0), Key(t=0.25, v=1.0), Key(t=0.4, v=0.5)))
    a, b = keys(replaced(small_effect(), LIFT, early)), keys(replaced(small_effect(), LIFT, late))
    same = [f for f in a if a[f] == b[f]]
    assert max(same) == 6 and a[7] != b[7]


def test_a_source_that_ends_later_keeps_the_frames_before():
    a = keys(replaced(small_effect(), "layers.puff.sources.source.end", 0.25))
    b = keys(replaced(small_effect(), "layers.puff.sources.source.end", 0.4))
    assert a[5] == b[5] and a[8] != b[8]


def test_a_prop_counts_only_where_it_feeds():
    effect = small_effect()
    moved = "props.box.position"
    assert keys(replaced(effect, moved, (0.1, 0, 0))) == keys(effect)
    fed = replaced(
        replaced(effect, "layers.puff.sources.source.prop", "box"),
        "layers.puff.sources.source.shape",
        "surface",
    )
    assert keys(replaced(fed, moved, (0.1, 0, 0))) != keys(fed)


# --- the store ------------------------------------------------------------------------------------


def test_arrays_come_back_from_the_store_bit_by_bit():
    rng = np.random.default_rng(1)
    given = {"a": rng.random((5, 6, 7)).astype(np.float16), "b": rng.random((3, 4)).astype(np.float32)}
    found, meta = unpack_arrays(pack_arrays(given, {"x": 1.5}))
    assert meta == {"x": 1.5}
    for name in given:
        np.testing.assert_array_equal(found[name], given[name])
    assert set(unpack_arrays(pack_arrays(given, {}), {"b"})[0]) == {"b"}


@pytest.mark.parametrize("harm", ("flip", "cut", "empty"))
def test_a_damaged_frame_is_noticed_and_made_again(harm: str, tmp_path: Path):
    plan, store = simulated(small_effect(), tmp_path)
    whole = arrays(plan, store)
    file = tmp_path / plan.name(5)
    data = bytearray(file.read_bytes())
    data[len(data) // 2] ^= 0xFF
    file.write_bytes({"flip": bytes(data), "cut": bytes(data[:200]), "empty": b""}[harm])
    assert store.get_frame(plan.name(5)) is None and not store.has(plan.name(5))
    report = simulate(plan, store, Progress())
    assert report.simulated == 1
    assert_same(arrays(plan, store), whole)


def test_the_store_keeps_within_its_limit_and_drops_the_least_used(tmp_path: Path):
    store = FrameStore(tmp_path)
    for n in range(6):
        store.put(f"k{n}", {"a": np.random.default_rng(n).random(20_000)}, {})
        time.sleep(0.01)
    store.get("k0")
    store.limit = sum(f.stat().st_size for f in tmp_path.iterdir()) // 2
    store.prune()
    assert store.has("k0") and not store.has("k1") and store.has("k5")


def test_an_unusable_cache_folder_is_one_sentence(tmp_path: Path):
    (tmp_path / "file").write_text("")
    with pytest.raises(BadInput, match="cannot be used for frames"):
        FrameStore(tmp_path / "file")


def test_figures_are_read_without_the_arrays(tmp_path: Path):
    plan, store = simulated(small_effect(), tmp_path)
    figures = store.figures(plan.name(3))
    assert figures is not None and len(figures["wall"]) == 6 and figures["parts"]["velocity"] > 0
    assert store.figures("none") is None


# --- the clean run --------------------------------------------------------------------------------


def test_a_second_run_simulates_nothing(tmp_path: Path):
    plan, store = simulated(small_effect(), tmp_path)
    report = simulate(plan, store, Progress())
    assert (report.simulated, report.reused) == (0, 12)


def test_a_cancelled_run_goes_on_to_the_same_arrays(tmp_path: Path):
    effect = small_effect(seconds=1.0)
    plan = Plan.of(effect)
    store = FrameStore(tmp_path / "a")
    progress = Progress()
    with pytest.raises(Cancelled):
        simulate(
            plan,
            store,
            progress,
            made=lambda _, f, frame, report: progress.cancel() if f == CHECKPOINT_EVERY + 3 else None,
        )
    assert sum(plan.stored(store)) == CHECKPOINT_EVERY + 4
    report = simulate(plan, store, Progress())
    assert report.simulated == 24 - CHECKPOINT_EVERY - 4
    assert_same(arrays(plan, store), arrays(*simulated(effect, tmp_path / "b")))


def test_an_edit_at_a_late_frame_reuses_what_is_before_and_equals_a_run_from_scratch(tmp_path: Path):
    course = Keys(keys=(Key(t=0.0, v=1.0), Key(t=0.6, v=1.0), Key(t=0.9, v=2.0)))
    effect = replaced(small_effect(seconds=1.0), LIFT, course)
    _, store = simulated(effect, tmp_path / "a")
    late = replaced(effect, LIFT, Keys(keys=(*course.keys[:2], Key(t=0.9, v=-1.0))))
    plan = Plan.of(late)
    report = simulate(plan, store, Progress())
    assert report.reused == 15 and report.simulated == 9
    assert_same(arrays(plan, store), arrays(*simulated(late, tmp_path / "b")))


def test_a_killed_run_leaves_whole_frames_and_goes_on(tmp_path: Path):
    effect = small_effect(seconds=4.0)
    file = tmp_path / "e.tenka"
    storage.save(effect, file)
    code = (
        "import sys\nfrom pathlib import Path\nfrom tenka.base.jobs import Progress\nfrom "
        "tenka.cache.store import FrameStore\n"
        "from tenka.effect import storage\nfrom tenka.run.driver import simulate\n"
        "from tenka.run.plans import Plan\n"
        "plan = Plan.of(storage.load(Path(sys.argv[1])))\n"
        "simulate(plan, FrameStore(Path(sys.argv[2])), Progress(), made=lambda _, f, *more: print(f, "
        "flush=True))\n"
    )
    process = subprocess.Popen(
        [sys.executable, "-c", code, str(file), str(tmp_path / "s")], stdout=subprocess.PIPE, text=True
    )
    assert process.stdout is not None
    while (line := process.stdout.readline()) and int(line) < 15:
        pass
    process.kill()
    process.wait()
    store, plan = FrameStore(tmp_path / "s"), Plan.of(effect)
    kept = sum(plan.stored(store))
    assert 15 <= kept < 96
    report = simulate(plan, store, Progress(), (0, 30))
    assert report.reused >= 15
    assert all(store.get_frame(plan.name(f)) is not None for f in range(31))


def test_a_final_run_keeps_float32_and_a_preview_halves(tmp_path: Path):
    effect = with_layer(small_effect(), quality=Quality(detail=1))
    plan, store = simulated(effect, tmp_path / "a")
    final = Plan.of(effect, final=True)
    simulate(final, store, Progress(), (3, 3))
    half, full = store.get_frame(plan.name(3)), store.get_frame(final.name(3))
    assert half is not None and full is not None
    assert half.density.dtype == np.float16 and full.density.dtype == np.float32
    np.testing.assert_allclose(half.density, full.density, rtol=1e-3, atol=1e-4)


def test_the_run_up_hides_the_start():
    plan = Plan.of(small_effect())
    assert plan.first == -6 and plan.solver().start().time == pytest.approx(-0.25)


# --- live editing ---------------------------------------------------------------------------------


def session_for(effect: Effect, folder: Path) -> Session:
    session = Session(FrameStore(folder))
    session.take(effect, wait=False)
    assert session.wait_until_stored(60)
    return session


def test_an_edit_while_playing_shows_in_the_next_frame_and_the_clean_run_equals_one_from_scratch(
    tmp_path: Path,
):
    effect = small_effect(seconds=1.0)
    session = session_for(effect, tmp_path / "a")
    try:
        for f in range(6):
            shown = session.frame(f, live=True)
            assert shown is not None and not shown.loose
        stored = session.store.get_frame(Plan.of(effect).name(6))
        changed = replaced(effect, WIND, 12.0)
        session.take(changed)
        loose = session.frame(6, live=True)
        assert loose is not None and loose.loose and stored is not None
        assert np.abs(loose.frame.density.astype(float) - stored.density).max() > 0.01
        following = session.frame(7, live=True)
        assert following is not None and following.loose and session.status.loose == {6, 7}
        assert session.wait_until_stored(60)
        clean = session.frame(8, live=True)
        assert clean is not None and not clean.loose
    finally:
        session.close()
    plan = Plan.of(changed)
    assert_same(arrays(plan, session.store), arrays(*simulated(changed, tmp_path / "b")))


def test_the_run_up_is_shown_as_it_goes_and_not_stored(tmp_path: Path):
    seen: list[int] = []
    plan = Plan.of(small_effect())
    simulate(plan, FrameStore(tmp_path), Progress(), coming=lambda _, f, frame: seen.append(f))
    assert seen == [-6, -3]
    assert all(not FrameStore(tmp_path).has(plan.name(f)) for f in seen)


def test_a_frame_damaged_under_an_open_session_is_made_again(tmp_path: Path):
    effect = small_effect()
    session = session_for(effect, tmp_path)
    try:
        whole = session.frame(5)
        file = tmp_path / Plan.of(effect).name(5)
        file.write_bytes(file.read_bytes()[:100])
        assert whole is not None and session.frame(5) is None
        assert session.wait_until_stored(30)
        again = session.frame(5)
        assert again is not None
        np.testing.assert_array_equal(again.frame.density, whole.frame.density)
    finally:
        session.close()


def test_loose_frames_are_not_stored(tmp_path: Path):
    effect = small_effect()
    session = session_for(effect, tmp_path)
    try:
        session.frame(4, live=True)

        def frames() -> set[str]:
            return {p.name for p in tmp_path.iterdir() if p.name != NOTES}

        before = frames()
        session.take(replaced(effect, WIND, 9.0))
        assert session.frame(5, live=True).loose  # type: ignore[union-attr]
        assert frames() == before
    finally:
        session.close()


def test_the_clean_run_waits_until_the_value_rests(tmp_path: Path):
    effect = small_effect()
    session = session_for(effect, tmp_path)
    try:
        for n in range(4):
            session.take(replaced(effect, LIFT, 1.1 + 0.1 * n))
            time.sleep(REST_SECONDS / 4)
            assert not any(session.status.stored) or session.status.stored == [True] * 12
        assert session.wait_until_stored(60)
    finally:
        session.close()


def test_undo_returns_the_cache_without_simulating(tmp_path: Path):
    document = Document(small_effect())
    session = session_for(document.effect, tmp_path)
    try:
        document.edit(LIFT, 2.0)
        session.take(document.effect, wait=False)
        assert session.wait_until_stored(60)
        count = len(list(tmp_path.iterdir()))
        document.undo()
        session.take(document.effect, wait=False)
        shown = session.frame(3)
        assert shown is not None and not shown.loose
        time.sleep(0.2)
        assert len(list(tmp_path.iterdir())) == count
    finally:
        session.close()


def test_scrubbing_and_look_edits_simulate_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    from tenka.gas import solver

    effect = small_effect()
    session = session_for(effect, tmp_path)
    try:
        monkeypatch.setattr(solver, "step", lambda *_: pytest.fail("it simulated"))
        for f in (0, 11, 3, 7, 1, 10):
            assert session.frame(f) is not None
        session.take(replaced(effect, "layers.puff.look.extinction", 3.0), wait=False)
        time.sleep(0.3)
        assert session.frame(5) is not None and not session.status.problem
    finally:
        session.close()


def test_a_domain_too_large_is_said_and_the_session_goes_on(tmp_path: Path):
    effect = small_effect()
    session = session_for(effect, tmp_path)
    try:
        session.take(with_layer(effect, domain=DomainBox(size=(900, 900, 900), voxel=0.05)), wait=False)
        end = time.monotonic() + 10
        while not session.status.problem and time.monotonic() < end:
            time.sleep(0.02)
        assert "GB of memory" in session.status.problem
        session.take(effect, wait=False)
        assert session.wait_until_stored(30) and not session.status.problem
    finally:
        session.close()


def test_too_large_is_refused_before_any_frame(tmp_path: Path):
    effect = with_layer(small_effect(), domain=DomainBox(size=(900, 900, 900), voxel=0.05))
    with pytest.raises(TooLarge):
        simulate(Plan.of(effect), FrameStore(tmp_path), Progress())
    assert [p.name for p in tmp_path.iterdir()] == [KEY]


def test_a_state_taken_from_a_frame_is_near_the_one_it_was_made_of():
    plan = Plan.of(small_effect())
    solver = plan.solver()
    state = solver.start()
    for _ in range(6):
        state = solver.frame(state)
    again = state_of_frame(solver.grid, frame_of_state(state, solver.grid))
    np.testing.assert_allclose(again.scalars, state.scalars, rtol=2e-3, atol=0.05)
    assert np.abs(again.w - state.w).mean() < 0.15 * np.abs(state.w).mean() + 0.02


def test_a_folder_that_was_removed_is_made_again(tmp_path: Path):
    folder = tmp_path / "frames"
    store = FrameStore(folder)
    store.put("k0", {"a": np.zeros(3)}, {})
    shutil.rmtree(folder)
    store.put("k1", {"a": np.ones(3)}, {})
    assert store.has("k1") and not store.has("k0") and store.get("k1") is not None
    plan, other = simulated(small_effect(), tmp_path / "others")
    whole = arrays(plan, other)
    shutil.rmtree(tmp_path / "others")
    assert simulate(plan, other, Progress()).simulated > 0
    assert_same(arrays(plan, other), whole)


def test_a_store_leaves_alone_what_another_process_is_writing(tmp_path: Path):
    code = "import os; print(os.getpid(), flush=True); input()"
    with subprocess.Popen(
        [sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as other:
        assert other.stdout is not None and other.stdin is not None
        pid = int(other.stdout.readline())
        theirs, dead = tmp_path / f".k1.{pid}.0123abcd.part", tmp_path / ".k2.999999999.0123abcd.part"
        for part in (theirs, dead):
            part.write_bytes(b"half")
        FrameStore(tmp_path)
        assert theirs.exists() and not dead.exists()
        other.stdin.write("\n")
        other.stdin.close()
        other.wait()
    FrameStore(tmp_path)
    assert not theirs.exists()


def test_a_time_stamp_that_fails_is_no_damage(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    store = FrameStore(tmp_path)
    store.put("k0", {"a": np.arange(5.0)}, {"x": 1})

    def refused(*_: object, **__: object) -> None:
        raise PermissionError(1, "Operation not permitted")

    monkeypatch.setattr(os, "utime", refused)
    assert store.get("k0") is not None and store.has("k0")
    reader = FrameStore(tmp_path)
    assert reader.get("k0") is not None
