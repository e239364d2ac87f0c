"""Thrown water that falls into a water: none of it is lost, nor its push; the level rises by what came."""

from __future__ import annotations

from argparse import Namespace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from build import all_frames

from tenka.base.errors import BadInput
from tenka.effect.additions import poured, without_layer
from tenka.effect.document import get, replaced
from tenka.effect.liquid import LiquidLayer, LiquidSource, Tank
from tenka.effect.model import BasinBox, Effect, WaterLayer
from tenka.effect.things import as_text, pasted
from tenka.gas.settings import Moment
from tenka.run.kinds import kind_of
from tenka.run.plans import plans_of
from tenka.water.basin import Basin
from tenka.water.pouring import Poured, carried_on, taken_in

EDGE = 0.3  # m, of the block that falls
DEEP = 0.8


def effect(
    push: tuple[float, float, float] = (0.0, 0.0, 0.0),
    cell: float = 0.05,
    voxel: float = 0.05,
    rate: float = 24.0,
    slow: float = 1.0,
    high: float = 0.5,
    **flow: Any,
) -> Effect:
    """A block of water over the middle of a pool, into which it falls."""
    block = LiquidSource(
        id="block",
        name="Block",
        shape="box",
        size=(EDGE,) * 3,
        position=(0, 0, high),
        gives="fill",
        push=push,
        scatter=0.0,
    )
    thrown = LiquidLayer(
        id="thrown",
        name="Thrown",
        tank=Tank(origin=(-1.0, -1.0, -0.2), size=(2.0, 2.0, 1.2), voxel=voxel),
        sources=(block,),
        time_scale=slow,
    )
    pool = WaterLayer(
        id="pool",
        name="Pool",
        basin=BasinBox(origin=(-1.5, -1.5, -DEEP), size=(3.0, 3.0, 1.3), depth=DEEP, cell=cell),
        time_scale=slow,
    )
    for name, value in flow.items():
        pool = pool.model_copy(update={"flow": pool.flow.model_copy(update={name: value})})
    made = Effect(layers=(thrown, pool), seconds=1.0 / slow, rate=rate)
    return poured(made, "layers.thrown", "pool")


def volume(frame: Any) -> float:
    return float(frame.depth.sum(dtype=np.float64)) * frame.cell**2


def momentum(frame: Any) -> np.ndarray:
    """Volume times speed along x and y, m^4/s."""
    deep = np.pad(frame.depth.astype(np.float64), 1, mode="edge")
    x = 0.5 * (deep[1:, 1:-1] + deep[:-1, 1:-1]) * frame.u
    y = 0.5 * (deep[1:-1, 1:] + deep[1:-1, :-1]) * frame.v
    return np.array([x.sum(), y.sum()]) * frame.cell**2


def test_one_choice_links_both_and_unlinks_them():
    made = effect()
    plans = plans_of(made, None)
    assert set(plans["thrown"].group) == {"thrown", "pool"} and plans["thrown"].group == plans["pool"].group
    assert get(made, "layers.pool").sources[0].of == "thrown"
    bare = poured(made, "layers.thrown", "")
    assert get(bare, "layers.pool").sources == () and get(bare, "layers.thrown").ends.joins == ""
    assert len(plans_of(bare, None)["thrown"].group) == 1
    for gone, left in (("pool", "thrown"), ("thrown", "pool")):
        found = without_layer(made, gone)
        assert [x.id for x in found.layers] == [left] and not found.layers[0].links()
    with pytest.raises(BadInput, match="not a liquid"):
        replaced(made, "layers.pool.sources.pours.of", "pool")
    text, there = pasted(Effect(), as_text(made, "layers.thrown"), "")
    assert get(text, there).ends.joins == ""


@pytest.mark.parametrize(
    ("cell", "voxel", "rate", "slow"),
    [(0.05, 0.05, 24.0, 1.0), (0.1, 0.05, 30.0, 1.0), (0.05, 0.1, 60.0, 1.0), (0.05, 0.05, 24.0, 0.5)],
)
def test_what_falls_in_is_there(tmp_path: Path, cell: float, voxel: float, rate: float, slow: float):
    frames = all_frames(effect((0.0, 0.0, -1.0), cell, voxel, rate, slow), tmp_path)[0]
    had = volume(frames["pool"][0]) + frames["thrown"][0].meta["volume"]
    assert frames["thrown"][0].meta["volume"] == pytest.approx(EDGE**3, rel=0.02)
    for pool, thrown in zip(frames["pool"], frames["thrown"]):
        there = volume(pool) + thrown.meta["volume"] + thrown.meta["went"]
        assert there == pytest.approx(had, rel=2e-6)
        assert thrown.meta["joined"] == pytest.approx(pool.meta["given"], rel=1e-4, abs=1e-7)
    assert frames["thrown"][-1].meta["joined"] > 0.9 * EDGE**3
    rise = frames["pool"][-1].rise
    assert rise.mean() == pytest.approx(frames["thrown"][-1].meta["joined"] / 3.0**2, rel=1e-3)


@pytest.mark.parametrize("cell", [0.05, 0.1])
def test_momentum_is_that_of_both(cell: float):
    """What falls in brings its volume times its speed: to the digit, wherever it falls and however the water
    moves; only as fast as the water goes on the whole."""
    layer = effect(cell=cell).layer("pool")
    basin = Basin(cell, np.full((40, 30), DEEP, np.float32), (-1.0, -1.0), 0.0)
    state = basin.still()
    state.u[1:-1], state.v[:, 1:-1] = 0.3, -0.2
    chance = np.random.default_rng(3)
    place = np.column_stack([chance.uniform(-0.5, 0.4, (500, 2)), np.zeros(500)])
    velocity = chance.normal((1.0, -2.0, -3.0), 0.3, (500, 3))
    fell = Poured(place, velocity, 2e-6)
    taken = taken_in(layer, basin, state, Moment((), 24.0, 0.0, 0.01), lambda _: fell)
    assert taken is not None
    assert taken.height.sum() * cell**2 == pytest.approx(500 * 2e-6, rel=1e-5)
    pressed = taken.head.sum() * cell**2 * 9.81 * 0.01  # a blow: pressure times time over density
    assert pressed == pytest.approx(-0.5 * 2e-6 * velocity[:, 2].sum(), rel=1e-4)
    frame = Namespace(depth=state.depth(basin), u=state.u, v=state.v, cell=cell)
    had = momentum(frame)
    state.rise = state.rise + taken.height
    carried_on(state, basin, taken)
    frame = Namespace(depth=state.depth(basin), u=state.u, v=state.v, cell=cell)
    assert np.allclose(momentum(frame) - had, 2e-6 * velocity[:, :2].sum(axis=0), rtol=2e-3)


def test_no_water_is_heaped_on_what_stands_out_of_it():
    """Beside a wall, and however a place is rounded, what falls stays with the water; none of it is lost."""
    cell = 0.04
    rest = np.full((20, 20), 0.1, np.float32)
    rest[:, 12:] = -1.5  # a wall of 1.5 m over the level
    basin = Basin(cell, rest, (-1.4, -3.05), 0.0)
    state = basin.still()
    edge = basin.origin[1] + 12 * cell
    for off in (-0.03, -0.01, -1e-7, 0.0, 1e-7, 0.3 * cell):
        place = np.array([[-1.0, edge + off, 0.0]] * 8)
        fell = Poured(place, np.full((8, 3), -2.0), 1e-5)
        taken = taken_in(
            effect(cell=cell).layer("pool"), basin, state, Moment((), 24.0, 0.0, 0.01), lambda _: fell
        )
        assert taken is not None and np.isfinite(taken.height).all()
        assert taken.height.sum() * cell**2 == pytest.approx(8e-5, rel=1e-5)
        assert taken.height[:, 12:].sum() == 0.0, off


@pytest.mark.parametrize("slow", [1.0, 0.5])
def test_its_push_goes_on_in_the_water(tmp_path: Path, slow: float):
    """It moves the whole pool as it went, by either clock; what presses on slopes takes or gives a part."""
    frames = all_frames(effect((0.8, 0.0, 0.0), slow=slow, high=0.2), tmp_path)[0]
    brought = slow * EDGE**3 * 0.8
    first = next(n for n, f in enumerate(frames["thrown"]) if f.meta["volume"] < 0.1 * EDGE**3)
    found = momentum(frames["pool"][first])
    assert 0.6 * brought < found[0] < 1.3 * brought and abs(found[1]) < 0.2 * brought


def test_foam_is_given_as_late_as_the_source_is():
    """Its foam follows its own course, and not how late it hangs on a cue."""
    made = effect()
    rest = np.full((40, 40), DEEP, np.float32)
    basin = Basin(0.05, rest, (-1.0, -1.0), 0.0)
    fell = Poured(np.zeros((400, 3)), np.full((400, 3), -2.0), 1e-5)
    for delay, foams, some in ((5.0, 0.0, False), (0.0, 4.0, True), (5.0, 4.0, True)):
        pours = (
            made.layer("pool").sources[0].model_copy(update={"delay": delay, "foams": foams, "start": -60.0})
        )
        pool = made.layer("pool").model_copy(update={"sources": (pours,)})
        now = Moment((), 24.0, 6.0, 0.01)
        taken = taken_in(pool, basin, basin.still(), now, lambda _: fell)
        assert taken is not None and (taken.foam.max() > 0) == some, (delay, foams)


def test_it_dents_and_throws_up_rings_alike_on_all_sides(tmp_path: Path):
    frames = all_frames(effect(lengths="long"), tmp_path)[0]["pool"]
    deepest = min(float(f.rise.min()) for f in frames)
    assert deepest < -0.02  # it presses before the level comes back
    x = (np.arange(frames[0].rise.shape[0]) + 0.5) * frames[0].cell - 1.5
    for f in frames[1:]:  # the particles lie by chance: the whole is even, though not each cell
        off = [(f.rise * side).sum() / max(np.abs(f.rise).sum(), 1e-9) for side in (x[:, None], x[None, :])]
        assert np.abs(off).max() < 0.15
    assert max(float(f.foam.max()) for f in frames) > 0.3
    assert sum(float(f.torn.sum()) for f in frames) > 1.0  # so that spray is born there


def test_only_what_falls_joins_and_only_in_the_water(tmp_path: Path):
    """A jet that rises from below the surface is not swallowed as it comes; what falls beside a hull's place
    or beyond the basin stays thrown."""
    made = effect()
    up = (
        made.layer("thrown")
        .sources[0]
        .model_copy(
            update={
                "gives": "jet",
                "position": (0.0, 0.0, -0.05),
                "push": (0.0, 0.0, 3.0),
                "size": (0.2, 0.2, 0.1),
            }
        )
    )
    made = made.with_layer(made.layer("thrown").model_copy(update={"sources": (up,)}))
    frames = all_frames(made, tmp_path)[0]["thrown"]
    assert frames[6].meta["joined"] < 1e-9 and frames[6].meta["volume"] > 0.01
    assert frames[-1].meta["joined"] > 0.01  # and comes down again
    aside = (
        made.layer("thrown")
        .sources[0]
        .model_copy(update={"gives": "fill", "position": (0.0, 0.0, 0.3), "push": (0.0, 0.0, 0.0)})
    )
    beside = made.with_layer(made.layer("thrown").model_copy(update={"sources": (aside,)}))
    beside = replaced(beside, "layers.pool.basin.origin", (2.0, 2.0, -DEEP))
    assert all_frames(beside, tmp_path / "beside")[0]["thrown"][-1].meta["joined"] == 0.0


def texts(made: Effect) -> list[str]:
    layer = made.layer("thrown")
    return [f.text for f in kind_of(layer).findings(made, layer, {})]


def test_what_cannot_flow_in_is_told_with_a_mend():
    made = effect()
    assert texts(made) == []
    deaf = made.with_layer(made.layer("pool").model_copy(update={"sources": ()}))
    assert "takes none of it" in texts(deaf)[0]
    layer = deaf.layer("thrown")
    assert texts(kind_of(layer).findings(deaf, layer, {})[0].mended) == []
    dry = replaced(made, "layers.thrown.ends.joins", "")
    assert "flows into no water" in texts(dry)[0]
    layer = dry.layer("thrown")
    assert texts(kind_of(layer).findings(dry, layer, {})[0].mended) == []
    high = replaced(made, "layers.thrown.tank.origin", (-1.0, -1.0, 0.1))
    high = replaced(high, "layers.thrown.tank.open_low", (True, True, False))
    assert "nothing of it falls in" in texts(high)[0]
    layer = high.layer("thrown")
    assert texts(kind_of(layer).findings(high, layer, {})[0].mended) == []
    far = replaced(made, "layers.pool.basin.origin", (4.0, -1.5, -DEEP))
    assert "lie apart" in texts(far)[0]
    silent = replaced(made, "layers.pool.passed_over", True)
    assert "not heard" in texts(silent)[0]
