"""Thrown water over the set: its surface found along each ray, what is mirrored in it and seen through it.

A ray goes by the distance that the surface keeps, splits where it meets it by Fresnel's law, is bent,
swallowed on its way through (Beer), bent again where it comes out, and takes what it then sees from the
picture of the set, else from the sky.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.effect.model import WaterLook
from tenka.liquid.skin import Skin
from tenka.look.optics import beyond, faced, mirrored, toned, whiteness
from tenka.look.over import Over
from tenka.look.raster import Backdrop
from tenka.look.rays import ray_of
from tenka.look.waterrays import FAR, HALF, ONE, TWO, ZERO, put, seen_at
from tenka.look.wet import numbers_of

STEPS = 400
INNER_STEPS = 96
ROUNDS = 5  # in which the place of the surface is halved
SLOPE = np.float32(0.9)  # cells each way over which it is found how the surface faces


@dataclass(frozen=True, eq=False)
class Splash:
    """A liquid that is drawn: its surface, its foam and flow (m/s) on voxels of `voxel` m in the same box,
    its look, and the time."""

    skin: Skin
    foam: np.ndarray
    flow: np.ndarray
    voxel: float
    look: WaterLook
    t: float

    @property
    def place(self) -> np.ndarray:
        """Where its distances lie, as kernels take it."""
        return np.array([*self.skin.origin, self.skin.cell, self.voxel], np.float32)

    def laid(self, over: Over) -> Backdrop:
        """A shaded set with it."""
        outs = over.copies()
        with parallel_chunksize(8):
            _splashed(
                over.view.packed(),
                over.shown,
                (self.skin.distance, self.place, self.foam, np.float32(self.voxel)),
                numbers_of(self.look, self.t),
                over.world,
                over.share,
                outs,
            )
        return over.with_these(outs)


@kernel(inline=True)
def _read(field, x, y, z):
    """A field between its samples, held outside."""
    nx, ny, nz = field.shape
    x = min(max(ZERO, x), np.float32(nx - 1))
    y = min(max(ZERO, y), np.float32(ny - 1))
    z = min(max(ZERO, z), np.float32(nz - 1))
    i, j, k = min(np.int64(x), nx - 2), min(np.int64(y), ny - 2), min(np.int64(z), nz - 2)
    f, g, h = x - np.float32(i), y - np.float32(j), z - np.float32(k)
    a = field[i, j, k] * (ONE - h) + field[i, j, k + 1] * h
    b = field[i, j + 1, k] * (ONE - h) + field[i, j + 1, k + 1] * h
    c = field[i + 1, j, k] * (ONE - h) + field[i + 1, j, k + 1] * h
    d = field[i + 1, j + 1, k] * (ONE - h) + field[i + 1, j + 1, k + 1] * h
    return (a * (ONE - g) + b * g) * (ONE - f) + (c * (ONE - g) + d * g) * f


@kernel
def distance_at(field, place, x, y, z):
    """Distance to the surface at a place, m, below 0 inside; `place` is the origin, the cell, and metres for
    each of the distance's units."""
    per = ONE / place[3]
    u, v, w = (x - place[0]) * per - HALF, (y - place[1]) * per - HALF, (z - place[2]) * per - HALF
    return _read(field, u, v, w) * place[4]


@kernel
def facing_at(field, place, x, y, z, out):
    """Which way the surface faces near a place, into out[0:3]."""
    s = SLOPE * place[3]
    a = distance_at(field, place, x + s, y, z) - distance_at(field, place, x - s, y, z)
    b = distance_at(field, place, x, y + s, z) - distance_at(field, place, x, y - s, z)
    c = distance_at(field, place, x, y, z + s) - distance_at(field, place, x, y, z - s)
    size = np.sqrt(a * a + b * b + c * c)
    if size < np.float32(1e-9):
        out[0], out[1], out[2] = ZERO, ZERO, ONE
        return
    out[0], out[1], out[2] = a / size, b / size, c / size


@kernel
def box_of(o, d, low, high, out):
    """Where a ray is in a box: from and to, and the axis by which it comes in, into out; False where it is
    not."""
    into, away, side = ZERO, FAR, -ONE
    for a in range(3):
        if abs(d[a]) < np.float32(1e-9):
            if o[a] < low[a] or o[a] > high[a]:
                return False
            continue
        p, q = (low[a] - o[a]) / d[a], (high[a] - o[a]) / d[a]
        if min(p, q) > into:
            into, side = min(p, q), np.float32(a)
        away = min(away, max(p, q))
    out[0], out[1], out[2] = into, away, side
    return into < away


@kernel
def first_hit(field, place, o, d, start, end, out):
    """Where a ray first meets the surface, into out[0]; False where it does not."""
    least = np.float32(0.35) * place[3]
    t, before, above = start, start, FAR
    for _ in range(STEPS):
        away = distance_at(field, place, o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2])
        if away <= ZERO:
            low, high = before, t
            if above < FAR:
                for _ in range(ROUNDS):
                    middle = HALF * (low + high)
                    off = distance_at(
                        field, place, o[0] + middle * d[0], o[1] + middle * d[1], o[2] + middle * d[2]
                    )
                    if off > ZERO:
                        low = middle
                    else:
                        high = middle
            out[0] = high
            return True
        if t >= end:
            return False
        before, above = t, away
        t = min(t + max(np.float32(0.85) * away, least), end)
    return False


@kernel(parallel=True)
def _splashed(view, set_, liquid, look, world, share, outs):
    for p_ in prange(-(-set_[2].shape[0] // share)):
        splashed_row(p_, view, set_, liquid, look, world, share, outs)


@kernel
def splashed_row(p_, view, set_, liquid, look, world, share, outs):
    """One row of rays; as in `tenka.look.waters.watered`."""
    still, direct, depth, _ = set_
    field, place, foam, voxel = liquid
    height, width = depth.shape
    nx, ny, nz = field.shape
    low, high = np.empty(3, np.float32), np.empty(3, np.float32)
    for a in range(3):
        low[a] = place[a]
        high[a] = place[a] + np.float32(nx if a == 0 else (ny if a == 1 else nz)) * place[3]
    o, d, found = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
    n3, e3, out3, mirror = (
        np.empty(3, np.float32),
        np.empty(3, np.float32),
        np.empty(3, np.float32),
        np.empty(3, np.float32),
    )
    seen = np.empty(6, np.float32)
    j0 = np.int64(p_) * share
    for i0 in range(0, width, share):
        i, j = min(i0 + share // 2, width - 1), min(j0 + share // 2, height - 1)
        u = (np.float32(i) + HALF) * TWO / np.float32(width) - ONE
        v = ONE - (np.float32(j) + HALF) * TWO / np.float32(height)
        o[0], o[1], o[2], d[0], d[1], d[2] = ray_of(view, u, v)
        if not box_of(o, d, low, high, found):
            continue
        straight = max(d[0] * view[3] + d[1] * view[4] + d[2] * view[5], np.float32(1e-6))
        into, side = found[0], np.int64(found[2])
        end = min(found[1], min(depth[j, i] / straight, FAR))
        if into >= end or not first_hit(field, place, o, d, into, end, found):
            continue
        t = found[0]
        x, y, z = o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2]
        facing_at(field, place, x, y, z, n3)
        if t <= into + np.float32(1e-5) and side >= 0:  # cut by the box: it stands as if behind glass
            n3[0], n3[1], n3[2] = ZERO, ZERO, ZERO
            n3[side] = -ONE if d[side] > ZERO else ONE
        facing = faced(n3, d)
        first = max(np.float32(0.03), place[3])
        mirrored(view, set_, x, y, z, d, n3, facing, first, world, mirror)
        # through it
        eta = ONE / look[7]
        inner = eta * facing - np.sqrt(max(ONE - eta * eta * (ONE - facing * facing), ZERO))
        for a in range(3):
            e3[a] = eta * d[a] + inner * n3[a]
        pace = np.float32(0.75) * place[3]
        run, shown = pace, False
        for _ in range(INNER_STEPS):
            px, py, pz = x + run * e3[0], y + run * e3[1], z + run * e3[2]
            a, b, deep = seen_at(view, px, py, pz, width, height)
            if a >= 0 and t * straight < depth[b, a] <= deep:
                shown = True
                for c in range(3):
                    seen[c], seen[3 + c] = still[b, a, c], direct[b, a, c]
                break
            outside = px < low[0] or py < low[1] or pz < low[2]
            outside = outside or px > high[0] or py > high[1] or pz > high[2]
            away = distance_at(field, place, px, py, pz)
            if outside or away > ZERO:
                break
            run += max(pace, -np.float32(0.7) * away)
        if not shown:
            px, py, pz = x + run * e3[0], y + run * e3[1], z + run * e3[2]
            facing_at(field, place, px, py, pz, out3)
            out = out3[0] * e3[0] + out3[1] * e3[1] + out3[2] * e3[2]
            bend = ONE - look[7] * look[7] * (ONE - out * out)
            f0, f1, f2 = e3[0], e3[1], e3[2]
            if out > ZERO and bend > ZERO:
                k = np.sqrt(bend) - look[7] * out
                f0, f1, f2 = (
                    look[7] * f0 + k * out3[0],
                    look[7] * f1 + k * out3[1],
                    look[7] * f2 + k * out3[2],
                )
            beyond(view, set_, px, py, pz, f0, f1, f2, t * straight, first, i, j, world, seen)
        u, v, w = (x - place[0]) / voxel - HALF, (y - place[1]) / voxel - HALF, (z - place[2]) / voxel - HALF
        cover = min(max(ZERO, _read(foam, u, v, w) * look[10]), ONE)
        near = TWO * np.float32(share) * view[13] / np.float32(height) * (ONE if view[14] > HALF else t)
        white = whiteness(cover, x, y, z, look[14], near)
        toned(x, y, z, d, n3, facing, run, white, look, world, mirror, seen)
        put(i0, j0, share, t * straight, depth, seen, white, look, outs, False)


def along_skin(skin: Skin, start: np.ndarray, way: np.ndarray) -> float | None:
    """How far along a ray a surface is met, m; None where it is not."""
    place = np.array([*skin.origin, skin.cell, 1.0], np.float32)
    high = np.asarray(skin.origin) + skin.cell * np.array(skin.distance.shape)
    o, d, found = (np.asarray(v, np.float32) for v in (start, way, np.zeros(3)))
    if not box_of(o, d, np.asarray(skin.origin, np.float32), high.astype(np.float32), found):
        return None
    scaled = skin.distance * np.float32(skin.cell)
    into, away = found[0], found[1]
    return float(found[0]) if first_hit(scaled, place, o, d, into, away, found) else None
