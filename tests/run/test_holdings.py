"""What is kept of simulations: whose it is, why it is made again, and what cleaning leaves."""

from __future__ import annotations

from pathlib import Path

import pytest
from build import small_effect
from command import command

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.courses import Key, Keys
from tenka.effect.document import replaced, with_trial
from tenka.effect.model import Effect
from tenka.run.driver import simulate
from tenka.run.holdings import EARLIER, FINAL, NOW, Holding, holdings, remove
from tenka.run.noted import why_again
from tenka.run.plans import Plan, plans_of

DENSITY = "layers.puff.sources.source.density"


@pytest.fixture
def file(tmp_path: Path) -> Path:
    return tmp_path / "effects" / "puff.tenka"


@pytest.fixture
def store(tmp_path: Path, file: Path) -> FrameStore:
    store = FrameStore(tmp_path / "store")
    store.owner = str(file)
    file.parent.mkdir()
    return store


def run(effect: Effect, store: FrameStore, final: bool = False) -> None:
    for plan in plans_of(effect, None, final).values():
        simulate(plan, store, Progress())


def plan_of(effect: Effect) -> Plan:
    return next(iter(plans_of(effect, None).values()))


def only(found: list[Holding]) -> Holding:
    assert len(found) == 1
    return found[0]


def test_frames_are_of_the_effect_its_trials_and_what_it_was_before(store: FrameStore, file: Path):
    effect = small_effect()
    run(effect, store)
    tried, _ = with_trial(effect)
    changed = replaced(tried, DENSITY, 3.0)
    run(changed, store)
    run(changed, store, final=True)
    once = replaced(changed, DENSITY, 5.0)
    run(once, store)
    storage.save(changed, file)
    h = only(holdings(store))
    assert h.owner == str(file) and h.title == effect.name and h.there
    frames = effect.frames
    count = {what: len(part.names) for what, part in h.parts.items()}
    assert count[f"trial {tried.trials[0].name}"] >= frames
    assert count[NOW] >= frames and count[FINAL] >= frames and count[EARLIER] >= frames
    on_disk = sum(f.stat().st_size for f in store.folder.iterdir() if f.is_file() and f.name[0] != ".")
    assert h.bytes == on_disk
    # what is worked on counts, and not what is in the file
    other = only(holdings(store, (store.owner, once, file.parent)))
    assert set(other.parts[NOW].names) & set(h.parts[EARLIER].names)
    remove(store, h.needless)
    for made in (changed, effect):
        assert all(plan_of(made).stored(store))
    assert not any(plan_of(once).stored(store))
    assert only(holdings(store)).needless == []


def test_frames_that_another_effect_needs_are_kept_when_theirs_is_gone(store: FrameStore, file: Path):
    effect = small_effect()
    run(effect, store)
    assert not only(holdings(store)).there
    assert len(only(holdings(store)).needless) == len(list(store.files()))  # nobody is there who needs them
    copy = file.with_name("copy.tenka")
    storage.save(effect.model_copy(update={"name": "Copy"}), copy)
    store.owner = str(copy)
    run(replaced(effect, DENSITY, 1.0), store)  # something of its own
    mine = next(h for h in holdings(store) if h.owner == str(file))
    assert list(mine.parts) == ["needed by Copy"] and mine.needless == []


def test_a_broken_effect_keeps_what_is_its(store: FrameStore, file: Path):
    run(small_effect(), store)
    file.write_text("{")
    assert only(holdings(store)).needless == []


def test_why_frames_are_made_again_is_said(store: FrameStore):
    effect = small_effect()
    assert why_again(plan_of(effect), store) == "not simulated to its end yet"
    run(effect, store)
    assert why_again(plan_of(effect), store) == ""
    denser = replaced(effect, "layers.puff.motion.drag", 0.7)
    was = effect.layers[0].motion.drag
    assert why_again(plan_of(denser), store) == f"drag {was} → 0.7"
    assert "the seed changed" in why_again(plan_of(effect.model_copy(update={"seed": 99})), store)
    bare = effect.with_layer(effect.layers[0].model_copy(update={"sources": ()}))
    assert "source source is gone" in why_again(plan_of(bare), store)
    assert why_again(plan_of(replaced(effect, DENSITY, late(9.0))), store) == "source source, density changed"
    looks = replaced(effect, "light.exposure", 0.31)
    assert why_again(plan_of(looks), store) == ""  # a look makes nothing stale
    run(replaced(effect, DENSITY, late(9.0)), store)
    later = why_again(plan_of(replaced(effect, DENSITY, late(4.0))), store)
    assert later.startswith("something that moves has changed, from 0.3")  # until then they are the same
    run(effect, store)
    store.drop(plan_of(effect).name(3))
    assert "removed" in why_again(plan_of(effect), store)
    again = FrameStore(store.folder)
    again.owner = store.owner
    assert "removed" in why_again(plan_of(effect), again)  # another session knows it too


def late(end: float) -> Keys:
    """A course that is the same until 0.3 s."""
    return Keys(keys=(Key(t=0.0, v=6.0), Key(t=0.3, v=6.0), Key(t=0.4, v=end)))


def test_what_others_put_into_the_folder_is_neither_counted_nor_removed(tmp_path: Path):
    store = FrameStore(tmp_path / "store", limit=1)
    letter = store.folder / "letter.txt"
    letter.write_text("somebody's " * 1000)
    odd = store.folder / "00112233445566778899aabbccddeeff"
    odd.write_bytes(b"named as ours are, and not one")
    effect = small_effect()
    run(effect, store)
    assert {name for name, _, _ in store.files()}.isdisjoint({"letter.txt", odd.name})
    store.prune()
    assert letter.is_file() and not any(plan_of(effect).stored(store))


def test_what_is_kept_is_told_and_cleaned_in_the_terminal(
    tmp_path: Path, file: Path, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "store"))
    file.parent.mkdir()
    storage.save(small_effect(), file)
    assert command("simulate", file).code == 0
    told = command("kept", file, "--json")
    layer = next(r for r in told.rows if "layer" in r)
    assert layer["stored"] == layer["frames"] == small_effect().frames and layer["why"] == ""
    storage.save(replaced(small_effect(), "layers.puff.motion.drag", 0.7), file)
    told = command("kept", file, "--json")
    assert "drag" in next(r for r in told.rows if "layer" in r)["why"]
    assert {r["what"] for r in told.rows if "what" in r} == {EARLIER}
    gone = command("kept", file, "--clean", "needless", "--json")
    assert gone.code == 0 and gone.rows[-1]["removed"] > 10
    assert command("kept", "--json").rows == [{"bytes": 0, "limit": 8 * 1024**3}]
    run = command("kept", "--clean", "everything")
    assert run.code == 2 and len(run.err.strip().splitlines()) == 1
