"""Marching rays through lit gas, front to back (Max 1995): straight sunlight scattered once, what was
scattered before from a coarse volume of it, flames and glow.

One kernel holds the whole of it, with all that a ray gathers in plain variables that are written once: calls
and arrays within the loop cost half of its time. It is made twice: whole, with what is emitted and how warm
it is apart, for packing; and as it is seen, in slices of depth.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.base.vector import make_lerp_channels
from tenka.look.colour import HEAT_SCALE, LUT, albedo_table, glow_at, glow_table
from tenka.look.rays import ONE, ZERO, box_span, exp_minus, phase_hg, ray_of
from tenka.look.surface import gloss_of, slope_at
from tenka.look.volume import BLOCK, EMPTY, LitVolume
from tenka.scene.cameras import View

ENOUGH = np.float32(0.003)
OUTPUTS = 8  # red, green, blue, alpha; emitted red, green, blue; temperature
SEEN = 4  # red, green, blue of all that comes, alpha

lerp_lit = make_lerp_channels(4, 4)
lerp_dye = make_lerp_channels(4, 4)
lerp_light = make_lerp_channels(4, 4)
FOUR_PI = np.float32(4.0 * np.pi)


def _make(apart: bool):
    """The kernel; `apart` keeps what is emitted, and its warmth, apart from what is scattered."""

    @kernel(parallel=True)
    def march_picture(
        view,
        width,
        height,
        window,
        places,
        edges,
        depth,
        origin,
        h,
        field4,
        light4,
        size,
        dye4,
        skip3,
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
        share,
        out,
    ):
        nx, ny, nz, _ = field4.shape
        mx, my, mz, _ = light4.shape
        field, light, dye, skip = field4.reshape(-1), light4.reshape(-1), dye4.reshape(-1), skip3.reshape(-1)
        bx, by, bz = np.int32(skip3.shape[0]), np.int32(skip3.shape[1]), np.int32(skip3.shape[2])
        sx, sy = (ny * nz * 4 if nx > 1 else 0), (nz * 4 if ny > 1 else 0)
        tx, ty = (my * mz * 4 if mx > 1 else 0), (mz * 4 if my > 1 else 0)
        stride, from_y, from_x = places[0], places[1], places[2]
        slices = edges.size - 1
        step = ONE / (params[4] * detail)
        extinction, per_density, strength, hides = params[0], params[1], params[3], params[8]
        blaze_of, flame_heat = params[5] * params[9], params[6]
        wet = params[10]
        strides = (sx, sy)
        burns, dyed, carried = params[5] > ZERO, dye.size > 4 and params[7] > ZERO, params[7]
        shrink, top, last = ONE / np.float32(size), np.float32(LUT - 1), np.int64(LUT - 1)
        half, empty, block = np.float32(0.5), np.float32(EMPTY), np.float32(BLOCK)
        heat_scale, has_depth = np.float32(HEAT_SCALE), depth.size > 0
        most_x, most_y, most_z = np.float32(nx - 1), np.float32(ny - 1), np.float32(nz - 1)
        last_x, last_y, last_z = max(nx - 2, 0), max(ny - 2, 0), max(nz - 2, 0)
        ends = (most_x, most_y, most_z, last_x, last_y, last_z, ny, nz)
        cell_x, cell_y, cell_z = np.float32(mx - 1), np.float32(my - 1), np.float32(mz - 1)
        end_x, end_y, end_z = max(mx - 2, 0), max(my - 2, 0), max(mz - 2, 0)
        kept_share = ONE - share
        rows = (window[3] - window[1] - from_y + stride - 1) // stride
        for p_ in prange(rows):
            j = window[1] + from_y + np.int64(p_) * stride
            for i in range(window[0] + from_x, window[2], stride):
                for s in range(slices):
                    for c in range(out.shape[3]):
                        out[s, j, i, c] = kept_share * out[s, j, i, c] if kept_share > ZERO else ZERO
                u = (np.float32(i) + half) * np.float32(2.0) / np.float32(width) - ONE
                v = ONE - (np.float32(j) + half) * np.float32(2.0) / np.float32(height)
                ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
                along = max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
                per_depth = ONE / along / h
                far_limit = depth[j, i] * per_depth if has_depth else np.float32(1e30)
                px, py, pz = (ox - origin[0]) / h, (oy - origin[1]) / h, (oz - origin[2]) / h
                near, far = box_span(px, py, pz, dx, dy, dz, low, high)
                near, far = max(near, edges[0] * per_depth), min(far, far_limit)
                if near >= far:
                    continue
                # the angle is that between the light's way and the ray back to the eye
                phase = phase_hg(dx * towards[0] + dy * towards[1] + dz * towards[2], params[2]) / FOUR_PI
                phase_of_one = max(phase * FOUR_PI, np.float32(1e-3))  # that of even scattering is 1
                sun_r, sun_g, sun_b = sun[0] * phase, sun[1] * phase, sun[2] * phase
                # a still, even-looking offset per pixel (Jimenez 2014) turns banding into fine grain
                jitter = np.float32(0.06711056) * np.float32(i) + np.float32(0.00583715) * np.float32(j)
                jitter = np.float32(52.9829189) * (jitter - np.floor(jitter)) + shift
                jitter -= np.floor(jitter)
                huge = np.float32(1e30)
                over_x = ONE / dx if abs(dx) > np.float32(1e-6) else huge
                over_y = ONE / dy if abs(dy) > np.float32(1e-6) else huge
                over_z = ONE / dz if abs(dz) > np.float32(1e-6) else huge
                red, green, blue = ZERO, ZERO, ZERO
                fire_r, fire_g, fire_b, warmth = ZERO, ZERO, ZERO, ZERO
                through, whole = ONE, ONE  # through this slice so far, and all of them
                now, border = 0, edges[1] * per_depth
                t = near  # where the segment begins; it is sampled at `jitter` of its length
                while t < far:
                    while t >= border and now < slices - 1:
                        out[now, j, i, 0] += share * (red + fire_r)
                        out[now, j, i, 1] += share * (green + fire_g)
                        out[now, j, i, 2] += share * (blue + fire_b)
                        out[now, j, i, 3] += share * (ONE - through)
                        red, green, blue, fire_r, fire_g, fire_b = ZERO, ZERO, ZERO, ZERO, ZERO, ZERO
                        now += 1
                        border = edges[now + 1] * per_depth
                        through = ONE
                    span = min(step, far - t)
                    if t < border:
                        span = min(span, border - t)
                    at = t + jitter * span
                    x, y, z = px + at * dx, py + at * dy, pz + at * dz
                    a = min(max(np.int32(x), np.int32(0)) >> 2, bx - 1)
                    b = min(max(np.int32(y), np.int32(0)) >> 2, by - 1)
                    c = min(max(np.int32(z), np.int32(0)) >> 2, bz - 1)
                    gap = skip[np.uint64((np.int64(a) * by + b) * bz + c)]
                    if gap > 0:
                        # leave this block, and as many more as are known to be empty
                        more = block * np.float32(gap - 1)
                        base_x, base_y, base_z = (
                            np.floor(x * np.float32(0.25)) * block,
                            np.floor(y * np.float32(0.25)) * block,
                            np.floor(z * np.float32(0.25)) * block,
                        )
                        out_x = base_x + block + more if dx > ZERO else base_x - more
                        out_y = base_y + block + more if dy > ZERO else base_y - more
                        out_z = base_z + block + more if dz > ZERO else base_z - more
                        reach = (out_x - x) * over_x if over_x < huge else huge
                        reach = min(reach, (out_y - y) * over_y if over_y < huge else huge)
                        reach = min(reach, (out_z - z) * over_z if over_z < huge else huge)
                        # whole segments, so that neighbours stay in step
                        t += (np.floor(max(reach, ZERO) / step) + ONE) * step
                        continue
                    # samples lie at voxel centres
                    qx = min(max(ZERO, x - half), most_x)
                    qy = min(max(ZERO, y - half), most_y)
                    qz = min(max(ZERO, z - half), most_z)
                    a2, b2, c2 = (
                        min(np.int64(qx), last_x),
                        min(np.int64(qy), last_y),
                        min(np.int64(qz), last_z),
                    )
                    at_cell = ((a2 * ny + b2) * nz + c2) * 4
                    wx, wy, wz = qx - np.float32(a2), qy - np.float32(b2), qz - np.float32(c2)
                    qs = (qx, qy, qz)
                    rho, to_sun, fire, heat = lerp_lit(field, at_cell, sx, sy, wx, wy, wz)
                    smoke = extinction * rho if rho > empty else ZERO
                    alight = burns and fire > empty
                    if smoke > ZERO or alight:
                        blaze = hides * fire if alight else ZERO
                        thick = (smoke + blaze) * span * h
                        kept = exp_minus(thick)
                        gone = through * (ONE - kept)
                        if alight:
                            # from within the segment
                            seen = (ONE - kept) / thick if thick > np.float32(1e-3) else ONE
                            bright = through * seen * blaze_of * fire * span * h
                            warm = heat * flame_heat * heat_scale
                            fire_r += bright * glow_at(flames, warm, 0)
                            fire_g += bright * glow_at(flames, warm, 1)
                            fire_b += bright * glow_at(flames, warm, 2)
                        if smoke > ZERO:
                            weight = gone * smoke / (smoke + blaze)
                            tone = np.uint64(max(min(np.int64(rho * per_density * top), last), 0))
                            # cells' values lie at their middles
                            qx = min(max(ZERO, x * shrink - half), cell_x)
                            qy = min(max(ZERO, y * shrink - half), cell_y)
                            qz = min(max(ZERO, z * shrink - half), cell_z)
                            a3, b3, c3 = (
                                min(np.int64(qx), end_x),
                                min(np.int64(qy), end_y),
                                min(np.int64(qz), end_z),
                            )
                            in_r, in_g, in_b, _ = lerp_light(
                                light,
                                ((a3 * my + b3) * mz + c3) * 4,
                                tx,
                                ty,
                                qx - np.float32(a3),
                                qy - np.float32(b3),
                                qz - np.float32(c3),
                            )
                            direct = exp_minus(to_sun)
                            c_r, c_g, c_b = colour[tone, 0], colour[tone, 1], colour[tone, 2]
                            if dyed:
                                dye_r, dye_g, dye_b, held = lerp_dye(dye, at_cell, sx, sy, wx, wy, wz)
                                if held > empty:
                                    of_own = carried * min(held / rho, ONE)
                                    much = top / held
                                    n_r = np.uint64(max(min(np.int64(dye_r * much), last), 0))
                                    n_g = np.uint64(max(min(np.int64(dye_g * much), last), 0))
                                    n_b = np.uint64(max(min(np.int64(dye_b * much), last), 0))
                                    c_r += of_own * (of_dye[n_r] - c_r)
                                    c_g += of_own * (of_dye[n_g] - c_g)
                                    c_b += of_own * (of_dye[n_b] - c_b)
                            if wet > ZERO:
                                # a surface, where density rises steeply: its normal is against that
                                gx, gy, gz = slope_at(field, qs, ends, strides)
                                steep = np.sqrt(gx * gx + gy * gy + gz * gz)
                                firm = wet * min(steep / max(rho, np.float32(1e-6)), ONE)
                                over = -ONE / max(steep, np.float32(1e-9))
                                gx, gy, gz = gx * over, gy * over, gz * over
                                facing = max(gx * towards[0] + gy * towards[1] + gz * towards[2], ZERO)
                                shines, mirrors = gloss_of(gx, gy, gz, dx, dy, dz, towards)
                                shines *= weight * firm * direct / FOUR_PI
                                mirrors *= weight * firm
                                red += shines * sun[0] + mirrors * in_r
                                green += shines * sun[1] + mirrors * in_g
                                blue += shines * sun[2] + mirrors * in_b
                                direct *= ONE - firm + firm * np.float32(4.0) * facing / phase_of_one
                            red += weight * c_r * (in_r + sun_r * direct)
                            green += weight * c_g * (in_g + sun_g * direct)
                            blue += weight * c_b * (in_b + sun_b * direct)
                            if strength > ZERO and heat > np.float32(300.0):
                                ember, embers = weight * strength, heat * heat_scale
                                fire_r += ember * glow_at(glow, embers, 0)
                                fire_g += ember * glow_at(glow, embers, 1)
                                fire_b += ember * glow_at(glow, embers, 2)
                        if apart:
                            warmth += gone * heat
                        through *= kept
                        whole *= kept
                        if whole < ENOUGH:
                            # as if the rest were like what was seen
                            rest = ONE / max(ONE - through, np.float32(1e-6))
                            red, green, blue = red * rest, green * rest, blue * rest
                            fire_r, fire_g, fire_b = fire_r * rest, fire_g * rest, fire_b * rest
                            warmth *= rest
                            through = ZERO
                            break
                    t += span
                if apart:
                    out[now, j, i, 0], out[now, j, i, 1], out[now, j, i, 2] = red, green, blue
                    out[now, j, i, 4], out[now, j, i, 5], out[now, j, i, 6] = fire_r, fire_g, fire_b
                    out[now, j, i, 7] = warmth
                else:
                    out[now, j, i, 0] += share * (red + fire_r)
                    out[now, j, i, 1] += share * (green + fire_g)
                    out[now, j, i, 2] += share * (blue + fire_b)
                out[now, j, i, 3] += share * (ONE - through)

    return march_picture


_whole, _seen = _make(True), _make(False)


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
    out = np.zeros((1, view.height, view.width, OUTPUTS), np.float32)
    _run(_whole, volume, view, np.array([0.0, 1e30]), depth, detail, 0.0, (1, 0, 0), 1.0, out)
    return out[0]


def march_between(volume: LitVolume, view: View, near: float, far: float) -> np.ndarray:
    """As `march`, of what lies between two distances along the view's forward alone, m."""
    out = np.zeros((1, view.height, view.width, OUTPUTS), np.float32)
    stops = np.full((view.height, view.width), far, np.float32)  # the last edge alone would be none
    _run(_whole, volume, view, np.array([near, far]), stops, 1.0, 0.0, (1, 0, 0), 1.0, out)
    return out[0]


def march_slices(
    volume: LitVolume,
    view: View,
    edges: np.ndarray,
    depth: np.ndarray | None = None,
    detail: float = 1.0,
    shift: float = 0.0,
    places: tuple[int, int, int] = (1, 0, 0),
    share: float = 1.0,
    out: np.ndarray | None = None,
) -> np.ndarray:
    """Draw a lit volume as it is seen, in slices of depth, in one pass: what lies between particles.

    Parameters
    ----------
    edges : (n + 1,) ascending distances along the view's forward, m
    shift : of a step, by which the samples lie further on: the mean over even shifts has no grain
    places : only every so manieth pixel each way, from this row and this column on
    share : how much of the result is new, where `out` holds what was drawn before
    out : where to write; what lies outside of `reached` is left as it is

    Returns
    -------
    (n, height, width, 4) float32: colour of all that comes from each slice alone (premultiplied, linear)
    and alpha; what is behind an opaque slice is left out
    """
    if out is None:
        out = np.zeros((len(edges) - 1, view.height, view.width, SEEN), np.float32)
    _run(_seen, volume, view, edges, depth, detail, shift, places, share, out)
    return out


def reached(volume: LitVolume, view: View) -> tuple[int, int, int, int]:
    """The pixels that a gas may be seen in: from x, from y, to x, to y."""
    low, high = (volume.origin + b * volume.voxel for b in (volume.low, volume.high))
    corners = np.array(
        [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
    )
    at = view.project(corners)
    if not view.orthographic and at[:, 2].min() <= 1e-3:
        return 0, 0, view.width, view.height
    (x0, y0), (x1, y1) = np.floor(at[:, :2].min(axis=0)), np.ceil(at[:, :2].max(axis=0))
    return (
        int(np.clip(x0 - 1, 0, view.width)),
        int(np.clip(y0 - 1, 0, view.height)),
        int(np.clip(x1 + 1, 0, view.width)),
        int(np.clip(y1 + 1, 0, view.height)),
    )


def _run(kernel_, volume, view, edges, depth, detail, shift, places, share, out):
    if volume.empty:
        return
    x0, y0, x1, y1 = reached(volume, view)
    stride, from_y, from_x = places
    window = np.array([x0 - x0 % stride, y0 - y0 % stride, x1, y1], np.int64)
    with parallel_chunksize(8):  # a range of rows is cut in halves otherwise, and one core waits
        kernel_(
            view.packed(),
            view.width,
            view.height,
            window,
            np.array(places, np.int64),
            np.asarray(edges, np.float32),
            depth if depth is not None else np.zeros((0, 0), np.float32),
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
            volume.flames,
            volume.around.sun.astype(np.float32),
            volume.towards,
            np.float32(detail),
            np.float32(shift),
            np.float32(share),
            out,
        )
