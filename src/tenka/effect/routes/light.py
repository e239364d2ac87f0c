"""The light route: what a fire or sparks throw round them, as a light of the game."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import BAKE, PLAYER, Settings
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment


class LightPlayer(Settings):
    """What the game may turn of a light."""

    brightness: float = PLAYER.number(
        1.0, "", 0, 50, "Light against what was packed.", soft=(0, 3), label="brightness played"
    )
    reach: float = PLAYER.number(
        8.0,
        "m",
        0.1,
        1000,
        "How far the game lets it shine, by which it is weighed: towards there it fades out.",
        soft=(1, 30),
        cost="arithmetic",
    )


class LightTrack(RouteSettings):
    """The light route: place, colour and strength over time, fitted to what the layer gives off."""

    TITLE: ClassVar[str] = "Light"
    HINT: ClassVar[str] = "A light whose place, colour and strength follow what the layer gives off."
    TAKES: ClassVar[tuple[str, ...]] = ("gas", "particles", "debris")
    SHARED: ClassVar[bool] = True
    SHOWS: ClassVar[bool] = False
    kind: Literal["light"] = "light"
    first: float = first_moment(BAKE)
    last: float = last_moment(BAKE)
    close: float = BAKE.number(
        0.02,
        "",
        0,
        0.5,
        "How far a key may be from the light itself, as a share of the brightest: larger needs fewer keys.",
        soft=(0, 0.1),
        label="keys as close as",
    )
    player: LightPlayer = Field(default_factory=LightPlayer)

    def fits(self, layer: Any) -> str:
        return super().fits(layer) or ("" if layer.glows else "takes what glows or shines")
