"""Suggestions: what brings a tier within its budget, what it loses as foretold, and as measured."""

from __future__ import annotations

import itertools
import math
from pathlib import Path

import pytest
from build import small_effect
from command import command

from tenka.base.jobs import Progress
from tenka.board.changes import Change, ladders
from tenka.board.probing import FRAMES, stretch
from tenka.board.suggesting import Suggester, Suggestion, Takes, error_of
from tenka.board.sweeping import Bench, measure_all
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.delivered import first_delivery
from tenka.effect.document import delivered_on, on_tier, replaced, with_own
from tenka.effect.lights import SceneLight
from tenka.effect.model import Effect, Tier
from tenka.pack.layout import span_of

ROUTE = "deliveries.puff.route"


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def effect_within(ms: float, mb: float, **more: object) -> Effect:
    tier = Tier(id="low", name="Low", device="satchel", distance=6.0, width=480, height=270, ms=ms, mb=mb)
    return small_effect(tiers=(tier,), **more)


def suggester(effect: Effect, store: FrameStore) -> Suggester:
    return Suggester(Bench(effect, "low", None, store, Progress()))


def test_every_setting_that_costs_has_steps_that_are_in_its_range():
    effect = effect_within(1.0, 1.0)
    changes = [change for ladder in ladders(effect, "low") for change in ladder]
    touched = {path for change in changes for path in change.values}
    for name in ("width", "height", "columns", "rows", "cut_out", "motion", "player.count", "player.blend"):
        assert f"{ROUTE}.{name}" in touched
    assert not touched & {f"{ROUTE}.seen_from", f"{ROUTE}.player.scale"}  # what it is to look like
    for change in changes:
        change.on(effect, "low")  # each fits
    fewer = next(c for c in changes if "columns" in c.what)
    now = effect.deliveries[0].route
    cells = fewer.values[f"{ROUTE}.width"] / fewer.values[f"{ROUTE}.columns"]
    assert cells == now.width / now.columns  # a frame stays as large


def test_frames_in_the_shape_of_what_they_show_are_suggested_and_lose_nothing(store: FrameStore):
    effect = effect_within(0.02, 10.0)
    layer = effect.gas()
    domain = layer.domain.model_copy(update={"origin": (-2.0, -1.0, 0.0), "size": (4.0, 2.0, 1.0)})
    effect = effect.with_layer(layer.model_copy(update={"domain": domain}))
    effect = replaced(effect, f"{ROUTE}.player.count", 12)
    count = effect.deliveries[0].route.columns * effect.deliveries[0].route.rows

    def reshapes(c: Change) -> bool:
        return c.values.get(f"{ROUTE}.columns", 0) * c.values.get(f"{ROUTE}.rows", 0) == count

    book = ledger(effect, "low")
    (change,) = [c for ladder in ladders(effect, "low", book) for c in ladder if reshapes(c)]
    made = change.on(effect, "low")
    assert ledger(made, "low").ms < 0.8 * ledger(effect, "low").ms
    found = [s for s in suggester(effect, store).suggest(Progress()) if s.changes == (change,)]
    assert len(found) == 1 and found[0].loss < 0.005


def test_a_stretch_has_frames_as_large_and_as_far_apart():
    effect = effect_within(1.0, 1.0)
    route = effect.deliveries[0].route.model_copy(
        update={"columns": 4, "rows": 3, "width": 256, "height": 96}
    )
    whole = effect.deliveries[0].model_copy(update={"route": route})
    for t in (0.0, 0.2, 0.46):
        short = stretch(effect, whole, t)
        a, b = span_of(effect, short)
        first, last = span_of(effect, whole)
        assert short.route.width // short.route.columns == 64 and short.route.height // short.route.rows == 32
        assert (b - a) / (FRAMES - 1) == pytest.approx((last - first) / 11)
        assert a - 1e-9 <= t <= b + 1e-9 or t > last
        steps = (a - first) / ((last - first) / 11)
        assert steps == pytest.approx(round(steps), abs=1e-6)  # they are frames of the whole


@pytest.mark.parametrize("tight", ["ms", "mb"])
def test_what_is_over_comes_within_by_what_is_suggested(store: FrameStore, tight: str):
    plain = suggester(effect_within(100.0, 100.0), store).now
    share = 0.6
    budget = (plain.ms * share, 100.0) if tight == "ms" else (100.0, plain.mb * share)
    finder = suggester(effect_within(*budget), store)
    assert finder.over
    found = finder.suggest(Progress())
    enough = [s for s in found if not s.over]
    assert enough and found[: len(enough)] == enough
    losses = [s.loss for s in enough]
    assert losses == sorted(losses)
    known: dict[str, Suggestion] = {s.what: s for s in finder.measure(found)}
    assert set(known) == {s.what for s in found}
    for s in known.values():
        assert s.tried is not None and s.tried.likeness is not None, s.tried and s.tried.fault
        assert s.ms == pytest.approx(s.tried.ms, rel=0.2) and s.mb == pytest.approx(s.tried.mb, rel=0.2)
        assert math.isfinite(s.added)
    best = known[enough[0].what]
    assert best.added <= min(x.added for x in known.values() if not x.over) + 0.01
    book = Bench(enough[0].effect, "low", None, store, Progress()).book(enough[0].effect)
    assert not book.over or any("cut-out" in change.what for change in enough[0].changes)
    delivered = delivered_on(enough[0].effect, "low")
    assert delivered != delivered_on(finder.bench.effect, "low")


def test_a_cut_out_that_is_there_already_is_counted_as_it_was_drawn(store: FrameStore):
    """What was taken for being enough is still enough when it is looked at again."""
    plain = suggester(effect_within(100.0, 100.0), store).now
    cut = with_own(effect_within(100.0, 100.0), "low", f"{ROUTE}.cut_out", "each frame")
    now = suggester(cut, store)
    assert now.now.ms < 0.95 * plain.ms
    (known,) = list(measure_all(now.bench, [({}, cut, now.bench.book(cut))]))
    assert now.now.ms == pytest.approx(known.ms, rel=0.2)
    tight = effect_within(1.05 * now.now.ms, 100.0)
    assert suggester(tight, store).over
    assert not suggester(with_own(tight, "low", f"{ROUTE}.cut_out", "each frame"), store).over


def test_where_one_is_not_enough_several_are_put_together(store: FrameStore):
    plain = suggester(effect_within(100.0, 100.0), store).now
    finder = suggester(effect_within(plain.ms * 0.55, plain.mb * 0.2), store)
    found = finder.suggest(Progress())
    together = [s for s in found if len(s.changes) > 1]
    assert together and not together[0].over and found[0] is together[0]


def test_rather_several_changes_than_one_that_hides_something_and_none_that_is_needless(store: FrameStore):
    plain = effect_within(50.0, 50.0)
    second = first_delivery(plain.gas(), ("puff",), plain.deliveries[0].route)
    both = plain.model_copy(update={"deliveries": (*plain.deliveries, second)})
    book = Bench(both, "low", None, store, Progress()).book(both)
    tier = both.tiers[0].model_copy(update={"mb": 0.45 * book.mb})
    found = suggester(both.model_copy(update={"tiers": (tier,)}), store).suggest(Progress())
    best, hiding = found[0], [s for s in found if s.hides]
    assert hiding and not best.over and not best.hides and len(best.changes) > 1
    within = [s for s in found if not s.over]
    assert [s.hides for s in within] == sorted(s.hides for s in within)
    for change in best.changes:  # each is needed
        made = both.model_copy(update={"tiers": (tier,)})
        for other in best.changes:
            made = made if other is change else other.on(made, "low")
        left = ledger(made, "low")
        assert left.mb > tier.mb or left.ms > tier.ms


def test_within_its_budget_what_saves_much_is_told(store: FrameStore):
    finder = suggester(effect_within(100.0, 100.0), store)
    assert not finder.over
    for s in finder.suggest(Progress()):
        assert s.ms < finder.now.ms or s.mb < finder.now.mb


def test_how_far_off_predictions_were():
    assert error_of([1.1, 0.9], [1.0, 1.0]) == pytest.approx(0.1)
    assert error_of([2.0, math.nan], [1.0, 1.0]) == pytest.approx(1.0)
    assert math.isnan(error_of([], []))
    assert Takes(2.0, 1.0).beyond(Takes(1.0, 1.0)) == pytest.approx(1.0)
    assert Takes(0.1, 0.1, amiss=True).beyond(Takes(1.0, 1.0)) > 0


def test_the_terminal_takes_one_into_the_tier(
    tmp_path: Path, store: FrameStore, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setenv("TENKA_FRAMES", str(store.folder))
    plain = suggester(effect_within(100.0, 100.0), store).now
    file = tmp_path / "e.tenka"
    storage.save(effect_within(plain.ms * 2, plain.mb * 0.6), file)
    assert command("gate", file, "--tier", "Low").code == 1
    run = command("suggest", file, "--tier", "low", "--measure", "--json")
    assert run.code == 0 and run.rows[0]["over"] is False and run.rows[0]["measured"]["mb"] > 0
    assert run.rows[-1]["off"]["mb"] < 0.2
    before = file.read_bytes()
    run = command("suggest", file, "--tier", "low", "--take", "99")
    assert run.code == 2 and file.read_bytes() == before
    assert command("suggest", file, "--tier", "low", "--take", "1").code == 0
    assert command("gate", file, "--tier", "Low").code == 0
    assert command("suggest", file, "--tier", "no").code == 2


def test_lights_of_the_effect_are_left_out_where_that_loses_least(store: FrameStore):
    """Of two lights that cost the same the board leaves out the one that lights what nobody sees."""
    near = SceneLight(
        id="near", name="Near", part_of="effect", position=(0.0, -0.4, 0.8), strength=6.0, shadows=False
    )
    far = near.model_copy(update={"id": "far", "name": "Far", "position": (0.0, 60.0, 0.8)})
    of_set = near.model_copy(update={"id": "lamp", "name": "Lamp", "part_of": "set"})
    effect = effect_within(1.0, 1.0, lights=(near, far, of_set))
    found = suggester(effect, store)
    losses = {}
    for ladder in ladders(effect, "low"):
        for change in ladder:
            if change.unlit:
                made = change.on(effect, "low")
                (id,) = change.unlit
                assert {x.id for x in on_tier(made, "low").lights} == {"near", "far", "lamp"} - {id}
                assert ledger(made, "low", {}).ms < ledger(effect, "low", {}).ms
                losses[id] = found._prober.darkened(made)
    assert set(losses) == {"near", "far"}, "a light of the set is not the effect's to leave out"
    assert losses["near"] > 0.01 > 10 * losses["far"]
    shorter = [c for ladder in ladders(effect, "low") for c in ladder if "lights.near.reach" in c.values]
    shown = []
    for change in shorter:  # the shorter its reach, the less it takes and the more is lost
        made = change.on(effect, "low")
        assert made.lights == effect.lights
        shown.append((ledger(made, "low", {}).ms, found._prober.darkened(made)))
    assert len(shown) > 4
    assert all(a[0] >= b[0] and a[1] <= b[1] for a, b in itertools.pairwise(shown)), shown
    full = ledger(effect, "low", {}).ms
    dark = ledger(Change("", unlit=("near",)).on(effect, "low"), "low", {}).ms
    assert shown[-1][1] < losses["near"] and shown[-1][0] - dark < 0.35 * (full - dark)
    bench = found.bench
    for id, loss in losses.items():
        tiers = tuple(t.model_copy(update={"unlit": (id,)}) for t in effect.tiers)
        dark = effect.model_copy(update={"tiers": tiers})
        tried = next(measure_all(bench, [({}, dark, bench.book(dark))]))
        assert not tried.fault and tried.likeness is not None
        assert tried.likeness.played == pytest.approx(loss, abs=0.01)
    found._prober.close()
