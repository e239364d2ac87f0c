"""The demo data: what the script makes, at the scale it claims."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tenka.budget.cost import ledger
from tenka.cache.store import Frame
from tenka.demo import FOLDER, PLUME, grains, make, waterside, workshop
from tenka.effect import storage
from tenka.effect.model import Effect
from tenka.gas.grid import Grid
from tenka.run.frames import frame_of_state
from tenka.run.plans import Plan
from tenka.scene.files import load
from tenka.scene.props import prop_mesh, scene_mesh


def test_the_shipped_props_are_what_the_script_makes(tmp_path: Path):
    make.main(tmp_path)
    made = sorted(str(p.relative_to(tmp_path)) for p in tmp_path.rglob("*.*"))
    assert len(made) == 6 + len(workshop.PROPS) + len(grains.PROPS) + len(waterside.PROPS)
    for file in made:
        assert (tmp_path / file).read_bytes() == (FOLDER / file).read_bytes(), (
            f"run python -m tenka.demo.make ({file})"
        )


def test_the_figure_gives_scale():
    low, high = load(FOLDER / "props" / "figure.glb").bounds
    assert high[2] - low[2] == pytest.approx(1.75, abs=0.03) and high[0] - low[0] < 0.8


def test_the_flue_sits_in_the_chimneys_mouth_inside_the_domain():
    effect = storage.load(PLUME)
    source = effect.layers[0].sources[0]
    kiln = next(p for p in effect.props if p.id == "kiln")
    low, high = prop_mesh(kiln, (), FOLDER).bounds
    assert abs(source.position[2] - high[2]) < 0.3 and source.size[0] < 1.3
    grid = Grid.of(effect.layers[0].domain)
    inside = (np.asarray(source.position) - grid.origin) / np.asarray(grid.size)
    assert (inside > 0.05).all() and (inside < 0.95).all() and low[2] == pytest.approx(0.0, abs=0.01)


def test_props_are_low_poly_and_coloured():
    mesh = scene_mesh(storage.load(PLUME), FOLDER)
    assert 4000 < len(mesh.faces) < 20_000
    assert len(np.unique(mesh.colours.round(3), axis=0)) > 50 and mesh.colours.max() <= 1.0


def test_a_soloed_prop_is_alone_and_a_hidden_one_is_gone():
    effect = storage.load(PLUME)

    def faces(**changes: bool) -> int:
        first = effect.props[0].model_copy(update=changes)
        return len(scene_mesh(effect.model_copy(update={"props": (first, *effect.props[1:])}), FOLDER).faces)

    alone, without, all_ = faces(solo=True), faces(hidden=True), faces()
    assert alone + without == all_ and alone > 1000


def test_the_demo_has_a_run_up_tiers_levers_and_gusts():
    effect = storage.load(PLUME)
    assert isinstance(effect, Effect) and effect.layers[0].domain.run_up >= 2
    assert [t.device for t in effect.tiers] == ["satchel", "hearth", "tower"]
    assert {lever.id for lever in effect.levers} == {"sprites", "size"} and all(
        set(t.levers) == {"sprites", "size"} for t in effect.tiers
    )


def coarse(name: str, voxel: float, seconds: float) -> tuple[Effect, Grid, dict[int, Frame]]:
    """A shipped effect simulated coarsely for a while, and its frames."""
    effect = storage.load(FOLDER / f"{name}.tenka")
    layer = effect.layers[0]
    layer = layer.model_copy(update={"domain": layer.domain.model_copy(update={"voxel": voxel})})
    effect = effect.model_copy(update={"layers": (layer,), "seconds": seconds})
    plan = Plan.of(effect, None, FOLDER)
    solver = plan.solver()
    state, frames = solver.start(), {}
    for f in range(plan.first + 1, effect.frames):
        state = solver.frame(state)
        frames[f] = frame_of_state(state, solver.grid, work=solver.work)
    return effect, solver.grid, frames


def test_the_furnace_flares_with_the_bellows_and_its_flames_leave_the_mouth():
    _, grid, frames = coarse("furnace_mouth", 0.09, 1.6)
    flame = np.array([frames[f].meta["flame"] for f in range(38)])
    assert flame.max() > 1.7 * flame[8:].min() > 0
    at = frames[int(flame.argmax())]
    assert at.flame is not None
    outside = at.flame[:, : int((0.0 - grid.origin[1]) / grid.voxel)]
    assert float(outside.sum()) > 0.2 * float(at.flame.sum())


def test_the_hoppers_powder_turns_with_the_whirl_and_stays_over_the_sheet():
    effect, grid, frames = coarse("hopper_whirl", 0.1, 0.5)
    last = frames[max(frames)]
    x, y = np.meshgrid(grid.centres(0), grid.centres(1), indexing="ij")
    assert last.velocity is not None and last.dye is not None
    turning = (x[..., None] * last.velocity[1] - y[..., None] * last.velocity[0]) * last.density
    assert turning.sum() > 0 and last.density.max() > 0.3


def test_the_vapour_runs_down_the_steps_and_stays_low():
    _, grid, frames = coarse("cellar_vapour", 0.14, 1.0)
    density = frames[max(frames)].density.astype(np.float32)
    low = density[:, : int((1.2 - grid.origin[1]) / grid.voxel), : int(1.3 / grid.voxel)]
    assert (
        low.sum() > 0.3 * density.sum() and density[:, :, -1].sum() < 0.02 * density.sum()
    )  # the spill itself ends below the last


def test_the_shutter_blows_the_haze_about_when_it_slams():
    _, _, frames = coarse("shutter_slam", 0.11, 1.2)
    before, during = frames[9].meta["energy"], max(frames[f].meta["energy"] for f in range(14, 24))
    assert during > 2 * before


@pytest.mark.parametrize("name", ["kiln_plume", "furnace_mouth", "cellar_vapour"])
def test_a_demo_keeps_within_the_budgets_that_it_sets(name: str):
    effect = storage.load(FOLDER / f"{name}.tenka")
    for tier in effect.tiers:
        book = ledger(effect, tier.id)
        assert not book.over, f"{tier.name}: {book.ms:.3f} of {tier.ms} ms, {book.mb:.2f} of {tier.mb} MB"
