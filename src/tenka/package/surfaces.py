"""Surfaces of a package read back, frame by frame."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.package.elements.surface import Surface
from tenka.package.pictures import read_png


@dataclass(frozen=True)
class SurfaceNow:
    """A water's surface as it is drawn.

    Attributes
    ----------
    rise : (nx, ny) m over the level; rest : m, of depth there when it is level
    foam, under : (nx, ny) cover, and share that hulls cover
    origin : x, y of the low corner; cell : m; level : m
    """

    rise: np.ndarray
    rest: np.ndarray
    foam: np.ndarray
    under: np.ndarray
    origin: tuple[float, float]
    cell: float
    level: float

    @property
    def depth(self) -> np.ndarray:
        """(nx, ny) m."""
        return np.asarray(np.maximum(self.rise + self.rest, 0.0))


class Atlases:
    """The pictures of a surface; they are read once.

    Raises
    ------
    BadInput
        One that is broken or not what the manifest says.
    """

    def __init__(self, folder: Path, element: Surface) -> None:
        self.element = element
        size = element.textures[0]
        self._heights = read_png(folder / element.heights.file, size, "I" if element.bits == 16 else "L")
        self._covers = read_png(folder / element.covers.file, size, "RGBA")
        self._flow = read_png(folder / element.flow.file, size, "RGB") if element.flow is not None else None

    def _cell(self, sheet: np.ndarray, index: int) -> np.ndarray:
        """A frame of an atlas, (nx, ny, ...): x to the right, y up."""
        (w, h), columns = self.element.frame, self.element.columns
        row, column = divmod(index, columns)
        part = sheet[row * h : row * h + h, column * w : column * w + w]
        return np.swapaxes(part[::-1], 0, 1)

    def at(self, index: int) -> SurfaceNow:
        """A frame as it was written."""
        e = self.element
        share = self._cell(self._heights, index).astype(np.float32) / (2.0**e.bits - 1.0)
        covers = self._cell(self._covers, index).astype(np.float32) / 255.0
        rise = np.float32(e.lowest) + share * np.float32(e.highest - e.lowest)
        deep = covers[..., 3] * np.float32(e.deepest)
        under = (
            self._cell(self._flow, index)[..., 2].astype(np.float32) / 255.0
            if self._flow is not None
            else np.zeros_like(rise)
        )
        cell = e.size[0] / e.frame[0]
        return SurfaceNow(
            rise,
            np.where(deep > 0, deep - rise, -1e-3 - rise).astype(np.float32),
            np.ascontiguousarray(covers[..., 2]),
            under,
            e.origins[index],
            cell,
            e.level,
        )


def blended(a: SurfaceNow, b: SurfaceNow, share: float) -> SurfaceNow:
    """Between two frames; a window that went on between them is that of the nearer."""
    if share <= 0.0:
        return a
    if a.origin != b.origin:
        return a if share < 0.5 else b
    s = np.float32(share)
    parts = {
        n: getattr(a, n) + s * (getattr(b, n) - getattr(a, n)) for n in ("rise", "rest", "foam", "under")
    }
    return SurfaceNow(**parts, origin=a.origin, cell=a.cell, level=a.level)
