"""The bodies route: pieces that fly and tumble, as animated geometry."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from tenka.effect.catalogue import BAKE
from tenka.effect.routes.base import Baked


class BodyBake(Baked):
    """The bodies route: a mesh with textures of how each piece stands, or a node for each piece with keys."""

    TITLE: ClassVar[str] = "Bodies"
    HINT: ClassVar[str] = "Pieces as a mesh that textures move, or as nodes with keys."
    TAKES: ClassVar[tuple[str, ...]] = ("debris", "particles")
    kind: Literal["bodies"] = "bodies"
    form: Literal["textures", "nodes"] = BAKE.param(
        "textures",
        "One mesh of all pieces with a texture of their places and one of their turns, or a node of its own "
        "with keys for each piece.",
        label="written as",
    )
    takes: int = BAKE.number(
        1,
        "",
        1,
        8,
        "The same by other chances, of which the game plays the next each time. Further ones are simulated "
        "when it is packed.",
        soft=(1, 4),
        step=1,
        cost="memory",
    )
    precision: Literal["half", "float"] = BAKE.param(
        "float",
        "Bits of a number in the textures: 16, or 32.",
        label="numbers in textures",
        when=("form", ("textures",)),
        cost="memory",
    )

    def fits(self, layer: Any) -> str:
        why = super().fits(layer)
        return why or ("" if layer.look.form == "mesh" else "takes what is drawn as a mesh alone")
