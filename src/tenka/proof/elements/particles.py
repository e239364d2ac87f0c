"""Particles from textures, drawn as they were baked."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.randomness import unit_array
from tenka.effect.routes.particles import SwarmPlayer
from tenka.look.swarm import DISC, SOFT, PointSet
from tenka.package.elements.particles import Particles
from tenka.package.rows import rows_of
from tenka.proof.elements.base import Drawn, Now, Played, place_in, splatted

WIDTH, LIGHT, OPACITY, WAY = 3, slice(4, 7), 7, slice(8, 11)
POINT_WIDTH = 1e-6  # m: what is a point in every picture
TEXEL_BYTES = 32  # of a particle in a moment: place of 16, light of 8, way of 8


def between(rows: np.ndarray, index: int, share: float) -> np.ndarray:
    """Particles a share of the way from one moment to the next, (n, 11), those that are there: what is in
    both is mixed; what is in one alone is there while that is nearer."""
    first = rows[index]
    if share <= 1e-6 or index + 1 >= len(rows):
        found = first
    else:
        second = rows[index + 1]
        a, b = first[:, WIDTH] > 0, second[:, WIDTH] > 0
        nearer = first if share < 0.5 else second
        found = np.where((a & b)[:, None], (1 - share) * first + share * second, nearer)
    return found


class PlayedParticles(Played):
    """Particles; their textures are read when they are opened."""

    element: Particles

    def __init__(self, folder: Path, element: Particles) -> None:
        super().__init__(folder, element)
        self.rows = rows_of(folder, element)
        self.chance = unit_array(917, np.arange(self.rows.shape[1]), 0)

    def points(self, player: SwarmPlayer, now: Now) -> PointSet | None:
        """What is there now, for every carrier."""
        at = place_in(self.element.times, now.time)
        if at is None:
            return None
        found = between(self.rows, *at)
        there = found[(found[:, WIDTH] > 0) & (self.chance < player.share)]
        count, e = len(now.carriers), self.element
        rows = np.tile(there, (count, 1)).astype(np.float32)
        rows[:, :3] += np.repeat(now.carriers, len(there), axis=0).astype(np.float32)
        width = np.full(len(rows), POINT_WIDTH, np.float32)
        return PointSet(
            np.ascontiguousarray(rows[:, :3]),
            rows[:, :3] + rows[:, WAY] * np.float32(player.width),
            rows[:, WIDTH] * np.float32(player.width) if e.form != "point" else width,
            rows[:, LIGHT] * np.float32(player.brightness),
            rows[:, OPACITY] * np.float32(player.opacity),
            SOFT if e.form == "soft" else DISC,
            e.softness,
            e.opaque,
        )

    def drawn(self, player: SwarmPlayer, now: Now) -> Drawn | None:
        points = self.points(player, now)
        if points is None or not len(points):
            return None
        return splatted(points, now, 2 * TEXEL_BYTES)
