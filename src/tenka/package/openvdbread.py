"""OpenVDB files read back, as far as `tenka.package.openvdb` writes them."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import read_file
from tenka.package.openvdb import ACTIVE, BLOSC, LEAF, LOW_SPAN, LOWER, MAGIC, UPPER, VERSION, blosc, extent

MOST_BYTES = 2 * 1024**3


@dataclass(frozen=True)
class Voxels:
    """Fields read back, dense over the box of what is active.

    Attributes
    ----------
    first : index of the box's lowest voxel
    place : m, of the middle of the voxel with the index 0; voxel : m
    active : (nx, ny, nz) which voxels are held
    """

    fields: dict[str, np.ndarray]
    first: tuple[int, int, int]
    place: tuple[float, float, float]
    voxel: float
    active: np.ndarray


class _Reader:
    """A walk over a file's bytes; what leads beyond them raises."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def take(self, count: int) -> bytes:
        if count < 0 or self.at + count > len(self.data):
            raise ValueError("broken off")
        self.at += count
        return self.data[self.at - count : self.at]

    def read(self, form: str) -> tuple[int, ...]:
        found: tuple[int, ...] = struct.unpack("<" + form, self.take(struct.calcsize("<" + form)))
        return found

    def text(self) -> str:
        (count,) = self.read("I")
        return self.take(count).decode()

    def meta(self) -> None:
        """Step over a table."""
        (count,) = self.read("I")
        for _ in range(count):
            self.text()
            self.text()
            (size,) = self.read("I")
            self.take(size)

    def bits(self, count: int) -> np.ndarray:
        return np.unpackbits(np.frombuffer(self.take(count // 8), np.uint8), bitorder="little").astype(bool)

    def _unpacked(self, block: bytes, most: int) -> bytes:
        """A compressed block; no more is made room for than it may hold."""
        if len(block) < 16 or int.from_bytes(block[4:8], "little") != most:  # its head: bytes when unpacked
            raise ValueError("a block has another size than its mask says")
        try:
            found: bytes = blosc().decompress(block)
        except Exception as error:  # the library raises an error of its own
            raise ValueError("a damaged block") from error
        return found

    def values(self, count: int, each: int, flags: int) -> bytes:
        """So many values of `each` bytes."""
        if not flags & BLOSC:
            return self.take(count * each)
        (size,) = self.read("q")
        raw = self.take(-size) if size <= 0 else self._unpacked(self.take(size), count * each)
        if len(raw) != count * each:
            raise ValueError("a block has another size than its mask says")
        return raw


def load(file: Path) -> Voxels:
    """Read a file that `dumps` wrote.

    Raises
    ------
    BadInput
        Broken, or with what `dumps` does not write: other trees, tiles, zlib.
    """
    try:
        return _loaded(_Reader(read_file(file, "a volume", MOST_BYTES)))
    except (ArithmeticError, LookupError, MemoryError, RuntimeError, TypeError, ValueError, struct.error):
        raise BadInput(
            "broken off or not a volume of ours", "an OpenVDB file as packages hold it", file
        ) from None


def _loaded(r: _Reader) -> Voxels:
    magic, version = r.read("qI")
    if magic != MAGIC or version != VERSION:
        raise ValueError("another file")
    r.read("2IB")
    r.take(36)
    r.meta()
    (count,) = r.read("I")
    found: dict[str, tuple[np.ndarray, np.ndarray, np.ndarray]] = {}
    place, voxel = (0.0, 0.0, 0.0), 1.0
    for _ in range(count):
        name, kind, _parent = r.text(), r.text(), r.text()
        start, middle, end = r.read("3q")
        r.at = start
        (flags,) = r.read("I")
        half, channels = kind.endswith("_HalfFloat"), 3 if "vec3s" in kind else 1
        if not flags & ACTIVE or not kind.startswith(("Tree_float_5_4_3", "Tree_vec3s_5_4_3")):
            raise ValueError("another compression or tree")
        r.meta()
        if r.text() != "UniformScaleTranslateMap":
            raise ValueError("another transform")
        moved = struct.unpack("<18d", r.take(144))
        place, voxel = (moved[0], moved[1], moved[2]), moved[3]
        r.read("I")
        r.take(4 * channels)
        blocks = _topology(r, flags, half)
        if r.at != middle:
            raise ValueError("a tree of another size")
        found[name] = _values(r, blocks, flags, half, channels)
        if r.at != end:
            raise ValueError("values of another size")
    corners = np.concatenate([blocks for blocks, _, _ in found.values()])
    if not len(corners):
        empty = np.zeros((0, 0, 0), bool)
        return Voxels(
            {name: np.zeros((0, 0, 0), np.float32) for name in found}, (0, 0, 0), place, voxel, empty
        )
    low, high = corners.min(axis=0), corners.max(axis=0) + LEAF
    if np.prod((high - low).astype(float)) > MOST_BYTES / 4:
        raise ValueError("too far apart")
    active = np.zeros(high - low, bool)
    fields = {}
    for name, (blocks, masks, values) in found.items():
        fields[name] = _dense(blocks - low, values, tuple(high - low))
        active |= _dense(blocks - low, masks, tuple(high - low)).astype(bool)
    a, b = extent(active)
    inside = tuple(slice(p, q) for p, q in zip(a, b))
    x, y, z = (int(v) for v in low + a)
    return Voxels(
        {n: np.ascontiguousarray(v[inside]) for n, v in fields.items()},
        (x, y, z),
        place,
        voxel,
        active[inside],
    )


def _topology(r: _Reader, flags: int, half: bool) -> np.ndarray:
    """Lowest voxels of all blocks, (n, 3)."""
    tiles, nodes = r.read("2I")
    if tiles:
        raise ValueError("tiles")
    blocks: list[np.ndarray] = []
    for _ in range(nodes):
        corner = np.array(r.read("3i"))
        for place in _node(r, UPPER, flags, half):
            low = corner + np.array(np.unravel_index(place, (UPPER,) * 3)) * LOW_SPAN
            for inner in _node(r, LOWER, flags, half):
                blocks.append(low + np.array(np.unravel_index(inner, (LOWER,) * 3)) * LEAF)
                r.take(LEAF**3 // 8)
    return np.array(blocks, np.int64).reshape(-1, 3)


def _node(r: _Reader, side: int, flags: int, half: bool) -> list[int]:
    """Which children a node has."""
    children, tiles = r.bits(side**3), r.bits(side**3)
    if tiles.any() or r.take(1) != b"\0":
        raise ValueError("tiles")
    if not half:
        r.values(0, 4, flags)
    return [int(n) for n in np.flatnonzero(children)]


def _values(
    r: _Reader, blocks: np.ndarray, flags: int, half: bool, channels: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Blocks with their masks (n, 512) and values (n, 512, channels)."""
    kind = np.dtype(np.float16 if half else np.float32)
    masks = np.zeros((len(blocks), LEAF**3), bool)
    values = np.zeros((len(blocks), LEAF**3, channels), np.float32)
    for n in range(len(blocks)):
        masks[n] = r.bits(LEAF**3)
        if r.take(1) != b"\0":
            raise ValueError("other values outside")
        raw = r.values(int(masks[n].sum()), kind.itemsize * channels, flags)
        values[n, masks[n]] = np.frombuffer(raw, kind).reshape(-1, channels)
    return blocks, masks, values[..., 0] if channels == 1 else values


def _dense(places: np.ndarray, values: np.ndarray, shape: tuple[int, ...]) -> np.ndarray:
    """Blocks laid into a box."""
    count = [n // LEAF for n in shape]
    more = values.shape[2:]
    out = np.zeros((*count, LEAF, LEAF, LEAF, *more), values.dtype)
    x, y, z = (places // LEAF).T
    out[x, y, z] = values.reshape(len(values), LEAF, LEAF, LEAF, *more)
    out = np.moveaxis(out, (1, 2), (2, 4))
    return np.ascontiguousarray(out).reshape(*shape, *more)
