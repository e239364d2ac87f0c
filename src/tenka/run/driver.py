"""The clean run: simulate a layer frame by frame, storing each as it is made, resuming where it can."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.jobs import Progress
from tenka.cache.store import Frame, FrameStore
from tenka.effect.model import Effect, GasLayer, Quality, heard
from tenka.gas.forces import centre_fields
from tenka.gas.grid import BURNT, DENSITY, FUEL, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.guide import Guide, led_by
from tenka.gas.pressure import project
from tenka.gas.solver import GasSolver, run_up_frames
from tenka.gas.window import offset_of
from tenka.run.keys import frame_keys

CHECKPOINT_EVERY = 12
LEADING = ".leading"  # states of the coarse run beside a finer one; the preview's own may have been made by another span
SHOW_RUN_UP = 3
HALF_LIMIT = 6e4
AIR_DENSITY = 1.2  # kg/m^3
MEASURES = (
    ("mass", "Smoke", "m³"),
    ("heat", "Heat", "K m³"),
    ("fuel", "Fuel", "m³"),
    ("burnt", "Burnt in a frame", "m³"),
    ("energy", "Movement", "J"),
    ("fastest", "Fastest", "m/s"),
    ("divergence", "Divergence left", "1/s"),
    ("residual", "Residual", ""),
)
"""Figures of each frame that make curves: name in its meta, name shown, unit (of a density of 1 in a cubic metre)."""


def frame_of_state(state: GasState, grid: Grid, final: bool = False, work: Workspace | None = None, box: Grid | None = None) -> Frame:
    """What is stored of a state: half floats in previews, float32 in final runs. `work` adds what the solver measured; `box` is the whole
    box when the grid follows the gas in it."""
    kind = np.float32 if final else np.float16
    velocity = np.empty((3, *grid.shape), np.float32)
    centre_fields(state.u, state.v, state.w, velocity)
    scalars = state.scalars
    density = scalars[..., DENSITY]
    walls = [float(np.moveaxis(density, axis, 0)[end].max()) for axis in range(3) for end in (0, -1)]
    if box is not None:  # a side of the window is no wall
        ends = [(a == 0, a + n == m) for a, n, m in zip(offset_of(grid, box), grid.shape, box.shape)]
        walls = [w if at_wall else 0.0 for w, at_wall in zip(walls, (end for pair in ends for end in pair))]
    if grid.shape[1] == 1:
        walls[2] = walls[3] = 0.0  # a flat box has no sides there to be cut at
    volume = grid.voxel**3
    sums = scalars.sum(axis=(0, 1, 2), dtype=np.float64) * volume
    meta = {
        "wall": walls, "densest": float(density.max()), "fastest": state.fastest, "mass": float(sums[DENSITY]),
        "heat": float(sums[TEMPERATURE]), "fuel": float(sums[FUEL]), "flame": float(sums[BURNT]),
        "energy": 0.5 * AIR_DENSITY * float(np.vdot(velocity, velocity)) * volume,
    }  # fmt: skip
    if work is not None:
        meta.update(work.figures, burnt=work.burnt)
    burning = bool(sums[FUEL] > 0 or sums[BURNT] > 0)

    def kept(field: np.ndarray) -> np.ndarray:
        return (field if final else np.clip(field, -HALF_LIMIT, HALF_LIMIT)).astype(kind)

    return Frame(
        kept(density), kept(scalars[..., TEMPERATURE]), kept(velocity), grid.origin, grid.voxel, state.time, meta,
        flame=kept(scalars[..., BURNT]) if burning else None, fuel=kept(scalars[..., FUEL]) if burning else None,
        dye=kept(state.dye) if state.dye is not None else None,
    )  # fmt: skip


def state_of_frame(grid: Grid, frame: Frame) -> GasState:
    """A state to go on from by live editing: near what the run had, since velocity was kept at centres."""
    assert frame.velocity is not None
    state = GasState.still(grid, frame.time)
    state.scalars[..., DENSITY] = frame.density
    state.scalars[..., TEMPERATURE] = frame.temperature
    if frame.fuel is not None and frame.flame is not None:
        state.scalars[..., FUEL], state.scalars[..., BURNT] = frame.fuel, frame.flame
    if frame.dye is not None:
        state.dye = frame.dye.astype(np.float32)
    for axis, face in enumerate((state.u, state.v, state.w)):
        c = np.moveaxis(frame.velocity[axis].astype(np.float32), axis, 0)
        f = np.moveaxis(face, axis, 0)
        f[1:-1] = 0.5 * (c[1:] + c[:-1])
        f[0], f[-1] = c[0], c[-1]
    project(state, grid, Workspace(grid))
    return state


def finer(layer: GasLayer) -> GasLayer:
    """The layer as its final run simulates it."""
    quality = layer.quality.model_copy(update={"most_substeps": layer.quality.most_substeps * layer.quality.detail})
    domain = layer.domain.model_copy(update={"voxel": layer.domain.voxel / layer.quality.detail})
    return layer.model_copy(update={"domain": domain, "quality": quality})


class _Leader:
    """The coarse run beside a finer one, a frame ahead of it, frame by frame."""

    def __init__(self, plan: Plan, state: GasState, solver: GasSolver, quality: Quality) -> None:
        self.plan, self.state, self.solver, self.quality = plan, state, solver, quality

    def guide(self, rate: float, check: Callable[[], None]) -> Guide:
        """Go one frame on, and hand over both ends of it."""
        before, before_grid, start = led_by(self.state, self.solver.grid), self.solver.grid, self.state.time
        self.state = self.solver.frame(self.state, check)
        after = led_by(self.state, self.solver.grid)
        return Guide(before, before_grid, after, self.solver.grid, start, 1.0 / rate, self.quality.detail, self.quality.guidance)


@dataclass
class Plan:
    """A layer's frames and their keys, for one state of the effect."""

    effect: Effect
    layer: GasLayer
    folder: Path | None
    final: bool = False
    keys: dict[int, str] = field(default_factory=dict)
    preview: Plan | None = None  # whose motion a finer final run keeps

    @classmethod
    def of(cls, effect: Effect, layer_id: str | None = None, folder: Path | None = None, final: bool = False) -> Plan:
        layer = effect.layer(layer_id)
        if layer not in heard(effect.layers):  # passed over, or another one is soloed: nothing feeds it
            layer = layer.model_copy(update={"sources": ()})
        if final and layer.quality.detail > 1:
            fine = finer(layer)
            return cls(effect, fine, folder, True, frame_keys(effect, fine, folder, final=True), cls.of(effect, layer_id, folder))
        return cls(effect, layer, folder, final, frame_keys(effect, layer, folder))

    @property
    def first(self) -> int:
        return -run_up_frames(self.layer, self.effect.rate)

    def name(self, frame: int) -> str:
        return self.keys[frame] + (".final" if self.final else "")

    def state_name(self, frame: int) -> str:
        return self.keys[frame] + ".state"

    def stored(self, store: FrameStore) -> list[bool]:
        """For each shown frame whether it can be opened at once."""
        return [store.has(self.name(f)) for f in range(self.effect.frames)]

    def solver(self) -> GasSolver:
        return GasSolver(self.layer, self.effect.forces, self.effect.props, self.effect.seed, self.effect.rate, self.folder)


def _put_state(store: FrameStore, name: str, state: GasState, guess: np.ndarray, origin: tuple[float, ...]) -> None:
    """`origin`: of the window that it lies in; `guess` is the pressure from which the next solution round colliders begins: without it a resumed run would differ."""
    arrays = {"u": state.u, "v": state.v, "w": state.w, "scalars": state.scalars, "guess": guess}
    if state.dye is not None:
        arrays["dye"] = state.dye
    store.put(name, arrays, {"time": state.time, "origin": origin})


def _get_state(store: FrameStore, name: str, solver: GasSolver) -> GasState | None:
    found = store.get(name)
    if found is None:
        return None
    arrays, meta = found
    solver.look_at(tuple(meta["origin"]), arrays["scalars"].shape[:3])
    solver.work.guess[:] = arrays.pop("guess")
    return GasState(**arrays, time=meta["time"])


def step_parts(substeps: int, parts: dict[str, float]) -> dict[str, float]:
    """Mean ms that each part of a sub-step took."""
    return {k: round(1000.0 * v / substeps, 3) for k, v in parts.items()} if substeps else {}


USUAL_MS = 2.3e-4  # of one voxel in one step, on two slow cores; taken until something was measured
USUAL_STEPS = 2.0  # in a frame


def predicted_seconds(layer: GasLayer, frames: int, rate: float, figures: dict[int, dict[str, Any]], measured: Grid | None) -> float:
    """How long a layer takes to simulate with its present box, from what was measured of it with the box that it had.

    Smaller voxels need more steps: the Courant number counts voxels crossed.

    Parameters
    ----------
    figures : meta of the frames that are stored, see MEASURES
    measured : the grid that they were made on
    """
    grid = Grid.of(layer.domain)
    known = [(sum(m["parts"].values()), m.get("substeps", USUAL_STEPS)) for m in figures.values() if m.get("parts")]
    count = frames + run_up_frames(layer, rate)
    if not known or measured is None:
        return count * USUAL_STEPS * USUAL_MS * grid.voxels / 1e3
    ms, steps = (float(np.mean([k[n] for k in known])) for n in (0, 1))
    steps = min(max(1.0, steps * measured.voxel / grid.voxel), layer.quality.most_substeps)
    return count * steps * ms / measured.voxels * grid.voxels / 1e3


@dataclass
class Report:
    """What a run did."""

    simulated: int = 0
    reused: int = 0
    substeps: int = 0
    parts: dict[str, float] = field(default_factory=dict)  # seconds per part of the step


def simulate(
    plan: Plan,
    store: FrameStore,
    progress: Progress,
    span: tuple[int, int] | None = None,
    made: Callable[[int, Frame, Report], None] | None = None,
    coming: Callable[[int, Frame], None] | None = None,
) -> Report:
    """Make every frame of `span` (first, last; inclusive) that is not stored yet.

    Starts from the newest checkpoint at or before what is missing. A run that is cancelled or killed goes on
    from there to the same arrays. `made` hears of each new frame, `coming` of some of those of the run-up,
    which are not stored.

    Raises
    ------
    TooLarge, BadInput, Unstable, Cancelled
    """
    first, last = span or (0, plan.effect.frames - 1)
    report = Report()
    missing = [f for f in range(first, last + 1) if not store.has(plan.name(f))]
    report.reused = last + 1 - first - len(missing)
    if not missing:
        progress.begin(0, "Nothing to simulate")
        return report
    solver = plan.solver()
    start, state, leader = plan.first, None, None
    for f in range(missing[0], plan.first, -1):
        if store.has(plan.state_name(f)) and (state := _get_state(store, plan.state_name(f), solver)) is not None:
            start = f
            break
    if plan.preview is not None:
        leading, ahead = plan.preview.solver(), None
        if state is not None:  # both go on from the same frame, or both begin again
            ahead = _get_state(store, plan.preview.state_name(start) + LEADING, leading)
            if ahead is None:
                state, start, solver = None, plan.first, plan.solver()
        leader = _Leader(plan.preview, ahead if ahead is not None else leading.start(), leading, plan.layer.quality)
    if state is None:
        state = solver.start()
    progress.begin(missing[-1] - start + 1, "Simulating")
    for f in range(start, missing[-1] + 1):
        if f > start:
            if leader is not None:
                solver.guide = leader.guide(plan.effect.rate, progress.check)
            state = solver.frame(state, progress.check)
            if f == start + 1:  # the first step loads the kernels: not a cost of stepping
                solver.work.parts.clear()
                solver.substeps = 0
        if f >= 0 and not store.has(plan.name(f)):
            frame = frame_of_state(state, solver.grid, plan.final, solver.work, solver.box)
            frame.meta["parts"] = step_parts(solver.substeps, solver.work.parts)
            if leader is not None:
                coarse = frame_of_state(leader.state, leader.solver.grid, final=True)
                frame.meta.update(drift=drift(coarse, frame, plan.layer.quality.detail), wander=wander(coarse, frame))
            store.put_frame(plan.name(f), frame)
            report.simulated += 1
            report.substeps, report.parts = solver.substeps, dict(solver.work.parts)
            if made is not None:
                made(f, frame, report)
        if coming is not None and f < 0 and f % SHOW_RUN_UP == 0:
            coming(f, frame_of_state(state, solver.grid))
        if (f == 0 or f % CHECKPOINT_EVERY == 0) and f > plan.first and not store.has(plan.state_name(f)):
            if leader is not None:
                _put_state(store, leader.plan.state_name(f) + LEADING, leader.state, leader.solver.work.guess, leader.solver.grid.origin)
            _put_state(store, plan.state_name(f), state, solver.work.guess, solver.grid.origin)
        progress.step()
    report.substeps, report.parts = solver.substeps, dict(solver.work.parts)
    return report


def stored_frames(plan: Plan, store: FrameStore, progress: Progress, frames: list[int]) -> Iterator[tuple[int, Frame]]:
    """The given frames in turn, simulating first whatever is missing; one is in memory at a time."""
    for f in frames:
        frame = store.get_frame(plan.name(f))
        if frame is None:
            simulate(plan, store, Progress(_cancel=progress._cancel), (min(frames), max(frames)))
            frame = store.get_frame(plan.name(f))
        if frame is None:
            raise RuntimeError(f"frame {f} vanished from the store while it was used")
        yield f, frame


def wander(coarse: Frame, fine: Frame) -> float:
    """How far the middle of a finer frame's smoke is from that of the coarse one, m."""
    middles = []
    for frame in (coarse, fine):
        whole = float(frame.density.sum(dtype=np.float64))
        if whole <= 0:
            return 0.0
        sums = [frame.density.sum(axis=tuple(a for a in range(3) if a != axis), dtype=np.float64) for axis in range(3)]
        middles.append(np.array([o + frame.voxel * (float(s @ np.arange(len(s))) / whole + 0.5) for o, s in zip(frame.origin, sums)]))
    return float(np.linalg.norm(middles[1] - middles[0]))


def drift(coarse: Frame, fine: Frame, factor: int) -> float:
    """How far a finer frame is from the coarse one: mean difference of density at the coarse scale, as a share of the coarse mean.

    Both are compared over the box that holds either, so that windows may differ.
    """
    low = np.minimum(coarse.origin, fine.origin)
    shape = np.ceil((np.maximum(coarse.high, fine.high) - low) / coarse.voxel - 1e-3).astype(int)
    sums = []
    for frame, step in ((coarse, 1), (fine, factor)):
        whole = np.zeros(shape * step, np.float32)
        first = np.round((np.asarray(frame.origin) - low) / frame.voxel).astype(int)
        place = tuple(slice(a, min(a + n, m)) for a, n, m in zip(first, frame.shape, whole.shape))
        whole[place] = frame.density[tuple(slice(0, p.stop - p.start) for p in place)]
        x, y, z = shape
        sums.append(whole.reshape(x, step, y, step, z, step).mean(axis=(1, 3, 5)))
    return float(np.abs(sums[0] - sums[1]).sum() / max(float(sums[0].sum()), 1e-9))
