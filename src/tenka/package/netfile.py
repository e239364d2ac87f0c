"""Meshes of a sequence in one GLB file: one mesh, and one node, for each frame; the first is in the scene."""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic

FLOAT, BYTE, USHORT, UINT = 5126, 5121, 5123, 5125
VERTICES, INDICES = 34962, 34963
SIZES = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}
KINDS: dict[int, Any] = {
    FLOAT: np.dtype("<f4"),
    BYTE: np.dtype("u1"),
    USHORT: np.dtype("<u2"),
    UINT: np.dtype("<u4"),
}


@dataclass(frozen=True)
class NetFrame:
    """A frame of a mesh sequence, Z up.

    Attributes
    ----------
    points, normals : (n, 3) float32
    foam : (n,) uint8
    faces : (m, 3)
    drops : (k, 5) float32, places, widths and air of what flies alone
    """

    points: np.ndarray
    normals: np.ndarray
    foam: np.ndarray
    faces: np.ndarray
    drops: np.ndarray


def _turned(points: np.ndarray) -> np.ndarray:
    """From Z up to Y up, as glTF has it, and with the sign changed back by `_back`."""
    return np.ascontiguousarray(points[:, [0, 2, 1]] * np.array([1, 1, -1], np.float32), np.float32)


def _back(points: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(points[:, [0, 2, 1]] * np.array([1, -1, 1], np.float32), np.float32)


class _Bin:
    """The binary part of a file, as it grows."""

    def __init__(self) -> None:
        self.parts: list[bytes] = []
        self.size = 0
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def add(self, array: np.ndarray, kind: int, shape: str, target: int, **more: Any) -> int:
        data = np.ascontiguousarray(array, KINDS[kind]).tobytes()
        self.views.append({"buffer": 0, "byteOffset": self.size, "byteLength": len(data), "target": target})
        data += b"\0" * (-len(data) % 4)
        self.parts.append(data)
        self.size += len(data)
        self.accessors.append(
            {
                "bufferView": len(self.views) - 1,
                "componentType": kind,
                "count": len(array) if shape != "SCALAR" else int(array.size),
                "type": shape,
                **more,
            }
        )
        return len(self.accessors) - 1


class NetWriter:
    """Gathers frames, and writes them."""

    def __init__(self) -> None:
        self._bin = _Bin()
        self._meshes: list[dict[str, Any]] = []

    def add(self, frame: NetFrame) -> None:
        """A further frame."""
        bin_, found = self._bin, []
        if len(frame.points):
            points = _turned(frame.points)
            box = {"min": points.min(axis=0).tolist(), "max": points.max(axis=0).tolist()}
            colours = np.full((len(points), 4), 255, np.uint8)
            colours[:, :3] = frame.foam[:, None]
            wide = UINT if len(points) > 65_535 else USHORT
            found.append(
                {
                    "attributes": {
                        "POSITION": bin_.add(points, FLOAT, "VEC3", VERTICES, **box),
                        "NORMAL": bin_.add(_turned(frame.normals), FLOAT, "VEC3", VERTICES),
                        "COLOR_0": bin_.add(colours, BYTE, "VEC4", VERTICES, normalized=True),
                    },
                    "indices": bin_.add(frame.faces.reshape(-1), wide, "SCALAR", INDICES),
                    "material": 0,
                }
            )
        drops = frame.drops
        if len(drops) or not found:
            if not len(drops):  # a mesh must have something: a drop of no size
                drops = np.zeros((1, 5), np.float32)
            places = _turned(drops[:, :3])
            box = {"min": places.min(axis=0).tolist(), "max": places.max(axis=0).tolist()}
            found.append(
                {
                    "attributes": {
                        "POSITION": bin_.add(places, FLOAT, "VEC3", VERTICES, **box),
                        "_WIDTH": bin_.add(drops[:, 3], FLOAT, "SCALAR", VERTICES),
                        "_AIR": bin_.add(drops[:, 4], FLOAT, "SCALAR", VERTICES),
                    },
                    "mode": 0,
                    "material": 0,
                }
            )
        self._meshes.append({"name": f"frame_{len(self._meshes):04d}", "primitives": found})

    def write(self, file: Path) -> None:
        """The file, at once."""
        names = [mesh["name"] for mesh in self._meshes]
        tree = {
            "asset": {"version": "2.0", "generator": "Tenka"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [{"mesh": n, "name": name} for n, name in enumerate(names)],
            "meshes": self._meshes,
            "materials": [{"name": "liquid", "pbrMetallicRoughness": {"metallicFactor": 0.0}}],
            "accessors": self._bin.accessors,
            "bufferViews": self._bin.views,
            "buffers": [{"byteLength": self._bin.size}],
        }
        text = json.dumps(tree, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        body = b"".join(self._bin.parts)
        head = struct.pack("<4sII", b"glTF", 2, 12 + 8 + len(text) + 8 + len(body))
        chunks = [
            struct.pack("<I4s", len(text), b"JSON"),
            text,
            struct.pack("<I4s", len(body), b"BIN\0"),
            body,
        ]
        write_atomic(file, b"".join([head, *chunks]))


class NetFile:
    """A mesh sequence that was written here.

    Raises
    ------
    BadInput
        A file that is damaged, or of another kind.
    """

    def __init__(self, file: Path) -> None:
        try:
            data = file.read_bytes()
            magic, version, _ = struct.unpack_from("<4sII", data)
            (size, kind) = struct.unpack_from("<I4s", data, 12)
            if magic != b"glTF" or version != 2 or kind != b"JSON":
                raise ValueError
            self._tree = json.loads(data[20 : 20 + size])
            self._body = data[28 + size :]
            self._meshes = self._tree["meshes"]
            self._nodes = len(self._tree["nodes"])
        except (OSError, ValueError, KeyError, struct.error):
            raise BadInput("is no mesh sequence", "a GLB file with a mesh for each frame", file) from None
        self._file = file

    def __len__(self) -> int:
        return len(self._meshes)

    def _array(self, index: int) -> np.ndarray:
        accessor = self._tree["accessors"][index]
        view, kind = self._tree["bufferViews"][accessor["bufferView"]], KINDS[accessor["componentType"]]
        each = SIZES[accessor["type"]]
        count, first = int(accessor["count"]) * each, int(view["byteOffset"])
        found: np.ndarray = np.frombuffer(self._body, kind, count, first)
        return found.reshape(-1, each) if each > 1 else found

    def at(self, index: int) -> NetFrame:
        """A frame."""
        none = np.zeros((0, 3), np.float32)
        points, normals, foam, faces = none, none, np.zeros(0, np.uint8), np.zeros((0, 3), np.int32)
        drops = np.zeros((0, 5), np.float32)
        try:
            for part in self._meshes[index]["primitives"]:
                own = part["attributes"]
                if part.get("mode", 4) == 0:
                    places = _back(self._array(own["POSITION"]))
                    more = [self._array(own[name])[:, None] for name in ("_WIDTH", "_AIR")]
                    drops = np.concatenate([places, *more], axis=1)
                    drops = drops[drops[:, 3] > 0]
                else:
                    points, normals = (_back(self._array(own[n])) for n in ("POSITION", "NORMAL"))
                    foam = self._array(own["COLOR_0"])[:, 0]
                    faces = self._array(part["indices"]).reshape(-1, 3).astype(np.int32)
        except (KeyError, ValueError, IndexError, TypeError):
            raise BadInput("is damaged", "the file as it was written", self._file) from None
        return NetFrame(points, normals, foam, faces, drops)
