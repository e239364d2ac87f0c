"""The live grid route: what a small solver in the game needs to make the gas itself."""

from __future__ import annotations

from typing import ClassVar, Literal

from tenka.effect.catalogue import BAKE
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment


class LiveGrid(RouteSettings):
    """The live grid route: a box, its voxels and how it is stepped; no solver of ours ships with it."""

    TITLE: ClassVar[str] = "Live grid"
    HINT: ClassVar[str] = "A description for a small solver in the game: box, voxels, sources, steps."
    TAKES: ClassVar[tuple[str, ...]] = ("gas",)
    kind: Literal["grid"] = "grid"
    first: float = first_moment(BAKE)
    last: float = last_moment(BAKE)
    longest: int = BAKE.number(
        48,
        "",
        8,
        256,
        "Voxels along the longest side of the box.",
        soft=(16, 96),
        step=4,
        label="live voxels",
        cost="arithmetic",
    )
    rate: float = BAKE.number(
        30.0,
        "1/s",
        5,
        240,
        "Steps of the solver in a second.",
        soft=(15, 60),
        step=1,
        label="live steps",
        cost="arithmetic",
    )
    passes: int = BAKE.number(
        20,
        "",
        1,
        200,
        "Passes in which pressure is evened out, in each step.",
        soft=(5, 40),
        step=1,
        label="pressure passes",
        cost="arithmetic",
    )
    samples: int = BAKE.number(
        40,
        "",
        4,
        512,
        "Samples along a ray through the box as it is drawn.",
        soft=(16, 96),
        step=1,
        label="live samples",
        cost="arithmetic",
    )
