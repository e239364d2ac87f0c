"""Props and ground, shaded by sun, sky and lamps, in the plume's shadow."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.base.randomness import unit4
from tenka.base.vector import make_lerp_channels
from tenka.effect.model import Light
from tenka.look.colour import black_body_colour
from tenka.look.heaven import NO_SKY_SHADOW, SkyShadow, backdrop_of, behind, ground_tile, open_sky, tone_at
from tenka.look.lamps import NO_DEPTHS, NO_LAMPS, lamp_falls
from tenka.look.rays import box_span, ray_of, sun_through
from tenka.look.shadows import ShadowMap, lamp_lit, lit
from tenka.look.triangles import Surfaces
from tenka.look.volume import GROUND_COLOUR, SKY_COLOUR, sky_of
from tenka.scene.cameras import View, sun_direction

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
lerp_two = make_lerp_channels(4, 2)
HALF = np.float32(0.5)
GROUND = np.array([0.165, 0.16, 0.152], np.float32)  # its colour


@kernel
def _sun_at(x, y, z, towards, origin, h, field, low, high):
    """Share of the sun that the gas lets through to a point: the stored depth where the way to the sun enters
    it."""
    nx, ny, nz, _ = field.shape
    px, py, pz = (x - origin[0]) / h, (y - origin[1]) / h, (z - origin[2]) / h
    near, far = box_span(px, py, pz, towards[0], towards[1], towards[2], low, high)
    near = max(near, ZERO)
    if near >= far:
        return ONE
    qx = min(max(px + near * towards[0] - np.float32(0.5), ZERO), np.float32(nx - 1))
    qy = min(max(py + near * towards[1] - np.float32(0.5), ZERO), np.float32(ny - 1))
    qz = min(max(pz + near * towards[2] - np.float32(0.5), ZERO), np.float32(nz - 1))
    a, b, c = min(np.int64(qx), max(nx - 2, 0)), min(np.int64(qy), max(ny - 2, 0)), min(np.int64(qz), nz - 2)
    f, g, e = qx - np.float32(a), qy - np.float32(b), qz - np.float32(c)
    sx, sy = (ny * nz * 4 if nx > 1 else 0), (nz * 4 if ny > 1 else 0)
    _, total = lerp_two(field.reshape(-1), ((a * ny + b) * nz + c) * 4, sx, sy, f, g, e)
    return sun_through(total)


@kernel(parallel=True)
def _shade(
    view,
    depth,
    face,
    normals,
    colours,
    shadow_view,
    shadow,
    towards,
    sun,
    sky,
    bounce,
    ground,
    lamps,
    lamp_depths,
    run,
    heaven,
    ways,
    sky_views,
    sky_depths,
    tile,
    still,
    direct,
):
    height, width = depth.shape
    pi = np.float32(3.14159265)
    texel = np.float32(2.0) * shadow_view[12] / np.float32(shadow.shape[0])  # m: wider ones see less well
    for p_ in prange(height):
        j = np.int64(p_)
        flash_r, flash_g, flash_b = ZERO, ZERO, ZERO
        lamps_of, until, opened = -2, 0, ONE  # neighbours on one surface share what lamps and sky bring
        for i in range(width):
            u = (np.float32(i) + np.float32(0.5)) * np.float32(2.0) / np.float32(width) - ONE
            v = ONE - (np.float32(j) + np.float32(0.5)) * np.float32(2.0) / np.float32(height)
            ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
            along = max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
            n = face[j, i]
            fade = ONE
            for c in range(3):
                direct[j, i, c] = ZERO
            if n >= 0:
                t = depth[j, i] / along
                nx, ny, nz = normals[n, 0], normals[n, 1], normals[n, 2]
                if nx * dx + ny * dy + nz * dz > ZERO:
                    nx, ny, nz = -nx, -ny, -nz
                r, g, b = colours[n, 0], colours[n, 1], colours[n, 2]
            elif ground and dz < np.float32(-1e-4) and oz > ZERO:
                t = -oz / dz
                depth[j, i] = t * along
                nx, ny, nz = ZERO, ZERO, ONE
                patch = tone_at(tile, ox + t * dx, oy + t * dy)
                r, g, b = GROUND[0] * patch, GROUND[1] * patch, GROUND[2] * patch
                faint = t * np.float32(0.018)
                fade = ONE / (ONE + faint * faint * faint)
            else:
                still[j, i, 0], still[j, i, 1], still[j, i, 2] = behind(heaven, v, dx, dy, dz, towards)
                continue
            x, y, z = ox + t * dx, oy + t * dy, oz + t * dz
            # a fine grain keeps flat surfaces from looking like plastic
            grain = unit4(
                7, np.int64(np.floor(x * 24)), np.int64(np.floor(y * 24)), np.int64(np.floor(z * 24))
            )
            tone = ONE + np.float32(0.10) * (grain - np.float32(0.5))
            facing = max(nx * towards[0] + ny * towards[1] + nz * towards[2], ZERO)
            if facing > ZERO:
                off = np.float32(0.012) + np.float32(1.5) * texel
                facing *= (
                    lit(
                        x + nx * off,
                        y + ny * off,
                        z + nz * off,
                        shadow_view,
                        shadow,
                        np.float32(0.02) + texel,
                    )
                    / pi
                )
            up = np.float32(0.5) + np.float32(0.5) * nz
            back_r, back_g, back_b = ZERO, ZERO, ZERO
            if fade < np.float32(0.9999):
                back_r, back_g, back_b = behind(heaven, v, dx, dy, dz, towards)
            count = lamps.shape[0]
            if n == lamps_of and i < until:
                count = 0
            else:
                flash_r, flash_g, flash_b = ZERO, ZERO, ZERO
                lamps_of, until = n, i + run
                opened = open_sky(x, y, z, nx, ny, nz, ways, sky_views, sky_depths)
            for m in range(count):
                lx, ly, lz = lamps[m, 0] - x, lamps[m, 1] - y, lamps[m, 2] - z
                far = np.sqrt(lx * lx + ly * ly + lz * lz + np.float32(1e-9))
                to = max((nx * lx + ny * ly + nz * lz) / far, ZERO) / pi
                if to > ZERO:
                    to *= lamp_falls(lamps, m, x, y, z)
                if to > ZERO and m < lamp_depths.shape[0]:
                    to *= lamp_lit(lamp_depths[m], -lx, -ly, -lz)
                flash_r += lamps[m, 3] * to
                flash_g += lamps[m, 4] * to
                flash_b += lamps[m, 5] * to
            for c in range(3):
                albedo = (r if c == 0 else (g if c == 1 else b)) * tone * fade
                direct[j, i, c] = albedo * sun[c] * facing
                back = back_r if c == 0 else (back_g if c == 1 else back_b)
                flash = albedo * (flash_r if c == 0 else (flash_g if c == 1 else flash_b))
                still[j, i, c] = (
                    albedo
                    * np.float32(0.6)
                    * (sky[c] * up * opened + bounce[c] * (ONE - up) * (HALF + HALF * opened))
                    + flash
                    + back * (ONE - fade)
                )


@dataclass(frozen=True)
class Backdrop:
    """Shaded props and ground: light that stays, sunlight that gas may dim, and depth with the ground in
    it."""

    still: np.ndarray
    direct: np.ndarray
    depth: np.ndarray


def shade(
    surfaces: Surfaces,
    view: View,
    light: Light,
    shadow: ShadowMap,
    ground: bool = True,
    lamps: np.ndarray = NO_LAMPS,
    lamp_depths: np.ndarray = NO_DEPTHS,
    run: int = 1,
    sky_seen: SkyShadow = NO_SKY_SHADOW,
) -> Backdrop:
    """Shade what `see` found, with ground at z = 0 where nothing else is; all that does not depend on the
    gas.

    `lamps`: rows as `tenka.look.lamps` has them; what
    `lamp_shadow` gave for the first of them, (m, 6, size, size), makes those cast shadows. So many pixels of
    one surface as `run` says share what lamps and sky bring. `sky_seen`: what `sky_shadow` gave.
    """
    depth = surfaces.depth.copy()
    still, direct = np.empty((*depth.shape, 3), np.float32), np.empty((*depth.shape, 3), np.float32)
    towards = sun_direction(light.heading, light.height)
    sky = sky_of(light)
    bounce = sky.mean() / SKY_COLOUR.mean() * GROUND_COLOUR * (1.0 + 0.15 * light.strength * towards[2])
    with parallel_chunksize(8):  # sky and ground are not equally dear
        _shade(
            view.packed(),
            depth,
            surfaces.face,
            surfaces.normals,
            surfaces.colours,
            shadow.view.packed(),
            shadow.depth,
            towards.astype(np.float32),
            (black_body_colour(light.kelvin) * light.strength).astype(np.float32),
            sky.astype(np.float32),
            bounce.astype(np.float32),
            ground,
            lamps,
            lamp_depths,
            run,
            backdrop_of(light),
            sky_seen.ways,
            sky_seen.views,
            sky_seen.depth,
            ground_tile(),
            still,
            direct,
        )
    return Backdrop(still, direct, depth)
