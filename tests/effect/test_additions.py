"""What can be added to an effect, and presets."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from build import small_effect

from tenka.base.errors import BadInput
from tenka.effect import presets, storage
from tenka.effect.additions import (
    LAYERS,
    reshaped,
    with_break,
    with_children,
    with_cue,
    with_fed_prop,
    with_new_layer,
    with_trail,
    without_cue,
    without_layer,
)
from tenka.effect.deliveries import paced, steadiness
from tenka.effect.document import edited, get, replaced
from tenka.effect.model import Effect, ParticleLayer, PointMotion, PointSource, timed
from tenka.effect.placed import ramp, ramp_at
from tenka.effect.starters import with_collider, with_prop
from tenka.look.shot import swapped
from tenka.pack.amiss import fading_loops


def dusty() -> Effect:
    source = PointSource(id="s", name="S", shape="surface", prop="box", rate=10.0)
    layer = ParticleLayer(id="dust", name="Dust", sources=(source,), motion=PointMotion(follows="puff"))
    return with_new_layer(small_effect(), layer)[0]


@pytest.mark.parametrize("name", LAYERS)
def test_each_layer_is_whole_and_survives_the_disk(name: str):
    for effect in (small_effect(), Effect()):
        made, path = with_new_layer(effect, LAYERS[name](effect))
        assert storage.loads(storage.dumps(made)) == made and path == f"layers.{made.layers[0].id}"


def test_layers_of_one_name_are_told_apart():
    effect = with_new_layer(dusty(), LAYERS["Dust"](dusty()))[0]
    assert [layer.id for layer in effect.layers] == ["dust_2", "dust", "puff"] and effect.layers[
        0
    ].name == "Dust 2"


def test_a_layer_goes_with_what_took_from_it():
    effect = with_children(with_trail(dusty(), "dust")[0], "dust")[0]
    assert len(effect.layers) == 3 and len(effect.gas().sources) == 2
    alone = without_layer(effect, "dust")
    assert len(alone.gas().sources) == 1 and not alone.layers[0].sources
    without_gas = without_layer(effect, "puff")
    assert (
        without_gas.layer("dust").motion.follows == ""
        and not without_gas.levers
        and not without_gas.tiers[0].levers
    )


def test_a_cue_that_goes_leaves_times_as_they_were():
    effect = replaced(with_cue(small_effect(), 0.5)[0], "layers.puff.sources.source.cue", "cue")
    assert timed(effect).layers[0].sources[0].delay == 0.5
    assert without_cue(effect, "cue").layers[0].sources[0].delay == 0.5
    with pytest.raises(BadInput, match="hangs on the cue 'cue', which is not in the effect"):
        replaced(effect, "cues", ())


def test_a_preset_comes_back_without_what_another_effect_has_not(tmp_path: Path):
    file = presets.keep(dusty().layer("dust"), "My fine dust", tmp_path)
    assert presets.all_presets(tmp_path) == [("My fine dust", file)]
    other, path = presets.with_preset(Effect(), file)
    layer = other.layers[0]
    assert (
        path == "layers.dust"
        and layer.name == "My fine dust"
        and layer.sources[0].shape == "sphere"
        and layer.motion.follows == ""
    )
    same, _ = presets.with_preset(small_effect(), file)
    assert same.layers[0].sources[0].prop == "box" and same.layers[0].motion.follows == "puff"


@pytest.mark.parametrize(
    "data, sentence",
    [
        (b"{", "broken off or not JSON"),
        (b"{}", "not a preset"),
        (b'{"tenka_preset": 1}', "field required"),
        (
            json.dumps(
                {
                    "tenka_preset": 1,
                    "name": "x",
                    "layer": {"kind": "particles", "id": "p", "name": "P", "most": -1},
                }
            ).encode(),
            "outside",
        ),
    ],
)
def test_a_bad_preset_is_one_sentence_and_is_not_offered(tmp_path: Path, data: bytes, sentence: str):
    (tmp_path / "bad.json").write_bytes(data)
    with pytest.raises(BadInput, match=sentence):
        presets.load(tmp_path / "bad.json")
    assert presets.all_presets(tmp_path) == []


def test_a_prop_breaks_into_a_layer_of_its_pieces():
    effect, path = with_prop(small_effect(), size=(0.5, 0.4, 0.6))
    effect, path = with_break(effect, path.split(".")[1], (0.0, 0.0, 0.3), 0.6)
    layer = get(effect, path)
    assert layer.breaks == layer.pieces.prop == "prop" and layer.props_used() == {"prop"}
    assert layer.sources[0].begins == pytest.approx(min(0.5, 0.25 * effect.seconds), abs=1e-3)
    assert swapped(effect, layer.sources[0].begins - 0.01) == set()
    assert swapped(effect, layer.sources[0].begins) == {"prop"}
    alone = layer.alone(set())  # as a preset is, where the prop is not
    assert alone.pieces.make == "sherds" and alone.sources[0].shape == "sphere" and alone.sources[0].burst > 0
    with pytest.raises(BadInput, match="not cut from a prop"):
        reshaped(effect.with_layer(alone), f"{path}.sources.blow", "pieces")


def test_the_heap_of_what_breaks_is_seen_as_long_as_it_stays():
    effect, path = with_prop(small_effect(), size=(0.5, 0.4, 0.6))
    effect, path = with_break(effect, path.split(".")[1], (0.0, 0.0, 0.3), 0.6)
    layer = get(effect, path)
    assert layer.sources[0].stays and ramp_at(layer.look.opacity_over, np.ones(1))[0] == 1.0


def test_what_splits_off_is_stopped_by_what_stopped_its_parents():
    effect, path = with_prop(small_effect(), size=(0.5, 0.4, 0.6))
    effect, sparks = with_new_layer(effect, LAYERS["Sparks"](effect))
    effect, stop = with_collider(effect, path.split(".")[1], sparks.split(".")[1])
    effect = replaced(effect, f"{sparks}.motion.ground", "stick")
    effect, path = with_children(effect, sparks.split(".")[1])
    assert get(effect, path).colliders == (get(effect, stop),)
    assert get(effect, path).motion.ground == "stick"


@pytest.mark.parametrize("starter", ("fire", "plume"))
def test_what_moves_begins_to_burn_or_smoke_where_it_sets_out_and_not_before(starter: str):
    effect, path = with_prop(small_effect().with_layers(()), size=(0.5, 0.4, 0.6))
    for moving in (False, True):
        found, source = with_fed_prop(effect, path.split(".")[1], starter, (0, 0, 0), (0.5, 0.4, 0.6), moving)
        run_up = found.gas(source.split(".")[1]).run_up_seconds
        assert run_up == 0.0 if moving else run_up > 0.0


def test_a_flipbook_that_is_looped_is_played_so_that_it_loops_by_one_edit():
    effect = small_effect()
    assert not fading_loops(effect)
    looped = edited(effect, "deliveries.puff.route.loop", True)
    player = looped.deliveries[0].route.player
    assert player.life == effect.deliveries[0].route.last - effect.deliveries[0].route.first
    assert player.life_spread == player.scatter == player.rotation == player.size_spread == 0.0
    assert steadiness(player) == 1.0 and not fading_loops(looped) and player.count == 1
    route = looped.deliveries[0].route
    assert paced(route, 1.25).life == 1.25  # what of it is played round and round, at its own pace
    by_hand = replaced(looped, "deliveries.puff.route.player.life", 7.0).deliveries[0].route
    assert (
        paced(by_hand, 1.25).life == 7.0
        and paced(effect.deliveries[0].route, None) == effect.deliveries[0].route.player
    )
    faded = replaced(looped, "deliveries.puff.route.player.alpha", ramp((0.0, 0.0), (0.2, 1.0), (1.0, 0.0)))
    faded = replaced(faded, "deliveries.puff.route.player.count", 1)
    assert steadiness(faded.deliveries[0].route.player) == 0.0
    found = fading_loops(faded)
    assert len(found) == 1 and found[0].mended is not None and not fading_loops(found[0].mended)
