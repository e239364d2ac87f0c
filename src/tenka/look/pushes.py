"""How strongly an effect's forces push at points: what still air, or a grain in it, is given each second."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vectors import length, plus, row
from tenka.effect.model import Effect, timed
from tenka.gas.felt import resolve_forces
from tenka.gas.held import forces_of
from tenka.gas.settings import GRAVITY, Moment
from tenka.look.inspect import Field, Slice, plane_corners
from tenka.particles.acting import acting, forces_at


@kernel(parallel=True)
def _pushes(points, t, winds, gusts, local, eddies, flat, eddies_at, own, out):
    for p_ in prange(points.shape[0]):
        i = np.int64(p_)
        _, push, pull = forces_at(row(points, i), t, 1.0, winds, gusts, local, eddies, flat, eddies_at)
        if own.shape[0] > 0:
            push = plus(push, 1.0, row(own, i))
        out[i] = length(plus(push, 1.0, pull))


def pushes_at(
    effect: Effect, folder: Path | None, t: float, points: np.ndarray, only: str = ""
) -> np.ndarray:
    """Acceleration by all forces, or by the one that is called `only`, of what is still, (n,) m/s^2.

    Parameters
    ----------
    points : (n, 3) m
    """
    effect = timed(effect)
    forces = tuple(f for f in forces_of(effect, folder) if not only or f.id == only)
    moment = Moment(effect.props, effect.rate, t, 1.0 / effect.rate)
    felt = resolve_forces(forces, moment, effect.seed, lambda pull: (pull * GRAVITY,))
    points = np.ascontiguousarray(points, np.float64)
    out = np.zeros(len(points))
    acts = acting(felt, points.min(axis=0), points.max(axis=0), t, points)
    _pushes(points, t, *acts, out)
    return out


PUSH = Field("push", "Push of forces", "m/s²")


@dataclass(frozen=True)
class Room:
    """A box of voxels: its corner, m, how many there are, and their edge, m."""

    origin: tuple[float, ...]
    shape: tuple[int, ...]
    voxel: float


def push_slice(effect: Effect, folder: Path | None, t: float, room: Room, axis: int, place: float) -> Slice:
    """How strongly forces push on the plane of voxels across `axis` that lies at `place` m."""
    index = int(np.clip(np.floor((place - room.origin[axis]) / room.voxel), 0, room.shape[axis] - 1))
    a, b = (n for n in range(3) if n != axis)
    i, j = np.meshgrid(np.arange(room.shape[a]), np.arange(room.shape[b]), indexing="ij")
    cells = np.zeros((i.size, 3))
    cells[:, a], cells[:, b], cells[:, axis] = i.ravel(), j.ravel(), index
    low = np.asarray(room.origin, float)
    corners = plane_corners(low, room.shape, room.voxel, axis, index)
    values = pushes_at(effect, folder, t, low + (cells + 0.5) * room.voxel)
    return Slice(PUSH, values.reshape(i.shape).astype(np.float32), axis, index, corners)
