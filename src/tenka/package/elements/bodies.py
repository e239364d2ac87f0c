"""Bodies in a manifest: one mesh of all pieces that textures move, or a file of nodes with keys."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tenka.package.elements.particles import Texture
from tenka.package.parts import Element, Vec3, rising


class Bodies(Element):
    """Pieces frame by frame.

    As textures: `mesh` is a GLB of all pieces, each about its own middle; the second coordinate set of a
    vertex tells its piece, (piece + 0.5) / pieces. A column of `places` and `turns` is a piece, a row a
    moment. `places`: red, green, blue: m; alpha: size. `turns`: the quaternion's x, y, z, w. A vertex stands
    at place + size * turned(vertex). As nodes: `mesh` is a GLB with a node and keys for each piece, whose
    second 0 is the first of `times`.
    """

    route: Literal["bodies"] = "bodies"
    form: Literal["textures", "nodes"]
    precision: Literal["half", "float"]
    mesh: Texture
    places: Texture | None
    turns: Texture | None
    pieces: int = Field(ge=0, le=1_000_000)
    # of each piece, as textures: its first triangle, and how many there are of all
    starts: tuple[Annotated[int, Field(ge=0, le=2**31)], ...] = Field((), max_length=1_000_001)
    triangles: int = Field(ge=0, le=2**31)
    low: Vec3  # corners of where they fly, m
    high: Vec3

    @model_validator(mode="after")
    def _fits(self) -> Bodies:
        rising(self.times)
        if self.form == "textures" and (
            self.places is None or self.turns is None or len(self.starts) != self.pieces + 1
        ):
            raise ValueError("bodies moved by textures need places, turns and where each piece starts")
        return self

    @property
    def files(self) -> list[str]:
        return [part.file for part in (self.mesh, self.places, self.turns) if part is not None]

    @property
    def textures(self) -> list[tuple[int, int]]:
        return [(self.pieces, len(self.times))] * 2 if self.form == "textures" else []

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
