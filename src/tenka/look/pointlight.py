"""Light that falls on particles: the lamp, the sky, their own shade and that of the gas."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.effect.model import Light, PointLook
from tenka.look.colour import black_body_colour
from tenka.look.lamps import lamp_falls
from tenka.look.light import sky_depth, sun_depth
from tenka.look.rays import box_span, sun_through
from tenka.look.volume import GROUND_COLOUR, LitVolume, sky_of
from tenka.scene.cameras import sun_direction

SHADE_CELLS = 48
ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)


def light_at(
    place: np.ndarray,
    width: np.ndarray,
    alpha: np.ndarray,
    look: PointLook,
    own: Light,
    volume: LitVolume | None,
    lamps: np.ndarray,
) -> np.ndarray:
    """Light that falls on each, (n, 3): the sun through the gas and the others, and the sky."""
    towards = sun_direction(own.heading, own.height)
    sun = black_body_colour(own.kelvin) * own.strength
    sky = sky_of(own) + 0.5 * own.sky * GROUND_COLOUR
    through, open_sky = np.ones(len(place), np.float32), np.ones(len(place), np.float32)
    if look.self_shadow > 0 and look.opaque > 0 and len(place) > 8:
        through, open_sky = _self_shadow(place, width, alpha, look.self_shadow, towards)
    if volume is not None and not volume.empty:
        v = volume
        out = np.empty(len(place), np.float32)
        _sun_through_gas(
            place.astype(np.float32),
            v.towards,
            v.origin.astype(np.float32),
            np.float32(v.voxel),
            v.field,
            v.low,
            v.high,
            out,
        )
        through = through * out
    found = 0.30 * through[:, None] * sun + 0.75 * open_sky[:, None] * sky
    if len(lamps) and len(place):
        falls = np.empty((len(place), 3), np.float32)
        _lamps_on(place.astype(np.float32), np.ascontiguousarray(lamps, np.float32), falls)
        found = found + 0.30 * falls
    return found


@kernel(parallel=True)
def _lamps_on(place, lamps, out):
    for p_ in prange(place.shape[0]):
        n = np.int64(p_)
        for c in range(3):
            out[n, c] = ZERO
        for m in range(lamps.shape[0]):
            falls = lamp_falls(lamps, m, place[n, 0], place[n, 1], place[n, 2])
            for c in range(3):
                out[n, c] += lamps[m, 3 + c] * falls


def _self_shadow(
    place: np.ndarray, width: np.ndarray, alpha: np.ndarray, strength: float, towards: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Share of sun and sky that the others let through: their areas spread on a coarse grid, swept like a
    gas."""
    low, high = (
        np.quantile(place, 0.005, axis=0).astype(float),
        np.quantile(place, 0.995, axis=0).astype(float),
    )
    size = float(max((high - low).max(), 1e-3))
    h = size / SHADE_CELLS
    low = low - 1.5 * h
    shape = np.minimum(np.ceil((high + 1.5 * h - low) / h).astype(int) + 1, SHADE_CELLS + 4)
    rho = np.zeros(tuple(shape), np.float32)
    area = (alpha * (math.pi / 4) * width * width / (h * h * h)).astype(np.float32)
    _gather(place, area, low.astype(np.float32), np.float32(h), rho)
    rho = np.minimum(rho, np.float32(6.0 / h))
    depth, sky = sun_depth(rho, h, towards), np.empty_like(rho)
    sky_depth(rho, h, sky)
    found = np.empty((3, len(place)), np.float32)
    for field, out in zip((depth, sky, rho), found):
        _read(
            place.astype(np.float32), low.astype(np.float32), np.float32(h), np.ascontiguousarray(field), out
        )
    own = 0.5 * h * found[2]
    to_sun = np.maximum(found[0] - own, 0) * strength
    to_sky = np.maximum(found[1] - own, 0) * strength * 0.5
    return (0.8 * np.exp(-to_sun) + 0.2 * np.exp(-0.25 * to_sun)).astype(np.float32), np.exp(-to_sky).astype(
        np.float32
    )


@kernel(parallel=True)
def _read(place, low, h, field, out):
    """Values between the middles of cells: of the nearest alone, shade would lie in terraces."""
    nx, ny, nz = field.shape
    for p_ in prange(place.shape[0]):
        n = np.int64(p_)
        x = min(max(ZERO, (place[n, 0] - low[0]) / h - HALF), np.float32(nx - 1))
        y = min(max(ZERO, (place[n, 1] - low[1]) / h - HALF), np.float32(ny - 1))
        z = min(max(ZERO, (place[n, 2] - low[2]) / h - HALF), np.float32(nz - 1))
        a, b, c = min(np.int64(x), nx - 2), min(np.int64(y), ny - 2), min(np.int64(z), nz - 2)
        f, g, e = x - np.float32(a), y - np.float32(b), z - np.float32(c)
        total = ZERO
        for i in range(2):
            for j in range(2):
                for k in range(2):
                    total += (
                        field[a + i, b + j, c + k]
                        * (f if i else ONE - f)
                        * (g if j else ONE - g)
                        * (e if k else ONE - e)
                    )
        out[n] = total


@kernel
def _gather(place, area, low, h, rho):
    nx, ny, nz = rho.shape
    for n in range(place.shape[0]):
        x, y, z = (
            (place[n, 0] - low[0]) / h - HALF,
            (place[n, 1] - low[1]) / h - HALF,
            (place[n, 2] - low[2]) / h - HALF,
        )
        a, b, c = np.int64(np.floor(x)), np.int64(np.floor(y)), np.int64(np.floor(z))
        if a < 0 or b < 0 or c < 0 or a >= nx - 1 or b >= ny - 1 or c >= nz - 1:
            continue
        f, g, e = x - np.float32(a), y - np.float32(b), z - np.float32(c)
        for i in range(2):
            for j in range(2):
                for k in range(2):
                    rho[a + i, b + j, c + k] += (
                        area[n] * (f if i else ONE - f) * (g if j else ONE - g) * (e if k else ONE - e)
                    )


@kernel(parallel=True)
def _sun_through_gas(place, towards, origin, h, field_, low, high, out):
    nx, ny, nz, _ = field_.shape
    for p_ in prange(place.shape[0]):
        n = np.int64(p_)
        px, py, pz = (
            (place[n, 0] - origin[0]) / h,
            (place[n, 1] - origin[1]) / h,
            (place[n, 2] - origin[2]) / h,
        )
        near, far = box_span(px, py, pz, towards[0], towards[1], towards[2], low, high)
        near = max(near, ZERO)
        if near >= far:
            out[n] = ONE
            continue
        a = min(max(np.int64(px + near * towards[0]), 0), nx - 1)
        b = min(max(np.int64(py + near * towards[1]), 0), ny - 1)
        c = min(max(np.int64(pz + near * towards[2]), 0), nz - 1)
        out[n] = sun_through(field_[a, b, c, 1])
