"""Where two convex pieces touch: the face along which they overlap least, and what of the other lies under
it.

Method: separating faces of both (S. Gottschalk, "Separating axis theorem and bounding boxes", 1996, without
the axes across two edges), then the other's opposite face clipped to that face's sides (I. Sutherland and G.
Hodgman, "Reentrant polygon clipping", 1974). What the sides leave must also lie within the whole piece, so
that pieces which only pass each other at an edge do not touch.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vectors import cross, dot, minus, plus, put, row, times

POINTS = 8  # of a contact at most
MOST_SIDES = 40  # of a clipped face
WITHIN = 0.01  # of a width, that a contact may lie outside


@kernel
def turned_corners(q, points, size, at, out):
    """A piece's corners in the scene."""
    w, x, y, z = q[0], q[1], q[2], q[3]
    a, b, c = 1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)
    d, e, f = 2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)
    g, h, i = 2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)
    for k in range(points.shape[0]):
        u, v, s = points[k, 0] * size, points[k, 1] * size, points[k, 2] * size
        out[k, 0] = a * u + b * v + c * s + at[0]
        out[k, 1] = d * u + e * v + f * s + at[1]
        out[k, 2] = g * u + h * v + i * s + at[2]


@kernel
def _turned_planes(q, planes, size, at, out, share):
    """A piece's planes in the scene: normal, and distance from 0; `share` 1 with its place, 0 about it."""
    w, x, y, z = q[0], q[1], q[2], q[3]
    a, b, c = 1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)
    d, e, f = 2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)
    g, h, i = 2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)
    for k in range(planes.shape[0]):
        u, v, s = planes[k, 0], planes[k, 1], planes[k, 2]
        out[k, 0], out[k, 1], out[k, 2] = a * u + b * v + c * s, d * u + e * v + f * s, g * u + h * v + i * s
        out[k, 3] = planes[k, 3] * size + share * (out[k, 0] * at[0] + out[k, 1] * at[1] + out[k, 2] * at[2])


@kernel
def _least_overlap(planes, sides, corners, reach):
    """The plane that other corners are least behind, and how far they are before it; -1 where all are before
    one by more than `reach`."""
    best, least = -1, -1e30
    for f in range(planes.shape[0]):
        if sides[f] == 0:
            continue
        near = 1e30
        for k in range(corners.shape[0]):
            d = planes[f, 0] * corners[k, 0] + planes[f, 1] * corners[k, 1] + planes[f, 2] * corners[k, 2]
            near = min(near, d)
        gap = near - planes[f, 3]
        if gap > reach:
            return -1, gap
        if gap > least:
            best, least = f, gap
    return best, least


@kernel
def _clip(polygon, count, side, off, out):
    """The part of a polygon for which side . x <= off, into `out`; how many corners it has."""
    kept = 0
    for k in range(count):
        a, b = row(polygon, k), row(polygon, (k + 1) % count)
        da, db = dot(side, a) - off, dot(side, b) - off
        if da <= 0 and kept < MOST_SIDES:
            put(out, kept, a)
            kept += 1
        if (da < 0 < db or db < 0 < da) and kept < MOST_SIDES:
            put(out, kept, plus(a, da / (da - db), minus(b, a)))
            kept += 1
    return kept


@kernel
def _opposite(n, planes, sides):
    """The plane that faces a direction most."""
    found, most = 0, 1e30
    for g in range(planes.shape[0]):
        if sides[g] > 0 and dot(n, row(planes, g)) < most:
            found, most = g, dot(n, row(planes, g))
    return found


@kernel
def _inside(planes, sides, point, slack):
    for g in range(planes.shape[0]):
        if sides[g] > 0 and dot(row(planes, g), point) - planes[g, 3] > slack:
            return False
    return True


@kernel
def _under(
    f, planes, sides, loops, corners, others, other_sides, other_loops, other_corners, slack, reach, out
):
    """What of another piece lies under face `f` of one: points and depths into `out`, and how many."""
    n = row(planes, f)
    polygon, clipped = np.empty((MOST_SIDES, 3)), np.empty((MOST_SIDES, 3))
    opposite = _opposite(n, others, other_sides)
    count = other_sides[opposite]
    for k in range(count):
        put(polygon, k, row(other_corners, other_loops[opposite, k]))
    around = sides[f]
    for k in range(around):
        a, b = row(corners, loops[f, k]), row(corners, loops[f, (k + 1) % around])
        side = cross(minus(b, a), n)
        count = _clip(polygon, count, side, dot(side, a), clipped)
        polygon, clipped = clipped, polygon
    found, every = 0, max(1.0, count / POINTS)
    for k in range(POINTS):
        at = int(k * every)
        if at >= count:
            break
        point = row(polygon, at)
        depth = planes[f, 3] - dot(n, point)
        if depth > -reach and _inside(planes, sides, point, slack):
            put(out, found, point)
            out[found, 3] = depth
            found += 1
    return found


@kernel
def _corners_in(planes, sides, f, corners, found, out):
    """Corners of one piece that lie within the other, with their depth under its face `f`; how many there are
    by now."""
    for k in range(corners.shape[0]):
        point = row(corners, k)
        if found < POINTS and _inside(planes, sides, point, 0.0):
            put(out, found, point)
            out[found, 3] = planes[f, 3] - dot(row(planes, f), point)
            found += 1
    return found


@kernel
def touch(i, j, place, turn, width, kinds, hulls, share, out):
    """How two pieces touch: points and depths, m, into `out`, (POINTS, 4); how many, and the direction from
    the first to the second. Places are about the first's, so that numbers are small.

    Those touch, too, that are apart by `share` of the smaller's width; their depth is below 0.
    """
    none = (0.0, 0.0, 1.0)
    a, b = kinds[i], kinds[j]
    away = minus(row(place, j), row(place, i))
    reach = share * min(width[i], width[j])
    far = hulls.reach[a] * width[i] + hulls.reach[b] * width[j] + reach
    if dot(away, away) >= far * far:
        return 0, none
    first, second = np.empty(hulls.corners.shape[1:]), np.empty(hulls.corners.shape[1:])
    faces, others = np.empty(hulls.planes.shape[1:]), np.empty(hulls.planes.shape[1:])
    turned_corners(turn[j], hulls.corners[b], width[j], away, second)
    _turned_planes(turn[i], hulls.planes[a], width[i], none, faces, 0.0)
    f, gap = _least_overlap(faces, hulls.sides[a], second, reach)
    if f < 0:
        return 0, none
    turned_corners(turn[i], hulls.corners[a], width[i], (0.0, 0.0, 0.0), first)
    _turned_planes(turn[j], hulls.planes[b], width[j], away, others, 1.0)
    g, other_gap = _least_overlap(others, hulls.sides[b], first, reach)
    if g < 0:
        return 0, none
    slack = max(WITHIN * max(width[i], width[j]), reach)
    loops, other_loops = hulls.loops[a], hulls.loops[b]
    sides, other_sides = hulls.sides[a], hulls.sides[b]
    if gap >= other_gap - 0.1 * slack:  # the first's face where both are as good, so that it stays the same
        way = row(faces, f)
        count = _under(
            f, faces, sides, loops, first, others, other_sides, other_loops, second, slack, reach, out
        )
        if count == 0:
            count = _corners_in(faces, sides, f, second, 0, out)
    else:
        way = times(-1.0, row(others, g))
        count = _under(
            g, others, other_sides, other_loops, second, faces, sides, loops, first, slack, reach, out
        )
        if count == 0:
            count = _corners_in(others, other_sides, g, first, 0, out)
    for k in range(count):
        put(out, k, plus(row(place, i), 1.0, row(out, k)))
    return count, way


@kernel(parallel=True)
def touch_all(pairs, place, turn, width, kinds, hulls, share, counts, ways, points):
    """How all pairs touch."""
    for p_ in prange(pairs.shape[0]):
        n = np.int64(p_)
        count, way = touch(pairs[n, 0], pairs[n, 1], place, turn, width, kinds, hulls, share, points[n])
        counts[n] = count
        put(ways, n, way)
