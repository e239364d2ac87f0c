"""Puffs that are far apart, each simulated in a window of its own within the one that follows them all.

Blocks of voxels that hold gas or a source are grown by the margin; what hangs together is an island. Between
islands the air is still and nothing is computed. They depend on the state alone, so a resumed run has the
same ones.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from tenka.base.jit import kernel, prange
from tenka.gas.grid import BURNT, DENSITY, FUEL, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.window import BLOCK, LEAST_GAS, LEAST_HEAT, Span, offset_of, part_of_box

MOST_SHARE = 0.75  # of the window; with more than that it is simulated whole
LEAST_BLOCKS = 2  # along an axis: never thinner than the methods need

Blocks = tuple[tuple[int, int], ...]


@dataclass
class Island:
    """A part of the window: its grid, where it begins in the window, in voxels, and what it is simulated
    in."""

    grid: Grid
    first: tuple[int, ...]
    work: Workspace
    state: GasState

    def _of(self, field: np.ndarray) -> np.ndarray:
        """The part of a window's field at centres, or on faces, that is this island's."""
        shape = self.state.scalars.shape[:3]
        return field[tuple(slice(f, f + n) for f, n in zip(self.first, shape))]

    def shifted(self, span: Span) -> Span:
        """Voxels of the island as voxels of the window."""
        return tuple((a + f, b + f) for (a, b), f in zip(span, self.first))

    def _pairs(self, whole: GasState) -> list[tuple[np.ndarray, np.ndarray]]:
        own = self.state
        found = [(self._of(whole.scalars), own.scalars)]
        for axis, (a, b) in enumerate(zip((whole.u, whole.v, whole.w), (own.u, own.v, own.w))):
            spans = [slice(f, f + n) for f, n in zip(self.first, b.shape)]
            found.append((a[tuple(spans)], b))
            assert b.shape[axis] == self.grid.shape[axis] + 1
        if whole.dye is not None and own.dye is not None:
            found.append((self._of(whole.dye), own.dye))
        return found

    def take(self, whole: GasState, guesses: np.ndarray) -> None:
        """Begin with what the window's state is here."""
        self.state.time = whole.time
        self.state.dye = None if whole.dye is None else np.empty((*self.grid.shape, 4), np.float32)
        for there, here in self._pairs(whole):
            here[...] = there
        for n in range(len(guesses)):
            self.work.guesses[n] = self._of(guesses[n])

    def give(self, whole: GasState, guesses: np.ndarray) -> None:
        """Put back what became of it."""
        if self.state.dye is not None and whole.dye is None:
            whole.with_dye()
        for there, here in self._pairs(whole):
            there[...] = here
        for n in range(len(guesses)):
            self._of(guesses[n])[...] = self.work.guesses[n]


@kernel(parallel=True)
def _held(s, least, heat, out):
    """Whether each block of voxels holds gas."""
    for p_ in prange(out.shape[0]):
        a = np.int64(p_)
        for i in range(a * BLOCK, min((a + 1) * BLOCK, s.shape[0])):
            for j in range(s.shape[1]):
                for k in range(s.shape[2]):
                    q = s[i, j, k]
                    gas = max(q[DENSITY], max(q[FUEL], q[BURNT]))
                    if gas > least or abs(q[TEMPERATURE]) > heat:
                        out[a, j // BLOCK, k // BLOCK] = True


def _merged(boxes: list[Blocks]) -> list[Blocks]:
    """Boxes of blocks, those that meet or touch as one."""
    boxes = list(boxes)
    again = True
    while again:
        again = False
        for a in range(len(boxes)):
            for b in range(len(boxes) - 1, a, -1):
                if all(p <= s and r <= q for (p, q), (r, s) in zip(boxes[a], boxes[b])):
                    boxes[a] = tuple((min(p, r), max(q, s)) for (p, q), (r, s) in zip(boxes[a], boxes[b]))
                    del boxes[b]
                    again = True
    return boxes


def blocks_held(state: GasState, window: Grid, parts: list[Island] | None) -> np.ndarray:
    """Whether each block of a window's voxels holds gas; looked for in its islands where they are known."""
    held = np.zeros(tuple(-(-n // BLOCK) for n in window.shape), np.bool_)
    if parts is None:
        _held(state.scalars, LEAST_GAS, LEAST_HEAT, held)
        return held
    for island in parts:
        own = np.zeros(tuple(-(-n // BLOCK) for n in island.grid.shape), np.bool_)
        _held(island.state.scalars, LEAST_GAS, LEAST_HEAT, own)
        held[tuple(slice(f // BLOCK, f // BLOCK + n) for f, n in zip(island.first, own.shape))] = own
    return held


def clear(state: GasState, guesses: np.ndarray, parts: list[Island]) -> None:
    """Let the air be still: where some islands are, or without any everywhere."""
    fields = [state.u, state.v, state.w, state.scalars, *((state.dye,) if state.dye is not None else ())]
    for field in (*fields, *guesses):
        for island in parts:
            field[tuple(slice(f, f + n + 1) for f, n in zip(island.first, island.grid.shape))] = 0.0
        if not parts:
            field.fill(0.0)


def islands_of(held: np.ndarray, window: Grid, box: Grid, needs: list[Span], margin: float) -> list[Grid]:
    """The windows of what is far apart; none where it is one, or fills most of the window.

    Parameters
    ----------
    held : whether each block of the window holds gas
    needs : voxels of the box that sources reach
    """
    count = held.shape
    if max(count) < 2 * LEAST_BLOCKS + 1:
        return []
    offset = offset_of(window, box)
    for span in needs:
        low = [max(0, (a - o) // BLOCK) for (a, _), o in zip(span, offset)]
        high = [max(0, -(-(b - o) // BLOCK)) for (_, b), o in zip(span, offset)]
        held[tuple(slice(a, max(a + 1, b)) for a, b in zip(low, high))] = True
    reach = int(np.ceil(margin / (BLOCK * box.voxel)))
    near = ndimage.maximum_filter(held, 2 * reach + 1, mode="constant") if reach else held
    labels, _ = ndimage.label(near, np.ones((3, 3, 3)))
    boxes = []
    for found in ndimage.find_objects(labels):
        spans = []
        for part, n in zip(found, count):
            first, last = part.start, part.stop
            if last - first < min(LEAST_BLOCKS, n):
                last = min(n, first + LEAST_BLOCKS)
                first = max(0, last - LEAST_BLOCKS)
            spans.append((first, last))
        boxes.append(tuple(spans))
    boxes = _merged(boxes)
    volume = sum(np.prod([b - a for a, b in spans]) for spans in boxes)
    if len(boxes) < 2 or volume > MOST_SHARE * np.prod(count):
        return []
    return [
        part_of_box(
            box,
            tuple(
                (o + a * BLOCK, o + min(b * BLOCK, n)) for (a, b), o, n in zip(spans, offset, window.shape)
            ),
        )
        for spans in sorted(boxes)
    ]
