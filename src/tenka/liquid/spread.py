"""Where a liquid is full: how much of each cell's room its particles fill, and the distance that follows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import Grid
from tenka.gas.solids import Solids
from tenka.liquid.state import PER_CELL

ONE = np.float32(1.0)
TWO = np.float32(2.0)
ZERO = np.float32(0.0)
HALF = np.float32(0.5)
LEAST_ROOM = np.float32(0.05)


@dataclass
class Space:
    """The room that a liquid has on its grid.

    Attributes
    ----------
    open : open share of the faces along each axis, the box's shut walls among them
    speed : m/s of what shuts a face, along its axis
    room : (nx, ny, nz) share of what a full cell holds that it can hold here, counted trilinearly
    lets : (6,) whether the walls -x +x -y +y -z +z let liquid out
    distance : (nx, ny, nz) m to the nearest prop, below 0 inside; None without any
    """

    open: list[np.ndarray]
    speed: list[np.ndarray]
    room: np.ndarray
    lets: np.ndarray
    distance: np.ndarray | None


def space_of(grid: Grid, solids: Solids | None) -> Space:
    """The room between the walls and the props."""
    shapes = [tuple(n + (a == axis) for a, n in enumerate(grid.shape)) for axis in range(3)]
    if solids is None:
        open_ = [np.ones(s, np.float32) for s in shapes]
        speed = [np.zeros(s, np.float32) for s in shapes]
        volume = np.ones(grid.shape, np.float32)
    else:
        open_, speed = [f.copy() for f in solids.open], solids.speed
        volume = np.clip(HALF + solids.distance / np.float32(grid.voxel), 0.0, 1.0)
    lets = np.array([end[a] for a in range(3) for end in (grid.open_low, grid.open_high)])
    for axis, face in enumerate(open_):
        sides = np.moveaxis(face, axis, 0)
        for end, way in ((0, 0), (-1, 1)):
            if not lets[2 * axis + way]:
                sides[end] = 0.0
    room = volume
    for axis in range(3):
        room = np.moveaxis(room, axis, 0)
        wide = np.concatenate(
            [
                room[:1] if lets[2 * axis] else 0 * room[:1],
                room,
                room[-1:] if lets[2 * axis + 1] else 0 * room[:1],
            ]
        )
        room = np.moveaxis(0.75 * wide[1:-1] + 0.125 * (wide[:-2] + wide[2:]), 0, axis)
    room = np.ascontiguousarray(room, np.float32)
    return Space(open_, speed, room, lets, None if solids is None else solids.distance)


def distance_of(count: np.ndarray, space: Space, out: np.ndarray, share: np.ndarray) -> None:
    """From how much of its room each cell holds to cells to the surface, below 0 inside.

    A flat surface through or beside a cell fills so much of a trilinear count; turned round, the count tells
    how far the surface is, to one cell each way.

    Parameters
    ----------
    count : (nx, ny, nz, 2) particles, see `tenka.liquid.transfer.counted`
    out : (nx, ny, nz) is given the distance; share : how full each cell is, 1 where it is as full as can be
    """
    _distances(count, space.room, out, share)


@kernel(parallel=True)
def _distances(count, room, out, share):
    nx, ny, nz = room.shape
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                free = room[i, j, k]
                if free < LEAST_ROOM:
                    out[i, j, k], share[i, j, k] = ONE, ZERO
                    continue
                full = count[i, j, k, 0] / (np.float32(PER_CELL) * free)
                share[i, j, k] = full
                r = min(full, ONE)
                out[i, j, k] = ONE - np.sqrt(TWO * r) if r < HALF else np.sqrt(TWO * (ONE - r)) - ONE
