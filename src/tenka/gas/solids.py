"""Colliders: where they are, how open each face is, how fast they move, and what the gas beside them does.

Faces are cut by their open share (Batty, Bertails & Bridson 2007). Inside a solid, gas keeps ghost values
from outside while it is advected, and none afterwards.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy import ndimage

from tenka.base.jit import kernel, prange
from tenka.effect.model import Prop
from tenka.gas import multigrid
from tenka.gas.grid import Grid
from tenka.gas.settings import ColliderInput
from tenka.gas.thin import Faces, crossed, may_be_thin
from tenka.scene.distance import prop_distance
from tenka.scene.poses import Pose
from tenka.scene.props import deforms, form_of, own_mesh, stamp_of
from tenka.scene.surface import places_on

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
ONE = np.float32(1.0)
FAR = 1e6
LEAST_OPEN = np.float32(0.05)
DEPTH = 3.0  # voxels of a solid that carry ghost values


@dataclass
class Solids:
    """All colliders on one grid at one time.

    Attributes
    ----------
    distance : (nx, ny, nz) m to the nearest collider, negative inside
    open : three arrays of face shares in [0, 1]
    speed : three arrays of the solid's own velocity on faces, m/s
    along : three arrays: how much of the gas's own velocity is kept on faces inside a solid (free slip), from
        its slope there
    stick : three arrays: how much of the solid part of a face's border holds the gas that goes along it (no
        slip)
    pockets : flat indices of each part of the gas that no open wall reaches
    shut : flat indices of the voxels in which no gas can be, or through which none can go
    closed : (nx, ny, nz) whether a voxel is one of these
    levels : the pressure equation's hierarchy
    shown_by : what these were made from
    """

    distance: np.ndarray
    open: list[np.ndarray]
    speed: list[np.ndarray]
    along: list[np.ndarray]
    stick: list[np.ndarray]
    pockets: list[np.ndarray]
    shut: np.ndarray
    closed: np.ndarray
    levels: list[multigrid.Level]
    shown_by: tuple[object, ...] = ()
    scratch: dict[str, list[np.ndarray]] = field(default_factory=dict)


def _mark(item: ColliderInput) -> tuple[object, ...]:
    motion = None if item.motion is None else (item.motion.speed.tobytes(), item.motion.spin.tobytes())
    own_time = item.time if deforms(item.prop) else 0.0
    return (
        item.collider,
        form_of(item.prop),
        item.pose.turn.tobytes(),
        item.pose.origin.tobytes(),
        motion,
        own_time,
    )


def find_solids(
    items: tuple[ColliderInput, ...], grid: Grid, folder: Path | None, before: Solids | None
) -> Solids:
    """The colliders on the grid; `before` is handed back when nothing moved."""
    marks = tuple(_mark(item) for item in items)
    if before is not None and before.shown_by == marks:
        return before
    if (
        before is not None
    ):  # its arrays are used again: fresh ones would cost more than what is written into them
        before.shown_by = ()  # until it is whole again it is nobody's
        distance, speed, along, stick = before.distance, before.speed, before.along, before.stick
        distance.fill(FAR)
        for field_ in (*speed, *along, *stick):
            field_.fill(0.0)
    else:
        distance = np.full(grid.shape, FAR, np.float32)
        speed, along, stick = (
            [np.zeros([n + (a == axis) for a, n in enumerate(grid.shape)], np.float32) for axis in range(3)]
            for _ in range(3)
        )
    shut_faces: list[tuple[int, np.ndarray]] = []
    for item in items:
        slopes = along if item.collider.slip == "free" else stick
        shut_faces += _place(item, grid, folder, distance, speed, slopes)
    shares = before.open if before is not None else [np.empty_like(f) for f in speed]
    for axis, share in enumerate(shares):
        _shares(distance, axis, np.float32(1.0 / grid.voxel), share)
    for axis, faces in shut_faces:
        shares[axis][tuple(faces.T)] = 0.0
    wx, wy, wz = (s.copy() for s in shares)
    levels = multigrid.hierarchy(
        wx, wy, wz, grid.open_low, grid.open_high, grid.shape, before.levels if before is not None else None
    )
    scratch = before.scratch if before is not None else {}
    shut, closed = _shut(distance, shares, levels[0].diagonal), np.zeros(grid.shape, np.bool_)
    closed.reshape(-1)[shut] = True
    return Solids(
        distance, shares, speed, along, stick, _pockets(levels[0], grid), shut, closed, levels, marks, scratch
    )


@kernel
def _share(a, b, per_voxel):
    """How open the face between two voxels is, from their distances; shut where both are inside, or flow
    would go along the border."""
    share = HALF + HALF * (a + b) * per_voxel
    return ZERO if share < LEAST_OPEN or (a < ZERO and b < ZERO) else min(share, ONE)


@kernel(parallel=True)
def _shares(distance, axis, per_voxel, out):
    nx, ny, nz = distance.shape
    for p_ in prange(out.shape[0]):
        i = np.int64(p_)
        a, b = (max(i - 1, 0), min(i, nx - 1)) if axis == 0 else (i, i)
        for j in range(out.shape[1]):
            c, d = (max(j - 1, 0), min(j, ny - 1)) if axis == 1 else (j, j)
            row, p, q = out[i, j], distance[a, c], distance[b, d]
            if axis == 2:
                row[0], row[nz] = _share(p[0], p[0], per_voxel), _share(p[nz - 1], p[nz - 1], per_voxel)
                for k in range(1, nz):
                    row[k] = _share(p[k - 1], p[k], per_voxel)
            else:
                for k in range(nz):
                    row[k] = _share(p[k], q[k], per_voxel)


def _shut(distance: np.ndarray, shares: list[np.ndarray], diagonal: np.ndarray) -> np.ndarray:
    """Voxels without an open face; and those with their middle in a solid and just one, as where a solid ends
    on a face: what came into them would stay there for good."""
    inside = np.argwhere(distance < 0)
    i, j, k = inside.T
    wx, wy, wz = (share > 0 for share in shares)
    ways = wx[i, j, k].astype(int) + wx[i + 1, j, k]
    ways += wy[i, j, k].astype(int) + wy[i, j + 1, k]
    ways += wz[i, j, k].astype(int) + wz[i, j, k + 1]
    dead_ends = np.ravel_multi_index(inside[ways == 1].T, distance.shape)  # type: ignore[call-overload]
    return np.union1d(np.flatnonzero(diagonal.reshape(-1) <= 0), dead_ends)


@kernel
def _spread_reached(diagonal, reached):
    """Go over the voxels to and fro, handing on from each to its neighbours whether an open wall reaches it,
    until nothing changes."""
    nx, ny, nz = diagonal.shape
    changed = True
    while changed:
        changed = False
        for way in range(2):
            left = 0
            for x in range(nx):
                i = x if way == 0 else nx - 1 - x
                for y in range(ny):
                    j = y if way == 0 else ny - 1 - y
                    for z in range(nz):
                        k = z if way == 0 else nz - 1 - z
                        if reached[i, j, k] or diagonal[i, j, k] <= ZERO:
                            continue
                        if (
                            (i > 0 and reached[i - 1, j, k])
                            or (i + 1 < nx and reached[i + 1, j, k])
                            or (j > 0 and reached[i, j - 1, k])
                            or (j + 1 < ny and reached[i, j + 1, k])
                            or (k > 0 and reached[i, j, k - 1])
                            or (k + 1 < nz and reached[i, j, k + 1])
                        ):
                            reached[i, j, k] = True
                            changed = True
                        else:
                            left += 1
            if left == 0:
                return


def _pockets(level: multigrid.Level, grid: Grid) -> list[np.ndarray]:
    """Parts of the gas that are shut in: their pressure is free, and what flows into them must be taken to
    flow out."""
    gas = level.diagonal > 0
    reached = np.zeros(grid.shape, np.bool_)
    for axis in range(3):
        inside, sides = np.moveaxis(gas, axis, 0), np.moveaxis(reached, axis, 0)
        for end, is_open in ((0, grid.open_low[axis]), (-1, grid.open_high[axis])):
            if is_open:
                sides[end] |= inside[end]
    _spread_reached(level.diagonal, reached)
    shut = gas & ~reached
    if not shut.any():
        return []
    parts, count = ndimage.label(shut)
    flat = parts.reshape(-1)
    return [np.flatnonzero(flat == part) for part in range(1, count + 1)]


Seen = tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, Faces]


def _seen(
    prop: Prop, stamp: int, turn: bytes, origin: bytes, skin: float, grid: Grid, folder: Path | None, t: float
) -> Seen | None:
    """Of a prop in a pose: first and last voxel of its part of the grid, its distances there, the middles of
    these voxels in its own axes, and the faces that it shuts; None where it is outside."""
    pose = Pose(np.frombuffer(turn).reshape(3, 3), np.frombuffer(origin))
    low, high = (np.asarray(b, float) for b in own_mesh(prop, folder, t).bounds)
    margin = max(skin, 0.0) + 3 * grid.voxel
    corners = np.array(
        [[a, b, c] for a in (low[0], high[0]) for b in (low[1], high[1]) for c in (low[2], high[2])]
    )
    placed = pose.to_scene(corners)
    first = np.maximum(0, np.floor((placed.min(axis=0) - margin - grid.origin) / grid.voxel).astype(int))
    last = np.minimum(
        grid.shape, np.ceil((placed.max(axis=0) + margin - grid.origin) / grid.voxel).astype(int)
    )
    if np.any(last <= first):
        return None
    place = [grid.origin[a] + (np.arange(first[a], last[a]) + 0.5) * grid.voxel for a in range(3)]
    centres = np.stack(np.meshgrid(*place, indexing="ij"), axis=-1).reshape(-1, 3)
    in_own = pose.to_own(centres)

    def off(points: np.ndarray) -> np.ndarray:
        return prop_distance(prop, folder, points, grid.voxel, t) - skin

    own = off(in_own).reshape(last - first).astype(np.float32)
    faces: Faces = []
    if may_be_thin(prop, skin, grid.voxel):
        faces = [(axis, of + first) for axis, of in crossed(own, in_own, off, grid.voxel)]
    return first, last, own, in_own, faces


_seen_still = lru_cache(maxsize=8)(_seen)
"""The same for what stands still: a mover beside it makes all of the fields anew."""


def _place(
    item: ColliderInput,
    grid: Grid,
    folder: Path | None,
    distance: np.ndarray,
    speed: list[np.ndarray],
    slopes: list[np.ndarray],
) -> Faces:
    """Merge one collider into the fields, within its own bounds; the faces that it shuts though distances do
    not tell."""
    still = item.motion is None and not deforms(item.prop)
    seen = _seen_still if still else _seen
    turn, origin = item.pose.turn.tobytes(), item.pose.origin.tobytes()
    stamp, t = stamp_of(item.prop, folder), 0.0 if still else item.time
    found = seen(item.prop, stamp, turn, origin, item.collider.skin, grid, folder, t)
    if found is None:
        return []
    first, last, own, in_own, faces = found
    box = tuple(slice(a, b) for a, b in zip(first, last))
    distance[box] = np.minimum(distance[box], own)
    none = np.zeros(3)
    pace, spin, centre = (
        (item.motion.speed, item.motion.spin, item.motion.centre)
        if item.motion is not None
        else (none, none, none)
    )
    h = np.float32(grid.voxel)
    for axis in range(3):
        _border(
            own,
            axis,
            first,
            h,
            np.asarray(grid.origin, np.float32),
            (item.collider.wake * pace).astype(np.float32),
            (item.collider.wake * spin).astype(np.float32),
            centre.astype(np.float32),
            speed[axis],
            slopes[axis],
        )
    if deforms(item.prop):
        _deform(item, folder, own, in_own, grid, first, speed)
    return faces


def _deform(
    item: ColliderInput,
    folder: Path | None,
    own: np.ndarray,
    in_own: np.ndarray,
    grid: Grid,
    first: np.ndarray,
    speed: list[np.ndarray],
) -> None:
    """Add, on the faces near and in a solid that changes its form, how fast the nearest place of its surface
    moves."""
    places = places_on(item.prop, folder, grid.voxel, item.time)
    near = np.flatnonzero(own.reshape(-1) < 2 * grid.voxel)
    moving = np.zeros((own.size, 3), np.float32)
    moving[near] = (
        item.stretch * item.collider.wake * places.flow[places.tree.query(in_own[near])[1]] @ item.pose.turn.T
    )
    for axis in range(3):
        v = np.moveaxis(moving[:, axis].reshape(own.shape), axis, 0)
        face = np.concatenate([v[:1], 0.5 * (v[1:] + v[:-1]), v[-1:]])
        place = tuple(slice(a, a + n + (k == axis)) for k, (a, n) in enumerate(zip(first, own.shape)))
        speed[axis][place] += np.moveaxis(face, 0, axis)


@kernel(parallel=True)
def _border(d, axis, first, h, origin, pace, spin, centre, speed, slopes):
    """On the faces near and in one solid: its velocity along `axis`, and how far the face's own direction
    lies along its surface.

    `d` is its distance in a part of the grid that begins at voxel `first`; what lies further off is not its
    own.
    """
    mx, my, mz = d.shape
    ax, ay, az = 1 if axis == 0 else 0, 1 if axis == 1 else 0, 1 if axis == 2 else 0
    reach, depth = np.float32(2.0) * h, np.float32(DEPTH) * h
    a, b = (axis + 1) % 3, (axis + 2) % 3
    for p_ in prange(mx + ax):
        i = np.int64(p_)
        at = np.zeros(3, np.float32)
        for j in range(my + ay):
            for k in range(mz + az):
                i0, i1 = (i - ax if i > 0 else 0), (i if i < mx else mx - 1)
                j0, j1 = (j - ay if j > 0 else 0), (j if j < my else my - 1)
                k0, k1 = (k - az if k > 0 else 0), (k if k < mz else mz - 1)
                here = HALF * (d[i0, j0, k0] + d[i1, j1, k1])
                if here >= reach:
                    continue
                x, y, z = np.int64(first[0]) + i, np.int64(first[1]) + j, np.int64(first[2]) + k
                at[0] = origin[0] + (np.float32(x) + (ZERO if ax else HALF)) * h - centre[0]
                at[1] = origin[1] + (np.float32(y) + (ZERO if ay else HALF)) * h - centre[1]
                at[2] = origin[2] + (np.float32(z) + (ZERO if az else HALF)) * h - centre[2]
                speed[x, y, z] = pace[axis] + spin[a] * at[b] - spin[b] * at[a]
                if here > -depth:
                    gx = (
                        d[min(i1 + 1, mx - 1), j1, k1]
                        + d[min(i0 + 1, mx - 1), j0, k0]
                        - d[max(i1 - 1, 0), j1, k1]
                        - d[max(i0 - 1, 0), j0, k0]
                    )
                    gy = (
                        d[i1, min(j1 + 1, my - 1), k1]
                        + d[i0, min(j0 + 1, my - 1), k0]
                        - d[i1, max(j1 - 1, 0), k1]
                        - d[i0, max(j0 - 1, 0), k0]
                    )
                    gz = (
                        d[i1, j1, min(k1 + 1, mz - 1)]
                        + d[i0, j0, min(k0 + 1, mz - 1)]
                        - d[i1, j1, max(k1 - 1, 0)]
                        - d[i0, j0, max(k0 - 1, 0)]
                    )
                    g = gx if axis == 0 else (gy if axis == 1 else gz)
                    total = gx * gx + gy * gy + gz * gz
                    slopes[x, y, z] = np.float32(1.0) - g * g / total if total > ZERO else ZERO
