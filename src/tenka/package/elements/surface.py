"""A water's surface in a manifest: atlases of heights, normals and foam, and flow."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tenka.effect.model import WaterLook
from tenka.effect.routes.surface import SurfacePlayer
from tenka.package.parts import Element, Metres, Part, Size, Texture, Vec3, rising


class Floor(Part):
    """The basin's own floor: height in its middle, rise along x and y, and whether it is seen."""

    height: Metres
    rise: tuple[Metres, Metres]
    middle: tuple[Metres, Metres]
    seen: bool


class Surface(Element):
    """Frames of `frame` texels, side by side in `columns` and `rows` from the top left; in each, x runs to
    the right and y up, and the middles of the outer texels lie half a texel inside the sides.

    heights : grey, 16 or 8 bits: share of the way from `lowest` to `highest`, m over `level`
    covers : red and green the normal's x and y from -1 to 1, blue foam, alpha depth as a share of `deepest`
    flow : red and green the speed's x and y from -`pace` to `pace` m/s, blue how much a hull covers
    """

    route: Literal["surface"] = "surface"
    heights: Texture
    covers: Texture
    flow: Texture | None = None
    bits: Literal[8, 16]
    columns: int = Field(gt=0, le=512)
    rows: int = Field(gt=0, le=512)
    frame: tuple[Annotated[int, Field(gt=1, le=4096)], Annotated[int, Field(gt=1, le=4096)]]
    lowest: Metres
    highest: Metres
    deepest: float = Field(ge=0, le=1e4)
    pace: float = Field(ge=0, le=1e4)
    level: Metres
    origins: tuple[tuple[Metres, Metres], ...] = Field(min_length=1, max_length=40_000)  # low corner by frame
    size: tuple[Size, Size]
    loops: bool
    seam: float = Field(0.0, ge=0, le=1e4)  # change over the join against that of a usual frame
    edges: Literal["cut", "still", "tiled"]
    normals: bool
    floor: Floor
    low: Vec3
    high: Vec3
    look: WaterLook
    player: SurfacePlayer

    @model_validator(mode="after")
    def _fits(self) -> Surface:
        rising(self.times)
        if len(self.times) > self.columns * self.rows:
            raise ValueError("a surface has more frames than its atlas has cells")
        if len(self.origins) != len(self.times):
            raise ValueError("a surface needs a corner for each frame")
        return self

    @property
    def files(self) -> list[str]:
        return [t.file for t in (self.heights, self.covers, self.flow) if t is not None]

    @property
    def textures(self) -> list[tuple[int, int]]:
        size = (self.columns * self.frame[0], self.rows * self.frame[1])
        return [size] * len(self.files)

    @property
    def remark(self) -> str:
        return f"the join of its loop is {self.seam:.2f} of a usual frame's change" if self.loops else ""

    @property
    def wide(self) -> float:
        return self.size[0]

    def end(self, start: float, stopped: float) -> float:
        """Water does not go: a loop plays, and what is played once stays as it ended, until it is stopped."""
        return stopped
