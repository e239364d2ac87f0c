"""Forces: the one table of their kinds, and the one function by which gas and particles alike feel those that
act in a place.

A further kind of force is a document class in `tenka.effect.forces`, and here a code, a resolver with its
line in `FORCES`, and a branch of `_felt_at`; the window takes its icon from `tenka.app.kinds`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jit import kernel
from tenka.base.randomness import stable_seed
from tenka.effect.courses import smooth_noise
from tenka.effect.model import Brake, Force, Gravity, Pull, Swirl, Turbulence, Wind, heard, ramp_at
from tenka.gas.bent import SOFT, axis_of, bent_at, is_bent
from tenka.gas.held import form_now
from tenka.gas.placed import (
    BENT,
    BLOW,
    BRAKE,
    GRAVITY,
    KIND,
    NUMBERS,
    ORIGIN,
    PULL,
    SAMPLES,
    SWIRL,
    TARGET,
    TURN,
    LocalInput,
    curve_at,
    own_axes,
    region_at,
)

SEEN_AT = 0.05  # smoke of which a pull sees half


@dataclass(frozen=True)
class WindInput:
    """A wind that blows everywhere: m/s, radians, 1/s, share, s, m."""

    speed: float
    heading: float
    grip: float
    gusts: float
    gust_period: float
    ground_drag: float
    seed: int


@dataclass(frozen=True)
class TurbulenceInput:
    """Eddies: m/s, m, share of the finer half, turns a second, 1/s; and the region that they are kept to."""

    strength: float
    size: float
    detail: float
    rate: float
    grip: float
    seed: int
    within: LocalInput | None = None


Input = WindInput | LocalInput | TurbulenceInput


@dataclass(frozen=True)
class ForceInputs:
    """The forces of a step, by how they are worked out."""

    winds: tuple[WindInput, ...] = ()
    turbulences: tuple[TurbulenceInput, ...] = ()
    locals: tuple[LocalInput, ...] = ()


def _direction(heading: float, rise: float = 0.0) -> tuple[float, float, float]:
    """Unit vector from degrees."""
    a, b = math.radians(heading), math.radians(rise)
    return math.cos(a) * math.cos(b), math.sin(a) * math.cos(b), math.sin(b)


@dataclass(frozen=True)
class Ask:
    """What a resolver may ask: courses now, the force's seed and place, and what a gravity means to the
    layer."""

    moment: Any
    seed: int
    where: LocalInput
    gravity: Callable[[float], tuple[float, ...]]

    def placed(self, code: int, numbers: tuple[float, ...], **more: Any) -> LocalInput:
        """A force of a code, where it acts."""
        return replace(self.where, code=code, numbers=numbers, **more)

    def at(self, value: Any, low: float = -math.inf) -> float:
        return self.moment.at(value, low)


def _wind(force: Wind, ask: Ask) -> Input:
    if force.region == "everywhere":
        return WindInput(
            ask.at(force.speed, 0.0),
            math.radians(ask.at(force.heading)),
            ask.at(force.grip, 0.0),
            ask.at(force.gusts, 0.0),
            force.gust_period,
            force.ground_drag,
            ask.seed,
        )
    gust = 1.0 + ask.at(force.gusts, 0.0) * float(smooth_noise(ask.seed, ask.moment.own / force.gust_period))
    pace, (x, y, z) = ask.at(force.speed, 0.0) * max(0.0, gust), _direction(ask.at(force.heading))
    return ask.placed(BLOW, (ask.at(force.grip, 0.0),), target=(pace * x, pace * y, pace * z))


def _turbulence(force: Turbulence, ask: Ask) -> Input:
    within = ask.where if force.region != "everywhere" else None
    return TurbulenceInput(
        ask.at(force.strength, 0.0), force.size, force.detail, force.rate, force.grip, ask.seed, within
    )


FINE = np.linspace(0.0, 1.0, 257)


def fastest_at(force: Swirl) -> float:
    """Distance from its axis at which a swirl turns fastest, m."""
    return float(FINE[int(np.argmax(ramp_at(force.turning, FINE)))]) * force.reach


def _swirl(force: Swirl, ask: Ask) -> Input:
    spin = ask.at(force.spin) + ask.moment.in_step(force, ask.where.pose)
    if force.unsteady > 0:
        spin *= 1.0 + force.unsteady * float(smooth_noise(ask.seed + 13, ask.moment.own / force.restless))
    most = max(float(ramp_at(force.turning, FINE).max()), 1e-9)
    numbers = (
        force.reach,
        force.height,
        2.0 * math.pi * spin * fastest_at(force) / most,
        ask.at(force.lift),
        ask.at(force.pull),
        ask.at(force.grip, 0.0),
    )
    x = np.linspace(0.0, 1.0, SAMPLES)
    shapes = (force.turning, force.lifting, force.pulling, force.over_height)
    curves = tuple(tuple(np.maximum(ramp_at(shape, x), 0.0).tolist()) for shape in shapes)
    if not is_bent(force):
        return ask.placed(SWIRL, numbers, curves=curves)
    axis = axis_of(force, ask.seed, ask.moment.t + 0.5 * ask.moment.dt)
    return ask.placed(BENT, numbers, curves=curves, axis=axis)


def _pull(force: Pull, ask: Ask) -> Input:
    return ask.placed(PULL, (force.reach, ask.at(force.strength), force.falloff))


def _brake(force: Brake, ask: Ask) -> Input:
    return ask.placed(BRAKE, (ask.at(force.rate, 0.0),))


def _gravity(force: Gravity, ask: Ask) -> Input:
    towards = _direction(ask.at(force.heading), ask.at(force.rise))
    return ask.placed(GRAVITY, ask.gravity(ask.at(force.strength)), target=towards)


FORCES: dict[str, Callable[[Any, Ask], Input]] = {
    "wind": _wind,
    "turbulence": _turbulence,
    "swirl": _swirl,
    "pull": _pull,
    "drag": _brake,
    "gravity": _gravity,
}
"""How each kind of force becomes numbers for one step."""


def resolve_forces(
    forces: tuple[Force, ...], moment: Any, seed: int, gravity: Callable[[float], tuple[float, ...]]
) -> ForceInputs:
    """The forces of a step; `gravity` gives the numbers that a further gravity of some strength has for the
    layer.

    Raises
    ------
    BadInput
        A force of a kind that is not in the table.
    """
    found: list[Input] = []
    for force in heard(tuple(forces)):
        if force.kind not in FORCES:
            raise BadInput(
                f"{force.name} is a force of the kind '{force.kind}', which nothing here knows",
                "one of " + ", ".join(FORCES),
            )
        form = form_now(force, moment) if force.region == "source" else None
        pose = moment.pose(force, 0.5)
        where = LocalInput(BLOW, (), pose, force.region, force.region_size, force.border, form=form)
        found.append(FORCES[force.kind](force, Ask(moment, stable_seed(seed, force.id), where, gravity)))
    return ForceInputs(
        tuple(f for f in found if isinstance(f, WindInput)),
        tuple(f for f in found if isinstance(f, TurbulenceInput)),
        tuple(f for f in found if isinstance(f, LocalInput)),
    )


@kernel
def _power(x, p):
    """x to the power p, for those that are set most often without a logarithm."""
    if p == 1.0:
        return x
    if p == 2.0:
        return x * x
    if p == 1.5:
        return x * math.sqrt(x)
    return x**p


def _felt_at(t, n, x, y, z):
    """What placed force `n` does at a point of the scene.

    Returns
    -------
    rate (1/s) towards a velocity, that velocity (3, m/s), and an acceleration (3, m/s^2; of a gravity its
    direction, which each medium weighs for itself)
    """
    dx, dy, dz = x - t[n, ORIGIN], y - t[n, ORIGIN + 1], z - t[n, ORIGIN + 2]
    px, py, pz = own_axes(t, n, dx, dy, dz)
    share = region_at(t, n, x, y, z, px, py, pz)
    rate, ux, uy, uz, ax, ay, az = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    kind = int(t[n, KIND])
    first = t[n, NUMBERS]
    if share <= 0.0:
        rate = 0.0
    elif kind == SWIRL:
        r = math.sqrt(px * px + py * py)
        x, up = r / first, pz / t[n, NUMBERS + 1] + 0.5
        beyond = min(max(0.0, 1.0 - (x - 1.0) / SOFT), 1.0)
        if 0.0 <= up <= 1.0 and beyond > 0.0:
            turning, rising = beyond * curve_at(t, n, 0, x), beyond * curve_at(t, n, 1, x)
            drawing = beyond * curve_at(t, n, 2, x)
            turn = t[n, NUMBERS + 2] * turning / max(r, 1e-9)  # rad/s
            inward = t[n, NUMBERS + 4] * drawing / max(r, 1e-9)
            a, b, c = -turn * py - inward * px, turn * px - inward * py, t[n, NUMBERS + 3] * rising
            hold = max(turning, rising if t[n, NUMBERS + 3] != 0.0 else 0.0)
            hold = max(hold, drawing if t[n, NUMBERS + 4] != 0.0 else 0.0)
            rate = t[n, NUMBERS + 5] * hold * curve_at(t, n, 3, up) * share
            ux = t[n, TURN] * a + t[n, TURN + 3] * b + t[n, TURN + 6] * c
            uy = t[n, TURN + 1] * a + t[n, TURN + 4] * b + t[n, TURN + 7] * c
            uz = t[n, TURN + 2] * a + t[n, TURN + 5] * b + t[n, TURN + 8] * c
    elif kind == BENT:
        rate, (a, b, c) = bent_at(t, n, (px, py, pz))
        rate *= share
        ux = t[n, TURN] * a + t[n, TURN + 3] * b + t[n, TURN + 6] * c
        uy = t[n, TURN + 1] * a + t[n, TURN + 4] * b + t[n, TURN + 7] * c
        uz = t[n, TURN + 2] * a + t[n, TURN + 5] * b + t[n, TURN + 8] * c
    elif kind == PULL:
        r = math.sqrt(dx * dx + dy * dy + dz * dz)
        if r > 1e-6:
            near = min(r / (0.25 * first), 1.0) if r <= first else _power(first / r, t[n, NUMBERS + 2])
            a = -t[n, NUMBERS + 1] * near * share / r
            ax, ay, az = a * dx, a * dy, a * dz
    elif kind == GRAVITY:
        ax, ay, az = share * t[n, TARGET], share * t[n, TARGET + 1], share * t[n, TARGET + 2]
    else:  # a wind in a region, or a brake, whose velocity is none
        rate = first * share
        ux, uy, uz = t[n, TARGET], t[n, TARGET + 1], t[n, TARGET + 2]
    return rate, ux, uy, uz, ax, ay, az


felt_at = kernel(inline=True)(_felt_at)
