"""How particles and pieces are drawn."""

from __future__ import annotations

from typing import Literal

from tenka.effect.catalogue import COLOUR, LOOK, MULTIPLY, TRAIL, Settings
from tenka.effect.placed import Ramp, ramp

TURNING = ("flipbook", "mesh")
PAINTED = ("point", "disc", "sprite", "streak", "ribbon", "tube")  # forms that have a colour of their own
SIZED_FORMS = ("disc", "sprite", "flipbook", "streak", "ribbon", "tube", "mesh")
BY_GAS = ("gas density", "gas heat", "gas speed", "gas colour")
BY_RANGE = ("age", "speed", "height", "gas density", "gas heat", "gas speed")
BY_RAMP = ("life", *BY_RANGE)


class PointLook(Settings):
    """How particles are drawn; no change here simulates anything again."""

    form: Literal["point", "disc", "sprite", "flipbook", "streak", "ribbon", "tube", "mesh"] = LOOK.param(
        "sprite",
        (
            "Points of a pixel, lit discs, soft sprites, a packed flipbook, streaks along their "
            "movement, ribbons or tubes along their past, or meshes."
        ),
    )
    scale: float = LOOK.number(
        1.0,
        "",
        0.001,
        1000,
        "Size drawn, against the size that they have.",
        soft=(0.2, 4),
        when=("form", SIZED_FORMS),
        label="drawn size",
    )
    size_over: Ramp = LOOK.param(
        ramp((0.0, 1.0), (1.0, 1.0)),
        "Size over life.",
        kind="ramp",
        when=("form", SIZED_FORMS),
        label="size over life",
    )
    opacity: float = LOOK.number(1.0, "", 0, 1, "How much each hides, or gives.")
    opacity_over: Ramp = LOOK.param(
        ramp((0.0, 1.0), (0.6, 1.0), (1.0, 0.0)),
        "Opacity over life; it ends at nothing, so that none pops.",
        kind="ramp",
        label="opacity over life",
    )
    opaque: float = LOOK.number(
        1.0, "", 0, 1, "From light that is added (0) to a body that hides (1).", when=("form", PAINTED)
    )
    brightness: float = LOOK.number(
        1.0, "", 0, 1000, "Strength of its light or colour.", soft=(0, 8), when=("form", PAINTED)
    )
    lit: float = LOOK.number(
        1.0, "", 0, 1, "How much it is lit by sun and sky, against shining by itself.", when=("form", PAINTED)
    )
    self_shadow: float = LOOK.number(
        1.0, "", 0, 10, "How strongly they shade each other.", soft=(0, 2), when=("form", PAINTED)
    )
    softness: float = LOOK.number(
        0.7,
        "",
        0,
        1,
        "How soft the edge of a sprite or streak is.",
        when=("form", ("sprite", "streak", "ribbon")),
    )
    colour_by: Literal[
        "life",
        "age",
        "speed",
        "height",
        "heat",
        "direction",
        "gas density",
        "gas heat",
        "gas speed",
        "gas colour",
    ] = COLOUR.param(
        "life",
        (
            "What the ramp runs over; heat is a black body's own colour, direction is that of movement, "
            "gas: what they meet in a gas layer."
        ),
        when=("form", PAINTED),
    )
    colour: Ramp = COLOUR.param(
        ramp((0.0, (0.85, 0.8, 0.72)), (1.0, (0.5, 0.47, 0.43))),
        "The colour, over that.",
        kind="ramp",
        when=(("form", PAINTED), ("colour_by", BY_RAMP)),
    )
    colour_low: float = COLOUR.number(
        0.0,
        "",
        -1e6,
        1e6,
        "Value at the ramp's left end.",
        soft=(0, 10),
        when=(("form", PAINTED), ("colour_by", BY_RANGE)),
    )
    colour_high: float = COLOUR.number(
        1.0,
        "",
        -1e6,
        1e6,
        "Value at the ramp's right end.",
        soft=(0, 10),
        when=(("form", PAINTED), ("colour_by", BY_RANGE)),
    )
    fit: bool = COLOUR.param(
        False,
        "The range is that of the frame, rather than the two values above.",
        when=(("form", PAINTED), ("colour_by", BY_RANGE)),
    )
    repeats: float = COLOUR.number(
        1.0,
        "",
        0.1,
        100,
        "How many times the ramp is run through.",
        soft=(1, 8),
        when=(("form", PAINTED), ("colour_by", BY_RAMP)),
    )
    meets: str = COLOUR.param(
        "",
        "The gas that they meet; its values can colour them.",
        kind="gas",
        when=(("form", PAINTED), ("colour_by", BY_GAS)),
    )
    carried: float = COLOUR.number(
        0.0,
        "",
        0,
        1,
        "Share of the colour that they carry, against the ramp's.",
        when=("form", PAINTED),
        label="own colour",
    )
    vary: float = COLOUR.number(
        0.15,
        "",
        0,
        1,
        "How much brightness differs from one to the next.",
        when=("form", PAINTED),
        label="brightness differs",
    )
    copies: int = MULTIPLY.number(
        1,
        "",
        1,
        200,
        "How many are drawn for each: nothing is simulated again.",
        soft=(1, 20),
        step=1,
        when=("form", ("point", "disc", "sprite", "flipbook", "streak")),
        label="drawn copies",
    )
    copies_spread: float = MULTIPLY.number(
        0.1,
        "m",
        0,
        100,
        "How far copies lie from their own.",
        soft=(0, 1),
        when=("copied", ("True",)),
        label="copies lie within",
    )
    copies_size: float = MULTIPLY.number(
        0.5,
        "",
        0.01,
        1,
        "Size of the smallest copy, as a share.",
        when=("copied", ("True",)),
        label="smallest copy",
    )
    stretch: float = LOOK.number(
        0.0,
        "s/m",
        0,
        10,
        "How much longer a disc or sprite is drawn along its movement, for each m/s.",
        soft=(0, 0.5),
        step=0.005,
        when=("form", ("disc", "sprite")),
        label="stretch by speed",
    )
    turned: float = LOOK.number(
        180.0,
        "°",
        0,
        180,
        "Random turn either way at birth.",
        step=1,
        when=("form", TURNING),
        label="turn at birth",
    )
    spin: float = LOOK.number(
        0.0,
        "1/s",
        0,
        100,
        "Turns each second of the smallest, at most, either way.",
        soft=(0, 4),
        when=("form", TURNING),
    )
    spin_slower: float = LOOK.number(
        1.0,
        "",
        0,
        4,
        "How much slower larger ones turn: the power of their size; 0 is alike.",
        soft=(0, 2),
        when=("form", TURNING),
    )
    spin_fade: float = LOOK.number(
        0.5, "1/s", 0, 60, "How fast turning dies down.", soft=(0, 4), when=("form", TURNING)
    )
    streak: float = TRAIL.number(
        0.03,
        "s",
        0.0005,
        5,
        "Time of movement that a streak shows.",
        soft=(0.005, 0.2),
        step=0.001,
        when=("form", ("streak",)),
    )
    trail: float = TRAIL.number(
        0.5,
        "s",
        0.01,
        20,
        "Length of the ribbon or tube, in time.",
        soft=(0.1, 2),
        when=("form", ("ribbon", "tube")),
    )
    trail_width: Ramp = TRAIL.param(
        ramp((0.0, 1.0), (1.0, 0.1)),
        "Width along it, from the particle back.",
        kind="ramp",
        when=("form", ("ribbon", "tube")),
    )
    trail_opacity: Ramp = TRAIL.param(
        ramp((0.0, 1.0), (1.0, 0.0)),
        "Opacity along it, from the particle back.",
        kind="ramp",
        when=("form", ("ribbon", "tube")),
    )
    flipbook: str = LOOK.param(
        "",
        "The package whose flipbook each particle plays over its life.",
        kind="package",
        when=("form", ("flipbook",)),
    )
    mesh: str = LOOK.param("", "The prop that each is drawn as.", kind="prop", when=("form", ("mesh",)))
    ticks: bool = LOOK.param(False, "Draws where each goes, as a fine line.")

    @property
    def copied(self) -> bool:
        return self.copies > 1

    @property
    def most_growth(self) -> float:
        """The largest factor that their size takes over life."""
        return max(float(stop.value) for stop in self.size_over.stops if not isinstance(stop.value, tuple))
