"""A figure for scale: a potter 1.75 m tall."""

from __future__ import annotations

import numpy as np

from tenka.scene.meshes import Mesh, joined, turned_profile

COAT, SKIN, BOOT, CAP = (0.075, 0.095, 0.12), (0.36, 0.22, 0.15), (0.05, 0.045, 0.04), (0.16, 0.12, 0.08)


def figure() -> Mesh:
    """Standing on z = 0, facing along y; its parts are named by what they are made of."""
    coat = turned_profile(
        [(0.16, 0.42), (0.24, 0.45), (0.2, 0.95), (0.23, 1.2), (0.2, 1.4), (0.07, 1.48), (0.0, 1.5)], 14, COAT
    )
    leg = turned_profile([(0.075, 0), (0.085, 0.1), (0.09, 0.5)], 10, BOOT)
    arm = turned_profile([(0.0, 0.8), (0.05, 0.82), (0.06, 1.1), (0.07, 1.36), (0.0, 1.4)], 8, COAT)
    head = turned_profile([(0.05, 1.46), (0.08, 1.52), (0.1, 1.6), (0.085, 1.7), (0.0, 1.75)], 14, SKIN)
    cap = turned_profile([(0.115, 1.66), (0.115, 1.69), (0.1, 1.74), (0.0, 1.77)], 14, CAP)
    sides = [
        m.moved(m.points + np.array([s * x, 0.0, 0.0]))
        for m, x in ((leg, 0.11), (arm, 0.27))
        for s in (-1, 1)
    ]
    flat = np.array([1.0, 0.7, 1.0], np.float32)
    return joined([m.moved(m.points * flat) for m in (coat, *sides, head, cap)])
