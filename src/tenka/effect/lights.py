"""Lights that stand in the effect besides the sun and the sky."""

from __future__ import annotations

from typing import Literal

from tenka.effect.catalogue import LIGHT, WHERE
from tenka.effect.courses import Value
from tenka.effect.placed import Placed, Vec3

PATTERNS = ("bars", "leaves", "water")


class SceneLight(Placed):
    """A light with a place: it shines all round, or ahead from a panel."""

    shape: Literal["round", "panel"] = WHERE.param(
        "round", "It shines all round, or from a square panel to one side, which turn and tilt aim."
    )
    position: Vec3 = WHERE.number(
        (0.0, -1.5, 1.5),
        "m",
        -1e4,
        1e4,
        "Where it stands; with a parent, as seen from it.",
        soft=(-10, 10),
        step=0.02,
    )
    wide: float = WHERE.number(
        0.2, "m", 0.01, 50, "Its width: near a wide one light falls off more slowly.", soft=(0.02, 2)
    )
    strength: Value = LIGHT.moving(
        4.0,
        "",
        0,
        1e5,
        "Light at 1 m, as a multiple of a sun of strength 1. A course of waves and noise lets it flicker, a "
        "clamp gives that a floor and a ceiling.",
        soft=(0, 20),
        step=0.01,
        label="light's strength",
    )
    kelvin: Value = LIGHT.moving(
        2400.0, "K", 1000, 20000, "Its colour, as a black body.", soft=(1500, 9000), step=50, label="warmth"
    )
    tint: Vec3 = LIGHT.number(
        (1.0, 1.0, 1.0), "", 0, 1, "Colours its light further, as a glass before it would.", kind="colour"
    )
    reach: float = LIGHT.number(
        0.0,
        "m",
        0,
        1e4,
        "How far it shines: towards there it fades out, and what lies beyond costs nothing. 0 lets it shine "
        "without an end.",
        soft=(0, 20),
        step=0.1,
        cost="arithmetic",
    )
    reaches: Literal["all", "set", "effect"] = LIGHT.param(
        "all", "What it falls on: everything, props and ground alone, or the layers alone.", label="falls on"
    )
    only: str = LIGHT.param(
        "",
        "Of the layers it falls on only these: their names, with commas; empty is all.",
        when=("reaches", ("all", "effect")),
    )
    stands_for: str = LIGHT.param(
        "",
        "The gas whose own light it stands for: that is not thrown on props, ground and particles besides.",
        kind="gas",
    )
    part_of: Literal["set", "effect"] = LIGHT.param(
        "set",
        "Whether the game's set has it anyhow, or the effect brings it along: then the ledger counts it.",
        label="part of",
        affects="none",
        when=("reaches", ("all", "set")),
    )
    shadows: bool = LIGHT.param(True, "Whether props throw shadows in its light.")
    pattern: Literal["none", *PATTERNS] = LIGHT.param(  # type: ignore[valid-type]
        "none", "A moving pattern that it throws on props and ground, as through bars, leaves or water."
    )
    pattern_size: float = LIGHT.number(
        12.0,
        "°",
        0.5,
        90,
        "Size of the pattern, as an angle seen from the light.",
        soft=(2, 40),
        step=0.5,
        when=("pattern", PATTERNS),
    )
    pattern_depth: float = LIGHT.number(
        0.8, "", 0, 1, "How dark its dark parts are.", when=("pattern", PATTERNS)
    )
    pattern_speed: Value = LIGHT.moving(
        0.3,
        "1/s",
        -20,
        20,
        "How many of its sizes it moves on in a second.",
        soft=(-2, 2),
        when=("pattern", PATTERNS),
    )


def closing(reach: float) -> float:
    """One over the square of how far a light shines, m^-2, as what draws it takes it; 0 without an end."""
    return 1.0 / (reach * reach) if reach > 0 else 0.0
