"""The part of the box that follows the gas, and flat boxes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import centres, closed, opened, small_effect, small_layer, with_layer

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import DomainBox, Effect, Fading, GasLayer, Motion, Source
from tenka.gas.grid import DENSITY, GasState, Grid
from tenka.gas.solver import GasSolver
from tenka.gas.window import BLOCK, moved_to, occupied, offset_of, part_of_box, window_for
from tenka.run.driver import simulate
from tenka.run.plans import Plan

BOX = opened((64, 64, 64), 0.1)


def test_occupied_finds_the_bounds_of_gas_and_heat():
    state = GasState.still(BOX)
    assert occupied(state) is None
    state.scalars[10, 20, 30, DENSITY] = 0.5
    state.scalars[12, 18, 40, 1] = -30.0
    assert occupied(state) == ((10, 13), (18, 21), (30, 41))


def test_a_window_holds_what_is_needed_with_its_margin_in_whole_blocks():
    grid = window_for(BOX, None, [((30, 34), (5, 9), (0, 3))], 0.3)
    first = offset_of(grid, BOX)
    assert all(n % BLOCK == 0 for n in (*first, *grid.shape))
    assert first == (24, 0, 0) and grid.shape == (16, 16, 16)
    assert grid.open_low == (True, True, True) and window_for(
        closed((64, 64, 64)), None, [((30, 34), (5, 9), (0, 3))], 0.3
    ).open_low == (True, False, False)


def test_a_window_stays_until_it_must_grow_and_shrinks_late():
    grid = window_for(BOX, None, [((30, 34),) * 3], 0.3)
    assert window_for(BOX, grid, [((30, 36),) * 3], 0.3) is grid
    grown = window_for(BOX, grid, [((30, 44),) * 3], 0.3)
    assert grown.shape > grid.shape and offset_of(grown, BOX) == offset_of(grid, BOX)
    assert window_for(BOX, grown, [((30, 36),) * 3], 0.3) is grown
    wide = window_for(BOX, None, [((2, 60),) * 3], 0.3)
    assert window_for(BOX, wide, [((30, 34),) * 3], 0.3).voxels < wide.voxels / 8


def test_moving_a_state_keeps_what_is_in_both_and_lets_velocity_go_on():
    rng = np.random.default_rng(0)
    old, new = part_of_box(BOX, ((8, 24), (8, 24), (0, 16))), part_of_box(BOX, ((16, 40), (0, 24), (0, 24)))
    state = GasState.still(old)
    state.scalars[:] = rng.random(state.scalars.shape)
    state.u[:] = rng.random(state.u.shape)
    moved = moved_to(old, new, BOX, state)
    np.testing.assert_array_equal(moved.scalars[:8, 8:24, :16], state.scalars[8:])
    assert (
        not moved.scalars[8:].any() and not moved.scalars[:, :8].any() and not moved.scalars[:, :, 16:].any()
    )
    np.testing.assert_array_equal(moved.u[:9, 8:24, :16], state.u[8:])
    np.testing.assert_array_equal(moved.u[20, 8:24, :16], state.u[-1])


def puff(follow: bool) -> Effect:
    source = Source(
        id="s",
        name="S",
        position=(0, 0, 0.6),
        size=(0.6, 0.6, 0.4),
        density=8.0,
        temperature=300.0,
        end=0.4,
        start=0.0,
        breakup=0.3,
    )
    layer = GasLayer(
        id="gas",
        name="Gas",
        domain=DomainBox(
            origin=(-3.2, -3.2, 0), size=(6.4, 6.4, 6.4), voxel=0.1, run_up=0.0, follow=follow, margin=1.0
        ),
        sources=(source,),
        motion=Motion(),
        fading=Fading(half_life=2.3, heat_half_life=1.4),
    )
    return Effect(name="Puff", seconds=1.2, layers=(layer,))


def run(effect: Effect) -> tuple[GasState, GasSolver, float]:
    solver = GasSolver(effect.layers[0], effect.forces, effect.props, 1, 24.0)
    state, voxels = solver.start(), 0.0
    for _ in range(24):
        state = solver.frame(state)
        voxels += solver.grid.voxels / 24
    return state, solver, voxels


def test_following_the_gas_gives_what_the_whole_box_gives_for_a_part_of_its_voxels():
    part, solver, mean_voxels = run(puff(True))
    full, whole, _ = run(puff(False))
    inside = tuple(slice(o, o + n) for o, n in zip(offset_of(solver.grid, solver.box), solver.grid.shape))
    a, b = part.scalars[..., DENSITY], full.scalars[..., DENSITY][inside]
    assert full.scalars[..., DENSITY].sum() == pytest.approx(
        float(b.sum()), rel=1e-3
    )  # nothing visible was left outside
    assert mean_voxels < 0.12 * whole.grid.voxels
    assert a.sum() == pytest.approx(float(b.sum()), rel=0.02)
    assert np.abs(a - b).mean() < 0.04 * b[b > 0.01].mean()
    x, y, z = (g[inside] for g in centres(whole.grid))
    assert (a * z).sum() / a.sum() == pytest.approx(float((b * z).sum() / b.sum()), abs=0.03)


def resumes_alike(effect: Effect, broken_at: int, folder: Path) -> None:
    """A run that was broken off ends with the same bytes as a whole one."""
    plan = Plan.of(effect)
    whole, broken = FrameStore(folder / "a"), FrameStore(folder / "b")
    simulate(plan, whole, Progress())
    simulate(plan, broken, Progress(), (0, broken_at))
    simulate(Plan.of(effect), FrameStore(folder / "b"), Progress())
    last = plan.name(effect.frames - 1)
    a, b = whole.get_frame(last, velocity=True), FrameStore(folder / "b").get_frame(last, velocity=True)
    assert a is not None and b is not None and a.origin == b.origin
    np.testing.assert_array_equal(a.density, b.density)
    np.testing.assert_array_equal(a.velocity, b.velocity)


def test_a_run_that_follows_resumes_to_the_same_bytes(tmp_path: Path):
    effect = with_layer(
        small_effect(seconds=1.2),
        domain=DomainBox(origin=(-2, -2, 0), size=(4, 4, 4), voxel=0.1, run_up=0.25, follow=True, margin=0.3),
    )
    resumes_alike(effect, 16, tmp_path)


def puffs(follow: bool, **changes: object) -> Effect:
    """Three small puffs in the corners of a wide box."""
    effect = puff(follow)
    layer = effect.gas()
    (one,) = layer.sources
    places = ((-3.4, -3.4, 0.6), (3.4, 3.4, 0.6), (-3.2, 3.4, 3.0))
    sources = tuple(
        one.model_copy(update={"id": f"s{n}", "position": place}) for n, place in enumerate(places)
    )
    domain = layer.domain.model_copy(
        update={"origin": (-4.8, -4.8, 0.0), "size": (9.6, 9.6, 6.4), "margin": 0.8, **changes}
    )
    return effect.with_layers((layer.model_copy(update={"sources": sources, "domain": domain}),))


def test_puffs_far_apart_are_as_in_the_whole_box_and_cost_what_they_fill():
    islands, solver, _ = run(puffs(True))
    full, whole, _ = run(puffs(False))
    assert len(solver._islands) == 3
    filled = sum(island.grid.voxels for island in solver._islands)
    assert filled < 0.2 * whole.grid.voxels
    inside = tuple(slice(o, o + n) for o, n in zip(offset_of(solver.grid, solver.box), solver.grid.shape))
    a, b = islands.scalars[..., DENSITY], full.scalars[..., DENSITY][inside]
    x, y, z = (g[inside] for g in centres(whole.grid))
    for low, near in ((0, (x < 0) & (y < 0)), (1, x > 0), (2, (x < 0) & (y > 0))):
        assert a[near].sum() == pytest.approx(float(b[near].sum()), rel=0.02), low
        height = [float((f[near] * z[near]).sum() / f[near].sum()) for f in (a, b)]
        assert height[0] == pytest.approx(height[1], abs=0.03)
    assert solver.work.figures["sources"].keys() <= {"s0", "s1", "s2"}


def test_islands_meet_part_and_end_without_losing_smoke():
    """Two puffs blown against each other: two windows, then one; what is in them never jumps."""
    effect = puffs(True, size=(9.6, 9.6, 3.2), margin=0.4)
    layer = effect.gas()
    pair = tuple(
        s.model_copy(
            update={
                "position": (side * 3.4, 0.0, 1.2),
                "push": (-side * 8.0, 0, 0),
                "temperature": 0.0,
                "grip": 30.0,
            }
        )
        for s, side in zip(layer.sources[:2], (-1, 1))
    )
    kept = layer.model_copy(update={"sources": pair, "fading": Fading(half_life=3600.0)})
    solver = GasSolver(kept, (), (), 1, 24.0)
    state, counts, amounts = solver.start(), [], []
    for _ in range(60):
        state = solver.frame(state)
        counts.append(len(solver._islands))
        amounts.append(float(state.scalars[..., DENSITY].sum()))
    assert 2 in counts and counts[-1] == 0  # none: it is one
    late = np.array(amounts[11:])  # nothing is given any more
    assert np.abs(np.diff(late)).max() < 0.004 * late[0]
    assert late[-1] == pytest.approx(late[0], rel=0.03)


def test_a_run_with_islands_resumes_to_the_same_bytes(tmp_path: Path):
    resumes_alike(puffs(True).model_copy(update={"seconds": 0.8}), 9, tmp_path)


def test_a_flat_box_is_what_a_box_that_is_the_same_all_along_y_gives():
    """A 2D reference: sources that do not vary along y, between closed walls, stay the same along y."""
    source = Source(
        id="s",
        name="S",
        shape="box",
        position=(0, 0, 0.4),
        size=(0.6, 50.0, 0.3),
        density=6.0,
        temperature=200.0,
        breakup=0.0,
    )
    domain = DomainBox(
        origin=(-1, -0.25, 0),
        size=(2, 0.5, 2),
        voxel=0.1,
        run_up=0.0,
        open_low=(True, False, False),
        open_high=(True, False, True),
    )
    still = Motion(curls=0.0)

    def densities(flat: bool) -> np.ndarray:
        layer = small_layer().model_copy(
            update={"domain": domain.model_copy(update={"flat": flat}), "sources": (source,), "motion": still}
        )
        solver = GasSolver(layer, (), (), 1, 24.0)
        state = solver.start()
        for _ in range(10):
            state = solver.frame(state)
        assert solver.grid.shape == ((20, 1, 20) if flat else (20, 5, 20))
        return state.scalars[..., DENSITY]

    deep, flat = densities(False), densities(True)
    assert np.ptp(deep, axis=1).max() < 1e-4
    np.testing.assert_allclose(flat[:, 0], deep[:, 2], atol=1e-4)


def test_a_flat_layer_is_simulated_stored_and_drawn(tmp_path: Path):
    from tenka.look.render import Renderer
    from tenka.scene.cameras import view_of
    from tenka.scene.props import scene_mesh

    effect = with_layer(
        small_effect(),
        domain=DomainBox(origin=(-1, -1, 0), size=(2, 2, 2), voxel=0.1, run_up=0.25, flat=True),
    )
    plan = Plan.of(effect)
    simulate(plan, FrameStore(tmp_path), Progress())
    frame = FrameStore(tmp_path).get_frame(plan.name(11), velocity=True)
    assert frame is not None and frame.shape == (20, 1, 20) and frame.meta["wall"][2:4] == [0.0, 0.0]
    renderer, view = Renderer(), view_of(effect.camera, 120, 80)
    mesh = scene_mesh(effect, None)
    with_gas = renderer.draw(frame, effect.layers[0].look, effect.light, view, mesh)
    assert with_gas.alpha.max() > 0.02
    assert Grid.of(effect.layers[0].domain).origin[1] == pytest.approx(-0.05)
