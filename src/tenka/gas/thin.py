"""Solids that are thinner than voxels: faces that one crosses are shut, however thin it is.

The share by which a face is open comes from the distances at both of its voxels, which cannot tell a plate
between them from a wall beside them. So the way from one middle to the other is followed by spheres that are
free of the solid (J. Hart, "Sphere tracing", The Visual Computer 12, 1996): where it meets the solid the face
is shut. Where a voxel lies in a part of the solid that is not thicker than two, all its faces are.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tenka.effect.model import Prop

THICK = 2.2  # voxels; what is thicker everywhere holds by itself
STEPS = 60  # of a way from one middle to the next
LEAST = 0.02  # voxels that a step goes: what is thinner is not seen
PLAIN = ("sphere", "box", "cylinder")

Distance = Callable[[np.ndarray], np.ndarray]
Faces = list[tuple[int, np.ndarray]]


def may_be_thin(prop: Prop, skin: float, voxel: float) -> bool:
    """Whether some part of a prop may be thinner than voxels can tell."""
    plain = prop.shape in PLAIN and prop.copies == 1
    return not plain or min(prop.size) + 2 * skin < THICK * voxel


def crossed(own: np.ndarray, in_own: np.ndarray, distance: Distance, voxel: float) -> Faces:
    """Faces that a solid shuts though the distances at their voxels do not tell.

    Parameters
    ----------
    own : (nx, ny, nz) its distances at the middles of voxels, m
    in_own : (nx ny nz, 3) these middles in its own coordinates, m
    distance : of any points in those

    Returns
    -------
    for each axis, indices (n, 3) of voxels whose lower face along it is shut
    """
    shape, places = own.shape, in_own.reshape(*own.shape, 3)
    thin = _thin_at(own, places, distance, voxel)
    found: Faces = []
    for axis in range(3):
        if shape[axis] < 2:
            continue
        low = [slice(None)] * 3
        high = [slice(None)] * 3
        low[axis], high[axis] = slice(0, -1), slice(1, None)
        a, b = own[tuple(low)], own[tuple(high)]
        near = np.argwhere((a > 0) & (b > 0) & (a + b < voxel))
        one = np.zeros(3, int)
        one[axis] = 1
        met = _meets(places[tuple(near.T)], places[tuple((near + one).T)], distance, voxel)
        shut = np.zeros(a.shape, bool)
        shut[tuple(near[met].T)] = True
        shut |= thin[tuple(low)] | thin[tuple(high)]
        found.append((axis, np.argwhere(shut) + one))
    return found


def _meets(start: np.ndarray, end: np.ndarray, distance: Distance, voxel: float) -> np.ndarray:
    """Whether the straight ways between points outside a solid meet it."""
    met, going = np.zeros(len(start), bool), np.arange(len(start))
    far = np.zeros(len(start))
    for _ in range(STEPS):
        if not len(going):
            break
        share = (far[going] / voxel)[:, None]
        d = distance((1 - share) * start[going] + share * end[going])
        met[going[d < 0]] = True  # a way that only grazes it has not met it
        far[going] += np.maximum(d, LEAST * voxel)
        going = going[(d >= 0) & (far[going] < voxel)]
    return met


def _thin_at(own: np.ndarray, places: np.ndarray, distance: Distance, voxel: float) -> np.ndarray:
    """Whether the middle of each voxel lies in the solid where that is not thicker than two voxels."""
    thin = np.zeros(own.shape, bool)
    inside = np.argwhere((own <= 0) & (own > -0.5 * THICK * voxel))
    if not len(inside):
        return thin
    points, e = places[tuple(inside.T)], 0.05 * voxel
    way = np.empty_like(points)
    for axis in range(3):
        shift = np.zeros(3)
        shift[axis] = e
        way[:, axis] = distance(points - shift) - distance(points + shift)  # deeper
    steep = np.linalg.norm(way, axis=1)
    way /= np.maximum(steep, 1e-9)[:, None]
    depth = -own[tuple(inside.T)].astype(float)
    beyond = distance(points + (THICK * voxel - depth)[:, None] * way)
    halfway = steep < e  # as far from one side as from the other
    thin[tuple(inside[(beyond > 0) | halfway].T)] = True
    return thin
