"""The staggered grid of a water's surface and the state that lives on it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

DRY = 1e-4  # m: a cell with less water is dry
FILM = 1e-3  # m: less is wet, and no water to be seen: rain on top of a wall


@dataclass(frozen=True)
class Basin:
    """A rectangle of square cells over a bed, with walls all round.

    Attributes
    ----------
    cell : edge of a cell, m
    rest : (nx, ny) float32: depth of the water at rest, m; below 0 where the bed stands out of it
    origin : x and y of the low corner, m
    level : height of the water at rest, m
    """

    cell: float
    rest: np.ndarray
    origin: tuple[float, float] = (0.0, 0.0)
    level: float = 0.0

    @classmethod
    def flat(cls, shape: tuple[int, int], cell: float, depth: float) -> Basin:
        """A basin of even depth, m."""
        return cls(cell, np.full(shape, depth, np.float32))

    @property
    def shape(self) -> tuple[int, int]:
        nx, ny = self.rest.shape
        return nx, ny

    def still(self) -> WaterState:
        """The state at rest: level where there is water, the bed where there is none."""
        nx, ny = self.shape
        return WaterState(
            np.maximum(0.0, -self.rest).astype(np.float32),
            np.zeros((nx + 1, ny), np.float32),
            np.zeros((nx, ny + 1), np.float32),
            0.0,
        )

    def middles(self) -> tuple[np.ndarray, np.ndarray]:
        """x and y of the cells' middles, (nx, 1) and (1, ny), m."""
        x, y = (o + self.cell * (np.arange(n) + 0.5) for o, n in zip(self.origin, self.shape))
        return x[:, None], y[None]


@dataclass
class WaterState:
    """A water's surface at a time.

    Attributes
    ----------
    rise : (nx, ny) float32: height of the surface over the level at rest, m; that of the bed where it is dry.
        Kept instead of the depth, so that what is at rest stays so to the last bit
    u, v : (nx + 1, ny) and (nx, ny + 1) float32: speeds on the cells' faces, m/s
    time : s
    """

    rise: np.ndarray
    u: np.ndarray
    v: np.ndarray
    time: float
    spare: dict[str, np.ndarray] = field(default_factory=dict, repr=False, compare=False)

    def depth(self, basin: Basin) -> np.ndarray:
        """(nx, ny) m."""
        return np.maximum(self.rise + basin.rest, 0.0)

    def volume(self, basin: Basin) -> float:
        """m^3."""
        return float(self.depth(basin).sum(dtype=np.float64)) * basin.cell**2

    def copy(self) -> WaterState:
        return WaterState(self.rise.copy(), self.u.copy(), self.v.copy(), self.time)
