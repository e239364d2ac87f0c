"""A gas layer's solver: its settings bound to a grid, frame by frame."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from tenka.base.clock import step_time
from tenka.base.errors import Unstable
from tenka.effect.model import ON_PROP, Force, GasLayer, Prop
from tenka.effect.ownclock import OwnClock, clock_of
from tenka.gas.grid import GasState, Grid, Workspace
from tenka.gas.guide import Guide
from tenka.gas.islands import Island, blocks_held, clear, islands_of
from tenka.gas.reached import measured
from tenka.gas.settings import SourceInput, StepInputs, resolve
from tenka.gas.sources import NO_MASK, SourceMask, bounds_in_scene, source_mask
from tenka.gas.step import Half, step
from tenka.gas.swept import Swept, swept_bounds, swept_mask
from tenka.gas.window import Span, moved_to, occupied, offset_of, part_of_box, window_for
from tenka.scene.props import deforms, form_of

SOLVER_VERSION = 7
"""Part of every cache key: raise it when a change to the solver changes its results."""

MOST_SPEED = 3000.0  # m/s; gas that is faster than any blast has come apart


MOST_MASKS = 128  # that are kept
MASK_SETTINGS = (
    "shape",
    "size",
    "curve",
    "thickness",
    "offset",
    "part",
    "part_axis",
    "part_low",
    "part_high",
    "born_at",
    "shaped_by",
    "image",
    "image_along",
)
"""What decides, with its place and its prop, which voxels a source reaches."""


@dataclass
class GasSolver:
    """A layer's solver: settings bound to a grid, stepping frame by frame.

    Parameters
    ----------
    layer, forces, props : what takes part
    seed, rate : the effect's
    folder : where the effect's files are
    """

    layer: GasLayer
    forces: tuple[Force, ...]
    props: tuple[Prop, ...]
    seed: int
    rate: float
    folder: Path | None = None
    swept: Callable[[str, float, float], Swept | None] = lambda _a, _b, _c: (
        None
    )  # how a layer's particles go in a span of time

    def __post_init__(self) -> None:
        self.box = Grid.of(self.layer.domain)
        self.box.refuse_if_too_large()
        self.grid = self.box
        self._masks: dict[object, SourceMask] = {}
        self._islands: list[Island] = []
        self._islands_of: GasState | None = None  # the state of which they are parts
        self.substeps = 0
        self.guide: Guide | None = None
        if self.layer.domain.follow:
            t = -run_up_frames(self.layer, self.rate) / self.rate
            self.grid = window_for(
                self.box, None, self._source_spans(self._inputs(t, 1.0 / self.rate)), self.layer.domain.margin
            )
        self.work = Workspace(self.grid)

    def start(self) -> GasState:
        """The still state at the beginning of the run-up."""
        return GasState.still(self.grid, -run_up_frames(self.layer, self.rate) / self.rate)

    def look_at(self, origin: tuple[float, ...], shape: tuple[int, ...]) -> None:
        """Go on with the window of a stored state or frame."""
        x, y, z = (round((o - b) / self.box.voxel) for o, b in zip(origin, self.box.origin))
        self._use(part_of_box(self.box, ((x, x + shape[0]), (y, y + shape[1]), (z, z + shape[2]))))

    def _use(self, grid: Grid) -> None:
        if grid != self.grid:
            before, self.grid, self.work = self.work, grid, Workspace(grid)
            self.work.parts, self.work.figures = before.parts, before.figures
            self._masks.clear()
            self._islands = []

    def _source_spans(self, inputs: StepInputs) -> list[Span]:
        """Voxels of the box that each source that gives now may reach, from and to (exclusive)."""
        spans = []
        for inp in inputs.sources:
            if inp.emission > 0:
                if inp.source.shape == "particles":
                    held = swept_bounds(
                        self.swept(inp.source.of, inp.time - 0.5 / self.rate, inp.time + 0.5 / self.rate),
                        inp.source,
                    )
                    if held is None:
                        continue
                    low, high = held
                else:
                    low, high = bounds_in_scene(inp, self.props, self.box.voxel, self.folder)
                first = np.floor((low - self.box.origin) / self.box.voxel).astype(int)
                last = np.ceil((high - self.box.origin) / self.box.voxel).astype(int)
                spans.append(
                    tuple(
                        (min(max(a, 0), n - 1), max(min(b, n), 1))
                        for a, b, n in zip(first.tolist(), last.tolist(), self.box.shape)
                    )
                )
        return spans

    def _follow(self, state: GasState, inputs: StepInputs) -> GasState:
        """Move the window when the gas asks for it."""
        needs, held = self._source_spans(inputs), self._occupied(state)
        if held is not None:
            offset = offset_of(self.grid, self.box)
            needs.append(tuple((o + a, o + b) for o, (a, b) in zip(offset, held)))
        new = window_for(self.box, self.grid, needs, self.layer.domain.margin)
        if new == self.grid:
            return state
        state = moved_to(self.grid, new, self.box, state)
        self._use(new)
        return state

    def _known(self, state: GasState) -> bool:
        """Whether the islands are parts of this very state, and nothing is beside them."""
        return bool(self._islands) and state is self._islands_of

    def _occupied(self, state: GasState) -> Span | None:
        """Voxels that hold gas, see `occupied`; looked for in the islands where there are some."""
        if not self._known(state):
            return occupied(state)
        found = [i.shifted(span) for i in self._islands if (span := occupied(i.state)) is not None]
        if not found:
            return None
        return tuple((min(s[a][0] for s in found), max(s[a][1] for s in found)) for a in range(3))

    def take_settings(self, layer: GasLayer, forces: tuple[Force, ...], props: tuple[Prop, ...]) -> bool:
        """Go on with new settings from the running state; False when the box itself changed."""
        if Grid.of(layer.domain) != self.box or layer.domain.follow != self.layer.domain.follow:
            return False
        self.layer, self.forces, self.props = layer, forces, props
        return True

    def _mask(self, inp: SourceInput, dt: float, grid: Grid) -> SourceMask:
        source = inp.source
        if source.shape == "particles":
            swept = self.swept(source.of, inp.time - 0.5 * dt, inp.time + 0.5 * dt)
            return NO_MASK if swept is None else swept_mask(source, swept, grid, dt)
        prop = next((p for p in self.props if p.id == source.prop), None) if source.shape in ON_PROP else None
        form = None if prop is None else (form_of(prop), inp.time if deforms(prop) else 0.0)
        shape = tuple(getattr(source, name) for name in MASK_SETTINGS)
        key = (shape, form, bool(inp.outward), inp.pose.turn.tobytes(), inp.pose.origin.tobytes(), grid)
        if key not in self._masks:
            if len(self._masks) > MOST_MASKS:
                self._masks.clear()
            self._masks[key] = source_mask(inp, self.props, grid, self.folder)
        return self._masks[key]

    def _inputs(self, t: float, dt: float) -> StepInputs:
        return resolve(self.layer, self.forces, self.props, self.seed, self.rate, t, dt)

    @property
    def clock(self) -> OwnClock:
        """That of the layer, by which it is stepped."""
        return clock_of(self.layer.time_scale, self.rate)

    def _part_from(self, island: Island | None) -> tuple[Grid, Workspace]:
        """In what a sub-step is made: an island, or the whole window."""
        return (self.grid, self.work) if island is None else (island.grid, island.work)

    def _step(self, state: GasState, dt: float, island: Island | None) -> GasState:
        """One sub-step of the whole window or of an island, by the layer's own clock; notes what its sources
        reached."""
        grid, work = self._part_from(island)
        t, h, clock = state.time, 0.5 * dt, self.clock
        halves = tuple(
            Half(inputs, [self._mask(inp, h, grid) for inp in inputs.sources])
            for inputs in (self._inputs(t, h), self._inputs(t + h, h))
        )
        work.measuring = self.work.measuring
        if not clock.runs_true:
            state.time = clock.own(t)
            dt = clock.own(t + dt) - state.time
            slow_down(state, 1.0 / clock.scale_at(t))
        state = step(state, grid, (halves[0], halves[1]), work, dt, self.folder, self.guide)
        if self.work.measuring:
            last = halves[1]
            for inp, mask in zip(last.inputs.sources, last.masks, strict=True):
                if (found := measured(state, grid, inp, mask)) is not None:
                    self.work.figures["sources"][inp.source.id] = found
        if not clock.runs_true:
            state.time = t + 2.0 * h
            slow_down(state, clock.scale_at(state.time))
        return state

    def _settle_islands(self, state: GasState, inputs: StepInputs) -> None:
        """Find what is far apart, and let each begin where the window's state is; between them the air is
        still."""
        known = self._known(state)
        parts = self._islands if known else None
        held = blocks_held(state, self.grid, parts)
        grids = islands_of(held, self.grid, self.box, self._source_spans(inputs), self.layer.domain.margin)
        self._islands_of = state
        if known and grids == [island.grid for island in self._islands]:
            return
        beside, had = self._islands if known else [], {island.grid: island for island in self._islands}
        offset = offset_of(self.grid, self.box)
        self._islands = []
        for grid in grids:
            first = tuple(a - b for a, b in zip(offset_of(grid, self.box), offset))
            island = had.get(grid) or Island(grid, first, work=Workspace(grid), state=GasState.still(grid))
            island.work.parts, island.work.figures = self.work.parts, self.work.figures
            island.take(state, self.work.guesses)
            self._islands.append(island)
        if grids:
            clear(state, self.work.guesses, beside)
            for island in self._islands:
                island.give(state, self.work.guesses)

    def begin(self, state: GasState) -> tuple[GasState, int]:
        """Make ready for the next frame: the window is moved, and the number of sub-steps that the Courant
        number asks for is found.

        Raises
        ------
        Unstable
            When a value is no longer finite.
        """
        frame_dt = 1.0 / self.rate
        known = self._known(state)
        fastest = max(i.state.fastest for i in self._islands) if known else state.fastest
        if not fastest < MOST_SPEED:
            what = (
                f"its speed reached {fastest:.3g} m/s"
                if math.isfinite(fastest)
                else "its speed is no longer a number"
            )
            raise Unstable(
                f"The gas blew up at {state.time:.2f} s: {what}; look for a force, a push or an "
                "expansion that is far too strong."
            )
        quality = self.layer.quality
        inputs = self._inputs(round(state.time * self.rate) / self.rate, frame_dt)
        fastest = max(fastest, inputs.fastest_mover * self.clock.scale_at(state.time))
        if self.layer.domain.follow:
            state = self._follow(state, inputs)
            self._settle_islands(state, inputs)
        # each of a step's two halves may go as far as the Courant number says
        count = math.ceil(0.5 * fastest * frame_dt / (quality.courant * self.grid.voxel) - 1e-9)
        self.work.burnt = 0.0
        for island in self._islands:
            island.work.burnt = 0.0
        return state, min(quality.most_substeps, max(1, count))

    def part(self, state: GasState, index: int, sub: int, count: int) -> GasState:
        """Sub-step `sub` of `count` from frame `index` on."""
        dt = 1.0 / (self.rate * count)
        state.time = step_time(index, sub, count, self.rate)
        self.work.measuring = sub == count - 1
        if self.work.measuring:
            self.work.figures["sources"] = {}
        if self._islands:
            for island in self._islands:
                island.state.time = state.time
                island.state = self._step(island.state, dt, island)
                island.give(state, self.work.guesses)
            self.work.burnt = sum(island.work.burnt for island in self._islands)
            self._islands_of = state = replace(state)  # another one: readers tell states apart by themselves
        else:
            state = self._step(state, dt, None)
        state.time = step_time(index, sub + 1, count, self.rate)
        return state

    def frame(self, state: GasState, check: Callable[[], None] | None = None) -> GasState:
        """Advance to the next frame in as many sub-steps as the Courant number asks for.

        `check` is called before each sub-step and may raise to stop. Raises as `begin` does.
        """
        index = round(state.time * self.rate)
        state, count = self.begin(state)
        for sub in range(count):
            if check is not None:
                check()
            state = self.part(state, index, sub, count)
        self.ended(count)
        return state

    def ended(self, count: int) -> None:
        """Count the sub-steps of a finished frame."""
        self.substeps += count
        self.work.figures["substeps"] = float(count)


def slow_down(state: GasState, factor: float) -> None:
    """Tell a state's speeds by another clock, in place."""
    for face in (state.u, state.v, state.w):
        face *= np.float32(factor)


def run_up_frames(layer: GasLayer, rate: float) -> int:
    """Frames simulated before frame 0."""
    return round(layer.domain.run_up * rate)
