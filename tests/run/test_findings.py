"""What is told of a gas that asks for what it cannot get."""

from __future__ import annotations

from pathlib import Path

import pytest
from build import small_effect, small_layer

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.additions import LAYERS, with_new_layer, with_trail
from tenka.effect.document import replaced
from tenka.effect.model import Collider, DomainBox, Effect, Fading, GasLayer, Motion, Prop, Source, Wind, ramp
from tenka.run.driver import figures_of, simulate
from tenka.run.findings import cut_offs, of_gas
from tenka.run.plans import Plan


def told(effect: Effect, folder: Path) -> list[str]:
    """Sentences about an effect's first gas once it was simulated, but for walls that cut it off."""
    store, plan = FrameStore(folder), Plan.of(effect)
    simulate(plan, store, Progress())
    found = of_gas(effect, effect.gas(), figures_of(plan, store))
    return [f.text for f in found if "cut off" not in f.text]


def puff(source: dict[str, object], **changes: object) -> Effect:
    layer = small_layer(voxel=0.1, motion=Motion(curls=0.0, lift=0.0), **changes)
    sources = (layer.sources[0].model_copy(update={"breakup": 0.0, "temperature": 0.0, **source}),)
    return small_effect(layers=(layer.model_copy(update={"sources": sources}),), forces=())


def test_curls_that_voxels_or_box_cannot_hold_are_told():
    few, none = ramp((0.0, 1.0)), ramp((0.0, 0.0), (0.45, 0.0), (0.55, 1.0), (0.65, 0.0))
    layer = small_layer(voxel=0.1, motion=Motion(curls=2.0, curl_sizes=few))
    fine, broad = (f.text for f in of_gas(small_effect(layers=(layer,)), layer, {}))
    assert "none under 28 cm" in fine and "44 %" in fine  # four of nine octaves
    assert "any over 1.0 m" in broad and "33 %" in broad
    kept = small_layer(voxel=0.1, motion=Motion(curls=2.0, curl_sizes=none))
    assert not of_gas(small_effect(layers=(kept,)), kept, {})
    off = small_layer(voxel=0.1, motion=Motion(curls=0.0, curl_sizes=few))
    assert not of_gas(small_effect(layers=(off,)), off, {})


def test_a_source_thinner_than_a_voxel_is_told(tmp_path: Path):
    (text,) = told(puff({"size": (0.06, 0.06, 0.06), "push": (0.0, 0.0, 0.0)}), tmp_path)
    assert "Flue" not in text and "of one voxel" in text and "0.1" in text


@pytest.mark.parametrize(("grip", "is_told"), ((0.3, True), (30.0, False)))
def test_a_push_that_is_not_reached_is_told_with_a_mend(grip: float, is_told: bool, tmp_path: Path):
    effect = puff({"push": (0.0, 0.0, 4.0), "grip": grip})
    found = told(effect, tmp_path)
    assert bool(found) == is_told
    if is_told:
        assert "of its push of 4.0 m/s" in found[0]
        store, plan = FrameStore(tmp_path), Plan.of(effect)
        (weak,) = (f for f in of_gas(effect, effect.gas(), figures_of(plan, store)) if "push" in f.text)
        assert weak.mended is not None and weak.mended.gas().sources[0].grip == pytest.approx(1.2)


def test_a_push_into_a_wall_is_told(tmp_path: Path):
    effect = puff(
        {"push": (4.0, 0.0, 0.0), "position": (0.0, 0.0, 0.6), "size": (0.5, 0.5, 0.5), "grip": 20.0}
    )
    shut = effect.gas().domain.model_copy(update={"open_low": (False,) * 3, "open_high": (False,) * 3})
    walls = tuple(
        Prop(id=f"w{n}", name="Wall", size=(0.3, 2.0, 2.0), position=(x, 0, 0))
        for n, x in enumerate((-0.3, 0.3))
    )
    stops = tuple(Collider(id=f"c{n}", name="C", prop=f"w{n}") for n in range(2))
    layer = effect.gas().model_copy(update={"domain": shut, "colliders": stops})
    found = told(effect.model_copy(update={"layers": (layer,), "props": walls}), tmp_path)
    assert any("of its push" in text for text in found)


def test_a_push_outwards_is_reached_and_not_told(tmp_path: Path):
    source: dict[str, object] = {
        "push": (0.0, 0.0, 0.0),
        "outward": 2.0,
        "grip": 20.0,
        "position": (0, 0, 1.0),
    }
    assert not told(puff({**source, "size": (0.8, 0.8, 0.8)}), tmp_path)


def test_a_source_that_gives_nothing_is_not_told(tmp_path: Path):
    assert not told(puff({"emission": 0.0, "size": (0.05, 0.05, 0.05)}), tmp_path)
    assert isinstance(puff({}).gas().sources[0], Source)


def test_a_mend_of_a_cut_box_grows_it_by_what_is_needed(tmp_path: Path):
    """A plume in a box that is far too low and narrow: at most three mends, each told with its cost."""
    source = Source(id="s", name="S", position=(0.3, 0, 0.3), size=(0.3, 0.3, 0.2), density=6.0, end=0.6)
    layer = GasLayer(
        id="gas",
        name="Plume",
        domain=DomainBox(origin=(-0.6, -0.6, 0), size=(1.2, 1.2, 0.9), voxel=0.1, run_up=0.0),
        sources=(source,),
        fading=Fading(half_life=0.5),
    )
    effect = Effect(seconds=2.0, layers=(layer,), forces=(Wind(id="w", name="W", speed=1.0),))
    store = FrameStore(tmp_path)
    mends = 0
    while mends < 5:
        plan = Plan.of(effect, "gas")
        simulate(plan, store, Progress())
        frames = {f: plan.read(store, f).meta for f in range(effect.frames)}
        cut = cut_offs(effect, plan.layer, frames)
        if not cut:
            break
        assert len({f.mend for f in cut}) == 1 and "times the voxels" in cut[0].mend
        assert cut[0].mended is not None
        effect, mends = cut[0].mended, mends + 1
    assert 1 <= mends <= 3
    grown = effect.gas("gas").domain
    assert grown.origin[1] > -3.0 and grown.size[2] < 8.0  # and not without bounds


def test_what_is_too_small_to_give_is_told_and_mended():
    effect, _ = with_new_layer(small_effect(), LAYERS["Sparks"](small_effect()))
    effect, path = with_trail(effect, "sparks")
    assert not [f for f in of_gas(effect, effect.gas(), {}) if "gives nothing" in f.text]
    effect = replaced(effect, f"{path}.point_least", 0.09)
    (found,) = (f for f in of_gas(effect, effect.gas(), {}) if "gives nothing" in f.text)
    assert found.mended is not None
    assert not [f for f in of_gas(found.mended, found.mended.gas(), {}) if "gives nothing" in f.text]
