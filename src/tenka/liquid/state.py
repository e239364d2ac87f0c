"""A liquid's particles, and their order by cells."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import Grid
from tenka.water.pouring import Poured

PER_AXIS = 2
PER_CELL = PER_AXIS**3
"""Particles in a cell that is full."""


@dataclass
class Liquid:
    """A liquid at a time.

    Attributes
    ----------
    place, velocity : (n, 3) float32, m and m/s
    affine : (n, 3, 3) float32, 1/s: how the velocity changes round each particle, rows by component
    air : (n,) float32, how much air each has mixed in, 0 to 1
    id : (n,) int64
    time : s
    pressure : (nx, ny, nz) float32, of the last step, from which the next one sets out
    next_id : of the next particle
    first : s, the beginning of the run
    came, went, joined : m^3 that sources have given, that has left, and that a water has taken in, so far
    poured : what a water took in in the last step
    """

    place: np.ndarray
    velocity: np.ndarray
    affine: np.ndarray
    air: np.ndarray
    id: np.ndarray
    time: float
    pressure: np.ndarray
    first: float = 0.0
    next_id: int = 0
    came: float = 0.0
    went: float = 0.0
    joined: float = 0.0
    poured: Poured | None = None
    figures: dict[str, float] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.id)

    @classmethod
    def none(cls, shape: tuple[int, int, int], time: float) -> Liquid:
        """Nothing yet."""
        return cls(
            np.zeros((0, 3), np.float32),
            np.zeros((0, 3), np.float32),
            np.zeros((0, 3, 3), np.float32),
            np.zeros(0, np.float32),
            np.zeros(0, np.int64),
            time,
            np.zeros(shape, np.float32),
            time,
        )

    def picked(self, index: np.ndarray) -> None:
        """Keep some, by indices (which also put them in order) or by a mask, in place."""
        rows = np.flatnonzero(index) if index.dtype == np.bool_ else index
        n = len(rows)
        had = self.place, self.velocity, self.affine, self.air, self.id
        new = tuple(np.empty((n, *a.shape[1:]), a.dtype) for a in had)
        _picked(rows, *had, *new)
        self.place, self.velocity, self.affine, self.air, self.id = new

    def copy(self) -> Liquid:
        return Liquid(
            self.place.copy(),
            self.velocity.copy(),
            self.affine.copy(),
            self.air.copy(),
            self.id.copy(),
            self.time,
            self.pressure.copy(),
            self.first,
            self.next_id,
            self.came,
            self.went,
            self.joined,
            None,
            dict(self.figures),
        )

    def add(self, place: np.ndarray, velocity: np.ndarray) -> None:
        """Give it further particles, in place."""
        n = len(place)
        join = np.concatenate
        self.place = join([self.place, place.astype(np.float32)])
        self.velocity = join([self.velocity, velocity.astype(np.float32)])
        self.affine = join([self.affine, np.zeros((n, 3, 3), np.float32)])
        self.air = join([self.air, np.zeros(n, np.float32)])
        self.id = join([self.id, np.arange(self.next_id, self.next_id + n, dtype=np.int64)])
        self.next_id += n


def particle_volume(grid: Grid) -> float:
    """m^3 for which a particle stands."""
    return grid.voxel**3 / PER_CELL


def sort(liquid: Liquid, grid: Grid) -> np.ndarray:
    """Put the particles in the order of their cells, in place (a counting sort, stable).

    Returns
    -------
    (nx + 1,) where the particles of each slab across x begin; those outside the box come at the end
    """
    cells = np.empty(len(liquid), np.int64)
    origin = np.asarray(grid.origin, np.float64)
    count = int(np.prod(grid.shape))
    starts = np.zeros(count + 2, np.int64)
    _cells_of(liquid.place, origin, 1.0 / grid.voxel, np.array(grid.shape), cells, starts)
    order = np.empty(len(liquid), np.int64)
    _ordered(cells, starts, order)
    liquid.picked(order)
    nx, ny, nz = grid.shape
    slabs: np.ndarray = starts[np.arange(nx + 1) * ny * nz]
    return slabs


@kernel(parallel=True)
def _picked(rows, place, velocity, affine, air, id, place_out, velocity_out, affine_out, air_out, id_out):
    for p in prange(rows.size):
        n = np.uint64(p)
        m = np.uint64(rows[n])
        for a in range(3):
            place_out[n, a] = place[m, a]
            velocity_out[n, a] = velocity[m, a]
            for b in range(3):
                affine_out[n, a, b] = affine[m, a, b]
        air_out[n], id_out[n] = air[m], id[m]


@kernel
def _cells_of(place, origin, per, shape, cells, starts):
    """The cell of each particle, and how many there are in each."""
    nx, ny, nz = shape
    outside = nx * ny * nz
    for n in range(cells.size):
        i = int(np.floor((place[n, 0] - origin[0]) * per))
        j = int(np.floor((place[n, 1] - origin[1]) * per))
        k = int(np.floor((place[n, 2] - origin[2]) * per))
        inside = 0 <= i < nx and 0 <= j < ny and 0 <= k < nz
        cells[n] = (i * ny + j) * nz + k if inside else outside
        starts[cells[n] + 1] += 1
    for c in range(outside + 1):
        starts[c + 1] += starts[c]


@kernel
def _ordered(cells, starts, order):
    at = starts.copy()
    for n in range(cells.size):
        order[at[cells[n]]] = n
        at[cells[n]] += 1


@kernel
def outside(place, low, high, inside):
    """Mark which places lie between two corners, and count the others."""
    count = 0
    for n in range(place.shape[0]):
        here = True
        for a in range(3):
            here = here and low[a] <= place[n, a] <= high[a]
        inside[n] = here
        count += 0 if here else 1
    return count
