"""The slices route: a gas as a stack of cross-sections, each a flipbook, on still sheets."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import ATLAS, PLAYER, Settings
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment


class SlicePlayer(Settings):
    """What the game may turn of a stack of slices."""

    opacity: float = PLAYER.number(1.0, "", 0, 1, "Opacity against what was packed.", label="opacity played")
    brightness: float = PLAYER.number(
        1.0, "", 0, 50, "Light against what was packed.", soft=(0, 3), label="brightness played"
    )
    soft_edge: float = PLAYER.number(
        0.3,
        "m",
        0,
        50,
        "Distance to a surface over which a sheet fades instead of cutting it.",
        soft=(0, 2),
        cost="arithmetic",
    )


class SliceStack(RouteSettings):
    """The slices route: how many sheets, how many frames, and how large they are."""

    TITLE: ClassVar[str] = "Slices"
    HINT: ClassVar[str] = (
        "Cross-sections on still sheets, lit by the whole, that keep their depth from aside."
    )
    TAKES: ClassVar[tuple[str, ...]] = ("gas",)
    kind: Literal["slices"] = "slices"
    first: float = first_moment(ATLAS)
    last: float = last_moment(ATLAS)
    count: int = ATLAS.number(
        16, "", 2, 64, "Sheets, one behind the other.", soft=(6, 32), step=1, label="sheets", cost="fill"
    )
    spacing: Literal["evenly", "where it changes"] = ATLAS.param(
        "where it changes",
        "Sheets lie as far apart everywhere, or closer together where there is more.",
        label="sheets lie",
    )
    columns: int = ATLAS.number(
        4,
        "",
        1,
        32,
        "Frames in a row of a sheet's atlas.",
        soft=(1, 16),
        step=1,
        label="columns",
        cost="memory",
    )
    rows: int = ATLAS.number(
        4, "", 1, 32, "Rows of frames.", soft=(1, 16), step=1, label="rows", cost="memory"
    )
    side: int = ATLAS.number(
        64,
        "px",
        8,
        1024,
        "Longer side of a frame.",
        soft=(32, 256),
        step=8,
        label="frame's side",
        cost="memory",
    )
    heading: float = ATLAS.number(
        -90.0,
        "°",
        -360,
        360,
        "Side across which the sheets stand; -90 looks along +y.",
        soft=(-180, 180),
        step=1,
    )
    player: SlicePlayer = Field(default_factory=SlicePlayer)
