"""Things of an effect in the hand: renamed, doubled, put in another order, and copied as text, within an
effect and from one to another."""

from __future__ import annotations

import json
import re
from typing import Any

from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError

from tenka.base.errors import BadInput
from tenka.base.tree import explain
from tenka.effect.additions import without_cue, without_layer
from tenka.effect.cameras import SceneCamera
from tenka.effect.catalogue import params
from tenka.effect.document import free_id, get, numbered, replaced
from tenka.effect.former import bookless
from tenka.effect.model import (
    ON_PROP,
    Cue,
    Effect,
    Force,
    GasLayer,
    Layer,
    LiquidLayer,
    ParticleLayer,
    Prop,
    Route,
    SceneLight,
    WaterLayer,
    tidied,
)
from tenka.effect.presets import fitting

VERSION = 1
ROUTE: TypeAdapter[Route] = TypeAdapter(Route)
MOST_TEXT = 4_000_000  # characters
COPIED = ("layers", "sources", "colliders", "forces", "lights", "cameras", "props", "cues")
"""Groups whose things can be doubled and copied."""
WORDS = {
    "layers": "layer",
    "sources": "source",
    "colliders": "collider",
    "forces": "force",
    "lights": "light",
    "cameras": "camera",
    "props": "prop",
    "cues": "cue",
}
OWN = ("id", "name", "solo", "hidden", "passed_over", "position", "parent", "path", "curve", "prop", "of")
"""What tells one thing from another: not taken over by its values alone."""


def group_of(path: str) -> str:
    """Of which group a path's thing is: `layers`, `sources`, `forces`, ..."""
    parts = path.split(".")
    return parts[-2] if len(parts) >= 2 else ""


def renamed(effect: Effect, path: str, name: str) -> Effect:
    """The effect with a thing under another name.

    Raises
    ------
    BadInput
        An empty name or one that is too long.
    """
    name = " ".join(name.split())
    if not 1 <= len(name) <= 60:
        raise BadInput("has no name" if not name else "is too long for a name", "1 to 60 characters")
    found: Effect = replaced(effect, f"{path}.name" if path else "name", name)
    return found


def _added(effect: Effect, owner: str, thing: Any, after: str = "") -> tuple[Effect, str]:
    """The effect with a further thing in a group (after another, or at its end), and its path."""
    items = get(effect, owner)
    id = free_id(items, re.sub(r"(_\d+)+$", "", thing.id))
    name = numbered(thing.name, {i.name for i in items})
    new = thing.model_copy(update={"id": id, "name": name})
    at = next((n + 1 for n, i in enumerate(items) if i.id == after), len(items))
    items = (*items[:at], new, *items[at:])
    if owner == "layers":
        return effect.with_layers(items), f"layers.{id}"
    return replaced(effect, owner, items), f"{owner}.{id}"


def duplicated(effect: Effect, path: str) -> tuple[Effect, str]:
    """The effect with a thing twice, and the path of the second.

    Raises
    ------
    BadInput
        What there can be only one of.
    """
    if group_of(path) not in COPIED:
        raise BadInput("this cannot be doubled", "a layer, source, force, prop, collider or cue")
    owner, _, id = path.rpartition(".")
    found, new = _added(effect, owner, get(effect, path), id)
    if owner == "layers":  # delivered as the first is
        own = next((d.route for d in effect.deliveries_of(id) if d.of == (id,)), None)
        found = routed(found, new.rpartition(".")[2], own)
    return found, new


def routed(effect: Effect, layer_id: str, route: Any) -> Effect:
    """The effect with a layer's own delivery by other settings of its route, where there are some."""
    deliveries = tuple(
        d.model_copy(update={"route": route}) if route is not None and d.of == (layer_id,) else d
        for d in effect.deliveries
    )
    return effect.model_copy(update={"deliveries": deliveries})


def moved(effect: Effect, path: str, by: int) -> Effect:
    """The effect with a thing `by` places further down in its group, as far as that goes."""
    owner, _, id = path.rpartition(".")
    items = list(get(effect, owner))
    at = next(n for n, i in enumerate(items) if i.id == id)
    to = min(max(at + by, 0), len(items) - 1)
    if to == at:
        return effect
    items.insert(to, items.pop(at))
    found: Effect = replaced(effect, owner, tuple(items))
    return found


def removed(effect: Effect, path: str) -> Effect:
    """The effect without a thing, and without what takes from it."""
    group, _, id = path.rpartition(".")
    if group == "layers":
        return without_layer(effect, id)
    if group == "cues":
        return without_cue(effect, id)
    found: Effect = effect
    if group == "deliveries":
        kept = tuple(d for d in effect.deliveries if d.id != id)
        found = effect.model_copy(update={"deliveries": kept})
        found = found.model_copy(update=tidied(found))
    found = replaced(found, group, tuple(i for i in get(found, group) if i.id != id))
    return found.model_copy(update=tidied(found)) if group == "lights" else found


def put_at(effect: Effect, path: str, place: int) -> Effect:
    """The effect with a thing at a place of its group, counted without itself."""
    owner, _, id = path.rpartition(".")
    at = next(n for n, i in enumerate(get(effect, owner)) if i.id == id)
    return moved(effect, path, place - at)


def all_as_text(effect: Effect, paths: list[str]) -> str:
    """Some things as text: one as it is, several as a list."""
    texts = [as_text(effect, path) for path in paths]
    return (
        texts[0]
        if len(texts) == 1
        else json.dumps([json.loads(t) for t in texts], indent=1, ensure_ascii=False)
    )


def parts_of(text: str) -> list[str]:
    """The texts of the single things of what was copied."""
    if len(text) <= MOST_TEXT and text.lstrip().startswith("["):
        try:
            tree = json.loads(text)
        except (ValueError, RecursionError):
            return [text]
        if isinstance(tree, list) and tree:
            return [json.dumps(part) for part in tree]
    return [text]


def as_text(effect: Effect, path: str) -> str:
    """A thing as text, to be pasted here or in another effect.

    Raises
    ------
    BadInput
        What cannot be copied.
    """
    group = group_of(path)
    if group not in COPIED:
        raise BadInput("this cannot be copied", "a layer, source, force, prop, collider or cue")
    thing = get(effect, path)
    layer = effect.layer(path.split(".")[1]).kind if group in ("sources", "colliders") else ""
    tree = {"tenka_thing": VERSION, "group": group, "of": layer, "thing": thing.model_dump(mode="json")}
    own = next((d.route for d in effect.deliveries_of(thing.id) if d.of == (thing.id,)), None)
    if group == "layers" and own is not None:
        tree["route"] = own.model_dump(mode="json")
    return json.dumps(tree, indent=1, ensure_ascii=False)


class _Layered(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    thing: Layer


FAMILIES: dict[str, Any] = {"gas": GasLayer, "water": WaterLayer, "liquid": LiquidLayer}
"""Kinds of layers whose sources are of their own; all others take those of particles."""


class _Forced(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    thing: Force


def _kind(group: str, of: str) -> Any:
    """The class of a thing."""
    layer: Any = FAMILIES.get(of, ParticleLayer)
    plain = {
        "props": Prop,
        "cues": Cue,
        "lights": SceneLight,
        "cameras": SceneCamera,
        "sources": layer.SOURCE,
        "colliders": layer.COLLIDER,
    }
    return plain.get(group)


def read_text(text: str) -> tuple[str, str, Any]:
    """Group, kind of layer and thing of a text that was copied.

    Raises
    ------
    BadInput
        Anything else, in a sentence.
    """
    what, wanted = "what was copied is no part of an effect", "a layer, source, force, prop or cue"
    if len(text) > MOST_TEXT:
        raise BadInput(what, wanted)
    try:
        tree = json.loads(text)
        if not isinstance(tree, dict) or tree.get("tenka_thing") != VERSION:
            raise ValueError
        group, of, thing = str(tree["group"]), str(tree.get("of", "")), tree["thing"]
        if group not in COPIED or not isinstance(thing, dict):
            raise ValueError
    except (ValueError, KeyError, RecursionError):
        raise BadInput(what, wanted) from None
    try:
        if group == "layers":
            thing, _ = bookless(thing)
        if group in ("layers", "forces"):
            found = (_Layered if group == "layers" else _Forced).model_validate({"thing": thing}).thing
        else:
            found = _kind(group, of).model_validate(thing)
    except ValidationError as error:
        raise BadInput(f"what was copied is not sound: {explain(error)}") from None
    return group, of, found


def pasted(effect: Effect, text: str, selected: str) -> tuple[Effect, str]:
    """The effect with what was copied, and its path. Sources and colliders go to the layer that is selected;
    what it names and the effect does not have is let go.

    Raises
    ------
    BadInput
        A text that is no copy, or one that has no place here.
    """
    group, of, thing = read_text(text)
    props, cues = {p.id for p in effect.props}, {c.id for c in effect.cues}
    owner = group
    if group == "layers":
        thing = fitting(thing, effect)
    elif group in ("sources", "colliders"):
        parts = selected.split(".")
        wanted = parts[1] if parts[0] == "layers" and len(parts) > 1 else ""
        family = FAMILIES.get(of, ParticleLayer)
        fits = [x for x in effect.layers if x.SOURCE is family.SOURCE]
        layer = next((x for x in fits if x.id == wanted), fits[0] if fits else None)
        if layer is None:
            raise BadInput(f"{thing.name} is a {WORDS[group]} of a {of} layer, of which there is none here")
        owner = f"layers.{layer.id}.{group}"
        if group == "colliders" and thing.by_prop and thing.prop not in props:
            raise BadInput(f"{thing.name} needs the prop '{thing.prop}', which is not in this effect")
        changes: dict[str, object] = {}
        if group == "sources" and thing.shape in ON_PROP and thing.prop not in props:
            changes = {"shape": "sphere", "prop": ""}
        if group == "colliders" and not thing.by_prop and thing.of not in {x.id for x in effect.layers}:
            changes = {"of": ""}
        if getattr(thing, "cue", "") and thing.cue not in cues:
            changes["cue"] = ""
        thing = thing.model_copy(update=changes)
    if getattr(thing, "stands_for", "") not in {"", *(x.id for x in effect.gases)}:
        thing = thing.model_copy(update={"stands_for": ""})
    if getattr(thing, "parent", "") and thing.parent not in props:
        thing = thing.model_copy(update={"parent": ""})
    found, path = _added(effect, owner, thing, selected.rpartition(".")[2])
    if group == "layers":
        found = routed(found, path.rpartition(".")[2], route_of_text(text))
    return found, path


def route_of_text(text: str) -> Route | None:
    """By which route a copied layer was delivered, as far as the text says so soundly."""
    tree = json.loads(text)
    given = tree.get("route") or bookless(tree.get("thing"))[1]
    try:
        return ROUTE.validate_python(given) if isinstance(given, dict) else None
    except ValidationError:
        return None


def values_pasted(effect: Effect, text: str, path: str) -> tuple[Effect, int]:
    """The effect with the values of what was copied in a thing of the same kind, and how many changed. Its
    name, place and what it belongs to stay.

    Raises
    ------
    BadInput
        A text that is no copy, or a thing of another kind.
    """
    _, _, thing = read_text(text)
    target = get(effect, path)
    if type(target) is not type(thing):
        raise BadInput(f"{thing.name} is of another kind than {getattr(target, 'name', 'this')}")
    changes = {}
    for name in type(target).model_fields:
        plain = name in params(type(target)) or isinstance(getattr(target, name), BaseModel)
        own = name in OWN or not plain
        if not own and getattr(target, name) != getattr(thing, name):
            changes[name] = getattr(thing, name)
    found: Effect = replaced(effect, path, target.model_copy(update=changes)) if changes else effect
    return found, len(changes)
