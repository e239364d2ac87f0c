"""Keys of a thing together, things edited together, and values as text."""

from __future__ import annotations

import pytest
from build import small_effect

from tenka.base.errors import BadInput
from tenka.effect.courses import Key, Keys, Wave
from tenka.effect.document import get, replaced, with_own
from tenka.effect.keyed import moments, with_moment_moved
from tenka.effect.lights import SceneLight
from tenka.effect.model import Cue, Effect
from tenka.effect.things import all_as_text, duplicated, parts_of, pasted, put_at, removed
from tenka.effect.together import edited_on, fit_together, set_together
from tenka.effect.values import value_as_text, value_pasted

SOURCE = "layers.puff.sources.source"


def keyed() -> Effect:
    """A source whose temperature and smoke have keys, some at the same moment, hung on a cue."""
    effect = small_effect(cues=(Cue(id="bang", name="Bang", at=0.2),))
    path = f"layers.puff.sources.{effect.gas().sources[0].id}"
    effect = replaced(effect, f"{path}.cue", "bang")
    effect = replaced(effect, f"{path}.delay", 0.05)
    effect = replaced(effect, f"{path}.temperature", Keys(keys=(Key(t=0.1, v=10), Key(t=0.3, v=50))))
    effect = replaced(effect, f"{path}.density", Keys(keys=(Key(t=0.3, v=1), Key(t=0.4, v=0))))
    return replaced(effect, f"{path}.emission", Keys(keys=(Key(t=0.0, v=1), Key(t=0.1, v=0))))


def source_of(effect: Effect) -> str:
    return f"layers.puff.sources.{effect.gas().sources[0].id}"


def test_moments_are_where_they_take_effect_each_once() -> None:
    effect = keyed()
    # emission counts from the cue and the delay; 0.3 is shared by two courses
    assert moments(effect, source_of(effect)) == pytest.approx([0.1, 0.25, 0.3, 0.35, 0.4])
    assert moments(effect, "forces.wind") == []


def test_a_moment_moves_with_all_its_keys_and_not_past_others() -> None:
    effect, path = keyed(), source_of(keyed())
    moved = with_moment_moved(effect, path, 0.3, 0.34)
    assert [k.t for k in get(moved, f"{path}.temperature").keys] == pytest.approx([0.1, 0.34])
    assert [k.t for k in get(moved, f"{path}.density").keys] == pytest.approx([0.34, 0.4])
    moved = with_moment_moved(effect, path, 0.35, 0.39)  # of the emission, in its own time
    assert [k.t for k in get(moved, f"{path}.emission").keys] == pytest.approx([0.0, 0.14])
    with pytest.raises(BadInput, match="neighbours"):
        with_moment_moved(effect, path, 0.3, 0.45)


def test_of_several_each_gets_a_value_where_it_has_it_on_a_tier() -> None:
    """One of three lights has a reach of its own on Low: edited together there, that changes of it."""
    lamps = tuple(SceneLight(id=x, name=x.title(), part_of="effect") for x in "abc")
    effect = small_effect().model_copy(update={"lights": lamps})
    low = effect.tiers[0]
    effect = with_own(effect, low.id, "lights.b.reach", 2.0)
    low = effect.tiers[0]
    before = get(effect, "lights.b.reach")
    for first, others in (("a", ("b", "c")), ("b", ("a", "c"))):
        paths = [f"lights.{x}" for x in others]
        changed = edited_on(effect, low, f"lights.{first}.reach", 5.0, f"lights.{first}", paths)
        assert [get(changed, f"lights.{x}.reach") for x in "abc"] == [5.0, before, 5.0]
        assert changed.tiers[0].values == {"lights.b.reach": 5.0}
    elsewhere = edited_on(effect, effect.tiers[1], "lights.a.reach", 5.0, "lights.a", ["lights.b"])
    assert get(elsewhere, "lights.b.reach") == 5.0
    assert elsewhere.tiers[0].values == {"lights.b.reach": 2.0}
    with pytest.raises(BadInput):
        edited_on(effect, low, "lights.b.reach", -5.0, "lights.b", ["lights.a"])


def test_several_are_changed_together_positions_by_the_same_way() -> None:
    effect, first = duplicated(small_effect(), "props.box")
    effect = replaced(effect, f"{first}.position", (1.0, 0.0, 0.0))
    both = set_together(effect, "props.box.position", (0.0, 2.0, 0.0), "props.box", [first])
    assert get(both, "props.box.position") == (0.0, 2.0, 0.0)
    assert get(both, f"{first}.position") == (1.0, 2.0, 0.0)
    both = set_together(effect, "props.box.size", (0.5, 0.5, 0.5), "props.box", [first])
    assert get(both, f"{first}.size") == get(both, "props.box.size") == (0.5, 0.5, 0.5)
    # what only one of them has is changed there alone
    winds = set_together(small_effect(), "forces.wind.speed", 3.0, "forces.wind", ["forces.eddies"])
    assert get(winds, "forces.wind.speed") == 3.0 and get(winds, "forces.eddies") == get(
        small_effect(), "forces.eddies"
    )
    assert fit_together(["props.box", "forces.wind", "forces.eddies", "forces.wind"]) == [
        "forces.wind",
        "forces.eddies",
    ]


def test_several_go_through_text_into_another_effect() -> None:
    effect = small_effect()
    text = all_as_text(effect, ["forces.wind", "forces.eddies"])
    other = small_effect(forces=())
    for part in parts_of(text):
        other, _ = pasted(other, part, "")
    assert other.forces == effect.forces
    assert parts_of("[1, 2") == ["[1, 2"]
    for part in parts_of('["x"]'):
        with pytest.raises(BadInput):
            pasted(other, part, "")


def test_a_thing_is_put_at_a_place_of_its_group_and_removed() -> None:
    effect = small_effect()
    turned = put_at(effect, "forces.eddies", 0)
    assert [f.id for f in turned.forces] == ["eddies", "wind"]
    assert put_at(turned, "forces.eddies", 1) == effect
    assert put_at(effect, "forces.eddies", 1) is effect
    assert [f.id for f in removed(effect, "forces.wind").forces] == ["eddies"]


def test_a_value_goes_through_text_with_its_course() -> None:
    effect = small_effect()
    wave = Wave(base=2.0, amount=0.5, period=0.4)
    effect = replaced(effect, "forces.wind.speed", wave)
    text = value_as_text(effect, "forces.wind.speed")
    lift = value_pasted(effect, "layers.puff.motion.lift", text)
    assert get(lift, "layers.puff.motion.lift") == wave
    plain = value_pasted(effect, "layers.puff.domain.voxel", text)  # that cannot move: its value at the start
    assert get(plain, "layers.puff.domain.voxel") == pytest.approx(1.0, abs=1.0)
    assert get(value_pasted(effect, "forces.wind.speed", "3.5"), "forces.wind.speed") == 3.5
    for wrong in ("", "{", '{"tenka_value": 1}', '{"tenka_value": 1, "kind": "number", "value": "x"}', "[]"):
        with pytest.raises(BadInput):
            value_pasted(effect, "forces.wind.speed", wrong)
    with pytest.raises(BadInput, match="does not fit"):
        value_pasted(effect, "props.box.size", text)
