"""Light that falls on particles: the lamp, the sky, their own shade and that of the gas."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.effect.model import Light, PointLook
from tenka.look.colour import black_body_colour
from tenka.look.light import sky_depth, sun_depth
from tenka.look.rays import box_span, sun_through
from tenka.look.volume import GROUND_COLOUR, SKY_COLOUR, LitVolume
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
) -> np.ndarray:
    """Light that falls on each, (n, 3): the sun through the gas and the others, and the sky."""
    towards = sun_direction(own.heading, own.height)
    sun = black_body_colour(own.kelvin) * own.strength
    sky = own.sky * SKY_COLOUR + 0.5 * own.sky * GROUND_COLOUR
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
    return 0.30 * through[:, None] * sun + 0.75 * open_sky[:, None] * sky


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
    i = np.clip(((place - low) / h).astype(int), 0, shape - 1)
    own = 0.5 * h * rho[i[:, 0], i[:, 1], i[:, 2]]
    to_sun = np.maximum(depth[i[:, 0], i[:, 1], i[:, 2]] - own, 0) * strength
    to_sky = np.maximum(sky[i[:, 0], i[:, 1], i[:, 2]] - own, 0) * strength * 0.5
    return (0.8 * np.exp(-to_sun) + 0.2 * np.exp(-0.25 * to_sun)).astype(np.float32), np.exp(-to_sky).astype(
        np.float32
    )


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
