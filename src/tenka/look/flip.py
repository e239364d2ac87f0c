"""What an eye sees of the difference between two pictures (FLIP, Andersson et al. 2020)."""

from __future__ import annotations

import numpy as np


def flip_map(reference: np.ndarray, other: np.ndarray) -> np.ndarray:
    """The error in each pixel, (h, w) float32 from 0 to 1, of two pictures, (h, w, 3) uint8."""
    import flip_evaluator

    pair = [np.ascontiguousarray(p.astype(np.float32) / np.float32(255)) for p in (reference, other)]
    error = flip_evaluator.evaluate(*pair, "LDR", applyMagma=False)[0]
    found: np.ndarray = error.reshape(reference.shape[:2])
    return found


def flip_error(reference: np.ndarray, other: np.ndarray) -> float:
    """Its mean over the picture."""
    return float(flip_map(reference, other).mean(dtype=np.float64))
