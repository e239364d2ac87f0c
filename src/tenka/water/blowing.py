"""Forces as a water feels them: winds draw on its surface, and what acts in a place moves what is there."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.effect.courses import smooth_noise
from tenka.effect.model import Force, WaterLayer, heard
from tenka.gas.felt import ForceInputs, WindInput, felt_at, resolve_forces
from tenka.gas.placed import GRAVITY as FALLS
from tenka.gas.placed import placed_table
from tenka.gas.settings import GRAVITY, Moment
from tenka.water.basin import DRY, Basin, WaterState

AIR = 1.2  # kg/m^3
DRAWN = 1.3e-3  # of a wind's own pressure, that draws the water along (Large & Pond 1981)
SHALLOW = 0.02  # m: what is shallower is drawn as if it were so deep


@dataclass(frozen=True)
class Acting:
    """What acts on each cell for a while: (nx, ny, 5) of rates, 1/s, the speeds towards which they lead, m/s,
    and accelerations, m/s^2; winds, m/s."""

    fields: np.ndarray | None
    winds: tuple[WindInput, ...]


def ignored(forces: tuple[Force, ...]) -> tuple[str, ...]:
    """Names of the forces that no water feels."""
    return tuple(f.name for f in heard(tuple(forces)) if f.kind == "turbulence")


def acting(layer: WaterLayer, forces: tuple[Force, ...], basin: Basin, moment: Moment, seed: int) -> Acting:
    """The forces of a frame.

    Raises
    ------
    BadInput
        As `resolve_forces` does.
    """
    felt: ForceInputs = resolve_forces(forces, moment, seed, lambda pull: (pull * GRAVITY,))
    if not felt.locals:
        return Acting(None, felt.winds)
    table = placed_table(felt.locals)
    weights = np.array([f.numbers[0] if f.code == FALLS else 1.0 for f in felt.locals])
    x, y = basin.middles()
    fields = np.zeros((*basin.shape, 5), np.float32)
    _acts(table, weights, x.ravel(), y.ravel(), basin.level, fields)
    return Acting(fields if fields.any() else None, felt.winds)


@kernel(parallel=True)
def _acts(table, weights, x, y, level, out):
    for i in prange(x.shape[0]):
        for j in range(y.shape[0]):
            for n in range(table.shape[0]):
                rate, u, v, _, a, b, _ = felt_at(table, n, x[i], y[j], level)
                out[i, j, 0] += rate
                out[i, j, 1] += rate * u
                out[i, j, 2] += rate * v
                out[i, j, 3] += weights[n] * a
                out[i, j, 4] += weights[n] * b
            if out[i, j, 0] > 0.0:
                out[i, j, 1] /= out[i, j, 0]
                out[i, j, 2] /= out[i, j, 0]


def blown(
    layer: WaterLayer, acts: Acting, basin: Basin, state: WaterState, moment: Moment, dt: float
) -> None:
    """Let forces act for `dt` seconds, in place; no face between dry cells moves. The bed's drag takes of
    them what it takes of the pressure, so that both balance."""
    if acts.fields is None and not (acts.winds and layer.flow.wind > 0):
        return
    deep, held = state.depth(basin), np.float32(dt / (1.0 + dt * moment.at(layer.flow.drag, 0.0)))
    along = np.zeros(2)
    for wind in acts.winds:
        gust = 1.0 + wind.gusts * float(smooth_noise(wind.seed, moment.own / max(wind.gust_period, 1e-3)))
        pace = wind.speed * max(gust, 0.0)
        along += pace * pace * np.array([math.cos(wind.heading), math.sin(wind.heading)])
    along *= AIR / layer.flow.density * DRAWN * layer.flow.wind
    for axis, speed in enumerate((state.u, state.v)):
        face, h = (np.moveaxis(f, axis, 0) for f in (speed, deep))
        mean = 0.5 * (h[1:] + h[:-1])
        wet = mean > DRY
        push = np.where(wet, along[axis] / np.maximum(mean, SHALLOW), 0.0).astype(np.float32)
        if acts.fields is None:
            face[1:-1] += held * push
            continue
        f = np.moveaxis(acts.fields, axis, 0)
        rate, aim, pull = (0.5 * (f[1:, :, c] + f[:-1, :, c]) for c in (0, 1 + axis, 3 + axis))
        keep = np.exp(-np.float32(dt) * rate)
        moved = face[1:-1] * keep + (1 - keep) * aim + held * (pull + push)
        face[1:-1] = np.where(wet, moved, face[1:-1])
