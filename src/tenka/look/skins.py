"""Where rays meet thrown water, which way it faces there, and how it moves over the picture."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.liquid.nets import sampled_at
from tenka.look.liquids import Splash, box_of, facing_at, first_hit
from tenka.look.rays import ray_of
from tenka.look.triangles import FAR
from tenka.look.waterrays import HALF, ONE, TWO
from tenka.scene.cameras import View


@kernel(parallel=True)
def _met(view, field, place, stops, depth, facing):
    height, width = stops.shape
    nx, ny, nz = field.shape
    for p_ in prange(height):
        j = np.int64(p_)
        low, high = np.empty(3, np.float32), np.empty(3, np.float32)
        for a in range(3):
            low[a] = place[a]
            high[a] = place[a] + np.float32(nx if a == 0 else (ny if a == 1 else nz)) * place[3]
        o, d, found = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
        v = ONE - (np.float32(j) + HALF) * TWO / np.float32(height)
        for i in range(width):
            u = (np.float32(i) + HALF) * TWO / np.float32(width) - ONE
            o[0], o[1], o[2], d[0], d[1], d[2] = ray_of(view, u, v)
            if not box_of(o, d, low, high, found):
                continue
            straight = max(d[0] * view[3] + d[1] * view[4] + d[2] * view[5], np.float32(1e-6))
            into, side = found[0], np.int64(found[2])
            end = min(found[1], stops[j, i] / straight)
            if into >= end or not first_hit(field, place, o, d, into, end, found):
                continue
            t = found[0]
            n3 = facing[j, i]
            facing_at(field, place, o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2], n3)
            if t <= into + np.float32(1e-5) and side >= 0:  # cut by the box
                n3[:] = np.float32(0.0)
                n3[side] = -ONE if d[side] > np.float32(0.0) else ONE
            depth[j, i] = t * straight


def met(splash: Splash, view: View, stops: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Where rays meet a thrown water before they stop.

    Parameters
    ----------
    stops : (h, w) float32, depths at which rays stop, m

    Returns
    -------
    (h, w) float32 depth of the surface, m, FAR where there is none; (h, w, 3) float32 unit vectors out of it
    """
    depth = np.full(stops.shape, FAR, np.float32)
    facing = np.zeros((*stops.shape, 3), np.float32)
    with parallel_chunksize(8):
        _met(view.packed(), splash.skin.distance, splash.place, stops, depth, facing)
    return depth, facing


def places_of(view: View, depth: np.ndarray) -> np.ndarray:
    """Places that are seen at depths below FAR, (n, 3) m, in the order of `np.nonzero`."""
    y, x = np.nonzero(depth < FAR)
    deep = depth[y, x]
    u = ((x + 0.5) * 2.0 / view.width - 1.0) * view.half_width
    v = (1.0 - (y + 0.5) * 2.0 / view.height) * view.half_height
    wide = 1.0 if view.orthographic else deep
    found: np.ndarray = (
        view.eye
        + deep[:, None] * view.forward
        + (u * wide)[:, None] * view.right
        + (v * wide)[:, None] * view.up
    )
    return found


def moved(splash: Splash, view: View, stops: np.ndarray, dt: float) -> tuple[np.ndarray, np.ndarray]:
    """How the surface of a thrown water moves over the picture.

    Returns
    -------
    (n, 2) px to the right and down in `dt`, of the pixels where it is seen; and (h, w) its depth, FAR
    elsewhere
    """
    depth, _ = met(splash, view, stops)
    places = places_of(view, depth)
    at = ((places - splash.skin.origin) / splash.voxel - 0.5).astype(np.float32)
    flow = splash.flow.astype(np.float32)
    speed = np.stack([sampled_at(axis, at) for axis in flow], axis=1)
    return (view.project(places + dt * speed) - view.project(places))[:, :2], depth
