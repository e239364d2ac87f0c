"""The set of a package as GLB: meshes and the camera, written and read back. Colours go with the corners, in
linear light."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.tree import checked
from tenka.effect.model import Camera
from tenka.scene.cameras import frame_of
from tenka.scene.gltf import Builder, tree_of, y_up
from tenka.scene.meshes import Mesh


def to_bytes(meshes: dict[str, Mesh], camera: Camera | None = None, credit: str = "") -> bytes:
    """A GLB with one node per mesh, flat-shaded, the camera as a node with its settings kept beside it, and
    who made the meshes."""
    file = Builder(credit)
    for name, mesh in meshes.items():
        if len(mesh.faces):
            file.node({"name": name, "mesh": file.mesh(name, mesh)})
    if camera is not None:
        lens = {"yfov": math.radians(camera.fov), "znear": 0.05}
        index = file.add("cameras", {"name": "view", "type": "perspective", "perspective": lens})
        file.node(
            {
                "name": "view",
                "camera": index,
                "matrix": _camera_matrix(camera),
                "extras": {"tenka_camera": camera.model_dump(mode="json")},
            }
        )
    return file.to_bytes()


def _camera_matrix(camera: Camera) -> list[float]:
    forward, right, up = frame_of(camera.heading, camera.pitch)
    eye = np.asarray(camera.target) - camera.distance * forward
    columns = [y_up(np.asarray(v, float)) for v in (right, up, -forward, eye)]
    return [float(x) for k, v in enumerate(columns) for x in (*v, 1.0 if k == 3 else 0.0)]


def camera_from(file: Path) -> Camera | None:
    """The camera of a set, when it holds one; raises BadInput for what is no GLB."""
    nodes = tree_of(file).get("nodes", [])
    for node in nodes if isinstance(nodes, list) else []:
        extras = node.get("extras") if isinstance(node, dict) else None
        if isinstance(extras, dict) and "tenka_camera" in extras:
            return checked(Camera, extras["tenka_camera"], file)
    return None


def holds_meshes(file: Path) -> bool:
    """Whether a set has any mesh; raises BadInput for what is no GLB."""
    meshes = tree_of(file).get("meshes", [])
    if not isinstance(meshes, list):
        raise BadInput("is not a set", "a list of meshes", file)
    return bool(meshes)
