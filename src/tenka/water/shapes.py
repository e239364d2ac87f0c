"""What a mesh is to the water: how low and how high it reaches over each place, seen from above."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter

from tenka.base.jit import kernel
from tenka.water.basin import Basin

FINE = 2.0  # places of a profile in a cell, at least
THIN = 6.0  # places across the thinnest side of what is thinner
FINEST = 8.0  # places in a cell, at most
MOST_PLACES = 1200  # along a side
FAR = np.float32(1e9)


@dataclass(frozen=True, eq=False)
class Profile:
    """Lowest and highest points of a mesh on a raster seen from above, in axes of its own heading.

    Attributes
    ----------
    low, high : (nu, nv) m; FAR and -FAR where it does not reach
    first : of the middle of the first place, m
    step : between places, m
    """

    low: np.ndarray
    high: np.ndarray
    first: tuple[float, float]
    step: float

    def thickness(self, z: float, level: float, floor: float) -> np.ndarray:
        """How much of a column of water between a floor and a level it takes up, standing at `z`, m."""
        found = np.minimum(self.high + np.float32(z), np.float32(level))
        found -= np.maximum(self.low + np.float32(z), np.float32(floor))
        return np.maximum(found, np.float32(0.0))


def profile_of(corners: np.ndarray, cell: float, margin: float = 0.0) -> Profile:
    """A mesh's profile.

    Parameters
    ----------
    corners : (n, 3, 3) m, of its triangles, turned by all but its heading
    cell : of the water that it meets, m; margin : room left round it, m
    """
    points = corners.reshape(-1, 3)
    low, high = points[:, :2].min(axis=0), points[:, :2].max(axis=0)
    thinnest = float((high - low).min())
    step = min(cell / FINE, max(thinnest / THIN, cell / FINEST))
    step = max(step, float((high - low).max() + 2 * margin) / MOST_PLACES)
    pad = margin + 2 * step
    shape = tuple(math.ceil(float(s + 2 * pad) / step) + 1 for s in high - low)
    lows, highs = np.full(shape, FAR, np.float32), np.full(shape, -FAR, np.float32)
    # even about the middle: what is alike on both sides is so to the water
    middle = 0.5 * (low + high)
    first = tuple(float(m) - 0.5 * (n - 1) * step for m, n in zip(middle, shape))
    _rastered(corners.astype(np.float64), first[0], first[1], step, lows, highs)
    return Profile(lows, highs, (first[0], first[1]), step)


@kernel
def _rastered(corners, first_x, first_y, step, lows, highs):
    """Heights of all triangles over the places that they cover; of upright ones that of their edges."""
    nu, nv = lows.shape
    for n in range(corners.shape[0]):
        ax, ay, az = corners[n, 0]
        bx, by, bz = corners[n, 1]
        cx, cy, cz = corners[n, 2]
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) > 1e-4 * step * step:
            i0 = max(math.floor((min(ax, bx, cx) - first_x) / step), 0)
            i1 = min(math.ceil((max(ax, bx, cx) - first_x) / step), nu - 1)
            j0 = max(math.floor((min(ay, by, cy) - first_y) / step), 0)
            j1 = min(math.ceil((max(ay, by, cy) - first_y) / step), nv - 1)
            for i in range(i0, i1 + 1):
                x = first_x + i * step
                for j in range(j0, j1 + 1):
                    y = first_y + j * step
                    f = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area
                    g = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area
                    if f >= -1e-9 and g >= -1e-9 and f + g <= 1.0 + 1e-9:
                        z = az + f * (bz - az) + g * (cz - az)
                        lows[i, j] = min(lows[i, j], z)
                        highs[i, j] = max(highs[i, j], z)
    # what stands upright and has no thickness covers no place: its edges do, away from all that does
    known = lows < FAR
    for n in range(corners.shape[0]):
        for e in range(3):
            px, py, pz = corners[n, e]
            qx, qy, qz = corners[n, (e + 1) % 3]
            parts = min(math.ceil(math.hypot(qx - px, qy - py) / step), 4000) + 1
            for k in range(parts + 1):
                s = k / parts
                i = round((px + s * (qx - px) - first_x) / step)
                j = round((py + s * (qy - py) - first_y) / step)
                if i < 1 or j < 1 or i > nu - 2 or j > nv - 2 or known[i - 1 : i + 2, j - 1 : j + 2].any():
                    continue
                z = pz + s * (qz - pz)
                lows[i, j] = min(lows[i, j], z)
                highs[i, j] = max(highs[i, j], z)


def softened(raster: np.ndarray, step: float, reach: float) -> np.ndarray:
    """A raster whose steps are rounded over `reach` m; as much in all."""
    return np.asarray(gaussian_filter(raster, 0.5 * reach / step, mode="constant", truncate=3.0), np.float32)


def edges_of(raster: np.ndarray) -> np.ndarray:
    """Where the sides of a softened form are: how steep it falls, against the steepest."""
    a, b = np.gradient(raster)
    steep = np.hypot(a, b)
    most = float(steep.max())
    return (steep / most).astype(np.float32) if most > 0 else steep.astype(np.float32)


@dataclass(frozen=True)
class Stand:
    """Where a profile stands: place of its own origin, m, and its heading, radians."""

    x: float
    y: float
    heading: float


def laid(
    profile: Profile, rasters: np.ndarray, stand: Stand, basin: Basin, fill: float = 0.0
) -> tuple[tuple[slice, slice], np.ndarray]:
    """Rasters of a profile, (n, nu, nv), read at a basin's cells.

    Returns
    -------
    which cells may be reached, and (n, ...) values there; `fill` beyond the raster
    """
    nu, nv = profile.low.shape
    ends = np.array([[0, 0], [nu - 1, 0], [0, nv - 1], [nu - 1, nv - 1]]) * profile.step + profile.first
    c, s = math.cos(stand.heading), math.sin(stand.heading)
    world = ends @ np.array([[c, s], [-s, c]]) + (stand.x, stand.y)
    box = []
    for axis, (first, n) in enumerate(zip(basin.origin, basin.shape)):
        low, high = world[:, axis].min(), world[:, axis].max()
        a, b = (
            int(np.clip(math.floor((e - first) / basin.cell - 0.5) + k, 0, n))
            for e, k in ((low, 0), (high, 2))
        )
        box.append(slice(a, max(a, b)))
    here = (box[0], box[1])
    out = np.full((len(rasters), box[0].stop - box[0].start, box[1].stop - box[1].start), fill, np.float32)
    place = np.array(
        [
            basin.origin[0] + (box[0].start + 0.5) * basin.cell - stand.x,
            basin.origin[1] + (box[1].start + 0.5) * basin.cell - stand.y,
            basin.cell,
            c,
            s,
            *profile.first,
            profile.step,
        ]
    )
    _laid(np.ascontiguousarray(rasters, np.float32), place, out)
    return here, out


@kernel
def _laid(rasters, place, out):
    count, nu, nv = rasters.shape
    x0, y0, cell, c, s, first_u, first_v, step = place
    for i in range(out.shape[1]):
        x = x0 + i * cell
        for j in range(out.shape[2]):
            y = y0 + j * cell
            u, v = (c * x + s * y - first_u) / step, (c * y - s * x - first_v) / step
            if u < 0.0 or v < 0.0 or u > nu - 1 or v > nv - 1:
                continue
            a, b = min(int(u), nu - 2), min(int(v), nv - 2)
            f, g = np.float32(u - a), np.float32(v - b)
            for n in range(count):
                low = rasters[n, a, b] * (1 - g) + rasters[n, a, b + 1] * g
                high = rasters[n, a + 1, b] * (1 - g) + rasters[n, a + 1, b + 1] * g
                out[n, i, j] = low * (1 - f) + high * f
