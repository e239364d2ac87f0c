"""The sRGB encoding of light (IEC 61966-2-1)."""

from __future__ import annotations

import numpy as np


def to_srgb(linear: np.ndarray) -> np.ndarray:
    """sRGB encoding of values in [0, 1]."""
    x = np.clip(linear, 0.0, 1.0)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(x, 1 / 2.4) - 0.055)


def from_srgb(encoded: np.ndarray) -> np.ndarray:
    """Linear light of values in [0, 1]."""
    x = np.clip(encoded, 0.0, 1.0)
    return np.where(x <= 0.04045, x / 12.92, np.power((x + 0.055) / 1.055, 2.4))
