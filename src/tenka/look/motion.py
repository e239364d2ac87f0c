"""How what is seen moves over the picture: gas, particles and pieces, each as much as it is seen."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.cache.store import Frame
from tenka.effect.courses import value_at
from tenka.effect.model import Light, Look
from tenka.look.liquids import Splash
from tenka.look.points import paint, splats_of
from tenka.look.rays import ONE, ZERO, box_span, exp_minus, ray_of
from tenka.look.render import Shot
from tenka.look.skins import moved
from tenka.look.swarm import Swarm, ready
from tenka.look.triangles import FAR, see
from tenka.look.volume import FLAME_SCALE
from tenka.scene.cameras import View

HALF = np.float32(0.5)
GIVEN_OFF = 0.3  # opacity of flames by which their motion counts, where they hide less


@kernel(parallel=True)
def _gas_motion(view, width, height, density, flame, velocity, origin, h, dims, burns, stops, out):
    """Motion of a gas in px a second, weighted by what is seen of it, and the sum of the weights."""
    nx, ny, nz = density.shape
    low = np.zeros(3, np.float32)
    high = np.array([nx, ny, nz], np.float32)
    wide, tall = np.float32(width) * HALF / view[12], np.float32(height) * HALF / view[13]
    flat = view[14] > HALF
    for p_ in prange(height):
        j = np.int64(p_)
        v = ONE - (np.float32(j) + HALF) * np.float32(2.0) / np.float32(height)
        for i in range(width):
            u = (np.float32(i) + HALF) * np.float32(2.0) / np.float32(width) - ONE
            ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
            along = max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
            px, py, pz = (ox - origin[0]) / h, (oy - origin[1]) / h, (oz - origin[2]) / h
            near, far = box_span(px, py, pz, dx, dy, dz, low, high)
            t, end = max(near, ZERO) + HALF, min(far, stops[j, i] / along / h)
            left, right, up, down = ONE, ZERO, ZERO, ZERO
            while t < end and left > np.float32(0.01):
                a = min(max(np.int64(px + t * dx), 0), nx - 1)
                b = min(max(np.int64(py + t * dy), 0), ny - 1)
                c = min(max(np.int64(pz + t * dz), 0), nz - 1)
                thick = dims * density[a, b, c]
                if burns > ZERO:
                    thick += burns * flame[a, b, c]
                if thick > np.float32(1e-4):
                    seen = left * (ONE - exp_minus(thick * h))
                    left -= seen
                    vx, vy, vz = velocity[0, a, b, c], velocity[1, a, b, c], velocity[2, a, b, c]
                    across = vx * view[6] + vy * view[7] + vz * view[8]
                    above = vx * view[9] + vy * view[10] + vz * view[11]
                    if not flat:
                        deep = t * h * along
                        ahead = (vx * view[3] + vy * view[4] + vz * view[5]) / deep
                        across = across / deep - u * view[12] * ahead
                        above = above / deep - v * view[13] * ahead
                    right += seen * across
                    up += seen * above
                    down += seen
                t += ONE
            out[j, i, 0], out[j, i, 1], out[j, i, 2] = right * wide, -up * tall, down


def _of_gas(frame: Frame, look: Look, view: View, stops: np.ndarray) -> np.ndarray:
    out = np.zeros((view.height, view.width, 3), np.float32)
    if frame.velocity is None:
        return out
    f32 = np.float32
    burns = frame.flame is not None and value_at(look.flame, 0.0) > 0
    flame = frame.flame if burns and frame.flame is not None else np.zeros((1, 1, 1))
    with parallel_chunksize(8):
        _gas_motion(
            view.packed(),
            view.width,
            view.height,
            np.ascontiguousarray(frame.density, f32),
            np.ascontiguousarray(flame, f32),
            np.ascontiguousarray(frame.velocity, f32),
            np.asarray(frame.origin, f32),
            f32(frame.voxel),
            f32(value_at(look.extinction, 0.0)),
            f32(max(value_at(look.flame_opacity, 0.0), GIVEN_OFF) * FLAME_SCALE if burns else 0.0),
            stops,
            out,
        )
    return out


def _marked(swarm: Swarm, light: Light, view: View, dt: float) -> np.ndarray:
    """Splats of particles whose colour is how they move, px in `dt`."""
    look = swarm.look.model_copy(update={"lit": 0.0, "vary": 0.0})
    plain = replace(swarm, look=look, book=None)
    now, then = ready(plain, light), ready(replace(plain, points=swarm.points.advanced(dt)), light)
    if len(now) != len(then) or not len(now):
        return np.zeros((0, 12), np.float32)
    a, b = view.project(now.place), view.project(then.place)
    now.colour = np.concatenate([b[:, :2] - a[:, :2], np.zeros((len(a), 1))], axis=1).astype(np.float32)
    now.opaque = 1.0
    return splats_of(now, view)


def _within(corners: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Shares of three corners (n, 3, 2) in places (n, 2), which they hold; thin triangles share alike."""
    u, v, w = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0], at - corners[:, 0]
    area = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    thin = np.abs(area) < 1e-6
    area = np.where(thin, 1.0, area)
    b = (w[:, 0] * v[:, 1] - w[:, 1] * v[:, 0]) / area
    c = (u[:, 0] * w[:, 1] - u[:, 1] * w[:, 0]) / area
    found = np.stack([1.0 - b - c, b, c], axis=1)
    found[thin] = 1.0 / 3.0
    return found


def motion_of(shot: Shot, light: Light, view: View, dt: float) -> np.ndarray:
    """How what is seen of a shot's layers moves over the picture.

    Parameters
    ----------
    dt : s, for which motion is told

    Returns
    -------
    (height, width, 3) float32: px to the right and down in `dt`, both weighted by how much is seen, and that
    """
    out: np.ndarray = np.zeros((view.height, view.width, 3), np.float32)
    deep: np.ndarray = np.full((view.height, view.width), FAR, np.float32)
    for mesh, later in zip(shot.bodies, shot.later):
        surfaces, then = see(mesh, view), later(dt)
        hit = (surfaces.face >= 0) & (surfaces.depth < deep)
        if then is None or then.faces.shape != mesh.faces.shape or not hit.any():
            continue
        a, b = (view.project(m.points)[:, :2][m.faces[surfaces.face[hit]]] for m in (mesh, then))
        y, x = np.nonzero(hit)
        shares = _within(a, np.stack([x, y], axis=1) + 0.5)
        out[hit, :2] = (shares[..., None] * (b - a)).sum(axis=1)
        out[hit, 2] = 1.0
        deep[hit] = surfaces.depth[hit]
    for water in shot.waters:
        if not isinstance(water, Splash):
            continue
        by, depth = moved(water, view, deep, dt)
        hit = depth < FAR
        out[hit, :2], out[hit, 2] = by, 1.0
        deep = np.minimum(deep, depth)
    for frame, look in shot.gases:
        gas = _of_gas(frame, look, view, deep)
        gas[..., :2] *= np.float32(dt)
        out = gas + (1.0 - gas[..., 2:]) * out
    rows = [_marked(s, light, view, dt) for s in shot.swarms]
    if any(len(r) for r in rows):
        image, alpha = np.ascontiguousarray(out), np.ascontiguousarray(out[..., 2])
        paint(np.concatenate(rows), deep, image, alpha)
        out = np.concatenate([image[..., :2], alpha[..., None]], axis=2)
    return out


def spread(motion: np.ndarray, rounds: int = 6) -> np.ndarray:
    """Motion as it is, (h, w, 2), also where nothing is seen: there as that of what is near.

    Sums over ever wider squares of what is weighted, over those of the weights.
    """
    from scipy import ndimage

    held, known = motion[..., :2].astype(np.float64), motion[..., 2].astype(np.float64)
    out = np.where(known[..., None] > 0.02, held / np.maximum(known, 1e-6)[..., None], 0.0)
    missing = known <= 0.02
    for n in range(rounds):
        if not missing.any():
            break
        size = 2 ** (n + 1) + 1
        weight = ndimage.uniform_filter(known, size)
        near = np.stack([ndimage.uniform_filter(held[..., c], size) for c in range(2)], axis=2)
        found = missing & (weight > 1e-5)
        out[found] = near[found] / weight[found][:, None]
        missing &= ~found
    return out.astype(np.float32)
