"""A mesh sequence in a manifest: a liquid's surface, frame by frame."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tenka.effect.model import WaterLook
from tenka.effect.routes.meshes import MeshPlayer
from tenka.package.parts import Element, Texture, Vec3, rising

Count = Annotated[int, Field(ge=0, le=50_000_000)]


class MeshFrames(Element):
    """A GLB file with a mesh for each of the moments: position, normal, and foam as colour; what flies alone
    as points with `_WIDTH`, m, and `_AIR`, 0 to 1."""

    route: Literal["meshes"] = "meshes"
    mesh: Texture
    vertices: tuple[Count, ...]
    triangles: tuple[Count, ...]
    drops: tuple[Count, ...]
    low: Vec3
    high: Vec3
    look: WaterLook
    player: MeshPlayer

    @model_validator(mode="after")
    def _fits(self) -> MeshFrames:
        rising(self.times)
        for counts in (self.vertices, self.triangles, self.drops):
            if len(counts) != len(self.times):
                raise ValueError("a mesh sequence needs its counts for each frame")
        return self

    @property
    def files(self) -> list[str]:
        return [self.mesh.file]

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
