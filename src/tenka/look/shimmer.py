"""Heat bends light: what lies behind hot air is seen a little beside its place.

The air's index of refraction is above 1 by about 2.7e-4, and by less where it is hot (Gladstone and Dale
1863). Light turns towards the cold side: a ray's angle is the slope of the missing index summed along it, and
it meets what lies behind at that angle times the distance.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vector import make_lerp_channels
from tenka.look.march import reached
from tenka.look.rays import ONE, ZERO, box_span, ray_of
from tenka.look.volume import LitVolume
from tenka.scene.cameras import View

EVERY = 4  # px between the rays that are summed
STEP = np.float32(1.5)  # voxels
INDEX = np.float32(2.7e-4)
AIR = np.float32(288.0)
FARTHEST = np.float32(40.0)  # m behind the heat, where a sky is taken to lie
HALF = np.float32(0.5)
lerp_heat = make_lerp_channels(4, 4)


@kernel(parallel=True)
def _columns(view, width, height, window, depth, origin, h, field4, low, high, out):
    """What the index of refraction lacks, summed along each ray (m), and the mean depth of that."""
    nx, ny, nz, _ = field4.shape
    field = field4.reshape(-1)
    sx, sy = (ny * nz * 4 if nx > 1 else 0), (nz * 4 if ny > 1 else 0)
    for p_ in prange(out.shape[0]):
        row = np.int64(p_)
        j = window[1] + row * EVERY
        for column in range(out.shape[1]):
            i = window[0] + column * EVERY
            out[row, column, 0], out[row, column, 1] = ZERO, ONE
            u = (np.float32(i) + HALF) * np.float32(2.0) / np.float32(width) - ONE
            v = ONE - (np.float32(j) + HALF) * np.float32(2.0) / np.float32(height)
            ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
            along = max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
            px, py, pz = (ox - origin[0]) / h, (oy - origin[1]) / h, (oz - origin[2]) / h
            near, far = box_span(px, py, pz, dx, dy, dz, low, high)
            stop = depth[min(j, height - 1), min(i, width - 1)] / along / h
            near, far = max(near, ZERO), min(far, stop)
            total, moment, t = ZERO, ZERO, near + HALF * STEP
            while t < far:
                x = min(max(ZERO, px + t * dx - HALF), np.float32(nx - 1))
                y = min(max(ZERO, py + t * dy - HALF), np.float32(ny - 1))
                z = min(max(ZERO, pz + t * dz - HALF), np.float32(nz - 1))
                a, b, c = (
                    min(np.int64(x), max(nx - 2, 0)),
                    min(np.int64(y), max(ny - 2, 0)),
                    min(np.int64(z), nz - 2),
                )
                _, _, _, heat = lerp_heat(
                    field,
                    ((a * ny + b) * nz + c) * 4,
                    sx,
                    sy,
                    x - np.float32(a),
                    y - np.float32(b),
                    z - np.float32(c),
                )
                if heat > ZERO:
                    lacks = INDEX * heat / (AIR + heat) * STEP * h
                    total += lacks
                    moment += lacks * t * h * along
                t += STEP
            out[row, column, 0] = total
            out[row, column, 1] = moment / total if total > ZERO else ONE


@kernel
def _column_at(columns, x, y, n):
    rows, across, _ = columns.shape
    x, y = min(max(ZERO, x), np.float32(across - 1)), min(max(ZERO, y), np.float32(rows - 1))
    a, b = np.int64(x), np.int64(y)
    c, d = min(a + 1, across - 1), min(b + 1, rows - 1)
    f, g = x - np.float32(a), y - np.float32(b)
    top = (ONE - f) * columns[b, a, n] + f * columns[b, c, n]
    foot = (ONE - f) * columns[d, a, n] + f * columns[d, c, n]
    return (ONE - g) * top + g * foot


@kernel(parallel=True)
def _bend(picture, columns, window, depth, per_radian, tangent, strength, out):
    height, width, _ = picture.shape
    over = ONE / np.float32(EVERY)
    for p_ in prange(max(window[3] - window[1], 0)):
        j = window[1] + np.int64(p_)
        y = np.float32(j - window[1]) * over
        for i in range(window[0], window[2]):
            x = np.float32(i - window[0]) * over
            right, left = _column_at(columns, x + HALF, y, 0), _column_at(columns, x - HALF, y, 0)
            below, above = _column_at(columns, x, y + HALF, 0), _column_at(columns, x, y - HALF, 0)
            if right == left and below == above:
                continue
            at = _column_at(columns, x, y, 1)
            pixel = tangent * at / per_radian if tangent > ZERO else ONE / per_radian  # m, where the heat is
            behind = min(max(ZERO, depth[j, i] - at), FARTHEST)
            # the angle, times how far behind it the set lies, in pixels of the set
            size = max(
                tangent * (at + behind) / per_radian if tangent > ZERO else ONE / per_radian, np.float32(1e-9)
            )
            bends = behind * strength / (np.float32(EVERY) * pixel) / size
            u = min(max(ZERO, np.float32(i) - (right - left) * bends), np.float32(width - 1))
            v = min(max(ZERO, np.float32(j) - (below - above) * bends), np.float32(height - 1))
            a, b = min(np.int64(u), width - 2), min(np.int64(v), height - 2)
            f, g = u - np.float32(a), v - np.float32(b)
            for n in range(3):
                top = (ONE - f) * picture[b, a, n] + f * picture[b, a + 1, n]
                foot = (ONE - f) * picture[b + 1, a, n] + f * picture[b + 1, a + 1, n]
                out[j, i, n] = (ONE - g) * top + g * foot


def bent(
    picture: np.ndarray, volume: LitVolume, view: View, depth: np.ndarray, strength: float
) -> np.ndarray:
    """A picture of the set as it is seen through a gas's heat.

    Parameters
    ----------
    picture : (h, w, 3) linear light
    depth : (h, w) of the set, m
    strength : how many times as strongly as air the heat bends light

    Returns
    -------
    (h, w, 3), a picture of its own
    """
    out = picture.copy()
    window = np.array(reached(volume, view), np.int64)
    rows, across = (int(-(-(window[n + 2] - window[n]) // EVERY)) + 1 for n in (1, 0))
    if strength <= 0 or rows <= 1 or across <= 1:
        return out
    columns = np.empty((rows, across, 2), np.float32)
    _columns(
        view.packed(),
        view.width,
        view.height,
        window,
        depth,
        volume.origin.astype(np.float32),
        np.float32(volume.voxel),
        volume.field,
        volume.low,
        volume.high,
        columns,
    )
    tangent = 0.0 if view.orthographic else 1.0
    per = view.height / (2.0 * view.half_height)  # px a unit of tangent, or a metre
    _bend(picture, columns, window, depth, np.float32(per), np.float32(tangent), np.float32(strength), out)
    return out


def bends_of(volume: LitVolume, view: View) -> np.ndarray:
    """By which angles a gas of air's own index turns light at each pixel of an orthographic view, (h, w, 2)
    rad: to the right and down, of rays that go away from the camera."""
    h, w = view.height, view.width
    if volume.empty:
        return np.zeros((h, w, 2), np.float32)
    fine = view.sized(w * EVERY, h * EVERY)
    far = np.full((fine.height, fine.width), 1e9, np.float32)
    columns = np.zeros((h, w, 2), np.float32)
    _columns(
        fine.packed(),
        fine.width,
        fine.height,
        np.array([0, 0, fine.width, fine.height], np.int64),
        far,
        volume.origin.astype(np.float32),
        np.float32(volume.voxel),
        volume.field,
        volume.low,
        volume.high,
        columns,
    )
    pixel = 2.0 * view.half_height / h  # m
    down, right = np.gradient(columns[..., 0], pixel)
    return np.stack([right, down], axis=2).astype(np.float32)
