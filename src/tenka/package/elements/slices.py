"""A stack of slices in a manifest."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tenka.base.ranges import Count
from tenka.effect.routes.slices import SlicePlayer
from tenka.package.parts import Element, Metres, Name, Part, Size, Vec3, rising


class Slice(Part):
    """A sheet's atlas, 8-bit RGBA PNG: frames in rows from the top left, premultiplied in linear light, whose
    colour is light over `scale`, encoded as sRGB; and how far the sheet stands from the corner."""

    file: Name
    away: Metres


class Slices(Element):
    """Sheets that stand still across a heading, one behind the other, near ones first; a sheet without
    anything is left out. A sheet's lower left corner is at `corner` + `away` along `axes[2]`, and it goes by
    `axes[0]` to the right and by `axes[1]` up. They are drawn from the farthest, as seen by the camera.
    """

    route: Literal["slices"] = "slices"
    sheets: tuple[Slice, ...] = Field(min_length=1, max_length=64)
    columns: int = Field(gt=0, le=64)
    rows: int = Field(gt=0, le=64)
    frame: tuple[Count, Count]  # px
    corner: Vec3
    axes: tuple[Vec3, Vec3, Vec3]  # right and up as long as a sheet, m; away as a unit vector
    deep: Size  # from the first face of the box to its last, m
    scale: Size
    player: SlicePlayer

    @model_validator(mode="after")
    def _fits(self) -> Slices:
        rising(self.times)
        if len(self.times) > self.columns * self.rows or min(self.frame) < 1:
            raise ValueError(f"{len(self.times)} frames do not fit {self.columns} x {self.rows} cells")
        return self

    @property
    def files(self) -> list[str]:
        return [sheet.file for sheet in self.sheets]

    @property
    def textures(self) -> list[tuple[int, int]]:
        return [(self.columns * self.frame[0], self.rows * self.frame[1])] * len(self.sheets)

    @property
    def wide(self) -> float:
        x, y, z = self.axes[0]
        return float((x * x + y * y + z * z) ** 0.5)
