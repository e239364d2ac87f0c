"""One step of a water's surface."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import maximum_filter1d, minimum_filter1d

from tenka.water.airy import Airy
from tenka.water.basin import Basin, WaterState
from tenka.water.flow import GRAVITY, _drained, _fill, _fluxes, _given, _hold, _push_x, _push_y


@dataclass(frozen=True)
class Thick:
    """How a liquid flows that is no water: mud, slip, slag, glaze.

    Attributes
    ----------
    viscosity : kinematic, m^2/s
    stress : yield stress per density, m^2/s^2: what is pushed by less stands still (Bingham 1916)
    """

    viscosity: float = 0.0
    stress: float = 0.0


THIN = Thick()
OVERHEAD = 1e6  # m: what hangs higher is nothing
BESIDE = 4  # cells on either side of what hangs there, in which the head on it is looked for
STEADY = 0.65  # of a cell that the fastest wave may cross in a step


def longest(cell: float, depth: float, fastest: float = 0.0) -> float:
    """The longest step that is stable in water of a depth, s: neither a wave nor water at `fastest` m/s
    crosses too much of a cell."""
    return STEADY * cell / (math.sqrt(2.0 * GRAVITY * max(depth, 1e-3)) + fastest)


def largest_step(basin: Basin, fastest: float = 0.0) -> float:
    """The longest step that is stable, s: neither a wave nor water at `fastest` m/s crosses too much of a
    cell."""
    return longest(basin.cell, float(basin.rest.max()), fastest)


def step(
    basin: Basin,
    state: WaterState,
    dt: float,
    airy: Airy | None = None,
    drag: float = 0.0,
    given: np.ndarray | None = None,
    thick: Thick = THIN,
    head: np.ndarray | None = None,
    room: np.ndarray | None = None,
) -> None:
    """Advance a surface by `dt`, in place.

    Parameters
    ----------
    airy : the correction for waves of every length; without it all go at sqrt(g h)
    drag : 1/s, how fast the bed slows the water
    given : (nx, ny) m: water that comes in this step (below 0: that goes), as a height
    thick : how it flows where it is no water
    head : (nx, ny) m of water: what presses on the surface
    room : (nx, ny) m: no deeper water passes there; None where nothing hangs over the bed
    """
    rise, step_ = state.rise, np.float32(dt / basin.cell)
    spare = state.spare
    if not spare:
        spare["qx"], spare["qy"] = np.zeros_like(state.u), np.zeros_like(state.v)
        spare["u"], spare["v"] = np.zeros_like(state.u), np.zeros_like(state.v)
        spare["exact"] = rise.astype(np.float64)
    qx, qy = spare["qx"], spare["qy"]
    _fluxes(rise, basin.rest, state.u, state.v, qx, qy, step_)
    _drained(rise, basin.rest, qx, qy, step_)
    if room is not None:
        _pass_under(state, room)
    _fill(rise, spare["exact"], basin.rest, qx, qy, float(step_))
    if given is not None:
        _given(rise, basin.rest, given)
    if airy is not None:
        pressed = airy.pressed(rise, head)
    else:
        pressed = rise if head is None else rise + head
    numbers = (step_, np.float32(dt), np.float32(drag), np.float32(thick.viscosity))
    _push_x(rise, pressed, basin.rest, state.u, qx, qy, spare["u"], *numbers)
    _push_y(rise, pressed, basin.rest, state.v, qx, qy, spare["v"], *numbers)
    state.u, spare["u"] = spare["u"], state.u
    state.v, spare["v"] = spare["v"], state.v
    if thick.stress > 0.0:
        stress = np.float32(thick.stress)
        _hold(rise, basin.rest, state.u, state.v, spare["u"], spare["v"], stress, *numbers[1:])
        state.u, spare["u"] = spare["u"], state.u
        state.v, spare["v"] = spare["v"], state.v
    state.time += dt


def _pass_under(state: WaterState, room: np.ndarray) -> None:
    """No more goes through a face than what has room under what hangs there, and no faster than the head on
    both sides drives it (Torricelli)."""
    hangs = np.argwhere(room < OVERHEAD)
    if not len(hangs):
        return
    low = np.maximum(hangs.min(axis=0) - BESIDE - 1, 0)
    i, j = (slice(a, b + BESIDE + 2) for a, b in zip(low, hangs.max(axis=0)))
    gap, rise = room[i, j], state.rise[i, j]
    parts = ((state.spare["qx"], state.u, 0), (state.spare["qy"], state.v, 1))
    for flux, speeds, axis in parts:
        n, m = gap.shape
        faces = np.s_[i.start + 1 : i.start + n, j] if axis == 0 else np.s_[i, j.start + 1 : j.start + m]
        q, speed, deep, top = (np.moveaxis(f, axis, 0) for f in (flux[faces], speeds[faces], gap, rise))
        least = np.maximum(np.minimum(deep[1:], deep[:-1]), 0.0)
        span = 2 * BESIDE + 1
        head = maximum_filter1d(top, span, axis=0) - minimum_filter1d(top, span, axis=0)
        fastest = np.sqrt(2.0 * GRAVITY * np.maximum(head[1:], head[:-1]))
        np.copyto(speed, np.clip(speed, -fastest, fastest), where=least < OVERHEAD)
        most = np.abs(speed) * least
        np.clip(q, -most, most, out=q)
