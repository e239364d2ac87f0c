"""Forces on a liquid: those of the effect at each particle, gravity, and thickness on the grid.

Winds act on what lies open to the air; all others act on the whole of it, as on particles.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vectors import row
from tenka.effect.model import Force, LiquidLayer
from tenka.gas.felt import ForceInputs, resolve_forces
from tenka.gas.settings import GRAVITY, Moment
from tenka.liquid.state import Liquid
from tenka.particles.acting import Acting, acting, forces_at

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
STABLE = 0.16  # of nu dt / h^2 in an explicit round
MOST_ROUNDS = 40
CHUNKS = 64
OPEN_AT = np.float32(0.9)  # share of a cell's room that is filled, from which on no wind comes in


@dataclass(frozen=True)
class Pushes:
    """What pushes a liquid in a frame: forces that act on all of it, winds, and the share of them."""

    inside: Acting | None
    winds: Acting | None
    share: float


def pushes(
    layer: LiquidLayer, forces: tuple[Force, ...], liquid: Liquid, moment: Moment, seed: int
) -> Pushes:
    """The forces of a frame, by where the liquid is."""
    share = moment.at(layer.motion.forces, 0.0)
    if not forces or share <= 0.0 or not len(liquid):
        return Pushes(None, None, 0.0)
    found = resolve_forces(forces, moment, seed, lambda pull: (pull * GRAVITY,))
    low, high = liquid.place.min(axis=0).astype(float), liquid.place.max(axis=0).astype(float)
    reach = moment.span * float(np.abs(liquid.velocity).max())
    low, high, middle = low - reach, high + reach, moment.own + 0.5 * moment.span
    rest = ForceInputs((), found.turbulences, found.locals)
    inside = acting(rest, low, high, middle) if rest.turbulences or rest.locals else None
    winds = acting(ForceInputs(found.winds), low, high, middle) if found.winds else None
    return Pushes(inside, winds, share)


def push_particles(
    liquid: Liquid, by: Pushes, own: float, dt: float, share: np.ndarray, origin: np.ndarray, voxel: float
) -> None:
    """Let the forces act on all particles for `dt` s from `own` on, in place.

    Parameters
    ----------
    share : (nx, ny, nz) how full each cell is
    """
    for acts, open_ in ((by.inside, False), (by.winds, True)):
        if acts is not None:
            _pushed(
                liquid.place,
                liquid.velocity,
                np.array([own + 0.5 * dt, dt, by.share, 1.0 if open_ else 0.0, *origin, 1.0 / voxel]),
                (acts.winds, acts.gusts, acts.local, acts.eddies, acts.flat, acts.eddies_at),
                share,
            )


@kernel(parallel=True)
def _pushed(place, velocity, numbers, acts, share):
    count = place.shape[0]
    for p in prange(CHUNKS):
        part = np.int64(p)
        first, last = count * part // CHUNKS, count * (part + 1) // CHUNKS
        _push_some(place[first:last], velocity[first:last], numbers, acts, share)


@kernel
def _push_some(place, velocity, numbers, acts, share):
    """Some of the particles; `numbers`: the time, the step, the share of the forces, whether only what lies
    open is pushed, the grid's corner, and voxels in a metre."""
    t, dt, amount, only_open, ox, oy, oz, per = numbers
    winds, gusts, local, eddies, flat, at = acts
    nx, ny, nz = share.shape
    for n in range(place.shape[0]):
        part = amount
        if only_open > 0.5:
            i = math.floor((place[n, 0] - ox) * per)
            j = math.floor((place[n, 1] - oy) * per)
            k = math.floor((place[n, 2] - oz) * per)
            if 0 <= i < nx and 0 <= j < ny and 0 <= k < nz:
                part *= min(max(0.0, 1.0 - share[i, j, k] / OPEN_AT), 1.0)
        if part <= 0.0:
            continue
        rate, push, pull = forces_at(row(place, n), t, part, winds, gusts, local, eddies, flat, at)
        keep = math.exp(-rate * dt)
        span = (1.0 - keep) / rate if rate > 1e-9 else dt
        for a in range(3):
            velocity[n, a] = velocity[n, a] * keep + span * (push[a] + pull[a])


def thicken(faces: list[np.ndarray], masses: list[np.ndarray], amount: float) -> None:
    """Let movement spread among the faces that carry mass, in place: nothing drags at the surface.

    Parameters
    ----------
    amount : nu dt / voxel^2
    """
    rounds = min(max(math.ceil(amount / STABLE), 1), MOST_ROUNDS)
    each = np.float32(min(amount / rounds, STABLE))
    for face, mass in zip(faces, masses):
        for _ in range(rounds):
            face[:] = _softened(face, mass, each)


@kernel(parallel=True)
def _softened(face, mass, amount):
    nx, ny, nz = face.shape
    out = np.empty_like(face)
    for p in prange(nx):
        i = np.int64(p)
        for j in range(ny):
            for k in range(nz):
                here = face[i, j, k]
                total = ZERO
                if mass[i, j, k, 1] > ZERO:
                    if i > 0 and mass[i - 1, j, k, 1] > ZERO:
                        total += face[i - 1, j, k] - here
                    if i < nx - 1 and mass[i + 1, j, k, 1] > ZERO:
                        total += face[i + 1, j, k] - here
                    if j > 0 and mass[i, j - 1, k, 1] > ZERO:
                        total += face[i, j - 1, k] - here
                    if j < ny - 1 and mass[i, j + 1, k, 1] > ZERO:
                        total += face[i, j + 1, k] - here
                    if k > 0 and mass[i, j, k - 1, 1] > ZERO:
                        total += face[i, j, k - 1] - here
                    if k < nz - 1 and mass[i, j, k + 1, 1] > ZERO:
                        total += face[i, j, k + 1] - here
                out[i, j, k] = here + amount * total
    return out
