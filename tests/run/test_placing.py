"""What is likely wrong with how an effect is set up: each is found, is not found where all is well, and is
gone after its mend."""

from __future__ import annotations

from pathlib import Path

import pytest
import trimesh
from build import small_effect

from tenka.demo import FOLDER
from tenka.effect import storage
from tenka.effect.additions import LAYERS, with_cue, with_new_layer
from tenka.effect.courses import Key, Keys, Wave
from tenka.effect.document import replaced
from tenka.effect.liquid import LiquidCollider
from tenka.effect.model import Collider, Effect, Prop
from tenka.effect.placed import ramp
from tenka.effect.starters import STARTERS, empty, with_camera
from tenka.effect.things import removed
from tenka.run.findings import Finding
from tenka.run.placing import placing

SOURCE = f"layers.puff.sources.{small_effect().gas().sources[0].id}"


def clean() -> Effect:
    """The small effect with a source of three voxels."""
    voxel = small_effect().gas().domain.voxel
    return replaced(small_effect(), f"{SOURCE}.size", (4 * voxel, 4 * voxel, 4 * voxel))


def only(effect: Effect, words: str) -> Finding:
    """The one finding with these words, among no others."""
    found = placing(effect)
    assert len(found) == 1 and words in found[0].text, [f.text for f in found]
    return found[0]


def mended(found: Finding) -> None:
    assert found.mended is not None and placing(found.mended) == []


def test_nothing_is_found_where_all_is_well() -> None:
    assert placing(clean()) == []


@pytest.mark.parametrize("name", sorted(f.stem for f in FOLDER.glob("*.tenka")))
def test_nothing_is_found_in_the_demos(name: str) -> None:
    assert [f.text for f in placing(storage.load(FOLDER / f"{name}.tenka"), FOLDER)] == []


@pytest.mark.parametrize("name", STARTERS)
def test_nothing_is_found_in_the_starters(name: str) -> None:
    assert [f.text for f in placing(STARTERS[name](empty()))] == []


def test_a_source_outside_the_box_and_from_when() -> None:
    found = only(replaced(clean(), f"{SOURCE}.position", (30.0, 0.0, 1.0)), "is outside the box of Puff: ")
    mended(found)
    way = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.5, v=20.0)))
    found = only(replaced(clean(), f"{SOURCE}.shift_x", way), "is outside the box of Puff from 0.")
    mended(found)


def test_a_source_thinner_than_two_voxels() -> None:
    voxel = clean().gas().domain.voxel
    mended(only(replaced(clean(), f"{SOURCE}.size", (1.0, 1.0, voxel)), "thin where a voxel"))
    curve = replaced(replaced(clean(), f"{SOURCE}.shape", "curve"), f"{SOURCE}.thickness", 0.5 * voxel)
    mended(only(curve, "thin where a voxel"))


def test_what_never_gives_and_what_gives_nothing() -> None:
    only(replaced(clean(), f"{SOURCE}.start", 40.0), "never gives anything")
    effect = clean()
    for name in ("density", "temperature", "fuel", "expansion", "outward"):
        effect = replaced(effect, f"{SOURCE}.{name}", 0.0)
    only(replaced(effect, f"{SOURCE}.push", (0.0, 0.0, 0.0)), "gives nothing")
    short = replaced(clean(), f"{SOURCE}.start", 0.2)
    assert placing(replaced(short, f"{SOURCE}.end", 0.205)) == []  # between the moments that are looked at


def with_stop(position: tuple[float, float, float], **more: object) -> Effect:
    effect = clean()
    prop = Prop(id="ball", name="Ball", shape="sphere", position=position, size=(0.4, 0.4, 0.4), **more)
    gas = effect.gas().model_copy(update={"colliders": (Collider(id="stop", name="Stop", prop="ball"),)})
    return effect.model_copy(update={"props": (*effect.props, prop)}).with_layer(gas)


def test_a_collider_that_touches_nothing_and_one_that_leaves() -> None:
    assert placing(with_stop((0.0, 0.0, 1.0))) == []
    only(with_stop((20.0, 0.0, 1.0)), "Ball stops nothing of Puff: it stands outside its box")
    away = Wave(base=20.0, amount=0.1, period=1.0)
    only(with_stop((0.0, 0.0, 1.0), shift_x=away), "Ball stops nothing of Puff: it never comes into")
    leaves = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.5, v=5.0)))
    mended(only(with_stop((0.0, 0.0, 1.0), shift_x=leaves), "Ball leaves the box of Puff from 0."))


def test_fuel_that_nothing_burns_lights_or_gives() -> None:
    fuelled = replaced(clean(), f"{SOURCE}.fuel", 1.0)
    mended_ = only(replaced(fuelled, f"{SOURCE}.temperature", 900.0), "gives fuel, and Puff does not burn")
    mended(mended_)
    burns = replaced(fuelled, "layers.puff.fire.burns", True)
    mended(only(replaced(burns, f"{SOURCE}.temperature", 20.0), "Nothing lights the fuel of Puff"))
    only(replaced(clean(), "layers.puff.fire.burns", True), "burns, and nothing gives it fuel")


def test_a_flame_that_goes_out_under_its_fuel_is_told_from_the_frames() -> None:
    burns = replaced(replaced(clean(), f"{SOURCE}.fuel", 1.0), "layers.puff.fire.burns", True)
    burns = replaced(burns, f"{SOURCE}.temperature", 900.0)
    alight = {f: {"fuel": 0.01, "burnt": 0.01} for f in range(12)}
    assert placing(burns, None, {"puff": alight}) == []
    out = {f: {"fuel": 0.01 + 0.02 * f, "burnt": 0.01 if f < 4 else 0.0} for f in range(12)}
    assert "goes out at 0.12 s" in placing(burns, None, {"puff": out})[0].text
    spent = {f: {"fuel": 0.0, "burnt": 0.01 if f < 4 else 0.0} for f in range(12)}
    assert placing(burns, None, {"puff": spent}) == []


def test_forces_that_are_set_to_nothing() -> None:
    assert "Wind does nothing: its grip is 0" in only(replaced(clean(), "forces.wind.grip", 0.0), "Wind").text
    only(replaced(clean(), "forces.eddies.strength", 0.0), "Eddies does nothing")
    moving = Keys(keys=(Key(t=0.0, v=0.0), Key(t=0.4, v=2.0)))
    assert placing(replaced(clean(), "forces.wind.speed", moving)) == []


def test_a_mesh_that_is_ruined_by_its_thinning(tmp_path: Path) -> None:
    trimesh.creation.torus(1.0, 0.06, 96, 24).export(tmp_path / "hoop.ply")
    prop = Prop(id="hoop", name="Hoop", shape="mesh", file="hoop.ply", keep=0.01)
    effect = clean().model_copy(update={"props": (*clean().props, prop)})
    found = placing(effect, tmp_path)
    assert len(found) == 1 and "Hoop is ruined by its thinning" in found[0].text
    assert found[0].mended is not None and found[0].mended.props[-1].keep == pytest.approx(0.03)
    fine = effect.model_copy(update={"props": (prop.model_copy(update={"keep": 0.5}),)})
    assert placing(fine, tmp_path) == []


def test_what_begins_where_no_camera_sees_it_is_told():
    effect, path = with_camera(storage.load(FOLDER / "kiln_plume.tenka"))
    assert not [f for f in placing(effect, FOLDER) if "no camera" in f.text]
    away = replaced(effect, f"{path}.position", (500.0, 0.0, 1.0))
    (told,) = [f.text for f in placing(away, FOLDER) if "no camera" in f.text]
    assert "Camera 1" in told
    # one that looks back is enough
    both, _ = with_camera(away)
    assert not [f for f in placing(both, FOLDER) if "no camera" in f.text]


def test_what_is_seen_and_not_delivered_is_told_with_a_mend():
    effect = small_effect()
    assert not [f for f in placing(effect) if "no delivery" in f.text]
    bare = removed(effect, "deliveries.puff")
    (told,) = [f for f in placing(bare) if "no delivery" in f.text]
    assert "Puff" in told.text and told.mended is not None
    assert told.mended.deliveries_of("puff") and not [
        f for f in placing(told.mended) if "no delivery" in f.text
    ]
    hidden = replaced(bare, "layers.puff.hidden", True)
    assert not [f for f in placing(hidden) if "no delivery" in f.text]


def mend_of(found: list[Finding], words: str) -> Effect:
    """What a finding's mend makes of the effect."""
    hit = next(f for f in found if words in f.text)
    assert hit.mended is not None, hit.text
    return hit.mended


def test_a_source_inside_a_prop_that_stops_its_layer_is_told_with_a_mend():
    effect = small_effect()
    source = effect.gas().sources[0]
    size = tuple(2.0 * float(s) for s in source.size)
    x, y, z = source.position
    place = (x, y, z - 0.5 * size[2])
    box = Prop(id="crate", name="Crate", shape="box", position=place, size=size)
    gas = effect.gas().model_copy(update={"colliders": (Collider(id="stop", name="Stop", prop="crate"),)})
    effect = effect.model_copy(update={"props": (box,)}).with_layer(gas)
    words = "lies inside Crate"
    assert not any(words in f.text for f in placing(mend_of(placing(effect), words)))
    beside = replaced(effect, "props.crate.position", (x + 3.0 * size[0], y, place[2]))
    assert not any(words in f.text for f in placing(beside))


def test_a_source_that_gives_before_its_cue_is_told_with_a_mend():
    effect, _ = with_cue(small_effect(), 0.3)
    path = "layers.puff.sources.source"
    effect = replaced(replaced(effect, f"{path}.cue", effect.cues[0].id), f"{path}.start", -60.0)
    words = "before its cue"
    assert not any(words in f.text for f in placing(mend_of(placing(effect), words)))
    late = replaced(effect, f"{path}.start", 0.1)
    assert not any(words in f.text for f in placing(late))


@pytest.mark.parametrize("over", ("opacity_over", "size_over"))
def test_pieces_that_stay_and_are_hidden_by_a_ramp_are_told_with_a_mend(over: str):
    effect, path = with_new_layer(empty(), LAYERS["Debris"](empty()))
    layer = effect.layer(path.split(".")[1])
    source = f"{path}.sources.{layer.sources[0].id}.stays"
    ending = ramp((0.0, 1.0), (1.0, 0.0))
    whole = ramp((0.0, 1.0), (1.0, 1.0))
    effect = replaced(replaced(effect, f"{path}.look.opacity_over", whole), f"{path}.look.{over}", ending)
    words = "nothing is seen of it"
    assert not any(words in f.text for f in placing(effect))  # they die by then
    effect = replaced(effect, source, True)
    assert not any(words in f.text for f in placing(mend_of(placing(effect), words)))


def test_a_vessel_whose_walls_are_thinner_than_the_liquids_voxels_is_told(tmp_path: Path):
    outer, inner = trimesh.creation.box((1.0, 1.0, 0.6)), trimesh.creation.box((0.98, 0.98, 0.58))
    inner.invert()
    trimesh.util.concatenate([outer, inner]).export(tmp_path / "vat.obj")
    effect, path = with_new_layer(empty(), LAYERS["Liquid"](empty()))
    liquid = effect.layer(path.split(".")[1])
    vat = Prop(id="vat", name="Vat", shape="mesh", file=str(tmp_path / "vat.obj"))
    stop = LiquidCollider(id="vat", name="Vat", prop="vat")
    tank = liquid.tank.model_copy(update={"voxel": 0.04})
    effect = effect.model_copy(update={"props": (vat,)}).with_layer(
        liquid.model_copy(update={"colliders": (stop,), "tank": tank})
    )
    words = "it runs through them"
    assert not any(words in f.text for f in placing(mend_of(placing(effect), words)))
    fine = replaced(effect, f"{path}.tank.voxel", 0.008)
    assert not any(words in f.text for f in placing(fine))
