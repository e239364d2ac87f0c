"""Rows of numbers: what many things are at each moment, each in a column of its own."""

from __future__ import annotations

import numpy as np

from tenka.package.columns import Columns

MOST_SIDE = 16384  # px of a texture
USUAL_WIDTH = 1024
Row = tuple[np.ndarray, np.ndarray]
"""Ids of what is there at a moment, (n,), and the numbers of each, (n, k)."""


def width_of(most: int, moments: int) -> tuple[int, int]:
    """Columns and rows in which a moment lies, so that all moments fit a texture."""
    columns = max(1, min(most, USUAL_WIDTH))
    while moments * -(-most // columns) > MOST_SIDE and columns < MOST_SIDE:
        columns *= 2
    return columns, max(1, -(-most // columns))


def laid_out(held: list[Row], wide: int) -> tuple[np.ndarray, int]:
    """Moments as a picture, (moments x rows, columns, wide), and how many rows each has; a thing keeps its
    column."""
    lives = dict[int, tuple[int, int]]()
    for n, (ids, _) in enumerate(held):
        for id in ids.tolist():
            lives[id] = (lives[id][0] if id in lives else n, n)
    columns = Columns.given(lives)
    across, rows = width_of(columns.count, len(held))
    out = np.zeros((len(held), rows * across, wide), np.float32)
    for n, (ids, values) in enumerate(held):
        out[n, np.array([columns.of[id] for id in ids.tolist()], np.int64)] = values
    return out.reshape(len(held) * rows, across, wide), rows
