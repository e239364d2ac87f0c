"""Colour: black bodies, ramps, the film's response, sRGB.

Black body: Planck's law through the CIE 1931 colour matching functions (table of CIE 15, every 10 nm).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.srgb import to_srgb
from tenka.effect.model import AMBIENT_KELVIN, Ramp, ramp_at

LUT = 256
HOTTEST = 4400.0  # K; the glow table's end
GLOW_REFERENCE = 1900.0  # K at which a glow of strength 1 has a luminance of 1
HEAT_SCALE = np.float32((LUT - 1) / (HOTTEST - AMBIENT_KELVIN))  # places of a glow table in a K above the air
FLAME_HOT = 2200.0  # K, at the right end of a ramp of flames
XYZ_TO_RGB_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
FLAME_RISE = 7.5  # the power of the temperature with which a flame's brightness rises
FLAME_ENDS, FLAME_FULL = 900.0, 1150.0  # K below which a flame is not seen, and from which it is whole
FLAME_REDDEST = 1550.0  # K; a cooler flame is dimmer, and no redder
MIXED = 0.09  # how far channels lean to their mean in the film's shoulder
XYZ_TO_RGB = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)


MATCHING = (
    np.array(
        [
            (14, 0, 65),
            (42, 1, 201),
            (143, 4, 679),
            (435, 12, 2074),
            (1344, 40, 6456),
            (2839, 116, 13856),
            (3483, 230, 17471),
            (3362, 380, 17721),
            (2908, 600, 16692),
            (1954, 910, 12876),
            (956, 1390, 8130),
            (320, 2080, 4652),
            (49, 3230, 2720),
            (93, 5030, 1582),
            (633, 7100, 782),
            (1655, 8620, 422),
            (2904, 9540, 203),
            (4334, 9950, 87),
            (5945, 9950, 39),
            (7621, 9520, 21),
            (9163, 8700, 17),
            (10263, 7570, 11),
            (10622, 6310, 8),
            (10026, 5030, 3),
            (8544, 3810, 2),
            (6424, 2650, 0),
            (4479, 1750, 0),
            (2835, 1070, 0),
            (1649, 610, 0),
            (874, 320, 0),
            (468, 170, 0),
            (227, 82, 0),
            (114, 41, 0),
            (58, 21, 0),
            (29, 10, 0),
            (14, 5, 0),
            (7, 3, 0),
            (3, 1, 0),
            (2, 1, 0),
            (1, 0, 0),
        ]
    )
    / 1e4
)
"""CIE 1931 colour matching functions (2 degrees) from 380 nm, every 10 nm."""


def black_body_xyz(kelvin: np.ndarray | float) -> np.ndarray:
    """CIE XYZ of a black body, (..., 3), in arbitrary but common units."""
    m = (380.0 + 10.0 * np.arange(len(MATCHING))) * 1e-9
    t = np.maximum(np.asarray(kelvin, float)[..., None], 1.0)
    spectrum = 3.741771e-16 / m**5 / np.expm1(np.minimum(1.438777e-2 / (m * t), 600.0))
    return spectrum @ MATCHING


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


@lru_cache(maxsize=1)
def flame_table() -> np.ndarray:
    """The same for flames, whose soot grows thin where it is hottest: less steep than a black body, and never
    redder than embers, so that a fireball has form from its edge to its middle."""
    kelvin = np.linspace(AMBIENT_KELVIN, HOTTEST, LUT)
    xyz = black_body_xyz(np.maximum(kelvin, FLAME_REDDEST))
    hue = np.maximum(xyz / xyz[:, 1:2] @ XYZ_TO_RGB.T, 0.0)
    there = np.clip((kelvin - FLAME_ENDS) / (FLAME_FULL - FLAME_ENDS), 0.0, 1.0)
    bright = (kelvin / GLOW_REFERENCE) ** FLAME_RISE * there * there * (3.0 - 2.0 * there)
    return (hue * bright[:, None]).astype(np.float32)


@lru_cache(maxsize=64)
def flame_colours(ramp: Ramp | None) -> np.ndarray:
    """What flames give off at (LUT,) temperatures, (LUT, 3): as `flame_table`, or as bright in a ramp's
    colours."""
    table = flame_table()
    if ramp is None:
        return table
    kelvin = np.linspace(AMBIENT_KELVIN, HOTTEST, LUT)
    hue = ramp_at(ramp, np.clip((kelvin - FLAME_ENDS) / (FLAME_HOT - FLAME_ENDS), 0.0, 1.0))
    weigh = XYZ_TO_RGB_LUMINANCE
    bright = (table @ weigh) / np.maximum(hue @ weigh, 0.08)  # a deep blue is not made as bright as all else
    return (hue * bright[:, None]).astype(np.float32)


def albedo_of(colour: np.ndarray) -> np.ndarray:
    """The share of light that goes on at each scattering, of what looks so when it is thick: light meets it
    many times. A fit to the reflectance of a thick medium (after M. Chiang, P. Kutz & B. Burley, "Practical
    and controllable subsurface scattering", 2016)."""
    a = np.clip(colour, 0.0, 1.0)
    return 1.0 - np.exp(-5.094 * a + 2.612 * a**2 - 4.318 * a**3)


@lru_cache(maxsize=1)
def albedo_table() -> np.ndarray:
    """`albedo_of` at LUT even places from 0 to 1."""
    return albedo_of(np.linspace(0.0, 1.0, LUT)).astype(np.float32)


@kernel
def glow_at(table, place, n):
    """A channel of the glow table at a place between its entries, held beyond its ends: 16 K more is a tenth
    more light, which would be seen as rings."""
    at = min(max(np.float32(0.0), place), np.float32(LUT - 1))
    a = np.int64(min(at, np.float32(LUT - 2)))
    f = at - np.float32(a)
    return (np.float32(1.0) - f) * table[a, n] + f * table[a + 1, n]


@lru_cache(maxsize=256)
def ramp_table(ramp: Ramp, count: int = LUT) -> np.ndarray:
    """A ramp at `count` even positions: (count, 3) for colours, (count,) for values."""
    return ramp_at(ramp, np.linspace(0.0, 1.0, count)).astype(np.float32)


SRGB_TABLE = to_srgb((np.arange(4096) / 4095.0) ** 2).astype(np.float32)
"""sRGB of the square of an index, so that dark values have fine steps."""


@kernel
def shoulder(x):
    """The film's response: straight to a half, then a soft shoulder to 1; they meet in value and slope."""
    x = max(x, np.float32(0.0))
    return min(x, np.float32(1.0) - np.float32(0.25) / max(x, np.float32(0.5)))


@kernel
def in_srgb(x, table):
    """sRGB of linear light from 0 to 1."""
    x = min(max(np.float32(0.0), x), np.float32(1.0))
    return table[min(np.int64(np.sqrt(x) * np.float32(4095.0) + np.float32(0.5)), 4095)]


def develop(linear: np.ndarray, stops: float) -> np.ndarray:
    """(h, w, 3) linear light to (h, w, 3) uint8 through exposure, shoulder and sRGB.

    Before the shoulder each channel leans a little to the mean of all, which is undone after it: what grows
    bright goes through orange and yellow to white, and what is dim keeps its hue exactly.
    """
    out = np.empty((*linear.shape[:2], 3), np.uint8)
    _develop(np.ascontiguousarray(linear, np.float32), np.float32(2.0**stops), SRGB_TABLE, _grain(), out)
    return out


@lru_cache(maxsize=1)
def _grain() -> np.ndarray:
    """Even noise from 0 to 1, (256, 256), laid next to itself over a picture."""
    return np.random.default_rng(11).random((256, 256), np.float32)


@kernel
def _place(x):
    """Where sRGB of a light lies in its table."""
    return np.int32(
        np.sqrt(min(max(np.float32(0.0), x), np.float32(1.0))) * np.float32(4095.0) + np.float32(0.5)
    )


@kernel(parallel=True)
def _develop(linear, gain, table, grains, out):
    h, w, _ = linear.shape
    m, most = np.float32(MIXED), np.float32(255.0)
    third, undo, keep = np.float32(1.0 / 3.0), np.float32(1.0 / (1.0 - MIXED)), np.float32(1.0 - MIXED)
    for p_ in prange(h):
        i = np.int64(p_)
        light, into, grain = linear[i].reshape(-1), out[i].reshape(-1), grains[i & 255]
        parts, places = np.empty((3, w), np.float32), np.empty((3, w), np.int32)
        red, green, blue = parts[0], parts[1], parts[2]
        red_at, green_at, blue_at = places[0], places[1], places[2]
        for j in range(w):
            red[j], green[j], blue[j] = light[3 * j] * gain, light[3 * j + 1] * gain, light[3 * j + 2] * gain
        for j in range(w):  # several pixels at once, as the compiler does with loops that look up nothing
            mean = (red[j] + green[j] + blue[j]) * third * m
            r, g, b = (
                shoulder(keep * red[j] + mean),
                shoulder(keep * green[j] + mean),
                shoulder(keep * blue[j] + mean),
            )
            mean = (r + g + b) * third * m
            red_at[j], green_at[j], blue_at[j] = (
                _place((r - mean) * undo),
                _place((g - mean) * undo),
                _place((b - mean) * undo),
            )
        for j in range(w):
            more = grain[j & 255]  # a little grain, so that what rises slowly shows no steps
            into[3 * j] = np.uint8(min(table[red_at[j]] * most + more, most))
            into[3 * j + 1] = np.uint8(min(table[green_at[j]] * most + more, most))
            into[3 * j + 2] = np.uint8(min(table[blue_at[j]] * most + more, most))
