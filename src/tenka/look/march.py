"""Marching rays through lit gas, front to back (Max 1995): straight sunlight scattered once, what was
scattered before from a coarse volume of it, flames and glow."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vector import float_from_bits, make_lerp_channels
from tenka.look.colour import HEAT_SCALE, LUT, albedo_table, flame_table, glow_at, glow_table
from tenka.look.volume import BLOCK, EMPTY, LitVolume
from tenka.scene.cameras import View

ENOUGH = np.float32(0.003)
OUTPUTS = 8  # red, green, blue, alpha; emitted red, green, blue; temperature

ZERO = np.float32(0.0)
ONE = np.float32(1.0)


lerp_lit = make_lerp_channels(4, 4)
lerp_dye = make_lerp_channels(4, 4)
lerp_light = make_lerp_channels(4, 4)
FOUR_PI = np.float32(4.0 * np.pi)


@kernel
def exp_minus(x):
    """exp(-x) for x >= 0, to a few millionths of the value: a power of two by its bits times a polynomial."""
    y = min(x, np.float32(80.0)) * np.float32(-1.4426950409)
    n = np.floor(y)
    f = y - n
    p = np.float32(0.05582631) + f * (np.float32(0.00898934) + f * np.float32(0.00187757))
    p = ONE + f * (np.float32(0.69315308) + f * (np.float32(0.24015361) + f * p))
    return p * float_from_bits(np.int32((np.int32(n) + np.int32(127)) << np.int32(23)))


@kernel
def sun_through(depth):
    """Sunlight that arrives through an optical depth: what is straight, and what is scattered forward to
    it."""
    return np.float32(0.7) * exp_minus(depth) + np.float32(0.3) * exp_minus(np.float32(0.22) * depth)


@kernel
def phase_hg(cosine, g):
    """Henyey-Greenstein's phase function against that of even scattering."""
    d = ONE + g * g - np.float32(2.0) * g * cosine
    return (ONE - g * g) / (d * np.sqrt(d))


@kernel
def box_span(px, py, pz, dx, dy, dz, low, high):
    """Where a ray enters and leaves a box; the entry is after the exit when it misses."""
    near, far = np.float32(-1e30), np.float32(1e30)
    for axis in range(3):
        p = px if axis == 0 else (py if axis == 1 else pz)
        d = dx if axis == 0 else (dy if axis == 1 else dz)
        if abs(d) < np.float32(1e-12):
            if p < low[axis] or p > high[axis]:
                return ONE, ZERO
        else:
            a, b = (low[axis] - p) / d, (high[axis] - p) / d
            near, far = max(near, min(a, b)), min(far, max(a, b))
    return near, far


@kernel
def ray_of(view, u, v):
    """Start and unit direction of a ray at picture coordinates in [-1, 1] (v up); see View.packed."""
    x, y = u * view[12], v * view[13]
    if view[14] > np.float32(0.5):
        return (
            view[0] + x * view[6] + y * view[9],
            view[1] + x * view[7] + y * view[10],
            view[2] + x * view[8] + y * view[11],
            view[3],
            view[4],
            view[5],
        )
    dx = view[3] + x * view[6] + y * view[9]
    dy = view[4] + x * view[7] + y * view[10]
    dz = view[5] + x * view[8] + y * view[11]
    n = ONE / np.sqrt(dx * dx + dy * dy + dz * dz)
    return view[0], view[1], view[2], dx * n, dy * n, dz * n


@kernel
def _march(
    ray,
    edges,
    per_depth,
    far_limit,
    field,
    light,
    cells,
    dye,
    shape,
    skip,
    low,
    high,
    h,
    params,
    phase,
    colour,
    of_dye,
    glow,
    flames,
    sun,
    jitter,
    detail,
    out,
):
    """One ray in voxel coordinates, in slices of depth between `edges` (times `per_depth` along the ray);
    fills `out` (slices, OUTPUTS), each slice alone."""
    px, py, pz, dx, dy, dz = ray
    nx, ny, nz = shape
    slices = edges.size - 1
    for s in range(slices):
        for c in range(OUTPUTS):
            out[s, c] = ZERO
    near, far = box_span(px, py, pz, dx, dy, dz, low, high)
    near, far = max(near, edges[0] * per_depth), min(far, far_limit)
    if near >= far:
        return
    step = ONE / (params[4] * detail)
    extinction, per_density, strength = params[0], params[1], params[3]
    sx, sy = (ny * nz * 4 if nx > 1 else 0), (nz * 4 if ny > 1 else 0)
    burns, dyed = params[5] > ZERO, dye.size > 4 and params[7] > ZERO
    mx, my, mz, size = cells
    tx, ty = (my * mz * 4 if mx > 1 else 0), (mz * 4 if my > 1 else 0)
    shrink, top = ONE / np.float32(size), np.float32(LUT - 1)
    block = np.float32(BLOCK)
    through, whole = ONE, ONE  # through this slice so far, and all of them
    now, border = 0, edges[1] * per_depth
    t = near  # where the segment begins; it is sampled at `jitter` of its length
    heat_scale = np.float32(HEAT_SCALE)
    while t < far:
        while t >= border and now < slices - 1:
            out[now, 3] = ONE - through
            now += 1
            border = edges[now + 1] * per_depth
            through = ONE
        span = min(step, far - t)
        if t < border:
            span = min(span, border - t)
        at = t + jitter * span
        x, y, z = px + at * dx, py + at * dy, pz + at * dz
        a = min(max(np.int64(x), 0), nx - 1)
        b = min(max(np.int64(y), 0), ny - 1)
        c = min(max(np.int64(z), 0), nz - 1)
        gap = skip[a // BLOCK, b // BLOCK, c // BLOCK]
        if gap > 0:
            # leave this block, and as many more as are known to be empty
            reach = np.float32(1e30)
            for axis in range(3):
                p = x if axis == 0 else (y if axis == 1 else z)
                d = dx if axis == 0 else (dy if axis == 1 else dz)
                base = np.floor(p / block) * block
                if d > np.float32(1e-6):
                    reach = min(reach, (base + block * np.float32(gap) - p) / d)
                elif d < np.float32(-1e-6):
                    reach = min(reach, (base - block * np.float32(gap - 1) - p) / d)
            t += (np.floor(reach / step) + ONE) * step  # whole segments, so that neighbours stay in step
            continue
        # samples lie at voxel centres
        qx = min(max(x - np.float32(0.5), ZERO), np.float32(nx - 1))
        qy = min(max(y - np.float32(0.5), ZERO), np.float32(ny - 1))
        qz = min(max(z - np.float32(0.5), ZERO), np.float32(nz - 1))
        a, b, c = (
            max(min(np.int64(qx), nx - 2), 0),
            max(min(np.int64(qy), ny - 2), 0),
            min(np.int64(qz), nz - 2),
        )
        at_cell, wx, wy, wz = (
            (a * ny + b) * nz + c,
            qx - np.float32(a),
            qy - np.float32(b),
            qz - np.float32(c),
        )
        rho, to_sun, fire, heat = lerp_lit(field, at_cell * 4, sx, sy, wx, wy, wz)
        smoke = extinction * rho if rho > np.float32(EMPTY) else ZERO
        blaze = params[8] * fire if burns and fire > np.float32(EMPTY) else ZERO
        if smoke > ZERO or (burns and fire > np.float32(EMPTY)):
            thick = (smoke + blaze) * span * h
            kept = exp_minus(thick)
            gone = through * (ONE - kept)
            if burns and fire > np.float32(EMPTY):
                warm = heat * params[6] * heat_scale
                seen = (ONE - kept) / thick if thick > np.float32(1e-3) else ONE  # from within the segment
                bright = through * seen * params[5] * params[9] * fire * span * h
                for n in range(3):
                    out[now, 4 + n] += bright * glow_at(flames, warm, n)
            if smoke > ZERO:
                weight = gone * smoke / (smoke + blaze)
                tone = min(np.int64(rho * per_density * top), LUT - 1)
                # cells' values lie at their middles
                qx = min(max(x * shrink - np.float32(0.5), ZERO), np.float32(mx - 1))
                qy = min(max(y * shrink - np.float32(0.5), ZERO), np.float32(my - 1))
                qz = min(max(z * shrink - np.float32(0.5), ZERO), np.float32(mz - 1))
                a, b, c = (
                    max(min(np.int64(qx), mx - 2), 0),
                    max(min(np.int64(qy), my - 2), 0),
                    min(np.int64(qz), mz - 2),
                )
                red, green, blue, _ = lerp_light(
                    light,
                    ((a * my + b) * mz + c) * 4,
                    tx,
                    ty,
                    qx - np.float32(a),
                    qy - np.float32(b),
                    qz - np.float32(c),
                )
                direct = phase * exp_minus(to_sun)
                came = (red + sun[0] * direct, green + sun[1] * direct, blue + sun[2] * direct)
                tint, share = (ZERO, ZERO, ZERO), ZERO
                if dyed:
                    red, green, blue, held = lerp_dye(dye, at_cell * 4, sx, sy, wx, wy, wz)
                    if held > np.float32(EMPTY):
                        tint = (
                            of_dye[min(np.int64(red / held * top), LUT - 1)],
                            of_dye[min(np.int64(green / held * top), LUT - 1)],
                            of_dye[min(np.int64(blue / held * top), LUT - 1)],
                        )
                        share = params[7] * min(held / rho, ONE)
                for n in range(3):
                    out[now, n] += weight * (colour[tone, n] + share * (tint[n] - colour[tone, n])) * came[n]
                if strength > ZERO and heat > np.float32(300.0):
                    for n in range(3):
                        out[now, 4 + n] += weight * strength * glow_at(glow, heat * heat_scale, n)
            out[now, 7] += gone * heat
            through *= kept
            whole *= kept
            if whole < ENOUGH:
                for n in range(OUTPUTS):  # as if the rest were like what was seen
                    out[now, n] /= max(ONE - through, np.float32(1e-6))
                through = ZERO
                break
        t += span
    out[now, 3] = ONE - through


@kernel(parallel=True)
def _march_picture(
    view,
    width,
    height,
    edges,
    depth,
    has_depth,
    origin,
    h,
    field4,
    light4,
    size,
    dye4,
    skip,
    low,
    high,
    params,
    colour,
    of_dye,
    glow,
    flames,
    sun,
    towards,
    detail,
    shift,
    out,
):
    nx, ny, nz, _ = field4.shape
    mx, my, mz, _ = light4.shape
    field, light, dye = field4.reshape(-1), light4.reshape(-1), dye4.reshape(-1)
    for p_ in prange(height):
        j = np.int64(p_)
        for i in range(width):
            u = (np.float32(i) + np.float32(0.5)) * np.float32(2.0) / np.float32(width) - ONE
            v = ONE - (np.float32(j) + np.float32(0.5)) * np.float32(2.0) / np.float32(height)
            ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
            limit = np.float32(1e30)
            along = max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
            if has_depth:
                limit = depth[j, i] / along / h
            # a still, even-looking offset per pixel (Jimenez 2014) turns banding into fine grain
            noise = np.float32(52.9829189) * (
                (np.float32(0.06711056) * np.float32(i) + np.float32(0.00583715) * np.float32(j)) % ONE
            )
            noise += shift
            jitter = noise - np.floor(noise)
            # the angle is that between the light's way and the ray back to the eye
            phase = phase_hg(dx * towards[0] + dy * towards[1] + dz * towards[2], params[2]) / FOUR_PI
            ray = ((ox - origin[0]) / h, (oy - origin[1]) / h, (oz - origin[2]) / h, dx, dy, dz)
            _march(
                ray,
                edges,
                ONE / along / h,
                limit,
                field,
                light,
                (mx, my, mz, size),
                dye,
                (nx, ny, nz),
                skip,
                low,
                high,
                h,
                params,
                phase,
                colour,
                of_dye,
                glow,
                flames,
                sun,
                jitter,
                detail,
                out[j, i],
            )


def march(volume: LitVolume, view: View, depth: np.ndarray | None = None, detail: float = 1.0) -> np.ndarray:
    """Draw a lit volume.

    Parameters
    ----------
    depth : (height, width) distance along the view's forward at which rays stop, in m
    detail : factor on the look's samples per voxel

    Returns
    -------
    (height, width, 8) float32: scattered colour (premultiplied, linear), alpha, emitted colour, and the
    seen temperature above the air weighted by alpha (K)
    """
    return march_slices(volume, view, np.array([0.0, 1e30]), depth, detail)[:, :, 0]


def march_slices(
    volume: LitVolume,
    view: View,
    edges: np.ndarray,
    depth: np.ndarray | None = None,
    detail: float = 1.0,
    shift: float = 0.0,
) -> np.ndarray:
    """Draw a lit volume in slices of depth, in one pass: what lies between particles.

    Parameters
    ----------
    edges : (n + 1,) ascending distances along the view's forward, m
    shift : of a step, by which the samples lie further on: the mean over even shifts has no grain

    Returns
    -------
    (height, width, n, 8) float32, each slice as `march` gives the whole; what is behind an opaque slice is
    left out
    """
    out = np.zeros((view.height, view.width, len(edges) - 1, OUTPUTS), np.float32)
    if volume.empty:
        return out
    stops = depth if depth is not None else np.zeros((1, 1), np.float32)
    _march_picture(
        view.packed(),
        view.width,
        view.height,
        np.asarray(edges, np.float32),
        stops,
        depth is not None,
        volume.origin.astype(np.float32),
        np.float32(volume.voxel),
        volume.field,
        volume.light,
        volume.cell,
        volume.dye,
        volume.skip,
        volume.low,
        volume.high,
        volume.params,
        volume.colour,
        albedo_table(),
        glow_table(),
        flame_table(),
        volume.around.sun.astype(np.float32),
        volume.towards,
        np.float32(detail),
        np.float32(shift),
        out,
    )
    return out
