"""Eddies of few particles are those of the gas, wherever they are."""

import numpy as np
import pytest

from tenka.gas.eddies import stir, turbulence_potential
from tenka.gas.felt import BLOW, LocalInput, TurbulenceInput
from tenka.gas.grid import Grid
from tenka.gas.local import confine
from tenka.gas.vorticity import centre_fields
from tenka.particles.acting import ForceInputs, acting
from tenka.particles.stirring import stirred

BALL = LocalInput(BLOW, (), region="sphere", size=(1.0, 1.0, 1.0), border=0.4)


def on_a_grid(force, n, edge=1.6, t=1.3):
    """The curl of the gas's potential at the middles of voxels."""
    grid = Grid((n, n, n), edge / n, (-edge / 2,) * 3)
    edges = tuple(np.zeros(s, np.float32) for s in ((n, n + 1, n + 1), (n + 1, n, n + 1), (n + 1, n + 1, n)))
    faces = tuple(np.zeros(s, np.float32) for s in ((n + 1, n, n), (n, n + 1, n), (n, n, n + 1)))
    turbulence_potential(force, grid, t, edges)
    if force.within is not None:
        confine(edges, force.within, grid)
    stir(*edges, np.float32(1.0), *faces)
    centred = np.zeros((3, n, n, n), np.float32)
    centre_fields(*faces, centred)
    x = -edge / 2 + (np.arange(n) + 0.5) * grid.voxel
    places = np.stack(np.meshgrid(x, x, x, indexing="ij"), axis=-1)
    return places.reshape(-1, 3), centred.reshape(3, -1).T


@pytest.mark.parametrize("within", (None, BALL))
def test_they_are_what_the_eddies_of_a_gas_tend_to(within):
    force = TurbulenceInput(1.2, 0.9, 0.5, 0.7, 2.0, 77, within)
    errors = []
    for n in (16, 32):
        places, grid = on_a_grid(force, n)
        own = stirred((force,), places, 1.3)
        errors.append(np.sqrt(((own[:, :3] / 2.0 - grid) ** 2).mean()) / np.sqrt((grid**2).mean()))
    assert errors[1] < (0.01 if within is None else 0.025)  # a border bends where it begins
    assert errors[0] / errors[1] > 2.8  # of second order in the grid's voxel


def test_their_strength_is_the_one_that_is_set_far_away_too():
    force = TurbulenceInput(1.2, 0.9, 0.5, 0.7, 1.0, 5)
    for middle in (0.0, 900.0):
        places = middle + np.random.default_rng(1).uniform(-20, 20, (20_000, 3))
        own = stirred((force,), places, 0.4)
        assert np.sqrt((own[:, :3] ** 2).sum(axis=1).mean()) == pytest.approx(1.2, rel=0.03)
        assert np.all(own[:, 3] == 1.0)


def test_few_have_no_grid_and_many_have_one():
    forces = ForceInputs((), (TurbulenceInput(1.0, 0.5, 0.5, 0.7, 1.0, 5),))
    low, high = np.zeros(3), np.full(3, 2.0)
    few = acting(forces, low, high, 0.0, np.ones((20, 3)))
    many = acting(forces, low, high, 0.0, np.ones((200_000, 3)))
    assert few.own.shape == (20, 4) and few.eddies.size == 4
    assert many.own.shape == (0, 4) and many.eddies.shape[0] > 1
