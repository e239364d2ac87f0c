"""A path-traced reference of our own, small and slow: what the stage's quick light is held against.

Unbiased but for its grid: delta tracking through the trilinear field (E. Woodcock et al. 1965), sunlight by
ratio tracking at every scattering (J. Novak, A. Selle & W. Jarosz 2014), directions by Henyey's and
Greenstein's phase function, up to 400 scatterings with Russian roulette. Flames take light away and give
it off.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.look.colour import HEAT_SCALE, LUT, albedo_table, flame_table, glow_at, glow_table
from tenka.look.rays import box_span, ray_of
from tenka.look.volume import LitVolume
from tenka.scene.cameras import View

ZERO, ONE, HALF = np.float32(0.0), np.float32(1.0), np.float32(0.5)
MOST = 400
PI = np.float32(np.pi)


@kernel
def _random(state):
    """The next number in [0, 1), and the state after it (PCG, M. O'Neill 2014)."""
    state = state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
    word = np.uint32(((state >> np.uint64(18)) ^ state) >> np.uint64(27))
    turn = np.uint32(state >> np.uint64(59))
    word = np.uint32((word >> turn) | (word << ((np.uint32(32) - turn) & np.uint32(31))))
    return np.float32(word) * np.float32(2.3283064e-10), state


@kernel
def _held(field, dye, x, y, z):
    """Density, temperature, flame, and the carried colour with what carries it, at a place in voxels."""
    nx, ny, nz = field.shape[:3]
    qx = min(max(x - HALF, ZERO), np.float32(nx - 1))
    qy = min(max(y - HALF, ZERO), np.float32(ny - 1))
    qz = min(max(z - HALF, ZERO), np.float32(nz - 1))
    a, b, c = min(np.int64(qx), nx - 2), min(np.int64(qy), ny - 2), min(np.int64(qz), nz - 2)
    f, g, e = qx - np.float32(a), qy - np.float32(b), qz - np.float32(c)
    rho, heat, fire = ZERO, ZERO, ZERO
    red, green, blue, bears = ZERO, ZERO, ZERO, ZERO
    dyed = dye.size > 4
    for i in range(2):
        for j in range(2):
            for k in range(2):
                w = (f if i else ONE - f) * (g if j else ONE - g) * (e if k else ONE - e)
                rho += w * field[a + i, b + j, c + k, 0]
                fire += w * field[a + i, b + j, c + k, 2]
                heat += w * field[a + i, b + j, c + k, 3]
                if dyed:
                    red += w * dye[a + i, b + j, c + k, 0]
                    green += w * dye[a + i, b + j, c + k, 1]
                    blue += w * dye[a + i, b + j, c + k, 2]
                    bears += w * dye[a + i, b + j, c + k, 3]
    return rho, heat, fire, red, green, blue, bears


@kernel
def _through(field, dye, x, y, z, d, low, high, extinction, hide, most, state):
    """Share of light that goes through, from a place in voxels along `d`; `most` per voxel."""
    near, far = box_span(x, y, z, d[0], d[1], d[2], low, high)
    t, share = max(near, ZERO), ONE
    while True:
        u, state = _random(state)
        t -= np.log(max(ONE - u, np.float32(1e-7))) / most
        if t >= far:
            return share, state
        rho, _, fire, _, _, _, _ = _held(field, dye, x + t * d[0], y + t * d[1], z + t * d[2])
        share *= ONE - (extinction * rho + hide * fire) / most
        if share < np.float32(1e-3):
            return ZERO, state


@kernel(parallel=True)
def _trace(
    view,
    width,
    height,
    field,
    dye,
    tints,
    of_dye,
    low,
    high,
    origin,
    h,
    params,
    glows,
    embers,
    sun,
    sky,
    ground,
    towards,
    most,
    count,
    seed,
    out,
):
    extinction, hide = params[0] * h, params[8] * h
    g = params[2]
    top = np.float32(LUT - 1)
    for p_ in prange(height):
        j = np.int64(p_)
        state = np.uint64(seed) * np.uint64(7919) + np.uint64(j) * np.uint64(104729) + np.uint64(12345)
        d, light = np.zeros(3, np.float32), np.zeros(3, np.float32)
        for i in range(width):
            for n in range(4):
                out[j, i, n] = ZERO
            for _ in range(count):
                r1, state = _random(state)
                r2, state = _random(state)
                u = (np.float32(i) + r1) * np.float32(2.0) / np.float32(width) - ONE
                v = ONE - (np.float32(j) + r2) * np.float32(2.0) / np.float32(height)
                ox, oy, oz, d[0], d[1], d[2] = ray_of(view, u, v)
                x, y, z = (ox - origin[0]) / h, (oy - origin[1]) / h, (oz - origin[2]) / h
                w0, w1, w2 = ONE, ONE, ONE
                light[:] = ZERO
                met = False
                for bounce in range(MOST):
                    near, far = box_span(x, y, z, d[0], d[1], d[2], low, high)
                    t = max(near, ZERO)
                    hit, rho, heat, fire = False, ZERO, ZERO, ZERO
                    tr, tg, tb, td = ZERO, ZERO, ZERO, ZERO
                    if near < far:
                        while True:
                            r1, state = _random(state)
                            t -= np.log(max(ONE - r1, np.float32(1e-7))) / most
                            if t >= far:
                                break
                            rho, heat, fire, tr, tg, tb, td = _held(
                                field, dye, x + t * d[0], y + t * d[1], z + t * d[2]
                            )
                            r1, state = _random(state)
                            total = extinction * rho + hide * fire
                            if r1 * most < total:
                                hit = True
                                break
                    if not hit:
                        if met:  # it left: the sky or the ground
                            if d[2] > ZERO:
                                light[0] += w0 * sky[0]
                                light[1] += w1 * sky[1]
                                light[2] += w2 * sky[2]
                            else:
                                s = (origin[2] / h + z) / max(-d[2], np.float32(1e-6))
                                clear, state = _through(
                                    field,
                                    dye,
                                    x + s * d[0],
                                    y + s * d[1],
                                    z + s * d[2],
                                    towards,
                                    low,
                                    high,
                                    extinction,
                                    hide,
                                    most,
                                    state,
                                )
                                for n in range(3):
                                    w = w0 if n == 0 else (w1 if n == 1 else w2)
                                    light[n] += w * (ground[0, n] + clear * (ground[1, n] - ground[0, n]))
                        break
                    met = True
                    x, y, z = x + t * d[0], y + t * d[1], z + t * d[2]
                    r1, state = _random(state)
                    if r1 * (extinction * rho + hide * fire) < hide * fire:  # in a flame: it ends
                        warm = heat * params[6] * np.float32(HEAT_SCALE)
                        for n in range(3):
                            w = w0 if n == 0 else (w1 if n == 1 else w2)
                            light[n] += w * params[5] * params[9] / params[8] * glow_at(glows, warm, n)
                        break
                    if params[3] > ZERO and heat > np.float32(300.0):
                        for n in range(3):
                            w = w0 if n == 0 else (w1 if n == 1 else w2)
                            light[n] += w * params[3] * glow_at(embers, heat * np.float32(HEAT_SCALE), n)
                    tone = min(np.int64(rho * params[1] * top), LUT - 1)
                    a0, a1, a2 = tints[tone, 0], tints[tone, 1], tints[tone, 2]
                    if params[7] > ZERO and td > np.float32(1e-4):
                        share = params[7] * min(td / rho, ONE)
                        a0 += share * (of_dye[min(np.int64(tr / td * top), LUT - 1)] - a0)
                        a1 += share * (of_dye[min(np.int64(tg / td * top), LUT - 1)] - a1)
                        a2 += share * (of_dye[min(np.int64(tb / td * top), LUT - 1)] - a2)
                    w0, w1, w2 = w0 * a0, w1 * a1, w2 * a2
                    clear, state = _through(
                        field, dye, x, y, z, towards, low, high, extinction, hide, most, state
                    )
                    c = d[0] * towards[0] + d[1] * towards[1] + d[2] * towards[2]
                    den = ONE + g * g - np.float32(2.0) * g * c
                    phase = (ONE - g * g) / (den * np.sqrt(den)) / (np.float32(4.0) * PI)
                    light[0] += w0 * sun[0] * clear * phase
                    light[1] += w1 * sun[1] * clear * phase
                    light[2] += w2 * sun[2] * clear * phase
                    if bounce > 8:
                        r1, state = _random(state)
                        keep = min(max(w0, max(w1, w2)), np.float32(0.97))
                        if r1 >= keep:
                            break
                        w0, w1, w2 = w0 / keep, w1 / keep, w2 / keep
                    r1, state = _random(state)
                    r2, state = _random(state)
                    if abs(g) < np.float32(1e-3):
                        c = ONE - np.float32(2.0) * r1
                    else:
                        s = (ONE - g * g) / (ONE - g + np.float32(2.0) * g * r1)
                        c = (ONE + g * g - s * s) / (np.float32(2.0) * g)
                    s = np.sqrt(max(ONE - c * c, ZERO))
                    a = np.float32(2.0) * PI * r2
                    # a frame round the old direction
                    if abs(d[2]) < np.float32(0.999):
                        k = ONE / np.sqrt(d[0] * d[0] + d[1] * d[1])
                        e0, e1, e2 = -d[1] * k, d[0] * k, ZERO
                    else:
                        e0, e1, e2 = ONE, ZERO, ZERO
                    f0, f1, f2 = (d[1] * e2 - d[2] * e1, d[2] * e0 - d[0] * e2, d[0] * e1 - d[1] * e0)
                    ca, sa = s * np.cos(a), s * np.sin(a)
                    n0, n1, n2 = (
                        c * d[0] + ca * e0 + sa * f0,
                        c * d[1] + ca * e1 + sa * f1,
                        c * d[2] + ca * e2 + sa * f2,
                    )
                    k = ONE / np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
                    d[0], d[1], d[2] = n0 * k, n1 * k, n2 * k
                for n in range(3):
                    out[j, i, n] += light[n]
                if met:
                    out[j, i, 3] += ONE
            for n in range(4):
                out[j, i, n] /= np.float32(count)


def traced(volume: LitVolume, view: View, count: int = 256, seed: int = 1) -> np.ndarray:
    """Light from a gas and its cover, (height, width, 4) premultiplied, by `count` paths a pixel."""
    out = np.zeros((view.height, view.width, 4), np.float32)
    most = volume.voxel * float(
        (volume.params[0] * volume.field[..., 0] + volume.params[8] * volume.field[..., 2]).max()
    )
    around = volume.around
    _trace(
        view.packed(),
        view.width,
        view.height,
        volume.field,
        volume.dye,
        volume.colour,
        albedo_table(),
        volume.low,
        volume.high,
        volume.origin.astype(np.float32),
        np.float32(volume.voxel),
        volume.params,
        flame_table(),
        glow_table(),
        around.sun.astype(np.float32),
        around.sky.astype(np.float32),
        np.stack([around.shade, around.ground]).astype(np.float32),
        volume.towards,
        np.float32(max(most, 1e-6)),
        count,
        seed,
        out,
    )
    return out
