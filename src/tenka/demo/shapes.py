"""What the demo's props are made of: colours, uneven faces, placing."""

from __future__ import annotations

import math

import numpy as np

from tenka.base.randomness import stable_seed, unit_array
from tenka.scene.meshes import Mesh
from tenka.scene.poses import Pose

BRICK = (0.30, 0.135, 0.085)
SOOT = (0.045, 0.04, 0.038)
IRON = (0.05, 0.052, 0.055)
STONE = (0.26, 0.245, 0.22)
WOOD = (0.20, 0.13, 0.075)
CLAY = (0.42, 0.24, 0.15)


def aged(mesh: Mesh, amount: float, name: str) -> Mesh:
    """Each face a little lighter or darker than its neighbours."""
    tone = 1.0 + amount * (unit_array(stable_seed(name), np.arange(len(mesh.faces)) // 2) - 0.5)
    return Mesh(mesh.points, mesh.faces, (mesh.colours * tone[:, None]).astype(np.float32))


def placed(mesh: Mesh, x: float, y: float, z: float = 0.0, turn: float = 0.0) -> Mesh:
    a = math.radians(turn)
    turned = np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]])
    return mesh.placed(Pose(turned, np.array([x, y, z], float)))
