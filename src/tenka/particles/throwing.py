"""How births are thrown, and how large they are: drawn from a rose and a histogram."""

from __future__ import annotations

import math

import numpy as np

from tenka.effect.former import BORN_SIZES
from tenka.effect.model import PointSource, ramp_at
from tenka.particles.spots import _Spots, chance

FINE = np.linspace(0.0, 1.0, 257)


def drawn(density: np.ndarray, chance_: np.ndarray) -> np.ndarray:
    """Places in [0, 1] for numbers in [0, 1), as many at each as a density on `FINE` says; all at 1 where it
    is nothing but there."""
    below = np.concatenate([[0.0], np.cumsum(0.5 * (density[1:] + density[:-1]))])
    if below[-2] <= 0:
        return np.ones(len(chance_))
    wanted = chance_ * below[-1]
    k = np.clip(np.searchsorted(below, wanted, side="right") - 1, 0, len(FINE) - 2)
    share = (wanted - below[k]) / np.maximum(below[k + 1] - below[k], 1e-300)
    return np.asarray(FINE[k] + np.clip(share, 0.0, 1.0) * FINE[1])


def _aims(source: PointSource, seed: int, id: np.ndarray, spots: _Spots) -> np.ndarray:
    """Unit directions of the arrow where births are, (n, 3), in the source's own coordinates."""
    main = np.asarray(source.arrow, float)
    main = main / max(float(np.linalg.norm(main)), 1e-9)
    d = (1.0 - source.lean) * np.tile(main, (len(id), 1))
    if source.lean and source.leans_to == "surface":
        d += source.lean * spots.outward
    elif source.lean and source.leans_to == "axis":
        away = spots.place * np.array([1.0, 1.0, 0.0])
        far = np.linalg.norm(away, axis=1, keepdims=True)
        a = 2 * np.pi * chance(seed, id, "direction", 2)
        d += source.lean * np.where(
            far > 1e-9, away / np.maximum(far, 1e-9), np.stack([np.cos(a), np.sin(a), 0 * a], axis=1)
        )
    elif source.lean:
        up = np.array([0.0, 0.0, 1.0]) - spots.outward * spots.outward[:, 2:]
        d += source.lean * up / np.maximum(np.linalg.norm(up, axis=1, keepdims=True), 1e-9)
    size = np.linalg.norm(d, axis=1, keepdims=True)
    return np.where(size > 1e-9, d / np.maximum(size, 1e-9), main)


def directions(source: PointSource, seed: int, id: np.ndarray, spots: _Spots) -> np.ndarray:
    """Unit directions in which births are thrown, in the source's own coordinates: by the rose, each angle
    from the arrow as often as it says for its share of a ball."""
    d, edge = _aims(source, seed, id, spots), math.radians(source.spread)
    if edge <= 0:
        return d
    density = np.maximum(ramp_at(source.rose, FINE), 0.0) * np.sin(FINE * edge)
    angle = drawn(density, chance(seed, id, "direction", 0)) * edge
    a = 2 * np.pi * chance(seed, id, "direction", 1)
    r = np.sin(angle)
    side = np.cross(
        d, np.where(np.abs(d[:, 2:]) < 0.9, np.array([[0.0, 0.0, 1.0]]), np.array([[1.0, 0.0, 0.0]]))
    )
    side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-9)
    across = side * (r * np.cos(a))[:, None] + np.cross(d, side) * (r * np.sin(a))[:, None]
    return np.asarray(d * np.cos(angle)[:, None] + across)


def sizes_of(source: PointSource, seed: int, id: np.ndarray) -> np.ndarray:
    """Sizes against the largest, (n,), by the histogram."""
    low, high = BORN_SIZES
    at = drawn(np.maximum(ramp_at(source.sizes, FINE), 0.0), chance(seed, id, "width"))
    return np.asarray(low * (high / low) ** at)
