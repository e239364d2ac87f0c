"""Trails from the rows of their heads."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.cubic import through
from tenka.effect.routes.trails import TrailPlayer
from tenka.look.swarm import PART, ROUND, PointSet
from tenka.package.elements.trails import STEPS, Trails
from tenka.package.rows import trail_rows
from tenka.proof.elements.base import Drawn, Now, Played, place_in, splatted

WIDTH, LIGHT, OPACITY, SPEED, AGE = 3, slice(4, 7), 7, slice(8, 11), 11
FINER = 3  # straight parts between two moments
TEXEL_BYTES = 32


class PlayedTrails(Played):
    """Trails; their textures are read when they are opened."""

    element: Trails

    def __init__(self, folder: Path, element: Trails) -> None:
        super().__init__(folder, element)
        self.rows = trail_rows(folder, element)

    def _heads(self, index: int, share: float) -> np.ndarray:
        """Heads a share of the way from one moment to the next; their places on the cubic between."""
        e, first = self.element, self.rows[index]
        if share <= 1e-6 or index + 1 >= len(self.rows):
            return first.copy()
        second = self.rows[index + 1]
        both = ((first[:, WIDTH] > 0) & (second[:, WIDTH] > 0))[:, None]
        mixed = (1 - share) * first + share * second
        span = e.times[index + 1] - e.times[index]
        mixed[:, :3] = through(
            first[:, :3], second[:, :3], first[:, SPEED] * span, second[:, SPEED] * span, share
        )
        return np.where(both, mixed, first if share < 0.5 else second)

    def points(self, player: TrailPlayer, now: Now) -> PointSet | None:
        """The straight parts of all trails, for every carrier."""
        e, at = self.element, place_in(self.element.times, now.time)
        seconds = e.seconds * player.length
        if at is None or seconds <= 1e-6:
            return None
        heads = self._heads(*at)
        live = np.flatnonzero(heads[:, WIDTH] > 0)
        head, newer, t_newer = heads[live], heads[live], now.time
        parts: list[tuple[np.ndarray, ...]] = []
        before = at[0] if at[1] > 1e-6 else at[0] - 1
        for moment in range(before, -2, -1):
            t_older = e.times[moment] if moment >= 0 else -np.inf
            older = self.rows[moment][live] if moment >= 0 else np.zeros_like(newer)
            found = older[:, WIDTH] > 0
            born = t_newer - newer[:, AGE].astype(np.float64)
            since = np.where(
                found, t_older if moment >= 0 else t_newer, np.clip(born, t_newer - 0.5, t_newer)
            )
            span = (t_newer - since)[:, None]
            b, v = newer[:, :3].astype(np.float64), newer[:, SPEED].astype(np.float64)
            a = np.where(found[:, None], older[:, :3], b - v * span)
            u = np.where(found[:, None], older[:, SPEED], v)
            for k in range(FINER):
                s0, s1 = 1 - k / FINER, 1 - (k + 1) / FINER
                ends = [through(a, b, u * span, v * span, s) for s in (s0, s1)]
                along = (now.time - (since + (t_newer - since) * (s0 + s1) / 2)) / seconds
                kept = (along < 1) & (span[:, 0] > 1e-6)
                who, x = head[kept], along[kept] * (STEPS - 1)
                steps = np.arange(STEPS)
                parts.append(
                    (
                        ends[0][kept],
                        ends[1][kept],
                        who[:, WIDTH] * np.interp(x, steps, e.width_over) * player.width,
                        who[:, LIGHT] * player.brightness,
                        who[:, OPACITY] * np.interp(x, steps, e.opacity_over) * player.opacity,
                    )
                )
            on = found & (now.time - t_older < seconds)
            live, head, newer, t_newer = live[on], head[on], older[on], t_older
            if not len(live):
                break
        if not parts:
            return None
        start, end, width, light, opacity = (np.concatenate([p[k] for p in parts]) for k in range(5))
        carried = [(start + c, end + c) for c in now.carriers]
        count = len(carried)
        f32 = np.float32
        return PointSet(
            np.concatenate([a for a, _ in carried]).astype(f32),
            np.concatenate([b for _, b in carried]).astype(f32),
            np.tile(width, count).astype(f32),
            np.tile(light, (count, 1)).astype(f32),
            np.tile(opacity, count).astype(f32),
            ROUND if e.form == "tube" else PART,
            e.softness,
            e.opaque,
        )

    def drawn(self, player: TrailPlayer, now: Now) -> Drawn | None:
        points = self.points(player, now)
        if points is None or not len(points):
            return None
        return splatted(points, now, TEXEL_BYTES)
