"""Frames while settings change: all layers as one group that goes on from what is shown, stored nowhere."""

from __future__ import annotations

from dataclasses import dataclass

from tenka.base.errors import TenkaError
from tenka.cache.store import FrameStore
from tenka.run.given import Links
from tenka.run.members import Group, State
from tenka.run.plans import Plan
from tenka.run.status import Shown


@dataclass
class Loose:
    """The states of all layers at one frame, the group that steps them, and the plans that it was made of."""

    index: int
    states: dict[str, State]
    group: Group
    plans: dict[str, Plan]


def begin_loose(plans: dict[str, Plan], last: Shown, store: FrameStore) -> Loose | None:
    """All layers as one group that goes on from what is shown; None when that does not fit the settings any
    more."""
    if set(last.frames) != set(plans):
        return None
    try:
        links = Links(None, next(iter(plans.values())).effect.rate, {})
        group = Group([plan.member(links) for plan in plans.values()], links, alone=True)
    except TenkaError:
        return None
    states: dict[str, State] = {}
    names = dict(zip(plans, last.key.split("|"))) if last.key else {}
    for id, frame in last.frames.items():
        state = group.members[id].of_frame(frame, store, names.get(id, ""))
        if state is None:
            return None
        states[id] = state
    return Loose(last.index, states, group, plans)
