"""Deliveries in the document: old files, tiers with values of their own, and what comes and goes."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from build import small_effect, small_layer

from tenka.base.errors import BadInput
from tenka.effect import storage
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.document import delivered_on, get, on_tier, replaced, with_own, with_trial, without_own
from tenka.effect.model import Delivery, Effect, Flipbook
from tenka.effect.presets import keep, load, with_preset
from tenka.effect.starters import STARTERS, empty
from tenka.effect.things import as_text, duplicated, pasted, removed

FORMER = sorted((Path(__file__).parent / "version_1").glob("*.tenka"))
WIDTH = "deliveries.puff.route.width"


@pytest.mark.parametrize("file", FORMER, ids=lambda f: f.stem)
def test_files_of_before_deliver_each_layer_as_they_did(file: Path):
    tree, effect = json.loads(file.read_text()), storage.load(file)
    assert tree["schema_version"] == 1 and effect.schema_version == 2
    assert [(d.id, d.name, d.of) for d in effect.deliveries] == [
        (x["id"], x["name"], (x["id"],)) for x in tree["layers"]
    ]
    for layer, delivery in zip(tree["layers"], effect.deliveries):
        found = delivery.route.model_dump(mode="json")
        before = layer["flipbook"]
        assert {k: found[k] for k in before if k != "player"} == {
            k: before[k] for k in before if k != "player"
        }
        assert {k: found["player"][k] for k in before["player"]} == before["player"]
    for before, lever in zip(tree["levers"], effect.levers):
        assert before["path"].split(".flipbook.")[1] == lever.path.split(".route.")[1]
        get(effect, lever.path)
    assert storage.loads(storage.dumps(effect)) == effect
    for tier in effect.tiers:
        on_tier(effect, tier.id)


def test_layers_that_left_their_flipbook_out_are_delivered_as_they_were_then():
    tree = json.loads(FORMER[0].read_text())
    for layer in tree["layers"]:
        layer.pop("flipbook")
    effect = storage.loads(json.dumps({**tree, "levers": [], "tiers": []}).encode())
    assert {x.kind for x in effect.layers} >= {"gas", "particles", "debris"}
    for layer in effect.layers:
        flat = layer.model_copy(update={"look": layer.look.model_copy(update={"form": "sprite"})})
        assert (
            effect.deliveries_of(layer.id)[0].route == (flat if layer.kind != "gas" else layer).first_route()
        )


def test_a_tier_has_values_of_its_own_and_gives_them_back():
    effect = small_effect()
    own = with_own(effect, "low", WIDTH, 64)
    assert get(own, WIDTH) == 128 and get(on_tier(own, "low"), WIDTH) == 64
    assert get(on_tier(own, "mid"), WIDTH) == 128
    assert get(delivered_on(own, "low"), "deliveries.puff.route.player.count") == 3  # levers are the game's
    assert get(on_tier(own, "low"), "deliveries.puff.route.player.count") == 2
    ramp = get(effect, "deliveries.puff.route.player.alpha")
    both = with_own(own, "low", "deliveries.puff.route.player.alpha", ramp)
    assert get(on_tier(both, "low"), "deliveries.puff.route.player.alpha") == ramp
    assert storage.loads(storage.dumps(both)) == both
    assert without_own(without_own(both, "low", WIDTH), "low", "deliveries.puff.route.player.alpha") == effect


@pytest.mark.parametrize(
    ("path", "value"),
    ((WIDTH, -4), ("layers.puff.look.extinction", 3.0), ("deliveries.puff.route.none", 1), (WIDTH, "wide")),
)
def test_what_a_tier_cannot_have_is_refused(path: str, value: object):
    with pytest.raises(BadInput):
        with_own(small_effect(), "low", path, value)


def test_a_tier_leaves_deliveries_out_with_their_levers():
    effect = replaced(small_effect(), "tiers.low.without", ("puff",))
    assert on_tier(effect, "low").deliveries == () and on_tier(effect, "low").levers == ()
    assert on_tier(effect, "mid").deliveries == effect.deliveries
    with pytest.raises(BadInput, match="no delivery"):
        replaced(small_effect(), "tiers.low.without", ("nothing",))


def test_deliveries_of_layers_that_are_not_there_are_refused():
    with pytest.raises(BadInput, match="not in the effect"):
        replaced(small_effect(), "deliveries.puff.of", ("puff", "none"))


@pytest.mark.parametrize("name", LAYERS)
def test_a_new_layer_is_delivered_and_goes_with_its_delivery(name: str):
    effect, make = with_own(small_effect(), "low", WIDTH, 64), LAYERS[name]
    more, path = with_new_layer(effect, make(effect), make.route)
    id = path.rpartition(".")[2]
    (made,) = more.deliveries_of(id)
    assert made.of == (id,) and len(more.deliveries) == 2
    assert removed(more, path) == effect
    bare = removed(more, "layers.puff")
    assert bare.deliveries == (made,) and bare.levers == () and bare.tiers[0].values == {}


def test_one_that_is_doubled_pasted_or_kept_is_delivered_alike(tmp_path: Path):
    effect = small_effect()
    book = effect.deliveries[0].route
    double, path = duplicated(effect, "layers.puff")
    assert double.deliveries_of(path.rpartition(".")[2])[0].route == book
    other, path = pasted(empty(), as_text(effect, "layers.puff"), "")
    assert other.deliveries_of(path.rpartition(".")[2])[0].route == book
    file = keep(effect.layers[0], "Mine", tmp_path, book)
    assert load(file)[2] == book
    third, path = with_preset(empty(), file)
    found = third.deliveries_of(path.rpartition(".")[2])[0].route
    assert isinstance(found, Flipbook) and found.columns == book.columns


def test_presets_and_copies_of_before_are_read(tmp_path: Path):
    layer = small_layer().model_dump(mode="json")
    layer["flipbook"] = {"columns": 5, "rows": 4}
    file = tmp_path / "old.json"
    file.write_text(json.dumps({"tenka_preset": 1, "name": "Old", "layer": layer}))
    effect, _ = with_preset(empty(), file)
    assert effect.deliveries[0].route.columns == 5
    text = json.dumps({"tenka_thing": 1, "group": "layers", "of": "", "thing": layer})
    effect, _ = pasted(empty(), text, "")
    assert effect.deliveries[0].route.columns == 5


def test_several_layers_share_a_delivery_and_a_layer_has_several():
    effect, path = with_new_layer(small_effect(), LAYERS["Sparks"](small_effect()))
    id = path.rpartition(".")[2]
    both = Delivery(id="both", name="Both", of=(id, "puff"))
    effect = replaced(effect, "deliveries", (*effect.deliveries, both))
    assert [d.id for d in effect.deliveries_of("puff")] == ["puff", "both"]
    left = removed(effect, path)
    assert left.delivery("both").of == ("puff",) and len(left.deliveries) == 2
    assert [d.id for d in removed(effect, "deliveries.both").deliveries] == [id, "puff"]


@pytest.mark.parametrize("name", STARTERS)
def test_starting_points_are_delivered(name: str):
    one = STARTERS[name](empty())
    two = STARTERS[name].added(one)
    for effect in (one, two):
        assert {id for d in effect.deliveries for id in d.of} == {x.id for x in effect.layers}
        assert storage.loads(storage.dumps(effect)) == effect


def test_a_trial_whose_layer_is_gone_is_delivered_again():
    effect, trial = with_trial(small_effect())
    gone = removed(effect, "layers.puff")
    assert gone.deliveries == ()
    back = trial.onto(gone)
    assert back.deliveries_of("puff") and Effect.model_validate(dict(back)) == back
