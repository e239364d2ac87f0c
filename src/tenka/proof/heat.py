"""How many layers lie on each pixel, as colour."""

from __future__ import annotations

import numpy as np

HEAT = np.array(
    [
        (0.13, 0.14, 0.15),
        (0.21, 0.42, 0.40),
        (0.36, 0.72, 0.64),
        (0.88, 0.67, 0.27),
        (0.82, 0.38, 0.29),
        (0.98, 0.90, 0.86),
    ]
)
HEAT_AT = np.array([0, 1, 2, 4, 8, 16])


def heat_picture(rgb: np.ndarray, layers: np.ndarray) -> np.ndarray:
    """Layers per pixel as colour (HEAT at HEAT_AT layers), over a dimmed grey picture."""
    grey = rgb.mean(axis=2, keepdims=True) * 0.22
    colour = np.stack([np.interp(layers, HEAT_AT, HEAT[:, c]) for c in range(3)], axis=2) * 255
    share = np.where(layers[..., None] > 0, 0.85, 0.0)
    return (grey * (1 - share) + colour * share).astype(np.uint8)
