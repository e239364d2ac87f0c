"""Sheets of a stack, drawn from the farthest as a camera sees them."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.srgb import from_srgb
from tenka.effect.routes.slices import SlicePlayer
from tenka.package.elements.slices import Slices
from tenka.package.pictures import read_png
from tenka.proof.elements.base import Drawn, Now, Played, place_in

ZERO, ONE, HALF = np.float32(0.0), np.float32(1.0), np.float32(0.5)
NEAREST = np.float32(0.05)
LONGEST, SOLID = np.float32(8.0), np.float32(0.9999)


@kernel
def _texel(sheet, x, y, wide, tall, left, top, n):
    """A value of a frame between its texels; its border is held."""
    x, y = min(max(ZERO, x), np.float32(wide - 1)), min(max(ZERO, y), np.float32(tall - 1))
    a, b = np.int64(x), np.int64(y)
    c, d = min(a + 1, wide - 1), min(b + 1, tall - 1)
    f, g = x - np.float32(a), y - np.float32(b)
    above = (ONE - f) * sheet[top + b, left + a, n] + f * sheet[top + b, left + c, n]
    below = (ONE - f) * sheet[top + d, left + a, n] + f * sheet[top + d, left + c, n]
    return (ONE - g) * above + g * below


@kernel(parallel=True)
def _draw(view, sheet, corner, right, up, cells, frame, share, soft, gains, depth, image, layers):
    """One sheet over a picture; where there is none, it counts its layers. `corner`, `right`, `up`: m."""
    height, width = depth.shape
    wide, tall = frame[0], frame[1]
    nx = right[1] * up[2] - right[2] * up[1]
    ny = right[2] * up[0] - right[0] * up[2]
    nz = right[0] * up[1] - right[1] * up[0]
    size = np.sqrt(nx * nx + ny * ny + nz * nz)
    long2 = right[0] ** 2 + right[1] ** 2 + right[2] ** 2
    high2 = up[0] ** 2 + up[1] ** 2 + up[2] ** 2
    flat = view[14] > HALF
    for p_ in prange(height):
        j = np.int64(p_)
        v = (ONE - (np.float32(j) + HALF) * np.float32(2.0) / np.float32(height)) * view[13]
        for i in range(width):
            u = ((np.float32(i) + HALF) * np.float32(2.0) / np.float32(width) - ONE) * view[12]
            ox, oy, oz, dx, dy, dz = view[0], view[1], view[2], view[3], view[4], view[5]
            ax, ay, az = u * view[6] + v * view[9], u * view[7] + v * view[10], u * view[8] + v * view[11]
            if flat:
                ox, oy, oz = ox + ax, oy + ay, oz + az
            else:
                dx, dy, dz = dx + ax, dy + ay, dz + az
            along = dx * nx + dy * ny + dz * nz
            if abs(along) < np.float32(1e-9):
                continue
            t = ((corner[0] - ox) * nx + (corner[1] - oy) * ny + (corner[2] - oz) * nz) / along
            gap = depth[j, i] - t
            if t < NEAREST or gap <= ZERO:
                continue
            px, py, pz = ox + t * dx - corner[0], oy + t * dy - corner[1], oz + t * dz - corner[2]
            s = (px * right[0] + py * right[1] + pz * right[2]) / long2
            r = (px * up[0] + py * up[1] + pz * up[2]) / high2
            if s < ZERO or s > ONE or r < ZERO or r > ONE:
                continue
            x, y = s * np.float32(wide) - HALF, (ONE - r) * np.float32(tall) - HALF
            fade = min(gap / soft, ONE) if soft > ZERO else ONE
            first, after = ONE - share, share
            a = first * _texel(sheet, x, y, wide, tall, cells[0], cells[1], 3)
            a += after * _texel(sheet, x, y, wide, tall, cells[2], cells[3], 3)
            if layers.size > 0:
                layers[j, i] += np.int32(1)
                continue
            # a ray that comes from aside goes a longer way from sheet to sheet
            slant = abs(along) / (size * np.sqrt(dx * dx + dy * dy + dz * dz))
            longer = min(ONE / max(slant, np.float32(1e-6)), LONGEST)
            thick = ONE - (ONE - min(a, SOLID)) ** longer
            more = thick / a if a > np.float32(1e-5) else longer
            keep = ONE - thick * fade * gains[1]
            for n in range(3):
                c = first * _texel(sheet, x, y, wide, tall, cells[0], cells[1], n)
                c += after * _texel(sheet, x, y, wide, tall, cells[2], cells[3], n)
                image[j, i, n] = image[j, i, n] * keep + c * more * fade * gains[0] * gains[1]


NO_LAYERS = np.zeros((0, 0), np.int32)


class PlayedSlices(Played):
    """A stack; its sheets are read when it is opened."""

    element: Slices

    def __init__(self, folder: Path, element: Slices) -> None:
        super().__init__(folder, element)
        self.sheets = [_read(folder / s.file, element) for s in element.sheets]

    def drawn(self, player: SlicePlayer, now: Now) -> Drawn | None:
        e = self.element
        at = place_in(e.times, now.time)
        if at is None:
            return None
        index, share = at
        after = min(index + 1, len(e.times) - 1)
        w, h = e.frame
        cells = np.array(
            [v for n in (index, after) for v in ((n % e.columns) * w, (n // e.columns) * h)], np.int64
        )
        corner, axes = np.array(e.corner), np.array(e.axes)
        places = [
            (n, corner + sheet.away * axes[2] + carrier)
            for carrier in now.carriers
            for n, sheet in enumerate(e.sheets)
        ]
        middles = np.array([place + 0.5 * (axes[0] + axes[1]) for _, place in places])
        depth = (middles - now.view.eye) @ now.view.forward
        gains = np.array([player.brightness * e.scale, player.opacity], np.float32)

        def sheet(row: int, far: np.ndarray, image: np.ndarray, layers: np.ndarray) -> None:
            n, place = places[row]
            _draw(
                now.view.packed(),
                self.sheets[n],
                place.astype(np.float32),
                axes[0].astype(np.float32),
                axes[1].astype(np.float32),
                cells,
                np.array(e.frame, np.int64),
                np.float32(share),
                np.float32(player.soft_edge),
                gains,
                far,
                image,
                layers,
            )

        def paint(rows: np.ndarray, far: np.ndarray, image: np.ndarray) -> int:
            for row in rows.tolist():
                sheet(row, far, image, NO_LAYERS)
            return 2 * len(rows) * w * h

        def count(layers: np.ndarray) -> None:
            endless = np.full(layers.shape, 1e9, np.float32)
            none = np.zeros((0, 0, 3), np.float32)
            for row in range(len(places)):
                sheet(row, endless, none, layers)

        return Drawn(depth, paint, count, quads=len(places))


def _read(file: Path, element: Slices) -> np.ndarray:
    """A sheet's atlas, (h, w, 4) linear and premultiplied, in shares of its scale."""
    raw = read_png(file, element.textures[0], "RGBA").astype(np.float32) / np.float32(255)
    raw[..., :3] = from_srgb(raw[..., :3])
    return raw
