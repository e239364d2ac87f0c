"""The basin of a water: where it is, its cells, and how high the water stands."""

from __future__ import annotations

from typing import Literal

from tenka.effect.catalogue import BED, WHERE, Settings
from tenka.effect.layers import run_up_in
from tenka.effect.placed import Vec3

LEAST_CELLS, MOST_CELLS = 8, 2048
BY_SIZE, BY_COUNT = ("size",), ("count",)


class BasinBox(Settings):
    """The rectangle in which water is simulated, its floor, and how high the water stands."""

    origin: Vec3 = WHERE.number(
        (-3.0, -3.0, 0.0),
        "m",
        -1e4,
        1e4,
        "Lowest corner of the basin, on its floor.",
        soft=(-10, 10),
        step=0.05,
    )
    rides: str = WHERE.param(
        "",
        "The prop that takes the basin along when it is put elsewhere: effect and object move as one.",
        label="rides on",
        kind="parent",
        affects="none",
    )
    size: Vec3 = WHERE.number(
        (6.0, 6.0, 1.2),
        "m",
        0.05,
        1e4,
        "Extent of the basin; its height is the room that waves and splashes have.",
        soft=(0.5, 40),
        step=0.05,
        cost="step",
    )
    cells_by: Literal["size", "count"] = WHERE.param(
        "size",
        "What stays when the basin grows: the size of a cell, or how many there are.",
        label="cells by",
        cost="step",
    )
    cell: float = WHERE.number(
        0.04,
        "m",
        0.002,
        50,
        "Edge of one cell: half of it shows waves of half the length and costs eight times as much.",
        soft=(0.02, 0.5),
        step=0.002,
        cost="step",
        when=("cells_by", BY_SIZE),
    )
    count: int = WHERE.number(
        192,
        "",
        LEAST_CELLS,
        MOST_CELLS,
        "Cells along its longer side.",
        soft=(64, 512),
        step=8,
        cost="step",
        label="cells along",
        when=("cells_by", BY_COUNT),
    )
    depth: float = WHERE.number(
        0.6,
        "m",
        0,
        1e3,
        "How high the water stands at rest over the floor's middle; 0 begins dry.",
        soft=(0, 3),
        step=0.01,
    )
    sides: Literal["walls", "open"] = WHERE.param(
        "walls", "Walls throw waves back; open sides let them go, as if the water went on at its level."
    )
    within: str = WHERE.param(
        "",
        "A prop with walls, a vat or a quay: there is water inside it alone, and it is a bed of it.",
        kind="prop",
        label="inside of",
    )
    follows: str = WHERE.param(
        "",
        "A prop with which the simulated window goes, by whole cells: waves and foam stay where they are.",
        kind="parent",
        label="window follows",
        affects="simulation",
    )
    run_up: float = run_up_in(WHERE)
    falls: float = BED.number(
        0.0,
        "°",
        0,
        60,
        "How steeply the floor falls; it turns about its middle.",
        soft=(0, 20),
        step=0.1,
        label="floor falls",
    )
    falls_to: float = BED.number(
        0.0,
        "°",
        -360,
        360,
        "Towards where it falls, from x to y.",
        soft=(-180, 180),
        step=1,
        when=("falls", ()),
    )

    @property
    def edge(self) -> float:
        """Edge of a cell, m."""
        return self.cell if self.cells_by == "size" else max(self.size[:2]) / self.count

    @property
    def cells(self) -> tuple[int, int]:
        """How many cells there are along x and y, whole ones, as many as are asked for or would be."""
        nx, ny = (max(LEAST_CELLS, round(s / self.edge)) for s in self.size[:2])
        return nx, ny

    @property
    def drawn(self) -> bool:
        """Whether its own floor and walls are drawn: where neither the ground nor a prop is its bed."""
        return not self.within and (abs(self.origin[2]) > 1e-3 or self.falls > 0.0)

    @property
    def level(self) -> float:
        """Height of the water at rest, m."""
        return self.origin[2] + self.depth
