"""A water's surface from its textures, lifted and shaded as an engine would."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from scipy.ndimage import map_coordinates

from tenka.effect.courses import still
from tenka.effect.routes.surface import SurfacePlayer
from tenka.look.waters import Pool, Wet
from tenka.package.elements.surface import Surface
from tenka.package.surfaces import Atlases, SurfaceNow, blended
from tenka.proof.elements.base import Drawn, Now, Played, place_in
from tenka.scene.cameras import View


def lifted(rise: np.ndarray, squares: int) -> np.ndarray:
    """A surface as a plane of so many squares along its longer side has it: heights at their corners,
    straight between them."""
    most = max(rise.shape)
    if squares >= most:
        return rise
    steps = tuple(max(1, round(squares * n / most)) for n in rise.shape)
    counts = list(zip(rise.shape, steps))
    corners = np.meshgrid(*(np.linspace(0, n - 1, k + 1) for n, k in counts), indexing="ij")
    coarse = map_coordinates(rise, np.stack(corners), order=1, mode="nearest")
    between = np.meshgrid(*(np.linspace(0, k, n) for n, k in counts), indexing="ij")
    return np.asarray(map_coordinates(coarse, np.stack(between), order=1, mode="nearest", output=np.float32))


def covers(pool: Pool, view: View) -> np.ndarray:
    """Which pixels see a surface's rectangle at its level, (h, w), whatever stands before it."""
    x0, y0, x1, y1 = pool.extent
    u = (np.arange(view.width) + 0.5) * 2.0 / view.width - 1.0
    v = 1.0 - (np.arange(view.height) + 0.5) * 2.0 / view.height
    across, along = u * view.half_width, v * view.half_height
    shift = [across[None] * view.right[a] + along[:, None] * view.up[a] for a in range(3)]
    one, two = (shift, [0.0] * 3) if view.orthographic else ([0.0] * 3, shift)
    start, way = (
        [first[a] + more[a] for a in range(3)] for first, more in ((view.eye, one), (view.forward, two))
    )
    t = (pool.frame.level - start[2]) / np.where(np.abs(way[2]) < 1e-9, 1e-9, way[2])
    x, y = (start[a] + t * way[a] for a in (0, 1))
    return np.asarray((t > 0.0) & (x > x0) & (x < x1) & (y > y0) & (y < y1))


@dataclass(frozen=True)
class _At:
    """What a surface that is drawn was made of, so that the same is not made again."""

    key: tuple[object, ...]
    pools: list[Pool]


class PlayedSurface(Played):
    """A surface; its atlases are read when the package is opened."""

    element: Surface

    def __init__(self, folder: Path, element: Surface) -> None:
        super().__init__(folder, element)
        self._atlases = Atlases(folder, element)
        self._kept: _At | None = None

    def _now(self, player: SurfacePlayer, now: Now) -> SurfaceNow | None:
        e, time = self.element, now.time * player.speed
        if time < -1e-6:
            return None
        last = e.times[-1]
        if e.loops and len(e.times) > 1:
            period = last + (last - e.times[0]) / (len(e.times) - 1)
            time = time % period
            if time > last:
                share = (time - last) / max(period - last, 1e-9)
                return blended(self._atlases.at(len(e.times) - 1), self._atlases.at(0), share)
        at = place_in(e.times, min(time, last))  # what is played once stays as it ended
        if at is None:
            return None
        index, share = at
        return blended(self._atlases.at(index), self._atlases.at(min(index + 1, len(e.times) - 1)), share)

    def waters(self, player: SurfacePlayer, now: Now) -> list[Wet]:
        """The surface for each carrier."""
        key = (round(now.time, 5), player, now.carriers.tobytes())
        if self._kept is None or self._kept.key != key:
            found = self._now(player, now)
            self._kept = _At(key, [] if found is None else self._pools(found, player, now))
        return list(self._kept.pools)

    def drawn(self, player: SurfacePlayer, now: Now) -> Drawn | None:
        """Nothing over the set, of which it is a part; what it takes is counted."""
        pools = [pool for pool in self.waters(player, now) if isinstance(pool, Pool)]
        if not pools:
            return None
        w, h = self.element.size
        across = player.squares * max(1, round(player.squares * min(w, h) / max(w, h)))

        def count(layers: np.ndarray) -> None:
            for pool in pools:
                layers += covers(pool, now.view)

        return Drawn(np.zeros(0), lambda _rows, _depth, _image: 0, count, quads=across * len(pools))

    def _pools(self, found: SurfaceNow, player: SurfacePlayer, now: Now) -> list[Pool]:
        e, look = self.element, still(self.element.look, now.time)
        look = look.model_copy(update={"foam": look.foam * player.foam})
        rise = lifted(found.rise, player.squares) * np.float32(player.height)
        rest = found.rest + (found.rise - rise)  # what is dry stays so
        pools = []
        for x, y, z in now.carriers.tolist():
            moved = replace(
                found,
                rise=rise,
                rest=rest,
                origin=(found.origin[0] + x, found.origin[1] + y),
                level=found.level + z,
            )
            floor = (
                e.floor.height + z,
                *e.floor.rise,
                e.floor.middle[0] + x,
                e.floor.middle[1] + y,
                e.floor.seen,
            )
            pools.append(Pool(moved, look, now.time, floor))
        return pools
