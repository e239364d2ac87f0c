"""Bodies in a manifest: one mesh of all pieces that textures move, or a file of nodes with keys."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from tenka.package.parts import Element, Part, Texture, Vec3, rising


class Pieces(Part):
    """A mesh of pieces and what moves them."""

    mesh: Texture
    places: Texture | None
    turns: Texture | None
    pieces: int = Field(ge=0, le=1_000_000)
    # of each piece, as textures: its first triangle, and how many there are of all
    starts: tuple[Annotated[int, Field(ge=0, le=2**31)], ...] = Field((), max_length=1_000_001)
    triangles: int = Field(ge=0, le=2**31)

    @property
    def held(self) -> list[str]:
        """Names of its files."""
        return [part.file for part in (self.mesh, self.places, self.turns) if part is not None]


class Bodies(Pieces, Element):
    """Pieces frame by frame.

    As textures: `mesh` is a GLB of all pieces, each about its own middle; the second coordinate set of a
    vertex tells its piece, (piece + 0.5) / pieces. A column of `places` and `turns` is a piece, a row a
    moment. `places`: red, green, blue: m; alpha: size. `turns`: the quaternion's x, y, z, w. A vertex stands
    at place + size * turned(vertex). As nodes: `mesh` is a GLB with a node and keys for each piece, whose
    second 0 is the first of `times`. `further` takes are the same by other chances: the game plays
    the next of all takes each time.
    """

    route: Literal["bodies"] = "bodies"
    form: Literal["textures", "nodes"]
    precision: Literal["half", "float"]
    further: tuple[Pieces, ...] = Field((), max_length=64)
    low: Vec3  # corners of where they fly, m
    high: Vec3

    @model_validator(mode="after")
    def _fits(self) -> Bodies:
        rising(self.times)
        for take in (self, *self.further) if self.form == "textures" else ():
            if take.places is not None and take.turns is not None and len(take.starts) == take.pieces + 1:
                if any(b < a for a, b in pairwise(take.starts)) or take.starts[-1] > take.triangles:
                    raise ValueError("the pieces' first triangles must rise, up to how many there are")
                continue
            raise ValueError("bodies moved by textures need places, turns and where each piece starts")
        return self

    @property
    def takes(self) -> int:
        """How many there are."""
        return 1 + len(self.further)

    def take(self, number: int) -> Bodies:
        """One of all takes, as if it were alone; they come round."""
        number %= self.takes
        own = self.further[number - 1] if number else self
        return self.model_copy(update={**{n: getattr(own, n) for n in Pieces.model_fields}, "further": ()})

    @property
    def files(self) -> list[str]:
        return [name for take in (self, *self.further) for name in take.held]

    @property
    def textures(self) -> list[tuple[int, int]]:
        if self.form != "textures":
            return []
        return [(take.pieces, len(self.times)) for take in (self, *self.further) for _ in range(2)]

    @property
    def wide(self) -> float:
        return self.high[0] - self.low[0]
