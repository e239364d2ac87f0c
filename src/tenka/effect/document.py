"""The open document: edits by path, undo and redo, and listeners.

An effect is immutable, so every state is a snapshot that any thread may read, and undo keeps the
snapshots themselves (they share all that did not change).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from tenka.base.errors import BadInput
from tenka.base.tree import explain
from tenka.effect.catalogue import Param, Settings, params, walk
from tenka.effect.courses import Course
from tenka.effect.delivered import can_differ
from tenka.effect.deliveries import looping
from tenka.effect.model import TRIED, Effect, Lever, Tier, Trial, tidied

MOST_UNDO = 400


def get(root: Any, path: str) -> Any:
    """The value at a path such as `layers.plume.motion.lift`; list items go by their id."""
    node = root
    for part in filter(None, path.split(".")):
        node = _child(node, part, path)
    return node


def is_there(root: Any, path: str) -> bool:
    """Whether anything is at a path."""
    try:
        get(root, path)
    except BadInput:
        return False
    return True


def _child(node: Any, part: str, path: str) -> Any:
    if isinstance(node, tuple):
        for item in node:
            if getattr(item, "id", None) == part:
                return item
    elif isinstance(node, dict) and part in node:
        return node[part]
    elif isinstance(node, Settings) and part in type(node).model_fields:
        return getattr(node, part)
    raise BadInput(f"nothing is at '{path}'", "a path such as layers.plume.motion.lift")


def replaced(root: Any, path: str, value: Any) -> Any:
    """A copy of `root` with the value at `path` replaced, checked as if it had been read from disk."""
    parts = [p for p in path.split(".") if p]
    return _replaced(root, parts, value, path)


def _replaced(node: Any, parts: list[str], value: Any, path: str) -> Any:
    if not parts:
        return value
    head, rest = parts[0], parts[1:]
    if isinstance(node, tuple):
        _child(node, head, path)
        return tuple(_replaced(i, rest, value, path) if getattr(i, "id", None) == head else i for i in node)
    if isinstance(node, dict):
        return {**node, head: _replaced(node.get(head), rest, value, path)}
    _child(node, head, path)
    fields = {name: getattr(node, name) for name in type(node).model_fields}
    fields[head] = _replaced(fields[head], rest, value, path)
    try:
        return type(node).model_validate(fields)
    except ValidationError as error:
        raise BadInput(explain(error), place=path) from error


def param_at(effect: Effect, path: str) -> Param:
    """The catalogue entry of the setting at `path`."""
    owner, _, name = path.rpartition(".")
    try:
        return params(type(get(effect, owner)))[name]
    except KeyError:
        raise BadInput(f"'{path}' is not a setting") from None


def with_own(effect: Effect, tier_id: str, path: str, value: Any) -> Effect:
    """The effect with a setting of a delivery, or of a light that it brings along, that has a value of its
    own on a tier.

    Raises
    ------
    BadInput
        What is no such setting, or a value out of its range.
    """
    if not can_differ(effect, path):
        raise BadInput(
            f"'{path}' cannot be another on each tier",
            "a setting of a delivery, or of a light that the effect brings along",
            place=path,
        )
    param_at(effect, path)
    replaced(effect, path, value)  # checked as if it were everyone's
    plain = value.model_dump(mode="json") if isinstance(value, BaseModel) else value
    plain = list(plain) if isinstance(plain, tuple) else plain
    return _with_values(effect, tier_id, {**effect.tier(tier_id).values, path: plain})


def without_own(effect: Effect, tier_id: str, path: str) -> Effect:
    """The effect with a setting that is again the same on a tier as elsewhere."""
    values = {k: v for k, v in effect.tier(tier_id).values.items() if k != path}
    return _with_values(effect, tier_id, values)


def _with_values(effect: Effect, tier_id: str, values: dict[str, Any]) -> Effect:
    id = effect.tier(tier_id).id
    tiers = tuple(t.model_copy(update={"values": values}) if t.id == id else t for t in effect.tiers)
    return effect.model_copy(update={"tiers": tiers})


def delivered_on(effect: Effect, tier_id: str) -> Effect:
    """The effect with a tier's deliveries, before levers; the same where there is no such tier, or where its
    values fit no more."""
    try:
        return on_tier(effect, tier_id, levers=False)
    except (BadInput, KeyError):
        return effect


def on_tier(effect: Effect, tier_id: str, levers: bool = True) -> Effect:
    """The effect as this tier has it: without what it leaves out, with its own values of deliveries, and
    with each lever's value for it (unless `levers` is off).

    Raises
    ------
    BadInput
        A value that does not fit its setting any more.
    """
    tier = effect.tier(tier_id)
    for path, value in tier.values.items():
        if can_differ(effect, path):
            param_at(effect, path)
            effect = replaced(effect, path, value)
    kept = tuple(d for d in effect.deliveries if d.id not in tier.without)
    if len(kept) != len(effect.deliveries):
        effect = effect.model_copy(update={"deliveries": kept})
        effect = effect.model_copy(update=tidied(effect))
    if tier.unlit:
        lights = tuple(x for x in effect.lights if x.id not in tier.unlit or x.part_of != "effect")
        effect = effect.model_copy(update={"lights": lights})
    for lever in effect.levers if levers else ():
        if lever.id in tier.levers:
            value = min(lever.high, max(lever.low, tier.levers[lever.id]))
            if param_at(effect, lever.path).kind == "whole":
                value = round(value)
            effect = replaced(effect, lever.path, value)
    return effect


def promoted(effect: Effect, path: str) -> Effect:
    """The effect with a lever for the player setting at `path`; each tier starts at the present value."""
    p = param_at(effect, path)
    if p.affects != "player" or p.kind not in ("number", "whole"):
        raise BadInput(
            f"{p.label} cannot become a lever", "a number that the game's player reads", place=path
        )
    name = path.rsplit(".", 1)[1]
    taken = {lever.id for lever in effect.levers}
    if any(lever.path == path for lever in effect.levers):
        raise BadInput(f"{p.label} is a lever already", place=path)
    id = next(i for i in (name, *(f"{name}_{k}" for k in range(2, 99))) if i not in taken)
    now = float(get(effect, path))
    low, high = min(now, p.soft[0]), max(now, p.soft[1])
    lever = Lever(id=id, name=p.label, path=path, low=low, high=high)
    tiers = tuple(t.model_copy(update={"levers": {**t.levers, id: now}}) for t in effect.tiers)
    return effect.model_copy(update={"levers": (*effect.levers, lever), "tiers": tiers})


def dismissed(effect: Effect, lever_id: str) -> Effect:
    """The effect without a lever and its values."""
    levers = tuple(lever for lever in effect.levers if lever.id != lever_id)
    tiers = tuple(
        t.model_copy(update={"levers": {k: v for k, v in t.levers.items() if k != lever_id}})
        for t in effect.tiers
    )
    return effect.model_copy(update={"levers": levers, "tiers": tiers})


def with_tier(effect: Effect, like: str | None = None) -> tuple[Effect, str]:
    """The effect with a further tier, like one that is there (or as a new one is), and its id."""
    id = free_id(effect.tiers, "tier")
    number = id.rpartition("_")[2]
    model = next((t for t in effect.tiers if t.id == like), None)
    name = f"Tier {number}" if number.isdigit() else "Tier"
    tier = (model or Tier(id=id)).model_copy(update={"id": id, "name": name})
    return effect.model_copy(update={"tiers": (*effect.tiers, tier)}), id


def without_tier(effect: Effect, id: str) -> Effect:
    """The effect without a tier."""
    return effect.model_copy(update={"tiers": tuple(t for t in effect.tiers if t.id != id)})


def with_trial(effect: Effect) -> tuple[Effect, Trial]:
    """The effect with its present state kept as a trial."""
    id = free_id(effect.trials, "trial")
    number = 1 + max(
        (int(t.name[6:]) for t in effect.trials if re.fullmatch(r"Trial \d{1,6}", t.name)), default=0
    )
    trial = Trial.of(effect, id, f"Trial {number}")
    return effect.model_copy(update={"trials": (*effect.trials, trial)}), trial


def reseeded(effect: Effect) -> tuple[Effect, int]:
    """The effect kept as a trial and given another seed, and that seed."""
    kept, _ = with_trial(effect)
    seed = (effect.seed * 7919 + 4099) % 9973
    seed += seed == effect.seed
    return kept.model_copy(update={"seed": seed}), seed


def differences(before: Effect, after: Effect) -> list[str]:
    """What another state of an effect has otherwise, a phrase for each setting, in the order of the
    document."""
    old, new = (
        {path: (p, value) for path, p, value, _ in walk(effect) if path.split(".")[0] in TRIED}
        for effect in (before, after)
    )
    found = []
    for path in [*old, *(p for p in new if p not in old)]:
        a, b = old.get(path), new.get(path)
        if a is not None and b is not None and a[1] == b[1]:
            continue
        owner = path.rpartition(".")[0]
        at = before if a is not None else after
        who = getattr(get(at, owner), "name", "") or owner.rpartition(".")[2].replace("_", " ") or "effect"
        if a is None or b is None:
            phrase = f"{who}: {'not there' if b is None else 'added'}"
        else:
            phrase = f"{who}, {a[0].label}: {_told(a[0], a[1])} → {_told(b[0], b[1])}"
        if phrase not in found:
            found.append(phrase)
    return found


def _told(p: Param, value: Any) -> str:
    """A setting's value in few words."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, int | float):
        return f"{value:.4g}{' ' + p.unit if p.unit else ''}"
    if isinstance(value, Course):
        return f"a course ({value.kind})"
    if isinstance(value, tuple) and value and all(isinstance(v, float) for v in value):
        return " ".join(f"{v:.4g}" for v in value) + (f" {p.unit}" if p.unit else "")
    return str(value) if isinstance(value, str) and value else "another" if value else "none"


def free_id(items: tuple[Any, ...], stem: str) -> str:
    """An id that none of `items` has."""
    taken = {item.id for item in items}
    return next(i for i in (stem, *(f"{stem}_{k}" for k in range(2, 10_000))) if i not in taken)


def numbered(name: str, taken: set[str]) -> str:
    """A name that none of those that are taken has."""
    if name not in taken:
        return name
    stem = (name.rstrip("0123456789").rstrip() or name)[:54]
    return next(f"{stem} {n}" for n in range(2, 10_000) if f"{stem} {n}" not in taken)


def edited(effect: Effect, path: str, value: Any) -> Effect:
    """The effect with one value set; the same when it has that value already. Deliveries that lasted as long
    as the effect go on doing so, and so do sprites that play them."""
    present = get(effect, path)
    if present == value and type(present) is type(value):
        return effect
    found: Effect = replaced(effect, path, value)
    if path.startswith("lights"):  # of what is gone or the set's now tiers have nothing of their own
        return found.model_copy(update=tidied(found))
    if path.startswith("deliveries") and path.endswith(".route.loop") and value is True:
        route = path.removesuffix(".loop")
        looped: Effect = replaced(found, route, looping(get(found, route)))
        return looped  # else its sprites would go on fading
    if path != "seconds":
        return found
    for delivery in effect.deliveries:
        begin = f"deliveries.{delivery.id}.route"
        for name in ("last", "player.life"):
            if _at(delivery.route, name) == present:
                found = replaced(found, f"{begin}.{name}", found.seconds)
    return found


def _at(node: Any, path: str) -> Any:
    """A value below a node, if it has that."""
    for step in path.split("."):
        node = getattr(node, step, None)
    return node


def label_of(path: str) -> str:
    """What a change of one setting is called in undo."""
    return f"Change {path.rsplit('.', 1)[-1].replace('_', ' ')}"


@dataclass(frozen=True)
class Change:
    """One undoable step."""

    label: str
    before: Effect
    after: Effect
    path: str
    merge: object


Listener = Callable[[str], None]


class Document:
    """An effect being edited.

    Listeners are called with the path that changed ('' when anything may have); they mirror the
    document and never keep settings of their own.
    """

    def __init__(self, effect: Effect | None = None, file: Path | None = None) -> None:
        self.effect = effect or Effect()
        self.file = file
        self._saved = self.effect
        self._done: list[Change] = []
        self._undone: list[Change] = []
        self._listeners: list[Listener] = []

    @property
    def unsaved(self) -> bool:
        return self.effect is not self._saved

    def mark_saved(self, file: Path) -> None:
        self.file, self._saved = file, self.effect
        self._tell("")

    def listen(self, listener: Listener) -> None:
        self._listeners.append(listener)

    def edit(self, path: str, value: Any, label: str = "", merge: object = None) -> None:
        """Set one value. Edits with the same `merge` token (one drag) undo together."""
        self.apply(edited(self.effect, path, value), label or label_of(path), path, merge)

    def apply(self, effect: Effect, label: str, path: str = "", merge: object = None) -> None:
        """Take a new state of the whole effect as one undoable step."""
        if effect is self.effect:
            return
        top = self._done[-1] if self._done else None
        if merge is not None and top is not None and top.merge == merge and not self._undone:
            self._done[-1] = Change(top.label, top.before, effect, path if path == top.path else "", merge)
        else:
            self._done.append(Change(label, self.effect, effect, path, merge))
            del self._done[:-MOST_UNDO]
        self._undone.clear()
        self.effect = effect
        self._tell(path)

    def was_set(self, path: str) -> bool:
        """Whether a setting was edited by hand since the effect was opened, and that was not undone."""
        return any(change.path == path for change in self._done)

    @property
    def undo_label(self) -> str | None:
        return self._done[-1].label if self._done else None

    @property
    def redo_label(self) -> str | None:
        return self._undone[-1].label if self._undone else None

    def undo(self) -> bool:
        if not self._done:
            return False
        change = self._done.pop()
        self._undone.append(change)
        self.effect = change.before
        self._tell(change.path)
        return True

    def redo(self) -> bool:
        if not self._undone:
            return False
        change = self._undone.pop()
        self._done.append(change)
        self.effect = change.after
        self._tell(change.path)
        return True

    def _tell(self, path: str) -> None:
        for listener in list(self._listeners):
            listener(path)
