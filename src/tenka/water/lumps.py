"""Hulls that are made of small boxes: pieces that float or sink, as the water meets them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter

from tenka.base.jit import kernel
from tenka.water.basin import DRY, Basin

NARROWEST = 1.0  # cells over which a box is spread at least
BLOCK = 8  # cells across over which the level is taken in the mean
CALM = 2.0  # blocks over which that is smoothed


@dataclass(frozen=True)
class Lumps:
    """Small boxes that lie in or over a water.

    Attributes
    ----------
    place, speed : (n, 3) m, m/s
    volume : (n,) m^3
    tall : (n,) m, how high each stands
    across : m, the least width of what they are boxes of
    """

    place: np.ndarray
    speed: np.ndarray
    volume: np.ndarray
    tall: np.ndarray
    across: float

    def __len__(self) -> int:
        return len(self.volume)


def calm_level(rise: np.ndarray, rest: np.ndarray) -> np.ndarray:
    """The surface without its waves, (nx, ny) m: by this what lies in it displaces water. By the waves
    themselves it would displace less where they fall, and draw them down further.

    Parameters
    ----------
    rise, rest : (nx, ny) m
    """
    nx, ny = rise.shape
    wet = rise + rest > DRY
    blocks = [-(-n // BLOCK) for n in (nx, ny)]
    sums = []
    for field in (rise * wet, wet.astype(np.float32)):
        padded = np.zeros((blocks[0] * BLOCK, blocks[1] * BLOCK), np.float32)
        padded[:nx, :ny] = field
        coarse = padded.reshape(blocks[0], BLOCK, blocks[1], BLOCK).sum(axis=(1, 3))
        sums.append(gaussian_filter(coarse, CALM, mode="constant"))
    level = sums[0] / np.maximum(sums[1], 1e-3)
    at = [(np.arange(n) + 0.5) / BLOCK - 0.5 for n in (nx, ny)]
    for axis, (places, n) in enumerate(zip(at, blocks)):
        low = np.clip(np.floor(places).astype(int), 0, max(n - 2, 0))
        share = np.clip(places - low, 0.0, 1.0).astype(np.float32)
        share = share[:, None] if axis == 0 else share[None]
        high = np.minimum(low + 1, n - 1)
        level = level.take(low, axis) * (1 - share) + level.take(high, axis) * share
    return np.asarray(level, np.float32)


def displacing(
    lumps: Lumps, basin: Basin, rise: np.ndarray, soft: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray, float]:
    """What small boxes displace of a water.

    Parameters
    ----------
    rise : (nx, ny) m, of the surface over the level
    soft : cells over which each is spread

    Returns
    -------
    (nx, ny) m of water displaced over each cell; (nx, ny) share that they cover at the surface;
    (2, nx, ny) m/s, how fast they go where they are; m^3 displaced, of which part may lie beyond the sides
    """
    deep, under = (np.zeros(basin.shape, np.float32) for _ in range(2))
    pace = np.zeros((2, *basin.shape), np.float32)
    place = np.array([*basin.origin, basin.cell, basin.level])
    whole = _displaced(
        lumps.place,
        lumps.speed,
        lumps.volume,
        lumps.tall,
        rise,
        calm_level(rise, basin.rest),
        basin.rest,
        place,
        0.5 * (1.0 + soft),
        deep,
        under,
        pace,
    )
    np.minimum(under, 1.0, out=under)
    there = deep > 0
    pace[:, there] /= deep[there]
    return deep, under, pace, float(whole)


@kernel
def _displaced(place, speed, volume, tall, rise, calm, rest, where, soft, deep, under, pace):
    """Spread each box over the cells near it, by as much as it is under water; as much in all."""
    nx, ny = deep.shape
    ox, oy, cell, level = where
    whole = 0.0
    for n in range(volume.size):
        x, y = (place[n, 0] - ox) / cell - 0.5, (place[n, 1] - oy) / cell - 0.5
        i, j = int(np.floor(x + 0.5)), int(np.floor(y + 0.5))
        if not (0 <= i < nx and 0 <= j < ny) or rise[i, j] + rest[i, j] <= DRY:
            continue
        share = min(max(0.0, (level + calm[i, j] - place[n, 2]) / tall[n] + 0.5), 1.0)
        if share <= 0.0:
            continue
        area = volume[n] / tall[n]
        reach = max(soft, np.sqrt(area) / cell, NARROWEST)
        whole += volume[n] * share
        total = 0.0
        for turn in range(2):
            for a in range(int(np.ceil(x - reach)), int(np.floor(x + reach)) + 1):
                for c in range(int(np.ceil(y - reach)), int(np.floor(y + reach)) + 1):
                    weight = (1.0 - abs(a - x) / reach) * (1.0 - abs(c - y) / reach)
                    if turn == 0:
                        total += weight
                    elif 0 <= a < nx and 0 <= c < ny and total > 0.0:
                        part = np.float32(volume[n] * share * weight / (total * cell * cell))
                        deep[a, c] += part
                        pace[0, a, c] += part * speed[n, 0]
                        pace[1, a, c] += part * speed[n, 1]
                        if share < 1.0:
                            under[a, c] += np.float32(area * weight / (total * cell * cell))
    return whole
