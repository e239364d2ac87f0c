"""Files whose heads promise more than there is, or more than fits: refused before it is allocated, in a
sentence, by a process that may hold no more than it needs for an honest file."""

from __future__ import annotations

import io
import json
import struct
import subprocess
import sys
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tenka.demo import FOLDER

ROOM = 500_000_000  # bytes above what a process with all readers takes


def glb_of(count: int, nodes: tuple[dict, ...] = ({"mesh": 0},)) -> bytes:
    """A file of one triangle, whose accessor says it has `count` points."""
    data = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
    tree = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": nodes,
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "buffers": [{"byteLength": len(data)}],
        "bufferViews": [{"buffer": 0, "byteLength": len(data)}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3"}],
    }
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    whole = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(data))
    return (
        whole
        + struct.pack("<I4s", len(text), b"JSON")
        + text
        + struct.pack("<I4s", len(data), b"BIN\0")
        + data
    )


def npz_of(shape: tuple[int, ...]) -> bytes:
    """An archive whose array says it has this shape, and holds nothing."""
    head = io.BytesIO()
    np.lib.format.write_array_header_1_0(
        head,
        {"descr": "<f8", "fortran_order": False, "shape": shape},  # type: ignore[arg-type]
    )
    box = io.BytesIO()
    with zipfile.ZipFile(box, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("x.npy", head.getvalue())
    return box.getvalue()


def png_of(width: int, height: int) -> bytes:
    """A picture's head without the picture."""
    body = b"IHDR" + struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + body + struct.pack(">I", zlib.crc32(body))


def effect_of(*path: str | int, value: object) -> bytes:
    """A demo with one hostile setting."""
    tree = json.loads((FOLDER / "wheel_sparks.tenka").read_bytes())
    holder = tree
    for key in path[:-1]:
        holder = holder[key]
    holder[path[-1]] = value
    return json.dumps(tree).encode()


CHAIN = (*({"children": [n + 1]} for n in range(30_000)), {"mesh": 0})
MANY = ({"children": list(range(1, 900_001))}, *[{"mesh": 0}] * 900_000)
CASES: dict[str, tuple[str, Callable[[], bytes], str, str]] = {
    "points of a GLB": ("a.glb", lambda: glb_of(2_000_000_000), "scene.files", "read"),
    "a chain of nodes": ("a.glb", lambda: glb_of(3, CHAIN), "scene.files", "read"),
    "nodes that carry one mesh": ("a.glb", lambda: glb_of(3, MANY), "scene.files", "read"),
    "an archive's shape": ("a.npz", lambda: npz_of((10**12,)), "particles.files", "read"),
    "an archive's negative shape": ("a.npz", lambda: npz_of((-5,)), "particles.files", "read"),
    "the head of points": (
        "a.ply",
        lambda: (
            b"ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\n"
            b"property float y\nproperty float z\nend_header\n" + bytes(64)
        ),
        "particles.files",
        "read",
    ),
    "the head of a mesh": (
        "b.ply",
        lambda: (
            b"ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\n"
            b"property float y\nproperty float z\nelement face 4000000000\n"
            b"property list uchar int vertex_indices\nend_header\n" + bytes(64)
        ),
        "scene.files",
        "read",
    ),
    "a source's picture": ("a.png", lambda: png_of(400_000, 400_000), "gas.images", "brightness_of"),
    "a long effect": ("a.tenka", lambda: effect_of("seconds", value=1e12), "effect.storage", "load"),
    "copies of a prop": (
        "a.tenka",
        lambda: effect_of("props", 0, "copies", value=10**12),
        "effect.storage",
        "load",
    ),
    "a burst": (
        "a.tenka",
        lambda: effect_of("layers", 0, "sources", 0, "burst", value=10**15),
        "effect.storage",
        "load",
    ),
    "a number of a thousand digits": (
        "a.tenka",
        lambda: b'{"tenka": 1, "seconds": ' + b"9" * 1000 + b"}",
        "effect.storage",
        "load",
    ),
    "a tree of a million levels": ("a.tenka", lambda: b"[" * 1_000_000, "effect.storage", "load"),
}
"""What is promised: name of the file, its bytes, and the reader."""


@pytest.fixture(scope="module")
def said(tmp_path_factory: pytest.TempPathFactory) -> dict[str, str]:
    """What each reader raised, all in one process with little memory."""
    folder, lines = tmp_path_factory.mktemp("hostile"), []
    for name, (file, data, module, reader) in CASES.items():
        path = folder / f"{len(lines)}{Path(file).suffix}"
        path.write_bytes(data())
        lines.append((name, module, reader, str(path)))
    program = (
        "import importlib, json, resource\nfrom pathlib import Path\n"
        f"lines = {lines!r}\n"
        "readers = [getattr(importlib.import_module('tenka.' + m), r) for _, m, r, _ in lines]\n"
        "pages = int(Path('/proc/self/statm').read_text().split()[5])\n"
        f"most = pages * resource.getpagesize() + {ROOM}\n"
        "resource.setrlimit(resource.RLIMIT_DATA, (most, most))\n"
        "for read, (name, _, _, path) in zip(readers, lines):\n"
        "    try:\n"
        "        read(Path(path))\n"
        "        print(json.dumps([name, 'read', '']))\n"
        "    except BaseException as error:\n"
        "        print(json.dumps([name, type(error).__name__, str(error)]))\n"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True)
    return {name: f"{kind}: {text}" for name, kind, text in map(json.loads, done.stdout.splitlines())}


@pytest.mark.parametrize("name", CASES)
def test_what_promises_too_much_is_refused_in_a_sentence(said: dict[str, str], name: str):
    kind, _, text = said[name].partition(": ")
    assert kind in ("BadInput", "TooLarge"), said[name]
    assert 20 < len(text) < 400 and "\n" not in text and "Error" not in text, text
