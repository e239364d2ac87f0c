"""How what carries an effect moves in a game: stands, goes straight, round, stops dead, jumps."""

from __future__ import annotations

import numpy as np

from tenka.proof.elements.base import Ride

RIDES = ("stands", "goes straight", "goes round", "stops dead", "jumps")
PACE = 3.0  # m/s
ROUND = 1.5  # m, radius
HALT = 1.5  # s after which it stops dead
LEAP, EVERY = 2.0, 1.0  # m, and s between two


def ride_of(name: str, right: np.ndarray) -> Ride | None:
    """A carrier by its name.

    Parameters
    ----------
    right : the way that it goes, (3,) unit vector
    """
    way = np.asarray(right, float)
    side = np.array([-way[1], way[0], 0.0])

    def straight(t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return PACE * t[:, None] * way, PACE * np.ones_like(t)[:, None] * way

    def circle(t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        a = PACE / ROUND * t
        place = ROUND * (np.sin(a)[:, None] * way + (1.0 - np.cos(a))[:, None] * side)
        return place, PACE * (np.cos(a)[:, None] * way + np.sin(a)[:, None] * side)

    def halting(t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        place = PACE * np.minimum(t, HALT)[:, None] * way
        return place, PACE * (t < HALT)[:, None] * way

    def leaping(t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return LEAP * np.floor(np.maximum(t, 0.0) / EVERY)[:, None] * way, np.zeros((len(t), 3))

    return {"goes straight": straight, "goes round": circle, "stops dead": halting, "jumps": leaping}.get(
        name
    )
