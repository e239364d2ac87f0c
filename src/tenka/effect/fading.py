"""How what was given goes away, as times in which half of it is gone or all of it."""

from __future__ import annotations

import math

from pydantic import model_validator

from tenka.effect.catalogue import FADING, Settings
from tenka.effect.courses import Value
from tenka.effect.former import FOR_GOOD, half_lives_of_rates


def rate_of(half_life: float) -> float:
    """Share that is lost each second, 1/s, of what is half gone after `half_life` s."""
    return 0.0 if half_life >= FOR_GOOD else math.log(2.0) / max(half_life, 1e-3)


def pace_of(clear_out: float) -> float:
    """How much goes each second, 1/s, of what takes `clear_out` s for one to be gone."""
    return 0.0 if clear_out >= FOR_GOOD else 1.0 / max(clear_out, 1e-3)


class Fading(Settings):
    """How what was given goes away."""

    half_life: Value = FADING.moving(
        11.5,
        "s",
        0.01,
        FOR_GOOD,
        "Time in which half of the smoke fades.",
        named=((FOR_GOOD, "for good"),),
        soft=(0.2, 30),
        cost="scalars",
        label="half-life",
    )
    clear_out: Value = FADING.moving(
        FOR_GOOD,
        "s",
        0.02,
        FOR_GOOD,
        "Time in which even the thinnest is gone: smoke of 1 goes wholly in it, thin haze much sooner.",
        named=((FOR_GOOD, "for good"),),
        soft=(1, 60),
        cost="scalars",
    )
    heat_half_life: Value = FADING.moving(
        1.4,
        "s",
        0.01,
        FOR_GOOD,
        "Time in which half of the heat is lost; sets how long the plume keeps rising.",
        named=((FOR_GOOD, "for good"),),
        soft=(0.2, 8),
        cost="scalars",
        label="heat half-life",
    )
    spread: Value = FADING.moving(
        0.0,
        "m²/s",
        0,
        10,
        "How fast smoke and heat spread out by themselves, softening edges.",
        soft=(0, 0.02),
        step=0.0002,
        cost="viscosity",
        label="diffusion",
    )

    _former = model_validator(mode="before")(half_lives_of_rates)
