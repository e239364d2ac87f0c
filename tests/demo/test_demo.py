"""The demo data: what the script makes, at the scale it claims."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tenka.demo import FOLDER, PLUME, make
from tenka.effect import storage
from tenka.effect.model import Effect
from tenka.gas.grid import Grid
from tenka.scene.meshes import load, prop_mesh, scene_mesh


def test_the_shipped_files_are_what_the_script_makes(tmp_path: Path):
    make.main(tmp_path)
    for file in ("kiln_plume.tenka", *(f"props/{n}.glb" for n in ("kiln", "yard", "low_wall", "figure"))):
        assert (tmp_path / file).read_bytes() == (FOLDER / file).read_bytes(), f"run python -m tenka.demo.make ({file})"


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
    assert {lever.id for lever in effect.levers} == {"sprites", "size"} and all(set(t.levers) == {"sprites", "size"} for t in effect.tiers)
