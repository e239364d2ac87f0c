"""The staggered grid (Harlow & Welch 1965) and the state that lives on it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tenka.base.errors import TooLarge
from tenka.effect.model import DomainBox

DENSITY, TEMPERATURE, FUEL, BURNT = 0, 1, 2, 3
CHANNELS = 4
MEMORY_SHARE = 0.6  # of what the machine has free; the rest is left to drawing and to other programs


@dataclass(frozen=True)
class Grid:
    """A box of cubic voxels.

    Attributes
    ----------
    shape : voxels along x, y, z
    voxel : edge in m
    origin : lowest corner in m
    open_low, open_high : which walls let gas through, per axis
    whole : middle and extent in m of the box that this is a part of; its own when not given
    """

    shape: tuple[int, int, int]
    voxel: float
    origin: tuple[float, float, float]
    open_low: tuple[bool, bool, bool] = (True, True, False)
    open_high: tuple[bool, bool, bool] = (True, True, True)
    whole: tuple[tuple[float, ...], tuple[float, ...]] | None = field(default=None, compare=False)

    @property
    def box(self) -> tuple[tuple[float, ...], tuple[float, ...]]:
        """Middle and extent in m of the whole box: what goes by them stays put when the part moves."""
        return self.whole or (tuple(o + 0.5 * s for o, s in zip(self.origin, self.size)), self.size)

    @classmethod
    def of(cls, domain: DomainBox) -> Grid:
        """The grid of a domain; the box grows to whole voxels from its lowest corner. A flat one lies in the
        box's middle."""
        shape = tuple(max(4, math.ceil(s / domain.voxel - 1e-6)) for s in domain.size)
        if domain.flat:
            x, y, z = domain.origin
            shut_low, shut_high = (
                (walls[0], False, walls[2]) for walls in (domain.open_low, domain.open_high)
            )
            return cls(
                (shape[0], 1, shape[2]),
                domain.voxel,
                (x, y + domain.size[1] / 2 - domain.voxel / 2, z),
                shut_low,
                shut_high,
            )
        return cls(
            (shape[0], shape[1], shape[2]), domain.voxel, domain.origin, domain.open_low, domain.open_high
        )

    @property
    def voxels(self) -> int:
        return math.prod(self.shape)

    @property
    def size(self) -> tuple[float, float, float]:
        x, y, z = (n * self.voxel for n in self.shape)
        return x, y, z

    def centres(self, axis: int) -> np.ndarray:
        """Coordinates of voxel centres along an axis, in m."""
        return (self.origin[axis] + (np.arange(self.shape[axis]) + 0.5) * self.voxel).astype(np.float32)

    def predicted_bytes(self) -> int:
        """Memory of the state, the solver's scratch arrays, and a frame being drawn (measured: within 10
        %)."""
        return self.voxels * 4 * (2 * (3 + CHANNELS) + CHANNELS + 3 + 4 + 6 + 4 + 3 + 3 + 3 + 8 + 2 + 4)

    def refuse_if_too_large(self) -> None:
        """Raise `TooLarge`, with the predicted memory, before anything is allocated."""
        need, free = self.predicted_bytes(), free_bytes()
        if need > MEMORY_SHARE * free:
            x, y, z = self.shape
            raise TooLarge(
                f"A domain of {x} x {y} x {z} voxels would take about {need / 1e9:.1f} GB of memory, and "
                f"{MEMORY_SHARE * free / 1e9:.1f} GB can be used here; choose a larger voxel or a "
                "smaller box."
            )


def free_bytes() -> int:
    """Memory that the machine can still give, in bytes."""
    try:
        with open("/proc/meminfo") as info:
            for line in info:
                if line.startswith("MemAvailable:"):
                    return int(line.split()[1]) * 1024
    except OSError:
        pass
    return 4 * 1024**3


@dataclass
class GasState:
    """All that a step needs and changes.

    Attributes
    ----------
    u, v, w : velocity in m/s on the x, y and z faces; (nx+1, ny, nz), (nx, ny+1, nz), (nx, ny, nz+1)
    scalars : (nx, ny, nz, 4): smoke density (1), temperature above the air (K), fuel (1), burnt gas that is
        still flame (1)
    time : s
    dye : (nx, ny, nz, 4) linear colour times density, and the density that carries it; None when no source
        gives any
    """

    u: np.ndarray
    v: np.ndarray
    w: np.ndarray
    scalars: np.ndarray
    time: float = 0.0
    dye: np.ndarray | None = None

    @classmethod
    def still(cls, grid: Grid, time: float = 0.0) -> GasState:
        nx, ny, nz = grid.shape
        return cls(
            np.zeros((nx + 1, ny, nz), np.float32),
            np.zeros((nx, ny + 1, nz), np.float32),
            np.zeros((nx, ny, nz + 1), np.float32),
            np.zeros((nx, ny, nz, CHANNELS), np.float32),
            time,
        )

    def copy(self) -> GasState:
        dye = None if self.dye is None else self.dye.copy()
        return GasState(self.u.copy(), self.v.copy(), self.w.copy(), self.scalars.copy(), self.time, dye)

    def with_dye(self) -> np.ndarray:
        """The carried colour, made when it is first asked for."""
        if self.dye is None:
            self.dye = np.zeros_like(self.scalars)
        return self.dye

    @property
    def fastest(self) -> float:
        """Largest velocity component in m/s; not finite after a blow-up."""
        return max(float(max(a.max(), -a.min())) for a in (self.u, self.v, self.w))


@dataclass
class Workspace:
    """Scratch arrays of one solver, allocated once."""

    grid: Grid
    parts: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        n = self.grid.shape
        empty = lambda *shape: np.zeros(shape, np.float32)  # noqa: E731
        self.spare = GasState.still(self.grid)
        self.centred = empty(*n, 4)
        self.back = empty(3, *n)
        self.ahead = empty(3, *n)
        self.curl = empty(4, *n)
        self.push = empty(3, *n)
        self.pressure = empty(*n)
        self.guesses = empty(2, *n)  # the last pressures of a first and of a second half
        self.expansion = empty(*n)
        self.figures: dict[str, Any] = {}
        self.measuring = False
        self.burnt = 0.0  # fuel that burnt since the frame began, times m^3
        self.solids: Any = None
        self.kept: dict[str, tuple[Any, ...]] = {}
        self._arrays: dict[object, tuple[np.ndarray, ...]] = {}

    def arrays(self, name: object, count: int, shape: tuple[int, ...]) -> tuple[np.ndarray, ...]:
        """Scratch arrays kept under a name; their content is whatever the last user left."""
        if name not in self._arrays:
            self._arrays[name] = tuple(np.zeros(shape, np.float32) for _ in range(count))
        return self._arrays[name]

    def arrays_like(self, name: str, like: tuple[np.ndarray, ...]) -> tuple[np.ndarray, ...]:
        """One scratch array per given one, of its shape."""
        return tuple(self.arrays((name, n), 1, field.shape)[0] for n, field in enumerate(like))
