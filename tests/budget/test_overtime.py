"""What is taken over time: its mean is the ledger's figure, and triggers add up as the effect says."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from build import BOOK, small_effect
from command import command

from tenka.budget.cost import Ledger, ledger
from tenka.budget.overtime import over_time
from tenka.effect import storage
from tenka.effect.courses import Key, Keys
from tenka.effect.delivered import first_delivery
from tenka.effect.lights import SceneLight
from tenka.effect.model import Delivery, Effect, ParticleLayer, Player, delivering
from tenka.effect.routes.grid import LiveGrid
from tenka.effect.routes.particles import ParticleBake
from tenka.effect.routes.shimmer import Shimmer
from tenka.effect.routes.slices import SliceStack
from tenka.effect.routes.volume import Volume


def player_effect(**more: object) -> Effect:
    """Eight seconds of a flipbook whose sprites live for two and stand still."""
    player = Player(count=5, life=2.0, life_spread=0.0, drift=(0.0, 0.0, 0.0))
    effect = small_effect(seconds=8.0, **more)
    route = BOOK.model_copy(update={"player": player})
    deliveries = tuple(d.model_copy(update={"route": route}) for d in effect.deliveries)
    tiers = tuple(t.model_copy(update={"levers": {}}) for t in effect.tiers)
    return effect.model_copy(update={"deliveries": deliveries, "tiers": tiers, "levers": ()})


def calls_of(book: Ledger) -> float:
    return sum(t.value for line in book.lines for t in line.terms if t.name == "calls")


def test_sprites_come_one_by_one_and_then_take_their_mean():
    effect = player_effect()
    book = ledger(effect, "mid")
    found = over_time(book, effect)
    steady = found.ms[(found.times >= 4.0) & (found.times < 6.0 - 1e-6)]  # a life of two
    assert steady.mean() == pytest.approx(book.ms, rel=0.05)
    assert found.worst[0] >= book.ms
    short = effect.model_copy(update={"seconds": 1.0})
    early = over_time(ledger(short, "mid"), short)
    assert early.ms.max() < book.ms == pytest.approx(early.worst[0])  # it goes on after its second
    assert "as it goes on" in early.told()
    # one of five sprites at first: a fifth of what goes with pixels
    one = (found.ms[0] - calls_of(book)) / (book.ms - calls_of(book))
    assert 0.1 < one < 0.4
    born = np.array([found.ms[found.times <= t][-1] for t in (0.2, 0.6, 1.0, 1.4, 1.8)])
    assert np.all(np.diff(born) > 0)


def particles_effect(**more: object) -> Effect:
    layer = ParticleLayer(id="grit", name="Grit")
    effect = small_effect(seconds=2.0, layers=(layer,), **more)
    route = ParticleBake(first=0.0, last=10.0)
    deliveries = tuple(d.model_copy(update={"route": route}) for d in delivering(effect, (layer,)))
    return effect.model_copy(update={"deliveries": deliveries, "levers": ()})


def alive(effect: Effect, count: np.ndarray) -> dict[str, dict[int, dict[str, object]]]:
    box = {"low": [-1.0, -1.0, 0.0], "high": [1.0, 1.0, 2.0], "widest": 0.1, "area": 0.01, "swept": 0.0}
    return {"grit": {f: {"alive": int(n), **box} for f, n in enumerate(count)}}


def test_particles_take_as_much_as_are_alive():
    effect = particles_effect()
    frames = effect.frames
    count = np.round(1000 * np.linspace(0, 1, frames) ** 2).astype(int) + 10
    figures = alive(effect, count)
    book = ledger(effect, "mid", figures)
    found = over_time(book, effect, figures)
    assert len(book.lines) == 1 and book.ms > 0
    at, most = found.worst
    calls = calls_of(book)
    assert most == pytest.approx(effect.seconds, abs=2.0 / effect.rate)
    assert at - calls == pytest.approx((book.ms - calls) * count[-1] / count.mean(), rel=0.01)
    # the integral over all that plays is the mean times how long it does
    assert np.trapezoid(found.ms, found.times) == pytest.approx(book.ms * effect.seconds, rel=0.03)


def test_what_is_shown_whole_is_there_from_its_first_to_its_last_moment():
    effect = small_effect(seconds=4.0)
    route = Volume(first=1.0, last=2.0)
    deliveries = tuple(d.model_copy(update={"route": route}) for d in effect.deliveries)
    effect = effect.model_copy(update={"deliveries": deliveries, "levers": ()})
    effect = effect.model_copy(
        update={"tiers": tuple(t.model_copy(update={"levers": {}}) for t in effect.tiers)}
    )
    book = ledger(effect, "low")
    found = over_time(book, effect)
    inside = (found.times >= 1.0) & (found.times <= 2.0)
    assert np.allclose(found.ms[inside], book.ms) and book.ms > 0
    assert np.all(found.ms[(found.times < 0.95) | (found.times > 2.2)] == 0)


@pytest.mark.parametrize(("again", "most"), [("add", 3.0), ("restart", 1.0), ("refuse", 1.0)])
def test_triggers_that_overlap_add_up_as_the_effect_says(again: str, most: float):
    effect = particles_effect(again=again)
    figures = alive(effect, np.full(effect.frames, 500))
    book = ledger(effect, "mid", figures)
    once = over_time(book, effect, figures)
    found = over_time(book, effect, figures, (0.0, 0.5, 1.0))
    assert once.worst[0] == pytest.approx(book.ms)
    assert found.worst[0] == pytest.approx(most * book.ms, rel=1e-3)
    ends = {"add": 3.0, "restart": 3.0, "refuse": 2.0}[again]
    assert found.times[found.ms > 0.5 * book.ms].max() == pytest.approx(ends, abs=0.08)
    if again == "add":
        whole, one = (np.trapezoid(x.ms, x.times) for x in (found, once))
        assert whole == pytest.approx(3 * one, rel=0.03)


def test_all_routes_of_a_ledger_have_a_curve():
    effect = small_effect(seconds=2.0)
    more, taken = list[Delivery](), {"puff"}
    for route in (Volume(), SliceStack(), LiveGrid(), Shimmer()):
        more.append(first_delivery(effect.gas(), taken, route))
        taken.add(more[-1].id)
    effect = effect.model_copy(update={"deliveries": (*effect.deliveries, *more)})
    book = ledger(effect, "mid")
    found = over_time(book, effect)
    assert {line.route for line in book.lines} >= {"flipbook", "volume", "slices", "grid"}
    assert found.lines.shape[0] == len(book.lines)
    for line, curve in zip(book.lines, found.lines):
        assert curve.max() > 0.5 * line.ms > 0, line.route


def test_the_gate_holds_the_worst_moment_when_it_is_asked_to(tmp_path: Path):
    effect = player_effect(again="add")
    book = ledger(effect, "mid")
    tiers = tuple(t.model_copy(update={"ms": 1.5 * book.ms}) for t in effect.tiers)
    file = tmp_path / "puff.tenka"
    storage.save(effect.model_copy(update={"tiers": tiers}), file)
    plain = command("gate", file, "--tier", "Mid", "--worst", "--json")
    assert plain.code == 0
    told = plain.rows[-1]
    assert told["worst_ms"] == pytest.approx(max(ms for _, ms in told["over_time"]), rel=1e-4)
    three = command("gate", file, "--tier", "Mid", "--worst", "--triggers", "0,1,2", "--json")
    assert three.code == 1 and three.rows[-1]["worst_ms"] > 2.5 * book.ms
    assert command("gate", file, "--tier", "Mid", "--triggers", "0,1,2").code == 0  # the mean is held
    for wrong in ("1,2", "0,-1", "0,x", "0,0.5,0.2"):
        run = command("gate", file, "--tier", "Mid", "--triggers", wrong)
        assert run.code == 2 and len(run.err.strip().splitlines()) == 1


def test_a_light_that_the_effect_brings_along_is_counted_while_it_shines():
    lamp = SceneLight(
        id="lamp", name="Lamp", strength=Keys(keys=(Key(t=0.0, v=0.2), Key(t=1.0, v=0.0), Key(t=2.0, v=0.0)))
    )
    bare = small_effect(seconds=2.0)
    books = {}
    for part in ("set", "effect"):
        effect = bare.model_copy(update={"lights": (lamp.model_copy(update={"part_of": part}),)})
        books[part] = ledger(effect, "mid"), over_time(ledger(effect, "mid"), effect)
    mine, theirs = books["effect"][0], books["set"][0]
    line = next(line for line in mine.lines if line.layer == "Lamp")
    assert line.ms > 0 and mine.ms == pytest.approx(theirs.ms + line.ms)
    assert any("Lamp" in note for note in theirs.notes) and not any("Lamp" in note for note in mine.notes)
    extra = books["effect"][1].ms - books["set"][1].ms
    times = books["set"][1].times
    assert np.allclose(extra[times < 0.95], line.ms) and np.all(extra[times > 1.05] < 1e-12)
    # twice as strong reaches the square root of two as far: twice the pixels, while it fits the picture
    strong = lamp.model_copy(update={"part_of": "effect", "strength": 0.004})
    pair = [
        next(x for x in ledger(bare.model_copy(update={"lights": (one,)}), "mid").lines if x.layer == "Lamp")
        for one in (strong, strong.model_copy(update={"strength": 0.008}))
    ]
    assert pair[1].covered / pair[0].covered == pytest.approx(2.0, rel=0.1)
    # a reach that ends it sooner covers by its square, and one that ends it later covers no more
    far = math.sqrt(0.008 / 0.05)
    for reach, share in ((0.5 * far, 0.25), (3.0 * far, 1.0)):
        one = strong.model_copy(update={"strength": 0.008, "reach": reach})
        lines = ledger(bare.model_copy(update={"lights": (one,)}), "mid").lines
        covered = next(x for x in lines if x.layer == "Lamp").covered
        assert covered / pair[1].covered == pytest.approx(share, rel=0.15)


def test_a_light_that_a_tier_leaves_out_is_in_none_of_its_curves():
    """The curves of the others stay theirs."""
    early, late = (
        SceneLight(id=id, name=id, part_of="effect", strength=Keys(keys=(Key(t=0.0, v=a), Key(t=1.0, v=b))))
        for id, a, b in (("early", 0.2, 0.0), ("late", 0.0, 0.2))
    )
    bare = small_effect(seconds=1.0).model_copy(update={"lights": (early, late)})
    tiers = tuple(t.model_copy(update={"unlit": ("early",)}) for t in bare.tiers)
    dark = bare.model_copy(update={"tiers": tiers})
    for effect, names in ((bare, ["early", "late"]), (dark, ["late"])):
        book = ledger(effect, "mid")
        told = over_time(book, effect)
        assert [line.layer for line in book.lines if line.route == "light"] == names
        assert len(told.lines) == len(book.lines)
        assert any("early: left out on" in note for note in book.notes) == (effect is dark)
        assert told.lines[-1][0] == 0.0 and told.lines[-1][5] > 0.0
