"""Particles as births and a law: its run against closed forms, and the packed law against the simulation."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from build import ONE_POINT, small_layer
from routes import many_ways
from scipy.stats import ks_2samp

from tenka.base.errors import BadInput
from tenka.base.exr import exr_bytes
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import (
    Delivery,
    Effect,
    ParticleLayer,
    PointCollider,
    PointMotion,
    PointSource,
    Prop,
    Wind,
)
from tenka.effect.routes.particles import ParticleBake
from tenka.pack.amiss import amiss
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.package.elements.particles import Particles
from tenka.package.law import OVER, Law
from tenka.package.laws import Births, Fields, Grid, Run, drawn, grid_of, laid
from tenka.package.rows import rows_of
from tenka.particles.probing import probed
from tenka.run.driver import figures_of
from tenka.run.given import Links
from tenka.run.plans import plans_of

G = 9.81


def law(**more: object) -> Law:
    base = {
        "births": 1,
        **{name: {"file": f"{name}.exr"} for name in ("born", "launch", "own", "over")},
        "light_span": 0.0,
        "columns": 1,
        "rows": 1,
        "step": 1 / 30,
        "push": {"file": "push.exr", "shape": (1, 1, 1), "low": (0, 0, 0), "cell": 1.0, "times": (0.0,)},
        "gravity": G,
        "ground": None,
        "stops": None,
        "thick": 0.5,
        "streak": 0.0,
        "stretch": 0.0,
        "typical": {
            "rate": (),
            **dict.fromkeys(("speed", "life", "width"), (0.0, 0.0)),
            **dict.fromkeys(("towards", "low", "high"), (0.0, 0.0, 0.0)),
            "within": 0.0,
        },
        "agrees": dict.fromkeys(("births", "alive", "astray", "most_astray", "path", "apart", "light"), 0),
    }
    return Law.model_validate({**base, **more})


def births(place: object, speed: object, born: object, own: float = 1.0, width: float = 0.0) -> Births:
    n = len(np.atleast_1d(born))  # type: ignore[arg-type]
    each = np.ones(n)
    place, speed = (np.broadcast_to(np.array(v, float), (n, 3)).copy() for v in (place, speed))
    over = np.ones((2, OVER, 4))
    return Births(
        place, speed, np.array(born, float), 9 * each, 9 * each, width * each, each, own * each, over
    )


def uniform(a: tuple[float, float, float], k: float) -> Grid:
    return Grid(np.array([*a, k], np.float32).reshape(1, 1, 1, 1, 4), np.zeros(3), 1.0, np.zeros(1))


@pytest.mark.parametrize("step", [1 / 120, 1 / 24, 0.3])
@pytest.mark.parametrize("k", [0.0, 0.4, 30.0])
def test_a_flight_is_that_of_a_slowed_body_at_any_step(step: float, k: float):
    wind = 3.0
    born = np.array([0.0, 0.0137, 0.2])
    run = Run(law(step=step), births((1, 0, 2), (0, 2, 5), born), Fields(uniform((k * wind, 0, 0), k)), 0.0)
    run.to(1.2)
    t = 1.2 - born
    if k:
        gone = (1 - np.exp(-k * t)) / k
        x, y, z = wind * (t - gone), 2 * gone, 5 * gone - G / k * (t - gone)
    else:
        x, y, z = 0 * t, 2 * t, 5 * t - 0.5 * G * t * t
    np.testing.assert_allclose(run.place, np.stack([1 + x, y, 2 + z], axis=1), atol=2e-5)


def test_what_is_small_feels_more_of_all_but_gravity():
    run = Run(law(), births((0, 0, 0), (4, 0, 0), [0.0], own=3.0), Fields(uniform((0, 0, 0), 0.5)), 0.0)
    run.to(8.0)
    assert run.place[0, 0] == pytest.approx(4 / 1.5, rel=1e-3)  # all its way against a drag of 3 x 0.5
    assert run.speed[0, 2] == pytest.approx(-G / 1.5, rel=1e-3)  # and falls as fast as that lets it


@pytest.mark.parametrize("step", [1 / 60, 1 / 24])
def test_a_ball_bounces_as_high_as_it_must_and_comes_to_rest(step: float):
    told = law(step=step, ground={"response": "bounce", "bounce": 0.5, "friction": 0.0})
    b = births((0, 0, 1.1), (0, 0, 0), [0.0], width=0.2)
    run = Run(told, b, Fields(uniform((0, 0, 0), 0.0)), 0.0)
    fall = math.sqrt(2 / G)
    run.to(fall * 1.5)  # half of the way up and down again, which takes as long as the fall
    assert run.place[0, 2] == pytest.approx(0.1 + 0.25, abs=2e-3)
    run.to(6.0)
    assert run.place[0, 2] == pytest.approx(0.1, abs=1e-3) and np.abs(run.speed).max() < 0.05


def test_friction_stops_what_slides_after_its_way():
    told = law(ground={"response": "bounce", "bounce": 0.0, "friction": 0.5})
    run = Run(told, births((0, 0, 0), (3, 0, 0), [0.0]), Fields(uniform((0, 0, 0), 0.0)), 0.0)
    run.to(3.0)
    assert run.place[0, 0] == pytest.approx(9 / (2 * 0.5 * G), rel=0.03)
    np.testing.assert_allclose(run.speed, 0, atol=1e-6)


@pytest.mark.parametrize("response", ["stick", "die"])
def test_what_the_ground_holds_stays_and_what_it_ends_is_gone(response: str):
    told = law(ground={"response": response, "bounce": 0.3, "friction": 0.3})
    run = Run(told, births((0, 0, 1), (1, 0, 0), [0.0]), Fields(uniform((0, 0, 0), 0.0)), 0.0)
    run.to(2.0)
    if response == "die":
        assert not len(run.there())
    else:
        assert run.place[0, 0] == pytest.approx(math.sqrt(2 / G), rel=2e-3)
        assert run.place[0, 2] == pytest.approx(0, abs=1e-4)


def test_a_sloping_field_of_distance_turns_a_fall_aside():
    """A plane at 45 degrees without a bounce: what falls on it slides down it at g / sqrt 2."""
    cell, n = 0.25, 24
    x, _, z = ((np.indices((n, n, n)) + 0.5) * cell - 3.0).reshape(3, -1)
    far = (x + z) / math.sqrt(2)
    held = np.stack([far, 0 * far, 0 * far, 0 * far], axis=1).astype(np.float32)
    stops = Grid(held.reshape(1, n, n, n, 4), np.full(3, -3.0), cell, np.zeros(1))
    run = Run(law(), births((0, 0, 0.0), (0, 0, 0), [0.0]), Fields(uniform((0, 0, 0), 0.0), stops), 0.0)
    run.to(0.5)
    assert np.linalg.norm(run.place[0]) == pytest.approx(0.25 * G / (2 * math.sqrt(2)), rel=0.02)
    assert run.place[0, 0] + run.place[0, 2] == pytest.approx(0, abs=1e-3)


def test_a_field_is_read_back_as_it_was_laid(tmp_path: Path):
    values = np.random.default_rng(3).normal(size=(3, 4, 2, 5, 4)).astype(np.float32)
    (tmp_path / "push.exr").write_bytes(exr_bytes(laid(values)))
    told = {"file": "push.exr", "shape": (4, 2, 5), "low": (1, 2, 3), "cell": 0.5, "times": (0.0, 1.0, 2.0)}
    grid = grid_of(tmp_path, law(push=told).push)
    np.testing.assert_array_equal(grid.values, values)
    places = np.array([1, 2, 3]) + (np.argwhere(np.ones((4, 2, 5))) + 0.5) * 0.5
    np.testing.assert_allclose(grid.at(places, 1.0).reshape(4, 2, 5, 4), values[1], atol=1e-5)
    middle = 0.5 * (values[0] + values[1])
    np.testing.assert_allclose(grid.at(places, 0.5).reshape(4, 2, 5, 4), middle, atol=1e-5)


def thrown(**motion: object) -> Effect:
    source = PointSource(id="s", name="S", **{**ONE_POINT, "burst": 40, "speed": 3.0, "cone": 40.0})
    layer = ParticleLayer(
        id="bits", name="Bits", sources=(source,), motion=PointMotion(**{"ground": "none", **motion})
    )
    way = Delivery(id="bits", name="Bits", of=("bits",), route=ParticleBake(written="births and law"))
    return Effect(layers=(layer,), deliveries=(way,), seconds=1.0, rate=30.0, props=())


def test_probing_finds_what_was_set():
    blow = Wind(id="w", name="W", heading=0.0, speed=4.0, gusts=0.0, ground_drag=0.0)
    effect = thrown(gravity=0.5, drag=0.7).model_copy(update={"forces": (blow,)})
    plan = plans_of(effect, None)["bits"]
    solver = plan.member(Links(None, 30.0, {})).solver
    places = np.random.default_rng(1).uniform(-3, 3, (50, 3))
    found = probed(solver, places, 0.4)
    k = 0.7 + blow.grip
    np.testing.assert_allclose(found[:, 3], k, rtol=2e-3)
    np.testing.assert_allclose(found[:, :3], np.tile([blow.grip * 4.0, 0, -0.5 * G], (50, 1)), atol=0.01)


@pytest.mark.parametrize("drag", [0.0, 2.0])
def test_a_packed_law_of_a_free_flight_is_exact(tmp_path: Path, drag: float):
    effect = thrown(gravity=1.0, drag=drag)
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Particles) and element.law is not None
    told = element.law
    assert told.births == 40 == told.agrees.births and told.push.shape == (1, 1, 1)
    assert told.gravity == pytest.approx(G) and told.agrees.alive == 1.0
    assert told.agrees.astray < 1e-4 and told.agrees.apart < 0.03  # a tie either way
    assert told.typical.speed[0] == pytest.approx(3.0, rel=0.01)
    # even over a cap of 40 degrees: the mean cosine is half of 1 + cos 40
    assert 20 < told.typical.within < 32 and told.typical.towards[2] > 0.97
    (first, rate), (second, _) = told.typical.rate[:2]  # all at once, at the first moment
    assert rate * (second - first) == pytest.approx(40, rel=1e-3) and first == 0


def test_a_shelf_stops_them_in_the_law_too(tmp_path: Path):
    shelf = Prop(id="shelf", name="Shelf", shape="box", position=(0, 0, 0.9), size=(4, 4, 0.4))
    effect = thrown(gravity=1.0, drag=0.0)
    layer = effect.layers[0].model_copy(
        update={"colliders": (PointCollider(id="c", name="C", prop="shelf", bounce=0.3),)}
    )
    effect = effect.model_copy(update={"layers": (layer,), "props": (shelf,)})
    effect = replaced(effect, "layers.bits.sources.s.speed", 6.0)
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Particles) and element.law is not None and element.law.stops is not None
    rows = rows_of(tmp_path / "p", element)
    there = rows[..., 3] > 0
    assert rows[..., 2][there].max() < 0.9  # none comes through it
    assert element.law.agrees.astray < 0.05 * element.law.agrees.path


@pytest.mark.parametrize("speed", (3.0, 6.0, 9.0))
def test_a_thin_shelf_stops_what_is_fast_as_it_does_in_the_simulation(tmp_path: Path, speed: float):
    """Of 4 cm, in a box of metres, while a particle goes up to 30 cm from frame to frame."""
    shelf = Prop(id="shelf", name="Shelf", shape="box", position=(0.1, 0, 0.9), size=(0.6, 0.5, 0.04))
    effect = thrown(gravity=1.0, drag=1.0)
    layer = effect.layers[0].model_copy(
        update={"colliders": (PointCollider(id="c", name="C", prop="shelf", bounce=0.3),)}
    )
    effect = effect.model_copy(update={"layers": (layer,), "props": (shelf,)})
    effect = replaced(effect, "layers.bits.sources.s.speed", speed)
    effect = replaced(effect, "layers.bits.sources.s.burst", 300)
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Particles) and element.law is not None and element.law.stops is not None
    agrees = element.law.agrees
    assert agrees.alive == 1.0 and agrees.astray < 0.03 * agrees.path, agrees
    place = rows_of(tmp_path / "p", element)
    inside = np.abs(place[..., :3] - (0.1, 0.0, 0.92)) < (0.28, 0.23, 0.012)
    assert not (inside.all(axis=-1) & (place[..., 3] > 0)).any()


def rows_by(effect: Effect, tmp_path: Path, written: str, only: str) -> tuple[Particles, np.ndarray]:
    out = tmp_path / written.split()[0]
    effect = replaced(effect, f"deliveries.{only}.route.written", written)
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), out, only=only).elements
    assert isinstance(element, Particles)
    return element, rows_of(out, element)


def test_a_law_is_spread_as_the_moments_are(tmp_path: Path):
    """Sparks of a starter, written both ways: births in time, places, light."""
    effect = many_ways()
    _, moments = rows_by(effect, tmp_path, "each moment", "drift")
    element, lawful = rows_by(effect, tmp_path, "births and law", "drift")
    there = [rows[..., 3] > 0 for rows in (moments, lawful)]
    assert len(moments) == len(lawful)
    np.testing.assert_allclose(there[1].sum(axis=1), there[0].sum(axis=1), atol=1)
    for n in (len(moments) // 2, len(moments) - 1):
        for c in range(3):
            sets = [rows[n, own[n], c] for rows, own in zip((moments, lawful), there)]
            assert ks_2samp(*sets).statistic < 0.1
        light = [
            (rows[n, own[n], 4:7] * rows[n, own[n], 7:8]).sum() for rows, own in zip((moments, lawful), there)
        ]
        assert light[1] == pytest.approx(light[0], rel=0.1)
    assert element.law is not None and element.law.agrees.births == element.law.births
    assert element.law.agrees.astray < 0.03 * element.law.agrees.path


def test_what_a_gas_carries_is_carried_by_the_field(tmp_path: Path):
    gas = small_layer(0.1)
    source = PointSource(
        id="s", name="S", shape="box", size=(0.6, 0.6, 0.4), position=(0, 0, 0.3), rate=200.0, life=3.0
    )
    motion = PointMotion(gravity=0.0, drag=0.0, follows="puff", follow=20.0, ground="none")
    layer = ParticleLayer(id="bits", name="Bits", sources=(source,), motion=motion)
    way = Delivery(
        id="bits", name="Bits", of=("bits",), route=ParticleBake(written="births and law", fineness=24)
    )
    effect = Effect(layers=(gas, layer), deliveries=(way,), seconds=1.0, rate=24.0, props=())
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Particles) and element.law is not None
    told = element.law
    assert max(told.push.shape) == 24 and len(told.push.times) > 10
    assert told.agrees.path > 0.1 and told.agrees.astray < 0.1 * told.agrees.path, told.agrees
    assert told.agrees.alive > 0.99
    # without the field they would not go where the gas goes
    text = (tmp_path / "p" / form.ABOUT).read_text()
    assert all(name in text for name in element.files) and "astray" in text


def test_levers_turn_what_a_law_plays():
    b = births((0, 0, 0), (1, 0, 0), np.zeros(8), width=0.1)
    run = Run(law(births=8, streak=0.1, gravity=0.0), b, Fields(uniform((0, 0, 0), 0.0)), 0.0)
    run.to(0.5)
    ids, rows = drawn(run.law, b, run)
    assert ids.tolist() == list(range(8))
    np.testing.assert_allclose(rows[:, 8:], np.tile([-0.1, 0, 0], (8, 1)), atol=1e-6)
    np.testing.assert_allclose(rows[:, 3], 0.1, atol=1e-6)


def test_the_ledger_counts_its_motion_and_holds_less(tmp_path: Path):
    effect = many_ways()
    made = {}
    for written in ("each moment", "births and law"):
        e = replaced(effect, "deliveries.drift.route.written", written)
        e = e.model_copy(update={"deliveries": tuple(d for d in e.deliveries if d.id == "drift")})
        pack(e, None, FrameStore(tmp_path / "f"), tmp_path / "p")
        plan = plans_of(e, None)[e.deliveries[0].of[0]]
        figures = {plan.layer.id: figures_of(plan, FrameStore(tmp_path / "f"))}
        (line,) = ledger(e, e.tiers[0].id, figures).lines
        made[written] = line
    assert "moved" in next(t.why for t in made["births and law"].terms if t.name == "memory")
    assert made["births and law"].mb < made["each moment"].mb


def test_what_lies_asleep_cannot_go_as_a_law_and_a_mend_makes_it_go():
    effect = thrown()
    layer = effect.layers[0]
    asleep = layer.model_copy(update={"bed": layer.bed.model_copy(update={"rests": True})})
    effect = effect.model_copy(update={"layers": (asleep,)})
    (found,) = amiss(effect)
    assert "takes none that lie asleep" in found.text and found.mended is not None
    assert not amiss(found.mended)
    assert found.mended.delivery("bits").by(ParticleBake).written == "each moment"


def test_a_harmed_law_is_refused_in_a_sentence_that_names_the_file(tmp_path: Path):
    (element,) = pack(thrown(), None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Particles) and element.law is not None
    law = element.law
    for file, harm in (
        (law.born.file, exr_bytes(np.full((law.rows, law.columns, 4), np.nan, np.float32))),
        (law.launch.file, exr_bytes(np.zeros((1, 1, 4), np.float32))),
        (law.push.file, b"nothing"),
        (law.own.file, None),
    ):
        had = (tmp_path / "p" / file).read_bytes()
        (tmp_path / "p" / file).write_bytes(harm) if harm is not None else (tmp_path / "p" / file).unlink()
        with pytest.raises(BadInput) as refused:
            rows_of(tmp_path / "p", element)
        assert file in str(refused.value) and str(refused.value).count("\n") == 0
        (tmp_path / "p" / file).write_bytes(had)
    assert len(rows_of(tmp_path / "p", element)) == 30
