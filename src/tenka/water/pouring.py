"""Thrown water that falls into a surface: its volume, its momentum, and the blow that it strikes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel
from tenka.effect.model import WaterLayer, heard
from tenka.gas.settings import Moment, emitted
from tenka.water.basin import DRY, Basin, WaterState
from tenka.water.feeding import by_own_delay
from tenka.water.flow import GRAVITY

COVERS = 0.05  # m/s by which the level rises where what falls in covers the water wholly


@dataclass(frozen=True)
class Poured:
    """What fell into a water in a step.

    Attributes
    ----------
    place, velocity : (n, 3) m and m/s
    volume : m^3 of each
    """

    place: np.ndarray
    velocity: np.ndarray
    volume: float


@dataclass(frozen=True)
class Taken:
    """The same on a water's cells, (nx, ny) each.

    Attributes
    ----------
    height : m that come in; head : m of water that press
    push : (nx, ny, 2) m^2/s: height times the speed that it brings
    cover : share of each cell that is struck; foam : share of what is bare that becomes foam
    """

    height: np.ndarray
    head: np.ndarray
    push: np.ndarray
    cover: np.ndarray
    foam: np.ndarray


def taken_in(
    layer: WaterLayer, basin: Basin, state: WaterState, moment: Moment, poured: Callable[[str], Poured | None]
) -> Taken | None:
    """All that falls into a water in a step; None where nothing does.

    Half of the push downwards stops at the surface and presses on it (as a jet's does in its middle), but no
    harder than lays the floor bare: the rest of it goes into the floor.
    """
    sums: np.ndarray | None = None
    pace = moment.dt / max(moment.span, 1e-9)  # speeds are told by the effect's clock
    for source in heard(layer.sources):
        found = poured(source.of) if source.shape == "liquid" else None
        part, emission = emitted(source, moment.t, moment.dt, moment.rate)
        if part <= 0.0 or emission <= 0.0 or found is None or not len(found.place):
            continue
        if sums is None:
            sums, foams = np.zeros((*basin.shape, 4), np.float32), np.zeros(basin.shape, np.float32)
        own = np.zeros_like(sums)
        at = (found.place[:, :2] - np.asarray(basin.origin)) / basin.cell
        share = np.float32(found.volume / basin.cell**2 * part * emission)
        speed = (pace * found.velocity).astype(np.float32)
        _gathered(at.astype(np.float32), speed, share, basin.rest, state.rise, own)
        sums += own
        strength = max(by_own_delay(source, moment.t + 0.5 * moment.dt, moment.rate)(source.foams), 0.0)
        np.maximum(foams, np.where(own[..., 0] > 0, np.float32(strength), 0.0), out=foams)
    if sums is None:
        return None
    span = max(moment.span, 1e-9)
    height = sums[..., 0]
    cover = np.clip(height / np.float32(COVERS * span), 0.0, 1.0)
    head = np.minimum(sums[..., 3] / np.float32(2.0 * GRAVITY * span), state.depth(basin) + height)
    foam = -np.expm1(-foams * cover * np.float32(span))
    return Taken(height, head.astype(np.float32), sums[..., 1:3], cover, foam.astype(np.float32))


@kernel
def _gathered(at, velocity, share, rest, rise, out):
    """Height, height times speed across, and height times speed downwards of all that falls, spread over the
    four cells whose middles are round each place; none onto a bed that stands out of the water there."""
    nx, ny = out.shape[0], out.shape[1]
    one = np.float32(1.0)
    for n in range(at.shape[0]):
        x, y = at[n, 0] - np.float32(0.5), at[n, 1] - np.float32(0.5)
        i, j = np.int64(np.floor(x)), np.int64(np.floor(y))
        f, g = x - np.float32(i), y - np.float32(j)
        level, whole = np.float32(np.inf), np.float32(0.0)  # of the lowest water there
        for a in range(2):
            for b in range(2):
                p, q = min(max(i + a, 0), nx - 1), min(max(j + b, 0), ny - 1)
                if rise[p, q] + rest[p, q] > np.float32(DRY):
                    level = min(level, rise[p, q])
        for turn in range(2):
            if turn == 1 and whole <= np.float32(1e-6):
                level, whole = np.float32(np.inf), one
            for a in range(2):
                p = min(max(i + a, 0), nx - 1)
                for b in range(2):
                    q = min(max(j + b, 0), ny - 1)
                    if -rest[p, q] >= level:
                        continue
                    part = (f if a else one - f) * (g if b else one - g)
                    if turn == 0:
                        whole += part
                        continue
                    w = share * part / whole
                    out[p, q, 0] += w
                    out[p, q, 1] += w * velocity[n, 0]
                    out[p, q, 2] += w * velocity[n, 1]
                    out[p, q, 3] += w * max(-velocity[n, 2], np.float32(0.0))


def carried_on(state: WaterState, basin: Basin, taken: Taken) -> None:
    """The water goes on with the momentum of what fell into it, in place, after its level has risen by it:
    what came in stood still as far as the step knew."""
    deep = np.maximum(state.rise + basin.rest, 0.0)
    for axis, speed in enumerate((state.u, state.v)):
        face, depth, push, came = (
            np.moveaxis(f, axis, 0) for f in (speed, deep, taken.push[..., axis], taken.height)
        )
        mean = 0.5 * (depth[1:] + depth[:-1])
        brought = 0.5 * (push[1:] + push[:-1]) - 0.5 * (came[1:] + came[:-1]) * face[1:-1]
        face[1:-1] += np.where(mean > 1e-4, brought / np.maximum(mean, 1e-4), 0.0)
