"""How velocity is carried: bounds and what stays as it is."""

from __future__ import annotations

import numpy as np
from build import closed, opened, random_state

from tenka.gas import advect
from tenka.gas.grid import GasState, Workspace
from tenka.gas.step import carry_velocity, faces_of


def test_velocity_carries_itself_without_new_extrema():
    grid = closed((16, 16, 16))
    state = random_state(grid, 2)
    work = Workspace(grid)
    advect.centre_velocity(state.u, state.v, state.w, work.centred)
    advect.traces(work.centred, np.float32(0.05 / grid.voxel), work.back, work.ahead)
    for axis, field in enumerate((state.u, state.v, state.w)):
        first, least, most, out = (np.empty_like(field) for _ in range(4))
        advect.faces_forward(field, work.back, axis, first, least, most)
        advect.faces_correct(field, first, least, most, work.ahead, axis, out)
        assert field.min() - 1e-6 <= out.min() and out.max() <= field.max() + 1e-6


def test_uniform_velocity_stays_uniform():
    grid = opened((12, 10, 14))
    state = GasState.still(grid)
    state.u[:], state.v[:], state.w[:] = 0.7, -0.3, 0.2
    work = Workspace(grid)
    advect.centre_velocity(state.u, state.v, state.w, work.centred)
    advect.traces(work.centred, np.float32(1.0), work.back, work.ahead)
    for axis, (field, value) in enumerate(((state.u, 0.7), (state.v, -0.3), (state.w, 0.2))):
        first, least, most, out = (np.empty_like(field) for _ in range(4))
        advect.faces_forward(field, work.back, axis, first, least, most)
        advect.faces_correct(field, first, least, most, work.ahead, axis, out)
        np.testing.assert_allclose(out, value, rtol=1e-5)


def test_a_blow_up_does_not_crash_the_kernels():
    grid = opened((8, 8, 8))
    state, work = random_state(grid), Workspace(grid)
    state.u[:] = np.nan
    state.v[:] = np.inf
    out = GasState.still(grid)
    carry_velocity(faces_of(state), faces_of(state), faces_of(out), grid, work, 0.1)
    assert not np.isfinite(out.u).all()
