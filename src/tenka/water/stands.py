"""Props as the water meets them: hulls that push it, and beds round and over which it flows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.model import InWater, Prop
from tenka.gas.settings import Moment
from tenka.scene.poses import Motion, Pose, motion_between
from tenka.scene.props import deforms, form_of, own_mesh, stamp_of
from tenka.water.basin import Basin
from tenka.water.lumps import Lumps, displacing
from tenka.water.shapes import FAR, Profile, Stand, edges_of, laid, profile_of, softened

ROUNDED = 1e5  # of a turn's figures, below which two are one
LIES = 0.02  # m over the floor: what begins lower stands on it
ALONG = 0.35  # of a hull's speed along its side that works up foam


def stand_of(pose: Pose) -> tuple[Stand, np.ndarray]:
    """Where something stands, and its turn without its heading."""
    heading = math.atan2(pose.turn[1, 0], pose.turn[0, 0])
    c, s = math.cos(heading), math.sin(heading)
    rest = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]]) @ pose.turn
    return Stand(float(pose.origin[0]), float(pose.origin[1]), heading), rest


@lru_cache(maxsize=48)
def _profile(
    form: Prop, stamp: int, folder: Path | None, t: float, turn: tuple[int, ...], cell: float, margin: float
) -> Profile:
    mesh = own_mesh(form, folder, t)
    rest = np.array(turn, float).reshape(3, 3) / ROUNDED
    return profile_of(mesh.corners @ rest.T, cell, margin)


@lru_cache(maxsize=64)
def _form(prop: Prop) -> Prop:
    return form_of(prop)


def profile_at(
    prop: Prop, rest: np.ndarray, folder: Path | None, t: float, cell: float, margin: float
) -> Profile:
    """A prop's profile, turned by all but its heading.

    Raises
    ------
    BadInput
        As `own_mesh` does.
    """
    turn = tuple(round(v) for v in (rest * ROUNDED).ravel())
    return _profile(
        _form(prop), stamp_of(prop, folder), folder, t if deforms(prop) else 0.0, turn, cell, margin
    )


@dataclass
class Met:
    """What a water meets at a moment.

    Attributes
    ----------
    immersed : (nx, ny) m, of water that hulls displace
    work : (nx, ny) m/s, how fast their sides move through it, times their foam
    under : (nx, ny) share of each cell that a hull covers at the water's level
    touching : ids of the hulls that touch the water
    deep, wide : m, how deep each reaches, and its least width
    afloat : m^3 that pieces displace
    """

    immersed: np.ndarray
    work: np.ndarray
    under: np.ndarray
    touching: set[str] = field(default_factory=set)
    deep: dict[str, float] = field(default_factory=dict)
    wide: dict[str, float] = field(default_factory=dict)
    afloat: float = 0.0


def hulls_in(
    hulls: Sequence[tuple[InWater, Prop]],
    basin: Basin,
    floor: np.ndarray,
    moment: Moment,
    folder: Path | None,
) -> Met:
    """The hulls at the end of a step.

    Parameters
    ----------
    floor : (nx, ny) m, height of the bed
    moment : the step; a hull's speed is its mean over it
    """
    found = Met(*_fields(basin, 3))
    for stop, prop in hulls:
        before, after = moment.pose(prop, 0.0), moment.pose(prop, 1.0)
        share = moment.at(stop.push, 0.0)
        stand, rest = stand_of(after)
        reach = stop.soft * basin.cell
        t = moment.t + moment.dt
        profile = profile_at(prop, rest, folder, t, basin.cell, 1.5 * reach + basin.cell)
        # the bed under it is taken as even
        here, (ground,) = _at(floor, stand, basin)
        low = (round(float(after.origin[2]), 6), round(basin.level, 6), round(ground, 6))
        deepest, wide, rasters = _immersing(profile, low, reach, basin.cell)
        found.wide[stop.id] = wide
        found.deep[stop.id] = deepest
        if deepest <= 0.0 or share <= 0.0:
            continue
        here, (deep, edge, over) = laid(profile, rasters, stand, basin)
        if not deep.size or not deep.any():
            continue
        found.touching.add(stop.id)
        np.maximum(found.immersed[here], deep * np.float32(share), out=found.immersed[here])
        np.maximum(found.under[here], over, out=found.under[here])
        if before.same_as(after):
            continue
        motion = motion_between(before, after, moment.span)
        pace = _working(motion, basin, here, deep)
        np.maximum(found.work[here], pace * edge * np.float32(stop.foams), out=found.work[here])
    np.minimum(found.immersed, np.maximum(basin.rest, 0.0), out=found.immersed)
    return found


def take_in(met: Met, stop: InWater, lumps: Lumps, share: float, basin: Basin, rise: np.ndarray) -> None:
    """Pieces of a layer as hulls too, in place.

    Parameters
    ----------
    share : of what they displace that the water feels
    rise : (nx, ny) m, of the surface over the level
    """
    deep, under, pace, whole = displacing(lumps, basin, rise, stop.soft)
    met.deep[stop.id] = float(deep.max())
    met.wide[stop.id] = lumps.across
    if whole <= 0.0:
        return
    met.touching.add(stop.id)
    met.immersed += np.float32(share) * deep
    met.afloat += share * whole
    np.maximum(met.under, under, out=met.under)
    u, v = pace
    work = _sideways(u, v, deep) * edges_of(deep) * np.float32(stop.foams)
    np.maximum(met.work, work, out=met.work)


@lru_cache(maxsize=32)
def _immersing(
    profile: Profile, heights: tuple[float, float, float], reach: float, cell: float
) -> tuple[float, float, np.ndarray]:
    """How deep a hull reaches at most and its least width there, m; and on its raster how much it displaces
    with its sides rounded, m, where these are, and what it covers.

    Parameters
    ----------
    heights : of its own origin, of the water, and of the ground under it, m
    """
    thick = profile.thickness(*heights)
    wide = profile.step * float(min(_across(thick, 0), _across(thick, 1)))
    soft = softened(thick, profile.step, reach)
    cover = softened((thick > 0).astype(np.float32), profile.step, cell)
    return float(thick.max()), wide, np.stack([soft, edges_of(soft), cover])


def _fields(basin: Basin, count: int) -> Any:
    return (np.zeros(basin.shape, np.float32) for _ in range(count))


def _at(field: np.ndarray, stand: Stand, basin: Basin) -> tuple[Any, tuple[float]]:
    i, j = (
        int(np.clip((p - o) / basin.cell, 0, n - 1))
        for p, o, n in zip((stand.x, stand.y), basin.origin, basin.shape)
    )
    return (i, j), (float(field[i, j]),)


def _across(thick: np.ndarray, axis: int) -> int:
    """Steps between places along an axis that are taken up; at least one where there is any."""
    count = int(np.count_nonzero((thick > 0).any(axis=1 - axis)))
    return max(count - 1, min(count, 1))


def _working(motion: Motion, basin: Basin, here: tuple[slice, slice], deep: np.ndarray) -> np.ndarray:
    """How fast a hull's sides move through the water: against it wholly, along it in part."""
    x, y = basin.middles()
    x, y = x[here[0]] - motion.centre[0], y[:, here[1]] - motion.centre[1]
    u, v = motion.speed[0] - motion.spin[2] * y + 0 * x, motion.speed[1] + motion.spin[2] * x + 0 * y
    return _sideways(u, v, deep)


def _sideways(u: Any, v: Any, deep: np.ndarray) -> np.ndarray:
    """How fast what goes at (u, v) m/s works at the water, by how deep it reaches: see `_working`."""
    a, b = np.gradient(deep) if min(deep.shape) > 1 else (np.zeros_like(deep), np.zeros_like(deep))
    steep = np.maximum(np.hypot(a, b), 1e-9)
    straight = np.maximum(-(u * a + v * b) / steep, 0.0)
    return np.maximum(straight, ALONG * np.hypot(u, v)).astype(np.float32)


@dataclass(frozen=True)
class Ground:
    """The bed of a water at a moment.

    Attributes
    ----------
    floor : (nx, ny) m, its height
    room : (nx, ny) m, of water that can pass below what hangs over the floor; FAR where nothing does. None
        where nothing does at all
    """

    floor: np.ndarray
    room: np.ndarray | None = None


def ground_of(
    even: np.ndarray, basin: Basin, beds: Sequence[tuple[InWater, Prop]], moment: Moment, folder: Path | None
) -> Ground:
    """The bed with the props that stand in the water, at the beginning of a step.

    Parameters
    ----------
    even : (nx, ny) m, the floor without them
    basin : cells and place; its depths are not read
    """
    floor, room = even.astype(np.float32), np.full(basin.shape, FAR, np.float32)
    for _, prop in beds:
        pose = moment.pose(prop, 0.0)
        stand, rest = stand_of(pose)
        profile = profile_at(prop, rest, folder, moment.t, basin.cell, 0.0)
        z = np.float32(pose.origin[2])
        here, (low, high) = laid(profile, np.stack([profile.low, profile.high]), stand, basin, float(FAR))
        there = (low < 0.5 * FAR) & (high > -0.5 * FAR)
        ground, gap = floor[here], room[here]
        stands = there & (low + z <= ground + LIES)
        hangs = there & ~stands
        np.copyto(gap, np.minimum(gap, low + z - ground), where=hangs)
        np.copyto(ground, np.maximum(ground, high + z), where=stands)
    return Ground(floor, room if (room < 0.5 * FAR).any() else None)
