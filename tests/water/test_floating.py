"""Pieces that float: draught, bobbing, drift, what they displace; that they sit in the surface as drawn."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from build import ONE_POINT

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.additions import afloat, without_layer
from tenka.effect.debris import Bodies, DebrisLayer, Pieces
from tenka.effect.model import BasinBox, Effect, InWater, PointMotion, PointSource, Prop, WaterLayer
from tenka.look.waterrays import height_at
from tenka.look.wet import sheet_of
from tenka.particles.solver import PointSolver
from tenka.run.driver import simulate
from tenka.run.plans import plans_of
from tenka.run.watering import field_of
from tenka.water.felt import WaterField

EDGE = 0.4
ONE = {**ONE_POINT, "stays": True, "least_width": 1.0, "life": 60.0, "speed": 0.0}
CRATE = Prop(id="crate", name="Crate", shape="box", size=(EDGE, EDGE, EDGE), position=(5.0, 5.0, 0.0))


def crates(weighs: float, *places: tuple[float, float, float], grip: float = 0.0, **more: Any) -> DebrisLayer:
    sources = tuple(
        PointSource(
            id=f"at_{n}", name="Crate", **{**ONE, "position": place, "width": EDGE, **more},
        )
        for n, place in enumerate(places)
    )  # fmt: skip
    return DebrisLayer(
        id="crates",
        name="Crates",
        sources=sources,
        pieces=Pieces(make="prop", prop="crate"),
        bodies=Bodies(floats="pond", weighs=weighs, grip=grip, damping=0.0, turning=0.0, upright=True),
        motion=PointMotion(drag=0.0, ground="none"),
    )


def pond(cell: float = 0.1, **more: Any) -> WaterLayer:
    box = BasinBox(origin=(-2.0, -2.0, -2.0), size=(4.0, 4.0, 3.0), depth=2.0, cell=cell)
    return WaterLayer(id="pond", name="Pond", basin=box, **more)


def effect_of(debris: DebrisLayer, water: WaterLayer, **more: Any) -> Effect:
    return Effect(props=(CRATE,), layers=(water, debris), **{"seconds": 4.0, "rate": 30.0, **more})


def run(effect: Effect, folder: Path) -> tuple[list[Any], list[Any]]:
    """All frames of the pond and of the crates."""
    store, plans = FrameStore(folder / "frames"), plans_of(effect, None)
    for plan in plans.values():
        simulate(plan, store, Progress())
    return tuple([plans[id].read(store, f) for f in range(effect.frames)] for id in ("pond", "crates"))  # type: ignore[return-value]


def heights(frames: list[Any]) -> np.ndarray:
    return np.array([f.points.place[0, 2] for f in frames], float)


@pytest.mark.parametrize("weighs", [300.0, 500.0, 800.0])
def test_draught_is_that_of_archimedes(tmp_path: Path, weighs: float) -> None:
    """A crate let go where it belongs stays, and one that is let go higher ends there."""
    middle = EDGE * (0.5 - weighs / 1000.0)  # of the crate over the level
    _, there = run(effect_of(crates(weighs, (0.0, 0.0, middle)), pond(), seconds=1.0), tmp_path / "a")
    assert np.abs(heights(there) - middle).max() < 1e-4
    damped = crates(weighs, (0.0, 0.0, middle + 0.05), grip=4.0)
    _, fell = run(effect_of(damped, pond(), seconds=8.0), tmp_path / "b")
    assert heights(fell)[-1] == pytest.approx(middle, abs=2e-3)


@pytest.mark.parametrize("rate, steps", [(24.0, 1), (30.0, 1), (60.0, 1), (30.0, 4)])
def test_bobbing_has_its_period(tmp_path: Path, rate: float, steps: int) -> None:
    """2 pi sqrt(draught / g): a spring of rho g A under a mass of rho A draught."""
    weighs, up = 500.0, 0.04
    draught = EDGE * weighs / 1000.0
    middle = EDGE * 0.5 - draught
    layer = crates(weighs, (0.0, 0.0, middle + up)).model_copy(update={"steps": steps})
    _, frames = run(effect_of(layer, pond(), seconds=4.0, rate=rate), tmp_path)
    z, t = heights(frames) - middle, np.arange(len(frames)) / rate
    falls = np.flatnonzero((z[:-1] > 0) & (z[1:] <= 0))
    crossing = t[falls] + z[falls] / (z[falls] - z[falls + 1]) / rate
    period = np.diff(crossing).mean()
    assert period == pytest.approx(2 * math.pi * math.sqrt(draught / 9.81), rel=0.01)
    assert np.abs(z).max() == pytest.approx(up, rel=0.02)  # and neither grows nor dies


def test_a_tilted_crate_rights_itself_about_its_own_axis(tmp_path: Path) -> None:
    """A slab of low draught is stable: it rocks at sqrt(g GM / k^2), with GM of its waterline."""
    slab = Prop(id="crate", name="Slab", shape="box", size=(0.8, 0.8, 0.2), position=(5.0, 5.0, 0.0))
    layer = crates(500.0, (0.0, 0.0, 0.0)).model_copy(update={"deleted": ()})
    source = layer.sources[0].model_copy(update={"width": 0.8, "turn": 0.0, "tilt": 4.0})
    layer = layer.model_copy(update={"sources": (source,)})
    effect = effect_of(layer, pond(), seconds=3.0).model_copy(update={"props": (slab,)})
    _, frames = run(effect, tmp_path)
    turn = np.array([f.points.turn[0] for f in frames])
    up = 1 - 2 * (turn[:, 1] ** 2 + turn[:, 2] ** 2)
    assert up.min() > 0.98


def test_what_is_heavier_sinks_and_what_is_wholly_under_keeps_its_weight(tmp_path: Path) -> None:
    """Under water a stone falls with g (1 - water / stone)."""
    _, frames = run(effect_of(crates(2000.0, (0.0, 0.0, -0.5)), pond(), seconds=0.5), tmp_path)
    z, t = heights(frames), np.arange(len(frames)) / 30.0
    assert np.allclose(z - z[0], -0.25 * 9.81 * t**2, atol=0.01)


@pytest.mark.parametrize("rate", [24.0, 60.0])
def test_it_takes_on_the_flow(rate: float) -> None:
    """What is as heavy as the water and under it goes as u (1 - exp(-grip t))."""
    n, u = 40, 1.5
    even, none = np.full((n, n), u, np.float32), np.zeros((n, n), np.float32)
    field = WaterField(none, none, none + 5.0, even, none, none, (-20.0, -20.0), 1.0, 0.0, 0.0, 1.0)
    layer = crates(1000.0, (0.0, 0.0, -2.0), grip=2.0)
    solver = PointSolver(layer, (), (CRATE,), 1, rate, int(rate) + 1, water=lambda _: field)
    state = solver.start()
    for f in range(1, int(rate) + 1):
        state = solver.frame(state)
        assert state.points.velocity[0, 0] == pytest.approx(u * -np.expm1(-2.0 * f / rate), rel=0.01)
    assert np.abs(state.points.velocity[0, 1:]).max() < 1e-4 and np.abs(state.points.spin).max() < 1e-6


def test_it_sits_in_the_surface_as_drawn(tmp_path: Path) -> None:
    """What a piece reads is to the last digit what is drawn: of frames, and half a frame between."""
    moving = InWater(id="hull", name="Hull", prop="crate", acts="hull")
    effect = effect_of(crates(300.0, (1.0, 0.0, 0.0)), pond(colliders=(moving,)), seconds=1.0)
    ram = CRATE.model_copy(update={"position": (-1.0, 0.0, 0.0)})
    effect = effect.model_copy(update={"props": (ram,)})
    waters, _ = run(effect, tmp_path)
    frame = waters[-1]
    assert np.ptp(frame.rise) >= 0.0
    rough = frame
    rough.rise = rough.rise + 0.1 * np.random.default_rng(1).random(rough.rise.shape, np.float32)
    sheet = sheet_of(rough, effect.layers[0].look, 0.0)
    at = np.random.default_rng(2).uniform(-1.9, 1.9, (200, 2))
    read = field_of(rough, rough, 1000.0).height(at, np.zeros(200))
    u, v = ((at[:, k] + 2.0) / frame.cell - 0.5 for k in (0, 1))
    drawn = np.array([height_at(sheet.fields, np.float32(a), np.float32(b))[0] for a, b in zip(u, v)])
    assert np.abs(drawn - read).max() < 1e-5


def test_pieces_raise_the_water_by_what_they_displace(tmp_path: Path) -> None:
    """A crate that falls in displaces its weight: the level of a closed pond rises by that."""
    water = pond(colliders=(InWater(id="them", name="Crates", acts="pieces", of="crates"),))
    layer = crates(500.0, (0.0, 0.0, 0.6), grip=3.0)
    waters, frames = run(effect_of(layer, water, seconds=6.0), tmp_path)
    volume = [w.meta["volume"] for w in waters]
    displaced = np.array([w.meta["afloat"] for w in waters])
    assert np.abs(np.array(volume) - volume[0] - displaced).max() < 1e-6 * volume[0]
    assert waters[-1].immersed.sum() * 0.01 == pytest.approx(displaced[-1], rel=1e-4)
    assert displaced[-60:].mean() == pytest.approx(0.5 * EDGE**3, rel=0.04)
    assert np.abs(waters[20].rise).max() > 0.005  # its rings
    ring = waters[24].rise
    assert np.abs(ring - ring[::-1]).max() < 2e-3  # alike on both sides
    assert waters[-1].meta["touching"] == ["them"]
    assert abs(heights(frames)[-1]) < 0.03


def test_one_choice_makes_it_float_and_push(tmp_path: Path) -> None:
    effect = effect_of(crates(300.0, (0.0, 0.0, 0.0)), pond())
    bare = afloat(effect, "layers.crates", "")
    assert bare.layer("crates").body.floats == "" and not bare.layer("pond").colliders
    again = afloat(bare, "layers.crates", "pond")
    (stop,) = again.layer("pond").colliders
    assert (stop.acts, stop.of) == ("pieces", "crates")
    assert again.layer("pond").needs() == {"crates"} and again.layer("crates").needs() == {"pond"}
    assert not without_layer(again, "crates").layer("pond").colliders
    assert without_layer(again, "pond").layer("crates").body.floats == ""
