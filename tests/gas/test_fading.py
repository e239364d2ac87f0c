"""What fades is half gone after its half-life, what is cleared out goes altogether; and files that had rates
are read."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import QUIET

from tenka.effect.courses import Key, Keys
from tenka.effect.fading import Fading, pace_of, rate_of
from tenka.effect.former import FOR_GOOD
from tenka.effect.model import DomainBox, GasLayer, ParticleLayer, PointMotion, PointSource
from tenka.gas.grid import DENSITY, TEMPERATURE
from tenka.gas.solver import GasSolver
from tenka.particles.solver import PointSolver

CLOSED = {"open_low": (False,) * 3, "open_high": (False,) * 3}
BOX = DomainBox(origin=(0, 0, 0), size=(1.6, 1.6, 1.6), voxel=0.1, run_up=0.0, **CLOSED)


def left(fading: Fading, rate: float, seconds: float, held: float = 1.0) -> tuple[float, float]:
    """Smoke and heat of a still, even box after some time, against what there was."""
    layer = GasLayer(id="g", name="G", domain=BOX, sources=(), motion=QUIET, fading=fading)
    solver = GasSolver(layer, (), (), 1, rate)
    state = solver.start()
    state.scalars[..., DENSITY], state.scalars[..., TEMPERATURE] = held, 200.0
    for _ in range(round(seconds * rate)):
        state = solver.frame(state)
    scalars = state.scalars
    return float(scalars[..., DENSITY].mean() / held), float(scalars[..., TEMPERATURE].mean() / 200.0)


@pytest.mark.parametrize("rate", (12.0, 24.0, 60.0))
def test_half_of_smoke_and_heat_is_left_after_their_half_lives(rate: float):
    smoke, heat = left(Fading(half_life=0.5, heat_half_life=0.25), rate, 1.0)
    assert smoke == pytest.approx(0.25, rel=1e-3) and heat == pytest.approx(1 / 16, rel=1e-3)


def test_an_hour_is_for_good():
    assert left(Fading(half_life=FOR_GOOD, heat_half_life=FOR_GOOD), 24.0, 1.0) == (1.0, 1.0)
    assert rate_of(FOR_GOOD) == pace_of(FOR_GOOD) == 0.0


@pytest.mark.parametrize("held", (0.2, 1.0))
def test_thin_haze_is_cleared_out_sooner(held: float):
    """At 2 s for a smoke of 1: a fifth is gone after 0.4 s, one after 2 s, both along a straight line."""
    fading = Fading(half_life=FOR_GOOD, clear_out=2.0)
    half, _ = left(fading, 20.0, held, held)
    assert half == pytest.approx(0.5, abs=0.01)
    assert left(fading, 20.0, 2.0 * held + 0.1, held)[0] == 0.0


def test_particles_lose_half_of_their_heat_in_its_half_life():
    source = PointSource(id="s", name="S", rate=0.0, burst=5, temperature=800.0, stays=True)
    motion = PointMotion(gravity=0.0, ground="none", heat_half_life=0.25)
    solver = PointSolver(
        ParticleLayer(id="p", name="P", sources=(source,), motion=motion), (), (), 1, 24.0, 20
    )
    state = solver.start()
    for _ in range(12):
        state = solver.frame(state, 2)
    np.testing.assert_allclose(state.points.heat, 200.0, rtol=1e-4)


def test_rates_of_older_files_become_times():
    old = Fading.model_validate({"smoke": 0.4, "smoke_linear": 0.1, "cooling": 0.0, "spread": 0.002})
    assert rate_of(old.half_life) == pytest.approx(0.4, rel=1e-3)
    assert pace_of(old.clear_out) == pytest.approx(0.1, rel=1e-3)
    assert old.heat_half_life == FOR_GOOD and old.spread == 0.002
    keyed = {
        "kind": "keys",
        "keys": [{"t": 0.0, "v": 0.5}, {"t": 1.0, "v": 2.0, "ease": "through", "slope": 3.0}],
    }
    course = Fading.model_validate({"cooling": keyed}).heat_half_life
    times = (round(math.log(2) / 0.5, 4), round(math.log(2) / 2.0, 4))
    assert course == Keys(keys=(Key(t=0.0, v=times[0]), Key(t=1.0, v=times[1], ease="through")))
    waved = Fading.model_validate({"smoke": {"kind": "wave", "base": 0.5, "amount": 0.2}})
    assert rate_of(waved.half_life) == pytest.approx(0.5, rel=1e-3)
    assert rate_of(PointMotion.model_validate({"cooling": 1.2}).heat_half_life) == pytest.approx(
        1.2, rel=1e-3
    )
