"""Boxes of voxels in which gases and liquids are simulated."""

from __future__ import annotations

import math

from tenka.effect.catalogue import WHERE, Settings
from tenka.effect.placed import Vec3


class VoxelBox(Settings):
    """A box of cubic voxels, each of whose walls is open or shut."""

    origin: Vec3 = WHERE.number(
        (-2.0, -2.0, 0.0), "m", -1e4, 1e4, "Lowest corner of the box.", soft=(-10, 10), step=0.05
    )
    rides: str = WHERE.param(
        "",
        "The prop that takes the box along when it is put elsewhere: effect and object move as one.",
        label="rides on",
        kind="parent",
        affects="none",
    )
    size: Vec3 = WHERE.number(
        (4.0, 4.0, 4.0), "m", 0.05, 1e3, "Extent of the box.", soft=(0.5, 20), step=0.05, cost="step"
    )
    voxel: float = WHERE.number(
        0.0625,
        "m",
        0.002,
        10,
        "Edge of one voxel: half of it shows finer detail and costs eight times as much.",
        soft=(0.03, 0.25),
        step=0.002,
        cost="step",
    )
    open_low: tuple[bool, bool, bool] = WHERE.param(
        (True, True, False),
        "Which of the low walls (x, y, floor) let out what is in it.",
        kind="walls",
        label="low walls",
    )
    open_high: tuple[bool, bool, bool] = WHERE.param(
        (True, True, True),
        "Which of the high walls (x, y, ceiling) let out what is in it.",
        kind="walls",
        label="high walls",
    )

    @property
    def edge(self) -> float:
        """Edge of its cells, m."""
        return self.voxel

    @property
    def voxels(self) -> int:
        """How many there are."""
        return math.prod(max(4, math.ceil(s / self.voxel - 1e-6)) for s in self.size)
