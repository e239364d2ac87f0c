"""The surface route: a water's surface as textures, for a plane of the game's that they lift and shade."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import ATLAS, PLAYER, Settings
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment, one_in

LOOPED = ("ends", ("loop",))


class SurfacePlayer(Settings):
    """How the game draws the surface."""

    squares: int = PLAYER.number(
        96,
        "",
        2,
        1024,
        "Squares of the plane along its longer side, that heights lift.",
        soft=(16, 256),
        step=4,
        cost="arithmetic",
        label="squares along",
    )
    height: float = PLAYER.number(
        1.0, "", 0, 10, "Height of waves against what was packed.", soft=(0, 2), label="waves played"
    )
    foam: float = PLAYER.number(
        1.0, "", 0, 4, "Foam against what was packed.", soft=(0, 2), label="foam played"
    )
    speed: float = PLAYER.number(
        1.0, "", 0, 10, "Pace of its frames against the effect's.", soft=(0.2, 2), label="pace played"
    )


class SurfaceMaps(RouteSettings):
    """The surface route: heights, normals, foam and flow, frame by frame in atlases."""

    TITLE: ClassVar[str] = "Surface textures"
    HINT: ClassVar[str] = "Height, normals, foam and flow of a water, for a plane that they lift."
    TAKES: ClassVar[tuple[str, ...]] = ("water",)
    kind: Literal["surface"] = "surface"
    first: float = first_moment(ATLAS)
    last: float = last_moment(ATLAS)
    every: int = one_in(ATLAS)
    texels: int = ATLAS.number(
        128,
        "px",
        8,
        1024,
        "Texels of a frame along its longer side.",
        soft=(32, 256),
        step=8,
        cost="memory",
        label="texels along",
    )
    bits: Literal["16", "8"] = ATLAS.param(
        "16", "Bits of a height: with 8, low waves climb in steps.", label="bits of heights", cost="memory"
    )
    normals: bool = ATLAS.param(True, "Whether normals are written; else the game finds them from heights.")
    flow: bool = ATLAS.param(
        False, "Whether it is written how the water goes, for what drifts on it.", label="flow map"
    )
    ends: Literal["once", "loop"] = ATLAS.param(
        "once",
        "Played once, and then as it ended; or round and round, its end blended into its beginning.",
        label="played",
    )
    blend: float = ATLAS.number(
        1.0,
        "s",
        0,
        60,
        "Seconds over which the end is blended into the beginning.",
        soft=(0.1, 2),
        label="blended over",
        when=LOOPED,
    )
    edges: Literal["cut", "still", "tiled"] = ATLAS.param(
        "cut",
        "At its sides waves are cut, die down so that it joins still water, or meet those of the other side.",
        label="sides written",
    )
    margin: float = ATLAS.number(
        0.6,
        "m",
        0.001,
        1000,
        "Over how much of the water they do.",
        soft=(0.1, 3),
        label="margin of sides",
        when=("edges", ("still", "tiled")),
    )
    player: SurfacePlayer = Field(default_factory=SurfacePlayer)
