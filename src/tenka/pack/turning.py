"""Turns of pieces between frames, so that a fast one is not written backwards.

Two keys say only where a piece stands; which way it went between them, and how often round, is lost beyond
half a turn. Its spin says that: keys are put between until none is further than MOST_TURN from the last.
"""

from __future__ import annotations

import math

import numpy as np

MOST_TURN = math.radians(60.0)
MOST_BETWEEN = 64


def continuous(turn: np.ndarray) -> np.ndarray:
    """Quaternions in time, (frames, 4), without flips: each on the same side as the one before it (q and -q
    are one turn)."""
    out = turn.astype(np.float64).copy()
    for n in range(1, len(out)):
        if out[n] @ out[n - 1] < 0:
            out[n] = -out[n]
    return out


def product(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Quaternions (..., 4) w x y z one after the other: first `b`, then `a`."""
    w, x, y, z = np.moveaxis(a, -1, 0)
    p, q, r, s = np.moveaxis(b, -1, 0)
    return np.stack(
        [
            w * p - x * q - y * r - z * s,
            w * q + x * p + y * s - z * r,
            w * r - x * s + y * p + z * q,
            w * s + x * r - y * q + z * p,
        ],
        axis=-1,
    )


def turned_by(way: np.ndarray) -> np.ndarray:
    """Quaternions (..., 4) of rotation vectors (..., 3), rad."""
    angle = np.linalg.norm(way, axis=-1, keepdims=True)
    half = 0.5 * angle
    axis = np.where(angle > 1e-12, way / np.maximum(angle, 1e-12), 0.0)
    return np.concatenate([np.cos(half), np.sin(half) * axis], axis=-1)


def way_of(turn: np.ndarray) -> np.ndarray:
    """Rotation vectors (..., 3) of quaternions, the short way round."""
    turn = np.where(turn[..., :1] < 0, -turn, turn)
    sine = np.linalg.norm(turn[..., 1:], axis=-1, keepdims=True)
    angle = 2.0 * np.arctan2(sine, turn[..., :1])
    return np.where(sine > 1e-12, turn[..., 1:] / np.maximum(sine, 1e-12) * angle, 0.0)


def ways_between(a: np.ndarray, b: np.ndarray, spin: np.ndarray, dt: float) -> np.ndarray:
    """How pieces turn from one frame to the next, (n, 3) rotation vectors in the scene, rad: that of all
    turns
    which lead from `a` to `b` that is nearest to what their spin (n, 3, rad/s) makes."""
    conjugate = a * np.array([1.0, -1.0, -1.0, -1.0])
    short = way_of(product(b, conjugate))
    angle = np.linalg.norm(short, axis=1, keepdims=True)
    spun = spin * dt
    axis = np.where(angle > 1e-9, short / np.maximum(angle, 1e-9), _axis(spun))
    rounds = np.round(((axis * spun).sum(axis=1, keepdims=True) - angle) / (2.0 * math.pi))
    found: np.ndarray = axis * (angle + 2.0 * math.pi * rounds)
    return found


def _axis(way: np.ndarray) -> np.ndarray:
    found: np.ndarray = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    return found


def keys_between(ways: np.ndarray) -> int:
    """How many keys must stand between two frames for the piece that turns most."""
    most = float(np.linalg.norm(ways, axis=1).max(initial=0.0))
    return min(MOST_BETWEEN, max(0, math.ceil(most / MOST_TURN - 1e-9) - 1))


def turn_at(a: np.ndarray, ways: np.ndarray, share: float) -> np.ndarray:
    """How pieces stand a share of the way to the next frame, (n, 4)."""
    return product(turned_by(ways * share), a)
