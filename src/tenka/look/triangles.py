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
HALF = np.float32(0.5)
NO_FACE = np.zeros((0, 0), np.int32)


@kernel
def _draw(x0, y0, z0, x1, y1, z1, x2, y2, z2, orthographic, top, bottom, id, depth, face):
    """A triangle by its corners' pixel x, pixel y and depth, into the rows from `top` to `bottom`, where it
    is the nearest; `face` may be empty."""
    if min(z0, min(z1, z2)) < np.float32(0.5 * NEAR):
        return
    area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
    if abs(area) < np.float32(1e-9):
        return
    first = max(np.int64(np.ceil(min(y0, min(y1, y2)) - HALF)), top)
    last = min(np.int64(np.floor(max(y0, max(y1, y2)) - HALF)), bottom - 1)
    left = max(np.int64(np.ceil(min(x0, min(x1, x2)) - HALF)), 0)
    right = min(np.int64(np.floor(max(x0, max(x1, x2)) - HALF)), depth.shape[1] - 1)
    if first > last or left > right:
        return
    inverse = ONE / area
    # shares of the corners change evenly along a row; what is outside of it is not looked at
    slope_a, slope_b = (y1 - y2) * inverse, (y2 - y0) * inverse
    slope_c = -slope_a - slope_b
    over0, over1, over2 = (z0, z1, z2) if orthographic else (ONE / z0, ONE / z1, ONE / z2)
    for j in range(first, last + 1):
        y = np.float32(j) + HALF
        x = np.float32(left) + HALF
        a0 = ((x1 - x) * (y2 - y) - (x2 - x) * (y1 - y)) * inverse
        b0 = ((x2 - x) * (y0 - y) - (x0 - x) * (y2 - y)) * inverse
        c0 = ONE - a0 - b0
        start, stop = ZERO, np.float32(right - left)
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
        start = min(start, np.float32(right - left + 1))
        stop = max(stop, -ONE)
        for i in range(left + max(np.int64(start) - 1, 0), min(left + np.int64(stop) + 2, right + 1)):
            x = np.float32(i) + HALF
            a = ((x1 - x) * (y2 - y) - (x2 - x) * (y1 - y)) * inverse
            b = ((x2 - x) * (y0 - y) - (x0 - x) * (y2 - y)) * inverse
            c = ONE - a - b
            if a >= ZERO and b >= ZERO and c >= ZERO:
                z = a * over0 + b * over1 + c * over2
                z = z if orthographic else ONE / z
                if z < depth[j, i]:
                    depth[j, i] = z
                    if face.size > 0:
                        face[j, i] = id


@kernel(parallel=True)
def _fill(corners, ids, orthographic, height, depth, face):
    """Nearest triangle of each pixel. `corners` (m, 3, 3): pixel x, pixel y, depth along the view; `ids`
    (m,): which triangle each is a part of."""
    for p_ in prange(BANDS):
        band = np.int64(p_)
        top, bottom = height * band // BANDS, height * (band + 1) // BANDS
        for n in range(corners.shape[0]):
            c = corners[n]
            _draw(
                c[0, 0],
                c[0, 1],
                c[0, 2],
                c[1, 0],
                c[1, 1],
                c[1, 2],
                c[2, 0],
                c[2, 1],
                c[2, 2],
                orthographic,
                top,
                bottom,
                ids[n],
                depth,
                face,
            )


@kernel(parallel=True)
def _fill_maps(points, faces, views, none, out):
    """What many small pictures see of triangles, each by itself; those that come too near are cut."""
    side = np.float32(out.shape[1])
    near = np.float32(NEAR)
    for p_ in prange(views.shape[0]):
        m = np.int64(p_)
        v, depth = views[m], out[m]
        flat = v[14] > HALF
        at = np.empty((points.shape[0], 3), np.float32)  # across, above and along, m
        for n in range(points.shape[0]):
            x, y, z = points[n, 0] - v[0], points[n, 1] - v[1], points[n, 2] - v[2]
            at[n, 0] = (x * v[6] + y * v[7] + z * v[8]) / v[12]
            at[n, 1] = (x * v[9] + y * v[10] + z * v[11]) / v[13]
            at[n, 2] = x * v[3] + y * v[4] + z * v[5]
        cut = np.empty((4, 3), np.float32)
        for n in range(faces.shape[0]):
            count = 0
            for k in range(3):  # the part that lies ahead: three or four corners
                a, b = at[faces[n, k]], at[faces[n, (k + 1) % 3]]
                if a[2] > near:
                    cut[count, 0], cut[count, 1], cut[count, 2] = a[0], a[1], a[2]
                    count += 1
                if (a[2] > near) != (b[2] > near):
                    f = (near - a[2]) / (b[2] - a[2])
                    cut[count, 0], cut[count, 1] = a[0] + f * (b[0] - a[0]), a[1] + f * (b[1] - a[1])
                    cut[count, 2] = near
                    count += 1
            for k in range(count):
                over = ONE if flat else ONE / cut[k, 2]
                cut[k, 0] = (cut[k, 0] * over + ONE) * HALF * side
                cut[k, 1] = (ONE - cut[k, 1] * over) * HALF * side
            for k in range(1, count - 1):
                _draw(
                    cut[0, 0],
                    cut[0, 1],
                    cut[0, 2],
                    cut[k, 0],
                    cut[k, 1],
                    cut[k, 2],
                    cut[k + 1, 0],
                    cut[k + 1, 1],
                    cut[k + 1, 2],
                    flat,
                    0,
                    out.shape[1],
                    0,
                    depth,
                    none,
                )


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


def _nearest(mesh: Mesh, view: View, faces: bool = True) -> tuple[np.ndarray, np.ndarray]:
    depth = np.full((view.height, view.width), FAR, np.float32)
    face = np.full((view.height, view.width), -1, np.int32) if faces else NO_FACE
    if len(mesh.faces):
        projected, ids = _projected(mesh, view)
        _fill(projected, ids, view.orthographic, view.height, depth, face)
    return depth, face


def depth_of(mesh: Mesh, view: View) -> np.ndarray:
    """How far a view sees in each pixel, m along its forward."""
    return _nearest(mesh, view, False)[0]


def depths_of(mesh: Mesh, views: np.ndarray, size: int) -> np.ndarray:
    """How far many small square views see, (n, size, size) m along the forward of each.

    Parameters
    ----------
    views : (n, 16) as `View.packed` has them
    """
    out = np.full((len(views), size, size), FAR, np.float32)
    if len(mesh.faces) and len(views):
        _fill_maps(mesh.points, mesh.faces, np.ascontiguousarray(views, np.float32), NO_FACE, out)
    return out


def see(mesh: Mesh, view: View) -> Surfaces:
    """Find the nearest triangle in each pixel."""
    normals = np.zeros((len(mesh.faces), 3), np.float32)
    _normals(mesh.points, mesh.faces, normals)
    return Surfaces(*_nearest(mesh, view), normals, mesh.colours)
