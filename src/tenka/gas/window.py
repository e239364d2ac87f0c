"""The part of a box that is simulated when it follows the gas.

A window is a grid of whole blocks of the box's voxels that holds all gas and all sources with a margin. What
is not simulated is still air; a side of the window that is not the box's own wall is open. It depends on the
state alone, so a resumed run has the same windows.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.gas.grid import BURNT, DENSITY, FUEL, TEMPERATURE, GasState, Grid

BLOCK = 8
LEAST_GAS = np.float32(2e-3)
LEAST_HEAT = np.float32(1.5)  # K
SLACK = 2 * BLOCK  # a window shrinks only when this much of it is no longer needed on a side

Span = tuple[tuple[int, int], ...]


@kernel(parallel=True)
def _occupied(s, least, heat):
    """First and last y and z of gas in each x slab, (nx, 4); -1 where a slab holds none."""
    nx, ny, nz, _ = s.shape
    out = np.full((nx, 4), -1, np.int64)
    for p_ in prange(nx):
        i = np.int64(p_)
        y0, y1, z0, z1 = ny, -1, nz, -1
        for j in range(ny):
            for k in range(nz):
                q = s[i, j, k]
                if q[DENSITY] > least or q[FUEL] > least or q[BURNT] > least or abs(q[TEMPERATURE]) > heat:
                    y0, y1, z0, z1 = min(y0, j), max(y1, j), min(z0, k), max(z1, k)
        if y1 >= 0:
            out[i, 0], out[i, 1], out[i, 2], out[i, 3] = y0, y1, z0, z1
    return out


def occupied(state: GasState) -> Span | None:
    """Voxels from and to (exclusive) that hold gas, per axis of the state's own grid; None without any."""
    slabs = _occupied(state.scalars, LEAST_GAS, LEAST_HEAT)
    held = np.flatnonzero(slabs[:, 1] >= 0)
    if not held.size:
        return None
    rows = slabs[held]
    return (
        (int(held[0]), int(held[-1]) + 1),
        (int(rows[:, 0].min()), int(rows[:, 1].max()) + 1),
        (int(rows[:, 2].min()), int(rows[:, 3].max()) + 1),
    )


def offset_of(part: Grid, box: Grid) -> tuple[int, int, int]:
    """Where a window begins, in voxels of its box."""
    x, y, z = (round((a - b) / box.voxel) for a, b in zip(part.origin, box.origin))
    return x, y, z


def part_of_box(box: Grid, span: Span) -> Grid:
    """The window over a span of a box's voxels."""
    (x0, x1), (y0, y1), (z0, z1) = span
    (a, b, c), h = box.origin, box.voxel
    low = [first > 0 or wall for wall, (first, _) in zip(box.open_low, span)]
    high = [last < n or wall for wall, n, (_, last) in zip(box.open_high, box.shape, span)]
    return Grid(
        (x1 - x0, y1 - y0, z1 - z0),
        h,
        (a + x0 * h, b + y0 * h, c + z0 * h),
        (low[0], low[1], low[2]),
        (high[0], high[1], high[2]),
        box.box,
    )


def window_for(box: Grid, present: Grid | None, needs: list[Span], margin: float) -> Grid:
    """The window that holds all of `needs` (in voxels of the box) with a margin in m; the present one as long
    as it does and is not far too large."""
    if not needs:
        needs = [tuple((n // 2, n // 2 + 1) for n in box.shape)]
    reach = math.ceil(margin / box.voxel)
    wanted = []
    for axis, n in enumerate(box.shape):
        first, last = min(s[axis][0] for s in needs) - reach, max(s[axis][1] for s in needs) + reach
        first, last = max(0, first // BLOCK * BLOCK), min(n, -(-last // BLOCK) * BLOCK)
        if last - first < min(n, 2 * BLOCK):  # never thinner than the methods need
            last = min(n, first + 2 * BLOCK)
            first = max(0, last - 2 * BLOCK)
        wanted.append((first, last))
    if present is not None:
        held = [(o, o + m) for o, m in zip(offset_of(present, box), present.shape)]
        if all(a <= c and d <= b for (a, b), (c, d) in zip(held, wanted)):
            if all(c - a < SLACK and b - d < SLACK for (a, b), (c, d) in zip(held, wanted)):
                return present
        # it must grow: on the other sides it stays where it can, so that it does not move at every frame
        else:
            wanted = [
                (a if 0 <= c - a < SLACK else c, b if 0 <= b - d < SLACK else d)
                for (a, b), (c, d) in zip(held, wanted)
            ]
    return part_of_box(box, tuple(wanted))


def moved_to(old: Grid, new: Grid, box: Grid, state: GasState) -> GasState:
    """The state on another window: velocity goes on outwards as it is at the old border; smoke does not."""
    shift = [a - b for a, b in zip(offset_of(new, box), offset_of(old, box))]

    def cut(field: np.ndarray, shape: tuple[int, ...], mode: str) -> np.ndarray:
        inside, pads = [], []
        for d, n, m in zip(shift, field.shape, shape):
            first, last = max(0, d), min(n, d + m)
            inside.append(slice(first, last))
            pads.append((first - d, d + m - last))
        kept = field[tuple(inside)]
        pads += [(0, 0)] * (field.ndim - 3)
        return np.ascontiguousarray(np.pad(kept, pads, mode=mode))  # type: ignore[call-overload]

    nx, ny, nz = new.shape
    return GasState(
        cut(state.u, (nx + 1, ny, nz), "edge"),
        cut(state.v, (nx, ny + 1, nz), "edge"),
        cut(state.w, (nx, ny, nz + 1), "edge"),
        cut(state.scalars, new.shape, "constant"),
        state.time,
        None if state.dye is None else cut(state.dye, new.shape, "constant"),
    )
