"""Keys come from what the catalogue says a setting affects: every setting of every kind is changed once."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from chains import NAMES, effect_of, lighter

from tenka.base.errors import BadInput
from tenka.demo import FOLDER
from tenka.effect.additions import LAYERS, with_cue, with_new_layer
from tenka.effect.catalogue import Param, params
from tenka.effect.courses import Course
from tenka.effect.document import get, replaced
from tenka.effect.forces import NEW_FORCES
from tenka.effect.model import Effect, Prop, Ramp
from tenka.effect.starters import STARTERS, with_force
from tenka.run.plans import plans_of


def wide() -> Effect:
    """An effect with each kind of layer and each kind of force, that feed each other."""
    effect = STARTERS["Fire"](Effect())
    for name in ("Sparks", "Debris"):
        effect, _ = with_new_layer(effect, LAYERS[name](effect))
    for kind in NEW_FORCES:
        effect, _ = with_force(effect, kind)
    effect, cue = with_cue(effect, 0.1)
    sparks = effect.layer("sparks").sources[0]
    effect = replaced(effect, f"layers.sparks.sources.{sparks.id}.cue", cue.rpartition(".")[2])
    return lighter(effect.model_copy(update={"props": (Prop(id="ball", name="Ball"),)}), frames=13)


def subjects() -> dict[str, Effect]:
    return {"wide": wide(), **{name: lighter(effect_of(name), frames=13) for name in NAMES}}


EFFECTS = subjects()


def nodes(value: Any, path: str) -> Iterator[tuple[str, Any]]:
    """Each settings node under a value, with its path."""
    if isinstance(value, tuple):
        for item in value:
            if hasattr(item, "id"):
                yield from nodes(item, f"{path}.{item.id}")
    elif params_of(value):
        yield path, value
        for name in type(value).model_fields:
            child = getattr(value, name)
            if not isinstance(child, (Course, Ramp)):
                yield from nodes(child, f"{path}.{name}")


def params_of(value: Any) -> dict[str, Param]:
    try:
        found: dict[str, Param] = params(type(value))
    except (TypeError, AttributeError):
        return {}
    return found if hasattr(type(value), "model_fields") else {}


def others(p: Param, now: Any, effect: Effect) -> list[Any]:
    """Values that are not the present one, nearest to what is usual first."""
    if p.kind in ("number", "whole"):
        low, high = (0.0, 0.5) if p.name == "end" else p.soft  # a later end is after the effect's own
        tries = [low + share * (high - low) for share in (0.37, 0.61, 0.13, 0.83)]
        values = [round(v) for v in tries] if p.kind == "whole" else tries
        return [v for v in values if v != now]
    if p.kind == "toggle":
        return [not now]
    if p.kind == "choice":
        return [c for c in p.choices if c != now]
    if p.kind == "vector":
        return [tuple(v + 0.13 * (i + 1) for i, v in enumerate(now)), tuple(0.5 * v for v in now)]
    if p.kind == "walls":
        return [tuple(not v for v in now)]
    if p.kind == "colour":
        return [(0.31, 0.52, 0.73)]
    if p.kind == "points":
        return [((0.5, 0.0, 0.5), (1.0, 1.0, 1.0))]
    if p.kind in ("ramp", "file", "text", "device"):
        return []
    named = (*effect.props, *effect.layers, *effect.cues)
    return [i.id for i in named if i.id != now]


def used(effect: Effect, node: Any) -> bool:
    """Whether a node has a part in any simulation, as the effect stands."""
    if isinstance(node, Prop):
        return any(node.id in layer.props_used() for layer in effect.layers)
    return not getattr(node, "passed_over", False)


def still_born(node: Any, setting: str) -> bool:
    """Bursts have moments of their own: a source of these alone has no span."""
    return setting in ("end", "emission") and getattr(node, "rate", 1.0) == 0.0


def cases() -> list[Any]:
    """One place for each setting of each class."""
    found: dict[tuple[type, str], Any] = {}
    for name, effect in EFFECTS.items():
        for part in ("layers", "forces", "props", "light", "camera", "cues"):
            for path, node in nodes(getattr(effect, part), part):
                for p in params_of(node).values():
                    if p.shown_when(node) and used(effect, node) and not still_born(node, p.name):
                        case = pytest.param(name, path, p.name, id=f"{type(node).__name__}-{p.name}")
                        found.setdefault((type(node), p.name), case)
    return list(found.values())


def keys(effect: Effect, final: bool) -> dict[str, dict[int, str]]:
    return {id: plan.keys for id, plan in plans_of(effect, FOLDER, final).items()}


BEFORE = {name: (keys(effect, False), keys(effect, True)) for name, effect in EFFECTS.items()}


@pytest.mark.parametrize("name, path, setting", cases())
def test_a_setting_changes_the_keys_when_the_catalogue_says_so(name: str, path: str, setting: str):
    effect = EFFECTS[name]
    node = get(effect, path)
    p = params(type(node))[setting]
    changed = None
    for value in others(p, getattr(node, setting), effect):
        try:
            changed = replaced(effect, f"{path}.{setting}", value)
            break
        except BadInput:
            continue
    if changed is None:
        assert p.kind in ("text", "file", "ramp", "device", "choice", "layer", "prop", "cue", "water"), p.kind
        return
    preview, final = (keys(changed, f) != b for f, b in zip((False, True), BEFORE[name]))
    told = f"{path}.{setting} ({p.affects})"
    if p.affects == "simulation":
        assert preview and final, told
    elif p.affects == "final":
        assert not preview, told
    else:
        assert not preview and not final, told
