"""One table of forces for gas and particles: what is unknown is refused, and both feel the same."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
import pytest

from tenka.app import kinds
from tenka.base.errors import BadInput
from tenka.effect.forces import NEW_FORCES
from tenka.effect.model import (
    DomainBox,
    Effect,
    GasLayer,
    Motion,
    ParticleLayer,
    PointMotion,
    PointSource,
    Wind,
)
from tenka.effect.starters import with_force
from tenka.gas import forces, vorticity
from tenka.gas.felt import FORCES, resolve_forces
from tenka.gas.grid import GasState, Grid, Workspace
from tenka.gas.settings import Moment, resolve
from tenka.particles.solver import PointSolver

RATE = 240.0
SEED = 5
STILL = Motion(lift=0.0, weight=0.0, drag=0.0, curls=0.0)


class Tide(Wind):
    """A kind that no table has."""

    kind: Literal["tide"] = "tide"  # type: ignore[assignment]


def test_every_kind_of_force_of_the_document_is_in_all_tables():
    assert set(kinds.FORCES) == set(NEW_FORCES) and set(kinds.BY_KIND) == set(FORCES)
    for word, (made, _) in NEW_FORCES.items():
        assert kinds.FORCES[word].kind == made(id="a", name="A").kind


def test_an_unknown_kind_of_force_is_refused_in_a_sentence():
    moment = Moment((), RATE, 0.0, 1 / RATE)
    with pytest.raises(BadInput, match="Flood is a force of the kind 'tide', which nothing here knows"):
        resolve_forces((Tide(id="t", name="Flood"),), moment, SEED, lambda pull: (pull,))  # type: ignore[arg-type]
    layer = ParticleLayer(id="dust", name="Dust", sources=(PointSource(id="s", name="S", burst=3),))
    with pytest.raises(BadInput, match="'tide'"):
        PointSolver(layer, (Tide(id="t", name="Flood"),), (), 1, RATE, 4).frame(  # type: ignore[arg-type]
            PointSolver(layer, (), (), 1, RATE, 4).start(), 1
        )


def force_of(word: str, **changes: object) -> Any:
    effect, path = with_force(Effect(), word)
    made = effect.forces[-1]
    assert path.endswith(made.id)
    return made.model_copy(update=changes)


def gas_gains(force: Any, start: float) -> tuple[np.ndarray, np.ndarray]:
    """Places of some faces, and what one step adds to the gas there along x: m, m/s."""
    grid = Grid((12, 12, 12), 0.2, (-1.2, -1.2, 0.0), (True,) * 3, (True,) * 3)
    state, work = GasState.still(grid), Workspace(grid)
    state.u[:] = start
    state.scalars[..., 0] = 1e4  # what pulls draw to by how dense it is
    layer = GasLayer(
        id="gas", name="Gas", domain=DomainBox(origin=(-1.2, -1.2, 0), size=(2.4, 2.4, 2.4)), motion=STILL
    )
    given = resolve(layer, (force,), (), SEED, RATE, 0.0, 1 / RATE)
    forces.apply_forces(
        state, grid, given, work, vorticity.vorticity_push(state, grid, given, work), 0.0, 1 / RATE
    )
    picked = [(3, 4, 2), (6, 7, 5), (8, 3, 9), (5, 5, 5), (9, 8, 6)]
    places = np.array([(-1.2 + 0.2 * i, -1.1 + 0.2 * j, 0.1 + 0.2 * k) for i, j, k in picked])
    return places, np.array([state.u[f] - start for f in picked])


def particle_gains(force: Any, places: np.ndarray, start: float) -> np.ndarray:
    """What the same step adds to particles in these places along x, m/s."""
    motion = PointMotion(drag=0.0, ground="none", heat_half_life=3600.0)
    sources = tuple(
        PointSource(
            id=f"s{n}",
            name="S",
            shape="point",
            rate=0.0,
            burst=1,
            cone=0.0,
            speed_spread=0.0,
            far_share=0.0,
            life=60.0,
            life_spread=0.0,
            position=tuple(place),
            direction=(1, 0, 0),
            speed=start,
        )
        for n, place in enumerate(places.tolist())
    )
    layer = ParticleLayer(id="dust", name="Dust", sources=sources, motion=motion)
    speeds = []
    for felt in ((force,), ()):
        solver = PointSolver(layer, felt, (), SEED, RATE, 4)
        p = solver.frame(solver.start(), 1).points
        order = [int(np.argmin(np.linalg.norm(p.place - place, axis=1))) for place in places]
        speeds.append(p.velocity[order, 0].astype(float))
    return speeds[0] - speeds[1]


CHANGES: dict[str, dict[str, object]] = {
    "wind": {"heading": 30.0, "gusts": 0.0},
    "swirl": {"position": (0.1, 0.0, 1.2)},
    "pull": {"position": (0.4, 0.2, 1.0)},
    "drag": {},
    "eddies": {},
}


@pytest.mark.parametrize("where", ["everywhere", "sphere"])
@pytest.mark.parametrize("word", CHANGES)
def test_gas_and_particles_feel_the_same(word: str, where: str):
    changes = dict(CHANGES[word])
    if where != "everywhere":
        changes |= {"region": where, "region_size": (3.0, 2.0, 2.4), "border": 0.6}
        changes.setdefault("position", (0.0, 0.0, 1.2))
    start = 3.0 if word == "drag" else 0.0
    force = force_of(word, **changes)
    places, gas = gas_gains(force, start)
    particles = particle_gains(force, places, start)
    assert np.abs(gas).max() > 1e-4
    np.testing.assert_allclose(particles, gas, rtol=0.04, atol=0.02 * np.abs(gas).max())


def test_a_further_gravity_is_weighed_by_each():
    force = force_of("gravity", strength=2.0, heading=0.0, rise=0.0)
    places = np.array([(0.1, 0.1, 1.0), (-0.4, 0.3, 0.6)])
    np.testing.assert_allclose(particle_gains(force, places, 0.0), 2.0 * 9.81 / RATE, rtol=1e-3)
