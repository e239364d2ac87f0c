"""The live water route: what a small height-field solver in the game needs to make the water itself."""

from __future__ import annotations

from typing import ClassVar, Literal

from tenka.effect.catalogue import BAKE
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment


class LiveWater(RouteSettings):
    """The live water route: cells, rate, movers and foam; no solver of ours ships with it."""

    TITLE: ClassVar[str] = "Live water"
    HINT: ClassVar[str] = "A description for a height-field solver in the game: cells, movers, foam."
    TAKES: ClassVar[tuple[str, ...]] = ("water",)
    kind: Literal["livewater"] = "livewater"
    first: float = first_moment(BAKE)
    last: float = last_moment(BAKE)
    window: Literal["whole", "window"] = BAKE.param(
        "whole",
        "The whole water is solved, or a square round what moves in it.",
        label="solved part",
        cost="arithmetic",
    )
    window_size: float = BAKE.number(
        4.0,
        "m",
        0.1,
        1000,
        "Side of that square.",
        soft=(1, 20),
        step=0.1,
        label="side of the square",
        when=("window", ("window",)),
        cost="arithmetic",
    )
    cells: int = BAKE.number(
        128,
        "",
        8,
        1024,
        "Cells along the longer side of what is solved.",
        soft=(32, 256),
        step=8,
        label="live cells",
        cost="arithmetic",
    )
    rate: float = BAKE.number(
        30.0,
        "1/s",
        5,
        240,
        "Steps of the solver in a second; what is drawn lies between two.",
        soft=(15, 60),
        step=1,
        label="water's steps",
        cost="arithmetic",
    )
    foams: bool = BAKE.param(True, "Whether it makes foam too.", label="live foam", cost="arithmetic")
