"""Atlases read back: linear premultiplied colour with a mip chain, as a game would sample it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.package.elements.flipbook import Flipbook
from tenka.package.pictures import read_png

_DECODE = (np.arange(256) / 255.0).astype(np.float32)
_DECODE_SRGB = np.where(_DECODE <= 0.04045, _DECODE / 12.92, ((_DECODE + 0.055) / 1.055) ** 2.4).astype(
    np.float32
)


@dataclass(frozen=True)
class Atlas:
    """`levels`: mip levels from the largest down, (h, w, 4) float32, linear and premultiplied."""

    levels: tuple[np.ndarray, ...]
    motion: np.ndarray  # (h, w, 2) shares of a frame to the next, or nothing


NO_MOTION = np.zeros((0, 0, 2), np.float32)


def read_image(file: Path, element: Flipbook, mode: str) -> np.ndarray:
    """An atlas image, checked against what the manifest says of it."""
    return read_png(file, (element.width, element.height), mode)


def halved(level: np.ndarray, count: int) -> list[np.ndarray]:
    """A picture, (h, w, k) linear, and its halves, so many in all."""
    levels = [level]
    while len(levels) < count:
        high, wide = level.shape[0] // 2, level.shape[1] // 2
        level = np.ascontiguousarray(level.reshape(high, 2, wide, 2, -1).mean(axis=(1, 3)))
        levels.append(level)
    return levels


def load_atlas(folder: Path, element: Flipbook) -> Atlas:
    """The colour atlas of a flipbook, with its second atlas added as light when it holds emission."""
    raw = read_image(folder / element.colour.file, element, "RGBA")
    level: np.ndarray = np.empty((element.height, element.width, 4), np.float32)
    level[..., :3] = _DECODE_SRGB[raw[..., :3]]
    level[..., 3] = _DECODE[raw[..., 3]]
    if element.colour.alpha == "straight":
        level[..., :3] *= level[..., 3:]
    if element.second is not None and element.second.holds == "emission":
        level[..., :3] += (
            _DECODE_SRGB[read_image(folder / element.second.file, element, "RGB")] * element.second.scale
        )
    elif element.second is not None and element.second.black_body:
        heat = read_image(folder / element.second.file, element, "L")
        table = np.array(element.second.black_body, np.float32)
        at = heat.astype(np.float32) / 255.0 * (len(table) - 1)
        for c in range(3):
            level[..., c] += np.interp(at, np.arange(len(table)), table[:, c]) * level[..., 3]
    levels = halved(level, element.levels)
    motion = NO_MOTION
    if element.motion is not None:
        raw = read_image(folder / element.motion.file, element, "RGB")
        motion = (raw[..., :2].astype(np.float32) / 127.0 - 1.0) * np.array(element.motion.scale, np.float32)
    return Atlas(tuple(levels), motion)


@dataclass(frozen=True)
class Maps:
    """Light maps read back.

    Attributes
    ----------
    sides : (h, w, 6) what comes back of light from right, left, top, bottom, back, front; premultiplied
    around : (h, w) and from all round
    cover : (h, w)
    glow : (h, w, 3) light given off
    """

    sides: np.ndarray
    around: np.ndarray
    cover: np.ndarray
    glow: np.ndarray
    tint: np.ndarray

    def lit(self, way: np.ndarray, light: np.ndarray, sky: np.ndarray, count: int) -> tuple[np.ndarray, ...]:
        """Levels of an atlas that is lit anew.

        Parameters
        ----------
        way : to the light, (3,) right, up, to the viewer
        light, sky : (3,) linear
        """
        x, y, z = (float(v) for v in way)
        pairs = ((x, 0, 1), (y, 2, 3), (z, 5, 4))  # of the front a light before it, of the back one behind
        shares = {(plus if v >= 0 else minus): v * v for v, plus, minus in pairs}
        from_light = np.zeros(self.around.shape, np.float32)
        for n, share in shares.items():
            from_light += np.float32(share) * self.sides[..., n]
        colour = from_light[..., None] * np.asarray(light * self.tint, np.float32)
        colour = colour + self.around[..., None] * np.asarray(sky * self.tint, np.float32) + self.glow
        level = np.concatenate([colour, self.cover[..., None]], axis=2).astype(np.float32)
        return tuple(halved(level, count))


def load_maps(folder: Path, element: Flipbook) -> Maps | None:
    """The light maps of a flipbook, or None where it has none."""
    if element.lit is None:
        return None
    first = read_image(folder / element.lit.first.file, element, "RGBA")
    second = read_image(folder / element.lit.second.file, element, "RGBA")
    scale = np.float32(element.lit.scale)
    sides = np.concatenate([_DECODE_SRGB[first[..., :3]], _DECODE_SRGB[second[..., :3]]], axis=2) * scale
    around = _DECODE[second[..., 3]] * np.float32(element.lit.round_scale)
    glow = np.zeros((*around.shape, 3), np.float32)
    if element.second is not None and element.second.holds == "emission":
        raw = read_image(folder / element.second.file, element, "RGB")
        glow = _DECODE_SRGB[raw] * np.float32(element.second.scale)
    return Maps(sides, around, _DECODE[first[..., 3]], glow, np.array(element.lit.tint))
