"""Particles and water: what comes off where it is torn, what falls back, and the rings that it leaves."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from build import all_frames

from tenka.base.errors import BadInput
from tenka.effect import storage
from tenka.effect.additions import reshaped, without_layer
from tenka.effect.document import replaced
from tenka.effect.model import (
    BasinBox,
    Effect,
    Ends,
    ParticleLayer,
    PointMotion,
    PointSource,
    WaterLayer,
    WaterSource,
)
from tenka.effect.things import as_text, pasted
from tenka.water.felt import WaterField


def effect(rings: float = 0.0, **more: Any) -> Effect:
    """A spout that tears 0.09 square metres of a pool, what comes off them, and rings where it falls."""
    spout = WaterSource(
        id="spout", name="Spout", shape="box", flow=0.0, size=(0.3, 0.3, 0.3), position=(0, 0, 0), foams=9.0
    )
    back = WaterSource(id="back", name="Back", shape="particles", of="spray", strikes=rings)
    water = WaterLayer(
        id="pool",
        name="Pool",
        basin=BasinBox(origin=(-1.0, -1.0, -0.5), size=(2.0, 2.0, 1.0), depth=0.5, cell=0.05),
        sources=(spout, back) if rings else (spout,),
    )
    off = PointSource(
        id="off",
        name="Off",
        shape="water",
        of="pool",
        rate=4000.0,
        speed=1.5,
        spread=20.0,
        life=3.0,
        width=0.01,
    )
    spray = ParticleLayer(
        id="spray",
        name="Spray",
        sources=(off,),
        motion=PointMotion(drag=0.0, ground="none"),
        ends=Ends(in_water="pool"),
        **more,
    )
    return Effect(layers=(water, spray), seconds=1.0)


def test_as_many_come_off_as_the_torn_area_says(tmp_path: Path):
    frames, plans = all_frames(effect(), tmp_path)
    assert len(plans["spray"].group) == 1  # the water does not ask for them: they read its stored frames
    torn = [float(f.torn.sum()) * 0.05**2 for f in frames["pool"]]
    assert torn[-1] == pytest.approx(0.09, rel=0.02)
    born = sum(f.meta["born"] for f in frames["spray"][1:])
    assert born == pytest.approx(4000.0 * 0.09 * 23 / 24, rel=0.08)
    places = np.concatenate([f.points.place[f.points.born > f.time - 1 / 24] for f in frames["spray"][1:]])
    assert np.abs(places[:, :2]).max() < 0.3


def test_what_falls_back_dies_at_the_surface(tmp_path: Path):
    frames, _ = all_frames(effect(), tmp_path)
    last = frames["spray"][-1].points
    assert len(last) > 20 and last.place[:, 2].min() > -0.12
    # up at 1.5 m/s and down again takes 0.31 s: as many die as were born that long ago
    died = sum(f.meta["died"] for f in frames["spray"])
    born = [f.meta["born"] for f in frames["spray"]]
    early = sum(born[: round((1.0 - 0.31) * 24)])
    assert died == pytest.approx(early, rel=0.12)
    free = replaced(effect(), "layers.spray.ends.in_water", "")
    frames, _ = all_frames(free, tmp_path)
    assert frames["spray"][-1].points.place[:, 2].min() < -0.5


@pytest.mark.parametrize("steps", [2, 8])
def test_births_do_not_hang_on_the_steps(steps: int, tmp_path: Path):
    one, _ = all_frames(effect(), tmp_path)
    other, _ = all_frames(effect(steps=steps), tmp_path)
    for f in (5, 20):
        a, b = (frames["spray"][f].points for frames in (one, other))
        young_a, young_b = (p.id[p.born > one["spray"][f].time - 0.1] for p in (a, b))
        assert len(young_a) > 10
        assert len(np.intersect1d(young_a, young_b)) > 0.9 * max(len(young_a), len(young_b))


def test_rings_are_left_where_they_fall_and_the_two_go_as_one(tmp_path: Path):
    frames, plans = all_frames(effect(rings=0.02), tmp_path)
    assert set(plans["spray"].group) == {"pool", "spray"}
    still, _ = all_frames(effect(), tmp_path / "b")
    a, b = frames["pool"][-1], still["pool"][-1]
    assert float(a.rise.std()) > 3 * float(b.rise.std())
    assert abs(a.meta["astray"]) < 1e-5 * a.meta["volume"]  # rings make no water
    again, _ = all_frames(effect(rings=0.02), tmp_path / "c")
    assert again["pool"][-1].rise.tobytes() == a.rise.tobytes()


def test_a_field_of_water_is_read_between_cells_and_moments():
    x = np.linspace(0, 1, 11)[:, None] + np.zeros((11, 6))
    field = WaterField(x, x + 1.0, np.full((11, 6), 5.0), x, x, x, (2.0, 3.0), 0.1, -1.0, 0.0, 2.0)
    at = np.array([[2.05, 3.2], [2.55, 3.33], [2.10, 3.2], [9.0, 3.2]])
    found = field.height(at, np.array([0.0, 1.0, 2.0, 1.0]))
    assert found[:3] == pytest.approx([-1.0, -1.0 + 0.5 + 0.5, -1.0 + 0.05 + 1.0]) and np.isnan(found[3])
    assert field.rising == pytest.approx(np.full((11, 6), 0.5))


def test_the_document_holds_them_and_lets_go_of_what_is_gone(tmp_path: Path):
    both = effect(rings=0.02)
    storage.save(both, tmp_path / "e.tenka")
    assert storage.load(tmp_path / "e.tenka") == both
    bare = without_layer(both, "pool")
    assert bare.layers[0].sources == () and bare.layers[0].ends.in_water == ""
    dry = without_layer(both, "spray")
    assert [s.id for s in dry.layers[0].sources] == ["spout"]
    source = reshaped(effect(), "layers.spray.sources.off", "water")
    assert source.of == "pool"
    with pytest.raises(BadInput, match="hands over a water"):
        reshaped(bare, "layers.spray.sources.off", "water") if bare.layers[0].sources else _no_water(bare)
    with pytest.raises(BadInput, match="hands over particles and not a water"):
        replaced(both, "layers.spray.sources.off.of", "spray")
    text = as_text(both, "layers.pool.sources.spout")
    found, path = pasted(both, text, "layers.pool")
    assert path.startswith("layers.pool.sources.spout") and len(found.layers[0].sources) == 3


def _no_water(effect: Effect) -> None:
    source = PointSource(id="off", name="Off")
    spray = effect.layers[0].model_copy(update={"sources": (source,)})
    reshaped(effect.with_layer(spray), "layers.spray.sources.off", "water")
