"""A volume in a manifest: grids frame by frame, and how they are marched through."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tenka.base.ranges import Count
from tenka.effect.model import Look
from tenka.effect.routes.volume import VolumePlayer
from tenka.package.parts import Element, Name, Part, Size, Text, Texture, Vec3, rising


class Grid(Part):
    """One field: its name in the files, its unit, the channel of the picture that holds it when it is dense,
    and what the brightest value stands for there."""

    name: Text
    unit: Text
    channel: Literal["", "red", "green", "blue"] = ""
    scale: Size = 1.0


class VolumeFrame(Part):
    """The file of a moment, and how many voxels it holds."""

    file: Name
    # beside slices: how the gas moves, m/s: red x, green y, blue z, laid out like them; OpenEXR of halves
    velocity: Texture | None = None
    active: int = Field(ge=0, le=2**40)


class Volume(Element):
    """Grids of a gas. Sparse: an OpenVDB file for each moment, whose transform leads to metres. Dense: a PNG
    for each moment, in which slices of the box stand from the lowest up, in rows from the top left; in each,
    x runs to the right and y up."""

    route: Literal["volume"] = "volume"
    form: Literal["sparse", "dense"]
    precision: Literal["half", "float", "8 bit"]
    grids: tuple[Grid, ...] = Field(min_length=1, max_length=16)
    frames: tuple[VolumeFrame, ...] = Field(min_length=1, max_length=40_000)
    voxel: Size  # m
    low: Vec3  # of the box that holds all moments, m
    high: Vec3
    shape: tuple[Count, Count, Count]  # of that box, voxels
    tiles: tuple[Count, Count] = (1, 1)  # of a dense picture: slices in a row, and rows
    threshold: float = Field(ge=0, le=1e6)
    # how it is looked at: extinction, colours of smoke and flames, as the program draws it
    look: Look
    player: VolumePlayer

    @model_validator(mode="after")
    def _fits(self) -> Volume:
        rising(self.times)
        if len(self.frames) != len(self.times):
            raise ValueError(f"{len(self.frames)} files do not fit {len(self.times)} times")
        if not all(0 < n <= 4096 for n in self.shape):
            raise ValueError("a volume has 1 to 4096 voxels each way")
        columns, rows = self.tiles
        if min(self.tiles) < 1 or (self.form == "dense" and columns * rows < self.shape[2]):
            raise ValueError("the picture has too few tiles for its slices")
        return self

    @property
    def files(self) -> list[str]:
        moving = [frame.velocity.file for frame in self.frames if frame.velocity is not None]
        return [*(frame.file for frame in self.frames), *moving]

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
