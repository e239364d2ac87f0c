"""Heat that bends what is behind it."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.effect.routes.shimmer import ShimmerPlayer
from tenka.package.elements.shimmer import Shimmer
from tenka.package.pictures import read_png
from tenka.proof.elements.base import Drawn, Now, Played, place_in

FARTHEST = np.float32(40.0)  # m behind the heat, where a sky is taken to lie
NEAREST = 0.05
ZERO, ONE, HALF = np.float32(0.0), np.float32(1.0), np.float32(0.5)


@kernel(parallel=True)
def _bend(angles, window, corner, step, at, tangent, depth, source, image):
    """Move what is seen through a sheet. `corner`: its upper left in px; `step`: texels a pixel; `tangent`:
    m a pixel at a distance of 1 m, or at any of an orthographic view, below 0."""
    height, width, _ = image.shape
    tall, wide, _ = angles.shape
    for p_ in prange(max(window[3] - window[1], 0)):
        j = window[1] + np.int64(p_)
        y = min(max(ZERO, (np.float32(j) + HALF - corner[1]) * step[1] - HALF), np.float32(tall - 1))
        b = min(np.int64(y), max(tall - 2, 0))
        g = y - np.float32(b)
        for i in range(window[0], window[2]):
            behind = min(depth[j, i] - at, FARTHEST)
            if behind <= ZERO:
                continue
            x = min(max(ZERO, (np.float32(i) + HALF - corner[0]) * step[0] - HALF), np.float32(wide - 1))
            a = min(np.int64(x), max(wide - 2, 0))
            f = x - np.float32(a)
            c, d = min(a + 1, wide - 1), min(b + 1, tall - 1)
            pixel = tangent * (at + behind) if tangent > ZERO else -tangent
            right = (ONE - g) * ((ONE - f) * angles[b, a, 0] + f * angles[b, c, 0])
            right += g * ((ONE - f) * angles[d, a, 0] + f * angles[d, c, 0])
            down = (ONE - g) * ((ONE - f) * angles[b, a, 1] + f * angles[b, c, 1])
            down += g * ((ONE - f) * angles[d, a, 1] + f * angles[d, c, 1])
            u = min(max(ZERO, np.float32(i) - right * behind / pixel), np.float32(width - 1))
            v = min(max(ZERO, np.float32(j) - down * behind / pixel), np.float32(height - 1))
            m, n = min(np.int64(u), width - 2), min(np.int64(v), height - 2)
            p, q = u - np.float32(m), v - np.float32(n)
            for k in range(3):
                above = (ONE - p) * source[n, m, k] + p * source[n, m + 1, k]
                below = (ONE - p) * source[n + 1, m, k] + p * source[n + 1, m + 1, k]
                image[j, i, k] = (ONE - q) * above + q * below


class PlayedShimmer(Played):
    """A shimmer; its atlas is read when it is opened."""

    element: Shimmer

    def __init__(self, folder: Path, element: Shimmer) -> None:
        super().__init__(folder, element)
        raw = read_png(folder / element.atlas.file, element.textures[0], "RGB")[..., :2]
        self.angles = (raw.astype(np.float32) / np.float32(127) - 1) * np.float32(element.scale)

    def _cell(self, n: int) -> np.ndarray:
        w, h = self.element.frame
        row, column = divmod(n, self.element.columns)
        return self.angles[row * h : row * h + h, column * w : column * w + w]

    def drawn(self, player: ShimmerPlayer, now: Now) -> Drawn | None:
        e, view = self.element, now.view
        at = place_in(e.times, now.time)
        if at is None or player.strength <= 0:
            return None
        index, share = at
        angles = (1 - share) * self._cell(index) + share * self._cell(min(index + 1, len(e.times) - 1))
        angles = np.ascontiguousarray(angles * player.strength, np.float32)
        placed = view.project(np.array(e.centre) + now.carriers)
        placed = placed[placed[:, 2] > NEAREST]
        tangent = 2.0 * view.half_height / view.height

        def box(row: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
            x, y, depth = placed[row]
            per_px = tangent if view.orthographic else tangent * depth
            size = np.array(e.size) / per_px
            corner = np.array([x, y]) - 0.5 * size
            ends = np.array([*np.floor(corner), *np.ceil(corner + size)])
            limits = np.array([view.width, view.height] * 2)
            return np.clip(ends, 0, limits).astype(np.int64), corner, np.array(e.frame) / size

        def paint(rows: np.ndarray, far: np.ndarray, image: np.ndarray) -> int:
            for row in rows.tolist():
                window, corner, step = box(row)
                way = np.float32(-tangent if view.orthographic else tangent)
                f32 = np.float32
                distance = f32(placed[row, 2])
                args = (window, corner.astype(f32), step.astype(f32), distance, way, far)
                _bend(angles, *args, image.copy(), image)
            return len(rows) * e.frame[0] * e.frame[1]

        def count(layers: np.ndarray) -> None:
            for row in range(len(placed)):
                (x0, y0, x1, y1), _, _ = box(row)
                layers[y0:y1, x0:x1] += 1

        return Drawn(placed[:, 2], paint, count, quads=len(placed))
