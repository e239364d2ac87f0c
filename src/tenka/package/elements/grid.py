"""A live grid in a manifest: all that a small solver needs to be told."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tenka.base.ranges import Count
from tenka.effect.model import Look
from tenka.package.parts import Element, Size, Texture, Vec3


class LiveGrid(Element):
    """A box of `shape` voxels of `voxel` m, stepped `rate` times a second with `passes` passes of pressure.

    `table` is a JSON file with the sources, forces and movement of the layer as the program has them, with
    their units, courses as values at every frame, and the props that disturb the gas.
    """

    route: Literal["grid"] = "grid"
    table: Texture
    low: Vec3  # of the box, m
    high: Vec3
    shape: tuple[Count, Count, Count]
    voxel: Size
    rate: float = Field(gt=0, le=1000)
    passes: int = Field(gt=0, le=1000)
    samples: int = Field(gt=0, le=4096)
    burns: bool
    look: Look

    @model_validator(mode="after")
    def _fits(self) -> LiveGrid:
        if not all(0 < n <= 1024 for n in self.shape):
            raise ValueError("a live grid has 1 to 1024 voxels each way")
        return self

    @property
    def files(self) -> list[str]:
        return [self.table.file]

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
