"""Cut-outs: convex shapes round what is seen of a flipbook's frames, so that sprites shade less.

A shape is the frame's tight rectangle with some of its corners cut off. Each cut lies against what is seen
and is the one of all directions that takes most away; none reaches beyond the frame, where its neighbours
lie.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from scipy.ndimage import map_coordinates

from tenka.package.elements import flipbook as form

MARGIN = 1.0  # texels round what is seen, as far as a texel reaches when it is read between others
DIRECTIONS = np.radians(np.linspace(3.0, 87.0, 57))  # of cuts, within a quarter turn
BETWEEN = (0.25, 0.5, 0.75)  # shares of the next frame at which frames that are blended along motion are held
DIGITS = 5
FINE = 256  # texels of a frame's side when shapes are united
SPECK = ((0.0, 0.0), (0.001, 0.0), (0.0, 0.001))  # of a frame in which nothing is seen
Corners = tuple[tuple[float, float], ...]


def shape_of(seen: np.ndarray, corners: int) -> Corners:
    """A convex shape round the texels that are seen.

    Parameters
    ----------
    seen : (h, w) bool, rows from the top
    corners : at most, 4 to 8

    Returns
    -------
    corners as shares of the frame from its lower left one, anticlockwise; whole texels with `MARGIN` are
    within them, as far as that is within the frame
    """
    high, wide = seen.shape
    rows = np.flatnonzero(seen.any(axis=1))
    if not len(rows):
        return SPECK
    left = np.argmax(seen[rows], axis=1) - MARGIN
    right = wide - np.argmax(seen[rows][:, ::-1], axis=1) + MARGIN
    points = np.array(
        [
            (x, high - row + dy)
            for xs in (left, right)
            for x, row in zip(xs, rows)
            for dy in (MARGIN, -1 - MARGIN)
        ]
    )
    points = np.clip(points, 0.0, (wide, high))
    low, far = points.min(axis=0), points.max(axis=0)
    cuts = []
    for n, (sx, sy) in enumerate(((-1, -1), (1, -1), (1, 1), (-1, 1))):
        corner = np.array([far[0] if sx > 0 else low[0], far[1] if sy > 0 else low[1]])
        way = np.stack([sx * np.cos(DIRECTIONS), sy * np.sin(DIRECTIONS)])
        deep = np.maximum(corner @ way - (points @ way).max(axis=0), 0.0)
        area = 0.5 * deep**2 / np.abs(way[0] * way[1])
        best = int(np.argmax(area))
        across, up = deep[best] / abs(way[0, best]), deep[best] / abs(way[1, best])
        ends = [corner - (sx * across, 0.0), corner - (0.0, sy * up)]
        cuts.append((float(area[best]), corner, ends if n % 2 else ends[::-1]))
    least = sorted((area for area, _, _ in cuts), reverse=True)[: corners - 4]
    shape: list[np.ndarray] = []
    for area, corner, ends in cuts:
        shape += ends if least and area >= least[-1] and area > 0 else [corner]
    found = np.clip(np.array(shape) / (wide, high), 0.0, 1.0)
    return tuple((round(float(x), DIGITS), round(float(y), DIGITS)) for x, y in found)


def with_next(frames: list[np.ndarray], element: form.Flipbook) -> Iterator[np.ndarray]:
    """What is seen of each frame or of the next, which is blended into it."""
    for n, seen in enumerate(frames):
        yield seen | frames[element.after(n)]


def seen_of(
    element: form.Flipbook,
    colour: np.ndarray,
    light: np.ndarray | None = None,
    motion: np.ndarray | None = None,
) -> Iterator[np.ndarray]:
    """What is seen of each frame while it is shown: itself, the next, and all between them.

    Parameters
    ----------
    colour : the atlas, (h, w, 4) uint8; light : what is added to it, (h, w, 3) uint8
    motion : (h, w, 2), as shares of a frame

    Yields
    ------
    (h, w) bool of a frame without its padding
    """
    any_ = colour[..., 3] > 0
    if element.colour.alpha == "premultiplied":
        any_ |= colour[..., :3].any(axis=2)
    if light is not None:
        any_ |= light.any(axis=2)
    wide, tall = element.cell
    pad = element.padding

    def place(n: int) -> tuple[slice, slice]:
        row, column = divmod(n, element.columns)
        return (
            slice(row * tall + pad, (row + 1) * tall - pad),
            slice(column * wide + pad, (column + 1) * wide - pad),
        )

    y, x = np.mgrid[0 : tall - 2 * pad, 0 : wide - 2 * pad].astype(np.float32)
    frames = [any_[place(n)] for n in range(element.frames)]
    for n, seen in enumerate(with_next(frames, element)):
        if motion is None:
            yield seen
            continue
        pair = place(n), place(element.after(n))
        for share in BETWEEN:
            for at, way in zip(pair, (-share, 1.0 - share)):
                moved = motion[at] * np.array((wide - 2 * pad, tall - 2 * pad), np.float32) * np.float32(way)
                read = [y + moved[..., 1], x + moved[..., 0]]
                seen |= map_coordinates(any_[at].astype(np.float32), read, order=1, mode="constant") > 0
        yield seen


def cut_out(seen: Iterator[np.ndarray], corners: int, one: bool) -> form.CutOut:
    """The cut-out of each frame, or the one of all."""
    if one:
        return form.CutOut(shapes=(shape_of(np.logical_or.reduce(list(seen)), corners),))
    return form.CutOut(shapes=tuple(shape_of(frame, corners) for frame in seen))


def united(cuts: Sequence[form.CutOut], corners: int = form.CUT_CORNERS) -> form.CutOut:
    """One shape round the shapes of several cut-outs of frames that lie alike."""
    from skimage.draw import polygon2mask

    seen = np.zeros((FINE, FINE), bool)
    for shape in (shape for cut in cuts for shape in cut.shapes):
        x, y = np.array(shape).T * FINE
        seen |= polygon2mask(seen.shape, np.stack([FINE - y, x], axis=1))
    return form.CutOut(shapes=(shape_of(seen, corners),))
