"""Marching rays through lit gas: emission, absorption, single scattering (Max 1995), front to back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vector import float_from_bits, lerp_field, make_lerp_channels
from tenka.cache.store import Frame
from tenka.effect.model import Light, Look
from tenka.look.colour import HOTTEST, LUT, black_body_colour, glow_table, ramp_table
from tenka.look.light import sky_depth, sun_depth
from tenka.scene.cameras import View, sun_direction

BLOCK = 4
EMPTY = 1e-4  # density under which a block is skipped
ENOUGH = np.float32(0.003)
SKY_SHARE = 0.25  # of the extinction, for light that comes from all round
SKY_COLOUR = np.array([0.86, 0.95, 1.12])
GROUND_COLOUR = np.array([0.30, 0.28, 0.26])
SUN_IN_GAS = np.float32(
    0.42
)  # sunlight scattered to the eye; a third would be one scattering, the rest stands for more
OUTPUTS = 8  # red, green, blue, alpha; emitted red, green, blue; temperature

ZERO = np.float32(0.0)
ONE = np.float32(1.0)

FLAME_SCALE = np.float32(
    6.0
)  # 1/m: light given off along a metre of flame, against that of an opaque surface

lerp_lit = make_lerp_channels(4, 4)
lerp_dye = make_lerp_channels(4, 4)


@dataclass(frozen=True)
class LitVolume:
    """A frame made ready for marching.

    Attributes
    ----------
    field : (nx, ny, nz, 4): density, depth to the sun, depth to the sky (both times extinction), temperature
    flame : (nx, ny, nz), or one voxel where nothing burns
    dye : (nx, ny, nz, 4) carried colour times density, and the density that carries it, or one voxel
    skip : blocks' distance in blocks to the next one that holds gas
    low, high : occupied box in voxels, (3,)
    """

    field: np.ndarray
    flame: np.ndarray
    dye: np.ndarray
    skip: np.ndarray
    low: np.ndarray
    high: np.ndarray
    origin: np.ndarray
    voxel: float
    colour: np.ndarray
    sun: np.ndarray
    sky: np.ndarray
    ground: np.ndarray
    towards: np.ndarray
    params: np.ndarray

    @property
    def empty(self) -> bool:
        return bool(np.any(self.high <= self.low))


@kernel(parallel=True)
def _assemble(rho, sun, sky, heat, sun_scale, sky_scale, out):
    nx, ny, nz = rho.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                out[i, j, k, 0] = rho[i, j, k]
                out[i, j, k, 1] = sun[i, j, k] * sun_scale
                out[i, j, k, 2] = sky[i, j, k] * sky_scale
                out[i, j, k, 3] = heat[i, j, k]


@kernel(parallel=True)
def _block_most(rho, out):
    nx, ny, nz = rho.shape
    mx, my, mz = out.shape
    for p_ in prange(mx):
        a = np.int64(p_)
        for b in range(my):
            for c in range(mz):
                most = ZERO
                # one voxel more on each side: a sample reads its neighbours
                for i in range(max(a * BLOCK - 1, 0), min(a * BLOCK + BLOCK + 1, nx)):
                    for j in range(max(b * BLOCK - 1, 0), min(b * BLOCK + BLOCK + 1, ny)):
                        for k in range(max(c * BLOCK - 1, 0), min(c * BLOCK + BLOCK + 1, nz)):
                            most = max(most, rho[i, j, k])
                out[a, b, c] = most


def light_volume(frame: Frame, look: Look, light: Light) -> LitVolume:
    """Light a frame: everything that does not depend on the camera."""
    rho = np.ascontiguousarray(frame.density, np.float32)
    heat = np.ascontiguousarray(frame.temperature, np.float32)
    towards = sun_direction(light.heading, light.height)
    blocks = np.empty([-(-n // BLOCK) for n in rho.shape], np.float32)
    flame = (
        np.zeros((1, 1, 1), np.float32)
        if frame.flame is None
        else np.ascontiguousarray(frame.flame, np.float32)
    )
    dye = (
        np.zeros((1, 1, 1, 4), np.float32)
        if frame.dye is None
        else np.ascontiguousarray(frame.dye, np.float32)
    )
    _block_most(rho, blocks)
    if flame.size > 1 and look.flame > 0:
        hot = np.empty_like(blocks)
        _block_most(flame, hot)
        np.maximum(blocks, hot, out=blocks)
    from scipy import ndimage  # loaded with the first picture rather than before the window

    full = blocks > EMPTY
    if full.any():
        skip = ndimage.distance_transform_cdt(~full, metric="chessboard").astype(np.int32)
        held = np.argwhere(full)
        low, high = held.min(axis=0) * BLOCK, np.minimum((held.max(axis=0) + 1) * BLOCK, rho.shape)
    else:
        skip, low, high = np.ones(blocks.shape, np.int32), np.zeros(3), np.zeros(3)
    field = np.zeros((*rho.shape, 4), np.float32)
    if full.any():
        depth = sun_depth(rho, frame.voxel, towards)
        sky = np.empty_like(rho)
        sky_depth(rho, frame.voxel, sky)
        shade = look.extinction * look.shadow
        _assemble(rho, depth, sky, heat, np.float32(shade), np.float32(shade * SKY_SHARE), field)
    sky_light = light.sky * SKY_COLOUR * look.ambient
    bounce = light.sky * GROUND_COLOUR * look.ambient * (1.0 + light.strength * 0.15 * towards[2])
    return LitVolume(
        field,
        flame,
        dye,
        skip,
        low.astype(np.float32),
        high.astype(np.float32),
        np.asarray(frame.origin, np.float64),
        frame.voxel,
        ramp_table(look.colour),
        (black_body_colour(light.kelvin) * light.strength).astype(np.float32),
        sky_light.astype(np.float32),
        bounce.astype(np.float32),
        towards.astype(np.float32),
        np.array(
            [
                look.extinction,
                1.0 / look.full_density,
                look.forward,
                look.glow,
                look.steps,
                look.flame,
                look.flame_heat,
                look.carried,
            ],
            np.float32,
        ),
    )


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
    flame,
    dye,
    shape,
    skip,
    low,
    high,
    h,
    params,
    phase,
    colour,
    glow,
    sun,
    sky,
    ground,
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
    burns, dyed = flame.size > 1 and params[5] > ZERO, dye.size > 4 and params[7] > ZERO
    block = np.float32(BLOCK)
    through, whole = ONE, ONE  # through this slice so far, and all of them
    now, border = 0, edges[1] * per_depth
    t = near  # where the segment begins; it is sampled at `jitter` of its length
    heat_scale = np.float32((LUT - 1) / (HOTTEST - 288.15))
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
        rho, to_sun, to_sky, heat = lerp_lit(field, at_cell * 4, sx, sy, wx, wy, wz)
        thick = extinction * rho * span * h
        kept = exp_minus(thick) if rho > np.float32(EMPTY) else ONE
        if burns:
            fire = lerp_field(flame, at_cell, sx // 4, sy // 4, wx, wy, wz)
            if fire > np.float32(EMPTY):
                # flames give light and hide nothing: their own soot is smoke, and is drawn as such
                warm = min(np.int64(heat * params[6] * heat_scale), LUT - 1)
                seen = (
                    (ONE - kept) / thick if thick > np.float32(1e-3) else ONE
                )  # through the segment's own smoke, on average
                bright = through * seen * params[5] * FLAME_SCALE * fire * span * h
                for n in range(3):
                    out[now, 4 + n] += bright * glow[max(warm, 0), n]
        if rho > np.float32(EMPTY):
            weight = through * (ONE - kept)
            tone = min(np.int64(rho * per_density * np.float32(LUT - 1)), LUT - 1)
            direct = SUN_IN_GAS * phase * sun_through(to_sun)
            open_sky = exp_minus(to_sky)
            tint, share = (ZERO, ZERO, ZERO), ZERO
            if dyed:
                red, green, blue, held = lerp_dye(dye, at_cell * 4, sx, sy, wx, wy, wz)
                if held > np.float32(EMPTY):
                    tint = (red / held, green / held, blue / held)
                    share = params[7] * min(held / rho, ONE)
            for n in range(3):
                tone_colour = colour[tone, n] + share * (tint[n] - colour[tone, n])
                out[now, n] += weight * tone_colour * (sun[n] * direct + sky[n] * open_sky + ground[n])
            if strength > ZERO and heat > np.float32(300.0):
                warm = min(np.int64(heat * heat_scale), LUT - 1)
                for n in range(3):
                    out[now, 4 + n] += weight * strength * glow[warm, n]
            out[now, 7] += weight * heat
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
    flame3,
    dye4,
    skip,
    low,
    high,
    params,
    colour,
    glow,
    sun,
    sky,
    ground,
    towards,
    detail,
    out,
):
    nx, ny, nz, _ = field4.shape
    field, flame, dye = field4.reshape(-1), flame3.reshape(-1), dye4.reshape(-1)
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
            jitter = noise - np.floor(noise)
            # the angle is that between the light's way and the ray back to the eye
            phase = phase_hg(dx * towards[0] + dy * towards[1] + dz * towards[2], params[2])
            ray = ((ox - origin[0]) / h, (oy - origin[1]) / h, (oz - origin[2]) / h, dx, dy, dz)
            _march(
                ray,
                edges,
                ONE / along / h,
                limit,
                field,
                flame,
                dye,
                (nx, ny, nz),
                skip,
                low,
                high,
                h,
                params,
                phase,
                colour,
                glow,
                sun,
                sky,
                ground,
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
    volume: LitVolume, view: View, edges: np.ndarray, depth: np.ndarray | None = None, detail: float = 1.0
) -> np.ndarray:
    """Draw a lit volume in slices of depth, in one pass: what lies between particles.

    Parameters
    ----------
    edges : (n + 1,) ascending distances along the view's forward, m

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
        volume.flame,
        volume.dye,
        volume.skip,
        volume.low,
        volume.high,
        volume.params,
        volume.colour,
        glow_table(),
        volume.sun,
        volume.sky,
        volume.ground,
        volume.towards,
        np.float32(detail),
        out,
    )
    return out
