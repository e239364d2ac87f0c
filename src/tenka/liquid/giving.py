"""What sources give to a liquid: forms that are filled once, and jets that keep theirs full."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.jit import kernel
from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.model import ON_PROP, LiquidSource, envelope, heard
from tenka.gas.grid import Grid
from tenka.gas.region import region_of
from tenka.gas.settings import Moment, emitted
from tenka.liquid.spread import Space
from tenka.liquid.state import PER_AXIS, Liquid, particle_volume
from tenka.scene.poses import Pose, motion_between

LEAST_GROWN = 1e-3
INNER = 0.6  # of a part's width over which its particle may lie


def give(
    liquid: Liquid,
    sources: tuple[LiquidSource, ...],
    moment: Moment,
    grid: Grid,
    space: Space,
    seed: int,
    folder: Path | None,
    most: int,
) -> int:
    """All sources give in a step, in place.

    Returns
    -------
    how many particles were refused, as there were `most`
    """
    refused = 0
    for source in heard(sources):
        refused += _give(liquid, source, moment, grid, space, seed, folder, most)
    return refused


def begins_in(source: LiquidSource, moment: Moment, first: float) -> bool:
    """Whether a source begins in a step, after its beginning and up to its end; what began before the run
    does so at its `first` moment."""
    begins = max(source.start + source.delay, first)
    return moment.t + 1e-9 < begins <= moment.t + moment.dt + 1e-9 and begins < source.end + source.delay


def _give(
    liquid: Liquid,
    source: LiquidSource,
    moment: Moment,
    grid: Grid,
    space: Space,
    seed: int,
    folder: Path | None,
    most: int,
) -> int:
    jet = source.gives == "jet"
    if jet:
        part, emission = emitted(source, moment.t, moment.dt, moment.rate)
        if part <= 0.0 or emission <= 0.0:
            return 0
    else:
        if not begins_in(source, moment, liquid.first):
            return 0
        begins = max(source.start + source.delay, liquid.first)
        emission = float(envelope(source, np.array([begins]))[0])
    placed: object = source
    if source.shape in ON_PROP:
        placed = next((p for p in moment.props if p.id == source.prop), source)
    pose = moment.pose(placed, 1.0)  # type: ignore[arg-type]
    own = stable_seed(seed, source.id)
    region = region_of(source, own, moment.t + moment.dt, moment.props, grid.voxel, folder)
    grown = moment.at(source.size_over, LEAST_GROWN)

    def inside(places: np.ndarray) -> np.ndarray:
        return region.distance(pose.to_own(places) / grown) < 0

    cells = _parts_in(grown * region.low, grown * region.high, pose, grid)
    if cells is None:
        return 0
    low, high = cells
    part_width = grid.voxel / PER_AXIS
    at = np.stack(np.meshgrid(*(np.arange(a, b) for a, b in zip(low, high)), indexing="ij"), axis=-1)
    free = np.ones(at.shape[:3], bool)
    # a jet of half the flow comes half as fast
    velocity = (emission if jet else 1.0) * _push(source, placed, moment, pose)
    if jet:
        near = np.empty(len(liquid), np.int64)
        found = _taken(liquid.place, np.asarray(grid.origin, float), 1.0 / part_width, low, high, free, near)
        near = near[:found]
        rows = near[inside(liquid.place[near].astype(float))]
        liquid.velocity[rows] = _scattered(source, own, velocity, liquid.id[rows], liquid.place[rows])
        liquid.affine[rows] = 0.0
    at = at[free]
    turn = round(moment.t * moment.rate * 4096)
    words = (at[:, 0] * 4099 + at[:, 1], at[:, 2], np.full(len(at), turn & 0x7FFFFFFF))
    jitter = np.stack([unit_array(own + n, *words) for n in range(3)], axis=1)
    place = (at + 0.5 + INNER * (jitter - 0.5)) * part_width + grid.origin
    kept = inside(place)
    if not jet:  # a fill that gives half is half as full
        kept &= unit_array(own + 3, *words) < emission
    if space.distance is not None:
        cell = np.floor((place - grid.origin) / grid.voxel).astype(int)
        kept &= space.distance[tuple(cell.T)] > 0
    place = place[kept]
    room = max(most - len(liquid), 0)
    refused = max(len(place) - room, 0)
    place = place[:room]
    first = liquid.next_id
    liquid.add(place, np.zeros_like(place))
    ids = np.arange(first, first + len(place))
    if len(ids):
        liquid.velocity[-len(ids) :] = _scattered(source, own, velocity, ids, place)
    liquid.came += len(ids) * particle_volume(grid)
    return refused


@kernel
def _taken(place, origin, per, low, high, free, near):
    """Which parts of cells hold a particle; the particles in the box of them, and how many these are."""
    count = 0
    for n in range(place.shape[0]):
        i = int(np.floor((place[n, 0] - origin[0]) * per)) - low[0]
        j = int(np.floor((place[n, 1] - origin[1]) * per)) - low[1]
        k = int(np.floor((place[n, 2] - origin[2]) * per)) - low[2]
        if 0 <= i < free.shape[0] and 0 <= j < free.shape[1] and 0 <= k < free.shape[2]:
            free[i, j, k] = False
            near[count] = n
            count += 1
    return count


def _parts_in(
    low: np.ndarray, high: np.ndarray, pose: Pose, grid: Grid
) -> tuple[np.ndarray, np.ndarray] | None:
    """First and last of the parts of cells that a region may reach; None where it is outside."""
    ends = [(low[k], high[k]) for k in range(3)]
    corners = pose.to_scene(np.array([[x, y, z] for x in ends[0] for y in ends[1] for z in ends[2]]))
    per = PER_AXIS / grid.voxel
    first = np.floor((corners.min(axis=0) - grid.origin) * per).astype(int)
    last = np.ceil((corners.max(axis=0) - grid.origin) * per).astype(int)
    first, last = np.maximum(first, 0), np.minimum(last, np.array(grid.shape) * PER_AXIS)
    return None if (last <= first).any() else (first, last)


def _push(source: LiquidSource, placed: object, moment: Moment, pose: Pose) -> np.ndarray:
    """The velocity at which a source gives, m/s by the layer's own clock; what moves hands on its own."""
    share = moment.at(source.push_over) if source.gives == "jet" else 1.0
    velocity = share * (pose.turn @ np.asarray(source.push, float))
    before = moment.pose(placed, 0.0)  # type: ignore[arg-type]
    if moment.dt > 0 and not before.same_as(pose):
        velocity = velocity + motion_between(before, pose, moment.span).speed
    return np.asarray(velocity)


def _scattered(
    source: LiquidSource, seed: int, velocity: np.ndarray, ids: np.ndarray, place: np.ndarray
) -> np.ndarray:
    """The velocity of each particle of a source: they differ by chance, each for good."""
    if source.scatter <= 0.0 or not len(ids):
        return np.tile(velocity, (len(ids), 1))
    a, b = (
        np.stack([unit_array(seed + 7 + 2 * k + n, ids & 0x7FFFFFFF) for k in range(3)], axis=1)
        for n in (0, 1)
    )
    normal = np.sqrt(-2.0 * np.log(np.maximum(a, 1e-7))) * np.cos(2.0 * np.pi * b)
    return velocity + source.scatter * float(np.linalg.norm(velocity)) * normal
