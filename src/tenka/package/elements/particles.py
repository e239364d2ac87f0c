"""Particles in a manifest: textures with a row or more for each frame."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tenka.effect.routes.particles import SwarmPlayer
from tenka.package.parts import Element, Name, Part, Share, Vec3, rising


class Texture(Part):
    """An OpenEXR picture of numbers."""

    file: Name


class Particles(Element):
    """Particles frame by frame. A particle keeps its column as long as it lives, and a column stays empty for
    a frame before another takes it; `rows` rows of `columns` hold a frame.

    `place`: red, green, blue: m; alpha: width, m, or nothing where there is none. `paint`: linear light that
    it gives or throws back under the effect's lights; alpha: opacity. `way`: from its head to its tail, m.
    What is drawn is light times opacity over what is behind times (1 - opacity times `opaque`).
    """

    route: Literal["particles"] = "particles"
    place: Texture
    paint: Texture
    way: Texture | None
    columns: int = Field(gt=0, le=16384)
    rows: int = Field(gt=0, le=16384)
    most: int = Field(ge=0, le=10_000_000)  # alive at once
    form: Literal["point", "disc", "soft"]
    softness: Share  # share of the radius over which the edge fades
    opaque: Share  # 0: light is added; 1: it hides what is behind
    # of one, on average, as drawn: m across, and m from its head to its tail
    mean_width: float = Field(ge=0, le=1e6)
    mean_length: float = Field(ge=0, le=1e6)
    mean_alive: float = Field(ge=0, le=1e7)
    low: Vec3  # corners of where they fly, m
    high: Vec3
    tables: tuple[Texture, ...] = Field((), max_length=40_000)
    player: SwarmPlayer

    @model_validator(mode="after")
    def _fits(self) -> Particles:
        rising(self.times)
        return self

    @property
    def files(self) -> list[str]:
        held = (self.place, self.paint, *([self.way] if self.way is not None else []), *self.tables)
        return [texture.file for texture in held]

    @property
    def textures(self) -> list[tuple[int, int]]:
        size = (self.columns, self.rows * len(self.times))
        return [size] * (3 if self.way is not None else 2)

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
