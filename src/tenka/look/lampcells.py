"""Light that comes straight from lamps into a gas, by its coarse cells."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.look.lamps import lamp_falls
from tenka.look.scatter import Cells
from tenka.look.shadows import lamp_lit

ZERO = np.float32(0.0)
HALF = np.float32(0.5)
FOUR_PI = np.float32(4.0 * math.pi)


@kernel(parallel=True)
def _fill(dims, origin, edge, shadow, lamps, depths, out):
    mx, my, mz = out.shape[1:]
    for p_ in prange(mx):
        i = np.int64(p_)
        for j in range(my):
            for k in range(mz):
                x = origin[0] + edge * (np.float32(i) + HALF)
                y = origin[1] + edge * (np.float32(j) + HALF)
                z = origin[2] + edge * (np.float32(k) + HALF)
                for n in range(3):
                    out[n, i, j, k] = ZERO
                for m in range(lamps.shape[0]):
                    dx, dy, dz = lamps[m, 0] - x, lamps[m, 1] - y, lamps[m, 2] - z
                    comes = lamp_falls(lamps, m, x, y, z) / FOUR_PI
                    if comes > ZERO and m < depths.shape[0]:
                        comes *= lamp_lit(depths[m], -dx, -dy, -dz)
                    if comes <= ZERO:
                        continue
                    far = np.sqrt(dx * dx + dy * dy + dz * dz)
                    steps = max(np.int64(np.ceil(far / edge)), 1)
                    length = far / np.float32(steps)
                    ax, ay, az = (
                        dx / edge / np.float32(steps),
                        dy / edge / np.float32(steps),
                        dz / edge / np.float32(steps),
                    )
                    depth = ZERO
                    for s in range(steps):
                        way = np.float32(s) + HALF
                        a = np.int64(np.floor(np.float32(i) + HALF + way * ax))
                        b = np.int64(np.floor(np.float32(j) + HALF + way * ay))
                        c = np.int64(np.floor(np.float32(k) + HALF + way * az))
                        if a < 0 or b < 0 or c < 0 or a >= mx or b >= my or c >= mz:
                            break
                        depth += (shadow * dims[a, b, c, 0] + dims[a, b, c, 1]) * length
                        if depth > np.float32(12.0):
                            break
                    comes *= np.exp(-depth)
                    for n in range(3):
                        out[n, i, j, k] += lamps[m, 3 + n] * comes


def lamps_in_cells(
    cells: Cells, origin: object, edge: float, shadow: float, lamps: np.ndarray, depths: np.ndarray
) -> np.ndarray:
    """Mean radiance of what comes straight from lamps, dimmed by the gas on its way, (3, mx, my, mz).

    Parameters
    ----------
    edge : of a cell, m
    shadow : a factor on how much the smoke dims
    lamps, depths : as `tenka.look.volume.light_volume` takes them
    """
    out = np.empty((3, *cells.sunlit.shape), np.float32)
    f32 = np.float32
    _fill(
        cells.dims,
        np.asarray(origin, np.float32),
        f32(edge),
        f32(shadow),
        np.ascontiguousarray(lamps, np.float32),
        depths,
        out,
    )
    return out
