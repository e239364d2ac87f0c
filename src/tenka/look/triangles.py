"""Triangles to pixels: what a view sees of the props."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.scene.cameras import View
from tenka.scene.meshes import Mesh

BANDS = 16
NEAR = 0.02  # m in front of the eye, at which triangles are cut
FAR = np.float32(1e9)
ZERO = np.float32(0.0)
ONE = np.float32(1.0)


@kernel(parallel=True)
def _fill(corners, ids, orthographic, width, height, depth, face):
    """Nearest triangle of each pixel. `corners` (m, 3, 3): pixel x, pixel y, depth along the view; `ids`
    (m,): which triangle each is a part of."""
    for p_ in prange(BANDS):
        band = np.int64(p_)
        top, bottom = height * band // BANDS, height * (band + 1) // BANDS
        for n in range(corners.shape[0]):
            x0, y0, z0 = corners[n, 0, 0], corners[n, 0, 1], corners[n, 0, 2]
            x1, y1, z1 = corners[n, 1, 0], corners[n, 1, 1], corners[n, 1, 2]
            x2, y2, z2 = corners[n, 2, 0], corners[n, 2, 1], corners[n, 2, 2]
            if min(z0, min(z1, z2)) < np.float32(0.5 * NEAR):
                continue
            area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
            if abs(area) < np.float32(1e-9):
                continue
            inverse = ONE / area
            first = max(np.int64(np.ceil(min(y0, min(y1, y2)) - np.float32(0.5))), top)
            last = min(np.int64(np.floor(max(y0, max(y1, y2)) - np.float32(0.5))), bottom - 1)
            left = max(np.int64(np.ceil(min(x0, min(x1, x2)) - np.float32(0.5))), 0)
            right = min(np.int64(np.floor(max(x0, max(x1, x2)) - np.float32(0.5))), width - 1)
            # shares of the corners change evenly along a row; what is outside of it is not looked at
            slope_a, slope_b = (y1 - y2) * inverse, (y2 - y0) * inverse
            slope_c = -slope_a - slope_b
            over0, over1, over2 = (z0, z1, z2) if orthographic else (ONE / z0, ONE / z1, ONE / z2)
            for j in range(first, last + 1):
                y = np.float32(j) + np.float32(0.5)
                x = np.float32(left) + np.float32(0.5)
                a0 = ((x1 - x) * (y2 - y) - (x2 - x) * (y1 - y)) * inverse
                b0 = ((x2 - x) * (y0 - y) - (x0 - x) * (y2 - y)) * inverse
                c0 = ONE - a0 - b0
                start, stop = np.float32(0.0), np.float32(right - left)
                for e in range(3):
                    value = a0 if e == 0 else (b0 if e == 1 else c0)
                    slope = slope_a if e == 0 else (slope_b if e == 1 else slope_c)
                    if slope > np.float32(1e-12):
                        start = max(start, -value / slope)
                    elif slope < np.float32(-1e-12):
                        stop = min(stop, -value / slope)
                    elif value < ZERO:
                        stop = np.float32(-1.0)
                # one more at each end: whether a pixel is inside is told by the shares themselves
                for i in range(left + max(np.int64(start) - 1, 0), min(left + np.int64(stop) + 2, right + 1)):
                    x = np.float32(i) + np.float32(0.5)
                    a = ((x1 - x) * (y2 - y) - (x2 - x) * (y1 - y)) * inverse
                    b = ((x2 - x) * (y0 - y) - (x0 - x) * (y2 - y)) * inverse
                    c = ONE - a - b
                    if a >= ZERO and b >= ZERO and c >= ZERO:
                        z = a * over0 + b * over1 + c * over2
                        z = z if orthographic else ONE / z
                        if z < depth[j, i]:
                            depth[j, i] = z
                            face[j, i] = ids[n]


@kernel(parallel=True)
def _project(points, eye, axes, half_width, half_height, width, height, orthographic, out):
    for p_ in prange(points.shape[0]):
        n = np.int64(p_)
        x, y, z = points[n, 0] - eye[0], points[n, 1] - eye[1], points[n, 2] - eye[2]
        depth = x * axes[0, 0] + y * axes[0, 1] + z * axes[0, 2]
        scale = 1.0 if orthographic else (depth if abs(depth) > 1e-9 else 1e-9)
        across = (x * axes[1, 0] + y * axes[1, 1] + z * axes[1, 2]) / scale / half_width
        above = (x * axes[2, 0] + y * axes[2, 1] + z * axes[2, 2]) / scale / half_height
        out[n, 0] = (across + 1.0) * 0.5 * width
        out[n, 1] = (1.0 - above) * 0.5 * height
        out[n, 2] = depth


@kernel(parallel=True)
def _normals(points, faces, out):
    for p_ in prange(faces.shape[0]):
        n = np.int64(p_)
        a, b, c = faces[n, 0], faces[n, 1], faces[n, 2]
        ux, uy, uz = (
            np.float64(points[b, 0]) - points[a, 0],
            np.float64(points[b, 1]) - points[a, 1],
            np.float64(points[b, 2]) - points[a, 2],
        )
        vx, vy, vz = (
            np.float64(points[c, 0]) - points[a, 0],
            np.float64(points[c, 1]) - points[a, 1],
            np.float64(points[c, 2]) - points[a, 2],
        )
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        size = max(np.sqrt(x * x + y * y + z * z), 1e-12)
        out[n, 0], out[n, 1], out[n, 2] = x / size, y / size, z / size


@dataclass(frozen=True)
class Surfaces:
    """What a view sees of the props: depth (m along forward) and triangle (-1 where none)."""

    depth: np.ndarray
    face: np.ndarray
    normals: np.ndarray
    colours: np.ndarray


def in_front(corners: np.ndarray, view: View) -> tuple[np.ndarray, np.ndarray]:
    """Triangles, (m, 3, 3) m, cut where they come too near to the eye or lie behind it, and which each is
    a part of."""
    ids = np.arange(len(corners), dtype=np.int32)
    ahead = (corners - view.eye) @ view.forward - NEAR
    inside = (ahead > 0).sum(axis=1)
    whole = inside == 3
    if whole.all():
        return corners, ids
    found, of = [corners[whole]], [ids[whole]]
    for count in (1, 2):
        rows = np.flatnonzero(inside == count)
        if not len(rows):
            continue
        # turned so that the corner which is alone comes first
        alone = np.argmax((ahead[rows] > 0) == (count == 1), axis=1)
        order = (alone[:, None] + np.arange(3)) % 3
        p = np.take_along_axis(corners[rows], order[:, :, None], axis=1)
        d = np.take_along_axis(ahead[rows], order, axis=1)
        cut = [p[:, 0] + (d[:, 0] / (d[:, 0] - d[:, n]))[:, None] * (p[:, n] - p[:, 0]) for n in (1, 2)]
        if count == 1:
            found.append(np.stack([p[:, 0], *cut], axis=1))
            of.append(ids[rows])
        else:
            found += [
                np.stack([cut[0], p[:, 1], p[:, 2]], axis=1),
                np.stack([cut[0], p[:, 2], cut[1]], axis=1),
            ]
            of += [ids[rows], ids[rows]]
    return np.concatenate(found), np.concatenate(of)


def _projected(mesh: Mesh, view: View) -> tuple[np.ndarray, np.ndarray]:
    """Triangles in the picture, (m, 3, 3): pixel x, pixel y, depth; and which each is a part of."""
    at = np.empty((len(mesh.points), 3), np.float32)
    axes = np.array([view.forward, view.right, view.up], np.float64)
    _project(
        mesh.points,
        np.asarray(view.eye, np.float64),
        axes,
        view.half_width,
        view.half_height,
        view.width,
        view.height,
        view.orthographic,
        at,
    )
    ids = np.arange(len(mesh.faces), dtype=np.int32)
    if at[:, 2].min() > NEAR:
        return at[mesh.faces], ids
    ahead = (at[:, 2] > NEAR)[mesh.faces].sum(axis=1)
    whole, cut = ahead == 3, np.flatnonzero((ahead > 0) & (ahead < 3))
    parts, of = in_front(mesh.points[mesh.faces[cut]].astype(np.float64), view)
    seen = view.project(parts.reshape(-1, 3)).reshape(-1, 3, 3).astype(np.float32)
    return np.concatenate([at[mesh.faces[whole]], seen]), np.concatenate([ids[whole], ids[cut][of]])


def _nearest(mesh: Mesh, view: View) -> tuple[np.ndarray, np.ndarray]:
    depth = np.full((view.height, view.width), FAR, np.float32)
    face = np.full((view.height, view.width), -1, np.int32)
    if len(mesh.faces):
        projected, ids = _projected(mesh, view)
        _fill(projected, ids, view.orthographic, view.width, view.height, depth, face)
    return depth, face


def depth_of(mesh: Mesh, view: View) -> np.ndarray:
    """How far a view sees in each pixel, m along its forward."""
    return _nearest(mesh, view)[0]


def see(mesh: Mesh, view: View) -> Surfaces:
    """Find the nearest triangle in each pixel."""
    normals = np.zeros((len(mesh.faces), 3), np.float32)
    _normals(mesh.points, mesh.faces, normals)
    return Surfaces(*_nearest(mesh, view), normals, mesh.colours)
