"""Lamps as kernels take them: the lights of an effect at a moment, and fires."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.jit import kernel
from tenka.base.randomness import unit4
from tenka.effect.courses import Value, curve, value_at
from tenka.effect.lights import PATTERNS, SceneLight, closing
from tenka.effect.model import Effect, heard
from tenka.look.colour import black_body_colour
from tenka.scene.poses import pose_at

WIDE = 15
"""Numbers of a lamp: place, m; light per steradian; square of the radius, m^2; way of a panel, or nothing;
pattern (0: none), how many of its sizes a radian holds, how dark it is, how far it has moved; one over the
square of how far it shines, m^-2, 0 without an end."""
NO_LAMPS = np.zeros((0, WIDE), np.float32)
NO_DEPTHS = np.zeros((0, 6, 1, 1), np.float32)  # of what lamps see
ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
AHEAD = np.array([1.0, 0.0, 0.0])  # a panel's, before it is turned


@dataclass(frozen=True)
class SceneLamp:
    """A light of the effect at a moment.

    Attributes
    ----------
    row : (WIDE,)
    on_set : whether it falls on props and ground
    layers : names of the layers that it falls on; None for all of them
    shadows : whether props throw shadows in it
    """

    row: np.ndarray
    on_set: bool
    layers: frozenset[str] | None
    shadows: bool

    def on_layer(self, name: str) -> bool:
        return self.layers is None or name.strip().lower() in self.layers


def widened(row: np.ndarray) -> np.ndarray:
    """A plain lamp of seven columns with all of them."""
    return np.concatenate([row, np.zeros(WIDE - len(row))]).astype(np.float32)


def _moved(speed: Value, t: float) -> float:
    """How far a pattern has moved since 0."""
    times = np.linspace(0.0, t, 65)
    return float(np.trapezoid(curve(speed, times), times))


def lamp_at(light: SceneLight, effect: Effect, t: float) -> SceneLamp:
    """A light as it is at `t`."""
    pose = pose_at(light, effect.props, t)
    colour = black_body_colour(min(max(value_at(light.kelvin, t), 1000.0), 20000.0)) * np.array(light.tint)
    facing = pose.to_scene(AHEAD[None])[0] - pose.to_scene(np.zeros((1, 3)))[0]
    panel = light.shape == "panel"
    pattern = 1 + PATTERNS.index(light.pattern) if light.pattern in PATTERNS else 0
    row = np.zeros(WIDE, np.float32)
    row[:3] = pose.to_scene(np.zeros((1, 3)))[0]
    row[3:6] = max(value_at(light.strength, t), 0.0) * colour
    row[6] = (0.5 * light.wide) ** 2
    row[7:10] = facing / max(float(np.linalg.norm(facing)), 1e-9) if panel else 0.0
    row[10:13] = pattern, 1.0 / np.radians(light.pattern_size), light.pattern_depth
    row[13] = _moved(light.pattern_speed, t) if pattern else 0.0
    row[14] = closing(light.reach)
    names = frozenset(n.strip().lower() for n in light.only.split(",") if n.strip())
    none: frozenset[str] = frozenset()
    layers = none if light.reaches == "set" else (names or None)
    return SceneLamp(row, light.reaches != "effect", layers, light.shadows)


def lamps_of(effect: Effect, folder: Path | None, t: float) -> list[SceneLamp]:
    """The lights of an effect that shine at `t`; those that are hidden or passed over do not."""
    found = [lamp_at(light, effect, t) for light in heard(effect.lights) if not light.hidden]
    return [lamp for lamp in found if lamp.row[3:6].any()]


@kernel
def _smooth(x, y, z):
    """Smooth noise from 0 to 1 with cells of 1."""
    a, b, c = np.int64(np.floor(x)), np.int64(np.floor(y)), np.int64(np.floor(z))
    f, g, h = x - np.float32(a), y - np.float32(b), z - np.float32(c)
    f = f * f * (np.float32(3.0) - np.float32(2.0) * f)
    g = g * g * (np.float32(3.0) - np.float32(2.0) * g)
    h = h * h * (np.float32(3.0) - np.float32(2.0) * h)
    total = ZERO
    for i in range(2):
        for j in range(2):
            for k in range(2):
                weight = (f if i else ONE - f) * (g if j else ONE - g) * (h if k else ONE - h)
                total += weight * np.float32(unit4(23, a + i, b + j, c + k))
    return total


@kernel
def _thrown(kind, x, y, z, fine, moved):
    """Share of a lamp's light that its pattern lets through along a way of length 1."""
    heading = np.arctan2(y, x) * fine
    rise = np.arcsin(min(max(z, -ONE), ONE)) * fine
    if kind < np.float32(1.5):  # bars, which stand upright and pass by
        place = heading + moved
        place = abs(place - np.floor(place) - HALF) * np.float32(2.0)
        return min(max(ZERO, (place - np.float32(0.4)) * np.float32(6.0)), ONE)
    if kind < np.float32(2.5):  # leaves, which sway and let spots of light through
        drift = np.float32(0.35) * np.sin(moved * np.float32(6.2831853))
        leaf = _smooth(heading + drift, rise + HALF * drift, np.float32(0.4) * moved)
        finer = _smooth(
            np.float32(2.3) * heading - drift,
            np.float32(2.3) * rise,
            np.float32(7.0) + np.float32(0.7) * moved,
        )
        both = np.float32(0.65) * leaf + np.float32(0.35) * finer
        return min(max(ZERO, (both - np.float32(0.42)) * np.float32(7.0)), ONE)
    # water: bright lines where two slow ripples meet
    one = _smooth(heading, rise, moved) - HALF
    two = _smooth(heading + np.float32(17.0), rise - np.float32(9.0), np.float32(31.0) - moved) - HALF
    line = ONE - min(abs(one + two) * np.float32(7.0), ONE)
    return min(np.float32(0.25) + line * line * np.float32(1.6), np.float32(1.6))


@kernel
def lamp_falls(lamps, m, x, y, z):
    """Light of a lamp, per its strength, that falls at (x, y, z) on what faces it, before shadows."""
    dx, dy, dz = x - lamps[m, 0], y - lamps[m, 1], z - lamps[m, 2]
    far2 = dx * dx + dy * dy + dz * dz
    near = far2 * lamps[m, 14]
    if near >= ONE:
        return ZERO
    falls = ONE / (far2 + lamps[m, 6])
    if near > ZERO:  # flat where it begins and where it ends
        falls *= (ONE - near * near) * (ONE - near * near)
    over = ONE / np.sqrt(far2 + np.float32(1e-9))
    dx, dy, dz = dx * over, dy * over, dz * over
    if lamps[m, 7] != ZERO or lamps[m, 8] != ZERO or lamps[m, 9] != ZERO:
        falls *= max(dx * lamps[m, 7] + dy * lamps[m, 8] + dz * lamps[m, 9], ZERO)
    if lamps[m, 10] > HALF and falls > ZERO:
        lets = _thrown(lamps[m, 10], dx, dy, dz, lamps[m, 11], lamps[m, 13])
        falls *= ONE - lamps[m, 12] * (ONE - lets)
    return falls
