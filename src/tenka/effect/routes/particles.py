"""The particles route: particles as rows of numbers, frame by frame, which the game draws as its own."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import BAKE, PLAYER
from tenka.effect.routes.base import Baked, RowPlayer

DRAWN = ("point", "disc", "sprite", "streak")


class SwarmPlayer(RowPlayer):
    """What the game may turn of particles that it plays."""

    share: float = PLAYER.number(
        1.0, "", 0, 1, "Share of the particles that is drawn.", cost="fill", label="share drawn"
    )


class ParticleBake(Baked):
    """The particles route: places, ways, sizes and light in textures, a row or more for each frame."""

    TITLE: ClassVar[str] = "Particles"
    HINT: ClassVar[str] = "Places, sizes and light of particles in textures, which the game draws as its own."
    TAKES: ClassVar[tuple[str, ...]] = ("particles", "debris")
    kind: Literal["particles"] = "particles"
    most: int = BAKE.number(
        20_000,
        "",
        1,
        1_000_000,
        "No more than so many at once; of more, some stand for all, and are larger.",
        soft=(500, 50_000),
        step=100,
        label="most written",
        cost="memory",
    )
    written: Literal["each moment", "births and law"] = BAKE.param(
        "each moment",
        "Where each is at every moment; or how each is born, and by what law all move, which the game then "
        "moves itself: far less to hold, and free to meet what the game puts in their way.",
        label="held as",
        cost="memory",
    )
    fineness: int = BAKE.number(
        32,
        "",
        2,
        96,
        "Cells along the longest side of the field that drives them and of the one that stops them.",
        soft=(8, 48),
        step=1,
        when=("written", ("births and law",)),
        label="cells of its fields",
        cost="memory",
    )
    tables: Literal["none", "CSV", "PLY", "NPZ"] = BAKE.param(
        "none", "Files of a frame each besides, with every value of every particle.", label="tables"
    )
    player: SwarmPlayer = Field(default_factory=SwarmPlayer)

    def fits(self, layer: Any) -> str:
        why = super().fits(layer)
        if not why and layer.look.form not in DRAWN:
            return f"takes what is drawn as {', '.join(DRAWN[:-1])} or {DRAWN[-1]}"
        bed = getattr(layer, "bed", None)
        if not why and self.written == "births and law" and bed is not None and bed.rests:
            return "with births and a law takes none that lie asleep until they are woken"
        return why
