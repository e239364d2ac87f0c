"""Props and ground, shaded by sun, sky and lamps, in the plume's shadow."""

from __future__ import annotations

from dataclasses import dataclass, replace

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
SHARED = 6  # surfaces in a block that are known at once
PATCH, GRAIN = (
    np.float32(0.25),
    np.float32(1.0 / 24.0),
)  # m: how wide its patches, and grains of all things, are


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
    qx = min(max(ZERO, px + near * towards[0] - np.float32(0.5)), np.float32(nx - 1))
    qy = min(max(ZERO, py + near * towards[1] - np.float32(0.5)), np.float32(ny - 1))
    qz = min(max(ZERO, pz + near * towards[2] - np.float32(0.5)), np.float32(nz - 1))
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
    share,
    run,
    heaven,
    ways,
    sky_views,
    sky_depths,
    tile,
    still,
    direct,
    reply,
):
    height, width = depth.shape
    texel = np.float32(2.0) * shadow_view[12] / np.float32(shadow.shape[0])  # m: wider ones see less well
    tall = share * max(run // share, 1)
    for p_ in prange(-(-height // tall)):
        strip = np.int64(p_) * tall
        # neighbours on one surface share what of the sky they see
        opened_of, opened_to = (
            np.full(-(-width // tall), -2, np.int32),
            np.empty(-(-width // tall), np.float32),
        )
        rows, across = -(-(min(strip + tall, height) - strip) // share), -(-width // share)
        known, held, count = np.empty(SHARED, np.int32), np.empty((SHARED, 9), np.float32), 0
        for block in range(rows * across):
            y0, x0 = strip + block // across * share, block % across * share
            count = 0
            last, q = -3, held[0]
            for j in range(y0, min(y0 + share, height)):
                all_round, straight, kept, faces = still[j], direct[j], reply[j], face[j]
                for i in range(x0, min(x0 + share, width)):
                    n = faces[i]
                    if n < 0:  # ground, or what is behind all
                        far = _ground_depth(view, i, j, width, height) if ground else ZERO
                        n = -1 if far > ZERO else -2
                        if far > ZERO:
                            depth[j, i] = far
                    if n != last:
                        last, slot = n, 0
                        while slot < count and known[slot] != n:
                            slot += 1
                        if slot == count:
                            slot = min(slot, SHARED - 1)
                            count = slot + 1
                            known[slot] = n
                            place = x0 // tall
                            u = (np.float32(i) + HALF) * np.float32(2.0) / np.float32(width) - ONE
                            v = ONE - (np.float32(j) + HALF) * np.float32(2.0) / np.float32(height)
                            opened_of[place], opened_to[place] = _shade_one(
                                view,
                                u,
                                v,
                                np.float32(2 * share) * view[13] / np.float32(height),
                                depth[j, i],
                                n,
                                normals,
                                colours,
                                shadow_view,
                                shadow,
                                texel,
                                towards,
                                sun,
                                sky,
                                bounce,
                                heaven,
                                ways,
                                sky_views,
                                sky_depths,
                                tile,
                                opened_of[place],
                                opened_to[place],
                                held[slot],
                            )
                        q = held[slot]
                    all_round[i, 0], all_round[i, 1], all_round[i, 2] = q[0], q[1], q[2]
                    straight[i, 0], straight[i, 1], straight[i, 2] = q[3], q[4], q[5]
                    kept[i, 0], kept[i, 1], kept[i, 2] = q[6], q[7], q[8]


@kernel(inline=True)
def _shade_one(
    view,
    u,
    v,
    wide,
    deep,
    n,
    normals,
    colours,
    shadow_view,
    shadow,
    texel,
    towards,
    sun,
    sky,
    bounce,
    heaven,
    ways,
    sky_views,
    sky_depths,
    tile,
    opened_of,
    opened,
    out,
):
    """Light that stays, sunlight, and the share of light that comes back, of what is seen at a place of the
    picture: triangle `n`, or the ground (-1), or nothing (-2). Gives the surface whose share of the sky is
    known, and that."""
    ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
    if n < -1:
        out[:] = ZERO
        out[0], out[1], out[2] = behind(heaven, v, dx, dy, dz, towards)
        return opened_of, opened
    t = deep / max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
    fade = ONE
    if n >= 0:
        nx, ny, nz = normals[n, 0], normals[n, 1], normals[n, 2]
        if nx * dx + ny * dy + nz * dz > ZERO:
            nx, ny, nz = -nx, -ny, -nz
        r, g, b = colours[n, 0], colours[n, 1], colours[n, 2]
    else:
        nx, ny, nz = ZERO, ZERO, ONE
        r, g, b = GROUND[0], GROUND[1], GROUND[2]
        faint = t * np.float32(0.018)
        fade = ONE / (ONE + faint * faint * faint)
    x, y, z = ox + t * dx, oy + t * dy, oz + t * dz
    # what is finer than a pixel is not drawn, or it would sparkle
    wide *= ONE if view[14] > HALF else t
    wide /= max(abs(nx * dx + ny * dy + nz * dz), np.float32(0.02))
    tone = ONE
    if n < 0:
        tone += (tone_at(tile, x, y) - ONE) * min(ONE, PATCH / (wide + wide))
    # a fine grain keeps flat surfaces from looking like plastic
    if wide < np.float32(2.0) * GRAIN:
        grain = unit4(7, np.int64(np.floor(x * 24)), np.int64(np.floor(y * 24)), np.int64(np.floor(z * 24)))
        tone *= ONE + np.float32(0.10) * (grain - HALF) * min(ONE, np.float32(2.0) - wide / GRAIN)
    facing = max(nx * towards[0] + ny * towards[1] + nz * towards[2], ZERO)
    if facing > ZERO:
        off = np.float32(0.012) + np.float32(1.5) * texel
        facing *= lit(
            x + nx * off, y + ny * off, z + nz * off, shadow_view, shadow, np.float32(0.02) + texel
        ) / np.float32(3.14159265)
    up = HALF + HALF * nz
    back_r, back_g, back_b = ZERO, ZERO, ZERO
    if fade < np.float32(0.9999):
        back_r, back_g, back_b = behind(heaven, v, dx, dy, dz, towards)
    if opened_of != n:
        opened = open_sky(x, y, z, nx, ny, nz, ways, sky_views, sky_depths)
    r, g, b = r * tone * fade, g * tone * fade, b * tone * fade
    high, low = np.float32(0.6) * up * opened, np.float32(0.3) * (ONE - up) * (ONE + opened)
    back = ONE - fade
    out[0] = r * (sky[0] * high + bounce[0] * low) + back_r * back
    out[1] = g * (sky[1] * high + bounce[1] * low) + back_g * back
    out[2] = b * (sky[2] * high + bounce[2] * low) + back_b * back
    out[3], out[4], out[5] = r * sun[0] * facing, g * sun[1] * facing, b * sun[2] * facing
    out[6], out[7], out[8] = r, g, b
    return n, opened


@kernel
def _ground_depth(view, i, j, width, height):
    """How far along forward the ground lies in a pixel; 0 where it does not."""
    x = ((np.float32(i) + HALF) * np.float32(2.0) / np.float32(width) - ONE) * view[12]
    y = (ONE - (np.float32(j) + HALF) * np.float32(2.0) / np.float32(height)) * view[13]
    across = x * view[8] + y * view[11]
    rise, above = (view[5], view[2] + across) if view[14] > HALF else (view[5] + across, view[2])
    return -above / rise if rise < np.float32(-1e-4) and above > ZERO else ZERO


@kernel(parallel=True)
def _add_lamps(view, depth, face, normals, reply, still, lamps, lamp_depths, run, out):
    """The set with the light of lamps: neighbours of one surface within a block share it."""
    height, width = depth.shape
    for p_ in prange(-(-height // run)):
        y0 = np.int64(p_) * run
        for x0 in range(0, width, run):
            lamps_of, red, green, blue = -2, ZERO, ZERO, ZERO
            for y in range(y0, min(y0 + run, height)):
                for x in range(x0, min(x0 + run, width)):
                    if reply[y, x, 0] + reply[y, x, 1] + reply[y, x, 2] <= ZERO:
                        for c in range(3):
                            out[y, x, c] = still[y, x, c]
                        continue
                    n = face[y, x]
                    if n != lamps_of:
                        lamps_of = n
                        u = (np.float32(x) + HALF) * np.float32(2.0) / np.float32(width) - ONE
                        v = ONE - (np.float32(y) + HALF) * np.float32(2.0) / np.float32(height)
                        ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
                        t = depth[y, x] / max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
                        nx, ny, nz = ZERO, ZERO, ONE
                        if n >= 0:
                            nx, ny, nz = normals[n, 0], normals[n, 1], normals[n, 2]
                            if nx * dx + ny * dy + nz * dz > ZERO:
                                nx, ny, nz = -nx, -ny, -nz
                        red, green, blue = _lamps_at(
                            lamps, lamp_depths, ox + t * dx, oy + t * dy, oz + t * dz, nx, ny, nz
                        )
                    out[y, x, 0] = still[y, x, 0] + reply[y, x, 0] * red
                    out[y, x, 1] = still[y, x, 1] + reply[y, x, 1] * green
                    out[y, x, 2] = still[y, x, 2] + reply[y, x, 2] * blue


@kernel(inline=True)
def _lamps_at(lamps, lamp_depths, x, y, z, nx, ny, nz):
    """What of all lamps' light a white surface throws back."""
    red, green, blue = ZERO, ZERO, ZERO
    for m in range(lamps.shape[0]):
        lx, ly, lz = lamps[m, 0] - x, lamps[m, 1] - y, lamps[m, 2] - z
        far = np.sqrt(lx * lx + ly * ly + lz * lz + np.float32(1e-9))
        facing = (nx * lx + ny * ly + nz * lz) / far
        to = max(facing, ZERO) / np.float32(3.14159265)
        if to > ZERO:
            to *= lamp_falls(lamps, m, x, y, z)
        if to > ZERO and m < lamp_depths.shape[0]:
            # off the surface by what a texel of the lamp's sight spans on it, more where that is slanted
            texel = np.float32(2.0) * far / np.float32(lamp_depths.shape[2])
            off = np.float32(2.5) * texel * np.sqrt(max(np.float32(1.0) - facing * facing, ZERO))
            to *= lamp_lit(lamp_depths[m], off * nx - lx, off * ny - ly, off * nz - lz)
        red += lamps[m, 3] * to
        green += lamps[m, 4] * to
        blue += lamps[m, 5] * to
    return red, green, blue


@dataclass(frozen=True)
class Backdrop:
    """Shaded props and ground: light that stays, sunlight that gas may dim, the share of light that comes
    back from each place, and depth with the ground in it."""

    still: np.ndarray
    direct: np.ndarray
    reply: np.ndarray
    depth: np.ndarray


def bounce_of(light: Light) -> np.ndarray:
    """Light that comes back from the ground to what looks down, (3,)."""
    towards = sun_direction(light.heading, light.height)
    share = sky_of(light).mean() / SKY_COLOUR.mean()
    found: np.ndarray = share * GROUND_COLOUR * (1.0 + 0.15 * light.strength * towards[2])
    return found


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
    share: int = 1,
) -> Backdrop:
    """Shade what `see` found, with ground at z = 0 where nothing else is; all that does not depend on the
    gas.

    `sky_seen`: what `sky_shadow` gave. Each triangle is shaded once for all pixels of it within a block of
    `share` x `share`, and those of one surface within blocks of `run` each way share what of the sky they
    see. For lamps see `lamplit`.
    """
    depth = surfaces.depth.copy()
    still, direct, reply = (np.empty((*depth.shape, 3), np.float32) for _ in range(3))
    towards = sun_direction(light.heading, light.height)
    sky = sky_of(light)
    bounce = bounce_of(light)
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
            share,
            run,
            backdrop_of(light),
            sky_seen.ways,
            sky_seen.views,
            sky_seen.depth,
            ground_tile(),
            still,
            direct,
            reply,
        )
    return lamplit(surfaces, view, Backdrop(still, direct, reply, depth), lamps, lamp_depths, run)


def lamplit(
    surfaces: Surfaces,
    view: View,
    bare: Backdrop,
    lamps: np.ndarray,
    lamp_depths: np.ndarray = NO_DEPTHS,
    run: int = 1,
) -> Backdrop:
    """A shaded set with the light of lamps in it.

    Parameters
    ----------
    lamps : rows as `tenka.look.lamps` has them
    lamp_depths : (m, 6, size, size) what `lamp_shadow` gave for the first of them, which cast shadows
    run : pixels of one surface within blocks of so many each way share the lamps' light
    """
    if not len(lamps):
        return bare
    still = np.empty_like(bare.still)
    with parallel_chunksize(max(1, 8 // run)):
        _add_lamps(
            view.packed(),
            bare.depth,
            surfaces.face,
            surfaces.normals,
            bare.reply,
            bare.still,
            np.ascontiguousarray(lamps, np.float32),
            lamp_depths,
            run,
            still,
        )
    return replace(bare, still=still)
