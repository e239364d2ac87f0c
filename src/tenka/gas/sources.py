"""Sources: where gas is born and what it is given there."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jit import kernel
from tenka.base.randomness import unit4
from tenka.effect.model import ON_PROP, Prop, ramp_at
from tenka.gas.grid import DENSITY, FUEL, TEMPERATURE, GasState, Grid
from tenka.gas.images import image_share
from tenka.gas.region import Region, births_of, region_of
from tenka.gas.settings import SourceInput
from tenka.scene.distance import gradient
from tenka.scene.poses import Pose

ONE = np.float32(1.0)
ZERO = np.float32(0.0)


@dataclass(frozen=True)
class SourceMask:
    """The voxels that a source reaches.

    Attributes
    ----------
    cells : (n, 3) indices
    share : (n,) in (0, 1]
    outward : (n, 3) unit directions away from the source; (0, 3) when they are not needed
    flow : (n, 3) m/s, how a surface moves that moves by itself; (0, 3) when it does not
    parting : (n,) 1/m, how much gas a voxel must let in for all to go outwards at one speed; (0,) likewise
    """

    cells: np.ndarray
    share: np.ndarray
    outward: np.ndarray
    flow: np.ndarray
    parting: np.ndarray


NONE3 = np.zeros((0, 3), np.float32)
NONE = np.zeros(0, np.float32)
NO_MASK = SourceMask(np.zeros((0, 3), np.int32), NONE, NONE3, NONE3, NONE)


def shell(inp: SourceInput, props: tuple[Prop, ...], voxel: float, folder: Path | None) -> Region:
    """A source's region at the time of the input; raises as `region_of` does."""
    return region_of(inp.source, inp.seed, inp.time, props, voxel, folder)


def _placed_corners(pose: Pose, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    corners = np.array(
        [[a, b, c] for a in (low[0], high[0]) for b in (low[1], high[1]) for c in (low[2], high[2])]
    )
    return pose.to_scene(corners)


def bounds_in_scene(
    inp: SourceInput, props: tuple[Prop, ...], voxel: float, folder: Path | None
) -> tuple[np.ndarray, np.ndarray]:
    """Lowest and highest corner of a source's region, m; raises as `shell` does."""
    region = shell(inp, props, voxel, folder)
    placed = _placed_corners(inp.pose, region.low, region.high)
    return placed.min(axis=0), placed.max(axis=0)


ACROSS = 10  # samples across the thinnest part of a region, so that its volume is true within 4 %
MOST_ACROSS = 16  # of a voxel's edge: what is thinner than half of one is true within 8 %
MOST_SAMPLES = 300_000


def filled(region: Region, pose: Pose, centres: np.ndarray, grid: Grid) -> np.ndarray:
    """Share of voxels, given by their (n, 3) centres, that lies within a region, (n,).

    The distance at its centre tells the share of a voxel that a border crosses nearly flat. Of what is only
    a few voxels thick, or less than one, each voxel is cut into smaller ones for which that holds.
    """
    h = grid.voxel
    distance = region.distance(pose.to_own(centres))
    share = np.clip(0.5 - distance / h, 0.0, 1.0)
    crossed = np.flatnonzero(np.abs(distance) < h)
    most = 3 if region.births is not None else MOST_ACROSS
    parts = min(most, math.ceil(ACROSS * h / max(region.thinnest, 1e-6)))
    parts = min(parts, int((MOST_SAMPLES / max(len(crossed), 1)) ** (1 / 3)))
    if parts < 2 or not len(crossed):
        return share
    steps = h * ((np.arange(parts) + 0.5) / parts - 0.5)
    ys = steps if grid.shape[1] > 1 else np.zeros(1)  # a slice has no thickness
    offsets = np.stack(np.meshgrid(steps, ys, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    inner = region.distance(pose.to_own((centres[crossed][:, None] + offsets).reshape(-1, 3)))
    inner = inner.reshape(len(crossed), len(offsets))
    share[crossed] = np.clip(0.5 - inner * parts / h, 0.0, 1.0).mean(axis=1)
    return share


def source_mask(inp: SourceInput, props: tuple[Prop, ...], grid: Grid, folder: Path | None) -> SourceMask:
    """Voxels that a source reaches, each by the share of it that lies within; raises as `shell` does."""
    region = shell(inp, props, grid.voxel, folder)
    placed = _placed_corners(inp.pose, region.low, region.high)
    first = np.maximum(0, np.floor((placed.min(axis=0) - grid.origin) / grid.voxel - 1).astype(int))
    last = np.minimum(
        grid.shape, np.ceil((placed.max(axis=0) - grid.origin) / grid.voxel + 1).astype(int) + 1
    )
    if np.any(last <= first):
        return NO_MASK
    cells = np.stack(
        np.meshgrid(*(np.arange(a, b) for a, b in zip(first, last)), indexing="ij"), axis=-1
    ).reshape(-1, 3)
    centres = np.asarray(grid.origin) + (cells + 0.5) * grid.voxel
    if grid.shape[1] == 1:  # flat: the slice stands for the source's middle
        centres[:, 1] = (
            inp.pose.origin[1]
            if inp.source.shape not in ON_PROP
            else 0.5 * (placed[:, 1].min() + placed[:, 1].max())
        )
    own, share = inp.pose.to_own(centres), filled(region, inp.pose, centres, grid)
    near = np.flatnonzero(share > 0)
    own, share, flow = own[near], share[near], NONE3
    if region.births is not None and (inp.source.shaped_by == "colours" or len(region.births.flow)):
        nearest = region.births.tree.query(own)[1]
        share = share * region.births.weight[nearest]
        if len(region.births.flow):
            flow = region.births.flow[nearest] @ inp.pose.turn.T
    elif inp.source.shaped_by == "colours":
        prop = next((p for p in props if p.id == inp.source.prop), None)
        if prop is None or inp.source.shape != "inside":
            raise BadInput(
                "has no prop whose colours could shape it",
                "a source on a prop's surface or inside one",
                place=f"source {inp.source.name}",
            )
        births = births_of(inp.source, inp.seed, inp.time, prop, folder, grid.voxel)
        share = share * births.weight[births.tree.query(own)[1]]
    if inp.source.shaped_by == "image":
        share = share * image_share(inp.source, folder, region, own)
    kept = share > 0
    cells = np.ascontiguousarray(cells[near][kept], np.int32)
    share = share[kept].astype(np.float32)
    outward, apart = NONE3, NONE
    if inp.outward and kept.any():
        outward = (gradient(region.distance, own[kept], 0.5 * grid.voxel) @ inp.pose.turn.T).astype(
            np.float32
        )
        apart = parting(cells, share, outward, grid)
    return SourceMask(cells, share, outward, flow[kept].astype(np.float32) if len(flow) else NONE3, apart)


def parting(cells: np.ndarray, share: np.ndarray, outward: np.ndarray, grid: Grid) -> np.ndarray:
    """How much gas each voxel must let in for all to go outwards at 1 m/s, (n,) in 1/s.

    A push to all sides at once is only pressure, and goes with it: gas can part only where there is more of
    it. What goes out through a voxel's faces, less what comes in through them, is what has to be added.
    """
    first = cells.min(axis=0) - 1
    flow = np.zeros((3, *(cells.max(axis=0) - first + 2)), np.float32)
    at = (cells - first).T
    flow[:, at[0], at[1], at[2]] = (outward * share[:, None]).T
    gained = np.zeros(flow.shape[1:], np.float32)
    for axis in range(3):
        if grid.shape[axis] > 1:
            ahead, behind = np.maximum(flow[axis], 0.0), np.minimum(flow[axis], 0.0)
            gained += ahead - behind - np.roll(ahead, 1, axis) + np.roll(behind, -1, axis)
    return np.maximum(gained[at[0], at[1], at[2]], 0.0) / np.float32(grid.voxel)


@kernel
def _lattice(seed, x, y, z):
    """Value noise with a smooth blend, in [0, 1)."""
    i, j, k = math.floor(x), math.floor(y), math.floor(z)
    f, g, h = x - i, y - j, z - k
    f, g, h = f * f * (3 - 2 * f), g * g * (3 - 2 * g), h * h * (3 - 2 * h)
    a, b, c = int(i), int(j), int(k)
    p = unit4(seed, a, b, c) * (1 - h) + unit4(seed, a, b, c + 1) * h
    q = unit4(seed, a, b + 1, c) * (1 - h) + unit4(seed, a, b + 1, c + 1) * h
    r = unit4(seed, a + 1, b, c) * (1 - h) + unit4(seed, a + 1, b, c + 1) * h
    s = unit4(seed, a + 1, b + 1, c) * (1 - h) + unit4(seed, a + 1, b + 1, c + 1) * h
    return (p * (1 - g) + q * g) * (1 - f) + (r * (1 - g) + s * g) * f


@kernel
def _patches(seed, x, y, z, t, low, high):
    """Noise over space that changes with t: two octaves, blended between whole steps of time; in [0, 1]."""
    n = math.floor(t)
    f = t - n
    f = f * f * (3 - 2 * f)
    total = 0.0
    for octave in range(2):
        s = seed + 7919 * int(n) + 101 * octave
        m = float(1 << octave)
        value = _lattice(s, x * m, y * m, z * m) * (1 - f) + _lattice(s + 7919, x * m, y * m, z * m) * f
        total += value * (0.67 if octave == 0 else 0.33)
    e = min(1.0, max(0.0, (total - low) / max(high - low, 1e-3)))
    return e * e * (3 - 2 * e)


@kernel
def _more(held, given, crowding, dt):
    """What a voxel gets of what is given per second: all of it, or what it lacks to be as dense."""
    return np.float32((1 - crowding) * given * dt + crowding * max(given - held, 0.0))


@kernel
def _give(
    cells,
    share,
    speed,
    pressed,
    s,
    dye,
    dyed,
    colour,
    u,
    v,
    w,
    extra,
    ox,
    oy,
    oz,
    h,
    seed,
    breakup,
    size,
    phase,
    low,
    high,
    density,
    temperature,
    fuel,
    expansion,
    warm,
    crowding,
    moved,
    grip,
    dt,
):
    """Give what a source gives to its voxels; serial, so that the order is fixed. `speed` (n, 3): that the
    gas is born with; `pressed` (n,): what it takes for that, 1/s."""
    for n in range(cells.shape[0]):
        i, j, k = cells[n, 0], cells[n, 1], cells[n, 2]
        m = share[n]
        if breakup > 0:
            x, y, z = ox + (i + 0.5) * h, oy + (j + 0.5) * h, oz + (k + 0.5) * h
            m *= 1 - breakup * (1 - _patches(seed, x / size, y / size, z / size, phase, low, high))
        before = s[i, j, k, DENSITY]
        s[i, j, k, DENSITY] += _more(before, density * m, crowding, dt)
        s[i, j, k, FUEL] += _more(s[i, j, k, FUEL], fuel * m, crowding, dt)
        if dyed:
            added = s[i, j, k, DENSITY] - before
            for c in range(3):
                dye[i, j, k, c] += colour[c] * added
            dye[i, j, k, 3] += added
        extra[i, j, k] += np.float32(expansion * m + pressed[n])
        take = 1 - math.exp(-grip * m * dt)
        gap = temperature - s[i, j, k, TEMPERATURE]
        if (warm and gap > 0) or (not warm and gap < 0):
            s[i, j, k, TEMPERATURE] += np.float32(gap * take)
        if moved:
            half = 1 - math.exp(-0.5 * grip * m * dt)
            px, py, pz = speed[n, 0], speed[n, 1], speed[n, 2]
            for side in range(2):
                u[i + side, j, k] += np.float32((px - u[i + side, j, k]) * half)
                v[i, j + side, k] += np.float32((py - v[i, j + side, k]) * half)
                w[i, j, k + side] += np.float32((pz - w[i, j, k + side]) * half)


def birth_speed(inp: SourceInput, mask: SourceMask, grid: Grid) -> np.ndarray:
    """Speed that the gas is born with in each voxel of a source, (n, 3) m/s: set, outwards, and of the
    source's own movement."""
    s = inp.source
    speed = np.tile(np.asarray(s.push, float), (len(mask.cells), 1))
    if inp.outward and len(mask.outward):
        speed += inp.outward * mask.outward
    if inp.motion is not None or len(mask.flow):
        own = inp.stretch * mask.flow.astype(float) if len(mask.flow) else np.zeros((len(mask.cells), 3))
        if inp.motion is not None:
            own = own + inp.motion.at(np.asarray(grid.origin) + (mask.cells + 0.5) * grid.voxel)
        pace = np.linalg.norm(own, axis=1)
        speed += own * ramp_at(s.carried, pace / s.carried_speed)[:, None]
    return speed * inp.emission


def give(
    state: GasState, grid: Grid, inp: SourceInput, mask: SourceMask, dt: float, expansion: np.ndarray
) -> None:
    """Let one source give for `dt` seconds, in place; what it presses in is added to `expansion`, (nx, ny,
    nz) 1/s."""
    if inp.emission <= 0 or not len(mask.cells):
        return
    s = inp.source
    ox, oy, oz = grid.origin
    amount = inp.emission
    dye = state.with_dye() if s.dye else state.scalars
    speed = birth_speed(inp, mask, grid)
    pressed = np.zeros(len(mask.cells), np.float32)
    if inp.outward and len(mask.parting):
        pressed += np.float32(inp.outward * amount * inp.share) * mask.parting
    _give(
        mask.cells,
        mask.share,
        speed,
        pressed,
        state.scalars,
        dye,
        s.dye,
        np.asarray(s.dye_colour, np.float32),
        state.u,
        state.v,
        state.w,
        expansion,
        ox,
        oy,
        oz,
        grid.voxel,
        inp.seed,
        s.breakup,
        s.breakup_size,
        state.time * s.breakup_rate,
        s.breakup_low,
        s.breakup_high,
        inp.density * amount,
        inp.temperature * min(1.0, amount),
        inp.fuel * amount,
        inp.expansion * amount * inp.share,
        inp.temperature >= 0,
        s.crowding,
        bool(np.any(speed)),
        s.grip,
        dt * inp.share,
    )
