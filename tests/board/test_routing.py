"""Routes against each other: by distance, on one clock and by one camera; and which wins where."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from command import command

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.likeness import Likeness
from tenka.board.routing import (
    Stood,
    Stretch,
    best_of,
    by_route,
    compare,
    compared_routes,
    plain,
    standing,
    taken,
    winners,
)
from tenka.board.variants import Tried
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import delivered_on
from tenka.effect.routes.base import EVERYWHERE

BLACK = np.zeros((4, 4, 3), np.uint8)


def stood(kind: str, distance: float, ms: float, flip: float, over: bool = False) -> Stood:
    like = Likeness(flip, flip, 1.0 - flip, 0.0) if math.isfinite(flip) else None
    return Stood(kind, distance, Tried({}, ms, 1.0, over, like, BLACK), ms)


def test_of_routes_within_the_budget_the_least_loss_wins_and_of_equals_the_cheapest():
    a, b, c = stood("a", 8, 1.0, 0.02), stood("b", 8, 0.5, 0.03), stood("c", 8, 3.0, 0.001, over=True)
    assert best_of([a, b, c]) is a
    assert best_of([stood("a", 8, 1.0, 0.0200), stood("b", 8, 0.5, 0.0203)]).kind == "b"
    assert best_of([c, stood("d", 8, 2.0, 0.3, over=True)]).kind == "d"  # none within: the cheapest
    assert best_of([stood("a", 8, 0.1, math.nan)]) is None  # nobody knows how like it is


def test_the_winner_changes_in_the_middle_between_two_distances():
    found = [stood("near", 4, 1, 0.01), stood("far", 4, 1, 0.2)]
    found += [stood("near", 16, 1, 0.2), stood("far", 16, 1, 0.01), stood("far", 64, 1, 0.01)]
    assert winners(found) == [Stretch("near", 0.0, 8.0), Stretch("far", 8.0, EVERYWHERE)]


def test_a_route_from_a_distance_takes_what_the_ledger_says_of_it_there(tmp_path: Path):
    effect, store = small_effect(), FrameStore(tmp_path / "store")
    kinds = compared_routes(effect, effect.deliveries[0])
    assert kinds[0] == "flipbook" and {"volume", "slices", "grid"} <= set(kinds)
    assert not {"light", "shimmer"} & set(kinds)  # they do not show the layer
    asked = ("flipbook", "volume", "grid")
    found = list(compare(effect, "low", "puff", None, store, Progress(), asked, (4.0, 16.0)))
    assert [(s.kind, s.distance) for s in found] == [(k, d) for k in asked for d in (4.0, 16.0)]
    for s in found:
        there = standing(plain(effect, "low"), "low", s.distance)
        book = ledger(by_route(there, "puff", s.kind), "low")
        assert s.alone == pytest.approx(book.lines[0].ms)
        if s.kind == "grid":
            assert math.isnan(s.loss) and "solves it" in s.fault and s.tried.ms > 0
        else:
            assert 0.0 < s.loss < 0.5 and s.tried.picture.std() > 1.0
    by = {(s.kind, s.distance): s for s in found}
    assert by["volume", 4.0].tried.ms > by["volume", 16.0].tried.ms  # it covers less of the picture
    # all of a distance have the same picture's size: one camera
    for d in (4.0, 16.0):
        assert len({by[k, d].tried.picture.shape for k in ("flipbook", "volume")}) == 1
    # the volume is what was simulated; a flat sheet is not
    assert by["volume", 16.0].loss < by["flipbook", 16.0].loss


def test_what_wins_is_taken_into_one_tier_and_the_others_go_without():
    effect = small_effect()
    ways = [Stretch("volume", 0.0, 10.0), Stretch("flipbook", 10.0, EVERYWHERE)]
    made = taken(effect, "low", "puff", ways)
    low = {d.route.kind: (d.route.seen_from, d.route.seen_to) for d in delivered_on(made, "low").deliveries}
    assert low == {"volume": (0.0, 10.0), "flipbook": (10.0, EVERYWHERE)}
    assert delivered_on(made, "mid").deliveries == delivered_on(effect, "mid").deliveries
    storage.loads(storage.dumps(made))  # it can be kept and read
    again = taken(made, "low", "puff", [Stretch("volume", 0.0, EVERYWHERE)])
    assert [d.route.kind for d in delivered_on(again, "low").deliveries] == ["volume"]
    assert delivered_on(again, "mid").deliveries == delivered_on(effect, "mid").deliveries
    back = taken(again, "low", "puff", ways) if "puff" in _ids(again, "low") else None
    assert back is None  # what is left out on a tier is not compared there
    other = next(d.id for d in delivered_on(again, "low").deliveries)
    back = taken(again, "low", other, ways)
    assert len(delivered_on(back, "low").deliveries) == 2


def test_what_shows_the_same_farther_away_is_left_out_of_the_comparison_wherever_it_is_named():
    effect = taken(
        small_effect(), "low", "puff", [Stretch("flipbook", 0.0, 9.0), Stretch("volume", 9.0, EVERYWHERE)]
    )
    twin = next(d.id for d in effect.deliveries if d.id != "puff")
    assert any(twin in t.without for t in effect.tiers)
    for kind in ("flipbook", "volume"):
        made = by_route(plain(effect, "low"), "puff", kind)
        assert [d.id for d in made.deliveries] == ["puff"] and made.deliveries[0].route.kind == kind
        assert made.deliveries[0].route.seen_from == 0.0 and made.deliveries[0].route.seen_to == EVERYWHERE
        storage.loads(storage.dumps(made))  # nothing names what is gone


def _ids(effect, tier):
    return {d.id for d in delivered_on(effect, tier).deliveries}


def test_routes_in_the_terminal_are_told_and_taken(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "store"))
    file = tmp_path / "puff.tenka"
    storage.save(small_effect(), file)
    words = ("routes", file, "--tier", "Low", "--routes", "flipbook,volume", "--distances", "4,30")
    run = command(*words, "--take", "--json")
    assert run.code == 0, run.err
    rows = [r for r in run.rows if "route" in r]
    assert [(r["route"], r["distance"]) for r in rows] == [
        ("flipbook", 4.0),
        ("flipbook", 30.0),
        ("volume", 4.0),
        ("volume", 30.0),
    ]
    shown = [(r["show"], r["near"], r["far"]) for r in run.rows if "show" in r]
    played = delivered_on(storage.load(file), "low").deliveries
    assert sorted((d.route.kind, d.route.seen_from, d.route.seen_to) for d in played) == sorted(shown)
    assert command("pack", file, "--tier", "Low", "--out", tmp_path / "package").code == 0
    for wrong in (
        ("--routes", "trails"),
        ("--distances", "near"),
        ("--distances", "0"),
        ("--delivery", "no"),
    ):
        run = command("routes", file, "--tier", "Mid", *wrong)
        assert run.code == 2 and len(run.err.strip().splitlines()) == 1
    with pytest.raises(BadInput):
        list(compare(small_effect(), "low", "puff", None, FrameStore(tmp_path), Progress(), ("bodies",)))
