"""Several things of an effect edited together."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from pydantic import ValidationError

from tenka.base.errors import BadInput
from tenka.effect.catalogue import params
from tenka.effect.delivered import has_own
from tenka.effect.document import edited, get, replaced, with_own
from tenka.effect.model import Effect, Tier
from tenka.effect.things import group_of

MOVED = ("position",)  # of several together: by the same way, rather than to the same place


def set_together(effect: Effect, path: str, value: object, first: str, others: Sequence[str]) -> Effect:
    """The effect with a setting of one thing changed, and of all others that have it too.

    Parameters
    ----------
    path : of the setting, within `first`
    first, others : paths of the things

    Raises
    ------
    BadInput
        The value is refused for the first; others for which it is refused stay as they are.
    """
    before = get(effect, path)
    changed: Effect = replaced(effect, path, value)
    rest = path[len(first) + 1 :]
    owner, _, name = rest.rpartition(".")
    for other in others:
        theirs = f"{other}.{rest}"
        try:
            node = get(changed, f"{other}.{owner}".rstrip("."))
            if name not in params(type(node)):
                continue
            new = value
            if name in MOVED and isinstance(value, tuple):
                new = tuple(c + v - b for c, v, b in zip(get(changed, theirs), value, before))
            changed = replaced(changed, theirs, new)
        except (BadInput, ValidationError):
            continue
    return changed


def edited_on(
    effect: Effect, tier: Tier | None, path: str, value: object, first: str, others: Sequence[str]
) -> Effect:
    """The effect with a setting of one or more things changed, as they are seen on a tier: what has a value
    of its own there gets it as that.

    Parameters
    ----------
    path : of the setting, within `first` where there are others

    Raises
    ------
    BadInput
        The value is refused for the first.
    """
    rest = path.removeprefix(first)
    own = [p for p in (path, *(f"{other}{rest}" for other in others)) if has_own(effect, tier, p)]
    plain = [other for other in others if f"{other}{rest}" not in own]
    changed = effect
    if path not in own:
        changed = set_together(effect, path, value, first, plain) if plain else edited(effect, path, value)
    else:
        for other in plain:
            with suppress(BadInput, ValidationError):
                changed = set_together(changed, f"{other}{rest}", value, other, ())
    for mine in own:
        assert tier is not None, "nothing has a value of its own there"
        changed = with_own(changed, tier.id, mine, value)
    return changed


def fit_together(paths: Sequence[str]) -> list[str]:
    """Those of some paths that can be in one selection: of the same group as the last, each once."""
    kept = [p for p in dict.fromkeys(paths) if p and group_of(p)]
    return [p for p in kept if group_of(p) == group_of(kept[-1])] if kept else []
