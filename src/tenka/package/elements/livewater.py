"""A live water in a manifest: all that a height-field solver in the game needs to be told."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from tenka.base.ranges import Count
from tenka.effect.model import WaterLook
from tenka.package.elements.surface import Floor
from tenka.package.parts import Element, Metres, Size, Texture, Vec3


class LiveWater(Element):
    """A rectangle of `cells` cells of `cell` m, stepped `rate` times a second.

    `table` is a JSON file with the water's sources, hulls, flow and foam as the program has them, with their
    units, courses as values at every frame, and where each hull is at every frame.
    """

    route: Literal["livewater"] = "livewater"
    table: Texture
    window: bool
    cells: tuple[Count, Count]
    cell: Size
    rate: float = Field(gt=0, le=1000)
    foams: bool
    movers: int = Field(ge=0, le=1000)
    level: Metres
    floor: Floor
    low: Vec3
    high: Vec3
    look: WaterLook

    @property
    def files(self) -> list[str]:
        return [self.table.file]

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
