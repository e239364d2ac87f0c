"""A liquid's mesh over the set, as an engine draws it: the nearest front of it for each pixel, and how far
behind that its back is."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.effect.model import WaterLook
from tenka.look.optics import beyond, faced, mirrored, toned, whiteness
from tenka.look.over import Over
from tenka.look.raster import Backdrop
from tenka.look.rays import ray_of
from tenka.look.waterrays import HALF, ONE, TWO, ZERO, put
from tenka.look.wet import numbers_of
from tenka.scene.cameras import View

BANDS = 16
NONE = np.float32(1e9)
NEAREST = np.float32(0.02)


@dataclass(frozen=True, eq=False)
class Netted:
    """A mesh of a liquid that is drawn: corners and normals, (n, 3); foam, (n,) 0 to 1; faces, (m, 3); its
    look; and the time."""

    points: np.ndarray
    normals: np.ndarray
    foam: np.ndarray
    faces: np.ndarray
    look: WaterLook
    t: float

    def laid(self, over: Over) -> Backdrop:
        """A shaded set with it."""
        front, back, facing = self.drawn(over.view)
        outs = over.copies()
        with parallel_chunksize(8):
            _netted(
                over.view.packed(),
                over.shown,
                (front, back, facing),
                numbers_of(self.look, self.t),
                over.world,
                outs,
            )
        return over.with_these(outs)

    def drawn(self, view: View) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Depth of its nearest front for each pixel, (h, w); of the nearest back behind that; and (h, w, 4)
        the front's normal and foam."""
        height, width = view.height, view.width
        front, back = (np.full((height, width), NONE, np.float32) for _ in range(2))
        facing = np.zeros((height, width, 4), np.float32)
        corners = np.empty((len(self.points), 3), np.float32)
        _placed(self.points, view.packed(), width, height, corners)
        for behind in (False, True):
            _drawn(
                corners,
                self.normals,
                self.foam,
                self.faces,
                bool(view.orthographic),
                behind,
                front,
                back,
                facing,
            )
        return front, back, facing


def covered(mesh: Netted, view: View) -> np.ndarray:
    """Which pixels a mesh covers, (h, w), whatever stands before it."""
    return np.asarray(mesh.drawn(view)[0] < NONE)


@kernel(parallel=True)
def _placed(points, view, width, height, out):
    """Pixel across and down, and depth, of corners."""
    for m in prange(points.shape[0]):
        n = np.int64(m)
        rx, ry, rz = points[n, 0] - view[0], points[n, 1] - view[1], points[n, 2] - view[2]
        deep = rx * view[3] + ry * view[4] + rz * view[5]
        over = ONE if view[14] > HALF else ONE / max(deep, np.float32(1e-4))
        u = (rx * view[6] + ry * view[7] + rz * view[8]) * over / view[12]
        v = (rx * view[9] + ry * view[10] + rz * view[11]) * over / view[13]
        out[n, 0] = (u + ONE) * HALF * np.float32(width)
        out[n, 1] = (ONE - v) * HALF * np.float32(height)
        out[n, 2] = deep


@kernel(parallel=True)
def _drawn(corners, normals, foam, faces, level, behind, front, back, facing):
    """The nearest of all triangles for each pixel, with its normal and its foam; or, `behind` it, the nearest
    that shows its back: where a ray leaves the liquid again."""
    height, width = front.shape
    for p in prange(BANDS):
        band = np.int64(p)
        top, bottom = height * band // BANDS, height * (band + 1) // BANDS
        for m in range(faces.shape[0]):
            a, b, c = corners[faces[m, 0]], corners[faces[m, 1]], corners[faces[m, 2]]
            if min(a[2], min(b[2], c[2])) < NEAREST:
                continue
            area = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
            if abs(area) < np.float32(1e-9) or (behind and area < ZERO):
                continue
            first = max(math.ceil(min(a[1], min(b[1], c[1])) - HALF), top)
            last = min(math.floor(max(a[1], max(b[1], c[1])) - HALF), bottom - 1)
            left = max(math.ceil(min(a[0], min(b[0], c[0])) - HALF), 0)
            right = min(math.floor(max(a[0], max(b[0], c[0])) - HALF), width - 1)
            za, zb, zc = (a[2], b[2], c[2]) if level else (ONE / a[2], ONE / b[2], ONE / c[2])
            for j in range(first, last + 1):
                y = np.float32(j) + HALF
                for i in range(left, right + 1):
                    x = np.float32(i) + HALF
                    s = ((b[0] - x) * (c[1] - y) - (c[0] - x) * (b[1] - y)) / area
                    t = ((c[0] - x) * (a[1] - y) - (a[0] - x) * (c[1] - y)) / area
                    r = ONE - s - t
                    if s < ZERO or t < ZERO or r < ZERO:
                        continue
                    z = s * za + t * zb + r * zc
                    deep = z if level else ONE / z
                    if behind:
                        if front[j, i] < deep < back[j, i]:
                            back[j, i] = deep
                        continue
                    if deep >= front[j, i]:
                        continue
                    front[j, i] = deep
                    wa, wb, wc = (s, t, r) if level else (s * za * deep, t * zb * deep, r * zc * deep)
                    for k in range(3):
                        facing[j, i, k] = (
                            wa * normals[faces[m, 0], k]
                            + wb * normals[faces[m, 1], k]
                            + wc * normals[faces[m, 2], k]
                        )
                    facing[j, i, 3] = wa * foam[faces[m, 0]] + wb * foam[faces[m, 1]] + wc * foam[faces[m, 2]]


@kernel(parallel=True)
def _netted(view, set_, net, look, world, outs):
    for p_ in prange(set_[2].shape[0]):
        netted_row(p_, view, set_, net, look, world, outs)


@kernel
def netted_row(p_, view, set_, net, look, world, outs):
    """One row of pixels."""
    depth = set_[2]
    front, back, facings = net
    height, width = depth.shape
    j = np.int64(p_)
    d, n3, mirror = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
    seen = np.empty(6, np.float32)
    for i in range(width):
        if front[j, i] >= depth[j, i] or front[j, i] >= NONE:
            continue
        u = (np.float32(i) + HALF) * TWO / np.float32(width) - ONE
        v = ONE - (np.float32(j) + HALF) * TWO / np.float32(height)
        o0, o1, o2, d[0], d[1], d[2] = ray_of(view, u, v)
        straight = max(d[0] * view[3] + d[1] * view[4] + d[2] * view[5], np.float32(1e-6))
        t = front[j, i] / straight
        x, y, z = o0 + t * d[0], o1 + t * d[1], o2 + t * d[2]
        size = np.sqrt(facings[j, i, 0] ** 2 + facings[j, i, 1] ** 2 + facings[j, i, 2] ** 2)
        for a in range(3):
            n3[a] = facings[j, i, a] / max(size, np.float32(1e-6))
        facing = faced(n3, d)
        first = np.float32(0.03)
        mirrored(view, set_, x, y, z, d, n3, facing, first, world, mirror)
        eta = ONE / look[7]
        inner = eta * facing - np.sqrt(max(ONE - eta * eta * (ONE - facing * facing), ZERO))
        e0, e1, e2 = eta * d[0] + inner * n3[0], eta * d[1] + inner * n3[1], eta * d[2] + inner * n3[2]
        run = max(min(back[j, i], depth[j, i]) - front[j, i], ZERO) / straight
        px, py, pz = x + run * e0, y + run * e1, z + run * e2
        f0, f1, f2 = HALF * (e0 + d[0]), HALF * (e1 + d[1]), HALF * (e2 + d[2])
        beyond(view, set_, px, py, pz, f0, f1, f2, front[j, i], first, i, j, world, seen)
        near = TWO * view[13] / np.float32(height) * (ONE if view[14] > HALF else t)
        cover = min(max(ZERO, facings[j, i, 3] * look[10]), ONE)
        white = whiteness(cover, x, y, z, look[14], near)
        toned(x, y, z, d, n3, facing, run, white, look, world, mirror, seen)
        put(i, j, 1, front[j, i], depth, seen, white, look, outs, False)
