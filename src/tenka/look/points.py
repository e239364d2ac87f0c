"""Particles as pictures: what each looks like now, and thousands or a million of them over a picture, from
the back to the front.

Each becomes a splat: a disc, a soft sprite or a streak in the picture, with premultiplied light and a share
by which it hides. Splats are sorted by depth and shared out to bands of rows, which are drawn at once.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.look.sprites import QUAD_FIELDS, quad_table
from tenka.look.swarm import DISC, LEAST_PX, LINE, MOST_PX, PointSet
from tenka.scene.cameras import View

BANDS = 24
ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)


NEAREST_M = 0.05


def quads_of(points: PointSet, view: View) -> np.ndarray:
    """Particles that play a flipbook as quads, far ones first, as tenka.look.sprites.draw_quads takes
    them."""
    book = points.book
    if book is None or not len(points):
        return np.zeros((0, QUAD_FIELDS), np.float32)
    at = view.project(points.place)
    kept = np.flatnonzero(at[:, 2] > NEAREST_M)
    at = at[kept]
    depth = np.ones(len(at)) if view.orthographic else at[:, 2]
    per_px = 2.0 * view.half_height * depth / view.height
    half = 0.5 * points.width[kept][:, None] * np.array([1.0, book.size[1] / book.size[0]]) / per_px[:, None]
    place = np.clip(points.life[kept], 0, 1) * (book.frames - 1)
    texels = (book.cell[0] - 2 * book.padding) / np.maximum(2.0 * half[:, 0], 1e-6)
    turn = points.turn[kept]
    axis = np.stack([np.cos(turn), -np.sin(turn)], axis=1)
    return quad_table(at, half, axis, place, book.frames, points.alpha[kept], per_px, texels)


@kernel(parallel=True)
def _project(view, width, height, place, tail, size, colour, alpha, kind, softness, opaque, least, out, keep):
    """Fill the splats of all particles; `keep` says which are in the picture."""
    for p_ in prange(place.shape[0]):
        n = np.int64(p_)
        keep[n] = 0
        dx, dy, dz = place[n, 0] - view[0], place[n, 1] - view[1], place[n, 2] - view[2]
        depth = dx * view[3] + dy * view[4] + dz * view[5]
        if depth < np.float32(0.05):
            continue
        flat = view[14] > HALF
        scale = ONE if flat else ONE / depth
        half_w, half_h = np.float32(width) * HALF, np.float32(height) * HALF
        x = ((dx * view[6] + dy * view[7] + dz * view[8]) * scale / view[12] + ONE) * half_w
        y = (ONE - (dx * view[9] + dy * view[10] + dz * view[11]) * scale / view[13]) * half_h
        radius = HALF * size[n] * scale / view[13] * half_h
        tx, ty = x, y
        ex, ey, ez = tail[n, 0] - view[0], tail[n, 1] - view[1], tail[n, 2] - view[2]
        far = ex * view[3] + ey * view[4] + ez * view[5]
        if far > np.float32(0.05):
            scale = ONE if flat else ONE / far
            tx = ((ex * view[6] + ey * view[7] + ez * view[8]) * scale / view[12] + ONE) * half_w
            ty = (ONE - (ex * view[9] + ey * view[10] + ez * view[11]) * scale / view[13]) * half_h
        a = alpha[n]
        if radius < least:  # it covers less than a pixel: as large as one, and lets through the more
            long = math.sqrt((tx - x) ** 2 + (ty - y) ** 2)
            before = math.pi * radius * radius + 2 * radius * long
            after = math.pi * least * least + 2 * least * long
            a *= min(ONE, max(before / after, np.float32(0.0)))
            radius = least
        if kind == LINE or (kind == DISC and size[n] < np.float32(2e-6)):
            a, radius = alpha[n], least
        if radius > np.float32(MOST_PX) or a <= np.float32(1e-5):
            continue
        if (
            max(x, tx) + radius < ZERO
            or min(x, tx) - radius > width
            or max(y, ty) + radius < ZERO
            or min(y, ty) - radius > height
        ):
            continue
        keep[n] = 1
        out[n, 0], out[n, 1], out[n, 2], out[n, 3], out[n, 4], out[n, 5] = x, y, tx, ty, radius, depth
        out[n, 6], out[n, 7], out[n, 8], out[n, 9] = (
            colour[n, 0] * a,
            colour[n, 1] * a,
            colour[n, 2] * a,
            a * opaque,
        )
        out[n, 10], out[n, 11] = softness, np.float32(kind)


def splats_of(points: PointSet, view: View) -> np.ndarray:
    """The particles that are in a picture, (m, 12): x, y of the head; x, y of the tail; radius in px; depth
    in m; red, green, blue, and the share
    by which it hides; softness; kind."""
    n = len(points)
    out, keep = np.empty((n, 12), np.float32), np.empty(n, np.uint8)
    if n:
        _project(
            view.packed(),
            view.width,
            view.height,
            points.place,
            points.tail,
            points.width,
            points.colour,
            points.alpha,
            points.kind,
            np.float32(points.softness),
            np.float32(points.opaque),
            np.float32(LEAST_PX),
            out,
            keep,
        )
    return out[keep.astype(bool)] if n and not keep.all() else out


@kernel
def _banded(rows, order, height, counts, fill, members):
    """Indices of the splats of each band, in the order given; called twice: to count, then to fill."""
    for m in range(order.size):
        n = order[m]
        top = min(rows[n, 1], rows[n, 3]) - rows[n, 4] - ONE  # its edge fades over half a pixel besides
        foot = max(rows[n, 1], rows[n, 3]) + rows[n, 4] + ONE
        a = max(np.int64(top * BANDS / height), 0)
        b = min(np.int64(foot * BANDS / height), BANDS - 1)
        for band in range(a, b + 1):
            if fill:
                members[counts[band]] = n
            counts[band] += 1


@kernel(parallel=True)
def _paint(rows, members, starts, depth, image, alpha):
    """Draw splats over a picture, each band on its own, in the order of `members`."""
    height, width, _ = image.shape
    for p_ in prange(BANDS):
        band = np.int64(p_)
        top, foot = -((-height * band) // BANDS), -((-height * (band + 1)) // BANDS)
        for m in range(starts[band], starts[band + 1]):
            q = rows[members[m]]
            x, y, tx, ty, radius = q[0], q[1], q[2], q[3], q[4]
            ux, uy = tx - x, ty - y
            long2 = ux * ux + uy * uy
            inverse = ONE / long2 if long2 > np.float32(1e-6) else ZERO
            first = max(np.int64(np.ceil(min(y, ty) - radius - ONE)), top)
            last = min(np.int64(np.floor(max(y, ty) + radius + ONE)), foot - 1)
            left = max(np.int64(np.ceil(min(x, tx) - radius - ONE)), 0)
            right = min(np.int64(np.floor(max(x, tx) + radius + ONE)), width - 1)
            soft = max(q[10] * radius, ONE)
            for j in range(first, last + 1):
                py = np.float32(j) + HALF - y
                for i in range(left, right + 1):
                    px = np.float32(i) + HALF - x
                    s = min(max(ZERO, (px * ux + py * uy) * inverse), ONE)
                    dx, dy = px - s * ux, py - s * uy
                    d = np.sqrt(dx * dx + dy * dy)
                    light = ONE
                    if q[11] > np.float32(2.5) and q[11] < np.float32(3.5):
                        cover = min(max(ZERO, radius + HALF - d), ONE)
                        light = np.float32(0.35) + np.float32(0.75) * np.sqrt(
                            max(ONE - (d / (radius + HALF)) ** 2, ZERO)
                        )
                    elif q[11] > HALF:
                        e = min(max(ZERO, (radius + HALF - d) / soft), ONE)
                        cover = e * e * (np.float32(3.0) - np.float32(2.0) * e)
                        if q[11] < np.float32(1.5):
                            cover *= ONE - np.float32(0.75) * s  # the tail of a streak is what was
                    else:
                        cover = min(max(ZERO, radius + HALF - d), ONE)
                    if cover <= ZERO or depth[j, i] < q[5]:
                        continue
                    keep = ONE - cover * q[9]
                    for c in range(3):
                        image[j, i, c] = image[j, i, c] * keep + cover * light * q[6 + c]
                    alpha[j, i] = ONE - (ONE - alpha[j, i]) * (ONE - cover * max(q[9], np.float32(0.0)))


@kernel
def count_splats(rows, layers):
    """Add one to each pixel for each splat that reaches it."""
    height, width = layers.shape
    for n in range(rows.shape[0]):
        q = rows[n]
        x, y, ux, uy, radius = q[0], q[1], q[2] - q[0], q[3] - q[1], q[4] + HALF
        long2 = ux * ux + uy * uy
        inverse = ONE / long2 if long2 > np.float32(1e-6) else ZERO
        first = max(np.int64(np.ceil(min(y, y + uy) - radius)), 0)
        last = min(np.int64(np.floor(max(y, y + uy) + radius)), height - 1)
        left = max(np.int64(np.ceil(min(x, x + ux) - radius)), 0)
        right = min(np.int64(np.floor(max(x, x + ux) + radius)), width - 1)
        for j in range(first, last + 1):
            py = np.float32(j) + HALF - y
            for i in range(left, right + 1):
                px = np.float32(i) + HALF - x
                s = min(max(ZERO, (px * ux + py * uy) * inverse), ONE)
                dx, dy = px - s * ux, py - s * uy
                if dx * dx + dy * dy <= radius * radius:
                    layers[j, i] += 1


def paint(rows: np.ndarray, depth: np.ndarray, image: np.ndarray, alpha: np.ndarray) -> None:
    """Draw splats over a picture in place, the furthest first; those behind `depth` (h, w) m are hidden.

    Parameters
    ----------
    image : (h, w, 3) linear; alpha : (h, w), how much of what was there is hidden
    """
    if not len(rows):
        return
    order = np.argsort(-rows[:, 5], kind="stable")
    height = image.shape[0]
    counts, none = np.zeros(BANDS, np.int64), np.zeros(0, np.int64)
    _banded(rows, order, float(height), counts, False, none)
    starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    members = np.empty(int(starts[-1]), np.int64)
    _banded(rows, order, float(height), starts[:-1].copy(), True, members)
    with parallel_chunksize(1):  # what is dense often lies in few bands
        _paint(rows, members, starts, depth, image, alpha)
