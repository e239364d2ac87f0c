"""A water's surface as rays meet it: its height and slope between cells, ripples finer than these, foam."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from scipy.fft import ifft2

from tenka.base.jit import kernel
from tenka.base.randomness import unit4
from tenka.effect.courses import value_at
from tenka.effect.model import WaterLook
from tenka.water.basin import FILM
from tenka.water.flow import GRAVITY

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
SIXTH = np.float32(1.0 / 6.0)
BELOW = np.float32(0.02)  # m under the bed at which the surface of dry cells lies
SHORE = 3  # cells beyond the water's edge to which its level is drawn on
TEXELS, LEVELS = 128, 5  # of a tile of ripples along a side, and of its detail
TILES = (9.7, 4.13)  # lengths of the longest ripples along a tile's side
TURNED = np.float32(0.65)  # radians, of the second tile against the first


class Sheet(NamedTuple):
    """A water's surface for the drawing kernels.

    Attributes
    ----------
    fields : (nx, ny, 4) height of the surface and of its share of wet, foam, share that hulls cover
    place : x and y of the low corner, cell, lowest and highest surface, m
    ripples, lost : what `ripples_of` gave
    """

    fields: np.ndarray
    place: np.ndarray
    ripples: np.ndarray
    lost: np.ndarray


def numbers_of(look: WaterLook, t: float) -> np.ndarray:
    """A look's numbers at a time, as rays take them."""
    return np.array(
        [
            *look.absorbs,
            look.murk,
            *look.murk_colour,
            look.bends,
            max(value_at(look.rough, t), 0.01),
            look.mirrors,
            value_at(look.foam, t),
            *look.foam_colour,
            look.foam_grain,
            look.wets,
            look.normals,
            *look.bed,
        ],
        np.float32,
    )


def sheet_of(frame: Any, look: WaterLook, t: float, seed: int = 1) -> Sheet:
    """A frame's surface, ready to be drawn."""
    wet = frame.depth > FILM
    surface, bed = frame.level + frame.rise, frame.level - frame.rest
    surface = np.where(wet, surface, bed - BELOW).astype(np.float32)
    known = wet.copy()
    for _ in range(SHORE):  # the level goes on under the shore, so that the bed's own form draws its edge
        padded = np.pad(np.where(known, surface, 0.0), 1)
        count = np.pad(known.astype(np.float32), 1)
        around = [np.s_[:-2, 1:-1], np.s_[2:, 1:-1], np.s_[1:-1, :-2], np.s_[1:-1, 2:]]
        total, near = (sum(a[s] for s in around) for a in (padded, count))
        mean = total / np.maximum(near, 1.0)
        grown = ~known & (near > 0) & (mean < bed + 0.5 * frame.cell)
        surface = np.where(grown, mean, surface).astype(np.float32)
        known |= grown
    fields = np.stack([surface, known.astype(np.float32), frame.foam, frame.under], axis=2).astype(np.float32)
    here = surface[known] if known.any() else np.array([frame.level], np.float32)
    low, high = float(here.min()), float(here.max())
    place = np.array([*frame.origin, frame.cell, low - 1e-3, high + 1e-3], np.float32)
    return Sheet(np.ascontiguousarray(fields), place, *ripples_of(look, t, seed))


@lru_cache(maxsize=8)
def _spectrum(length: float, heading: float, seed: int, which: int) -> tuple[np.ndarray, ...]:
    """Amplitudes of one tile's waves, for ripples of height 1, with wave numbers and frequencies."""
    side = TILES[which] * length
    k = 2 * np.pi * np.fft.fftfreq(TEXELS, side / TEXELS)
    kx, ky = k[:, None] + 0 * k[None], k[None] + 0 * k[:, None]
    pace = np.hypot(kx, ky)
    pace[0, 0] = 1.0
    first = 2 * np.pi / length
    turn = np.arctan2(ky, kx) - np.radians(heading)
    power = np.exp(-1.5 * (first / pace) ** 2) / pace**4 * (0.06 + np.cos(0.5 * turn) ** 6)
    power[0, 0] = 0.0
    chance = np.random.default_rng((seed, which))
    waves = (
        np.sqrt(power)
        * np.exp(2j * np.pi * chance.random(power.shape))
        * np.sqrt(-np.log(chance.random(power.shape)))
    )
    waves *= 0.5 / np.sqrt(
        0.5 * np.sum(np.abs(waves) ** 2) * len(TILES)
    )  # of all tiles together: half the height
    return waves.astype(np.complex64), kx, ky, np.sqrt(GRAVITY * pace)


def ripples_of(look: WaterLook, t: float, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Ripples of many lengths and ways, each at its own speed (deep water; after Tessendorf 2004), as tiles
    of two sizes that never meet again, each at several levels of detail.

    Returns
    -------
    (tiles, levels, n, n, 3) slope along x and y, and curvature, 1/m; and of each level what is too fine
    for it, as the mean square of its slope; with the tiles' sides, m, in the last column
    """
    height = value_at(look.ripples, t)
    lost = np.zeros((len(TILES), LEVELS + 1), np.float32)
    lost[:, -1] = [side * look.ripples_long for side in TILES]
    if height <= 0.0:
        return np.zeros((len(TILES), LEVELS, 2, 2, 3), np.float32), lost
    out = np.zeros((len(TILES), LEVELS, TEXELS, TEXELS, 3), np.float32)
    for n, side in enumerate(TILES):
        waves, kx, ky, pace = _spectrum(look.ripples_long, look.ripples_to, seed, n)
        now = height * waves * np.exp(-1j * pace * t).astype(np.complex64)
        texel = side * look.ripples_long / TEXELS
        k = np.hypot(kx, ky)
        slopes = 0.5 * np.abs(height * waves) ** 2 * k**2
        for level in range(LEVELS):
            keep = np.exp(-0.5 * (k * texel * 2.0**level * 0.55) ** 2).astype(np.float32)
            lost[n, level] = float((slopes * (1.0 - keep**2)).sum())
            parts = np.stack([1j * kx * now * keep, 1j * ky * now * keep, -(k**2) * now * keep]).astype(
                np.complex64
            )
            out[n, level] = np.moveaxis(ifft2(parts, workers=2, norm="forward").real, 0, -1)
    return out, lost


@kernel
def height_at(fields, u, v):
    """The surface between cells, at cell coordinates, and how much of it is water."""
    nx, ny = fields.shape[0], fields.shape[1]
    u, v = min(max(ZERO, u), np.float32(nx - 1)), min(max(ZERO, v), np.float32(ny - 1))
    a, b = min(np.int64(u), nx - 2), min(np.int64(v), ny - 2)
    f, g = u - np.float32(a), v - np.float32(b)
    p, q, r, s = (ONE - f) * (ONE - g), (ONE - f) * g, f * (ONE - g), f * g
    h = p * fields[a, b, 0] + q * fields[a, b + 1, 0] + r * fields[a + 1, b, 0] + s * fields[a + 1, b + 1, 0]
    w = p * fields[a, b, 1] + q * fields[a, b + 1, 1] + r * fields[a + 1, b, 1] + s * fields[a + 1, b + 1, 1]
    return h, w


@kernel
def cover_at(fields, u, v, which):
    """Foam (2), or what hulls cover (3), between cells."""
    nx, ny = fields.shape[0], fields.shape[1]
    u, v = min(max(ZERO, u), np.float32(nx - 1)), min(max(ZERO, v), np.float32(ny - 1))
    a, b = min(np.int64(u), nx - 2), min(np.int64(v), ny - 2)
    f, g = u - np.float32(a), v - np.float32(b)
    low = fields[a, b, which] * (ONE - g) + fields[a, b + 1, which] * g
    high = fields[a + 1, b, which] * (ONE - g) + fields[a + 1, b + 1, which] * g
    return low * (ONE - f) + high * f


@kernel
def spline(f, w, d, c):
    """Weights of a cubic B-spline at `f` between its middle points, of its slope and of its curvature."""
    e = ONE - f
    w[0], w[1] = (
        SIXTH * e * e * e,
        SIXTH * (np.float32(4.0) - np.float32(6.0) * f * f + np.float32(3.0) * f * f * f),
    )
    w[2] = SIXTH * (np.float32(4.0) - np.float32(6.0) * e * e + np.float32(3.0) * e * e * e)
    w[3] = SIXTH * f * f * f
    d[0], d[1] = -HALF * e * e, np.float32(1.5) * f * f - np.float32(2.0) * f
    d[2], d[3] = -np.float32(1.5) * e * e + np.float32(2.0) * e, HALF * f * f
    c[0], c[1], c[2], c[3] = (
        e,
        np.float32(3.0) * f - np.float32(2.0),
        np.float32(3.0) * e - np.float32(2.0),
        f,
    )


@kernel
def slope_of(fields, u, v, cell, w, d, c, y, e, h):
    """Slope along x and y, and the sum of both curvatures (1/m), of the surface as a cubic B-spline: what is
    seen of it has no facets. The last six are room for weights, (4,) each."""
    nx, ny = fields.shape[0], fields.shape[1]
    u, v = min(max(ZERO, u), np.float32(nx - 1)), min(max(ZERO, v), np.float32(ny - 1))
    a, b = np.int64(u), np.int64(v)
    spline(u - np.float32(a), w, d, c)
    spline(v - np.float32(b), y, e, h)
    sx, sy, bent, wet = ZERO, ZERO, ZERO, ZERO
    here = fields[a, b, 0]
    for m in range(4):
        i = min(max(a - 1 + m, 0), nx - 1)
        for n in range(4):
            j = min(max(b - 1 + n, 0), ny - 1)
            z = fields[i, j, 0] - here if fields[i, j, 1] > HALF else ZERO
            sx += d[m] * y[n] * z
            sy += w[m] * e[n] * z
            bent += (c[m] * y[n] + w[m] * h[n]) * z
            wet += w[m] * y[n] * fields[i, j, 1]
    over = ONE / cell
    return sx * over, sy * over, bent * over * over, wet


@kernel
def _ripples_in(tile, x, y, out, weight):
    """Add a tile's ripples between its texels to `out`, (3,)."""
    n = tile.shape[0]
    i, j = np.int64(np.floor(x)), np.int64(np.floor(y))
    f, g = x - np.float32(i), y - np.float32(j)
    a, b = i & (n - 1), j & (n - 1)
    c, d = (i + 1) & (n - 1), (j + 1) & (n - 1)
    for m in range(3):
        low = tile[a, b, m] * (ONE - g) + tile[a, d, m] * g
        high = tile[c, b, m] * (ONE - g) + tile[c, d, m] * g
        out[m] += weight * (low + f * (high - low))


@kernel
def rippled(ripples, lost, x, y, wide, out, part):
    """Slope along x and y and curvature (1/m) of ripples at a place, and the mean square of the slope of
    those that are too fine to be seen, into `out` (4,); `wide` is a pixel's width there, m; `part` is room,
    (3,)."""
    out[:] = ZERO
    n = np.float32(ripples.shape[2])
    last = np.float32(ripples.shape[1] - 1)
    for m in range(ripples.shape[0]):
        side = lost[m, lost.shape[1] - 1]
        level = min(max(ZERO, np.log2(max(wide * n / side, np.float32(1e-3)))), last)
        l = min(np.int64(level), ripples.shape[1] - 2)
        s = level - np.float32(l)
        u, v = x * n / side, y * n / side
        c, e = ONE, ZERO
        if m > 0:
            c, e = np.cos(TURNED), np.sin(TURNED)
            u, v = c * u + e * v, c * v - e * u
        part[:] = ZERO
        _ripples_in(ripples[m, l], u, v, part, ONE - s)
        if s > ZERO:
            _ripples_in(ripples[m, l + 1], u, v, part, s)
        out[0] += c * part[0] - e * part[1]
        out[1] += e * part[0] + c * part[1]
        out[2] += part[2]
        out[3] += lost[m, l] + s * (lost[m, l + 1] - lost[m, l])


@kernel
def _cells_at(x, y, seed):
    """How far a place is from the nearest and the second nearest of points that lie one in each cell
    (Worley 1996)."""
    i, j = np.int64(np.floor(x)), np.int64(np.floor(y))
    first, second = np.float32(9.0), np.float32(9.0)
    for a in range(-1, 2):
        for b in range(-1, 2):
            px = np.float32(i + a) + unit4(seed, i + a, j + b, 1)
            py = np.float32(j + b) + unit4(seed, i + a, j + b, 2)
            r = np.sqrt((px - x) * (px - x) + (py - y) * (py - y))
            if r < first:
                first, second = r, first
            elif r < second:
                second = r
    return first, second


@kernel
def foam_at(cover, x, y, grain, wide):
    """How much foam hides at a place: threads between holes where there is little of it, holes closing as
    there is more; even where its holes are finer than a pixel."""
    if cover <= np.float32(0.004):
        return ZERO
    even = cover * (np.float32(2.0) - cover) * np.float32(0.8)
    fine = min(max(ZERO, wide / grain - np.float32(0.3)), ONE)
    if fine >= ONE:
        return even
    x, y = x / grain, y / grain
    bend = np.sin(np.float32(0.9) * y + np.float32(1.7)) + np.sin(np.float32(0.37) * x - np.float32(0.61) * y)
    x += np.float32(0.35) * bend
    y += np.float32(0.35) * np.sin(np.float32(0.8) * x + np.float32(0.4) * y)
    near, next_ = _cells_at(x, y, 5)
    coarse = ONE - min((next_ - near) * np.float32(1.15), ONE)
    near, next_ = _cells_at(
        x * np.float32(2.31) + np.float32(7.3), y * np.float32(2.31) + x * np.float32(0.4), 9
    )
    middle = ONE - min((next_ - near) * np.float32(1.2), ONE)
    near, next_ = _cells_at(x * np.float32(6.1) - y, y * np.float32(6.1) + np.float32(3.1), 13)
    small = ONE - min((next_ - near) * np.float32(1.3), ONE)
    i, j = np.floor(x * np.float32(0.43)), np.floor(y * np.float32(0.43))
    f, g = x * np.float32(0.43) - i, y * np.float32(0.43) - j
    f, g = f * f * (np.float32(3.0) - np.float32(2.0) * f), g * g * (np.float32(3.0) - np.float32(2.0) * g)
    a, b = np.int64(i), np.int64(j)
    low = unit4(3, a, b, 0) * (ONE - g) + unit4(3, a, b + 1, 0) * g
    high = unit4(3, a + 1, b, 0) * (ONE - g) + unit4(3, a + 1, b + 1, 0) * g
    patch = low + (high - low) * f  # where its threads are coarse, and where fine
    web = (np.float32(0.22) + np.float32(0.3) * patch) * coarse + np.float32(0.34) * middle
    web += (np.float32(0.44) - np.float32(0.3) * patch) * small + np.float32(0.16) * (patch - HALF)
    over = (web - (np.float32(0.93) - np.float32(1.02) * cover)) / np.float32(0.42)
    over = min(max(ZERO, over), ONE)
    seen = over * over * (np.float32(3.0) - np.float32(2.0) * over)
    seen *= np.float32(0.35) + np.float32(0.65) * min(cover * np.float32(1.5), ONE)
    return seen * (ONE - fine) + even * fine
