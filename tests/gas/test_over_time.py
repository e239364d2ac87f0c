"""Sizes, pushes, break-up, viscosity and spreading over time: in a step, what their courses say then."""

from __future__ import annotations

import numpy as np
import pytest
from build import KEEP, QUIET

from tenka.effect.courses import Key, Keys
from tenka.effect.model import DomainBox, GasLayer, ParticleLayer, PointMotion, PointSource, Source
from tenka.gas.grid import DENSITY
from tenka.gas.settings import resolve
from tenka.gas.solver import GasSolver
from tenka.particles.solver import PointSolver


def line(*points: tuple[float, float]) -> Keys:
    return Keys(keys=tuple(Key(t=t, v=v, ease="linear") for t, v in points))


def layer_of(**source: object) -> GasLayer:
    given = {
        "position": (0, 0, 1.0),
        "size": (0.8, 0.8, 0.8),
        "density": 2.0,
        "temperature": 0.0,
        "breakup": 0.0,
    }
    box = DomainBox(origin=(-1, -1, 0), size=(2, 2, 2), voxel=0.1, run_up=0.0)
    made = Source(id="s", name="S", shape="box", grip=0.0, **{**given, **source})  # type: ignore[arg-type]
    return GasLayer(id="g", name="G", domain=box, sources=(made,), motion=QUIET, fading=KEEP)


def born(layer: GasLayer, frames: int) -> list[float]:
    """Smoke in the box after each frame, in m^3 of a density of one."""
    solver = GasSolver(layer, (), (), 1, 24.0)
    state, held = solver.start(), []
    for _ in range(frames):
        state = solver.frame(state)
        held.append(float(state.scalars[..., DENSITY].sum()) * 0.1**3)
    return held


def test_a_source_gives_by_its_size_at_the_time():
    """From half of its size to all of it in a second: the volume grows with the third power."""
    held = born(layer_of(size_over=line((0.0, 0.5), (1.0, 1.0))), 24)
    t = (np.arange(24 * 50) + 0.5) / (24 * 50)
    wanted = 2.0 * 0.8**3 * ((0.5 + 0.5 * t) ** 3).mean()
    assert held[-1] == pytest.approx(wanted, rel=0.02)


def test_a_push_and_a_break_up_follow_their_courses():
    layer = layer_of(
        push=(0, 0, 2.0), push_over=line((0.0, 1.0), (1.0, -1.0)), breakup=line((0.0, 0.0), (1.0, 1.0))
    )
    for t, push, breakup in ((0.0, 2.0, 0.0), (0.5, 0.0, 0.5), (0.98, -1.92, 0.98)):
        now = resolve(layer, (), (), 1, 24.0, t, 1e-4).sources[0].source
        assert now.push[2] == pytest.approx(push, abs=0.01) and now.breakup == pytest.approx(
            breakup, abs=0.01
        )


def test_viscosity_and_spreading_follow_their_courses():
    layer = layer_of()
    course = line((0.0, 0.0), (1.0, 0.04))
    layer = layer.model_copy(
        update={
            "motion": QUIET.model_copy(update={"viscosity": course}),
            "fading": KEEP.model_copy(update={"spread": course}),
        }
    )
    for t in (0.0, 0.25, 0.75):
        now = resolve(layer, (), (), 1, 24.0, t, 1e-4)
        assert now.viscosity == pytest.approx(0.04 * t, abs=1e-5)
        assert now.spread == pytest.approx(0.04 * t, abs=1e-5)


@pytest.mark.parametrize("shape", ("sphere", "curve"))
def test_particles_are_born_within_the_size_at_their_moment(shape: str):
    source = PointSource(
        id="s",
        name="S",
        shape=shape,
        position=(0, 0, 0),
        size=(2, 2, 2),
        thickness=1.0,
        rate=4000.0,
        speed=0.0,
        curve=((-1, 0, 0), (1, 0, 0)),
        stays=True,
        size_over=line((0.0, 0.1), (1.0, 1.0)),
        start=0.0,
    )
    motion = PointMotion(gravity=0.0, ground="none", drag=0.0)
    solver = PointSolver(
        ParticleLayer(id="p", name="P", sources=(source,), motion=motion), (), (), 1, 24.0, 30
    )
    state = solver.start()
    for _ in range(24):
        state = solver.frame(state)
    p = state.points
    away = np.linalg.norm(p.place if shape == "sphere" else p.place[:, 1:], axis=1)
    largest = 0.1 + 0.9 * p.born
    assert (away <= largest + 1e-4).all()
    for a in (0.0, 0.5):
        part = (p.born >= a) & (p.born < a + 0.5)
        assert (away[part] / largest[part]).max() > 0.9
