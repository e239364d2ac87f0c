"""Particles made ready to be drawn: who is seen, how wide, in what colour, and along which past."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from tenka.base.cubic import through
from tenka.base.randomness import unit_array
from tenka.cache.store import Frame
from tenka.effect.model import AMBIENT_KELVIN, Light, PointLook, Ramp
from tenka.look.colour import GLOW_REFERENCE, LUT, XYZ_TO_RGB, black_body_xyz, ramp_table
from tenka.look.lamps import NO_LAMPS, WIDE, widened
from tenka.look.march import LitVolume
from tenka.look.pointlight import light_at
from tenka.look.sprites import Book
from tenka.particles.state import Points

DISC, SOFT, PART, ROUND, LINE = range(5)
"""Forms: a disc; a soft sprite or streak; a part of a ribbon; a part of a tube; a fine line."""


@dataclass
class PointSet:
    """Particles of one layer, made ready for drawing: all that does not depend on the camera.

    Attributes
    ----------
    place : (n, 3) m; tail : (n, 3) m, the other end of a streak, or the same place
    width : (n,) m; colour : (n, 3) linear light given or thrown back, not yet weighted; alpha : (n,)
    life, turn, book : share of life and turn in radians of each, and the flipbook that they play, if any
    id : (n,) of the particle that each is, or is a copy of; of trails none
    kind, softness, opaque : of all; ticks : (m, 2, 3) m, lines that show where they go
    """

    place: np.ndarray
    tail: np.ndarray
    width: np.ndarray
    colour: np.ndarray
    alpha: np.ndarray
    kind: int
    softness: float
    opaque: float
    life: np.ndarray = field(default_factory=lambda: np.zeros(0, np.float32))
    turn: np.ndarray = field(default_factory=lambda: np.zeros(0, np.float32))
    book: Book | None = None
    ticks: np.ndarray = field(default_factory=lambda: np.zeros((0, 2, 3), np.float32))
    id: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int64))

    def __len__(self) -> int:
        return len(self.place)


LEAST_PX = 0.6  # a smaller splat is drawn this large and lets through the more


MOST_PX = 4000.0


def over(ramp: Ramp, x: np.ndarray) -> np.ndarray:
    """A ramp at many places in [0, 1]."""
    table = ramp_table(ramp, LUT)
    return table[np.clip((np.asarray(x) * (LUT - 1) + 0.5).astype(np.int32), 0, LUT - 1)]


def _of(source: np.ndarray, values: np.ndarray) -> np.ndarray:
    """Indices of sources among those that there are: a frame may be of when there were others."""
    return np.clip(source, 0, len(values) - 1)


def life_of(p: Points, t: float, source_lives: np.ndarray) -> np.ndarray:
    """Share of its life that each has behind it; those that stay count by their source's life."""
    life = np.where(
        np.isfinite(p.life), p.life, source_lives[_of(p.source, source_lives)] if len(source_lives) else 1.0
    )
    return np.clip(p.age(t) / np.maximum(life, 1e-6), 0.0, 1.0)


def met(frame: Frame, place: np.ndarray, what: str) -> np.ndarray:
    """A gas's values at places: density, heat (K), speed (m/s) as (n,), colour as (n, 3)."""
    from scipy import ndimage

    at = ((place - np.asarray(frame.origin)) / frame.voxel - 0.5).T

    def read(field_: np.ndarray) -> np.ndarray:
        return ndimage.map_coordinates(field_.astype(np.float32), at, order=1, mode="constant", cval=0.0)

    if what == "gas heat":
        return read(frame.temperature) + AMBIENT_KELVIN
    if what == "gas speed" and frame.velocity is not None:
        return np.sqrt(sum(read(c) ** 2 for c in frame.velocity))
    if what == "gas colour" and frame.dye is not None:
        held = np.maximum(read(frame.dye[..., 3]), 1e-6)
        return np.stack([read(frame.dye[..., c]) / held for c in range(3)], axis=1)
    return read(frame.density)


def values_by(look: PointLook, p: Points, t: float, life: np.ndarray, gas: Frame | None) -> np.ndarray:
    """What the colour ramp runs over, (n,), in its own unit."""
    by = look.colour_by
    if by == "life":
        return life
    if by == "age":
        return p.age(t)
    if by == "speed":
        return np.linalg.norm(p.velocity, axis=1)
    if by == "height":
        return p.place[:, 2]
    if by == "heat":
        return p.heat + AMBIENT_KELVIN
    if by.startswith("gas") and by != "gas colour":
        return met(gas, p.place, by) if gas is not None else np.zeros(len(p), np.float32)
    return np.zeros(len(p), np.float32)


def range_of(look: PointLook, values: np.ndarray) -> tuple[float, float]:
    """The range over which the ramp is laid: stated, or that of the frame; life is always whole."""
    if look.colour_by == "life":
        return 0.0, 1.0
    if look.fit and len(values):
        low, high = float(values.min()), float(values.max())
        return low, max(high, low + 1e-6)
    return (
        look.colour_low,
        look.colour_high if look.colour_high != look.colour_low else look.colour_low + 1e-6,
    )


def black_bodies(kelvin: np.ndarray) -> np.ndarray:
    """Linear light of black bodies at temperatures, (n, 3), as tenka.look.colour.glow_table has it but beyond
    its end too."""
    grid = np.linspace(600.0, 8000.0, 512)
    table = np.maximum(black_body_xyz(grid) @ XYZ_TO_RGB.T / black_body_xyz(GLOW_REFERENCE)[1], 0.0)
    return np.stack([np.interp(kelvin, grid, table[:, c], left=0.0) for c in range(3)], axis=1)


def colours_of(look: PointLook, p: Points, t: float, life: np.ndarray, gas: Frame | None) -> np.ndarray:
    """The colour of each, (n, 3) linear, before light."""
    if look.colour_by == "heat":
        colour = black_bodies(p.heat + AMBIENT_KELVIN)
    elif look.colour_by == "direction":
        fast = np.linalg.norm(p.velocity, axis=1, keepdims=True)
        colour = 0.5 + 0.5 * p.velocity / np.maximum(fast, 1e-6)
    elif look.colour_by == "gas colour":
        colour = (
            met(gas, p.place, "gas colour")
            if gas is not None and gas.dye is not None
            else np.tile(over(look.colour, np.zeros(1)), (len(p), 1))
        )
    else:
        values = values_by(look, p, t, life, gas)
        low, high = range_of(look, values)
        x = np.clip((values - low) / (high - low), 0.0, 1.0) * look.repeats
        x = np.where(x >= look.repeats, 1.0, x - np.floor(x)) if look.repeats > 1 else x
        colour = over(look.colour, x)
        if colour.ndim == 1:
            colour = np.repeat(colour[:, None], 3, axis=1)
    if look.carried > 0:
        colour = colour + look.carried * (p.colour - colour)
    return np.asarray(colour, np.float32)


def _multiplied(look: PointLook, p: Points) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Rows, offsets (m) and size factors of all copies; the first of each is the particle itself."""
    n, k = len(p), look.copies
    rows = np.repeat(np.arange(n), k)
    number = np.tile(np.arange(k), n)
    id = p.id[rows]
    u = [unit_array(8101 + c, id & 0xFFFFFFFF, id >> 32, number).astype(np.float32) for c in range(4)]
    z, a, r = 2 * u[0] - 1, 2 * np.pi * u[1], np.cbrt(u[2])
    flat = np.sqrt(np.maximum(0, 1 - z * z))
    off = look.copies_spread * (r[:, None] * np.stack([flat * np.cos(a), flat * np.sin(a), z], axis=1))
    size = look.copies_size + (1 - look.copies_size) * u[3] ** 2
    first = number == 0
    off[first] = 0
    return rows, off.astype(np.float32), np.where(first, 1.0, size).astype(np.float32)


@dataclass(eq=False)
class Swarm:
    """Particles of one layer at one time, and all that decides how they look.

    Attributes
    ----------
    lives : s, the life of each source, for those that stay
    met : a frame of the gas that they meet
    past : earlier moments and particles, the newest first, for ribbons and tubes
    book : the flipbook that each plays over its life
    name : of its layer
    """

    points: Points
    time: float
    look: PointLook
    lives: np.ndarray
    met: Frame | None = None
    past: tuple[tuple[float, Points], ...] = ()
    book: Book | None = None
    name: str = ""


def thinned(p: Points, one_in: int) -> Points:
    """Every so-many-th particle, always the same ones, each as large as those that it stands for together."""
    if one_in <= 1:
        return p
    kept = p.picked(unit_array(909, p.id & 0xFFFFFFFF, p.id >> 32) < 1.0 / one_in)
    kept.width = kept.width * np.float32(math.sqrt(one_in))
    return kept


def _tails(look: PointLook, place: np.ndarray, velocity: np.ndarray, width: np.ndarray) -> np.ndarray:
    """Where each particle's mark ends that is drawn out along its way, (n, 3)."""
    if look.form == "streak":
        return np.asarray(place - velocity * np.float32(look.streak))
    if look.stretch > 0 and look.form in ("disc", "sprite"):
        return np.asarray(place - velocity * (look.stretch * width)[:, None])
    return place


def ready(
    swarm: Swarm, light: Light, volume: LitVolume | None = None, one_in: int = 1, lamps: np.ndarray = NO_LAMPS
) -> PointSet:
    """All that does not depend on the camera; a lit gas dims the sun for them, and lamps fall on them. With
    `one_in`, some stand for all."""
    p, t, look, lives, gas = thinned(swarm.points, one_in), swarm.time, swarm.look, swarm.lives, swarm.met
    life = life_of(p, t, lives)
    colour = colours_of(look, p, t, life, gas)
    width = p.width * over(look.size_over, life) * np.float32(look.scale)
    alpha = look.opacity * over(look.opacity_over, life)
    if look.vary > 0:
        tone = 1 + look.vary * (2 * unit_array(611, p.id & 0xFFFFFFFF, p.id >> 32) - 1)
        colour = colour * tone[:, None]
    place, velocity = p.place, p.velocity
    turn = turned(look, p, t) if look.form == "flipbook" else np.zeros(len(p), np.float32)
    id = p.id
    if look.copies > 1 and look.form not in ("ribbon", "tube"):
        rows, off, size = _multiplied(look, p)
        place, velocity, colour, alpha, width = (
            place[rows] + off,
            velocity[rows],
            colour[rows],
            alpha[rows],
            width[rows] * size,
        )
        life, turn = life[rows], turn[rows]
        id = id[rows] * look.copies + np.arange(len(rows)) % look.copies
    seen = (alpha > 1e-4) & (width > 0)
    if not seen.all():
        place, velocity, colour, alpha, width, life, turn, id = (
            column[seen] for column in (place, velocity, colour, alpha, width, life, turn, id)
        )
    colour = colour * np.float32(look.brightness)
    if look.lit > 0 and len(place):
        lit = np.asarray(light_at(place, width, alpha * look.opaque, look, light, volume, lamps), np.float32)
        colour = colour * (1 - look.lit + look.lit * lit)
    if look.form in ("ribbon", "tube"):
        return _trails(swarm, np.flatnonzero(seen), colour, width, alpha)
    tail = _tails(look, place, velocity, width)
    kind = DISC if look.form in ("disc", "point") else SOFT
    if look.form == "point":
        width = np.full(len(place), 1e-6, np.float32)
    ticks = np.zeros((0, 2, 3), np.float32)
    if look.ticks:
        ticks = np.stack([p.place, p.place + 0.1 * p.velocity], axis=1)[:: max(1, len(p) // 4000)]
    f32 = np.float32
    return PointSet(
        place.astype(f32),
        np.asarray(tail, f32),
        width.astype(f32),
        colour.astype(f32),
        alpha.astype(f32),
        kind,
        look.softness,
        look.opaque,
        life.astype(f32),
        turn.astype(f32),
        swarm.book if look.form == "flipbook" else None,
        ticks.astype(f32),
        id,
    )


FINER = 3  # straight parts between two frames of a trail


def _trails(
    swarm: Swarm, rows: np.ndarray, colour: np.ndarray, width: np.ndarray, alpha: np.ndarray
) -> PointSet:
    """Ribbons or tubes back along where each was: parts between frames, bent by the speeds at both (Hermite).

    `rows` are the particles, with the colour, width and alpha of each.
    """
    look, p, t = swarm.look, swarm.points.picked(rows), swarm.time
    heads, tails, sizes, colours, alphas = [], [], [], [], []
    newer_t, place, speed, live = (
        t,
        p.place.astype(np.float32),
        p.velocity.astype(np.float32),
        np.arange(len(p)),
    )
    moments = [m for m in swarm.past if m[0] > t - look.trail - 1.0]
    for older_t, past in [*moments, (-np.inf, Points())]:
        order = np.argsort(past.id)
        at = np.searchsorted(past.id, p.id[live], sorter=order)
        found = np.zeros(len(live), bool)
        if len(past):
            at = np.minimum(at, len(past) - 1)
            found = past.id[order[at]] == p.id[live]
        # those that are not there were born in between: straight back to their birth
        since = np.where(
            found, older_t if np.isfinite(older_t) else newer_t, np.clip(p.born[live], newer_t - 0.5, newer_t)
        ).astype(np.float32)
        span = (newer_t - since)[:, None]
        b, v = place, speed
        a, u = b - v * span, v
        if found.any():
            a, u = a.copy(), u.copy()
            a[found], u[found] = past.place[order[at[found]]], past.velocity[order[at[found]]]
        for k in range(FINER):
            s0, s1 = np.float32(1 - k / FINER), np.float32(1 - (k + 1) / FINER)
            ends = [through(a, b, u * span, v * span, s) for s in (s0, s1)]
            along = (t - (since + (newer_t - since) * (s0 + s1) / 2)) / look.trail
            kept = (along < 1) & (span[:, 0] > 1e-6)
            heads.append(ends[0][kept])
            tails.append(ends[1][kept])
            who = live[kept]
            sizes.append(width[who] * over(look.trail_width, along[kept]))
            alphas.append(alpha[who] * over(look.trail_opacity, along[kept]))
            colours.append(colour[who])
        on = found & (t - older_t < look.trail)
        live, place, speed, newer_t = live[on], a[on], u[on], older_t
        if not len(live):
            break
    join = np.concatenate
    f32 = np.float32
    return PointSet(
        join(heads).astype(f32),
        join(tails).astype(f32),
        join(sizes).astype(f32),
        join(colours).astype(f32),
        join(alphas).astype(f32),
        ROUND if look.form == "tube" else PART,
        look.softness,
        look.opaque,
    )


def ticked(points: PointSet) -> PointSet:
    """The fine lines that show where particles go."""
    n = len(points.ticks)
    white = np.full((n, 3), 0.75, np.float32)
    return PointSet(
        points.ticks[:, 0].copy(),
        points.ticks[:, 1].copy(),
        np.full(n, 1e-3, np.float32),
        white,
        np.full(n, 0.8, np.float32),
        LINE,
        0.5,
        1.0,
    )


def turned(look: PointLook, p: Points, t: float) -> np.ndarray:
    """How far each has turned by `t`, rad: by chance at birth, then ever slower, larger ones less; from its
    age alone."""
    low, high = p.id & 0xFFFFFFFF, p.id >> 32
    start = np.radians(look.turned) * (2 * unit_array(733, low, high) - 1)
    if look.spin <= 0 or not len(p):
        return start.astype(np.float32)
    age, fade = p.age(t), look.spin_fade
    gone = (1 - np.exp(-fade * age)) / fade if fade > 1e-6 else age
    pace = (
        2
        * np.pi
        * look.spin
        * (2 * unit_array(734, low, high) - 1)
        * (p.width.min() / p.width) ** look.spin_slower
    )
    return (start + pace * gone).astype(np.float32)


def lamp_of(points: PointSet) -> np.ndarray:
    """What particles that shine throw on the set, as one lamp at their middle, see
    tenka.look.lamps; nothing from those that hide."""
    if not len(points) or points.opaque > 0.5:
        return np.zeros(WIDE, np.float32)
    area = (
        np.pi
        / 4
        * points.width
        * np.maximum(points.width, np.linalg.norm(points.tail - points.place, axis=1))
        * points.alpha
    ).astype(np.float64)
    light = points.colour.astype(np.float64) * area[:, None]
    weight = light.sum(axis=1)
    if weight.sum() <= 0:
        return np.zeros(WIDE, np.float32)
    middle = np.average(points.place, axis=0, weights=weight)
    spread = np.average(((points.place - middle) ** 2).sum(axis=1), weights=weight) + 0.25 * np.average(
        points.width**2, weights=weight
    )
    return widened(np.array([*middle, *((1 - points.opaque) * light.sum(axis=0)), max(spread, 1e-3)]))
