"""Particles in a manifest: textures with a row or more for each frame, or births and a law."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tenka.effect.routes.particles import SwarmPlayer
from tenka.package.law import OVER, Law
from tenka.package.parts import Element, Share, Texture, Vec3, rising


class Particles(Element):
    """Particles frame by frame. A particle keeps its column as long as it lives, and a column stays empty for
    a frame before another takes it; `rows` rows of `columns` hold a frame.

    `place`: red, green, blue: m; alpha: width, m, or nothing where there is none. `paint`: linear light that
    it gives or throws back under the effect's lights; alpha: opacity. `way`: from its head to its tail, m.
    What is drawn is light times opacity over what is behind times (1 - opacity times `opaque`). With a `law`
    there are none of these textures.
    """

    route: Literal["particles"] = "particles"
    place: Texture | None
    paint: Texture | None
    way: Texture | None
    law: Law | None = None
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
        if (self.law is None) != (self.place is not None and self.paint is not None):
            raise ValueError("particles are given either moment by moment or by their law")
        if self.law is not None and self.law.births > self.law.columns * self.law.rows:
            raise ValueError(f"{self.law.births} births do not fit {self.law.columns} x {self.law.rows}")
        return self

    @property
    def files(self) -> list[str]:
        held = [x for x in (self.place, self.paint, self.way, *self.tables) if x is not None]
        law = self.law
        fields = [] if law is None else [f.file for f in law.fields]
        held += [] if law is None else [law.born, law.launch, law.own, law.over]
        return [texture.file for texture in held] + fields

    @property
    def textures(self) -> list[tuple[int, int]]:
        law = self.law
        if law is not None:
            return [(law.columns, law.rows)] * 3 + [(OVER, 2), *(f.texture for f in law.fields)]
        size = (self.columns, self.rows * len(self.times))
        return [size] * (3 if self.way is not None else 2)

    @property
    def remark(self) -> str:
        return "" if self.law is None else self.law.agrees.words

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
