"""GLB files (glTF 2.0 binary) written and opened: the one place that knows their chunks and accessors.

glTF is Y up and right-handed: (x, y, z) here is (x, z, -y) there.
"""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import read_file
from tenka.base.tree import parse
from tenka.scene.meshes import Mesh

MAGIC, JSON_CHUNK, BLOB_CHUNK = 0x46546C67, 0x4E4F534A, 0x004E4942
ARRAY_BUFFER = 34962
COMPONENTS = {"<f4": 5126, "|u1": 5121, "<u2": 5123}
WIDTHS = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
MOST_BYTES = 512 * 1024 * 1024


def y_up(points: np.ndarray) -> np.ndarray:
    """(..., 3) points or directions with Z up, as glTF has them."""
    return np.stack([points[..., 0], points[..., 2], -points[..., 1]], axis=-1).astype(np.float32)


class Builder:
    """A GLB being put together.

    Attributes
    ----------
    tree : the document, to which nodes, meshes, cameras and animations are added
    """

    def __init__(self, credit: str = "") -> None:
        self._blob = bytearray()
        asset = {"version": "2.0", "generator": "Tenka", **({"copyright": credit} if credit else {})}
        self.tree: dict[str, Any] = {"asset": asset, "scene": 0, "scenes": [{"nodes": []}]}

    def add(self, group: str, item: dict[str, Any]) -> int:
        """Add an item to one of the document's lists, and return its index."""
        items = self.tree.setdefault(group, [])
        items.append(item)
        return len(items) - 1

    def accessor(self, array: np.ndarray, bounds: bool = False, corners: bool = False) -> int:
        """Put an array, (n,) or (n, k), into the file: bytes and uint16 as they are, all else as float32.

        Parameters
        ----------
        bounds : state the least and the most, as places and key times must
        corners : it belongs to the corners of a mesh
        """
        kind = array.dtype.str if array.dtype.str in COMPONENTS else "<f4"
        flat = np.ascontiguousarray(array, kind).reshape(len(array), -1)
        view: dict[str, Any] = {"buffer": 0, "byteOffset": len(self._blob), "byteLength": flat.nbytes}
        if corners:
            view["target"] = ARRAY_BUFFER
        self._blob += flat.tobytes() + b"\0" * (-flat.nbytes % 4)
        row: dict[str, Any] = {
            "bufferView": self.add("bufferViews", view),
            "componentType": COMPONENTS[kind],
            "count": len(flat),
            "type": WIDTHS[flat.shape[1]],
        }
        if bounds:
            row |= {"min": flat.min(axis=0).tolist(), "max": flat.max(axis=0).tolist()}
        return self.add("accessors", row)

    def mesh(self, name: str, mesh: Mesh, coordinates: np.ndarray | None = None) -> int:
        """Add a flat-shaded mesh with the colours of its faces.

        Parameters
        ----------
        coordinates : (3 faces, 2) of each corner, as its second set of texture coordinates
        """
        corners = mesh.corners.astype(np.float64)
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        colours = np.hstack([mesh.colours, np.ones((len(mesh.colours), 1))])
        attributes = {
            "POSITION": self.accessor(y_up(corners.reshape(-1, 3)), True, True),
            "NORMAL": self.accessor(y_up(np.repeat(normals, 3, axis=0)), corners=True),
            "COLOR_0": self.accessor(np.repeat(colours, 3, axis=0), corners=True),
        }
        if coordinates is not None:  # a second set stands only beside a first
            attributes["TEXCOORD_0"] = self.accessor(np.zeros_like(coordinates), corners=True)
            attributes["TEXCOORD_1"] = self.accessor(coordinates, corners=True)
        return self.add("meshes", {"name": name, "primitives": [{"attributes": attributes}]})

    def node(self, item: dict[str, Any], root: bool = True) -> int:
        """Add a node, to the scene's own ones unless it is the child of another."""
        index = self.add("nodes", item)
        if root:
            self.tree["scenes"][0]["nodes"].append(index)
        return index

    def to_bytes(self) -> bytes:
        """The whole file."""
        blob = bytes(self._blob)
        tree = {**self.tree, "buffers": [{"byteLength": len(blob)}]} if blob else self.tree
        text = json.dumps(tree).encode()
        text += b" " * (-len(text) % 4)
        chunks = struct.pack("<II", len(text), JSON_CHUNK) + text
        if blob:
            chunks += struct.pack("<II", len(blob), BLOB_CHUNK) + blob
        return struct.pack("<III", MAGIC, 2, 12 + len(chunks)) + chunks


MOST_NODES = 20_000
MOST_THINGS = 100_000  # of one sort


def tree_of(file: Path) -> dict[str, Any]:
    """The document of a GLB, without its data.

    Raises
    ------
    BadInput
        Not a GLB, or broken off.
    """
    return opened(file)[0]


def opened(file: Path) -> tuple[dict[str, Any], bytes]:
    """The document of a GLB and its data, which may be none.

    Raises
    ------
    BadInput
        Not a GLB, broken off, or with more nodes or other things than a rig is made of.
    """
    data = read_file(file, "a GLB", MOST_BYTES)
    if len(data) < 20:
        raise BadInput("broken off or not a GLB", "a whole GLB", file)
    magic, _, whole, size, kind = struct.unpack_from("<IIIII", data)
    if magic != MAGIC or kind != JSON_CHUNK or whole > len(data) or 20 + size > len(data):
        raise BadInput("broken off or not a GLB", "a whole GLB", file)
    tree = parse(data[20 : 20 + size], "a GLB", file)
    if not isinstance(tree, dict):
        raise BadInput("broken off or not a GLB", "a whole GLB", file)
    for name, things in tree.items():
        if isinstance(things, list) and len(things) > (MOST_NODES if name == "nodes" else MOST_THINGS):
            raise BadInput(f"has {len(things):,} {name[:60]}", "a GLB with fewer", file)
    start = 20 + size
    if start + 8 > len(data):
        return tree, b""
    length, kind = struct.unpack_from("<II", data, start)
    if kind != BLOB_CHUNK or start + 8 + length > len(data):
        raise BadInput("broken off or not a GLB", "a whole GLB", file)
    return tree, data[start + 8 : start + 8 + length]
