"""Drawing quads as a game would: back to front, from mip-mapped atlases, with soft edges; and counting
them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
TWO = np.float32(2.0)
NEAREST = np.float32(0.05)
BANDS = 16
STILL = np.zeros((0, 0, 2), np.float32)
WHOLE = np.zeros((0, 8, 2), np.float32)
X, Y, COS, SIN, HALF_WIDE, HALF_TALL, DEPTH, FRAME, NEXT, BLEND, OPACITY, PER_PX, TEXELS, TINT = range(14)
STANDS, PLANE = 16, 17
QUAD_FIELDS = 29
"""Columns of a table of quads: centre in px; unit axis along the width (px space, y down); half width and
half height in px; depth in m; frame, next frame and the share of the next one; opacity; m per px; texels per
px; red, green and blue by which its light is multiplied.

One that does not face the picture has the depth of its centre, m, in STANDS, which is 0 otherwise, and four
rows of three numbers in PLANE. With x, y the px from the first two columns on, and p = (x, y, 1), its
coordinates are the first two rows times p, and its depth the fourth, each over the third times p. The first
columns hold the box round it then."""


@dataclass(frozen=True)
class Book:
    """A packed flipbook, ready to be drawn.

    Attributes
    ----------
    levels : mip levels from the largest down, (h, w, 4), linear and premultiplied
    columns, cell, padding : how frames lie in the largest level, px
    frames : how many there are
    size : m that a frame spans, across and up
    """

    levels: tuple[np.ndarray, ...]
    columns: int
    cell: tuple[int, int]
    padding: int
    frames: int
    size: tuple[float, float]


def quad_table(
    at: np.ndarray,
    half: np.ndarray,
    turn: np.ndarray,
    place: np.ndarray,
    frames: int,
    opacity: np.ndarray,
    per_px: np.ndarray,
    texels: np.ndarray,
    tint: np.ndarray | None = None,
) -> np.ndarray:
    """Quads as the kernels take them, the far ones first.

    Parameters
    ----------
    at : (n, 3) centres, px and depth in m
    half : (n, 2) half sizes, px; turn : (n,) axis along the width as cosine and sine, (n, 2)
    place : (n,) how far through the frames each is, 0 to frames - 1
    texels : (n,) texels of a frame for each px
    tint : (n, 3) by which light is multiplied; by default 1

    Returns
    -------
    (n, QUAD_FIELDS) float32
    """
    out = np.empty((len(at), QUAD_FIELDS), np.float32)
    place = np.clip(np.nan_to_num(place), 0, frames - 1)  # a frame is looked up by it
    frame = np.floor(place)
    out[:, X], out[:, Y], out[:, DEPTH] = at[:, 0], at[:, 1], at[:, 2]
    out[:, COS], out[:, SIN] = turn[:, 0], turn[:, 1]
    out[:, HALF_WIDE], out[:, HALF_TALL] = half[:, 0], half[:, 1]
    out[:, FRAME], out[:, NEXT], out[:, BLEND] = frame, np.minimum(frame + 1, frames - 1), place - frame
    out[:, OPACITY], out[:, PER_PX], out[:, TEXELS] = opacity, per_px, texels
    out[:, TINT:STANDS] = 1.0 if tint is None else tint
    out[:, STANDS:] = 0.0
    return out[np.argsort(-out[:, DEPTH], kind="stable")]


@kernel
def _row(q, n, dx, dy):
    """A row of a quad's plane times a place."""
    k = PLANE + 3 * n
    return q[k] * dx + q[k + 1] * dy + q[k + 2]


@kernel
def _depth(q, x, y):
    """Depth of a quad at a pixel's centre, m."""
    if q[STANDS] <= ZERO:
        return q[DEPTH]
    dx, dy = np.float32(x) + HALF - q[X], np.float32(y) + HALF - q[Y]
    return max(_row(q, 3, dx, dy) / _row(q, 2, dx, dy) + q[DEPTH] - q[STANDS], NEAREST)


@kernel
def _place(q, x, y):
    """Coordinates of a pixel centre in a quad, each in [-1, 1] inside (second one up)."""
    dx, dy = np.float32(x) + HALF - q[X], np.float32(y) + HALF - q[Y]
    if q[STANDS] > ZERO:
        w = _row(q, 2, dx, dy)
        if w <= ZERO:  # behind the eye
            return TWO, TWO
        return _row(q, 0, dx, dy) / w, _row(q, 1, dx, dy) / w
    return (dx * q[COS] + dy * q[SIN]) / q[HALF_WIDE], (dx * q[SIN] - dy * q[COS]) / q[HALF_TALL]


@kernel
def _within(q, cuts, u, v):
    """Whether a place of a quad is drawn: inside, and within the cut-out of its frame where there is one."""
    if abs(u) > ONE or abs(v) > ONE:
        return False
    if cuts.shape[0] > 0:
        n = max(min(np.int64(q[FRAME]), cuts.shape[0] - 1), 0)
        corners = cuts.shape[1]
        for k in range(corners):
            after = (k + 1) % corners
            along, up = cuts[n, after, 0] - cuts[n, k, 0], cuts[n, after, 1] - cuts[n, k, 1]
            if along * (v - cuts[n, k, 1]) - up * (u - cuts[n, k, 0]) < ZERO:
                return False
    return True


@kernel
def _holds(q, cuts, x, y):
    """Whether what is drawn of a quad holds a pixel's centre."""
    u, v = _place(q, x, y)
    return _within(q, cuts, u, v)


@kernel
def _extent(q, width, top, bottom):
    """Pixel rows and columns that a quad can touch, within a band."""
    rx = abs(q[COS]) * q[HALF_WIDE] + abs(q[SIN]) * q[HALF_TALL]
    ry = abs(q[SIN]) * q[HALF_WIDE] + abs(q[COS]) * q[HALF_TALL]
    left, right = max(np.int64(np.floor(q[X] - rx)), 0), min(np.int64(np.ceil(q[X] + rx)), width)
    first, last = max(np.int64(np.floor(q[Y] - ry)), top), min(np.int64(np.ceil(q[Y] + ry)), bottom)
    return left, right, first, last


@kernel(parallel=True)
def count_layers(quads, cuts, layers):
    """Add 1 to each pixel of `layers` (h, w) int32 for each quad of which what is drawn holds its centre."""
    height, width = layers.shape
    for p_ in prange(BANDS):
        band = np.int64(p_)
        top, bottom = height * band // BANDS, height * (band + 1) // BANDS
        for n in range(quads.shape[0]):
            left, right, first, last = _extent(quads[n], width, top, bottom)
            for y in range(first, last):
                for x in range(left, right):
                    if _holds(quads[n], cuts, x, y):
                        layers[y, x] += 1


@kernel(parallel=True)
def count_covered(quads, cuts, width, height):
    """Pixels times layers, and pixels with any layer, of each row of a picture: (height, 2), without the
    picture."""
    out = np.zeros((height, 2), np.int64)
    for p_ in prange(height):
        y = np.int64(p_)
        change = np.zeros(width + 1, np.int32)
        for n in range(quads.shape[0]):
            left, right, first, last = _extent(quads[n], width, y, y + 1)
            if first >= last or left >= right:  # beside the picture
                continue
            # a row cuts a convex shape in one run of pixels: look for its ends from outside
            while left < right and not _holds(quads[n], cuts, left, y):
                left += 1
            while right > left and not _holds(quads[n], cuts, right - 1, y):
                right -= 1
            change[left] += 1
            change[right] -= 1
        layers = 0
        for x in range(width):
            layers += change[x]
            out[y, 0] += layers
            out[y, 1] += 1 if layers > 0 else 0
    return out


@kernel
def _texel(levels, offsets, widths, level, x, y, touched, blocks, out, weight):
    """Bilinear read at texel coordinates of one mip level, added to `out`; marks the 4 x 4 blocks it
    reads."""
    w = widths[level]
    fx, fy = x - HALF, y - HALF
    a, b = np.int64(np.floor(fx)), np.int64(np.floor(fy))
    p, q = fx - np.float32(a), fy - np.float32(b)
    h = (offsets[level + 1] - offsets[level]) // w
    for j in range(2):
        row = min(max(b + j, 0), h - 1)
        wy = (q if j else ONE - q) * weight
        for i in range(2):
            column = min(max(a + i, 0), w - 1)
            share = wy * (p if i else ONE - p)
            at = offsets[level] + row * w + column
            for c in range(4):
                out[c] += share * levels[at, c]
            touched[blocks[level] + (row // 4) * ((w + 3) // 4) + column // 4] = 1


@kernel
def _moved(motion, x, y, n, low, high):
    """Motion at a place of a frame that reaches from `low` to `high` texels along this axis's own atlas."""
    h, w, _ = motion.shape
    fx, fy = x - HALF, y - HALF
    a, b = np.int64(np.floor(fx)), np.int64(np.floor(fy))
    p, q = fx - np.float32(a), fy - np.float32(b)
    a0, a1 = min(max(a, low[0]), high[0]), min(max(a + 1, low[0]), high[0])
    b0, b1 = min(max(b, low[1]), high[1]), min(max(b + 1, low[1]), high[1])
    top = (ONE - p) * motion[b0, a0, n] + p * motion[b0, a1, n]
    foot = (ONE - p) * motion[b1, a0, n] + p * motion[b1, a1, n]
    return (ONE - q) * top + q * foot


@kernel(parallel=True)
def _draw(quads, cuts, levels, offsets, widths, blocks, grid, depth, soft, blend, motion, image, touched):
    """`grid`: columns, cell width, cell height, padding, of the largest level."""
    height, width, _ = image.shape
    count = widths.size
    for p_ in prange(BANDS):
        band = np.int64(p_)
        top, bottom = height * band // BANDS, height * (band + 1) // BANDS
        sample = np.zeros(4, np.float32)
        for n in range(quads.shape[0]):
            q = quads[n]
            left, right, first, last = _extent(q, width, top, bottom)
            level = 0
            density = q[TEXELS]
            while density > np.float32(1.5) and level < count - 1:
                density *= HALF
                level += 1
            scale = ONE / np.float32(1 << level)
            for y in range(first, last):
                for x in range(left, right):
                    u, v = _place(q, x, y)
                    if not _within(q, cuts, u, v):
                        continue
                    fade = q[OPACITY]
                    gap = depth[y, x] - _depth(q, x, y)
                    if gap <= ZERO:
                        continue
                    if soft > ZERO:
                        fade *= min(gap / soft, ONE)
                    sample[:] = ZERO
                    for step in range(2 if blend else 1):
                        frame = np.int64(q[NEXT]) if step else np.int64(q[FRAME])
                        weight = q[BLEND] if step else (ONE - q[BLEND] if blend else ONE)
                        if weight <= ZERO:
                            continue
                        column, row = frame % grid[0], frame // grid[0]
                        tx = np.float32(column * grid[1] + grid[3]) + (u + ONE) * HALF * np.float32(
                            grid[1] - 2 * grid[3]
                        )
                        ty = np.float32(row * grid[2] + grid[3]) + (ONE - v) * HALF * np.float32(
                            grid[2] - 2 * grid[3]
                        )
                        if motion.size > 0 and blend:
                            wide, tall = grid[1] - 2 * grid[3], grid[2] - 2 * grid[3]
                            low = (column * grid[1] + grid[3], row * grid[2] + grid[3])
                            high = (low[0] + wide - 1, low[1] + tall - 1)
                            along = ONE - q[BLEND] if step else -q[BLEND]
                            dx = along * _moved(motion, tx, ty, 0, low, high) * np.float32(wide)
                            dy = along * _moved(motion, tx, ty, 1, low, high) * np.float32(tall)
                            # never beyond the padding, where the next frame begins
                            tx = min(
                                max(tx + dx, np.float32(column * grid[1]) + HALF),
                                np.float32((column + 1) * grid[1]) - HALF,
                            )
                            ty = min(
                                max(ty + dy, np.float32(row * grid[2]) + HALF),
                                np.float32((row + 1) * grid[2]) - HALF,
                            )
                        _texel(
                            levels,
                            offsets,
                            widths,
                            level,
                            tx * scale,
                            ty * scale,
                            touched,
                            blocks,
                            sample,
                            weight,
                        )
                    kept = ONE - sample[3] * fade
                    for c in range(3):
                        image[y, x, c] = image[y, x, c] * kept + sample[c] * fade * q[TINT + c]


def draw_quads(
    quads: np.ndarray,
    levels: tuple[np.ndarray, ...],
    grid: tuple[int, int, int, int],
    depth: np.ndarray,
    soft: float,
    blend: bool,
    image: np.ndarray,
    motion: np.ndarray = STILL,
    cuts: np.ndarray = WHOLE,
) -> list[int]:
    """Draw quads over `image` (h, w, 3), linear, in place.

    Parameters
    ----------
    quads : as tenka.proof.elements.flipbook.quads gives them
    levels : mip levels, (h, w, 4) linear premultiplied
    grid : columns, cell width, cell height, padding
    motion : (h, w, 2) how what is seen moves to the next frame, as shares of a frame: blended along it
    cuts : (m, 8, 2) convex cut-outs of frames, anticlockwise, each coordinate in [-1, 1] with the second one
        up; the last one is of all frames after it too
    depth : (h, w) m, of what sprites may be hidden by and soften against

    Returns
    -------
    number of 4 x 4 texel blocks read of each mip level
    """
    flat = np.concatenate([level.reshape(-1, 4) for level in levels])
    offsets = np.cumsum([0, *(level.shape[0] * level.shape[1] for level in levels)]).astype(np.int64)
    widths = np.array([level.shape[1] for level in levels], np.int64)
    sizes = [((level.shape[0] + 3) // 4) * ((level.shape[1] + 3) // 4) for level in levels]
    blocks = np.cumsum([0, *sizes]).astype(np.int64)
    touched = np.zeros(int(blocks[-1]), np.uint8)
    _draw(
        quads,
        cuts,
        flat,
        offsets,
        widths,
        blocks,
        np.array(grid, np.int64),
        depth,
        np.float32(soft),
        blend,
        motion,
        image,
        touched,
    )
    return [int(touched[a:b].sum()) for a, b in zip(blocks, blocks[1:])]
