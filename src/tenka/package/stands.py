"""The set of a package read back: its meshes, its camera, its sun and sky."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.exr import read_exr
from tenka.effect.lights import closing
from tenka.effect.model import Camera, Light
from tenka.package.manifest import LIGHT_ROW, Moving, Set
from tenka.scene.files import load
from tenka.scene.glb import camera_from, holds_meshes
from tenka.scene.meshes import Mesh, joined
from tenka.scene.poses import Pose, turns

OF_LIGHT = {
    "sun_heading": "heading",
    "sun_height": "height",
    "sun_strength": "strength",
    "sun_kelvin": "kelvin",
    "sky": "sky",
    "exposure": "exposure",
    "backdrop": "backdrop",
    "sky_tint": "sky_tint",
}
"""What a set has of an effect's light, by its own name."""


def light_of(stands: Set) -> Light:
    """The sun and the sky of a set."""
    return Light.model_validate({theirs: getattr(stands, ours) for ours, theirs in OF_LIGHT.items()})


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


@dataclass
class Mover:
    """A part of a set that moves; its mesh at a moment is made when it is asked for."""

    mesh: Mesh
    part: Moving
    bent: np.ndarray | None = None  # (frames, points, 3)
    _now: tuple[float, Mesh] | None = None

    def at(self, time: float) -> Mesh | None:
        """It in its place at a time, s since the effect's start; None once it is gone."""
        if self.part.until is not None and time >= self.part.until:
            return None
        rows = self.part.rows
        x = min(max(time * self.part.rate, 0.0), len(rows) - 1.0)
        if self._now is None or self._now[0] != x:
            n = min(int(x), max(len(rows) - 2, 0))
            a, b = (np.array(rows[min(n + k, len(rows) - 1)]) for k in (0, 1))
            row = a + (x - n) * (b - a)
            turn = turns(row[None, 3:] / np.linalg.norm(row[3:]))[0]
            mesh = self.mesh
            if self.bent is not None:
                a, b = (self.bent[min(n + k, len(rows) - 1)] for k in (0, 1))
                mesh = mesh.moved(a + np.float32(x - n) * (b - a))
            self._now = (x, mesh.placed(Pose(turn, row[:3])))
        return self._now[1]


def movers_of(folder: Path, stands: Set) -> list[Mover]:
    """What of a set moves.

    Raises
    ------
    BadInput
        A file that is broken.
    """
    found = []
    for part in stands.moving:
        mesh, bent = mesh_of(folder / part.file), None
        if part.bent is not None:
            bent = read_exr(folder / part.bent.file, len(mesh.points), len(part.rows), "RGB")
        found.append(Mover(mesh, part, bent))
    return found


def lamps_at(stands: Set, time: float) -> np.ndarray:
    """The lights of a set at a time, s: rows of lamps, those first that throw shadows."""
    lights = sorted(stands.lights, key=lambda light: not light.shadows)
    rows = [
        (*light.rows[min(max(int(time * light.rate), 0), len(light.rows) - 1)], closing(light.reach))
        for light in lights
    ]
    return np.array(rows, np.float32).reshape(-1, LIGHT_ROW + 1)
