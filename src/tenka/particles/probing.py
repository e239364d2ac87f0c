"""What drives particles at any place, asked of their solver by particles that are there for that alone."""

from __future__ import annotations

import numpy as np

from tenka.gas.settings import Moment
from tenka.particles.contact import COLUMNS as STOP_COLUMNS
from tenka.particles.contact import Packed
from tenka.particles.solver import PointSolver
from tenka.particles.state import FREE, Points

SHORT = 0.01  # s
NOTHING = Packed(np.zeros((0, STOP_COLUMNS)), np.zeros(1, np.float32))


def probed(solver: PointSolver, places: np.ndarray, t: float) -> np.ndarray:
    """What draws on the largest particles at places, at a time.

    Two particles at each place, one at rest and one that moves, are let go for a moment: with
    dv/dt = A - k v the one says A, and both together k.

    Returns
    -------
    (n, 4) float32: A in m/s^2, and k in 1/s
    """
    at_rest = _moved(solver, places, 0.0, t)
    going = _moved(solver, places, 1.0, t)
    kept = np.clip(going[:, 0] - at_rest[:, 0], 1e-6, 1.0)
    k = -np.log(kept) / SHORT
    k = np.where(k < 1e-3, 0.0, k)
    gone = np.where(k > 0, -np.expm1(-k * SHORT) / np.maximum(k, 1e-9), SHORT)
    return np.column_stack([at_rest / gone[:, None], k]).astype(np.float32)


def _moved(solver: PointSolver, places: np.ndarray, speed: float, t: float) -> np.ndarray:
    """Velocities a moment after all went that fast along x."""
    n = len(places)
    velocity = np.zeros((n, 3), np.float32)
    velocity[:, 0] = speed
    points = Points(
        id=np.arange(n, dtype=np.int64),
        born=np.full(n, t),
        life=np.full(n, np.inf, np.float32),
        place=(places - 0.5 * SHORT * velocity).astype(np.float32),
        velocity=velocity,
        width=np.full(n, 0.01, np.float32),
        heat=np.zeros(n, np.float32),
        source=np.zeros(n, np.int16),
        state=np.zeros(n, np.uint8),
        holder=np.full(n, FREE, np.int8),
        colour=np.zeros((n, 3), np.float32),
        still=np.zeros(n, np.float32),
    )
    moment = Moment(solver.props, solver.rate, t, SHORT, solver.clock)
    solver.move(points, moment, NOTHING, np.zeros(n, np.uint8), np.full((n, 7), -1e9), t + SHORT)
    return points.velocity.astype(float)
