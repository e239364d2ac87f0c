"""The set of a package read back: its meshes, its camera, its sun and sky."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.effect.model import Camera, Light
from tenka.package.manifest import LIGHT_ROW, Set
from tenka.scene.files import load
from tenka.scene.glb import camera_from, holds_meshes
from tenka.scene.meshes import Mesh, joined


def light_of(stands: Set) -> Light:
    """The sun and the sky of a set."""
    return Light(
        heading=stands.sun_heading,
        height=stands.sun_height,
        strength=stands.sun_strength,
        kelvin=stands.sun_kelvin,
        sky=stands.sky,
        exposure=stands.exposure,
        backdrop=stands.backdrop,
        sky_tint=stands.sky_tint,
    )


def mesh_of(file: Path) -> Mesh:
    """All meshes of a GLB as one; nothing where it holds none."""
    return load(file) if holds_meshes(file) else joined([])


def set_of(folder: Path, stands: Set) -> tuple[Mesh, Camera]:
    """The meshes of a set as one, and its camera.

    Raises
    ------
    BadInput
        A file that is broken or holds no camera.
    """
    file = folder / stands.file
    mesh = mesh_of(file)
    camera = camera_from(file)
    if camera is None:
        raise BadInput("holds no camera", "the set with its camera", file)
    return mesh, camera


def lamps_at(stands: Set, time: float) -> np.ndarray:
    """The lights of a set at a time, s: rows of lamps, those first that throw shadows."""
    lights = sorted(stands.lights, key=lambda light: not light.shadows)
    rows = [light.rows[min(max(int(time * light.rate), 0), len(light.rows) - 1)] for light in lights]
    return np.array(rows, np.float32).reshape(-1, LIGHT_ROW)
