"""A handle, and those of a domain's walls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.effect.model import LayerBase


@dataclass(frozen=True)
class Handle:
    """Something to take hold of: a placed thing (`axis` -1), a point of its curve or path (`knot`), or a wall
    of a layer's domain."""

    path: str
    point: np.ndarray
    axis: int = -1
    high: bool = False
    line: str = ""
    knot: int = -1


def wall_handles(path: str, layer: LayerBase) -> list[Handle]:
    """One in the middle of each wall of the box in which a layer is simulated."""
    if layer.room is None:
        return []
    low, size = (np.asarray(part) for part in layer.room)
    found = []
    for axis in range(3):
        for high in (False, True):
            point = low + size / 2
            point[axis] = low[axis] + (size[axis] if high else 0.0)
            found.append(Handle(f"{path}.{layer.BOX}", point, axis, high))
    return found
