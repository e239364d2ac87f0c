"""How a gas is drawn."""

from __future__ import annotations

from typing import Literal

from tenka.effect.catalogue import LOOK, QUALITY, Settings
from tenka.effect.courses import Value
from tenka.effect.placed import Ramp, ramp


class Look(Settings):
    """How the gas is drawn; no change here simulates anything again."""

    colour: Ramp = LOOK.param(
        ramp((0.0, (0.80, 0.77, 0.74)), (0.45, (0.52, 0.49, 0.47)), (1.0, (0.20, 0.185, 0.18))),
        "Colour of the smoke from thin (left) to dense (right).",
        kind="ramp",
    )
    full_density: float = LOOK.number(1.2, "", 0.01, 100, "Density at the ramp's right end.", soft=(0.1, 5))
    extinction: Value = LOOK.moving(
        7.0, "1/m", 0, 500, "How opaque a metre of smoke of density 1 is.", soft=(0.5, 30)
    )
    shadow: float = LOOK.number(
        1.0, "", 0, 4, "How strongly the smoke shades itself; a factor on the extinction.", soft=(0, 2)
    )
    forward: float = LOOK.number(
        0.35,
        "",
        -0.9,
        0.95,
        "Forward scattering: brighter rims against the light.",
        soft=(-0.5, 0.9),
        label="forward scatter",
    )
    ambient: Value = LOOK.moving(
        1.0, "", 0, 5, "Light from the sky and the ground into the shaded side.", soft=(0, 2)
    )
    glow: Value = LOOK.moving(
        1.0, "", 0, 1000, "Strength of the light that hot gas gives off, by black-body colour.", soft=(0, 5)
    )
    flame: Value = LOOK.moving(
        1.0, "", 0, 1000, "Brightness of flames, apart from glowing smoke; by black-body colour.", soft=(0, 6)
    )
    flame_opacity: Value = LOOK.moving(
        0.6,
        "",
        0,
        10,
        "How much flames hide: 1 gives a fireball its form, 0.3 leaves a hearth clear.",
        soft=(0, 2),
    )
    flame_heat: Value = LOOK.moving(
        1.0,
        "",
        0.1,
        10,
        "Stretches the flames' heat before it becomes colour: above 1 whiter, below redder.",
        soft=(0.5, 2),
    )
    flame_by: Literal["black body", "ramp"] = LOOK.param(
        "black body", "Flames have the colour of their heat, or that of a ramp, as salts and inks give it."
    )
    flame_ramp: Ramp = LOOK.param(
        ramp((0.0, (0.0, 0.28, 0.10)), (0.5, (0.05, 0.80, 0.28)), (1.0, (0.62, 1.0, 0.72))),
        "Colour of flames from the coolest (left) to the hottest; how bright they are stays.",
        kind="ramp",
        when=("flame_by", ("ramp",)),
    )
    wet: float = LOOK.number(
        0.0, "", 0, 1, "How much dense gas looks like a wet surface: shaded by its form, with highlights."
    )
    shimmer: Value = LOOK.moving(
        0.0,
        "",
        0,
        1000,
        "How many times as strongly as air its heat bends what is seen through it: 1 is hardly seen, 30 "
        "reads as heat. Drawn on the stage and in final pictures, not packed yet.",
        soft=(0, 80),
        step=1,
    )
    carried: float = LOOK.number(
        1.0,
        "",
        0,
        1,
        "How much of the colour that smoke carries is shown, against the ramp above.",
        label="own colour",
    )
    steps: float = QUALITY.number(
        1.0,
        "1/voxel",
        0.25,
        4,
        "Samples per voxel along each ray where gas is drawn at one go, as for flipbooks. On the stage a "
        "picture that stays takes one more with each pass, up to eight.",
        soft=(0.5, 2),
        affects="look",
        label="samples",
    )
