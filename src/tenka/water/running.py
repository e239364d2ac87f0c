"""A running water, and its figures."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tenka.water.basin import DRY, Basin, WaterState
from tenka.water.flow import GRAVITY


@dataclass
class Water:
    """A running water.

    Attributes
    ----------
    basin : its cells, where they are now, and their depths at rest
    state : its surface
    foam : (nx, ny) cover, 0 to 1
    immersed, under : (nx, ny) what hulls displace, m, and which share of each cell they cover
    torn : (nx, ny) how much it broke or was worked at in the frame so far, 0 to 1, in the mean
    afloat : m^3 that pieces of debris displace
    given : m^3 that sources have given so far; held : m^3 at the beginning
    figures : of the last frame
    """

    basin: Basin
    state: WaterState
    foam: np.ndarray
    immersed: np.ndarray
    under: np.ndarray
    torn: np.ndarray
    given: float = 0.0
    held: float = 0.0
    afloat: float = 0.0
    figures: dict[str, Any] = field(default_factory=dict)

    @property
    def time(self) -> float:
        return self.state.time

    def copy(self) -> Water:
        return Water(
            self.basin,
            self.state.copy(),
            self.foam.copy(),
            self.immersed.copy(),
            self.under.copy(),
            np.zeros_like(self.torn),
            self.given,
            self.held,
            self.afloat,
            dict(self.figures),
        )


def figures_of(water: Water, density: float, count: int) -> dict[str, Any]:
    """Figures of a frame of `count` steps of a liquid of a density, kg/m^3."""
    basin, state = water.basin, water.state
    deep = state.depth(basin)
    wet = deep > DRY
    cells = int(np.count_nonzero(wet))
    volume = float(deep.sum(dtype=np.float64)) * basin.cell**2
    pace = np.hypot(0.5 * (state.u[1:] + state.u[:-1]), 0.5 * (state.v[:, 1:] + state.v[:, :-1]))
    rises = np.where(wet, state.rise, 0.0)
    speeds = np.square(pace, dtype=np.float64) * deep
    waves = np.square(rises, dtype=np.float64)
    return {
        **water.figures,
        "volume": volume,
        "astray": volume - water.held - water.given,
        "level": float(rises.sum(dtype=np.float64)) / max(cells, 1),
        "highest": float(rises.max()),
        "lowest": float(rises[wet].min()) if cells else 0.0,
        "fastest": float(pace[wet].max()) if cells else 0.0,
        "foam": float(water.foam.sum(dtype=np.float64)) * basin.cell**2,
        "energy": float(0.5 * density * basin.cell**2 * (speeds.sum() + GRAVITY * waves.sum())),
        "wet": cells,
        "deepest": float(deep.max()),
        "steps": count,
    }
