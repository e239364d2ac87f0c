"""Sentences with the names of things, where they were made with their ids and paths."""

from __future__ import annotations

import re

from tenka.base.errors import BadInput
from tenka.effect.document import get, param_at
from tenka.effect.model import Effect

KINDS = "layer|delivery|source|collider|force|prop|cue|tier|lever|trial"
_PATH = re.compile(
    r"\b(?:layers|deliveries|forces|lights|cameras|props|cues|tiers|levers|trials)(?:\.[a-z0-9_]+)+"
)
_THING = re.compile(rf"\b({KINDS}) ([a-z][a-z0-9_]*)(?![\w.])")
_QUOTED = re.compile(rf"\b(?:the )?({KINDS}) '([a-z][a-z0-9_]*)'")


def name_of_path(effect: Effect, path: str) -> str:
    """A path as a person says it: names of things, then the label of the setting. What is not there stays as
    it is."""
    steps, words = path.split("."), []
    try:
        for n in range(1, len(steps) + 1):
            name = getattr(get(effect, ".".join(steps[:n])), "name", "")
            if name:
                words.append(str(name))
        owner = get(effect, path.rpartition(".")[0])
        if hasattr(type(owner), "model_fields"):
            words.append(param_at(effect, path).label)
    except BadInput:
        return ", ".join(words) if words and words[-1] and not path.endswith(words[-1]) else path
    return ", ".join(words) or path


def _names(effect: Effect, kind: str) -> dict[str, str]:
    """Names by id of all things of a kind; of sources and colliders those of every layer."""
    if kind in ("source", "collider"):
        return {x.id: x.name for layer in effect.layers for x in getattr(layer, f"{kind}s")}
    group = "deliveries" if kind == "delivery" else f"{kind}s"
    return {x.id: x.name for x in getattr(effect, group)}


def in_names(effect: Effect, text: str) -> str:
    """A sentence with names in place of paths and ids."""

    def quoted(match: re.Match[str]) -> str:
        name = _names(effect, match.group(1)).get(match.group(2))
        return match.group(0) if name is None else f"the {match.group(1)} {name}"

    def plain(match: re.Match[str]) -> str:
        return _names(effect, match.group(1)).get(match.group(2), match.group(0))

    text = _PATH.sub(lambda m: name_of_path(effect, m.group(0)), text)
    text = _THING.sub(plain, _QUOTED.sub(quoted, text))
    return text[:1].upper() + text[1:] if " " in text else text
