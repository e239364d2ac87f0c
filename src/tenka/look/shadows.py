"""Shadows that the props cast: of the sun, and of lamps all round."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel
from tenka.effect.model import Light
from tenka.look.triangles import FAR, Surfaces, depth_of, depths_of
from tenka.scene.cameras import View, frame_of
from tenka.scene.meshes import Mesh

SHADOW_SIZE = 1024
LAMP_SIZE = 128  # px of each of the six sides that a lamp looks at
ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)


@dataclass(frozen=True)
class ShadowMap:
    """The props as the sun sees them."""

    view: View
    depth: np.ndarray


def cast_shadow(mesh: Mesh, light: Light) -> ShadowMap:
    """All props as the sun sees them."""
    view = shadow_view(mesh, light)
    return ShadowMap(view, depth_of(mesh, view))


def shadow_view(mesh: Mesh, light: Light, seen: np.ndarray | None = None) -> View:
    """From where the sun looks at props.

    Parameters
    ----------
    seen : (n, 3) places that are looked at, m: the map is fitted to what of the props may throw a shadow
        there, however far away others are
    """
    forward, right, up = frame_of(light.heading, light.height)
    if not len(mesh.points):
        return View(-2.0 * forward, forward, right, up, 1.0, 1, 1, True)
    axes = np.stack([right, up, forward])
    casts = mesh.points @ axes.T
    low, high = casts.min(axis=0), casts.max(axis=0)
    if seen is not None and len(seen):
        there = seen @ axes[:2].T
        step = (
            max(float(np.ptp(there, axis=0).max()), 1e-3) / 16
        )  # so that it stays while the view hardly turns
        low[:2] = np.maximum(low[:2], np.floor(there.min(axis=0) / step) * step)
        high[:2] = np.minimum(high[:2], np.ceil(there.max(axis=0) / step) * step)
    size = np.maximum(high - low, 0.2)
    middle = (low + high) / 2
    half = float(size[:2].max()) / 2 * (1.0 + 8.0 / SHADOW_SIZE) + 0.01
    centre = middle[0] * right + middle[1] * up + (low[2] - 1.0) * forward
    return View(centre, forward, right, up, half, SHADOW_SIZE, SHADOW_SIZE, True)


SEEN_FAR = 200.0  # m: farther ground is too faint for shadows
EVERY = 8  # pixels: so many lie between the places that tell what is looked at


def looked_at(surfaces: Surfaces, view: View) -> np.ndarray:
    """Places on props and ground that a view sees, (n, 3); those on the ground as far as it is drawn."""
    y, x = (np.arange(EVERY // 2, n, EVERY) for n in surfaces.depth.shape)
    depth = surfaces.depth[np.ix_(y, x)].ravel()
    u = ((2 * x + 1) / view.width - 1) * view.half_width
    v = (1 - (2 * y + 1) / view.height) * view.half_height
    across = u[None, :, None] * view.right + v[:, None, None] * view.up
    across = across.reshape(-1, 3)
    if view.orthographic:
        start, way = view.eye + across, np.broadcast_to(view.forward, across.shape)
    else:
        start, way = np.broadcast_to(view.eye, across.shape), view.forward + across
    falls = way[:, 2] < -1e-6
    to_ground = np.where(falls, -start[:, 2] / np.where(falls, way[:, 2], -1.0), FAR)
    depth = np.minimum(depth, np.where(to_ground > 0, to_ground, FAR))
    there = depth < SEEN_FAR
    return start[there] + depth[there, None] * way[there]


@kernel(inline=True)
def _tent(n, share):
    """Weight of the n-th of four texels across a tent of three, a share of a texel further on."""
    return share if n == 3 else (ONE - share if n == 0 else ONE)


@kernel(inline=True)
def lit(x, y, z, view, depth, bias):
    """Share of the sun that the props let through, from sixteen texels."""
    rx, ry, rz = x - view[0], y - view[1], z - view[2]
    d = rx * view[3] + ry * view[4] + rz * view[5] - bias
    n = depth.shape[0]
    u = ((rx * view[6] + ry * view[7] + rz * view[8]) / view[12] + ONE) * np.float32(0.5) * np.float32(
        n
    ) - np.float32(0.5)
    v = (ONE - (rx * view[9] + ry * view[10] + rz * view[11]) / view[13]) * np.float32(0.5) * np.float32(
        n
    ) - np.float32(0.5)
    last = np.float32(n - 3)
    if not (u >= np.float32(2.0) and v >= np.float32(2.0) and u <= last and v <= last):  # NaN too
        return ONE
    i, j = np.int64(u), np.int64(v)
    f, g = u - np.float32(i), v - np.float32(j)
    # a tent of three texels: the edge is soft, and moves evenly from one texel to the next
    total = ZERO
    for a in range(4):
        across = _tent(a, g)
        for b in range(4):
            if depth[j - 1 + a, i - 1 + b] > d:
                total += across * _tent(b, f)
    return total / np.float32(9.0)


SIDES = (
    ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
    ((-1, 0, 0), (0, 1, 0), (0, 0, 1)),
    ((0, 1, 0), (1, 0, 0), (0, 0, 1)),
    ((0, -1, 0), (1, 0, 0), (0, 0, 1)),
    ((0, 0, 1), (1, 0, 0), (0, 1, 0)),
    ((0, 0, -1), (1, 0, 0), (0, 1, 0)),
)
"""Forward, right and up of the six sides: low and high x, y, z by turns."""


def lamp_shadow(mesh: Mesh, place: np.ndarray) -> np.ndarray:
    """How far a lamp at a place sees on each side, (6, LAMP_SIZE, LAMP_SIZE) m along that side's axis."""
    sides = [
        View(np.asarray(place, float), *(np.asarray(v, float) for v in side), 1.0, LAMP_SIZE, LAMP_SIZE)
        for side in SIDES
    ]
    return depths_of(mesh, np.array([side.packed() for side in sides]), LAMP_SIZE)


@kernel
def _texel(depth, side, i, j, far):
    n = depth.shape[1]
    seen = depth[side, min(max(j, 0), n - 1), min(max(i, 0), n - 1)]
    return ONE if seen > far else ZERO


@kernel(inline=True)
def lamp_lit(depth, dx, dy, dz):
    """Share of a lamp's light that comes to what lies at (dx, dy, dz) m from it; see `lamp_shadow`."""
    ax, ay, az = abs(dx), abs(dy), abs(dz)
    if ax >= ay and ax >= az:
        side, far, x, y = (0 if dx > ZERO else 1), ax, dy, dz
    elif ay >= az:
        side, far, x, y = (2 if dy > ZERO else 3), ay, dx, dz
    else:
        side, far, x, y = (4 if dz > ZERO else 5), az, dx, dy
    if far < np.float32(1e-4):
        return ONE
    n = np.float32(depth.shape[1])
    u = (x / far + ONE) * HALF * n - HALF
    v = (ONE - y / far) * HALF * n - HALF
    near = far * np.float32(0.97) - np.float32(0.03)
    i, j = np.int64(np.floor(u)), np.int64(np.floor(v))
    f, g = u - np.float32(i), v - np.float32(j)
    total = ZERO  # a tent of three texels, as for the sun
    for a in range(4):
        across = _tent(a, g)
        for b in range(4):
            total += across * _tent(b, f) * _texel(depth, side, i - 1 + b, j - 1 + a, near)
    return total / np.float32(9.0)
