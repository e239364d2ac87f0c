"""Moments with names, the devices that an effect ships on, and what the game may turn."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, model_validator

from tenka.base.ranges import Real
from tenka.effect.catalogue import VIEWING, WHAT, Settings
from tenka.effect.placed import Id


class Cue(Settings):
    """A moment with a name. What hangs on it is timed from it."""

    id: Id
    name: str = WHAT.param("Cue", "What the moment is called.", affects="none")
    at: float = WHAT.number(0.0, "s", -60, 600, "When it is.", soft=(0, 8), step=0.02)


class Tier(Settings):
    """A device, this effect's budget on it, and the viewing for which cost is counted.

    `without` names the deliveries that are left out there, `unlit` the effect's own lights that are;
    `values` gives settings of deliveries and of those lights, by path, that are others there.
    """

    id: Id
    name: Annotated[str, Field(min_length=1, max_length=30)] = VIEWING.param(
        "Tier", "What the tier is called.", affects="none"
    )
    device: str = VIEWING.param("hearth", "Device profile that the game ships on.", kind="device")
    ms: float = VIEWING.number(
        2.0,
        "ms",
        0.001,
        1000,
        "What this effect may take of the device's frame.",
        soft=(0.1, 8),
        label="time budget",
    )
    mb: float = VIEWING.number(
        32.0,
        "MB",
        0.001,
        1e5,
        "What this effect may take of the device's memory.",
        soft=(1, 128),
        step=0.1,
        label="memory budget",
    )
    distance: float = VIEWING.number(14.0, "m", 0.1, 1e4, "How far the player stands from it.", soft=(2, 60))
    width: int = VIEWING.number(
        1920, "px", 64, 8192, "Width of the game's picture.", soft=(640, 3840), step=20
    )
    height: int = VIEWING.number(
        1080, "px", 64, 8192, "Height of the game's picture.", soft=(360, 2160), step=10
    )
    copies: int = VIEWING.number(
        1, "", 1, 500, "How many of this effect are on screen.", soft=(1, 12), step=1, label="on screen"
    )
    copies_a_call: int = VIEWING.number(
        1,
        "",
        1,
        500,
        "How many of those on screen the game draws in one call. What has textures or a mesh of its own at "
        "each moment (volumes, meshes, live grids, lights) is drawn one by one all the same.",
        soft=(1, 64),
        step=1,
        label="in one call",
    )
    fov: float = VIEWING.number(
        50.0,
        "°",
        5,
        140,
        "Vertical angle of view of the game's camera.",
        soft=(25, 90),
        step=1,
        label="field of view",
    )
    levers: dict[str, float] = Field(default_factory=dict)
    without: tuple[Id, ...] = ()
    unlit: tuple[Id, ...] = ()
    values: dict[str, Any] = Field(default_factory=dict)


class Lever(Settings):
    """A control that the game gets: the path of a player setting, and the range it may move in."""

    id: Id
    name: str = Field(min_length=1, max_length=40)
    path: str
    low: Real
    high: Real

    @model_validator(mode="after")
    def _low_below_high(self) -> Lever:
        if self.low >= self.high:
            raise ValueError("a lever's low must be below its high")
        return self
