"""Cost of an effect's own lights, that it brings along."""

from __future__ import annotations

import math

import numpy as np

from tenka.budget.devices import Device
from tenka.budget.lines import Line
from tenka.budget.routes.light import shining
from tenka.effect.courses import curve, most
from tenka.effect.model import Effect, SceneLight, Tier, heard
from tenka.look.lamps import lamp_at

LEAST = 0.05  # of the light of a sun of strength 1: what falls with less counts as not lit


def shining_lights(effect: Effect) -> list[SceneLight]:
    """The lights that an effect brings along for the game's set: what falls on the layers alone is drawn into
    them."""
    return [x for x in _falling(effect) if x.part_of == "effect"]


def lights_of_set(effect: Effect) -> list[SceneLight]:
    """The lights that the game has anyhow."""
    return [x for x in _falling(effect) if x.part_of == "set"]


def _falling(effect: Effect) -> list[SceneLight]:
    return [
        x for x in heard(effect.lights) if not x.hidden and x.reaches != "effect" and most(x.strength) > 0
    ]


def reach_of(light: SceneLight) -> float:
    """How far a light shines, m; without an end, as far as it is ever to be seen."""
    seen = math.sqrt(most(light.strength) / LEAST)
    return min(light.reach, seen) if light.reach > 0 else seen


def lamp_line(light: SceneLight, effect: Effect, tier: Tier, d: Device) -> Line:
    """Cost of a light as far as it reaches; without an end, as far as it is ever to be seen."""
    reach, ends = reach_of(light), light.reach > 0
    place = np.asarray(lamp_at(light, effect, 0.5 * effect.seconds).row[:3], float)
    keys = effect.frames if moves(light, effect) else 1
    shadows = "; its shadows are not counted" if light.shadows else ""
    told = f"{'its reach' if ends else f'{LEAST:g} of the light of the sun and more'}{shadows}"
    return shining(light.name, place, reach, keys, told, tier, d)


def moves(light: SceneLight, effect: Effect) -> bool:
    """Whether it is another one at another time."""
    rows = [lamp_at(light, effect, t).row for t in np.linspace(0.0, effect.seconds, 5)]
    return any(not np.array_equal(row, rows[0]) for row in rows)


def lit(light: SceneLight, times: np.ndarray) -> np.ndarray:
    """Whether it shines at some times, s."""
    return np.asarray(curve(light.strength, times) > 0)
