"""Sprites of a flipbook over time: which live, how old they are, where and how large they stand."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.courses import still
from tenka.effect.model import Player, Ramp
from tenka.look.colour import black_body_colour, ramp_table
from tenka.look.sprites import DEPTH, FRAME, NEXT, QUAD_FIELDS, count_layers, draw_quads, quad_table
from tenka.look.volume import sky_of
from tenka.package.atlas import Maps, load_atlas, load_maps
from tenka.package.elements.flipbook import Flipbook, slowed
from tenka.proof.elements.base import Drawn, Now, Played, Ride
from tenka.proof.elements.upright import stood
from tenka.scene.cameras import View, frame_of, sun_direction

NEAREST = 0.05
GOLDEN = 0.6180339887498949
STEPS = 1024  # of a table over a sprite's life
BLOCK_BYTES = 16  # of a 4 x 4 block with alpha, in the common formats


@dataclass(frozen=True)
class Sprites:
    """Living sprites, (n,) or (n, k) arrays.

    Attributes
    ----------
    age : share of the life, 0 to 1; through : of the sequence
    place : (n, 3) pivot in m
    size : (n, 2) m
    turn : radians
    opacity : 0 to 1
    tint : (n, 3) by which its light is multiplied
    variant : which of them it plays
    """

    age: np.ndarray
    through: np.ndarray
    place: np.ndarray
    size: np.ndarray
    turn: np.ndarray
    opacity: np.ndarray
    tint: np.ndarray
    variant: np.ndarray


def sprites(
    element: Flipbook,
    player: Player,
    time: float,
    carriers: np.ndarray | None = None,
    ride: Ride | None = None,
    stopped: float = math.inf,
    away: np.ndarray | None = None,
) -> Sprites:
    """The sprites alive `time` seconds after the start.

    Slot i of `count` is born first at i / count of a life, and again whenever its life ends, so that
    ages are spread evenly and the first age is 0. All chance is a hash of slot and generation.

    Parameters
    ----------
    carriers : (copies, 3) offsets in m of further copies of the effect; by default one at 0
    ride : how what carries the effect has moved at given times: offset, m, and speed, m/s
    stopped : s, from when on nothing is born
    away : (copies,) m from the eye to where each copy stands; by default all are near
    """
    carriers = np.zeros((1, 3)) if carriers is None else carriers
    copy, slot = (
        a.ravel() for a in np.meshgrid(np.arange(len(carriers)), np.arange(player.count), indexing="ij")
    )
    seed = stable_seed("player", element.id)
    life = player.life * (
        1.0 + player.life_spread * (2.0 * unit_array(seed, copy, slot, 1) - 1.0).astype(np.float64)
    )
    lived = (time - slot / player.count * player.life) / life
    generation = np.floor(lived).astype(np.int64)
    born = time - (lived - generation) * life
    kept = left_afar(player, np.zeros(len(carriers)) if away is None else away)[copy, slot]
    live = (lived >= 0) & (born <= stopped) & (kept > 0)
    copy, slot, life, lived, generation = copy[live], slot[live], life[live], lived[live], generation[live]
    kept = kept[live]
    age = lived - generation
    own = slot + 65536 * (generation + 1)

    def chance(purpose: int) -> np.ndarray:
        return unit_array(seed + purpose, copy, own).astype(np.float64)

    grown = player.scale * (1.0 + player.size_spread * (2.0 * chance(2) - 1.0))
    around, far = 2.0 * math.pi * chance(3), player.scatter * np.sqrt(chance(4))
    place = np.asarray(element.attach) + carriers[copy]
    place = place + np.stack([far * np.cos(around), far * np.sin(around), np.zeros_like(far)], axis=1)
    on = (slot * GOLDEN + 0.5) % 1.0 - 0.5 + (chance(10) - 0.5) / player.count
    place = place + np.asarray(player.along) * np.clip(on, -0.5, 0.5)[:, None]
    since = age * life
    place = place + np.asarray(player.drift) * since[:, None]
    place = place + _thrown(player, since, chance)
    if ride is not None:
        offset, speed = ride(time - since)
        place = place + offset + player.carried * speed * since[:, None]
    grown, opacity = grown * _table(player.size_over, age), kept * _table(player.alpha, age)
    turn = math.radians(player.rotation) * (2.0 * chance(5) - 1.0)
    steps = ramp_table(player.frames_over, STEPS)  # between its values as well: frames must not stutter
    along = np.interp(age * (STEPS - 1), np.arange(STEPS), steps)
    through = along * player.plays + (chance(6) if player.any_start else 0.0)
    if element.loop or player.plays != 1.0 or player.any_start:  # else a life ends with the last frame
        through = through - np.floor(through)
    which = np.minimum(chance(9) * element.variants, element.variants - 1).astype(int)
    size = np.asarray(element.size) * (1.0, player.tall) * grown[:, None]
    tint = player.brightness * _table(player.tint_over, age)
    return Sprites(age, through, place, size, turn, opacity, tint, which)


def left_afar(player: Player, away: np.ndarray) -> np.ndarray:
    """How much of each sprite's opacity is left at distances, (n, count): they go one after another in an
    order that leaves ages spread.

    Parameters
    ----------
    away : (n,) m
    """
    gone = np.clip((away - player.far_from) / max(player.far_to - player.far_from, 1e-6), 0.0, 1.0)
    share = 1.0 + (player.far_share - 1.0) * gone
    rank = np.argsort(np.argsort(np.arange(player.count) * GOLDEN % 1.0, kind="stable"), kind="stable")
    found: np.ndarray = np.clip(player.count * share[:, None] - rank, 0.0, 1.0)
    return found


def _table(ramp: Ramp, age: np.ndarray) -> np.ndarray:
    """A ramp over life at some ages, as a game reads it: from a table."""
    found: np.ndarray = ramp_table(ramp, STEPS)[np.minimum((age * (STEPS - 1)).astype(int), STEPS - 1)]
    return found


def _thrown(player: Player, since: np.ndarray, chance: Callable[[int], np.ndarray]) -> np.ndarray:
    """How far sprites have gone by the speed that they set out with, by gravity and by drag, (n, 3) m: the
    path of a body that is slowed in proportion to its speed."""
    gone, fallen = slowed(player, since)
    out = np.zeros((len(since), 3))
    out[:, 2] = -player.gravity * fallen
    if player.speed > 0:
        up = 1.0 - chance(7) * (1.0 - math.cos(math.radians(player.cone)))  # even over the cone
        flat, way = np.sqrt(np.maximum(1.0 - up * up, 0.0)), 2.0 * math.pi * chance(8)
        aim = np.stack([flat * np.cos(way), flat * np.sin(way), up], axis=1)
        out += player.speed * aim * gone[:, None]
    return out


def quads(
    element: Flipbook,
    player: Player,
    time: float,
    view: View,
    carriers: np.ndarray | None = None,
    ride: Ride | None = None,
    stopped: float = math.inf,
) -> np.ndarray:
    """Camera-facing quads of the living sprites, far ones first.

    Returns
    -------
    (n, QUAD_FIELDS) float32, see tenka.look.sprites.quad_table
    """
    stand = np.asarray(element.attach) + (np.zeros((1, 3)) if carriers is None else carriers)
    if ride is not None:
        stand = stand + ride(np.array([time]))[0]
    away = np.linalg.norm(stand - view.eye, axis=1)
    s = sprites(element, player, time, carriers, ride, stopped, away)
    if not len(s.age):
        return np.zeros((0, QUAD_FIELDS), np.float32)
    at = view.project(s.place)
    near = np.argsort(-at[:, 2].astype(np.float32), kind="stable")  # far ones first
    kept = near[at[near, 2] > NEAREST]
    at, size, turn, through = at[kept], s.size[kept], s.turn[kept], s.through[kept]
    if not len(at):
        return np.zeros((0, QUAD_FIELDS), np.float32)
    depth = np.ones(len(at)) if view.orthographic else at[:, 2]
    per_px = 2.0 * view.half_height * depth / view.height
    half = 0.5 * size / per_px[:, None]
    cos, sin = np.cos(turn), -np.sin(turn)  # px y runs down
    # the pivot stays where it is; the centre swings round it
    off = (0.5 - np.asarray(element.pivot)) * 2.0 * half
    centre_x = at[:, 0] + off[:, 0] * cos + off[:, 1] * sin
    centre_y = at[:, 1] + off[:, 0] * sin - off[:, 1] * cos
    times = np.asarray(element.times)
    looped = element.loop and element.period is not None
    if looped and element.period is not None:
        times = np.append(times, times[0] + element.period)
    moment = times[0] + through * (times[-1] - times[0])  # a life plays the sequence at its own pace
    place = np.interp(moment, times, np.arange(len(times))) if len(times) > 1 else 0.0 * through
    content = element.cell[0] - 2 * element.padding
    texels = content / np.maximum(2.0 * half[:, 0], 1e-6)
    centres = np.stack([centre_x, centre_y, np.maximum(at[:, 2] - player.nearer, NEAREST)], axis=1)
    axis = np.stack([cos, sin], axis=1)
    opacity, tint = s.opacity[kept], s.tint[kept]
    each = len(element.times)
    table = quad_table(centres, half, axis, place, each, opacity, per_px, texels, tint)
    if looped:
        table[:, NEXT] = (table[:, FRAME] + 1) % each
    table[:, [FRAME, NEXT]] += (each * s.variant[kept])[:, None]
    if player.stands == "upright":
        # the table has its rows by depth, as these are
        table = stood(table, element, s.place[kept], size, turn, player.nearer, view)
    return table


class PlayedFlipbook(Played):
    """Sprites of a flipbook; its atlases are read when it is opened."""

    element: Flipbook

    def __init__(self, folder: Path, element: Flipbook) -> None:
        super().__init__(folder, element)
        self.folder = folder
        self.atlas = load_atlas(folder, element)
        self._maps: Maps | None = None
        self._lit: tuple[object, tuple[np.ndarray, ...]] = (None, ())

    def levels(self, now: Now) -> tuple[np.ndarray, ...]:
        """The atlas as it was packed, or under another light where it has light maps."""
        if not now.relit or self.element.lit is None:
            return self.atlas.levels
        light = still(now.light, now.time)
        key = (light, now.gain)
        if self._lit[0] != key:
            self._maps = self._maps or load_maps(self.folder, self.element)
            assert self._maps is not None
            view = frame_of(self.element.heading, self.element.pitch)
            towards = sun_direction(light.heading, light.height)
            way = np.array([towards @ view[1], towards @ view[2], -(towards @ view[0])])
            sun = black_body_colour(light.kelvin) * light.strength * now.gain
            sky = np.asarray(sky_of(light)) * now.gain
            self._lit = (key, self._maps.lit(way, sun, sky, self.element.levels))
        return self._lit[1]

    def drawn(self, player: Player, now: Now) -> Drawn:
        e, atlas, levels = self.element, self.atlas, self.levels(now)
        table = quads(e, player, now.time, now.view, now.copies, now.ride, now.stopped)
        grid, cuts = (e.columns, *e.cell, e.padding), e.cuts

        def paint(rows: np.ndarray, depth: np.ndarray, image: np.ndarray) -> int:
            soft, blend = player.soft_edge, player.blend
            blocks = draw_quads(table[rows], levels, grid, depth, soft, blend, image, atlas.motion, cuts)
            return int(sum(blocks)) * BLOCK_BYTES * len(e.textures)

        return Drawn(
            table[:, DEPTH], paint, lambda layers: count_layers(table, cuts, layers), quads=len(table)
        )
