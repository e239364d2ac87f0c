"""A prop cut into the pieces that it breaks into: sites in its volume, and the cells between them.

Sites are the middles of balls that are laid into the volume, the largest first, each where there is most room
for it (after the dart throwing of R. Cook, "Stochastic sampling in computer graphics", 1986); their sizes
follow a histogram, and shrink towards the point of the blow. Each cell holds what is nearer to its ball than
to any other, by the power of the ball (F. Aurenhammer, "Power diagrams", SIAM J. Comput. 16, 1987), so that
it is convex, and as large as its ball. Cells come from the lower hull of the balls lifted into four
dimensions.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import manifold3d
import numpy as np
from scipy.spatial import ConvexHull

from tenka.base.jit import kernel
from tenka.base.randomness import unit_array
from tenka.scene.meshes import Mesh, moments, spread_over
from tenka.scene.solid import Solid, mesh_of

LEAST = 1e-3  # of the mean volume; what is smaller is dust
CANDIDATES = 24  # places looked at for each ball
FAR = 40.0  # sizes of the solid; balls this far off close the outer cells
FEW = 3  # cells that are cut from one body
FILLS = 0.5  # of the volume, by balls that nearly touch


@dataclass(frozen=True)
class Breaking:
    """How a solid breaks.

    Attributes
    ----------
    count : cells; a solid that is not convex breaks into more pieces
    sizes : (count,) of them, against each other
    blow : (3,) m, where it is struck, in its own coordinates
    finer : times that pieces are smaller there
    reach : m, within which they are
    grain : (3,) by which they are longer along each axis
    seed : another makes other pieces
    """

    count: int
    sizes: np.ndarray
    blow: np.ndarray
    finer: float
    reach: float
    grain: np.ndarray
    seed: int


@dataclass(frozen=True)
class Cut:
    """A piece where it was: `mesh` in m, about 0 at `middle`, (3,), with `volume` in m^3; `tone` is how light
    its broken sides are."""

    mesh: Mesh
    middle: np.ndarray
    volume: float
    tone: float


@kernel
def _turns(t, points, out):
    """How often a mesh, of columns (9, m), winds round each point, along a ray upwards from it."""
    for n in range(points.shape[0]):
        x, y, z = points[n, 0], points[n, 1], points[n, 2]
        for m in range(t.shape[1]):
            if max(t[0, m], t[3, m], t[6, m]) <= x or min(t[0, m], t[3, m], t[6, m]) >= x:
                continue
            ab = (t[3, m] - t[0, m]) * (y - t[1, m]) - (t[4, m] - t[1, m]) * (x - t[0, m])
            bc = (t[6, m] - t[3, m]) * (y - t[4, m]) - (t[7, m] - t[4, m]) * (x - t[3, m])
            ca = (t[0, m] - t[6, m]) * (y - t[7, m]) - (t[1, m] - t[7, m]) * (x - t[6, m])
            over, under = ab > 0 and bc > 0 and ca > 0, ab < 0 and bc < 0 and ca < 0
            if (over or under) and (bc * t[2, m] + ca * t[5, m] + ab * t[8, m]) / (ab + bc + ca) > z:
                out[n] += 1 if over else -1


def within(mesh: Mesh, points: np.ndarray) -> np.ndarray:
    """Whether points lie inside a closed mesh, (n,)."""
    turns = np.zeros(len(points), np.int64)
    columns = np.ascontiguousarray(mesh.corners.reshape(-1, 9).T, np.float64)
    _turns(columns, np.asarray(points, np.float64), turns)
    return turns != 0


def _candidates(mesh: Mesh, count: int, seed: int) -> np.ndarray:
    """Places even through a solid; of one that is thin, also on its surface."""
    low, high = (b.astype(np.float64) for b in mesh.bounds)
    n = np.arange(4 * count)
    tried = low + np.stack([unit_array(seed, n, k) for k in range(3)], axis=1) * (high - low)
    found = tried[within(mesh, tried)]
    if len(found) >= count // 2:
        return found
    spacing = float(np.sqrt(mesh.area / count))
    spread = spread_over(mesh, np.arange(len(mesh.faces)), spacing, seed)
    return np.concatenate([found, spread.on(mesh).astype(np.float64)])


def sites(mesh: Mesh, volume: float, how: Breaking) -> tuple[np.ndarray, np.ndarray]:
    """Middles (n, 3) and radii (n,) of balls in a solid, in coordinates shortened along its grain."""
    places = _candidates(mesh, max(40 * how.count, 2000), how.seed) / how.grain
    away = np.linalg.norm(places * how.grain - how.blow, axis=1) / max(how.reach, 1e-9)
    near = 1.0 / (1.0 + (how.finer - 1.0) * np.exp(-away * away))  # size of what lies there
    weight = np.cumsum(near**-3.0)
    order = np.argsort(-how.sizes, kind="stable")
    thin = min(1.0, volume / max(float(np.prod(np.ptp(mesh.points, axis=0))), 1e-12))
    mean = float(np.mean(how.sizes**3) * len(places) / weight[-1])  # balls lie where they are small
    whole = FILLS * volume / float(np.prod(how.grain)) / (4.19 * how.count * max(mean, 1e-30))
    scale = np.cbrt(whole) * (1.0 + (1.0 - thin))  # in a shell they lie in one layer, and are wider
    found, radii = np.empty((how.count, 3)), np.empty(how.count)
    for n, rank in enumerate(order):
        draws = unit_array(how.seed + 1, np.arange(CANDIDATES) + n * CANDIDATES, 7).astype(np.float64)
        tried = np.minimum(np.searchsorted(weight, draws * weight[-1]), len(places) - 1)
        own = scale * how.sizes[rank] * near[tried]
        room = np.full(CANDIDATES, np.inf)
        if n:
            gaps = np.linalg.norm(places[tried][:, None] - found[None, :n], axis=2) - radii[None, :n]
            room = gaps.min(axis=1) / own
        best = int(np.argmax(room))
        found[n] = places[tried[best]]
        radii[n] = own[best] * min(1.0, max(float(room[best]), 0.05))
    return found, radii


def cells(middles: np.ndarray, radii: np.ndarray, size: float) -> list[np.ndarray]:
    """Corners (m, 3) of the power cell of each ball."""
    around = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float)
    points = np.concatenate([middles, middles.mean(axis=0) + FAR * size * around])
    power = np.concatenate([radii, np.zeros(8)]) ** 2
    lifted = np.column_stack([points, (points**2).sum(axis=1) - power])
    hull = ConvexHull(lifted, qhull_options="Qt")
    lower = hull.equations[:, 3] < -1e-12
    normal = hull.equations[lower]
    corners = normal[:, :3] / (-2.0 * normal[:, 3:4])
    simplices = hull.simplices[lower]
    rows = np.repeat(np.arange(len(simplices)), simplices.shape[1])
    owner = simplices.reshape(-1)
    order = np.argsort(owner, kind="stable")
    starts = np.searchsorted(owner[order], np.arange(len(middles) + 1))
    return [corners[np.unique(rows[order[starts[n] : starts[n + 1]]])] for n in range(len(middles))]


def _divided(
    body: manifold3d.Manifold, corners: list[np.ndarray], which: list[int]
) -> Iterator[tuple[int, manifold3d.Manifold]]:
    """What of a body each cell holds. Halves are cut off first, so that each cell meets few triangles."""
    if len(which) <= FEW or body.is_empty():
        for n in which:
            for part in (body ^ manifold3d.Manifold.hull_points(corners[n])).decompose():
                yield n, part
        return
    middles = np.array([np.median(corners[n], axis=0) for n in which])
    order = np.argsort(middles[:, int(np.argmax(np.ptp(middles, axis=0)))], kind="stable")
    bounds = np.asarray(body.bounding_box()).reshape(2, 3)
    for half in (order[: len(order) // 2], order[len(order) // 2 :]):
        own = [which[k] for k in half]
        held = np.concatenate([corners[n] for n in own])
        pad = 0.02 * np.ptp(bounds, axis=0)
        low, high = (
            np.maximum(held.min(axis=0), bounds[0]) - pad,
            np.minimum(held.max(axis=0), bounds[1]) + pad,
        )
        box = manifold3d.Manifold.cube(np.maximum(high - low, 0.0)).translate(low)
        yield from _divided(body ^ box, corners, own)


def broken(solid: Solid, how: Breaking) -> list[Cut]:
    """A solid in pieces, each of them whole; together they fill it."""
    volume = float(solid.body.volume())
    whole = mesh_of(solid, solid.body)
    low, high = (b.astype(np.float64) for b in whole.bounds)
    middles, radii = sites(whole, volume, how)
    # cells are laid out about the middle, where numbers are small
    about, size = 0.5 * (low + high) / how.grain, float((high - low).max())
    corners = [(c + about) * how.grain for c in cells(middles - about, radii, size)]
    held = [n for n, c in enumerate(corners) if len(c) >= 4]  # others swallow the rest
    tones = 0.88 + 0.24 * unit_array(how.seed, np.arange(how.count), 9).astype(np.float64)
    return [
        _piece(mesh_of(solid, part), part.volume(), float(tones[n]))
        for n, part in _divided(solid.body, corners, held)
        if part.volume() > LEAST * volume / how.count
    ]


def _piece(mesh: Mesh, volume: float, tone: float) -> Cut:
    """About its middle of mass."""
    _, middle, _ = moments(mesh.corners.astype(np.float64))
    return Cut(mesh.moved(mesh.points - middle), middle, float(volume), tone)
