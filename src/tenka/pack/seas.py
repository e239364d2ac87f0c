"""Surfaces of water resampled to texels, with what becomes of their sides and of the end of a loop."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy.ndimage import gaussian_filter, map_coordinates

from tenka.effect.routes.surface import SurfaceMaps
from tenka.run.watering import WaterFrame
from tenka.water.basin import FILM


@dataclass(frozen=True)
class Sampled:
    """A surface on texels, (nx, ny) each: rise and depth, m, foam, flow (2, nx, ny), m/s, and what hulls
    cover."""

    rise: np.ndarray
    depth: np.ndarray
    foam: np.ndarray
    flow: np.ndarray
    under: np.ndarray
    origin: tuple[float, float]

    def mixed(self, other: Sampled, share: float) -> Sampled:
        """So much of another one in it."""
        s = np.float32(share)
        names = ("rise", "depth", "foam", "flow", "under")
        return replace(self, **{n: (1 - s) * getattr(self, n) + s * getattr(other, n) for n in names})


def texels_of(size: tuple[float, float], texels: int) -> tuple[int, int]:
    """Texels of a frame along x and y, at least two."""
    most = max(size)
    wide, tall = (max(2, round(texels * s / most)) for s in size)
    return wide, tall


def kept_size(route: SurfaceMaps, size: tuple[float, float]) -> tuple[tuple[float, float], float]:
    """The part of a water that is written, m, and its margin; tiled sides cost a margin each way."""
    margin = min(route.margin, 0.45 * min(size))
    if route.edges == "tiled":
        return (size[0] - margin, size[1] - margin), margin
    return size, margin


def sampled(frame: WaterFrame, shape: tuple[int, int], route: SurfaceMaps) -> Sampled:
    """A frame on texels, each the mean of about what it holds; its sides as the route wants them."""
    whole = tuple(n * frame.cell for n in frame.shape)
    size, margin = kept_size(route, (whole[0], whole[1]))
    wet = frame.depth > FILM
    level = np.where(wet, frame.rise, 0.0).astype(np.float32)
    u, v = frame.speed
    step = tuple(s / n / frame.cell for s, n in zip(size, shape))
    fields = [level, frame.depth, frame.foam, u * wet, v * wet, frame.under]
    found = []
    wide = round(margin / frame.cell)
    for field in fields:
        field = np.asarray(field, np.float32)
        if route.edges == "tiled" and wide > 0:
            field = _tiled(_tiled(field, wide, 0), wide, 1)
        soft = [0.45 * max(s - 1.0, 0.0) for s in step]
        mode = "wrap" if route.edges == "tiled" else "nearest"
        if max(soft) > 0:
            field = gaussian_filter(field, soft, mode=mode)
        at = [(np.arange(n) + 0.5) * s - 0.5 for n, s in zip(shape, step)]
        grid = np.stack(np.meshgrid(*at, indexing="ij"))
        read = "grid-wrap" if route.edges == "tiled" else "nearest"
        found.append(map_coordinates(field, grid, order=1, mode=read, output=np.float32))
    rise, depth, foam, a, b, under = found
    if route.edges == "still" and margin > 0:
        away = [np.minimum(np.arange(n) + 0.5, n - 0.5 - np.arange(n)) * s / n for n, s in zip(shape, size)]
        near = np.clip(np.minimum(away[0][:, None], away[1][None]) / margin, 0.0, 1.0)
        fade = (near * near * (3 - 2 * near)).astype(np.float32)
        depth = np.where(depth > FILM, np.maximum(depth - rise * (1 - fade), 0.0), depth)
        rise, foam, a, b = rise * fade, foam * fade, a * fade, b * fade
    return Sampled(rise, depth, foam, np.stack([a, b]), under, frame.origin)


def _tiled(field: np.ndarray, wide: int, axis: int) -> np.ndarray:
    """A field whose first cells are led over from what lies beyond its last ones: copies of it fit side by
    side."""
    f = np.moveaxis(field, axis, 0)
    n = f.shape[0] - wide
    share = (np.arange(wide, dtype=np.float32) + 0.5) / wide
    share = (share * share * (3 - 2 * share)).reshape(-1, *([1] * (f.ndim - 1)))
    out = f[:n].copy()
    out[:wide] = share * f[:wide] + (1 - share) * f[n:]
    return np.moveaxis(out, 0, axis)


@dataclass(frozen=True)
class Turns:
    """Which frames are written, and which is blended into each, with its share."""

    moments: list[int]
    with_: list[tuple[int, float]]

    @property
    def needed(self) -> list[int]:
        """All frames that are read, rising."""
        return sorted({*self.moments, *(f for f, share in self.with_ if share > 0)})


def turns_of(route: SurfaceMaps, moments: list[int], rate: float) -> Turns:
    """The frames of a sequence, or of a loop: at its beginning what comes after its end fades out."""
    if route.ends == "once":
        return Turns(moments, [(f, 0.0) for f in moments])
    over = min(round(route.blend * rate / route.every), (len(moments) - 1) // 2)
    kept = len(moments) - over
    with_ = []
    for n in range(kept):
        share = 1.0 - n / over if over and n < over else 0.0
        with_.append((moments[kept + n] if n < over else moments[n], share))
    return Turns(moments[:kept], with_)


def in_turn(turns: Turns, read: Callable[[list[int]], Any], sample: Callable[[Any], Sampled]) -> Any:
    """The surfaces of a sequence, one after the other. Few are held: those that wait for what they are
    blended with."""
    later = {f: share for f, share in turns.with_ if share > 0}
    tail = sorted(later)
    held = {f: sample(frame) for f, frame in read(tail)} if tail else {}
    for n, (_, frame) in enumerate(read(turns.moments)):
        other, share = turns.with_[n]
        now = sample(frame)
        yield now.mixed(held.pop(other), share) if share > 0 else now
