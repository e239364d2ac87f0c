"""OpenVDB files: fields of voxels that hold only what is there, written and read.

The layout is that of file version 224 (Museth 2013; the published library's headers): a tree of three
levels over blocks of 8 x 8 x 8 voxels, with 16^3 of these in a lower and 32^3 of those in an upper node. Of
each block the values of active voxels alone are kept, shuffled and compressed by LZ4 as the library does.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np

MAGIC = 0x56444220
VERSION, LIBRARY = 224, (10, 0)
ACTIVE, BLOSC = 2, 4
LEAF, LOWER, UPPER = 8, 16, 32
LOW_SPAN, ROOT_SPAN = LEAF * LOWER, LEAF * LOWER * UPPER  # voxels that a lower and an upper node hold
LEAST = 48  # bytes that are worth compressing
KINDS = {1: "float", 3: "vec3s"}
UUID = "00000000-0000-4000-8000-000000000000"  # the same effect makes the same bytes


@dataclass(frozen=True)
class Field:
    """A field of voxels over a box.

    Attributes
    ----------
    values : (nx, ny, nz), or (nx, ny, nz, 3) of vectors
    """

    name: str
    values: np.ndarray


def _text(value: str) -> bytes:
    raw = value.encode()
    return struct.pack("<I", len(raw)) + raw


def _meta(values: Mapping[str, object]) -> bytes:
    """A table of named values."""
    rows = [struct.pack("<I", len(values))]
    for name, value in values.items():
        if isinstance(value, bool):
            kind, raw = "bool", struct.pack("<?", value)
        elif isinstance(value, int):
            kind, raw = "int64", struct.pack("<q", value)
        elif isinstance(value, float):
            kind, raw = "double", struct.pack("<d", value)
        elif isinstance(value, tuple):
            kind, raw = "vec3i", struct.pack("<3i", *value)
        else:
            kind, raw = "string", str(value).encode()
        rows += [_text(name), _text(kind), struct.pack("<I", len(raw)), raw]
    return b"".join(rows)


@lru_cache(maxsize=1)
def blosc() -> Any:
    """The compressor, loaded with the first volume."""
    import blosc

    blosc.set_nthreads(1)
    return blosc


def _compressed(raw: memoryview, each: int) -> bytes:
    """Bytes with how many they are, or, where compressing gains nothing, with how many less than none."""
    count = len(raw)
    if count >= LEAST:
        small: bytes = blosc().compress(raw, each, 9, 1, "lz4")
        if len(small) < count:
            return struct.pack("<q", len(small)) + small
    return struct.pack("<q", -count) + raw


@dataclass(frozen=True)
class _Tree:
    """Where blocks lie, in the order in which they are written.

    Attributes
    ----------
    blocks : (n, 3) index of the lowest voxel of each
    rows : places of these among all blocks of the padded box
    masks : (n, 512) which of their voxels are active; bits : the same as they are written
    """

    blocks: np.ndarray
    rows: np.ndarray
    masks: np.ndarray
    topology: bytes
    bits: bytes


def _split(values: np.ndarray, before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """A box, padded to whole blocks, as (blocks, 512, ...)."""
    wide = np.pad(values, [*zip(before, after), *([(0, 0)] * (values.ndim - 3))])
    x, y, z = (n // LEAF for n in wide.shape[:3])
    more = wide.shape[3:]
    cut = wide.reshape(x, LEAF, y, LEAF, z, LEAF, *more)
    return np.ascontiguousarray(np.moveaxis(cut, (2, 4), (1, 2))).reshape(x * y * z, LEAF**3, *more)


def _tree(active: np.ndarray, first: np.ndarray, before: np.ndarray, after: np.ndarray, half: bool) -> _Tree:
    masks = _split(active, before, after)
    rows = np.flatnonzero(masks.any(axis=1))
    count = (np.array(active.shape) + before + after) // LEAF
    blocks = np.stack(np.unravel_index(rows, count), axis=1) * LEAF + (first - before)
    root = blocks // ROOT_SPAN
    upper = (blocks % ROOT_SPAN) // LOW_SPAN @ np.array([UPPER * UPPER, UPPER, 1])
    lower = (blocks % LOW_SPAN) // LEAF @ np.array([LOWER * LOWER, LOWER, 1])
    order = np.lexsort((lower, upper, root[:, 2], root[:, 1], root[:, 0]))
    blocks, rows, root, upper, lower = (a[order] for a in (blocks, rows, root, upper, lower))
    masks = masks[rows]
    bits = np.packbits(masks, axis=1, bitorder="little")
    # no tile holds a value of its own: as halves that takes nothing, as floats the size of nothing
    none = b"\0" if half else b"\0" + bytes(8)
    parts = []
    ends = np.any(root[1:] != root[:-1], axis=1)
    starts: list[int] = np.flatnonzero(np.r_[True, ends]).tolist() if len(root) else []
    for a, b in pairwise([*starts, len(root)]):
        parts.append(struct.pack("<3i", *(int(v) for v in root[a] * ROOT_SPAN)))
        parts += [_mask(upper[a:b], UPPER), bytes(UPPER**3 // 8), none]
        inner = a + np.flatnonzero(np.r_[True, upper[a + 1 : b] != upper[a : b - 1]])
        for c, d in pairwise([*inner, b]):
            parts += [_mask(lower[c:d], LOWER), bytes(LOWER**3 // 8), none, bits[c:d].tobytes()]
    head = struct.pack("<2I", 0, len(starts))  # tiles of the root, and its nodes
    return _Tree(blocks, rows, masks, head + b"".join(parts), bits.tobytes())


def _mask(places: np.ndarray, side: int) -> bytes:
    """Which of a node's children there are."""
    held = np.zeros(side**3, np.uint8)
    held[places] = 1
    return np.packbits(held, bitorder="little").tobytes()


def extent(active: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Lowest and end index of what is active, along each axis; both 0 of nothing."""
    ends = []
    for axis in range(3):
        there = np.flatnonzero(active.any(axis=tuple(a for a in range(3) if a != axis)))
        ends.append((there[0], there[-1] + 1) if len(there) else (0, 0))
    return np.array([a for a, _ in ends]), np.array([b for _, b in ends])


def _buffers(tree: _Tree, blocks: np.ndarray) -> bytes:
    """The values of all blocks: of each its mask, a byte that says that the rest is empty, and its own."""
    held = blocks[tree.rows][tree.masks]
    raw = memoryview(np.ascontiguousarray(held).tobytes())
    each = held.itemsize * (held.shape[1] if held.ndim > 1 else 1)
    ends = np.concatenate([[0], np.cumsum(tree.masks.sum(axis=1))]) * each
    parts: list[bytes] = []
    for n, (a, b) in enumerate(pairwise(ends.tolist())):
        parts += [tree.bits[64 * n : 64 * n + 64], b"\0", _compressed(raw[a:b], held.itemsize)]
    return b"".join(parts)


def dumps(
    fields: list[Field],
    active: np.ndarray,
    voxel: float,
    place: tuple[float, float, float],
    first: tuple[int, int, int] = (0, 0, 0),
    half: bool = True,
    about: Mapping[str, object] | None = None,
) -> bytes:
    """Fields over one box as an OpenVDB file.

    Parameters
    ----------
    active : (nx, ny, nz) which voxels are kept
    voxel : m; place : m, of the middle of the voxel with the index 0
    first : index of the box's lowest voxel
    half : numbers of 16 bits rather than 32
    about : what else the file says of itself

    Returns
    -------
    The same bytes for the same fields.
    """
    corner = np.array(first)
    before = corner % LEAF
    after = -(corner + np.array(active.shape)) % LEAF
    tree = _tree(active, corner, before, after, half)
    out = bytearray(struct.pack("<qI2IB", MAGIC, VERSION, *LIBRARY, 1) + UUID.encode())
    out += _meta(about or {}) + struct.pack("<I", len(fields))
    low, high = extent(active)
    count = int(np.count_nonzero(active))
    for f in fields:
        channels = f.values.shape[3] if f.values.ndim == 4 else 1
        kind = KINDS[channels]
        out += _text(f.name) + _text(f"Tree_{kind}_5_4_3{'_HalfFloat' if half else ''}") + _text("")
        offsets = len(out)
        out += bytes(24)
        start = len(out)
        out += struct.pack("<I", BLOSC | ACTIVE)
        out += _meta(
            {
                "class": "fog volume" if channels == 1 else "unknown",
                "file_bbox_max": tuple(int(v) for v in high - 1 + corner),
                "file_bbox_min": tuple(int(v) for v in low + corner),
                "file_compression": "blosc + active values",
                "file_voxel_count": count,
                "is_saved_as_half_float": half,
                "name": f.name,
                **({"vector_type": "contravariant relative"} if channels == 3 else {}),
            }
        )
        out += _text("UniformScaleTranslateMap")
        scales = (voxel, voxel, 1.0 / voxel, 1.0 / voxel**2, 0.5 / voxel)
        out += struct.pack("<3d", *place) + b"".join(struct.pack("<3d", s, s, s) for s in scales)
        out += struct.pack("<I", 1) + bytes(4 * channels) + tree.topology
        middle = len(out)
        out += _buffers(tree, _split(f.values.astype(np.float16 if half else np.float32), before, after))
        struct.pack_into("<3q", out, offsets, start, middle, len(out))
    return bytes(out)
