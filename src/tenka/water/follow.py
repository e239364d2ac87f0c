"""A window of water that goes with what moves: shifted by whole cells, so that what is in it stays where it
is in the world; damped at its border, so that nothing comes back from there."""

from __future__ import annotations

import numpy as np

from tenka.water.basin import Basin, WaterState

BORDER = 24  # cells that are damped at each side
PACE = 6.0  # 1/s at the outermost of them


def shifted(field: np.ndarray, di: int, dj: int, fill: np.ndarray | float = 0.0) -> np.ndarray:
    """A field in a window that went `di` and `dj` cells on: what was in both is as it was, the rest is
    `fill`."""
    out = np.empty_like(field)
    out[...] = fill
    nx, ny = field.shape
    if abs(di) < nx and abs(dj) < ny:
        out[max(-di, 0) : nx - max(di, 0), max(-dj, 0) : ny - max(dj, 0)] = field[
            max(di, 0) : nx - max(-di, 0), max(dj, 0) : ny - max(-dj, 0)
        ]
    return out


def moved_on(basin: Basin, state: WaterState, di: int, dj: int, rest: np.ndarray) -> tuple[Basin, WaterState]:
    """The window some cells on.

    Parameters
    ----------
    rest : (nx, ny) depths at rest of the window as it is then
    """
    x, y = basin.origin
    after = Basin(basin.cell, rest, (x + di * basin.cell, y + dj * basin.cell), basin.level)
    new = after.still()
    new.rise = np.maximum(shifted(state.rise, di, dj, new.rise), -rest)
    new.u, new.v, new.time = shifted(state.u, di, dj), shifted(state.v, di, dj), state.time
    return after, new


def damping(
    shape: tuple[int, int], border: int = BORDER, sides: tuple[bool, ...] = (True,) * 4
) -> np.ndarray:
    """How fast what is in each cell comes to rest, (nx, ny) 1/s: nothing inside, ever faster in the border.

    Parameters
    ----------
    sides : whether low x, high x, low y, high y are damped
    """
    nx, ny = shape
    i, j = np.arange(nx)[:, None], np.arange(ny)[None]
    near = np.full(shape, border, float)
    for on, away in zip(sides, (i, nx - 1 - i, j, ny - 1 - j)):
        if on:
            near = np.minimum(near, away + 0 * near)
    return (PACE * np.clip(1.0 - near / border, 0.0, 1.0) ** 2).astype(np.float32)


def damp(state: WaterState, basin: Basin, rate: np.ndarray, dt: float) -> None:
    """Let what is in the border come to rest, in place."""
    kept = np.exp(-rate * np.float32(dt))
    level = np.maximum(0.0, -basin.rest)
    state.rise[...] = level + (state.rise - level) * kept
    state.u[1:-1] *= np.minimum(kept[1:], kept[:-1])
    state.v[:, 1:-1] *= np.minimum(kept[:, 1:], kept[:, :-1])
