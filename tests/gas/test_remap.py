"""What the gas holds is carried without loss: sums, symmetries, bounds and closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import closed, opened, random_state
from scipy import ndimage

from tenka.gas import remap
from tenka.gas.grid import CHANNELS, DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.pressure import project
from tenka.gas.remap import Remap
from tenka.gas.step import faces_of

KEEP = np.ones(CHANNELS, np.float32)
NONE = np.zeros(CHANNELS, np.float32)


def carry(
    state: GasState,
    grid: Grid,
    dt: float,
    backwards: bool = False,
    keep: np.ndarray = KEEP,
    take: np.ndarray = NONE,
) -> np.ndarray:
    """One carrying of the scalars by the state's velocity."""
    out = np.full_like(state.scalars, 7.0)
    Remap(grid, faces_of(state), dt, backwards).carry(state.scalars, keep, take, True, Workspace(grid), out)
    return out


def stirred(grid: Grid, fastest: float = 1.0, seed: int = 4) -> GasState:
    """Smoke and heat at random in a smooth flow without divergence."""
    state = random_state(grid, seed)
    for field in faces_of(state):
        field[:] = ndimage.gaussian_filter(field, 2.0)
    project(state, grid, Workspace(grid))
    scale = fastest / state.fastest
    for field in faces_of(state):
        field *= scale
    state.scalars[..., 2:] = state.scalars[::-1, ..., :2]
    return state


@pytest.mark.parametrize("courant", (0.5, 1.0, 3.0, 9.0))
@pytest.mark.parametrize("backwards", (False, True))
def test_nothing_is_lost_or_made_in_a_closed_box(courant, backwards):
    grid = closed((28, 20, 24))
    state = stirred(grid)
    out = carry(state, grid, courant * grid.voxel, backwards)
    before, after = (f.sum(axis=(0, 1, 2), dtype=np.float64) for f in (state.scalars, out))
    np.testing.assert_allclose(after, before, rtol=2e-5)
    assert np.abs(out - state.scalars).max() > 0.3


@pytest.mark.parametrize("courant", (0.5, 3.0, 9.0))
def test_no_new_extremes_and_nothing_below_zero(courant):
    grid = closed((28, 20, 24))
    state = stirred(grid)
    out = carry(state, grid, courant * grid.voxel)
    for c in range(CHANNELS):
        assert out[..., c].max() <= state.scalars[..., c].max() * (1 + 2e-5)
        assert out[..., c].min() >= state.scalars[..., c].min() * (1 - 2e-5) >= 0


@pytest.mark.parametrize("courant", (0.5, 3.0, 9.0))
def test_what_is_even_stays_even(courant):
    grid = closed((28, 20, 24))
    state = stirred(grid)
    state.scalars[:] = (1.0, 300.0, 0.5, 0.25)
    for n in range(4):
        state.scalars[:] = carry(state, grid, courant * grid.voxel, n % 2 == 1)
    np.testing.assert_allclose(state.scalars / (1.0, 300.0, 0.5, 0.25), 1.0, atol=2e-4)


@pytest.mark.parametrize("backwards", (False, True))
def test_a_flow_that_one_sweep_cannot_take_is_swept_in_two_without_a_ripple(backwards: bool):
    """A few voxels would be emptied by the first axis: they are cut down there, and the rest goes last."""
    grid = closed((28, 20, 24))
    state = stirred(grid)
    for courant in np.arange(0.8, 4.0, 0.05):
        way = Remap(grid, faces_of(state), float(courant) * grid.voxel, backwards)
        if way.stages is not None and len(way.stages) > 3:
            break
    assert way.stages is not None and way.rounds == 1 and way.stages[-1].sparse
    moved = sum(np.abs(stage.moving).sum() for stage in way.stages if not stage.sparse)
    assert 0 < np.abs(way.stages[-1].moving).sum() < 0.01 * moved
    for axis in range(3):  # what is swept in all is the flow
        whole = sum(stage.moving for stage in way.stages if stage.axis == axis)
        np.testing.assert_allclose(whole, faces_of(state)[axis], atol=1e-6)
    before = state.scalars.copy()
    out = carry(state, grid, float(courant) * grid.voxel, backwards)
    np.testing.assert_allclose(out.sum(axis=(0, 1, 2)), before.sum(axis=(0, 1, 2)), rtol=2e-5)
    assert out.max(axis=(0, 1, 2)) == pytest.approx(
        np.minimum(out, before.max(axis=(0, 1, 2)) * 1.0001).max(axis=(0, 1, 2))
    )
    state.scalars[:] = (1.0, 300.0, 0.5, 0.25)
    even = carry(state, grid, float(courant) * grid.voxel, backwards)
    np.testing.assert_allclose(even / (1.0, 300.0, 0.5, 0.25), 1.0, atol=2e-4)


def test_a_flat_box_loses_nothing_either():
    grid = Grid((32, 1, 24), 0.1, (0, 0, 0), (False,) * 3, (False,) * 3)
    state = stirred(grid)
    out = carry(state, grid, 2.5 * grid.voxel)
    np.testing.assert_allclose(out.sum(axis=(0, 1, 2)), state.scalars.sum(axis=(0, 1, 2)), rtol=2e-5)


def test_a_mirrored_scene_gives_the_mirrored_result():
    grid = closed((24, 20, 22))
    state = stirred(grid)
    out = carry(state, grid, 2.0 * grid.voxel)
    other = GasState.still(grid)
    other.u[:], other.v[:], other.w[:] = -state.u[::-1], state.v[::-1], state.w[::-1]
    other.scalars[:] = state.scalars[::-1]
    np.testing.assert_allclose(carry(other, grid, 2.0 * grid.voxel)[::-1], out, rtol=1e-5, atol=1e-5)


@pytest.mark.parametrize("axis", range(3))
@pytest.mark.parametrize("way", (1, -1))
def test_a_shift_by_whole_voxels_is_exact(axis, way):
    grid = opened((24, 22, 20))
    state = random_state(grid, 5)
    for a, field in enumerate(faces_of(state)):
        field[:] = float(way) if a == axis else 0.0
    out = np.moveaxis(carry(state, grid, 3 * grid.voxel), axis, 0)
    held = np.moveaxis(state.scalars, axis, 0)
    moved, stood = (out[3:], held[:-3]) if way > 0 else (out[:-3], held[3:])
    np.testing.assert_allclose(moved, stood, rtol=1e-4, atol=1e-4)
    came = out[:3] if way > 0 else out[-3:]
    assert np.abs(came).max() < 1e-3  # the air outside holds nothing


def test_what_goes_out_of_an_open_wall_is_what_is_missing():
    grid = opened((20, 12, 12))
    state = GasState.still(grid)
    state.scalars[..., DENSITY] = 1.0
    state.u[:] = 1.0
    out = carry(state, grid, 0.25)
    assert out[..., DENSITY].sum() == pytest.approx(state.scalars[..., DENSITY].sum() - 2.5 * 144, rel=1e-5)


def turning(n: int, held: np.ndarray) -> tuple[GasState, Grid]:
    """Solid rotation about the middle of a thin box, one turn a second."""
    grid = opened((n, n, 2), 1.0 / n)
    state = GasState.still(grid)
    x = (np.arange(n) + 0.5) / n
    state.u[:] = -2 * np.pi * (x - 0.5)[None, :, None]
    state.v[:] = 2 * np.pi * (x - 0.5)[:, None, None]
    state.scalars[..., DENSITY] = held
    return state, grid


def after_a_turn(state: GasState, grid: Grid, courant: float) -> np.ndarray:
    steps = math.ceil(math.pi * grid.shape[0] / courant)
    for n in range(steps):
        state.scalars[:] = carry(state, grid, 1.0 / steps, n % 2 == 1)
    return state.scalars[..., DENSITY]


@pytest.mark.parametrize(("courant", "most"), ((0.5, 0.5), (1.0, 0.45), (3.0, 0.32)))
def test_a_slotted_disc_comes_round_with_sharp_edges(courant, most):
    """Zalesak's disc (1979). MacCormack's method leaves an error of 1.08, 1.01 and 0.79 of the disc."""
    n = 64
    x, y = np.meshgrid((np.arange(n) + 0.5) / n, (np.arange(n) + 0.5) / n, indexing="ij")
    disc = (np.hypot(x - 0.5, y - 0.75) < 0.15) & ~((np.abs(x - 0.5) < 0.03) & (y < 0.85))
    state, grid = turning(n, disc[..., None])
    out = after_a_turn(state, grid, courant)
    assert np.abs(out - disc[..., None]).sum() / (2 * disc.sum()) < most
    assert out.sum(dtype=np.float64) == pytest.approx(2 * disc.sum(), rel=1e-4)
    assert out.min() >= 0 and out.max() < 1.001


def test_a_small_blob_keeps_its_peak_and_all_of_its_amount():
    n = 64
    x, y = np.meshgrid((np.arange(n) + 0.5) / n, (np.arange(n) + 0.5) / n, indexing="ij")
    blob = np.exp(-((x - 0.5) ** 2 + (y - 0.75) ** 2) / (2 * (2.0 / n) ** 2))[..., None]
    state, grid = turning(n, blob)
    out = after_a_turn(state, grid, 3.0)
    assert out.max() / blob.max() > 0.7
    assert out.sum(dtype=np.float64) == pytest.approx(2 * blob.sum(), rel=1e-3)


@pytest.mark.parametrize("rate", (0.3, 3.0, 10.0))
def test_what_expands_thins_what_it_holds_and_keeps_its_heat(rate):
    """In u = (rate / 3) x the density falls as exp(-rate t) and the temperature stays."""
    grid, seconds, steps = opened((20, 20, 20)), 0.2, 40
    state = GasState.still(grid)
    for axis, field in enumerate(faces_of(state)):
        at = (np.arange(grid.shape[axis] + 1) - grid.shape[axis] / 2) * grid.voxel * rate / 3
        field[:] = at.reshape([-1 if a == axis else 1 for a in range(3)])
    state.scalars[...] = (1.0, 200.0, 0.5, 0.0)
    for n in range(steps):
        state.scalars[:] = carry(state, grid, seconds / steps, n % 2 == 1)
    middle = state.scalars[8:12, 8:12, 8:12]
    of_first_order = 0.5 * rate * rate * seconds * seconds / steps
    np.testing.assert_allclose(
        middle[..., DENSITY], math.exp(-rate * seconds), rtol=1.2 * of_first_order + 1e-4
    )
    np.testing.assert_allclose(middle[..., TEMPERATURE], 200.0, rtol=1e-4)


def test_fading_halves_at_the_half_life_in_any_number_of_steps():
    grid = closed((8, 8, 8))
    for steps in (1, 2, 8):
        state = GasState.still(grid)
        state.scalars[:] = 1.0
        for _ in range(steps):
            state.scalars = carry(state, grid, 0.1, keep=np.full(CHANNELS, 2.0 ** (-1.0 / steps), np.float32))
        np.testing.assert_allclose(state.scalars, 0.5, rtol=1e-5)


def test_a_linear_fade_takes_an_amount_and_stops_at_nothing():
    grid = closed((6, 6, 6))
    state = GasState.still(grid)
    state.scalars[:3, ..., 0], state.scalars[3:, ..., 0] = 1.0, 0.05
    state.scalars[..., TEMPERATURE] = -20.0
    out = carry(state, grid, 0.1, take=np.array([0.2] + [0.0] * (CHANNELS - 1), np.float32))
    np.testing.assert_allclose(out[:3, ..., 0], 0.8, rtol=1e-5)
    assert (out[3:, ..., 0] == 0).all()
    np.testing.assert_allclose(out[..., TEMPERATURE], -20.0, rtol=1e-5)  # cold gas stays cold


def test_a_blow_up_is_seen_and_does_not_crash():
    grid = opened((8, 8, 8))
    for bad in (np.nan, np.inf, 1e30):
        state = random_state(grid)
        state.u[:] = bad
        assert carry(state, grid, 0.1).shape == state.scalars.shape
    state = random_state(grid)
    state.scalars[4, 4, 4, 0] = np.nan
    assert np.isnan(carry(state, grid, 0.1)).any()


def test_rows_without_gas_are_left_out_without_a_difference():
    grid = opened((24, 20, 16), 0.1)
    state = stirred(grid, 2.0)
    state.scalars[:9] = 0.0
    state.scalars[:, :7] = 0.0
    state.scalars[16:, 12:] = 0.0
    state.scalars[:, :, :3] = 0.0
    state.scalars[:, :, 13:] = 0.0
    planes, spans = np.empty((CHANNELS, *grid.shape), np.float32), np.empty((CHANNELS, 24, 20, 2), np.int64)
    results = []
    for every in (False, True):
        way = Remap(grid, faces_of(state), 0.12, False)
        remap._unpack(state.scalars, planes, spans)
        assert 0.2 < (spans[..., 1] > spans[..., 0]).mean() < 0.7 and spans[0, 12, 10].tolist() == [3, 13]
        if every:
            spans[..., 0], spans[..., 1] = 0, 16
        way._sweeps(planes, spans, 0)
        results.append(planes.copy())
    np.testing.assert_allclose(results[0], results[1], atol=1e-6)
