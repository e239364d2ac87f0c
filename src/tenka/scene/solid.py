"""A mesh as a solid that can be cut: closed where it is open, or given walls; and its convex parts.

Meshes from elsewhere are seldom sound: sheets without a back, pipes without ends, blocks that touch. Faces
are paired across their edges anew, in the order in which they lie round an edge, so that bodies that touch
stay apart; what is still open is closed over, or becomes the rim of a wall. The cutting itself is done by
Manifold (E. Lalish, "Manifold", an implementation of J. Smith, "Towards robust inexact geometric
computation", 2009).
"""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np

from tenka.base.errors import BadInput
from tenka.scene.meshes import Mesh

MERGED = 1e-6  # of a mesh's size; points nearer than this are one


def _half_edges(points: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """For each half edge (face, k), from corner k to the next, the half edge across it, as 3 * face + k; -1
    where there is none."""
    count = 3 * len(faces)
    start, end = faces.reshape(-1), np.roll(faces, -1, axis=1).reshape(-1)
    across = np.full(count, -1)
    low, high = np.minimum(start, end), np.maximum(start, end)
    order = np.lexsort((high, low))
    cuts = np.flatnonzero((np.diff(low[order]) != 0) | (np.diff(high[order]) != 0)) + 1
    for group in np.split(order, cuts):
        forward, back = group[start[group] < end[group]], group[start[group] > end[group]]
        if len(forward) == 1 and len(back) == 1:
            across[forward[0]], across[back[0]] = back[0], forward[0]
        elif len(forward) and len(back):
            _pair_round(points, faces, forward, back, across)
    return across


def _pair_round(
    points: np.ndarray, faces: np.ndarray, forward: np.ndarray, back: np.ndarray, across: np.ndarray
) -> None:
    """Pair faces that share one edge: each with the next one through the inside, by angle round the edge."""
    f, k = divmod(int(forward[0]), 3)
    a, b = points[faces[f, k]], points[faces[f, (k + 1) % 3]]
    axis = (b - a) / max(float(np.linalg.norm(b - a)), 1e-30)
    side = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    side /= np.linalg.norm(side)
    other = np.cross(axis, side)

    def angle(h: int) -> float:
        g, m = divmod(h, 3)
        away = points[faces[g, (m + 2) % 3]] - a
        return float(np.arctan2(away @ other, away @ side))

    # the inside of a face that runs along the axis lies at larger angles than its own
    free = {int(h): angle(int(h)) for h in back}
    for h in sorted((int(h) for h in forward), key=angle):
        if not free:
            return
        own = angle(h)
        match = min(free, key=lambda g: (free[g] - own - 1e-9) % (2 * np.pi))
        across[h], across[match] = match, h
        del free[match]


def _corners_of(faces: np.ndarray, across: np.ndarray) -> np.ndarray:
    """Faces with points of their own where they only touch: corners are one where paired faces share them."""
    parent = np.arange(3 * len(faces))

    def root(c: int) -> int:
        while parent[c] != c:
            parent[c] = parent[parent[c]]
            c = int(parent[c])
        return c

    for h in np.flatnonzero(across > np.arange(len(across))):
        f, k = divmod(int(h), 3)
        g, m = divmod(int(across[h]), 3)
        parent[root(3 * f + k)] = root(3 * g + (m + 1) % 3)
        parent[root(3 * f + (k + 1) % 3)] = root(3 * g + m)
    roots = np.array([root(c) for c in range(len(parent))])
    return np.unique(roots, return_inverse=True)[1].reshape(-1, 3)


def _loops(faces: np.ndarray, across: np.ndarray) -> list[list[int]]:
    """Rings of points along open edges, each in the order in which a face that closes it runs."""
    onward = {}
    for h in np.flatnonzero(across < 0):
        f, k = divmod(int(h), 3)
        onward[int(faces[f, (k + 1) % 3])] = int(faces[f, k])
    found = []
    while onward:
        first, at = next(iter(onward.items()))
        ring = [first]
        del onward[first]
        while at != first and at in onward:
            ring.append(at)
            at = onward.pop(at)
        if at == first and len(ring) > 2:
            found.append(ring)
    return found


@dataclass(frozen=True)
class Solid:
    """A closed body.

    Attributes
    ----------
    body : of the cutting library
    mark : of all faces that are the mesh's own
    colours : (m, 3) by face of the mesh
    """

    body: manifold3d.Manifold
    mark: int
    colours: np.ndarray


def _normals(points: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """Of points, by the area of their faces."""
    a, b, c = (points[faces[:, k]] for k in range(3))
    normal, out = np.cross(b - a, c - a), np.zeros_like(points)
    for k in range(3):
        np.add.at(out, faces[:, k], normal)
    return out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-30)


def _closed(points: np.ndarray, faces: np.ndarray, rings: list[list[int]]) -> tuple[np.ndarray, np.ndarray]:
    """With a fan over each ring."""
    middles, fans = [], []
    for n, ring in enumerate(rings):
        middles.append(points[ring].mean(axis=0))
        around = np.stack([ring, np.roll(ring, -1), np.full(len(ring), len(points) + n)], axis=1)
        fans.append(around)
    if not rings:
        return points, faces
    return np.concatenate([points, middles]), np.concatenate([faces, *fans])


def _walled(
    points: np.ndarray, faces: np.ndarray, rings: list[list[int]], wall: float
) -> tuple[np.ndarray, np.ndarray]:
    """With an inner side, and a rim at each ring."""
    n, rims = len(points), []
    for ring in rings:
        a, b = np.asarray(ring), np.roll(ring, -1)
        rims += [np.stack([a, b, a + n], axis=1), np.stack([b, b + n, a + n], axis=1)]
    inner = points - wall * _normals(points, faces)
    return np.concatenate([points, inner]), np.concatenate([faces, faces[:, ::-1] + n, *rims])


def _parts(faces: np.ndarray, count: int) -> list[np.ndarray]:
    """Faces that hang together."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    pairs = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]]])
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    label = connected_components(graph, directed=False)[1][faces[:, 0]]
    return [np.flatnonzero(label == k) for k in np.unique(label)]


def solid_of(mesh: Mesh, wall: float = 0.0) -> Solid:
    """A mesh as a solid body.

    Parameters
    ----------
    wall : m; 0 is solid throughout, more is hollow with walls as thick

    Raises
    ------
    BadInput
        Nothing of it encloses anything.
    """
    points = mesh.points.astype(np.float64)
    scale = max(float(np.ptp(points, axis=0).max()), 1e-9) if len(points) else 1.0
    _, first, same = np.unique(
        np.round(points / (scale * MERGED)).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    merged, points = same.reshape(-1)[mesh.faces], points[first]
    sound = (merged[:, 0] != merged[:, 1]) & (merged[:, 1] != merged[:, 2]) & (merged[:, 2] != merged[:, 0])
    own = np.flatnonzero(sound)
    merged = merged[own]
    across = _half_edges(points, merged)
    faces = _corners_of(merged, across)
    apart = np.zeros((int(faces.max()) + 1 if len(faces) else 0, 3))
    apart[faces.reshape(-1)] = points[merged.reshape(-1)]
    rings, mark = _loops(faces, across), manifold3d.Manifold.reserve_ids(1)
    bodies = []
    for part in _parts(faces, len(apart)):
        used, place = np.unique(faces[part], return_inverse=True)
        at = {int(u): n for n, u in enumerate(used)}
        around = [[at[c] for c in ring] for ring in rings if ring[0] in at]
        body = _body(apart[used], place.reshape(-1, 3), around, wall, own[part], len(mesh.faces), mark)
        if body is not None:
            bodies.append(body)
    if not bodies:
        raise BadInput(
            "encloses nothing, so that it cannot be cut", "a mesh with a volume, or a thickness of its walls"
        )
    whole = manifold3d.Manifold.batch_boolean(bodies, manifold3d.OpType.Add) if len(bodies) > 1 else bodies[0]
    return Solid(whole, mark, mesh.colours)


def _body(
    points: np.ndarray,
    faces: np.ndarray,
    rings: list[list[int]],
    wall: float,
    own: np.ndarray,
    beyond: int,
    mark: int,
) -> manifold3d.Manifold | None:
    """One body that hangs together, closed or with walls; None where it encloses nothing.

    Its own faces have their numbers, `own`; sides that the mesh does not have, the number `beyond`.
    """
    if wall > 0 and not rings:  # the inner side hangs together with nothing
        outer = _made(points, faces, own, mark)
        inner = _made(points - wall * _normals(points, faces), faces, np.full(len(faces), beyond), mark)
        return outer - inner if outer is not None and inner is not None else outer
    points, faces = _walled(points, faces, rings, wall) if wall > 0 else _closed(points, faces, rings)
    return _made(points, faces, np.concatenate([own, np.full(len(faces) - len(own), beyond)]), mark)


def _made(
    points: np.ndarray, faces: np.ndarray, numbers: np.ndarray, mark: int
) -> manifold3d.Manifold | None:
    """A closed body, turned so that its volume is above zero; None where it has none."""
    for sense in (1, -1):
        made = manifold3d.Manifold(
            manifold3d.Mesh64(
                vert_properties=np.ascontiguousarray(points),
                tri_verts=np.ascontiguousarray(faces[:, ::sense], np.uint64),
                run_index=np.array([0, 3 * len(faces)], np.uint64),
                run_original_id=np.array([mark], np.uint32),
                face_id=numbers.astype(np.uint64),
            )
        )
        if made.status() != manifold3d.Error.NoError:
            return None
        if made.volume() > 1e-12 * float(np.ptp(points, axis=0).max()) ** 3:
            return made
    return None


def mesh_of(solid: Solid, body: manifold3d.Manifold) -> Mesh:
    """A part of a solid as a mesh with its own colours outside; where it was cut, black, in a group
    "inner"."""
    made = body.to_mesh64()
    faces = made.tri_verts.astype(np.int32)
    starts = np.asarray(made.run_index).astype(np.int64) // 3
    own = np.zeros(len(faces), bool)
    for n, mark in enumerate(made.run_original_id):
        own[starts[n] : starts[n + 1]] = mark == solid.mark
    number = np.asarray(made.face_id).astype(np.int64)
    own &= number < len(solid.colours)
    colours = np.zeros((len(faces), 3), np.float32)
    colours[own] = solid.colours[number[own]]
    points = np.asarray(made.vert_properties)[:, :3].astype(np.float32)
    return Mesh(points, faces, colours, {"inner": np.flatnonzero(~own)})
