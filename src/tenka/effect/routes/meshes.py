"""The mesh route: a liquid's surface as a mesh for each frame."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import BAKE, PLAYER, Settings
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment, one_in


class MeshPlayer(Settings):
    """How the game draws the meshes."""

    size: float = PLAYER.number(
        1.0, "", 0.01, 100, "Size against what was packed.", soft=(0.25, 2), label="size played"
    )
    speed: float = PLAYER.number(
        1.0, "", 0, 10, "Pace of its frames against the effect's.", soft=(0.2, 2), label="pace played"
    )


class Meshes(RouteSettings):
    """The mesh route."""

    TITLE: ClassVar[str] = "Mesh sequence"
    HINT: ClassVar[str] = "The surface of a liquid as a mesh for each frame, with its foam as colour."
    TAKES: ClassVar[tuple[str, ...]] = ("liquid",)
    kind: Literal["meshes"] = "meshes"
    first: float = first_moment(BAKE)
    last: float = last_moment(BAKE)
    every: int = one_in(BAKE)
    coarser: int = BAKE.number(
        2,
        "",
        1,
        8,
        "Cells of the drawn surface whose vertices become one, along each axis: 2 has about a third of them.",
        soft=(1, 4),
        step=1,
        cost="memory",
    )
    loose: bool = BAKE.param(
        True, "Whether drops that fly alone are written too, as points with their size.", label="single drops"
    )
    player: MeshPlayer = Field(default_factory=MeshPlayer)
