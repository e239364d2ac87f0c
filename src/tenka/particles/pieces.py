"""The pieces that debris is made of: convex, from points of our own choosing, flat or round, sharp or worn;
a prop cut up; or a prop's mesh."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy.spatial import ConvexHull

from tenka.base.errors import BadInput
from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.debris import PIECE_SIZES
from tenka.effect.model import Pieces, PointLayer, Prop, heard, ramp_at
from tenka.particles.fracture import Breaking, Cut, broken
from tenka.particles.schedule import SOURCE_SHIFT
from tenka.scene.meshes import Mesh, moments
from tenka.scene.poses import pose_at
from tenka.scene.props import deforms, form_of, own_mesh, stamp_of
from tenka.scene.solid import solid_of

CORNERS = 16  # of a piece that touch other things
MOST_TRIANGLES = 4000
MOST_CUT = 60_000


@dataclass(frozen=True, eq=False)
class Piece:
    """One piece, one metre across its longest side, round its middle.

    Attributes
    ----------
    mesh : to be drawn
    corners : (CORNERS, 3) that touch
    inertia : (3, 3) about its middle of mass, which is at 0, of a body of mass 1 and this size
    volume : m^3, of this size
    width : m, across, of what was cut from a prop; else 0, as births say how large each is
    place : (3,) m, where it was in its prop
    """

    mesh: Mesh
    corners: np.ndarray
    inertia: np.ndarray
    volume: float = 1.0
    width: float = 0.0
    place: np.ndarray = field(default_factory=lambda: np.zeros(3))


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
    """A few points that stand for all: the corners of their hull, or the furthest in even directions."""
    if len(points) >= 4 and np.ptp(points, axis=0).min() > 1e-4:
        corners = points[ConvexHull(points).vertices]
        if len(corners) <= CORNERS:
            return np.resize(corners, (CORNERS, 3))
    n = np.arange(CORNERS) + 0.5
    z, a = 1 - 2 * n / CORNERS, np.pi * (1 + 5**0.5) * n  # even directions (spherical Fibonacci points)
    r = np.sqrt(1 - z * z)
    return points[np.argmax(points @ np.stack([r * np.cos(a), r * np.sin(a), z]), axis=0)]


def _solid(points: np.ndarray) -> tuple[float, np.ndarray, np.ndarray]:
    """Volume, middle of mass and inertia of the hull of points. What is flatter than a hundredth is counted
    as that thick."""
    span = np.ptp(points, axis=0)
    thin = np.flatnonzero(span < 0.01 * span.max())
    for axis in thin:
        shift = np.zeros(3)
        shift[axis] = 0.005 * span.max()
        points = np.concatenate([points - shift, points + shift])
    corners, faces = _hull(points)
    return moments(corners[faces])


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
    volume, middle, inertia = _solid(corners)
    corners = corners - middle
    mesh = Mesh(corners.astype(np.float32), faces.astype(np.int32), np.clip(colours, 0, 1).astype(np.float32))
    return Piece(mesh, _touching(corners), inertia, volume)


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
    return (whole(mesh),)


def whole(mesh: Mesh) -> Piece:
    """A mesh as one piece, which meets others by its hull."""
    points = mesh.points.astype(np.float64)
    low, high = points.min(axis=0), points.max(axis=0)
    width = max(float((high - low).max()), 1e-9)
    points = _unit(points)
    volume, middle, inertia = _solid(points)
    points = points - middle
    at = (low + high) / 2 + width * middle
    return Piece(mesh.moved(points), _touching(points), inertia, volume, width, at)


@dataclass(frozen=True)
class Struck:
    """Where a prop is struck: `at`, (x, y, z) m in its own coordinates; and when, s, if its form depends on
    that."""

    at: tuple[float, float, float]
    t: float


def struck(layer: PointLayer, props: tuple[Prop, ...]) -> Struck | None:
    """Where and when what a layer's pieces are cut from is struck: by its first source that gives them."""
    source = next((s for s in heard(layer.sources) if s.shape == "pieces"), None)
    if source is None or layer.cut is None:
        return None
    prop = next((p for p in props if p.id == layer.cut.prop), None)
    if prop is None:
        return None
    t = source.begins
    own = pose_at(prop, props, t).to_own(pose_at(source, props, t).origin)
    x, y, z = (round(float(v), 4) for v in own)
    return Struck((x, y, z), t if deforms(prop) else 0.0)


@lru_cache(maxsize=8)
def _cuts(
    pieces: Pieces, blow: Struck | None, form: Prop, folder: Path | None, stamp: int
) -> tuple[Cut, ...]:
    """What a prop is cut into; by what decides on its form alone."""
    mesh = own_mesh(form, folder, blow.t if blow is not None and deforms(form) else 0.0)
    if len(mesh.faces) > MOST_CUT:
        raise BadInput(
            f"has {len(mesh.faces):,} triangles, which is too many to cut up",
            f"a prop of at most {MOST_CUT:,}; thin it by 'keep'",
        )
    solid = solid_of(mesh, pieces.wall)
    how = Breaking(
        pieces.cuts,
        drawn_sizes(pieces),
        np.asarray(blow.at) if blow is not None else mesh.points.mean(axis=0).astype(np.float64),
        pieces.finer if blow is not None else 1.0,
        pieces.finer_reach,
        np.asarray(pieces.grain),
        stable_seed("cut", pieces.seed),
    )
    return tuple(broken(solid, how))


def drawn_sizes(pieces: Pieces) -> np.ndarray:
    """Sizes of as many pieces as a prop is cut into, against the largest, by the histogram: each at the
    middle of its share."""
    low, high = PIECE_SIZES
    x = (np.arange(512) + 0.5) / 512
    share = np.cumsum(np.maximum(ramp_at(pieces.sizes, x), 0.0) + 1e-9)
    at = np.interp((np.arange(pieces.cuts) + 0.5) / pieces.cuts, share / share[-1], x)
    return np.asarray(low * (high / low) ** at)


@lru_cache(maxsize=8)
def _cut_set(
    pieces: Pieces, blow: Struck | None, form: Prop, folder: Path | None, stamp: int
) -> tuple[Piece, ...]:
    """A prop's pieces, with the colour of their broken sides."""
    plain = Pieces(
        make="cut",
        **{
            name: getattr(pieces, name)
            for name in ("cuts", "sizes", "finer", "finer_reach", "grain", "wall", "seed")
        },
    )
    found = []
    for cut in _cuts(plain, blow, form, folder, stamp):
        width = max(float(np.ptp(cut.mesh.points, axis=0).max()), 1e-6)
        colours = cut.mesh.colours.copy()
        colours[cut.mesh.groups["inner"]] = np.clip(np.asarray(pieces.inner) * cut.tone, 0, 1)
        mesh = Mesh((cut.mesh.points / width).astype(np.float32), cut.mesh.faces, colours)
        _, _, inertia = moments(mesh.corners.astype(np.float64))
        corners = _touching(mesh.points.astype(np.float64))
        found.append(Piece(mesh, corners, inertia, cut.volume / width**3, width, cut.middle))
    return tuple(found)


def pieces_of(layer: PointLayer, props: tuple[Prop, ...], folder: Path | None) -> tuple[Piece, ...]:
    """The pieces of a layer.

    Raises
    ------
    BadInput
        A layer of points, or a prop that is not there, has too many triangles, or encloses nothing.
    """
    cut = layer.cut
    if cut is None:
        raise BadInput("is made of no pieces", "a layer of debris", place=f"layer {layer.name}")
    own = cut.model_copy(update={"prop": "", "swap": ""})
    if cut.make not in ("cut", "prop"):
        return _set(own, None, None, 0)
    prop = next((p for p in props if p.id == cut.prop), None)
    if prop is None:
        raise BadInput(
            f"names the prop '{cut.prop}', which is not in the effect", place=f"layer {layer.name}"
        )
    form, stamp = form_of(prop), stamp_of(prop, folder)
    if cut.make == "prop":
        return _set(own, form, folder, stamp)
    try:
        return _cut_set(own, struck(layer, props), form, folder, stamp)
    except BadInput as error:  # which knows the form alone
        raise BadInput(str(error).rstrip("."), place=f"prop {prop.name}") from None


def kind_of(layer: PointLayer, id: np.ndarray, count: int) -> np.ndarray:
    """Which piece each is, (n,) int64: by chance, or of a prop in pieces its own."""
    chance = unit_array(stable_seed(layer.id, "which piece"), id & 0xFFFFFFFF, id >> 32)
    kind = np.minimum((chance.astype(np.float64) * count).astype(np.int64), count - 1)
    if layer.assembled:
        given = np.array([s.shape == "pieces" for s in layer.sources], bool)
        own = given[np.clip(id >> SOURCE_SHIFT, 0, len(given) - 1)] if len(given) else np.zeros(len(id), bool)
        kind = np.where(own, np.minimum(id & ((1 << SOURCE_SHIFT) - 1), count - 1), kind)
    return kind
