"""One step of the gas: data in, data out, no hidden state but scratch arrays.

A step is made of two halves. At the end of the first the flow is freed of divergence and *reflected*: what
the projection took away is taken away once more, so that the second half begins with as much of it on the
other side. Nearly all energy that a projection would have eaten from swirls is so kept. Method: J. Zehnder,
R. Narain, B. Thomaszewski, "An advection-reflection solver for detail-preserving fluid simulation", ACM
Trans. Graph. 37 (2018). The second half is carried by the flow foreseen for the step's end, the first by that
at its beginning: their mean is that of the middle, and the step is of second order.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.timing import timed
from tenka.gas import advect, forces, pressure, sources, vorticity
from tenka.gas.clipping import Flow
from tenka.gas.fire import burn
from tenka.gas.ghosts import fill_velocity, hold_along, push_out, through_faces
from tenka.gas.grid import BURNT, CHANNELS, DENSITY, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.guide import Guide, hold
from tenka.gas.inflow import calm_inflow
from tenka.gas.remap import Remap
from tenka.gas.settings import StepInputs
from tenka.gas.solids import Solids, find_solids
from tenka.gas.sources import SourceMask
from tenka.gas.viscosity import soften

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

ZERO = np.float32(0.0)
TWO = np.float32(2.0)


@dataclass(frozen=True)
class Half:
    """What acts in one half of a step.

    Attributes
    ----------
    inputs : the settings at its time
    masks : one per entry of `inputs.sources`
    """

    inputs: StepInputs
    masks: list[SourceMask]


def faces_of(state: GasState) -> Flow:
    return state.u, state.v, state.w


def step(
    state: GasState,
    grid: Grid,
    halves: tuple[Half, Half],
    work: Workspace,
    dt: float,
    folder: Path | None = None,
    guide: Guide | None = None,
) -> GasState:
    """Advance the gas by `dt` seconds.

    The returned state's velocity is divergence-free but for what expands. The arrays of `state` are used for
    it, so that `state` itself is of no more use.

    Parameters
    ----------
    folder : where the colliders' meshes are
    guide : the coarser run whose motion is kept
    """
    h, begun, measuring = 0.5 * dt, state.time, work.measuring
    middle, reflected = work.spare, work.arrays_like("reflected", faces_of(state))
    work.measuring = False
    solids = _begin(state, grid, halves[0], work, folder)
    with timed(work.parts, "velocity"):
        carry_velocity(faces_of(state), faces_of(state), faces_of(middle), grid, work, h)
    with timed(work.parts, "scalars"):
        carry_scalars(state, middle, grid, halves[0].inputs, solids, work, h, False)
    middle.time = state.time
    _push(middle, grid, halves[0], solids, work, begun + h, h, guide)
    with timed(work.parts, "pressure"):
        for kept, face in zip(reflected, faces_of(middle)):
            _copy(face.reshape(-1), kept.reshape(-1))
    _project(middle, grid, halves[0], solids, work, 0)
    middle.time = state.time + h
    with timed(work.parts, "velocity"):
        for ahead, back, face in zip(reflected, faces_of(state), faces_of(middle)):
            _reflect(face.reshape(-1), back.reshape(-1), ahead.reshape(-1))
        if solids is not None:
            for ahead, face, share in zip(reflected, faces_of(middle), solids.open):
                _keep_where_shut(face.reshape(-1), share.reshape(-1), ahead.reshape(-1))

    solids = _begin(middle, grid, halves[1], work, folder)
    with timed(work.parts, "velocity"):
        carry_velocity(reflected, faces_of(state), faces_of(state), grid, work, h)
    with timed(work.parts, "scalars"):
        carry_scalars(middle, state, grid, halves[1].inputs, solids, work, h, True)
    state.time = middle.time
    _push(state, grid, halves[1], solids, work, begun + h, h, guide)
    work.measuring = measuring
    _project(state, grid, halves[1], solids, work, 1)
    return replace(state, time=middle.time + h)  # another one: readers tell states apart by themselves


def _begin(state: GasState, grid: Grid, half: Half, work: Workspace, folder: Path | None) -> Solids | None:
    """Find where the solids are now, and drive the gas out of them."""
    if not half.inputs.colliders:
        return None
    with timed(work.parts, "collision"):
        solids = work.solids = find_solids(half.inputs.colliders, grid, folder, work.solids)
        push_out(state, solids)
    return solids


def _push(
    state: GasState,
    grid: Grid,
    half: Half,
    solids: Solids | None,
    work: Workspace,
    middle: float,
    h: float,
    guide: Guide | None,
) -> None:
    """All that changes the gas where it is, and its velocity: sources, fire, spreading, forces."""
    inputs = half.inputs
    with timed(work.parts, "source"):
        if _expands(inputs) or inputs.sources:
            work.expansion[:] = 0.0
        for inp, mask in zip(inputs.sources, half.masks, strict=True):
            sources.give(state, grid, inp, mask, h, work.expansion)
    if inputs.fire is not None:
        with timed(work.parts, "fire"):
            work.burnt += burn(state.scalars, inputs.fire, h, work.expansion) * grid.voxel**3
    if inputs.viscosity > 0 or inputs.spread > 0:
        with timed(work.parts, "viscosity"):
            soften(state, grid, inputs.viscosity, inputs.spread, h, work)
    if solids is not None:
        with timed(work.parts, "collision"):
            push_out(state, solids)
    with timed(work.parts, "vorticity"):
        mean = vorticity.vorticity_push(state, grid, inputs, work)
    with timed(work.parts, "forces"):
        forces.apply_forces(state, grid, inputs, work, mean, middle, h)
        calm_inflow(state, grid, inputs, h)
    if guide is not None and (guide.rate > 0 or guide.wisps > 0):
        with timed(work.parts, "guidance"):
            hold(state, grid, guide, work, h)
    if solids is not None:
        with timed(work.parts, "collision"):
            hold_along(state, solids)
    pressure.shut_walls(state, grid)


def _expands(inputs: StepInputs) -> bool:
    return inputs.fire is not None or any(s.expansion or s.outward for s in inputs.sources)


def _project(
    state: GasState, grid: Grid, half: Half, solids: Solids | None, work: Workspace, which: int
) -> None:
    with timed(work.parts, "pressure"):
        expansion = work.expansion if _expands(half.inputs) else None
        pressure.project(state, grid, work, expansion, solids, half=which)
        if solids is not None:
            fill_velocity(state, solids)


@kernel(parallel=True)
def _copy(source, out):
    for m in prange(out.size):
        out[m] = source[m]


@kernel(parallel=True)
def _reflect(middle, begun, ahead):
    """`ahead`, the flow before the projection, becomes that reflected by it; `begun`, that at the step's
    beginning, that foreseen for its end."""
    for m in prange(middle.size):
        ahead[m] = TWO * middle[m] - ahead[m]
        begun[m] = TWO * middle[m] - begun[m]


@kernel(parallel=True)
def _keep_where_shut(middle, share, ahead):
    """Inside solids there is nothing to reflect."""
    for m in prange(middle.size):
        if share[m] <= ZERO:
            ahead[m] = middle[m]


def carry_velocity(field: Flow, by: Flow, out: Flow, grid: Grid, work: Workspace, dt: float) -> None:
    """Carry a velocity by another (or itself) into `out`, which may be `by` but not `field`."""
    advect.centre_velocity(*by, work.centred)
    advect.traces(work.centred, np.float32(dt / grid.voxel), work.back, work.ahead)
    for axis, (old, new) in enumerate(zip(field, out)):
        first, least, most = work.arrays(("faces", axis), 3, old.shape)
        advect.faces_forward(old, work.back, axis, first, least, most)
        advect.faces_correct(old, first, least, most, work.ahead, axis, new)


def carry_scalars(
    state: GasState,
    new: GasState,
    grid: Grid,
    inputs: StepInputs,
    solids: Solids | None,
    work: Workspace,
    dt: float,
    backwards: bool,
) -> None:
    """Carry what the gas holds, and its dye, by its own flow into `new`; fade it."""
    keep, take = np.ones(CHANNELS, np.float32), np.zeros(CHANNELS, np.float32)
    keep[DENSITY], keep[TEMPERATURE], keep[BURNT] = (
        math.exp(-rate * dt) for rate in (inputs.fade, inputs.cooling, inputs.flame_fade)
    )
    take[DENSITY] = inputs.fade_linear * dt
    flow = faces_of(state) if solids is None else through_faces(state, solids, work)
    remap = Remap(grid, flow, dt, backwards)
    remap.carry(state.scalars, keep, take, True, work, new.scalars)
    if state.dye is not None:
        fades = np.full(CHANNELS, keep[DENSITY], np.float32)
        remap.carry(state.dye, fades, np.zeros(CHANNELS, np.float32), False, work, new.with_dye())
    else:
        new.dye = None
