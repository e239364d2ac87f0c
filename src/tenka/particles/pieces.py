"""The pieces that debris is made of: convex, from points of our own choosing, flat or round, sharp or worn;
or a prop's mesh."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy.spatial import ConvexHull

from tenka.base.errors import BadInput
from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.model import Pieces, PointLayer, Prop
from tenka.scene.meshes import Mesh
from tenka.scene.props import form_of, own_mesh, stamp_of

CORNERS = 16  # of a piece that touch other things
MOST_TRIANGLES = 4000


@dataclass(frozen=True)
class Piece:
    """One piece, one metre across its longest side, round its middle.

    Attributes
    ----------
    mesh : to be drawn
    corners : (CORNERS, 3) that touch
    inertia : (3, 3) about its middle of mass, which is at 0, of a body of mass 1 and this size
    """

    mesh: Mesh
    corners: np.ndarray
    inertia: np.ndarray


def _numbers(seed: int, count: int, purpose: int) -> np.ndarray:
    return unit_array(seed, np.arange(count), purpose).astype(np.float64)


def _outline(seed: int, sides: int) -> np.ndarray:
    """A convex-looking outline: (sides, 2), corners at uneven angles and distances."""
    a = 2 * np.pi * (np.arange(sides) + 0.75 * (_numbers(seed, sides, 1) - 0.5)) / sides
    r = 0.35 + 0.3 * _numbers(seed, sides, 2)
    stretch = np.array([1.0, 0.55 + 0.4 * float(_numbers(seed, 1, 3)[0])])
    return np.stack([r * np.cos(a), r * np.sin(a)], axis=1) * stretch


def _points(kind: str, flatness: float, seed: int) -> np.ndarray:
    """Points whose hull is a piece."""
    if kind == "lumps":
        z = 2 * _numbers(seed, 14, 1) - 1
        a, r = 2 * np.pi * _numbers(seed, 14, 2), np.sqrt(1 - z * z)
        return np.stack([r * np.cos(a), r * np.sin(a), z], axis=1) * (0.5 + 0.5 * _numbers(seed, 3, 3))
    if kind in ("sherds", "plates"):
        outline = _outline(seed, 5 + int(4 * _numbers(seed, 1, 4)[0]))
        low = np.concatenate(
            [
                outline * (0.86 + 0.14 * _numbers(seed, len(outline), 5)[:, None]),
                np.full((len(outline), 1), -0.5),
            ],
            axis=1,
        )
        high = np.concatenate([outline, np.full((len(outline), 1), 0.5)], axis=1)
        thick = flatness * (0.12 if kind == "plates" else 0.5)
        return np.concatenate([low, high]) * np.array([1.0, 1.0, thick])
    long = 1.0 if kind == "tiles" else 0.28 + 0.14 * float(_numbers(seed, 1, 6)[0])
    corners = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)])
    corners[4:, 0] -= (0.55 if kind == "tiles" else 0.3) * _numbers(seed, 4, 7)  # the broken end
    return corners * np.array(
        [
            1.0,
            (0.6 + 0.4 * float(_numbers(seed, 1, 8)[0])) * long,
            0.45 * flatness if kind == "tiles" else 0.85 * flatness * long,
        ]
    )


def _hull(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Corners and outward triangles of a convex hull."""
    hull = ConvexHull(points)
    used = np.unique(hull.simplices)
    place = np.full(len(points), -1)
    place[used] = np.arange(len(used))
    corners, faces = points[used], place[hull.simplices]
    middle = corners.mean(axis=0)
    a, b, c = (corners[faces[:, k]] for k in range(3))
    inward = np.einsum("nk,nk->n", np.cross(b - a, c - a), a - middle) < 0
    faces[inward] = faces[inward][:, ::-1]
    return corners, faces


def _worn(points: np.ndarray, roundness: float) -> np.ndarray:
    """Each corner cut off, some way along its edges."""
    corners, faces = _hull(points)
    edges = np.unique(
        np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1), axis=0
    )
    cut = 0.03 + 0.3 * roundness
    a, b = corners[edges[:, 0]], corners[edges[:, 1]]
    return np.concatenate([a + cut * (b - a), b + cut * (a - b)])


def _unit(points: np.ndarray) -> np.ndarray:
    low, high = points.min(axis=0), points.max(axis=0)
    return (points - (low + high) / 2) / max(float((high - low).max()), 1e-9)


def _touching(points: np.ndarray) -> np.ndarray:
    """A few points that stand for all: the furthest in even directions."""
    n = np.arange(CORNERS) + 0.5
    z, a = 1 - 2 * n / CORNERS, np.pi * (1 + 5**0.5) * n  # even directions (spherical Fibonacci points)
    r = np.sqrt(1 - z * z)
    return points[np.argmax(points @ np.stack([r * np.cos(a), r * np.sin(a), z]), axis=0)]


def _solid(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Middle of mass of the hull of points, (3,), and its inertia about it, (3, 3), of a mass of one.

    By tetrahedra over its triangles (Tonon 2004). What is flatter than a hundredth is counted as that thick.
    """
    span = np.ptp(points, axis=0)
    thin = np.flatnonzero(span < 0.01 * span.max())
    for axis in thin:
        shift = np.zeros(3)
        shift[axis] = 0.005 * span.max()
        points = np.concatenate([points - shift, points + shift])
    corners, faces = _hull(points)
    start = corners.mean(axis=0)
    a, b, c = (corners[faces[:, k]] - start for k in range(3))
    volume = np.einsum("nk,nk->n", np.cross(a, b), c) / 6
    whole = volume.sum()
    middle = (volume[:, None] * (a + b + c)).sum(axis=0) / (4 * whole)
    total = a + b + c
    squares = sum(np.einsum("n,ni,nj->ij", volume / 20, v, v) for v in (total, a, b, c)) / whole
    squares = squares - np.outer(middle, middle)
    return start + middle, np.trace(squares) * np.eye(3) - squares


def made(pieces: Pieces, number: int) -> Piece:
    """One of our own pieces."""
    seed = stable_seed("piece", pieces.seed, pieces.make, number)
    corners, faces = _hull(
        _unit(
            _worn(
                _worn(_points(pieces.make, pieces.flatness, seed), pieces.roundness), pieces.roundness * 0.7
            )
        )
    )
    normal = np.cross(
        corners[faces[:, 1]] - corners[faces[:, 0]], corners[faces[:, 2]] - corners[faces[:, 0]]
    )
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    broken = np.abs(normal[:, 2]) < 0.7 if pieces.make != "lumps" else _numbers(seed, len(faces), 9) < 0.4
    if pieces.make == "planks":
        broken = normal[:, 0] > 0.5
    tone = 0.85 + 0.3 * _numbers(seed, 1, 10)[0] + 0.1 * _numbers(seed, len(faces), 11)[:, None]
    colours = np.where(broken[:, None], np.asarray(pieces.inner), np.asarray(pieces.colour)) * tone
    middle, inertia = _solid(corners)
    corners = corners - middle
    mesh = Mesh(corners.astype(np.float32), faces.astype(np.int32), np.clip(colours, 0, 1).astype(np.float32))
    return Piece(mesh, _touching(corners), inertia)


@lru_cache(maxsize=16)
def _set(pieces: Pieces, form: Prop | None, folder: Path | None, stamp: int) -> tuple[Piece, ...]:
    if form is None:
        return tuple(made(pieces, n) for n in range(pieces.kinds))
    mesh = own_mesh(form, folder)
    if len(mesh.faces) > MOST_TRIANGLES:
        raise BadInput(
            f"has {len(mesh.faces):,} triangles, which every piece would have",
            f"a prop of at most {MOST_TRIANGLES:,}; thin it by 'keep'",
            place="debris",
        )
    points = _unit(mesh.points.astype(np.float64))
    middle, inertia = _solid(points)
    points = points - middle
    return (Piece(mesh.moved(points), _touching(points), inertia),)


def pieces_of(layer: PointLayer, props: tuple[Prop, ...], folder: Path | None) -> tuple[Piece, ...]:
    """The pieces of a layer.

    Raises
    ------
    BadInput
        A layer of points, or a prop that is not there, or has too many triangles.
    """
    cut = layer.cut
    if cut is None:
        raise BadInput("is made of no pieces", "a layer of debris", place=f"layer {layer.name}")
    own = cut.model_copy(update={"prop": "", "swap": ""})
    if cut.make != "prop":
        return _set(own, None, None, 0)
    prop = next((p for p in props if p.id == cut.prop), None)
    if prop is None:
        raise BadInput(
            f"names the prop '{cut.prop}', which is not in the effect", place=f"layer {layer.name}"
        )
    return _set(own, form_of(prop), folder, stamp_of(prop, folder))


def kind_of(layer: PointLayer, id: np.ndarray, count: int) -> np.ndarray:
    """Which piece each is, (n,) int64."""
    chance = unit_array(stable_seed(layer.id, "which piece"), id & 0xFFFFFFFF, id >> 32)
    return np.minimum((chance.astype(np.float64) * count).astype(np.int64), count - 1)
