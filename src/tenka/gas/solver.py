"""The gas step: data in, data out, no hidden state but scratch arrays."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.clock import step_time
from tenka.base.errors import Unstable
from tenka.effect.model import ON_PROP, Force, GasLayer, Prop
from tenka.gas import advect, forces, pressure, sources, vorticity
from tenka.gas.fire import burn
from tenka.gas.ghosts import clear_scalars, fill_velocity, ghost_scalars
from tenka.gas.grid import BURNT, CHANNELS, DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.guide import Guide, hold
from tenka.gas.settings import SourceInput, StepInputs, resolve
from tenka.gas.solids import find_solids
from tenka.gas.sources import NO_MASK, SourceMask, bounds_in_scene, source_mask
from tenka.gas.swept import Swept, swept_bounds, swept_mask
from tenka.gas.viscosity import soften
from tenka.gas.window import Span, moved_to, occupied, offset_of, part_of_box, window_for
from tenka.scene.props import deforms, form_of

SOLVER_VERSION = 4
"""Part of every cache key: raise it when a change to the solver changes its results."""

PARTS = (
    "source",
    "collision",
    "scalars",
    "velocity",
    "fire",
    "viscosity",
    "vorticity",
    "forces",
    "guidance",
    "pressure",
)


MOST_SPEED = 3000.0  # m/s; gas that is faster than any blast has come apart


@contextmanager
def _timed(work: Workspace, part: str) -> Iterator[None]:
    start = time.perf_counter()
    yield
    work.parts[part] = work.parts.get(part, 0.0) + time.perf_counter() - start


def step(
    state: GasState,
    grid: Grid,
    inputs: StepInputs,
    masks: list[SourceMask],
    work: Workspace,
    dt: float,
    folder: Path | None = None,
    guide: Guide | None = None,
) -> GasState:
    """Advance the gas by `dt` seconds.

    Order: sources, advection by the divergence-free velocity, fading, fire, spreading, forces, projection.
    The returned state's velocity is divergence-free but for what expands. The arrays of `state` are reused as
    the next scratch.

    Parameters
    ----------
    masks : one per entry of `inputs.sources`
    folder : where the colliders' meshes are
    guide : the coarser run whose motion is kept
    """
    expands = inputs.fire is not None or any(s.expansion for s in inputs.sources)
    solids = None
    with _timed(work, "source"):
        if expands or inputs.sources:
            work.expansion[:] = 0.0
        for inp, mask in zip(inputs.sources, masks, strict=True):
            sources.give(state, grid, inp, mask, dt, work.expansion)
    if inputs.colliders:
        with _timed(work, "collision"):
            solids = work.solids = find_solids(inputs.colliders, grid, folder, work.solids)
            clear_scalars(state, solids)
            ghost_scalars(state, solids, grid.voxel)
    new = work.spare
    with _timed(work, "velocity"):
        carry_velocity(state, new, grid, work, dt)
    with _timed(work, "scalars"):
        carry_scalars(state, new, grid, inputs, work, dt)
        if solids is not None:
            clear_scalars(new, solids)
    new.time = state.time
    if inputs.fire is not None:
        with _timed(work, "fire"):
            work.burnt += burn(new.scalars, inputs.fire, dt, work.expansion) * grid.voxel**3
    if inputs.viscosity > 0 or inputs.spread > 0:
        with _timed(work, "viscosity"):
            soften(new, grid, inputs.viscosity, inputs.spread, dt, work)
    with _timed(work, "vorticity"):
        mean = vorticity.vorticity_push(new, grid, inputs, work)
    with _timed(work, "forces"):
        forces.apply_forces(new, grid, inputs, work, mean, dt)
    if guide is not None and guide.rate > 0:
        with _timed(work, "guidance"):
            hold(new, grid, guide, work, dt)
    with _timed(work, "pressure"):
        pressure.project(new, grid, work, work.expansion if expands else None, solids)
        if solids is not None:
            fill_velocity(new, solids)
    new.time = state.time + dt
    work.spare = state
    return new


def carry_velocity(state: GasState, new: GasState, grid: Grid, work: Workspace, dt: float) -> None:
    """Carry the velocity along itself into `new`; where it came from and went is left in `work`."""
    advect.centre_velocity(state.u, state.v, state.w, work.centred)
    advect.traces(work.centred, np.float32(dt / grid.voxel), work.back, work.ahead)
    for axis, (old, out) in enumerate(((state.u, new.u), (state.v, new.v), (state.w, new.w))):
        first, least, most = work.arrays(("faces", axis), 3, old.shape)
        advect.faces_forward(old, work.back, axis, first, least, most)
        advect.faces_correct(old, first, least, most, work.ahead, axis, out)


def carry_scalars(
    state: GasState, new: GasState, grid: Grid, inputs: StepInputs, work: Workspace, dt: float
) -> None:
    """Carry what the gas holds, and its dye, along the traces of `carry_velocity` into `new`; fade it."""
    keep, take = np.ones(CHANNELS, np.float32), np.zeros(CHANNELS, np.float32)
    keep[DENSITY], keep[TEMPERATURE], keep[BURNT] = (
        math.exp(-rate * dt) for rate in (inputs.fade, inputs.cooling, inputs.flame_fade)
    )
    take[DENSITY] = inputs.fade_linear * dt
    low, high = np.array(grid.open_low), np.array(grid.open_high)
    (first,) = work.arrays("scalars", 1, state.scalars.shape)
    used = np.empty(grid.shape[:2], np.bool_)

    def carry(old: np.ndarray, keep: np.ndarray, take: np.ndarray, out: np.ndarray) -> None:
        advect.rows_in_use(old, used)
        advect.scalars_forward(old, work.back, low, high, used, first)
        advect.scalars_correct(old, first, work.back, work.ahead, low, high, used, keep, take, out)

    carry(state.scalars, keep, take, new.scalars)
    if state.dye is not None:
        fades = np.full(CHANNELS, keep[DENSITY], np.float32)
        carry(state.dye, fades, np.zeros(CHANNELS, np.float32), new.with_dye())
    else:
        new.dye = None


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
        needs, held = self._source_spans(inputs), occupied(state)
        if held is not None:
            offset = offset_of(self.grid, self.box)
            needs.append(tuple((o + a, o + b) for o, (a, b) in zip(offset, held)))
        new = window_for(self.box, self.grid, needs, self.layer.domain.margin)
        if new == self.grid:
            return state
        state = moved_to(self.grid, new, self.box, state)
        self._use(new)
        return state

    def take_settings(self, layer: GasLayer, forces: tuple[Force, ...], props: tuple[Prop, ...]) -> bool:
        """Go on with new settings from the running state; False when the box itself changed."""
        if Grid.of(layer.domain) != self.box or layer.domain.follow != self.layer.domain.follow:
            return False
        self.layer, self.forces, self.props = layer, forces, props
        return True

    def _mask(self, inp: SourceInput, dt: float) -> SourceMask:
        source = inp.source
        if source.shape == "particles":
            swept = self.swept(source.of, inp.time - 0.5 * dt, inp.time + 0.5 * dt)
            return NO_MASK if swept is None else swept_mask(source, swept, self.grid, dt)
        prop = next((p for p in self.props if p.id == source.prop), None) if source.shape in ON_PROP else None
        form = None if prop is None else (form_of(prop), inp.time if deforms(prop) else 0.0)
        shape = tuple(getattr(source, name) for name in MASK_SETTINGS)
        key = (shape, form, bool(inp.outward), inp.pose.turn.tobytes(), inp.pose.origin.tobytes())
        if key not in self._masks:
            if len(self._masks) > 32:
                self._masks.clear()
            self._masks[key] = source_mask(inp, self.props, self.grid, self.folder)
        return self._masks[key]

    def _inputs(self, t: float, dt: float) -> StepInputs:
        return resolve(self.layer, self.forces, self.props, self.seed, self.rate, t, dt)

    def begin(self, state: GasState) -> tuple[GasState, int]:
        """Make ready for the next frame: the window is moved, and the number of sub-steps that the Courant
        number asks for is found.

        Raises
        ------
        Unstable
            When a value is no longer finite.
        """
        frame_dt = 1.0 / self.rate
        fastest = state.fastest
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
        fastest = max(fastest, inputs.fastest_mover)
        if self.layer.domain.follow:
            state = self._follow(state, inputs)
        count = math.ceil(fastest * frame_dt / (quality.courant * self.grid.voxel) - 1e-9)
        self.work.burnt = 0.0
        return state, min(quality.most_substeps, max(1, count))

    def part(self, state: GasState, index: int, sub: int, count: int) -> GasState:
        """Sub-step `sub` of `count` from frame `index` on."""
        dt = 1.0 / (self.rate * count)
        state.time = step_time(index, sub, count, self.rate)
        inputs = self._inputs(state.time, dt)
        masks = [self._mask(inp, dt) for inp in inputs.sources]
        self.work.measuring = sub == count - 1
        state = step(state, self.grid, inputs, masks, self.work, dt, self.folder, self.guide)
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


def run_up_frames(layer: GasLayer, rate: float) -> int:
    """Frames simulated before frame 0."""
    return round(layer.domain.run_up * rate)
