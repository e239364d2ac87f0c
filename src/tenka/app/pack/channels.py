"""What of a flipbook's cells is looked at on the contact sheet: all, one channel, or a cell with its
neighbours."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from tenka.base.srgb import to_srgb
from tenka.look.alone import HEAT
from tenka.package.elements.flipbook import Flipbook
from tenka.package.pictures import read_png

Channel = Callable[[np.ndarray, float], np.ndarray]
HOTTEST = 2000.0  # K above the air that is shown white
SEEN, NEIGHBOURS = "as seen", "with neighbours"
BEFORE, AFTER = np.array([0.95, 0.62, 0.25]), np.array([0.36, 0.72, 0.64])  # tints of neighbours


def _opaque(rgb: np.ndarray) -> np.ndarray:
    """(h, w, 4) uint8 of linear light."""
    bytes_ = (np.clip(to_srgb(rgb), 0, 1) * 255 + 0.5).astype(np.uint8)
    return np.concatenate([bytes_, np.full((*rgb.shape[:2], 1), 255, np.uint8)], axis=2)


def _grey(values: np.ndarray) -> np.ndarray:
    bytes_ = (np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)
    return np.dstack([bytes_, bytes_, bytes_, np.full_like(bytes_, 255)])


def _colour(raw: np.ndarray, gain: float) -> np.ndarray:
    cover = raw[..., 3:4]
    return _opaque(np.where(cover > 1 / 512, raw[..., :3] * gain / np.maximum(cover, 1 / 512), 0.0))


def _heat(raw: np.ndarray, gain: float) -> np.ndarray:
    cover = np.maximum(raw[..., 3], 1e-3)
    return _grey(np.where(raw[..., 3] > 1 / 255, raw[..., HEAT] / cover, 0.0) / HOTTEST)


CHANNELS: dict[str, Channel] = {
    "colour": _colour,
    "cover": lambda raw, gain: _grey(raw[..., 3]),
    "light": lambda raw, gain: _opaque(raw[..., 4:7] * gain),
    "heat": _heat,
}
"""What is shown of a cell as it was drawn, (h, w, 8), see tenka.look.alone; with the gain of the light."""


def among_neighbours(before: np.ndarray | None, cell: np.ndarray, after: np.ndarray | None) -> np.ndarray:
    """A cell over the one before and the one after, each in a tint and half as strong, (h, w, 4) uint8
    premultiplied."""
    under = np.zeros(cell.shape, np.float32)
    for other, tint in ((before, BEFORE), (after, AFTER)):
        if other is not None:
            cover = other[..., 3:4].astype(np.float32) / 255.0
            under += 0.5 * np.concatenate([cover * tint * 255.0, cover * 255.0], axis=2)
    share = 1.0 - 0.6 * cell[..., 3:4].astype(np.float32) / 255.0
    found = 0.6 * cell + np.minimum(under, 255.0) * share
    return np.minimum(found, 255.0).astype(np.uint8)


def packed_cells(folder: Path, element: Flipbook, file: str) -> list[np.ndarray]:
    """The cells of a further atlas as it was packed, (h, w, 4) uint8 each.

    Raises
    ------
    BadInput
        A picture that is missing, broken or not what the manifest says.
    """
    raw = read_png(folder / file, (element.width, element.height), "RGBA")
    wide, tall = element.cell
    found = []
    for n in range(element.frames):
        row, column = divmod(n, element.columns)
        cell = raw[row * tall : (row + 1) * tall, column * wide : (column + 1) * wide].copy()
        cell[..., 3] = 255
        found.append(cell)
    return found


def packed_names(element: Flipbook) -> dict[str, str]:
    """The further atlases that a package holds of a flipbook: what each is called, and its file."""
    plain = element.colour.file
    held = [name for name in element.sheets if name != plain]
    return {name.removeprefix(f"{element.id}_").removesuffix(".png").replace("_", " "): name for name in held}
