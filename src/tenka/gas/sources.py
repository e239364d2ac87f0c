"""Sources: where gas is born and what it is given there."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from tenka.base.errors import BadInput
from tenka.base.jit import kernel
from tenka.base.randomness import unit4
from tenka.effect.model import Prop, Source
from tenka.gas.grid import DENSITY, TEMPERATURE, GasState, Grid
from tenka.gas.settings import SourceInput
from tenka.scene.meshes import prop_mesh, spread_points

ONE = np.float32(1.0)
ZERO = np.float32(0.0)


@dataclass(frozen=True)
class SourceMask:
    """The voxels that a source reaches: (n, 3) indices and (n,) shares in (0, 1]."""

    cells: np.ndarray
    share: np.ndarray


def source_mask(source: Source, props: tuple[Prop, ...], grid: Grid, folder: Path | None, seed: int) -> SourceMask:
    """Voxels within a source, with a border one voxel soft.

    Raises
    ------
    BadInput
        A surface source whose prop is missing or cannot be read.
    """
    if source.shape == "surface":
        prop = next((p for p in props if p.id == source.prop), None)
        if prop is None:
            raise BadInput(f"names the prop '{source.prop}', which is not in the effect", place=f"source {source.name}")
        points = spread_points(prop_mesh(prop, folder), max(source.thickness, grid.voxel) * 0.5, seed)
        low = points.min(axis=0) - source.thickness - grid.voxel
        high = points.max(axis=0) + source.thickness + grid.voxel
    else:
        half = np.asarray(source.size) / 2
        low, high = np.asarray(source.position) - half - grid.voxel, np.asarray(source.position) + half + grid.voxel
    first = np.maximum(0, np.floor((low - grid.origin) / grid.voxel).astype(int))
    last = np.minimum(grid.shape, np.ceil((high - grid.origin) / grid.voxel).astype(int) + 1)
    if np.any(last <= first):
        return SourceMask(np.zeros((0, 3), np.int32), np.zeros(0, np.float32))
    cells = np.stack(np.meshgrid(*(np.arange(a, b) for a, b in zip(first, last)), indexing="ij"), axis=-1).reshape(-1, 3)
    centres = np.asarray(grid.origin) + (cells + 0.5) * grid.voxel
    if source.shape == "surface":
        distance = cKDTree(points).query(centres, distance_upper_bound=source.thickness + grid.voxel)[0]
        inside = (source.thickness - distance) / grid.voxel
    else:
        inside = -_distance(source, centres) / grid.voxel
    share = np.clip(inside + 0.5, 0.0, 1.0)
    kept = share > 0
    return SourceMask(np.ascontiguousarray(cells[kept], np.int32), share[kept].astype(np.float32))


def _distance(source: Source, points: np.ndarray) -> np.ndarray:
    """Signed distance to a source's region (for an ellipsoid: a first-order estimate)."""
    d = points - np.asarray(source.position)
    half = np.asarray(source.size) / 2
    if source.shape == "sphere":
        k0 = np.linalg.norm(d / half, axis=1)
        k1 = np.linalg.norm(d / half**2, axis=1)
        return k0 * (k0 - 1.0) / np.maximum(k1, 1e-9)
    if source.shape == "cylinder":
        r = np.hypot(d[:, 0] / half[0], d[:, 1] / half[1])
        side = (r - 1.0) * min(half[0], half[1])
        q = np.stack([side, np.abs(d[:, 2]) - half[2]], axis=1)
    else:
        q = np.abs(d) - half
    return np.linalg.norm(np.maximum(q, 0), axis=1) + np.minimum(q.max(axis=1), 0)


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
def _patches(seed, x, y, z, t):
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
    e = min(1.0, max(0.0, (total - 0.3) / 0.4))
    return e * e * (3 - 2 * e)


@kernel
def _give(cells, share, s, u, v, w, ox, oy, oz, h, seed, breakup, size, phase, density, temperature, warm, hold, px, py, pz, grip, dt):
    """Give density, heat and speed to the voxels of one source; serial, so that the order is fixed."""
    for n in range(cells.shape[0]):
        i, j, k = cells[n, 0], cells[n, 1], cells[n, 2]
        m = share[n]
        if breakup > 0:
            x, y, z = ox + (i + 0.5) * h, oy + (j + 0.5) * h, oz + (k + 0.5) * h
            m *= 1 - breakup * (1 - _patches(seed, x / size, y / size, z / size, phase))
        if hold:
            s[i, j, k, DENSITY] = max(s[i, j, k, DENSITY], np.float32(density * m))
        else:
            s[i, j, k, DENSITY] += np.float32(density * m * dt)
        take = 1 - math.exp(-grip * m * dt)
        gap = temperature - s[i, j, k, TEMPERATURE]
        if (warm and gap > 0) or (not warm and gap < 0):
            s[i, j, k, TEMPERATURE] += np.float32(gap * take)
        half = 1 - math.exp(-0.5 * grip * m * dt)
        if px != 0 or py != 0 or pz != 0:
            for side in range(2):
                u[i + side, j, k] += np.float32((px - u[i + side, j, k]) * half)
                v[i, j + side, k] += np.float32((py - v[i, j + side, k]) * half)
                w[i, j, k + side] += np.float32((pz - w[i, j, k + side]) * half)


def give(state: GasState, grid: Grid, inp: SourceInput, mask: SourceMask, dt: float) -> None:
    """Let one source give for `dt` seconds, in place."""
    if inp.emission <= 0 or not len(mask.cells):
        return
    s = inp.source
    ox, oy, oz = grid.origin
    amount = inp.emission
    _give(
        mask.cells, mask.share, state.scalars, state.u, state.v, state.w, ox, oy, oz, grid.voxel, inp.seed,
        s.breakup, s.breakup_size, state.time * s.breakup_rate, inp.density * amount, inp.temperature * min(1.0, amount),
        inp.temperature >= 0, s.blend == "maximum", s.push[0] * amount, s.push[1] * amount, s.push[2] * amount, s.grip, dt,
    )  # fmt: skip
