"""The volume route: a gas as a sequence of grids, for engines that march through it, and for film."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import PLAYER, VOLUME, Settings
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment, one_in

SPARSE = ("form", ("sparse",))


class VolumePlayer(Settings):
    """How the game marches through the volume."""

    samples: int = PLAYER.number(
        48,
        "",
        4,
        1024,
        "Samples along a ray through the whole box.",
        soft=(16, 128),
        step=1,
        cost="arithmetic",
        label="samples a ray",
    )
    density: float = PLAYER.number(
        1.0, "", 0, 20, "How dense the smoke is against what was packed.", soft=(0, 3), label="smoke played"
    )
    glow: float = PLAYER.number(
        1.0, "", 0, 50, "How bright flames are against what was packed.", soft=(0, 3), label="flames played"
    )


class Volume(RouteSettings):
    """The volume route: which fields are written, how finely, and in which form."""

    TITLE: ClassVar[str] = "Volume"
    HINT: ClassVar[str] = "Grids of smoke, heat and flame, frame by frame, to be marched through."
    TAKES: ClassVar[tuple[str, ...]] = ("gas",)
    ASIDE: ClassVar[dict[str, str]] = {"velocity": "the game does not know how it moves then"}
    kind: Literal["volume"] = "volume"
    first: float = first_moment(VOLUME)
    last: float = last_moment(VOLUME)
    every: int = one_in(VOLUME)
    form: Literal["sparse", "dense"] = VOLUME.param(
        "sparse",
        "OpenVDB files that hold only what is there, or slices of a whole box side by side in a picture.",
        label="laid out",
    )
    precision: Literal["half", "float"] = VOLUME.param(
        "half",
        "Bits of a number in the files: 16, or 32.",
        label="numbers in grids",
        when=SPARSE,
        cost="memory",
    )
    threshold: float = VOLUME.number(
        0.002,
        "",
        0,
        1,
        "Smoke thinner than this, and nothing else, is left out.",
        soft=(0, 0.05),
        label="thinnest kept",
        when=SPARSE,
        cost="memory",
    )
    side: int = VOLUME.number(
        48,
        "",
        8,
        256,
        "Voxels along the longest side of the box.",
        soft=(16, 128),
        step=4,
        label="longest side",
        when=("form", ("dense",)),
        cost="memory",
    )
    density: bool = VOLUME.param(True, "Write how dense the smoke is.", label="write density", cost="memory")
    temperature: bool = VOLUME.param(
        True, "Write the heat above the air.", label="write temperature", cost="memory"
    )
    flame: bool = VOLUME.param(
        True, "Write what burns, where anything does.", label="write flame", cost="memory"
    )
    velocity: bool = VOLUME.param(
        False,
        "Write how the gas moves: as a field, or beside slices as pictures of 16-bit floats, in m/s, by "
        "which the game carries its own particles.",
        label="write velocity",
        cost="memory",
    )
    colour: bool = VOLUME.param(
        True,
        "Write the colour that the gas carries, where it does.",
        label="write colour",
        when=SPARSE,
        cost="memory",
    )
    player: VolumePlayer = Field(default_factory=VolumePlayer)
