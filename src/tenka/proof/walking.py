"""A figure that walks through an effect, to see where sprites cut into things with a hard edge."""

from __future__ import annotations

import numpy as np

from tenka.package.parts import Element
from tenka.scene.figure import figure
from tenka.scene.meshes import Mesh

PACE = 1.2  # m/s
BESIDE = 1.0  # m that it walks on beyond what is seen
FARTHEST = 4.0  # m from the middle at most: pieces that fly far do not send it far


def walker(time: float, low: np.ndarray, high: np.ndarray, way: np.ndarray) -> Mesh:
    """The figure as it goes to and fro through the middle of a box.

    Parameters
    ----------
    low, high : corners of what it walks through, m
    way : the way that it goes, (3,) unit vector; level
    """
    way = np.array([way[0], way[1], 0.0]) / max(float(np.hypot(way[0], way[1])), 1e-9)
    middle = 0.5 * (np.asarray(low, float) + high)
    reach = 0.5 * float(np.abs(np.asarray(high, float) - low)[:2] @ np.abs(way[:2]))
    half = min(reach + BESIDE, FARTHEST)
    along = (PACE * time) % (4.0 * half)
    back = along > 2.0 * half
    place = along - half if not back else 3.0 * half - along
    facing = -way if back else way
    side = np.array([facing[1], -facing[0], 0.0])
    mesh = figure()
    points = mesh.points @ np.stack([side, facing, [0.0, 0.0, 1.0]]).astype(np.float32)
    return mesh.moved(points + (np.array([middle[0], middle[1], 0.0]) + place * way).astype(np.float32))


def cut_hard(elements: tuple[Element, ...], players: tuple[object, ...]) -> list[str]:
    """Names of elements whose sprites end in a hard edge where something stands in them."""
    return [e.name for e, player in zip(elements, players) if e.cuts_hard(player)]
