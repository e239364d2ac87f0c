"""A layer kind that nothing but its registration knows: a level that rises, with no picture of its own."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from types import SimpleNamespace
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
import pytest
from pydantic import Field

from tenka.base.clock import step_time
from tenka.cache.store import FrameStore
from tenka.effect.catalogue import MOTION
from tenka.effect.model import DebrisLayer, Effect, GasLayer, LayerBase, ParticleLayer
from tenka.run.findings import Finding
from tenka.run.kinds import KINDS, Kind
from tenka.run.members import Member


class GaugeLayer(LayerBase):
    """A level, in metres, that rises evenly."""

    HANDS: ClassVar[str] = "level"
    UNITS: ClassVar[str] = "metres"

    kind: Literal["gauge"] = "gauge"
    pace: float = MOTION.number(0.5, "m/s", 0, 10, "How fast the level rises.", cost="solver")


@dataclass
class GaugeFrame:
    """A level at a moment."""

    level: float
    time: float
    meta: dict[str, Any] = field(default_factory=dict)


class GaugeMember(Member):
    """Adds up the pace."""

    whole_frames = True

    def __init__(self, plan: Any, links: Any) -> None:
        super().__init__(plan, links)
        self.solver = SimpleNamespace(parts={"rise": 0.0}, substeps=0)

    def start(self) -> tuple[float, float]:
        return 0.0, 0.0

    def begin(self, state: Any) -> tuple[Any, int]:
        return state, 2

    def part(self, state: Any, index: int, sub: int, count: int) -> Any:
        rate = self.plan.effect.rate
        start, end = step_time(index, sub, count, rate), step_time(index, sub + 1, count, rate)
        self.solver.substeps += 1
        return state[0] + self.plan.layer.pace * (end - start), end

    def take_settings(self, plan: Any) -> bool:
        self.plan = plan
        return True

    def frame_of(self, state: Any, final: bool = False) -> GaugeFrame:
        return GaugeFrame(state[0], state[1], {"level": state[0], "fastest": self.plan.layer.pace})

    def put(self, store: FrameStore, name: str, frame: GaugeFrame) -> None:
        store.put(name, {"level": np.array([frame.level])}, {"time": frame.time, **frame.meta})

    def of_frame(self, frame: GaugeFrame, store: FrameStore, name: str) -> Any:
        return frame.level, frame.time

    def resume(self, store: FrameStore, f: int, ending: str = "") -> Any:
        found = read(store, self.plan.name(f) + ending)
        return None if found is None else (found.level, found.time)


def read(store: FrameStore, name: str, whole: bool = False) -> GaugeFrame | None:
    """A stored level."""
    found = store.get(name)
    if found is None:
        return None
    arrays, meta = found
    return GaugeFrame(float(arrays["level"][0]), float(meta["time"]), meta)


def between(a: GaugeFrame, b: GaugeFrame, share: float) -> GaugeFrame:
    """The level between two moments."""
    return GaugeFrame(a.level + share * (b.level - a.level), a.time + share * (b.time - a.time), dict(a.meta))


def no_findings(effect: Effect, layer: Any, figures: dict) -> list[Finding]:
    """A level is never wrong."""
    return []


GAUGE = Kind(
    GaugeMember,
    read,
    lambda effect, layer, folder: ({"pace": layer.pace}, f"rises at {layer.pace:g} m/s"),
    (("level", "Level", "m"),),
    between,
    no_findings,
    lambda effect, layer, figures: None,
)


@contextmanager
def gauges() -> Iterator[None]:
    """The program with that kind among its own."""
    documents = Annotated[GasLayer | ParticleLayer | DebrisLayer | GaugeLayer, Field(discriminator="kind")]
    kept = Effect.model_fields["layers"].annotation
    with pytest.MonkeyPatch.context() as patch:
        patch.setitem(KINDS, "gauge", GAUGE)
        try:
            Effect.model_fields["layers"].annotation = tuple[documents, ...]
            Effect.model_rebuild(force=True)
            yield
        finally:
            Effect.model_fields["layers"].annotation = kept
            Effect.model_rebuild(force=True)
