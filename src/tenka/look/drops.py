"""Drops that fly alone beside a liquid: as bright as its foam."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tenka.effect.model import Light, PointLook, WaterLook
from tenka.look.lamps import NO_LAMPS
from tenka.look.swarm import PointSet, Swarm, ready
from tenka.particles.state import FREE, Points

DROPS = PointLook(form="point", opacity=0.6)
CLEAR = np.float32(0.3)  # of the foam's brightness, that a drop without air has


def drops_of(loose: Points, look: WaterLook, t: float, name: str = "") -> Swarm:
    """Drops as particles that are drawn; `loose.colour` tells how much air each has mixed in."""
    loose = loose.picked(loose.heat < 0.5)  # the surface covers the others
    white = (CLEAR + (1 - CLEAR) * loose.colour) * np.asarray(look.foam_colour, np.float32)
    return Swarm(replace(loose, colour=white.astype(np.float32)), t, DROPS, np.ones(1), name=name)


def drops_at(
    places: np.ndarray, widths: np.ndarray, air: np.ndarray, look: WaterLook, t: float, light: Light
) -> PointSet:
    """Drops by their places, widths and air, (n, 3) and (n,) m, made ready for drawing."""
    n = len(places)
    loose = Points(
        np.arange(n, dtype=np.int64),
        np.zeros(n),
        np.full(n, np.inf, np.float32),
        np.ascontiguousarray(places, np.float32),
        np.zeros((n, 3), np.float32),
        np.ascontiguousarray(widths, np.float32),
        np.zeros(n, np.float32),
        np.zeros(n, np.int16),
        np.zeros(n, np.uint8),
        np.full(n, FREE, np.int8),
        np.repeat(np.asarray(air, np.float32)[:, None], 3, axis=1),
    )
    return ready(drops_of(loose, look, t), light, None, 1, NO_LAMPS)
