"""What the heads of files announce, held against what the files hold, before any reader believes them."""

from __future__ import annotations

import json
import re
import struct

from tenka.base.errors import BadInput

MOST_PROPERTIES = 256
MOST_NODES = 20_000
MOST_THINGS = 100_000  # of one sort in a GLB
MOST_TREE_BYTES = 32 * 1024 * 1024


def check_ply(data: bytes) -> None:
    """Refuse a PLY file whose head is broken, or announces more rows than the file has bytes.

    Raises
    ------
    BadInput
    """
    head = data[: 1 << 16].partition(b"end_header")[0]
    try:
        text = head.decode("ascii")
    except UnicodeDecodeError:
        raise BadInput("has a head that is not a PLY file's") from None
    counts = [int(c) for c in re.findall(r"^element\s+\S+\s+(\d{1,15})\s*$", text, re.MULTILINE)]
    if not text.startswith("ply") or len(counts) != len(re.findall(r"^element\b", text, re.MULTILINE)):
        raise BadInput("has a head that is not a PLY file's")
    if len(re.findall(r"^property\b", text, re.MULTILINE)) > MOST_PROPERTIES or sum(counts) > len(data):
        raise BadInput(f"announces {sum(counts):,} rows, which it does not hold")


def check_glb(data: bytes) -> None:
    """Refuse a GLB file that describes more nodes, or more things of another sort, than a reader should make
    objects of: that takes a third of a millisecond for each.

    Raises
    ------
    BadInput
    """
    if len(data) < 20 or data[:4] != b"glTF":
        raise BadInput("broken off or not a mesh")
    size, kind = struct.unpack("<I4s", data[12:20])
    if kind != b"JSON" or size > min(len(data) - 20, MOST_TREE_BYTES):
        raise BadInput("broken off or not a mesh")
    try:
        tree = json.loads(data[20 : 20 + size])
    except (ValueError, RecursionError):
        raise BadInput("broken off or not a mesh") from None
    if not isinstance(tree, dict):
        raise BadInput("broken off or not a mesh")
    for name, things in tree.items():
        if isinstance(things, list) and len(things) > (MOST_NODES if name == "nodes" else MOST_THINGS):
            raise BadInput(f"has {len(things):,} {name}")
