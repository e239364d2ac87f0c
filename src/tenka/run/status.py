"""What a session tells: the frames that are shown, and how far each layer is."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from tenka.cache.store import Frame
from tenka.effect.model import Layer
from tenka.run.frames import PointFrame

AnyFrame = Any


@dataclass
class Shown:
    """The frames of all layers to show, and whether they are loose (of a running state that an edit took hold
    of)."""

    index: int
    frames: dict[str, AnyFrame]
    loose: bool
    key: str = ""  # of stored frames

    @property
    def frame(self) -> Frame | None:
        """That of the first gas."""
        return next((f for f in self.frames.values() if isinstance(f, Frame)), None)

    def gas(self, id: str | None) -> Frame | None:
        """That of a gas layer, or of the first one when it is none."""
        found = self.frames.get(id or "")
        return found if isinstance(found, Frame) else self.frame

    def points(self, id: str | None) -> PointFrame | None:
        """That of a layer of particles or debris, or of the first one."""
        found = self.frames.get(id or "")
        return (
            found
            if isinstance(found, PointFrame)
            else next((f for f in self.frames.values() if isinstance(f, PointFrame)), None)
        )


@dataclass
class LayerStatus:
    """What is known of a layer.

    Attributes
    ----------
    stored : for each shown frame, whether it can be opened
    figures : what was measured of each frame, see tenka.run.frames
    step_parts : ms of each part of a sub-step
    """

    stored: list[bool] = field(default_factory=list)
    figures: dict[int, dict[str, Any]] = field(default_factory=dict)
    step_parts: dict[str, float] = field(default_factory=dict)


@dataclass
class Status:
    """A snapshot for the interface; `stored` says for which frames all layers are there."""

    stored: list[bool] = field(default_factory=list)
    loose: set[int] = field(default_factory=set)
    running: bool = False
    at: int = 0
    doing: str = ""  # the layer that is simulated now
    seconds_left: float | None = None
    problem: str = ""
    layers: dict[str, LayerStatus] = field(default_factory=dict)
    pace: dict[str, tuple[dict[int, dict[str, Any]], Layer]] = field(
        default_factory=dict
    )  # the newest figures of each layer, and how it was then

    def of(self, layer: str | None) -> LayerStatus:
        """Of one layer; by default of the first."""
        found = self.layers.get(layer or "")
        return found or next(iter(self.layers.values()), LayerStatus())
