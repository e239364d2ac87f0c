"""The shimmer route: how hot air bends what is seen through it, as an atlas of angles."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import ATLAS, PLAYER, Settings
from tenka.effect.courses import most
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment


class ShimmerPlayer(Settings):
    """What the game may turn of a shimmer."""

    strength: float = PLAYER.number(
        1.0,
        "",
        0,
        100,
        "How strongly it bends against what was packed.",
        soft=(0, 4),
        label="strength played",
    )


class Shimmer(RouteSettings):
    """The shimmer route: the angles by which a gas's heat turns light, frame by frame."""

    TITLE: ClassVar[str] = "Shimmer"
    HINT: ClassVar[str] = "Angles by which hot air bends what is behind it, in an atlas on a still sheet."
    TAKES: ClassVar[tuple[str, ...]] = ("gas",)
    SHOWS: ClassVar[bool] = False
    kind: Literal["shimmer"] = "shimmer"
    first: float = first_moment(ATLAS)
    last: float = last_moment(ATLAS)
    columns: int = ATLAS.number(
        4, "", 1, 32, "Frames in a row of the atlas.", soft=(1, 16), step=1, cost="memory"
    )
    rows: int = ATLAS.number(4, "", 1, 32, "Rows of frames.", soft=(1, 16), step=1, cost="memory")
    side: int = ATLAS.number(
        64,
        "px",
        8,
        512,
        "Longer side of a frame.",
        soft=(32, 128),
        step=8,
        label="frame's side",
        cost="memory",
    )
    heading: float = ATLAS.number(
        -90.0, "°", -360, 360, "Side from which it is measured; -90 looks along +y.", soft=(-180, 180), step=1
    )
    player: ShimmerPlayer = Field(default_factory=ShimmerPlayer)

    def fits(self, layer: Any) -> str:
        return super().fits(layer) or (
            "" if most(layer.look.shimmer) > 0 else "takes a gas whose look has shimmer"
        )
