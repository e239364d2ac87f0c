"""Where the layers of a group find what they take from: each other, as they are now, or the stored frames of
others."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any
from weakref import WeakValueDictionary

from tenka.cache.store import FrameStore
from tenka.gas.swept import Swept
from tenka.particles.paths import paths_between, swept_of
from tenka.particles.state import AirField, Events, Paths, all_events
from tenka.run.frames import PointFrame, StoredField
from tenka.water.felt import WaterField
from tenka.water.lumps import Lumps
from tenka.water.pouring import Poured

if TYPE_CHECKING:
    from tenka.run.members import Member
    from tenka.run.plans import Plan

State = Any
"""A layer's own state: what its solver steps from."""


@dataclass
class Links:
    """Where the members of a group find what they take from: each other, as they are now, or the stored
    frames
    of others.

    Attributes
    ----------
    stored : plans of the layers outside the group
    index : the frame that is being left
    members : those of the group; weak, since each holds its links: a solver's work space would wait for the
        collector, which counts objects and not bytes
    """

    store: FrameStore | None
    rate: float
    stored: dict[str, Plan]
    index: int = 0
    live: dict[str, State] = field(default_factory=dict)
    live_paths: dict[str, Paths] = field(default_factory=dict)
    members: WeakValueDictionary[str, Member] = field(default_factory=WeakValueDictionary)
    _fields: dict[str, StoredField] = field(default_factory=dict)
    _live_fields: dict[str, tuple[State, AirField | None]] = field(default_factory=dict)
    _paths: dict[tuple[str, int], Paths | None] = field(default_factory=dict)
    _frames: dict[tuple[str, int], PointFrame | None] = field(default_factory=dict)
    _pieces: dict[str, Member] = field(default_factory=dict)
    _waters: dict[tuple[str, int], WaterField | None] = field(default_factory=dict)

    def gas(self, id: str) -> AirField | None:
        """The field that a layer hands over, now or between the two stored frames."""
        if id in self.live:
            state, held = self.live[id], self._live_fields.get(id)
            if held is None or held[0] is not state:
                self._live_fields[id] = held = (state, self.members[id].field_of(state))
            return held[1]
        plan = self.stored.get(id)
        if plan is None or self.store is None:
            return None
        reader = self._fields.setdefault(id, StoredField())
        a, b = (min(max(f, 0), plan.effect.frames - 1) for f in (self.index, self.index + 1))
        start, end = self.index / self.rate, (self.index + 1) / self.rate
        return reader.between(self.store, plan.name(a), plan.name(b), start, end)

    def water(self, id: str) -> WaterField | None:
        """The surface that a layer hands over, now or between the two stored frames."""
        if id in self.live:
            return self.members[id].surface_of(self.live[id])
        plan = self.stored.get(id)
        if plan is None or self.store is None:
            return None
        key = (id, self.index)
        if key not in self._waters:
            from tenka.run.watering import field_of

            a, b = (min(max(f, plan.first), plan.effect.frames - 1) for f in (self.index, self.index + 1))
            early, late = (plan.read(self.store, f) for f in (a, b))
            self._waters = {k: v for k, v in self._waters.items() if k[0] != id}
            lacks = early is None or late is None
            self._waters[key] = None if lacks else field_of(early, late, plan.layer.flow.density)
        return self._waters[key]

    def lumps(self, id: str, t: float) -> Lumps | None:
        """The pieces that a layer hands over, now or between the two stored frames, as hulls in a water."""
        if id in self.live:
            return self.members[id].lumps_of(self.live[id].points)
        if id not in self.stored:
            return None
        plan, frames = self.stored[id], [self._frame(id, self.index + k) for k in (0, 1)]
        early = frames[0] or frames[1]
        if early is None:
            return None
        share = min(max(t * self.rate - self.index, 0.0), 1.0)
        found = early if frames[1] is None else plan.kind.between(early, frames[1], share)
        if id not in self._pieces:
            self._pieces[id] = plan.member(Links(self.store, self.rate, {}))
        return self._pieces[id].lumps_of(found.points)

    def _frame(self, id: str, index: int) -> PointFrame | None:
        key = (id, index)
        if key not in self._frames:
            plan = self.stored[id]
            for old in [k for k in self._frames if k[0] == id and k[1] < index - 1]:
                self._frames.pop(old)
            known = index in plan.keys and self.store is not None
            self._frames[key] = (
                plan.kind.points(self.store, plan.name(index)) if known and self.store is not None else None
            )
        return self._frames[key]

    def paths(self, id: str) -> Paths | None:
        """How the points that a layer hands over go, in the step or between the two stored frames."""
        if id in self.live:
            return self.live_paths.get(id)
        if id not in self.stored:
            return None
        key = (id, self.index)
        if key not in self._paths:
            a, b = self._frame(id, self.index), self._frame(id, self.index + 1)
            self._paths = {k: v for k, v in self._paths.items() if k[0] != id}
            self._paths[key] = (
                None
                if a is None or b is None
                else paths_between(a.points, b.points, self.index / self.rate, (self.index + 1) / self.rate)
            )
        return self._paths[key]

    def events(self, id: str, kind: str) -> Events:
        """Births, bounces or deaths of the points that a layer hands over."""
        if id in self.live:
            return self.members[id].events_of(self.live[id], kind)
        frames = [self._frame(id, self.index + k) for k in (0, 1)] if id in self.stored else []
        return all_events([f.events[kind] for f in frames if f is not None and kind in f.events])

    def poured(self, id: str) -> Poured | None:
        """What of a liquid fell into a water in the step; the two are stepped together."""
        return self.members[id].poured_of(self.live[id]) if id in self.live else None

    def swept(self, id: str, start: float, end: float) -> Swept | None:
        paths = self.paths(id)
        return None if paths is None else swept_of(paths, start, end)
