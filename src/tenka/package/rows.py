"""Textures of numbers of a package read back."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.exr import read_exr
from tenka.package.elements.bodies import Bodies
from tenka.package.elements.particles import Particles
from tenka.package.elements.trails import Trails

WIDE = 11  # place, width, light, opacity, way


def rows_of(folder: Path, element: Particles) -> np.ndarray:
    """All moments of particles, (moments, columns, 11): place and width, m; light; opacity; way, m.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    wide, tall = element.textures[0]
    parts = [read_exr(folder / texture.file, wide, tall) for texture in (element.place, element.paint)]
    if element.way is not None:
        parts.append(read_exr(folder / element.way.file, wide, tall, "RGB"))
    else:
        parts.append(np.zeros((tall, wide, 3), np.float32))
    found = np.concatenate(parts, axis=2)
    if not np.isfinite(found).all():
        raise BadInput("holds what is no number", "finite numbers", folder / element.place.file)
    return found.reshape(len(element.times), -1, WIDE)


def stands_of(folder: Path, element: Bodies) -> tuple[np.ndarray, np.ndarray]:
    """How pieces stand at all moments: (moments, pieces, 4) place, m, and size; and quaternions x y z w.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    assert element.places is not None and element.turns is not None
    wide, tall = max(element.pieces, 1), len(element.times)
    places = read_exr(folder / element.places.file, wide, tall)
    turns = read_exr(folder / element.turns.file, wide, tall)
    if not (np.isfinite(places).all() and np.isfinite(turns).all()):
        raise BadInput("holds what is no number", "finite numbers", folder / element.places.file)
    return places[:, : element.pieces], turns[:, : element.pieces]


def trail_rows(folder: Path, element: Trails) -> np.ndarray:
    """Heads of trails at all moments, (moments, columns, 12): place and width, m; light; opacity; speed, m/s;
    age, s.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    wide, tall = element.textures[0]
    parts = [read_exr(folder / t.file, wide, tall) for t in (element.place, element.paint, element.speed)]
    found = np.concatenate(parts, axis=2)
    if not np.isfinite(found).all():
        raise BadInput("holds what is no number", "finite numbers", folder / element.place.file)
    return found.reshape(len(element.times), -1, 12)
