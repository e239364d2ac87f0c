"""What a ray meets first: boxes by their slabs, meshes triangle by triangle (T. Moeller and B. Trumbore,
"Fast, minimum storage ray-triangle intersection", Journal of Graphics Tools 2, 1997)."""

from __future__ import annotations

import math

import numpy as np

from tenka.scene.meshes import Mesh


def box_span(start: np.ndarray, way: np.ndarray, low: np.ndarray, high: np.ndarray) -> tuple[float, float]:
    """How far a ray goes until it enters a box and until it leaves it, m; it misses where the first is not
    below the second."""
    with np.errstate(divide="ignore", invalid="ignore"):
        a, b = (low - start) / way, (high - start) / way
    return float(np.nanmax(np.minimum(a, b))), float(np.nanmin(np.maximum(a, b)))


def box_hit(start: np.ndarray, way: np.ndarray, low: np.ndarray, high: np.ndarray) -> float:
    """How far a ray goes to a box, m; 0 from inside it, infinite where it misses."""
    near, far = box_span(start, way, low, high)
    return max(near, 0.0) if near <= far and far >= 0 else math.inf


def mesh_hit(start: np.ndarray, way: np.ndarray, mesh: Mesh) -> float:
    """How far a ray goes to a mesh, m; infinite where it misses."""
    if not len(mesh.faces) or math.isinf(box_hit(start, way, *(np.asarray(b, float) for b in mesh.bounds))):
        return math.inf
    corners = mesh.corners.astype(np.float64)
    a, e1, e2 = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    p = np.cross(way, e2)
    det = np.einsum("nk,nk->n", e1, p)
    with np.errstate(divide="ignore", invalid="ignore"):
        s = start - a
        u = np.einsum("nk,nk->n", s, p) / det
        q = np.cross(s, e1)
        v = q @ way / det
        t = np.einsum("nk,nk->n", e2, q) / det
    met = (np.abs(det) > 1e-15) & (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 1e-9)
    return float(t[met].min()) if met.any() else math.inf
