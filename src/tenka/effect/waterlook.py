"""How a water's surface is drawn."""

from __future__ import annotations

from tenka.effect.catalogue import COLOUR, LOOK, Settings
from tenka.effect.courses import Value
from tenka.effect.placed import Vec3


class WaterLook(Settings):
    """How the water is drawn; no change here simulates anything again."""

    absorbs: Vec3 = LOOK.number(
        (0.9, 0.32, 0.22),
        "1/m",
        0,
        200,
        "How much red, green and blue a metre of water swallows: what is deep takes on what is left.",
        soft=(0, 4),
        step=0.02,
    )
    murk: float = LOOK.number(
        0.35,
        "1/m",
        0,
        500,
        "How much light a metre of it throws back: 0 is clear, 2 is a harbour, 60 hides the bed under slip.",
        soft=(0, 6),
        step=0.02,
    )
    murk_colour: Vec3 = COLOUR.number(
        (0.16, 0.30, 0.29), "", 0, 1, "Colour of what hangs in it.", kind="colour", label="murk's colour"
    )
    bed: Vec3 = COLOUR.number(
        (0.34, 0.32, 0.27),
        "",
        0,
        1,
        "Colour of the basin's own floor and walls.",
        kind="colour",
        label="bed's colour",
    )
    bends: float = LOOK.number(
        1.33, "", 1, 3, "How strongly it bends what is seen through it: water 1.33.", soft=(1, 1.8), step=0.01
    )
    rough: Value = LOOK.moving(
        0.08,
        "",
        0.01,
        1,
        "How rough it is below what is simulated: broad, dull lights, or sharp ones.",
        soft=(0.02, 0.5),
        label="roughness",
    )
    mirrors: float = LOOK.number(
        1.0, "", 0, 2, "How strongly sky and props are mirrored; 1 is what physics gives.", soft=(0, 1)
    )
    ripples: Value = LOOK.moving(
        0.010,
        "m",
        0,
        1,
        "Height of ripples finer than what is simulated; they stand still where time does.",
        soft=(0, 0.05),
        step=0.001,
    )
    ripples_long: float = LOOK.number(
        0.55,
        "m",
        0.02,
        50,
        "Length of the longest ripples.",
        soft=(0.1, 2),
        step=0.01,
        label="ripples' length",
    )
    ripples_to: float = LOOK.number(
        30.0,
        "°",
        -360,
        360,
        "Towards where most of them go, from x to y.",
        soft=(-180, 180),
        step=1,
        label="ripples go",
    )
    foam: Value = LOOK.moving(
        1.0, "", 0, 4, "How thick foam looks: 0 shows none.", soft=(0, 2), label="foam shown"
    )
    foam_colour: Vec3 = COLOUR.number(
        (0.72, 0.74, 0.73), "", 0, 1, "Colour of foam.", kind="colour", label="foam's colour"
    )
    foam_grain: float = LOOK.number(
        0.10, "m", 0.002, 10, "Size of the holes in foam.", soft=(0.02, 0.4), step=0.005, label="foam's grain"
    )
    wets: float = LOOK.number(
        0.06,
        "m",
        0,
        5,
        "How far up the bed and props are dark with water.",
        soft=(0, 0.3),
        step=0.005,
        label="wet margin",
    )
    normals: float = LOOK.number(
        1.0, "", 0, 10, "How steep its waves look, against how they are.", soft=(0, 3), label="relief"
    )
