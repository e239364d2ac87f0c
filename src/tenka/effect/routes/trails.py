"""The trails route: ribbons or tubes behind particles, from rows of where these were."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import BAKE, PLAYER
from tenka.effect.routes.base import Baked, RowPlayer

DRAWN = ("ribbon", "tube")


class TrailPlayer(RowPlayer):
    """What the game may turn of trails."""

    length: float = PLAYER.number(
        1.0, "", 0, 1, "Length of trails against what was packed.", cost="fill", label="length played"
    )


class TrailBake(Baked):
    """The trails route: places, speeds and light of the heads in textures, and how a trail goes on behind."""

    TITLE: ClassVar[str] = "Trails"
    HINT: ClassVar[str] = "Ribbons or tubes that the game draws behind particles, from where these were."
    TAKES: ClassVar[tuple[str, ...]] = ("particles", "debris")
    kind: Literal["trails"] = "trails"
    most: int = BAKE.number(
        2_000,
        "",
        1,
        100_000,
        "No more trails than so many at once; of more, some stand for all, and are wider.",
        soft=(50, 5_000),
        step=10,
        label="most written",
        cost="memory",
    )
    paths: bool = BAKE.param(
        False,
        "USD curves besides, each of a particle's whole life, with its width, light, speed and age along it, "
        "when it was born, and how fast it set out.",
        label="whole paths",
    )
    player: TrailPlayer = Field(default_factory=TrailPlayer)

    def fits(self, layer: Any) -> str:
        why = super().fits(layer)
        return why or ("" if layer.look.form in DRAWN else f"takes what is drawn as {DRAWN[0]} or {DRAWN[1]}")
