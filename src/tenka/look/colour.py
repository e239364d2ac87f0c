"""Colour: black bodies, ramps, the film's response, sRGB.

Black body: Planck's law through the CIE 1931 matching functions, here by the analytic fit of Wyman, Sloan &
Shirley, "Simple analytic approximations to the CIE XYZ color matching functions", JCGT 2 (2013).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.effect.model import AMBIENT_KELVIN, Ramp

LUT = 256
HOTTEST = 4400.0  # K; the glow table's end
GLOW_REFERENCE = 1900.0  # K at which a glow of strength 1 has a luminance of 1
XYZ_TO_RGB = np.array([[3.2404542, -1.5371385, -0.4985314], [-0.9692660, 1.8760108, 0.0415560], [0.0556434, -0.2040259, 1.0572252]])


def _lobe(x: np.ndarray, centre: float, left: float, right: float) -> np.ndarray:
    return np.exp(-0.5 * ((x - centre) / np.where(x < centre, left, right)) ** 2)


def black_body_xyz(kelvin: np.ndarray | float) -> np.ndarray:
    """CIE XYZ of a black body, (..., 3), in arbitrary but common units."""
    wave = np.arange(360.0, 831.0, 2.0)
    x = 1.056 * _lobe(wave, 599.8, 37.9, 31.0) + 0.362 * _lobe(wave, 442.0, 16.0, 26.7) - 0.065 * _lobe(wave, 501.1, 20.4, 26.2)
    y = 0.821 * _lobe(wave, 568.8, 46.9, 40.5) + 0.286 * _lobe(wave, 530.9, 16.3, 31.1)
    z = 1.217 * _lobe(wave, 437.0, 11.8, 36.0) + 0.681 * _lobe(wave, 459.0, 26.0, 13.8)
    t = np.maximum(np.asarray(kelvin, float)[..., None], 1.0)
    m = wave * 1e-9
    spectrum = 3.741771e-16 / m**5 / np.expm1(np.minimum(1.438777e-2 / (m * t), 600.0))
    return np.stack([(spectrum * f).sum(axis=-1) for f in (x, y, z)], axis=-1)


def black_body_colour(kelvin: float) -> np.ndarray:
    """Linear sRGB of a black body with a luminance of 1; what the gamut lacks is cut at 0."""
    xyz = black_body_xyz(kelvin)
    return np.maximum(XYZ_TO_RGB @ (xyz / xyz[1]), 0.0)


@lru_cache(maxsize=1)
def glow_table() -> np.ndarray:
    """Linear sRGB given off at (LUT,) temperatures from the air's to `HOTTEST`, (LUT, 3)."""
    kelvin = np.linspace(AMBIENT_KELVIN, HOTTEST, LUT)
    rgb = black_body_xyz(kelvin) @ XYZ_TO_RGB.T / black_body_xyz(GLOW_REFERENCE)[1]
    return np.maximum(rgb, 0.0).astype(np.float32)


@lru_cache(maxsize=256)
def ramp_table(ramp: Ramp, count: int = LUT) -> np.ndarray:
    """A ramp at `count` even positions: (count, 3) for colours, (count,) for values."""
    at = np.array([s.at for s in ramp.stops])
    values = np.array([s.value for s in ramp.stops], float)
    x = np.linspace(0.0, 1.0, count)
    if values.ndim == 1:
        return np.interp(x, at, values).astype(np.float32)
    return np.stack([np.interp(x, at, values[:, c]) for c in range(3)], axis=1).astype(np.float32)


def to_srgb(linear: np.ndarray) -> np.ndarray:
    """sRGB encoding (IEC 61966-2-1) of values in [0, 1]."""
    x = np.clip(linear, 0.0, 1.0)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(x, 1 / 2.4) - 0.055)


def from_srgb(encoded: np.ndarray) -> np.ndarray:
    x = np.clip(encoded, 0.0, 1.0)
    return np.where(x <= 0.04045, x / 12.92, np.power((x + 0.055) / 1.055, 2.4))


SRGB_TABLE = to_srgb((np.arange(4096) / 4095.0) ** 2).astype(np.float32)
"""sRGB of the square of an index, so that dark values have fine steps."""


@kernel
def film(x, table):
    """The film's response: straight to a half, then a soft shoulder to 1; returned in sRGB, 0 to 1."""
    x = max(x, np.float32(0.0))
    if x > np.float32(0.5):
        x = np.float32(1.0) - np.float32(0.25) / x  # meets the straight part in value and in slope
    return table[min(np.int64(np.sqrt(x) * np.float32(4095.0) + np.float32(0.5)), 4095)]


def develop(linear: np.ndarray, stops: float) -> np.ndarray:
    """(h, w, 3) linear light to (h, w, 3) uint8 through exposure, shoulder and sRGB."""
    out = np.empty((*linear.shape[:2], 3), np.uint8)
    _develop(np.ascontiguousarray(linear, np.float32), np.float32(2.0**stops), SRGB_TABLE, out)
    return out


@kernel(parallel=True)
def _develop(linear, gain, table, out):
    h, w, _ = linear.shape
    for p_ in prange(h):
        i = np.int64(p_)
        for j in range(w):
            for c in range(3):
                out[i, j, c] = np.uint8(film(linear[i, j, c] * gain, table) * np.float32(255.0) + np.float32(0.5))
