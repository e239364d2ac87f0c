"""The document: edits, undo, levers, catalogue, files."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from build import small_effect
from hypothesis import given
from hypothesis import strategies as st

from tenka.base.errors import BadInput
from tenka.demo import PLUME
from tenka.effect import storage
from tenka.effect.catalogue import SECTIONS, params, settings_that_affect, table_markdown, walk
from tenka.effect.courses import Wave
from tenka.effect.document import (
    Document,
    delivered_on,
    dismissed,
    edited,
    get,
    on_tier,
    param_at,
    promoted,
    replaced,
    with_own,
    with_trial,
)
from tenka.effect.lights import SceneLight
from tenka.effect.model import (
    DebrisLayer,
    Effect,
    GasLayer,
    Lever,
    LiquidLayer,
    ParticleLayer,
    PointLook,
    PointSource,
    Prop,
    Ramp,
    Source,
    Stop,
    Tier,
    WaterLayer,
)
from tenka.effect.starters import STARTERS, with_force, with_prop, with_source
from tenka.effect.things import removed

LIFT = "layers.puff.motion.lift"


def test_an_edit_changes_one_value_and_shares_the_rest():
    effect = small_effect()
    changed = replaced(effect, LIFT, 2.5)
    assert get(changed, LIFT) == 2.5 and get(effect, LIFT) != 2.5
    assert changed.layers[0].look is effect.layers[0].look
    assert changed.props[0] is effect.props[0]


@pytest.mark.parametrize(
    "path,value",
    (
        (LIFT, 99.0),
        ("layers.puff.domain.voxel", -1.0),
        ("deliveries.puff.route.columns", 0),
        ("light.height", 91.0),
    ),
)
def test_a_value_out_of_range_is_refused_with_its_range(path: str, value: float):
    document = Document(small_effect())
    before = document.effect
    with pytest.raises(BadInput, match="is outside"):
        document.edit(path, value)
    assert document.effect is before and document.undo_label is None


def test_a_path_that_leads_nowhere_is_named():
    with pytest.raises(BadInput, match=r"nothing is at 'layers\.gone\.motion'"):
        get(small_effect(), "layers.gone.motion")


def test_undo_returns_every_state_in_turn_and_redo_goes_forward():
    document = Document(small_effect())
    states = [document.effect]
    for n in range(5):
        document.edit(LIFT, 0.1 * n + 0.05)
        states.append(document.effect)
    for state in reversed(states[:-1]):
        assert document.undo() and document.effect is state
    assert not document.undo()
    for state in states[1:]:
        assert document.redo() and document.effect is state


def test_edits_of_one_drag_undo_together():
    document = Document(small_effect())
    start = document.effect
    token = object()
    for n in range(30):
        document.edit(LIFT, 0.5 + n * 0.01, merge=token)
    document.edit(LIFT, 3.0, merge=object())
    document.undo()
    assert get(document.effect, LIFT) == pytest.approx(0.79)
    document.undo()
    assert document.effect is start


def test_an_edit_after_undo_forgets_what_was_undone():
    document = Document(small_effect())
    document.edit(LIFT, 2.0)
    document.undo()
    document.edit(LIFT, 3.0)
    assert not document.redo()


def test_setting_the_same_value_is_no_step():
    document = Document(small_effect())
    document.edit(LIFT, get(document.effect, LIFT))
    assert document.undo_label is None and not document.unsaved


def test_listeners_hear_the_path_and_undo_to_the_saved_state_is_saved():
    document = Document(small_effect())
    heard: list[str] = []
    document.listen(heard.append)
    document.edit(LIFT, 2.0)
    assert heard == [LIFT] and document.unsaved
    document.undo()
    assert heard == [LIFT, LIFT] and not document.unsaved


def test_a_promoted_setting_becomes_a_lever_with_a_value_in_each_tier():
    effect = promoted(small_effect(), "deliveries.puff.route.player.scale")
    lever = effect.levers[-1]
    assert lever.id == "scale" and lever.low < 1.0 < lever.high
    assert all(t.levers["scale"] == 1.0 for t in effect.tiers)
    assert dismissed(effect, "scale") == small_effect()


@pytest.mark.parametrize(
    "path",
    ("layers.puff.motion.lift", "deliveries.puff.route.player.blend", "deliveries.puff.route.player.count"),
)
def test_only_numbers_that_the_game_reads_become_levers_and_only_once(path: str):
    with pytest.raises(BadInput):
        promoted(small_effect(), path)


def test_a_tier_plays_with_its_levers_held_to_their_range():
    effect = small_effect()
    assert on_tier(effect, "low").deliveries[0].route.player.count == 2
    tiers = (effect.tiers[0].model_copy(update={"levers": {"sprites": 500.0}}), effect.tiers[1])
    assert on_tier(effect.model_copy(update={"tiers": tiers}), "low").deliveries[0].route.player.count == 12


def test_a_light_that_is_brought_along_may_be_another_on_a_tier_and_one_of_the_set_may_not():
    lamp = SceneLight(id="lamp", name="Lamp", part_of="effect")
    of_set = SceneLight(id="moon", name="Moon")
    effect = Effect(lights=(lamp, of_set), tiers=(Tier(id="low", name="Low"), Tier(id="high", name="High")))
    own = with_own(effect, "low", "lights.lamp.reach", 2.5)
    assert on_tier(own, "low").lights[0].reach == 2.5 and on_tier(own, "high").lights == effect.lights
    assert Effect.model_validate_json(own.model_dump_json()) == own
    for path, value in (
        ("lights.moon.reach", 2.0),
        ("lights.lamp.reach", -1.0),
        ("lights.lamp.part_of", "set"),
    ):
        with pytest.raises(BadInput):
            with_own(effect, "low", path, value)
    # what becomes the set's, or is gone, has nothing of its own any more
    assert edited(own, "lights.lamp.part_of", "set").tier("low").values == {}
    assert removed(own, "lights.lamp").tier("low").values == {}
    gone = Effect.model_validate(own.model_dump() | {"lights": ()})
    assert on_tier(gone, "low").lights == () and delivered_on(gone, "low").tiers == own.tiers


def test_a_lever_whose_range_is_empty_is_refused():
    with pytest.raises(ValueError, match="low must be below"):
        Lever(id="x", name="X", path="a.b", low=1.0, high=1.0)


def test_every_setting_declares_a_unit_help_section_and_a_range_that_holds_its_default():
    seen = 0
    for path, p, _value, _ in walk(storage.load(PLUME)):
        seen += 1
        assert len(p.help) > 8 and p.help[-1] in ".)", path
        assert p.section in SECTIONS, path
        if p.kind in ("number", "whole"):
            assert p.low is not None and p.high is not None and p.low <= p.soft[0] < p.soft[1] <= p.high, path
            assert p.step > 0
        assert param_at(storage.load(PLUME), path) is p
    assert seen > 90


def test_look_settings_are_not_among_those_of_the_simulation():
    layer = small_effect().layers[0]
    simulation = settings_that_affect(layer, {"simulation"})
    assert any(k.startswith("motion") for k in simulation) and not any(
        k.startswith(("look", "flipbook")) for k in simulation
    )


def test_the_guides_tables_come_from_the_catalogue():
    table = table_markdown(Source)
    assert table.count("\n") == len(params(Source)) + 1 and "1/s" in table


def test_two_things_of_one_id_are_refused():
    with pytest.raises(ValueError, match="share the id box"):
        Effect(props=(Prop(id="box", name="A"), Prop(id="box", name="B")))


def test_a_ramp_out_of_order_or_of_two_kinds_is_refused():
    with pytest.raises(ValueError, match="in order"):
        Ramp(stops=(Stop(at=0.5, value=1.0), Stop(at=0.1, value=0.0)))
    with pytest.raises(ValueError, match="values or colours"):
        Ramp(stops=(Stop(at=0.1, value=1.0), Stop(at=0.5, value=(1, 1, 1))))


# --- files ----------------------------------------------------------------------------------------


def test_an_effect_comes_back_as_it_was_saved(tmp_path: Path):
    effect = replaced(small_effect(), LIFT, Wave(base=1.0, amount=0.2, period=2.0))
    storage.save(effect, tmp_path / "a.tenka")
    assert storage.load(tmp_path / "a.tenka") == effect
    assert storage.dumps(storage.load(tmp_path / "a.tenka")) == storage.dumps(effect)


@given(st.floats(0.06, 9.0), st.integers(1, 30))
def test_any_allowed_values_survive_the_file(size: float, columns: int):
    effect = replaced(
        replaced(small_effect(), "layers.puff.domain.size", (size, 1.0, 2.0)),
        "deliveries.puff.route.columns",
        columns,
    )
    assert storage.loads(storage.dumps(effect)) == effect


def whole() -> dict:
    return json.loads(storage.dumps(small_effect()))


def bad(change: str) -> bytes:
    tree = whole()
    if change == "nan":
        tree["layers"][0]["motion"]["lift"] = float("nan")
    elif change == "type":
        tree["layers"][0]["domain"]["voxel"] = "small"
    elif change == "range":
        tree["light"]["height"] = 500
    elif change == "unknown":
        tree["layers"][0]["motion"]["sparkle"] = 1
    elif change == "later":
        tree["schema_version"] = 99
    elif change == "older":
        tree["schema_version"] = 0
    elif change == "list":
        return b"[1, 2]"
    elif change == "cut":
        return storage.dumps(small_effect())[:700]
    elif change == "bytes":
        return bytes(range(256))
    elif change == "prop":
        tree["layers"][0]["sources"][0].update(shape="surface", prop="gone")
    return json.dumps(tree).encode()


@pytest.mark.parametrize(
    "change,words",
    (
        ("nan", "which is no number"),
        ("type", "valid number"),
        ("range", "outside 3 to 90"),
        ("unknown", "extra"),
        ("later", "made by a later Tenka"),
        ("older", "unknown"),
        ("list", "not a Tenka effect"),
        ("cut", "broken off"),
        ("bytes", "not JSON"),
        ("prop", "not in the effect"),
    ),
)
def test_a_bad_effect_is_one_sentence_that_names_file_and_place(change: str, words: str, tmp_path: Path):
    file = tmp_path / "bad.tenka"
    file.write_bytes(bad(change))
    with pytest.raises(BadInput, match=words) as caught:
        storage.load(file)
    text = str(caught.value)
    assert text.startswith(str(file)) and text.endswith(".") and "\n" not in text


def test_a_missing_or_huge_effect_is_one_sentence(tmp_path: Path):
    with pytest.raises(BadInput, match="cannot be read"):
        storage.load(tmp_path / "none.tenka")
    with pytest.raises(BadInput, match="is a folder"):
        storage.load(tmp_path)
    huge = tmp_path / "huge.tenka"
    with open(huge, "wb") as out:
        out.truncate(storage.MOST_BYTES + 1)
    with pytest.raises(BadInput, match="too large"):
        storage.load(huge)


def test_a_journal_gives_back_unsaved_edits_once_and_not_saved_ones(tmp_path: Path):
    effect = small_effect()
    changed = replaced(effect, LIFT, 3.0)
    file = tmp_path / "a.tenka"
    storage.save(effect, file)
    storage.Journal(file, tmp_path / "j").keep(changed)
    found = storage.Journal(file, tmp_path / "j").recover(effect)
    assert found is not None and found.effect == changed
    storage.save(changed, file)
    assert storage.Journal(file, tmp_path / "j").recover(changed) is None
    assert storage.Journal(file, tmp_path / "j").recover(effect) is None


@pytest.mark.parametrize("data", [b"{ half", b'{"schema_version": 99}', b"", b"[" * 100_000])
def test_a_journal_that_cannot_be_read_is_set_aside_and_not_deleted(data: bytes, tmp_path: Path):
    journal = storage.Journal(tmp_path / "a.tenka", tmp_path / "j")
    journal.path.write_bytes(data)
    assert journal.recover(None) is None and not journal.path.exists()
    assert journal.set_aside is not None and journal.set_aside.read_bytes() == data
    assert journal.recover(None) is None


def test_two_windows_on_one_effect_have_a_journal_each(tmp_path: Path):
    effect, file = small_effect(), tmp_path / "a.tenka"
    first, second = (storage.Journal(file, tmp_path / "j") for _ in range(2))
    first.keep(replaced(effect, LIFT, 3.0))
    second.keep(replaced(effect, LIFT, 4.0))
    assert first.path != second.path
    first.drop()
    assert second.path.exists()
    assert first.recover(effect) is None  # what the other window holds is not taken from it
    second.close()
    found = storage.Journal(file, tmp_path / "j").recover(effect)
    assert found is not None and get(found.effect, LIFT) == 4.0


def test_a_journal_in_a_folder_that_cannot_be_is_one_sentence(tmp_path: Path):
    (tmp_path / "j").write_text("")
    with pytest.raises(BadInput, match="autosaves"):
        storage.Journal(None, tmp_path / "j")


def test_every_file_that_an_effect_names_is_found_from_another_folder(tmp_path: Path):
    gas = small_effect().gas().sources[0].model_copy(update={"shaped_by": "image", "image": "pics/a.png"})
    points = PointSource(id="s", name="S", shape="file", file="clouds/a_1.ply")
    look = PointLook(form="flipbook", flipbook="../packed")
    layers = (
        small_effect().gas().model_copy(update={"sources": (gas,)}),
        ParticleLayer(id="dust", name="Dust", sources=(points,), look=look),
        DebrisLayer(id="bits", name="Bits", sources=(points.model_copy(update={"file": "/abs/b.csv"}),)),
    )
    prop = Prop(id="kiln", name="Kiln", shape="mesh", file="kiln.glb")
    effect = small_effect(layers=layers, props=(prop,))
    effect, _ = with_trial(effect)
    new = storage.moved(effect, tmp_path / "a", tmp_path / "b" / "c")
    for state in (new, new.trials[0]):
        assert state.props[0].file == "../../a/kiln.glb"
        assert state.layers[0].sources[0].image == "../../a/pics/a.png"
        assert state.layers[1].sources[0].file == "../../a/clouds/a_1.ply"
        assert state.layers[1].look.flipbook == "../../packed"
        assert state.layers[2].sources[0].file == "/abs/b.csv"
    assert storage.moved(new, tmp_path / "b" / "c", tmp_path / "a") == effect
    assert storage.moved(effect, tmp_path / "a", tmp_path / "a") is effect


# --- starting points ------------------------------------------------------------------------------


@pytest.mark.parametrize("name", STARTERS)
def test_a_starting_point_is_a_whole_effect_that_keeps_the_props(name: str):
    effect = small_effect(name="untitled")
    made = STARTERS[name](effect)
    layer = made.layers[0]
    assert made.props[: len(effect.props)] == effect.props and made.layers and made.tiers
    assert layer.sources or layer.colliders
    assert storage.loads(storage.dumps(made)) == made
    family = (WaterLayer, LiquidLayer) if STARTERS[name].group == "Water" else GasLayer
    assert isinstance(layer, family)
    assert STARTERS[name](made).props == made.props  # what it sets up is set up once


def test_parts_are_added_under_ids_of_their_own():
    effect, path = with_source(small_effect())
    assert get(effect, path).name == "Source" and path.endswith("source_2")
    effect, path = with_force(effect, "wind")
    assert path == "forces.wind_2"
    effect, path = with_prop(effect)
    assert get(effect, path).shape == "box"
    assert Effect.model_validate(effect.model_dump()) == effect


def test_a_starting_point_gives_tiers_only_where_there_are_none():
    tiers = (Tier(id="own", name="Own"),)
    assert STARTERS["Puff"](small_effect(tiers=tiers)).tiers == tiers


def test_sequences_that_last_as_long_as_the_effect_go_on_doing_so():
    effect = small_effect(seconds=1.0)
    for path in ("last", "player.life"):
        effect = replaced(effect, f"deliveries.puff.route.{path}", 1.0)
    longer = edited(effect, "seconds", 2.5).delivery("puff").route
    assert (longer.last, longer.player.life) == (2.5, 2.5)
    own = replaced(effect, "deliveries.puff.route.player.life", 0.7)
    kept = edited(own, "seconds", 2.5).delivery("puff").route
    assert (kept.last, kept.player.life) == (2.5, 0.7)
