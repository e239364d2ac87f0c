"""The keys of a thing's courses, all together: where they are in time, and moved in time."""

from __future__ import annotations

from pydantic import BaseModel

from tenka.base.errors import BadInput
from tenka.effect.catalogue import params
from tenka.effect.courses import Keys
from tenka.effect.document import get, replaced
from tenka.effect.model import Effect, Feed

SAME = 1e-3  # s: keys this close are one moment
OWN_GROUPS = ("sources", "colliders")  # whose rows are their own


def courses_of(effect: Effect, path: str) -> dict[str, Keys]:
    """The keyed courses of a thing and of its parts, by their paths."""
    node = get(effect, path)
    found: dict[str, Keys] = {}
    for name in params(type(node)):
        value = getattr(node, name)
        if isinstance(value, Keys):
            found[f"{path}.{name}"] = value
    for name in type(node).model_fields:
        part = getattr(node, name)
        if isinstance(part, BaseModel) and not isinstance(part, Keys) and name not in OWN_GROUPS:
            found |= courses_of(effect, f"{path}.{name}") if params(type(part)) else {}
    return found


def shift_of(effect: Effect, path: str) -> float:
    """How much later than its own times a course takes place, s: a source's emission counts from its cue."""
    owner, _, name = path.rpartition(".")
    node = get(effect, owner)
    if name != "emission" or not isinstance(node, Feed):
        return 0.0
    return node.delay + next((c.at for c in effect.cues if c.id == node.cue), 0.0)


def moments(effect: Effect, path: str) -> list[float]:
    """When a thing has keys, s, in order."""
    times = sorted(
        key.t + shift_of(effect, p) for p, course in courses_of(effect, path).items() for key in course.keys
    )
    return [t for n, t in enumerate(times) if not n or t - times[n - 1] > SAME]


def with_moment_moved(effect: Effect, path: str, t: float, to: float) -> Effect:
    """The effect with all of a thing's keys of one moment at another.

    Raises
    ------
    BadInput
        There are other keys at or beyond that moment: keys keep their order.
    """
    for p, course in courses_of(effect, path).items():
        shift = shift_of(effect, p)
        times = [key.t + shift for key in course.keys]
        at = next((n for n, own in enumerate(times) if abs(own - t) <= SAME), None)
        if at is None:
            continue
        before, after = times[:at], times[at + 1 :]
        if any(to <= own + SAME for own in before) or any(to >= own - SAME for own in after):
            raise BadInput("a key stays between its neighbours")
        keys = list(course.keys)
        keys[at] = keys[at].model_copy(update={"t": to - shift})
        effect = replaced(effect, p, Keys(keys=tuple(keys)))
    return effect
