"""Triggered, triggered again, stopped, bounded, walked through: how an effect answers to the game."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import element_of, small_effect
from hypothesis import given
from hypothesis import strategies as st
from players import PLAYERS

from bench.browser import NAME, picture
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import Cue, Player
from tenka.effect.placed import ramp
from tenka.pack.packing import pack
from tenka.package.elements.flipbook import reach
from tenka.package.manifest import Behaviour, read
from tenka.proof.elements.base import Run
from tenka.proof.elements.flipbook import sprites
from tenka.proof.engine import Package, package_view
from tenka.proof.performing import MOST_RUNS, Performance
from tenka.proof.walking import BESIDE, FARTHEST, PACE, cut_hard, walker

ELEMENT = element_of(small_effect())


def performing(again: str = "restart", stop: str = "let live", life: float = 2.0) -> Performance:
    player = ELEMENT.player.model_copy(update={"life": life, "life_spread": 0.0})
    element = ELEMENT.model_copy(update={"player": player})
    return Performance((element,), Behaviour(trigger_again=again, stop=stop))  # type: ignore[arg-type]


def test_restart_add_and_refuse():
    one = performing("restart")
    assert one.trigger(1.0) and one.runs == (Run(1.0, number=1),)
    more = performing("add")
    for n in range(1, 12):
        assert more.trigger(0.1 * n)
    assert len(more.runs) == MOST_RUNS and more.runs[-1].start == pytest.approx(1.1)
    assert [run.number for run in more.runs] == list(range(4, 12))
    none = performing("refuse")
    assert not none.trigger(1.0) and none.runs == (Run(),)
    none.stop(1.5)
    assert not none.trigger(3.4) and none.trigger(3.6) and none.runs == (Run(3.6, number=1),)


def test_stop_lets_live_or_cuts():
    lets, cuts = performing(), performing(stop="cut")
    lets.stop(1.0)
    cuts.stop(1.0)
    assert lets.alive(2.9) and not lets.alive(3.1) and cuts.alive(0.9) and not cuts.alive(1.0)
    lets.stop(2.0)
    assert lets.runs[0].stopped == 1.0  # it is stopped already
    lets.resume()
    assert lets.runs == (Run(),)


@pytest.fixture(scope="module")
def package(tmp_path_factory: pytest.TempPathFactory) -> Package:
    folder = tmp_path_factory.mktemp("performed")
    effect = small_effect(props=()).model_copy(
        update={
            "again": "add",
            "stop": "cut",
            "cues": (Cue(id="late", name="Late", at=90.0), Cue(id="bang", name="Bang", at=0.25)),
        }
    )
    effect = replaced(effect, "deliveries.puff.route.player.life_spread", 0.0)
    pack(effect, None, FrameStore(folder / "f"), folder / "p")
    return Package(folder / "p")


def test_three_triggers_that_overlap_are_the_sum_of_each(package: Package):
    view, runs = package_view(package, 160, 100), (Run(0.0), Run(0.7), Run(1.2))
    players = package.players()
    at = 2.0
    alone = [package.load(at - run.start, view, players)[0] for run in runs]
    together = package.draw(at, view, runs=runs).counts
    assert together.covered == sum(alone) == package.load(at, view, players, runs=runs)[0] > max(alone)
    assert together.quads == sum(package.draw(at - run.start, view).counts.quads for run in runs)
    assert package.draw(0.5, view, runs=runs).counts == package.draw(0.5, view).counts  # not yet
    ended = tuple(Run(run.start, ended=1.5) for run in runs)
    assert package.draw(at, view, runs=ended).counts.quads == 0
    set_alone = package.draw(at, view, runs=()).rgb
    assert np.array_equal(set_alone, package.draw(at, view, runs=ended).rgb)


def test_the_manifest_says_how_it_answers_and_names_its_moments(package: Package):
    manifest = package.manifest
    assert manifest.behaviour.trigger_again == "add" and manifest.behaviour.stop == "cut"
    assert [(m.name, m.at) for m in manifest.marks] == [("Bang", 0.25)]
    low, high = manifest.elements[0].bounds
    found = sprites(manifest.elements[0], manifest.elements[0].player, 3.3)
    assert (found.place >= low).all() and (found.place <= high).all()
    assert read(package.folder) == manifest


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
def test_the_page_plays_several_at_once(package: Package, tmp_path: Path):
    from PIL import Image

    shots = []
    for words in ("t=2", "t=2&runs=0,0.7,1.2"):
        out = tmp_path / "page.png"
        picture(package.folder / "play.html", f"{words}&w=320&h=200", (320, 200), out)
        with Image.open(out) as image:
            shots.append(np.asarray(image.convert("RGB"))[:200, :320].astype(int))
    view = package_view(package, 320, 200)
    runs = (Run(0.0), Run(0.7), Run(1.2))
    wanted = package.draw(2.0, view, runs=runs).rgb.astype(int) - package.draw(2.0, view).rgb
    made = shots[1] - shots[0]
    seen = np.abs(wanted).max(axis=2) > 8
    assert seen.mean() > 0.01
    assert np.abs(made - wanted)[seen].mean() / np.abs(wanted)[seen].mean() < 0.15


THROWN = st.tuples(
    PLAYERS, st.floats(0, 10), st.floats(0, 180), st.floats(-9, 9), st.floats(0, 8), st.sampled_from((1, 3))
).map(
    lambda p: p[0].model_copy(
        update={
            "speed": p[1],
            "cone": p[2],
            "gravity": p[3],
            "drag": p[4],
            "size_over": ramp((0.0, 0.2), (0.5, float(p[5])), (1.0, 0.0)),
        }
    )
)


@given(THROWN, st.floats(0, 40))
def test_no_sprite_leaves_its_bounds(player: Player, time: float):
    low, high = reach(ELEMENT, player)
    found = sprites(ELEMENT, player, time)
    corner = np.maximum(ELEMENT.pivot, 1.0 - np.array(ELEMENT.pivot)) * found.size
    wide = np.linalg.norm(corner, axis=1)[:, None]
    assert (found.place - wide >= np.array(low) - 1e-3).all()
    assert (found.place + wide <= np.array(high) + 1e-3).all()


def test_bounds_are_those_of_a_throw():
    """Straight up at 4 m/s under 8 m/s²: 1 m high after half a second, and back after one."""
    player = Player(count=1, life=1.0, life_spread=0.0, size_spread=0.0, scatter=0.0, scale=0.02)
    player = player.model_copy(update={"speed": 4.0, "cone": 0.0, "gravity": 8.0})
    low, high = (np.array(v) - ELEMENT.attach for v in reach(ELEMENT, player))
    assert high[2] - low[2] == pytest.approx(1.0, abs=0.15) and low[2] == pytest.approx(-high[0], abs=1e-3)
    assert high[2] - high[0] == pytest.approx(1.0, abs=1e-3)


def test_levers_may_let_sprites_leave(package: Package):
    (player,) = package.players()
    assert isinstance(player, Player)
    ((name, low, high, left),) = package.boxes(0.5, (player,))
    assert name == "Puff" and (low < high).all() and not left
    wide = player.model_copy(update={"speed": 30.0})
    assert package.boxes(0.5, (wide,))[0][3]


def test_a_figure_walks_to_and_fro_through_the_middle():
    low, high = np.array([-1.0, -2.0, 0.0]), np.array([3.0, 2.0, 2.0])
    way = np.array([1.0, 0.0, 0.3])
    length = 4.0 + 2 * BESIDE
    for t in np.linspace(0, 2 * length / PACE, 23):
        at = walker(float(t), low, high, way)
        middle = 0.5 * (at.points.min(axis=0) + at.points.max(axis=0))
        assert at.points[:, 2].min() == pytest.approx(0.0, abs=1e-5)
        assert -2.0 - 0.01 <= middle[0] <= 4.01 and middle[1] == pytest.approx(0.0, abs=0.02)
    start, half, back = (walker(t, low, high, way).points for t in (0.0, length / PACE, 2 * length / PACE))
    assert half[:, 0].mean() - start[:, 0].mean() == pytest.approx(length, abs=1e-3)
    assert np.allclose(np.sort(start[:, 0]), np.sort(back[:, 0]), atol=1e-3)


def test_pieces_that_fly_far_do_not_send_it_far():
    wide = np.array([50.0, 50.0, 9.0])
    for t in np.linspace(0.0, 30.0, 31):
        at = walker(float(t), -wide, wide, np.array([0.0, 1.0, 0.0])).points
        assert np.abs(at.mean(axis=0)[:2]).max() < FARTHEST + 0.1


def test_a_figure_that_comes_and_goes_is_drawn_and_gone(package: Package):
    view = package_view(package, 160, 100)
    there = walker(0.0, *package.bounds, view.right)
    there = there.moved(there.points - there.points.mean(axis=0) + np.array(package.elements[0].attach))
    bare, among, gone = (
        package.draw(0.0, view, runs=(), among=what).rgb.astype(int) for what in (None, there, None)
    )
    assert np.abs(among - bare).max() > 30 and np.array_equal(bare, gone)


def test_what_cuts_hard_is_named(package: Package):
    (player,) = package.players()
    assert isinstance(player, Player)
    assert cut_hard(package.elements, (player.model_copy(update={"soft_edge": 0.0}),)) == ["Puff"]
    assert cut_hard(package.elements, (player.model_copy(update={"soft_edge": 0.4}),)) == []
