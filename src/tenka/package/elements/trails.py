"""Trails in a manifest: textures of their heads, and how they go on behind these."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tenka.effect.routes.trails import TrailPlayer
from tenka.package.parts import Element, Share, Size, Texture, Vec3, rising

STEPS = 17  # of the tables along a trail


class Trails(Element):
    """Trails moment by moment: a head keeps its column as long as it lives, and a column stays empty for a
    moment before another takes it; `rows` rows of `columns` hold a moment.

    `place`: red, green, blue: m; alpha: width, m, or nothing where there is none. `paint`: linear light;
    alpha: opacity. `speed`: red, green, blue: m/s; alpha: age, s. A trail leads from its head back through
    the places of its column for `seconds`, bent by the speeds there, no further than to its birth; along it,
    `width_over` and `opacity_over` are factors at even steps.
    """

    route: Literal["trails"] = "trails"
    place: Texture
    paint: Texture
    speed: Texture
    paths: Texture | None = None  # USD curves of whole lives, for other uses
    columns: int = Field(gt=0, le=16384)
    rows: int = Field(gt=0, le=16384)
    most: int = Field(ge=0, le=1_000_000)
    form: Literal["ribbon", "tube"]
    softness: Share
    opaque: Share
    seconds: Size
    width_over: tuple[Annotated[float, Field(ge=0, le=1e6)], ...] = Field(min_length=STEPS, max_length=STEPS)
    opacity_over: tuple[Annotated[float, Field(ge=0, le=1e6)], ...] = Field(
        min_length=STEPS, max_length=STEPS
    )
    mean_width: float = Field(ge=0, le=1e6)
    mean_speed: float = Field(ge=0, le=1e6)
    mean_alive: float = Field(ge=0, le=1e7)
    low: Vec3
    high: Vec3
    player: TrailPlayer

    @model_validator(mode="after")
    def _fits(self) -> Trails:
        rising(self.times)
        return self

    @property
    def files(self) -> list[str]:
        held = (self.place, self.paint, self.speed, self.paths)
        return [texture.file for texture in held if texture is not None]

    @property
    def textures(self) -> list[tuple[int, int]]:
        return [(self.columns, self.rows * len(self.times))] * 3

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
