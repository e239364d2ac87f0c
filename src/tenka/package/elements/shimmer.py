"""A shimmer in a manifest."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tenka.base.ranges import Count
from tenka.effect.routes.shimmer import ShimmerPlayer
from tenka.package.parts import Element, Size, Texture, Vec3, rising


class Shimmer(Element):
    """Frames in rows from the top left of an 8-bit PNG: (red / 127 - 1) `scale` is the angle, rad, by which
    light that comes from behind is turned to the right, green likewise down.

    A sheet of `size` m stands upright at `centre` and faces the camera. What is b m behind it is seen moved
    by the angle times b, at its own distance.
    """

    route: Literal["shimmer"] = "shimmer"
    atlas: Texture
    columns: int = Field(gt=0, le=64)
    rows: int = Field(gt=0, le=64)
    frame: tuple[Count, Count]  # px
    centre: Vec3
    size: tuple[Size, Size]
    scale: Size  # rad
    player: ShimmerPlayer

    @model_validator(mode="after")
    def _fits(self) -> Shimmer:
        rising(self.times)
        if len(self.times) > self.columns * self.rows or min(self.frame) < 1:
            raise ValueError(f"{len(self.times)} frames do not fit {self.columns} x {self.rows} cells")
        return self

    @property
    def files(self) -> list[str]:
        return [self.atlas.file]

    @property
    def textures(self) -> list[tuple[int, int]]:
        return [(self.columns * self.frame[0], self.rows * self.frame[1])]

    @property
    def wide(self) -> float:
        return self.size[0]
