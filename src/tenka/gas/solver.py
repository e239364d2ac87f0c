"""The gas step: data in, data out, no hidden state but scratch arrays."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.errors import Unstable
from tenka.effect.model import Force, GasLayer, Prop
from tenka.gas import advect, forces, pressure, sources
from tenka.gas.grid import CHANNELS, DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.settings import SourceInput, StepInputs, resolve
from tenka.gas.sources import SourceMask, source_mask

SOLVER_VERSION = 1
"""Part of every cache key: raise it when a change to the solver changes its results."""

PARTS = ("source", "scalars", "velocity", "vorticity", "forces", "pressure")


@contextmanager
def _timed(work: Workspace, part: str) -> Iterator[None]:
    start = time.perf_counter()
    yield
    work.parts[part] = work.parts.get(part, 0.0) + time.perf_counter() - start


def step(state: GasState, grid: Grid, inputs: StepInputs, masks: list[SourceMask], work: Workspace, dt: float) -> GasState:
    """Advance the gas by `dt` seconds.

    Order: sources, advection by the divergence-free velocity, fading, forces, projection. The returned
    state's velocity is divergence-free. The arrays of `state` are reused as the next scratch.

    Parameters
    ----------
    masks : one per entry of `inputs.sources`
    """
    with _timed(work, "source"):
        for inp, mask in zip(inputs.sources, masks, strict=True):
            sources.give(state, grid, inp, mask, dt)
    new = work.spare
    low, high = np.array(grid.open_low), np.array(grid.open_high)
    with _timed(work, "velocity"):
        advect.centre_velocity(state.u, state.v, state.w, work.centred)
        advect.traces(work.centred, np.float32(dt / grid.voxel), work.back, work.ahead)
        for axis, (old, out) in enumerate(((state.u, new.u), (state.v, new.v), (state.w, new.w))):
            first, least, most = work.arrays(("faces", axis), 3, old.shape)
            advect.faces_forward(old, work.back, axis, first, least, most)
            advect.faces_correct(old, first, least, most, work.ahead, axis, out)
    with _timed(work, "scalars"):
        keep, take = np.ones(CHANNELS, np.float32), np.zeros(CHANNELS, np.float32)
        keep[DENSITY], keep[TEMPERATURE] = math.exp(-inputs.fade * dt), math.exp(-inputs.cooling * dt)
        take[DENSITY] = inputs.fade_linear * dt
        (first,) = work.arrays("scalars", 1, state.scalars.shape)
        advect.scalars_forward(state.scalars, work.back, low, high, first)
        advect.scalars_correct(state.scalars, first, work.back, work.ahead, low, high, keep, take, new.scalars)
    new.time = state.time
    with _timed(work, "vorticity"):
        mean = forces.vorticity_push(new, grid, inputs, work)
    with _timed(work, "forces"):
        forces.apply_forces(new, grid, inputs, work, mean, dt)
    with _timed(work, "pressure"):
        pressure.project(new, grid, work)
    new.time = state.time + dt
    work.spare = state
    return new


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

    def __post_init__(self) -> None:
        self.grid = Grid.of(self.layer.domain)
        self.grid.refuse_if_too_large()
        self.work = Workspace(self.grid)
        self._masks: dict[object, SourceMask] = {}
        self.substeps = 0

    def start(self) -> GasState:
        """The still state at the beginning of the run-up."""
        return GasState.still(self.grid, -run_up_frames(self.layer, self.rate) / self.rate)

    def take_settings(self, layer: GasLayer, forces: tuple[Force, ...], props: tuple[Prop, ...]) -> bool:
        """Go on with new settings from the running state; False when the box itself changed."""
        if Grid.of(layer.domain) != self.grid:
            return False
        self.layer, self.forces, self.props = layer, forces, props
        return True

    def _mask(self, inp: SourceInput) -> SourceMask:
        source = inp.source
        prop = next((p for p in self.props if p.id == source.prop), None) if source.shape == "surface" else None
        key = (source.shape, source.position, source.size, source.thickness, prop)
        if key not in self._masks:
            if len(self._masks) > 32:
                self._masks.clear()
            self._masks[key] = source_mask(source, self.props, self.grid, self.folder, inp.seed)
        return self._masks[key]

    def frame(self, state: GasState, check: Callable[[], None] | None = None) -> GasState:
        """Advance to the next frame in as many sub-steps as the Courant number asks for.

        `check` is called before each sub-step and may raise to stop.

        Raises
        ------
        Unstable
            When a value is no longer finite.
        """
        frame_dt = 1.0 / self.rate
        fastest = state.fastest
        if not math.isfinite(fastest):
            raise Unstable(f"The gas blew up at {state.time:.2f} s: its speed is no longer a number.")
        quality = self.layer.quality
        count = math.ceil(fastest * frame_dt / (quality.courant * self.grid.voxel) - 1e-9)
        count = min(quality.most_substeps, max(1, count))
        index = round(state.time * self.rate)
        for sub in range(count):
            if check is not None:
                check()
            state.time = (index + sub / count) / self.rate
            inputs = resolve(self.layer, self.forces, self.seed, self.rate, state.time)
            masks = [self._mask(inp) for inp in inputs.sources]
            state = step(state, self.grid, inputs, masks, self.work, frame_dt / count)
        state.time = (index + 1) / self.rate
        self.substeps += count
        return state


def run_up_frames(layer: GasLayer, rate: float) -> int:
    """Frames simulated before frame 0."""
    return round(layer.domain.run_up * rate)
