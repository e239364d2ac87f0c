"""Convex hulls of pieces, as tables that kernels read: corners, planes, and the corners round each plane."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from scipy.spatial import ConvexHull

LEVEL = 1e-4  # difference of unit normals within which faces are one
THIN = 0.004  # half the thickness, of a width of one, that what is flat is given


class Hulls(NamedTuple):
    """Of each kind of piece, one metre across.

    Attributes
    ----------
    corners : (kinds, c, 3) m, about the middle of mass
    planes : (kinds, f, 4) outward normal, and distance from the middle
    loops : (kinds, f, c) corners round each plane, anticlockwise from outside
    sides : (kinds, f) how many those are; 0 where there are fewer planes
    reach : (kinds,) m, of the furthest corner
    """

    corners: np.ndarray
    planes: np.ndarray
    loops: np.ndarray
    sides: np.ndarray
    reach: np.ndarray


def _faces(corners: np.ndarray) -> list[tuple[np.ndarray, list[int]]]:
    """Planes of a hull, and the corners round each."""
    hull = ConvexHull(corners)
    found: list[tuple[np.ndarray, set[int]]] = []
    for plane, simplex in zip(hull.equations, hull.simplices):
        for known, around in found:
            if np.abs(known[:3] - plane[:3]).max() < LEVEL and abs(known[3] - plane[3]) < LEVEL:
                around.update(simplex.tolist())
                break
        else:
            found.append((plane, set(simplex.tolist())))
    out = []
    for plane, around in found:
        loop = sorted(around)
        points = corners[loop]
        n = plane[:3]
        side = np.cross(n, np.eye(3)[int(np.argmin(np.abs(n)))])
        away = points - points.mean(axis=0)
        angle = np.arctan2(away @ np.cross(n, side), away @ side)
        out.append((np.append(n, -plane[3]), [loop[k] for k in np.argsort(angle)]))
    return out


def hulls_of(corners: Sequence[np.ndarray]) -> Hulls:
    """Tables of the hulls of some sets of corners, each (c, 3); what is flat is given a little thickness."""
    sets, faces = [], []
    for points in corners:
        unique = np.unique(points, axis=0)
        thin = len(unique) < 4 or float(np.linalg.svd(unique - unique.mean(axis=0))[1][-1]) < 1e-3
        if thin:  # along the direction in which it has no extent
            normal = np.linalg.svd(unique - unique.mean(axis=0))[2][-1]
            unique = np.concatenate([unique - THIN * normal, unique + THIN * normal])
        sets.append(unique)
        faces.append(_faces(unique))
    most = max(len(s) for s in sets)
    planes = max(len(f) for f in faces)
    shape = (len(sets), planes)
    out = Hulls(
        np.stack([np.resize(s, (most, 3)) for s in sets]),
        np.zeros((*shape, 4)),
        np.zeros((*shape, most), np.int64),
        np.zeros(shape, np.int64),
        np.array([np.linalg.norm(s, axis=1).max() for s in sets]),
    )
    for k, own in enumerate(faces):
        for f, (plane, loop) in enumerate(own):
            out.planes[k, f], out.sides[k, f] = plane, len(loop)
            out.loops[k, f, : len(loop)] = loop
    return out
