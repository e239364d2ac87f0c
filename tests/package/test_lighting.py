"""The light of particles in a law: a field tells what was seen, and there is none without need."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import ONE_POINT

from tenka.cache.store import FrameStore
from tenka.effect.model import Delivery, Effect, ParticleLayer, PointLook, PointMotion, PointSource
from tenka.effect.routes.particles import ParticleBake
from tenka.pack.lighting import Cells, Samples, _Corners, lit_at_places, over_age
from tenka.pack.packing import pack
from tenka.package.elements.particles import Particles
from tenka.package.law import OVER, Law
from tenka.package.laws import Grid
from tenka.package.rows import rows_of

CELLS = Cells(np.array([-1.0, -1.0, 0.0]), 0.25, (8, 8, 8), np.linspace(0, 1, 5))


def seen(shadow: bool, births: int = 400, moments: int = 24) -> tuple[list[Samples], np.ndarray]:
    """Particles that fly straight; light falls over their age, each has a factor, and behind x = 0 it is a
    quarter in green."""
    rng = np.random.default_rng(4)
    start, speed = (
        rng.uniform((-0.9, -0.9, 0.1), (0.9, 0.9, 1.9), (births, 3)),
        rng.normal(0, 0.3, (births, 3)),
    )
    factor, found = rng.uniform(0.5, 1.5, births), []
    for t in np.linspace(0, 1, moments):
        place = np.clip(start + t * speed, (-1, -1, 0), (1, 1, 2))
        light = np.exp(-2 * t) * factor[:, None] * np.array([3.0, 2.0, 1.0])
        if shadow:
            light[place[:, 0] > 0, 1] *= 0.25
        found.append(Samples(t, np.arange(births), np.full(births, t * (OVER - 1)), light, place))
    return found, factor


def test_a_shadow_is_told_where_it_lies_and_in_its_colour():
    samples, factor = seen(shadow=True)
    plain = over_age(samples, len(factor))
    lit = lit_at_places(samples, plain, len(factor), CELLS)
    assert lit.shade is not None and lit.left < 0.1 * plain.left
    probes = np.array([[x, 0.0, 1.0] for x in (-0.75, -0.5, 0.5, 0.75)])
    red, green, blue = lit.shade.at(probes, 0.5, 3).T
    assert green[2:].mean() / green[:2].mean() == pytest.approx(0.25, abs=0.03)
    for flat in (red, blue):
        assert flat == pytest.approx(flat.mean(), rel=0.1)


def test_no_field_is_told_where_light_goes_by_age_alone():
    samples, factor = seen(shadow=False)
    plain = over_age(samples, len(factor))
    assert plain.left < 1e-4 * sum((s.light**2).sum() for s in samples)
    assert lit_at_places(samples, plain, len(factor), CELLS) is plain
    assert plain.factor / plain.factor.mean() == pytest.approx(factor / factor.mean(), rel=1e-3)


def test_giving_to_cells_is_the_mirror_of_reading_them():
    """For every field and values the same sum, whichever way; and reading is as a package's reader reads."""
    rng = np.random.default_rng(2)
    place = rng.uniform((-1.2, -1.2, -0.2), (1.2, 1.2, 2.2), (50, 3))
    s = Samples(0.43, np.arange(50), np.zeros(50), np.zeros((50, 3)), place)
    corners, count = _Corners.of(s, CELLS), 5 * 8**3
    field, values, given = rng.normal(size=(count, 3)), rng.normal(size=(50, 3)), np.zeros((count, 3))
    corners.spread(values, given)
    assert (given * field).sum() == pytest.approx((values * corners.gathered(field)).sum())
    grid = Grid(field.reshape(5, 8, 8, 8, 3), CELLS.low, CELLS.cell, CELLS.times)
    np.testing.assert_allclose(corners.gathered(field), grid.at(place, 0.43, 3), atol=1e-6)


def steam(**look: object) -> Effect:
    source = PointSource(
        id="s", name="S", **{**ONE_POINT, "rate": 900.0, "speed": 1.0, "cone": 25.0, "life": 2.0}
    )
    layer = ParticleLayer(
        id="bits",
        name="Bits",
        sources=(source.model_copy(update={"width": 0.12}),),
        motion=PointMotion(ground="none", gravity=0.0),
        look=PointLook(form="sprite", opacity=0.5, opaque=1.0, **look),
    )
    way = Delivery(id="bits", name="Bits", of=("bits",), route=ParticleBake(written="births and law"))
    return Effect(layers=(layer,), deliveries=(way,), seconds=1.2, rate=20.0, props=())


def law_of(effect: Effect, tmp_path: Path) -> tuple[Particles, Law]:
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Particles) and element.law is not None
    return element, element.law


def test_what_lies_in_the_shadow_of_the_others_is_dark_in_the_law_too(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    effect = steam(lit=1.0, self_shadow=1.0)
    element, law = law_of(effect, tmp_path)
    assert law.shade is not None and law.shade.file in element.files
    lit = rows_of(tmp_path / "p", element)
    there = lit[-1, :, 3] > 0
    assert np.ptp(lit[-1, there, 5]) > 0.3 * lit[-1, there, 5].max(), "it is not the same everywhere"
    monkeypatch.setattr("tenka.pack.lighting.WORTH", (0.0, 0.0))
    _, without = law_of(effect, tmp_path)
    assert without.shade is None
    assert law.agrees.light < 0.6 * without.agrees.light, (law.agrees, without.agrees)


def test_what_glows_by_itself_has_no_field_of_light(tmp_path: Path):
    _, law = law_of(steam(lit=0.0), tmp_path)
    assert law.shade is None and law.agrees.light < 0.02
