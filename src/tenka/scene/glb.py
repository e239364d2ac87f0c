"""Meshes and cameras to and from GLB (glTF 2.0 binary), through pygltflib.

glTF is Y up and right-handed: (x, y, z) here is (x, z, -y) there. Colours go with the corners, in linear light.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.effect.model import Camera
from tenka.scene.cameras import frame_of
from tenka.scene.meshes import Mesh


def to_bytes(meshes: dict[str, Mesh], camera: Camera | None = None, credit: str = "") -> bytes:
    """A GLB with one node per mesh, flat-shaded, the camera as a node with its settings kept beside it, and who made the meshes."""
    import pygltflib as gl  # slow to load, and not needed to open the window

    doc = gl.GLTF2(scene=0, scenes=[gl.Scene(nodes=[])], asset=gl.Asset(version="2.0", generator="Tenka", copyright=credit or None))
    blob = b""

    def put(array: np.ndarray, kind: str, bounds: bool) -> int:
        nonlocal blob
        data = np.ascontiguousarray(array, np.float32)
        doc.bufferViews.append(gl.BufferView(buffer=0, byteOffset=len(blob), byteLength=data.nbytes, target=gl.ARRAY_BUFFER))
        accessor = gl.Accessor(bufferView=len(doc.bufferViews) - 1, componentType=gl.FLOAT, count=len(data), type=kind)
        if bounds:
            accessor.min, accessor.max = data.min(axis=0).tolist(), data.max(axis=0).tolist()
        doc.accessors.append(accessor)
        blob += data.tobytes()
        return len(doc.accessors) - 1

    for name, mesh in meshes.items():
        if not len(mesh.faces):
            continue
        corners = mesh.corners.reshape(-1, 3)[:, [0, 2, 1]] * np.array([1, 1, -1])
        edges = corners.reshape(-1, 3, 3)
        normals = np.cross(edges[:, 1] - edges[:, 0], edges[:, 2] - edges[:, 0])
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        colours = np.repeat(np.hstack([mesh.colours, np.ones((len(mesh.colours), 1))]), 3, axis=0)
        attributes = gl.Attributes(
            POSITION=put(corners, gl.VEC3, True),
            NORMAL=put(np.repeat(normals, 3, axis=0), gl.VEC3, False),
            COLOR_0=put(colours, gl.VEC4, False),
        )
        doc.meshes.append(gl.Mesh(name=name, primitives=[gl.Primitive(attributes=attributes)]))
        doc.nodes.append(gl.Node(name=name, mesh=len(doc.meshes) - 1))
        doc.scenes[0].nodes.append(len(doc.nodes) - 1)
    if camera is not None:
        doc.cameras.append(
            gl.Camera(name="view", type="perspective", perspective=gl.Perspective(yfov=math.radians(camera.fov), znear=0.05))
        )
        doc.nodes.append(
            gl.Node(name="view", camera=0, matrix=_camera_matrix(camera), extras={"tenka_camera": camera.model_dump(mode="json")})
        )
        doc.scenes[0].nodes.append(len(doc.nodes) - 1)
    doc.buffers.append(gl.Buffer(byteLength=len(blob)))
    doc.set_binary_blob(blob)
    return b"".join(doc.save_to_bytes())


def _camera_matrix(camera: Camera) -> list[float]:
    forward, right, up = frame_of(camera.heading, camera.pitch)
    eye = np.asarray(camera.target) - camera.distance * forward
    turned = [np.array([v[0], v[2], -v[1]]) for v in (right, up, -forward, eye)]
    return [float(x) for k, v in enumerate(turned) for x in (*v, 1.0 if k == 3 else 0.0)]


def camera_from(file: Path) -> Camera | None:
    """The camera of a set, when it holds one."""
    import pygltflib as gl

    try:
        doc = gl.GLTF2().load_binary(str(file))
        for node in doc.nodes:
            if node.camera is not None and "tenka_camera" in (node.extras or {}):
                return Camera.model_validate(node.extras["tenka_camera"])
    except Exception:  # the reader raises whatever its parsers do
        raise BadInput("broken off or not a GLB", "the set of a package", file) from None
    return None
