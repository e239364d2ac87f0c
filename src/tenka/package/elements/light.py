"""A light in a manifest: keys of its place, colour and strength."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tenka.base.ranges import Real
from tenka.effect.routes.light import LightPlayer
from tenka.package.parts import Element, Texture, rising


class LightTrack(Element):
    """A light over time, straight from key to key: place, m; linear light that it gives at 1 m, red, green,
    blue; radius, m. Its light falls off by 1 / (distance^2 + radius^2), and by (1 - (distance /
    reach)^4)^2 towards the player's reach."""

    route: Literal["light"] = "light"
    keys: tuple[Annotated[tuple[Real, ...], Field(min_length=7, max_length=7)], ...] = Field(
        min_length=1, max_length=40_000
    )
    table: Texture  # the same for every frame of the effect, as CSV
    error: float = Field(ge=0, le=1e6)  # of the keys, at most, as a share of the brightest
    player: LightPlayer

    @model_validator(mode="after")
    def _fits(self) -> LightTrack:
        rising(self.times)
        if len(self.keys) != len(self.times):
            raise ValueError(f"{len(self.keys)} keys do not fit {len(self.times)} times")
        return self

    @property
    def files(self) -> list[str]:
        return [self.table.file]

    @property
    def wide(self) -> float:
        return 0.0
