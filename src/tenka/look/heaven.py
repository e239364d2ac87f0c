"""What lies behind and above a scene: a backdrop, how much of the sky each place sees, and the ground's
grain."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from tenka.base.jit import kernel
from tenka.effect.model import Light
from tenka.look.colour import black_body_colour
from tenka.look.triangles import depths_of
from tenka.look.volume import sky_of
from tenka.scene.cameras import View
from tenka.scene.meshes import Mesh

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
BACKGROUND = np.array([0.075, 0.075, 0.075], np.float32)  # pure neutral grey, so that colours can be judged
NIGHT = 0.004
WAYS, MAP = 12, 160  # directions into the sky, and px of what each sees
MOST_POINTS = 2000  # of props, by which the maps are fitted to them
LAST = 255  # index of a tile's last pixel
TILE, TILE_M = LAST + 1, 9.0  # px and m of the ground's grain, which is laid next to itself


def backdrop_of(light: Light) -> np.ndarray:
    """Radiance at the horizon, overhead and round the sun, (3, 3); below 0 where it is a plain grey."""
    if light.backdrop == "grey":
        return np.full((3, 3), -1.0, np.float32)
    if light.backdrop == "dark":
        return np.full((3, 3), NIGHT, np.float32) * np.array([[1.0], [1.0], [0.0]], np.float32)
    sky = sky_of(light)
    sun = black_body_colour(light.kelvin) * light.strength
    low = float(
        np.clip(1.0 - light.height / 50.0, 0.0, 1.0)
    )  # air near the horizon takes on the sun's colour
    horizon = sky * (1.05, 1.0, 0.92) + (0.01 + 0.04 * low) * sun
    return np.array([horizon, sky * (0.40, 0.56, 0.86), (0.02 + 0.10 * low) * sun], np.float32)


@kernel(inline=True)
def behind(heaven, v, dx, dy, dz, towards):
    """What lies behind everything along a ray: red, green, blue; `v` is its height in the picture."""
    if heaven[0, 0] < ZERO:
        grey = ONE + np.float32(0.35) * v
        return BACKGROUND[0] * grey, BACKGROUND[1] * grey, BACKGROUND[2] * grey
    rise = ONE - np.exp(np.float32(-3.5) * dz) if dz > ZERO else ZERO
    near = max(dx * towards[0] + dy * towards[1] + dz * towards[2], ZERO)
    near *= near
    near *= near
    near *= near
    return (
        heaven[0, 0] + rise * (heaven[1, 0] - heaven[0, 0]) + near * heaven[2, 0],
        heaven[0, 1] + rise * (heaven[1, 1] - heaven[0, 1]) + near * heaven[2, 1],
        heaven[0, 2] + rise * (heaven[1, 2] - heaven[0, 2]) + near * heaven[2, 2],
    )


@dataclass(frozen=True)
class SkyShadow:
    """How far some directions into the sky see the props from outside: `ways` (n, 3), `views` (n, 16),
    `depth` (n, MAP, MAP)."""

    ways: np.ndarray
    views: np.ndarray
    depth: np.ndarray


NO_SKY_SHADOW = SkyShadow(
    np.zeros((0, 3), np.float32), np.zeros((0, 16), np.float32), np.zeros((0, 1, 1), np.float32)
)


def sky_shadow(mesh: Mesh) -> SkyShadow:
    """The props as the sky sees them, from directions that lie as evenly as light falls on what is level."""
    if not len(mesh.points):
        return NO_SKY_SHADOW
    share = (np.arange(WAYS) + 0.5) / WAYS
    rise, turn = np.sqrt(1.0 - share), np.arange(WAYS) * np.pi * (3.0 - np.sqrt(5.0))
    flat = np.sqrt(share)
    ways = np.stack([flat * np.cos(turn), flat * np.sin(turn), rise], axis=1)
    views, some = [], mesh.points[:: max(1, len(mesh.points) // MOST_POINTS)]
    for n, way in enumerate(ways):
        right = np.array([-np.sin(turn[n]), np.cos(turn[n]), 0.0])
        up = np.cross(right, -way)
        seen = some @ np.stack([right, up, -way]).T
        low, high = np.quantile(seen[:, :2], (0.002, 0.998), axis=0)  # one stray does not make it coarse
        half = 0.5 * float(max((high - low).max(), 0.2)) * (1.0 + 8.0 / MAP)
        middle = 0.5 * (low + high)
        eye = middle[0] * right + middle[1] * up - (seen[:, 2].min() - 1.0) * way
        views.append(View(eye, -way, right, up, half, MAP, MAP, True).packed())
    packed = np.array(views)
    return SkyShadow(ways.astype(np.float32), packed, depths_of(mesh, packed, MAP))


@kernel(inline=True)
def open_sky(x, y, z, nx, ny, nz, ways, views, depth):
    """Share of the sky's light that props let through to a surface."""
    seen, whole = ZERO, ZERO
    for n in range(ways.shape[0]):
        facing = nx * ways[n, 0] + ny * ways[n, 1] + nz * ways[n, 2]
        if facing <= np.float32(0.02):
            continue
        weight = facing / ways[n, 2]
        texel = np.float32(2.0) * views[n, 12] / np.float32(depth.shape[1])
        off = np.float32(0.012) + np.float32(1.2) * texel
        whole += weight
        rx, ry, rz = x + nx * off - views[n, 0], y + ny * off - views[n, 1], z + nz * off - views[n, 2]
        far = rx * views[n, 3] + ry * views[n, 4] + rz * views[n, 5] - np.float32(0.02) - HALF * texel
        side = np.float32(depth.shape[1])
        u = (
            (rx * views[n, 6] + ry * views[n, 7] + rz * views[n, 8]) / views[n, 12] + ONE
        ) * HALF * side - HALF
        v = (
            ONE - (rx * views[n, 9] + ry * views[n, 10] + rz * views[n, 11]) / views[n, 13]
        ) * HALF * side - HALF
        if not (u >= ZERO and v >= ZERO and u < side - ONE and v < side - ONE):  # so that NaN is outside
            seen += weight
            continue
        i, j = np.int64(u), np.int64(v)
        f, g = u - np.float32(i), v - np.float32(j)
        top = ((ONE - f) if depth[n, j, i] > far else ZERO) + (f if depth[n, j, i + 1] > far else ZERO)
        foot = ((ONE - f) if depth[n, j + 1, i] > far else ZERO) + (
            f if depth[n, j + 1, i + 1] > far else ZERO
        )
        seen += weight * ((ONE - g) * top + g * foot)
    return seen / whole if whole > ZERO else ONE


PATCHES = ((4, 0.16), (11, 0.12), (32, 0.08), (96, 0.06))
"""How many patches lie along the ground's tile, from the largest to the smallest, and how much their tone
differs."""


def patches() -> list[np.ndarray]:
    """A tone for each patch of each size, (n, n) in 0 to 1."""
    rng = np.random.default_rng(5)
    return [rng.random((cells, cells)) for cells, _ in PATCHES]


@lru_cache(maxsize=1)
def ground_tile() -> np.ndarray:
    """Tone of the ground, (TILE, TILE) about 1: patches of a few sizes, alike at opposite edges."""
    total = np.zeros((TILE, TILE), np.float32)
    for (cells, much), tones in zip(PATCHES, patches()):
        values = np.pad(tones, (0, 1), mode="wrap")
        at = np.arange(TILE) * cells / TILE
        low, part = at.astype(int), at - at.astype(int)
        part = part * part * (3 - 2 * part)
        rows = values[low] * (1 - part)[:, None] + values[low + 1] * part[:, None]
        total += much * (rows[:, low] * (1 - part) + rows[:, low + 1] * part - 0.5)
    return (1.0 + total).astype(np.float32)


@kernel(inline=True)
def tone_at(tile, x, y):
    """Tone of the ground at a place."""
    u, v = x * np.float32(TILE / TILE_M), y * np.float32(TILE / TILE_M)
    a, b = np.int64(np.floor(u)), np.int64(np.floor(v))
    f, g = u - np.float32(a), v - np.float32(b)
    a0, b0, a1, b1 = a & LAST, b & LAST, (a + 1) & LAST, (b + 1) & LAST
    return (ONE - g) * ((ONE - f) * tile[b0, a0] + f * tile[b0, a1]) + g * (
        (ONE - f) * tile[b1, a0] + f * tile[b1, a1]
    )
