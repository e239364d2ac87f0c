"""The pressure equation round solids, and gas beside moving colliders."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import centres, closed, random_state, step_with

from tenka.effect.courses import Key, Keys
from tenka.effect.former import FOR_GOOD
from tenka.effect.model import Collider, DomainBox, Fading, GasLayer, Motion, Prop, Source
from tenka.gas import multigrid, pressure
from tenka.gas.felt import WindInput
from tenka.gas.ghosts import outflow
from tenka.gas.grid import DENSITY, GasState, Grid, Workspace
from tenka.gas.settings import ColliderInput, resolve
from tenka.gas.solids import find_solids
from tenka.gas.solver import GasSolver
from tenka.gas.step import Half, step
from tenka.scene.poses import Motion as Moving
from tenka.scene.poses import Pose

WALLS = [((False,) * 3, (False,) * 3), ((True, True, False), (True, True, True))]
BALL = Prop(id="ball", name="Ball", shape="sphere", size=(0.6, 0.6, 0.6))


def item(
    prop: Prop,
    at: tuple[float, float, float],
    speed: tuple[float, float, float] | None = None,
    **changes: object,
) -> ColliderInput:
    motion = None if speed is None else Moving(np.asarray(speed, float), np.zeros(3), np.asarray(at, float))
    collider = Collider(id="c", name="C", prop=prop.id).model_copy(update=changes)
    return ColliderInput(collider, prop, Pose(np.eye(3), np.asarray(at, float)), motion)


def whole(
    shape: tuple[int, int, int], low: tuple[bool, ...], high: tuple[bool, ...]
) -> list[multigrid.Level]:
    faces = [np.ones([n + (a == axis) for a, n in enumerate(shape)], np.float32) for axis in range(3)]
    return multigrid.hierarchy(*faces, low, high, shape)


@pytest.mark.parametrize("walls", WALLS)
@pytest.mark.parametrize("shape", [(24, 24, 24), (19, 26, 13)])
def test_without_solids_it_finds_the_exact_pressure(walls: tuple, shape: tuple[int, int, int]):
    grid = Grid(shape, 0.1, (0, 0, 0), *walls)
    rng = np.random.default_rng(0)
    rhs = rng.standard_normal(shape).astype(np.float32)
    rhs -= rhs.mean()
    exact = pressure.poisson(rhs.copy(), np.zeros(shape, np.float32), grid)
    p = np.zeros(shape, np.float32)
    cycles, residual = multigrid.solve(whole(shape, *walls), p, rhs.copy(), 1e-5, 30, {})
    assert residual <= 1e-5 and cycles < 14
    np.testing.assert_allclose(p - p.mean(), exact - exact.mean(), atol=2e-3 * np.abs(exact).max())


def test_cycles_do_not_grow_with_the_grid():
    """So that cost is linear in voxels."""
    made = []
    for n in (16, 32, 64):
        x = (np.arange(n) + 0.5) / n
        a, b, c = np.meshgrid(x, x, x, indexing="ij")
        rhs = (np.sin(5 * a) * np.cos(4 * b) * c).astype(np.float32)
        made.append(
            multigrid.solve(whole((n, n, n), *WALLS[1]), np.zeros((n, n, n), np.float32), rhs, 1e-4, 30, {})[
                0
            ]
        )
    assert max(made) <= 8 and made[2] <= made[0] + 2


def test_it_converges_on_a_manufactured_pressure_to_second_order():
    errors = []
    for n in (16, 32):
        x = (np.arange(n) + 0.5) / n
        a, b, c = np.meshgrid(x, x, x, indexing="ij")
        p = np.sin(np.pi * a) * np.sin(np.pi * b) * np.sin(np.pi * c)
        rhs = (3 * np.pi**2 * p / n**2).astype(np.float32)
        found = np.zeros((n, n, n), np.float32)
        multigrid.solve(whole((n, n, n), (True,) * 3, (True,) * 3), found, rhs, 1e-6, 40, {})
        errors.append(np.abs(found - p).max())
    assert errors[0] / errors[1] == pytest.approx(4.0, rel=0.15)


def test_projection_round_a_ball_leaves_no_flow_into_it():
    grid = Grid((24, 24, 24), 0.1, (0, 0, 0), *WALLS[1])
    state, work = random_state(grid, speed=1.0), Workspace(grid)
    solids = find_solids((item(BALL, (1.2, 1.2, 0.9)),), grid, None, None)
    work.measuring = True
    pressure.project(state, grid, work, None, solids, 1e-5, 30)
    outflow(state, solids, work.pressure)
    assert np.abs(work.pressure).max() < 2e-3
    assert (
        work.figures["divergence"] < 1e-3 * work.figures["divergence_before"]
        and work.figures["residual"] <= 1e-5
    )


def test_solids_that_rest_are_found_once():
    grid = closed((12, 12, 12))
    first = find_solids((item(BALL, (0.6, 0.6, 0.3)),), grid, None, None)
    assert find_solids((item(BALL, (0.6, 0.6, 0.3)),), grid, None, first) is first
    assert find_solids((item(BALL, (0.61, 0.6, 0.3)),), grid, None, first) is not first


def test_a_piston_pushes_out_its_volume():
    """A plate that fills a shaft moves up at 0.5 m/s: just as much flows out of the open top."""
    grid = Grid((12, 12, 24), 0.1, (0, 0, 0), (False,) * 3, (False, False, True))
    plate = Prop(id="plate", name="Plate", size=(2.0, 2.0, 0.4))
    state, work = GasState.still(grid), Workspace(grid)
    solids = find_solids((item(plate, (0.6, 0.6, 0.5), (0, 0, 0.5)),), grid, None, None)
    pressure.project(state, grid, work, None, solids, 1e-5, 30)
    assert state.w[:, :, -1].sum() * 0.01 == pytest.approx(0.5 * 1.2 * 1.2, rel=0.01)


def test_there_is_no_gas_in_a_solid_and_none_is_lost_along_it():
    grid = closed((24, 24, 24))
    colliders = (item(BALL, (1.2, 1.2, 0.9)),)
    held = np.ones(grid.shape, np.bool_)
    held.reshape(-1)[find_solids(colliders, grid, None, None).shut] = False
    state = GasState.still(grid)
    state.scalars[..., DENSITY] = held
    state = step_with(grid, state, 0.05, 4, colliders=colliders)
    np.testing.assert_allclose(state.scalars[..., DENSITY], held, atol=1e-5)


def test_what_a_solid_shuts_in_is_pushed_out_and_not_lost():
    grid = closed((24, 24, 24))
    state = GasState.still(grid)
    state.scalars[..., DENSITY] = 1.0
    state.with_dye()[..., 3] = 2.0
    state = step_with(grid, state, 0.05, 2, colliders=(item(BALL, (1.2, 1.2, 0.9)),))
    x, y, z = centres(grid)
    inside = np.sqrt((x - 1.2) ** 2 + (y - 1.2) ** 2 + (z - 1.2) ** 2) < 0.25
    assert inside.any() and not state.scalars[..., DENSITY][inside].any()
    assert state.dye is not None
    for field, whole in ((state.scalars[..., DENSITY], 1.0), (state.dye[..., 3], 2.0)):
        assert field.mean(dtype=np.float64) == pytest.approx(whole, rel=1e-4)
        np.testing.assert_allclose(field, field[::-1], rtol=5e-3)  # to all sides alike


@pytest.mark.parametrize("voxel", (0.05, 0.1))
@pytest.mark.parametrize("courant", (0.5, 3.0))
def test_a_piston_keeps_all_the_smoke_before_it(voxel: float, courant: float):
    """A plate that fills a shaft drives smoke up it: the smoke stays before the plate, all of it."""
    speed, seconds = 0.5, 1.2
    n = round(0.6 / voxel)
    grid = Grid((n, n, round(2.4 / voxel)), voxel, (0, 0, 0), (False,) * 3, (False, False, True))
    plate = Prop(
        id="plate",
        name="Plate",
        size=(2.0, 2.0, 0.4),
        position=(0.3, 0.3, 0.0),
        shift_z=Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=9.0, v=9.0 * speed, ease="linear"))),
    )
    layer = GasLayer(
        id="gas",
        name="Gas",
        colliders=(Collider(id="c", name="C", prop="plate"),),
        motion=Motion(lift=0, weight=0, drag=0, curls=0),
        fading=Fading(half_life=FOR_GOOD, heat_half_life=FOR_GOOD),
    )
    state, work = GasState.still(grid), Workspace(grid)
    first = round(0.5 / voxel)
    state.scalars[:, :, first : 2 * first, DENSITY] = 1.0
    born = state.scalars[..., DENSITY].sum(dtype=np.float64)
    steps = max(2, round(seconds * speed / (courant * voxel)))
    dt = seconds / steps
    for s in range(steps):
        halves = tuple(
            Half(resolve(layer, (), (plate,), 1, 24.0, (s + 0.5 * part) * dt, 0.5 * dt), [])
            for part in (0, 1)
        )
        state = step(state, grid, halves, work, dt)
    density = state.scalars[..., DENSITY]
    assert density.sum(dtype=np.float64) == pytest.approx(born, rel=1e-3)
    behind = round(seconds * speed / voxel)
    assert density[:, :, :behind].sum() < 1e-2 * born


@pytest.mark.parametrize(("slip", "kept"), [("free", True), ("none", False)])
def test_gas_slides_along_a_free_floor_and_sticks_to_one_without_slip(slip: str, kept: bool):
    grid = Grid((16, 8, 16), 0.1, (0, 0, 0), (True, False, False), (True, False, True))
    floor = Prop(id="floor", name="Floor", size=(9.0, 9.0, 0.42))
    state = GasState.still(grid)
    state.u[:] = 1.0
    outside = WindInput(1.0, 0.0, 1e-9, 0.0, 1.0, 0.0, 1)  # the air beyond the walls goes on as it does
    colliders = (item(floor, (0.8, 0.4, 0.0), slip=slip),)
    state = step_with(grid, state, 0.05, 8, colliders=colliders, winds=(outside,))
    beside = float(state.u[8, 4, 4])
    assert (beside > 0.95) if kept else (beside < 0.5)
    assert state.u[8, 4, 2] == pytest.approx(1.0 if kept else 0.0, abs=0.05)


def moving_ball(speed: float, wake: float = 1.0, frames: int = 10) -> tuple[GasState, Grid]:
    course = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=10.0, v=10.0 * speed, ease="linear")))
    ball = BALL.model_copy(update={"position": (0.9, 1.2, 0.9), "shift_x": course})
    layer = GasLayer(
        id="gas",
        name="Gas",
        domain=DomainBox(origin=(0, 0, 0), size=(3.2, 2.4, 2.4), voxel=0.1, run_up=0.0, open_low=(True,) * 3),
        colliders=(Collider(id="c", name="C", prop="ball", wake=wake),),
        motion=Motion(lift=0, weight=0, drag=0, curls=0),
    )
    solver = GasSolver(layer, (), (ball,), 1, 24.0)
    state = solver.start()
    for _ in range(frames):
        state = solver.frame(state)
    return state, solver.grid


def test_a_moving_ball_leaves_a_wake_that_follows_it():
    state, grid = moving_ball(2.0)
    at = 0.9 + 2.0 * 10 / 24
    behind = round((at - 0.5) / 0.1)
    assert float(state.u[behind, 11:13, 11:13].mean()) > 0.3
    assert float(state.u[2, 2, 2]) < 0.1


def test_how_much_a_ball_drags_along_is_a_setting_and_so_is_its_sign():
    full, half, back = (
        float(moving_ball(2.0, wake, 4)[0].u[10:20, 11:13, 11:13].mean()) for wake in (1.0, 0.5, -0.5)
    )
    assert full > 1.5 * half > 0 > back


def centroid(carried: float) -> float:
    """Mean place, against the source, of what a source that runs along x has given."""
    course = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=1.0, v=2.0, ease="linear")))
    from tenka.effect.model import ramp

    source = Source(
        id="s",
        name="S",
        position=(0.6, 0.8, 0.8),
        size=(0.4, 0.4, 0.4),
        shift_x=course,
        breakup=0.0,
        temperature=0.0,
        grip=20.0,
        carried=ramp((0.0, 0.0), (1.0, carried)),
        carried_speed=2.0,
    )
    layer = GasLayer(
        id="gas",
        name="Gas",
        domain=DomainBox(origin=(0, 0, 0), size=(3.2, 1.6, 1.6), voxel=0.1, run_up=0.0),
        sources=(source,),
        motion=Motion(lift=0, weight=0, drag=0, curls=0),
    )
    solver = GasSolver(layer, (), (), 1, 24.0)
    state = solver.start()
    for _ in range(20):
        state = solver.frame(state)
    x, _, _ = centres(solver.grid)
    density = state.scalars[..., DENSITY]
    return float((density * x).sum() / density.sum()) - (0.6 + 2.0 * 20 / 24)


def test_what_a_running_source_gives_stays_behind_it_unless_it_is_thrown_ahead():
    thrown_back, left, carried = centroid(-0.5), centroid(0.0), centroid(1.0)
    assert thrown_back < left < 0 and left < carried
    assert left == pytest.approx(-1.0 * 20 / 24, abs=0.25)  # half of its way


def test_a_turning_door_gives_its_turning_speed():
    door = Prop(
        id="door",
        name="Door",
        size=(1.0, 0.1, 1.0),
        turn=Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=1, v=180, ease="linear"))),
    )
    layer = GasLayer(id="gas", name="Gas", colliders=(Collider(id="c", name="C", prop="door"),))
    (found,) = resolve(layer, (), (door,), 1, 24.0, 0.25, 1 / 24).colliders
    assert found.motion is not None
    np.testing.assert_allclose(found.motion.spin, [0, 0, math.pi], rtol=1e-6)
    np.testing.assert_allclose(
        np.linalg.norm(found.motion.at(np.array([[0.5, 0, 0.2]])), axis=1), math.pi / 2, rtol=1e-6
    )
