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
            for j in range(first, last + 1):
                y = np.float32(j) + np.float32(0.5)
                for i in range(left, right + 1):
                    x = np.float32(i) + np.float32(0.5)
                    a = ((x1 - x) * (y2 - y) - (x2 - x) * (y1 - y)) * inverse
                    b = ((x2 - x) * (y0 - y) - (x0 - x) * (y2 - y)) * inverse
                    c = ONE - a - b
                    if a >= ZERO and b >= ZERO and c >= ZERO:
                        z = a * z0 + b * z1 + c * z2 if orthographic else ONE / (a / z0 + b / z1 + c / z2)
                        if z < depth[j, i]:
                            depth[j, i] = z
                            face[j, i] = ids[n]


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


def see(mesh: Mesh, view: View) -> Surfaces:
    """Find the nearest triangle in each pixel."""
    depth = np.full((view.height, view.width), FAR, np.float32)
    face = np.full((view.height, view.width), -1, np.int32)
    corners = mesh.corners.astype(np.float64)
    if len(corners):
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        parts, ids = in_front(corners, view)
        projected = view.project(parts.reshape(-1, 3)).reshape(-1, 3, 3).astype(np.float32)
        _fill(projected, ids, view.orthographic, view.width, view.height, depth, face)
    else:
        normals = np.zeros((0, 3))
    return Surfaces(depth, face, normals.astype(np.float32), mesh.colours)
