"""The frame store: one file per frame and key, written whole, checked on reading, removed oldest first.

Arrays are compressed with blosc2 (LZ4, bit-shuffled); docs/decisions says why. A file ends in a checksum of
all that is before it; one that does not match is removed, and its frame counts as not simulated.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import struct
import threading
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from platformdirs import user_cache_path

from tenka.base.errors import BadInput
from tenka.base.files import leftovers, reason, write_atomic

MAGIC = b"TNKF0001"
SUM_BYTES = 16
DEFAULT_LIMIT = 8 * 1024**3
PRUNE_EVERY = 48
PINS = ".pins"
NOTES = ".notes"
UNSAVED = "not saved yet"
_SEEN = ("density", "temperature", "flame", "dye")
_MOVING = ("velocity", "fuel")


@lru_cache(maxsize=1)
def _blosc() -> Any:
    """The compressor, loaded with the first frame rather than before the window is there."""
    import blosc2

    blosc2.set_releasegil(True)
    return blosc2


@dataclass
class Frame:
    """What is kept of a simulated moment, and all that drawing needs.

    Attributes
    ----------
    density, temperature : (nx, ny, nz), float16 in previews and float32 in final runs; 1, and K above the air
    velocity : (3, nx, ny, nz) at voxel centres in m/s, or None when it was not read
    origin, voxel : m
    time : s
    meta : figures measured when it was made (wall: densest value at each of the six walls)
    flame, fuel : (nx, ny, nz), or None where nothing burns; the fuel is read with the velocity
    dye : (nx, ny, nz, 4) linear colour times density, and the density that carries it; None where nothing
        carries colour
    """

    density: np.ndarray
    temperature: np.ndarray
    velocity: np.ndarray | None
    origin: tuple[float, float, float]
    voxel: float
    time: float
    meta: dict[str, Any] = field(default_factory=dict)
    flame: np.ndarray | None = None
    fuel: np.ndarray | None = None
    dye: np.ndarray | None = None

    @property
    def shape(self) -> tuple[int, int, int]:
        x, y, z = self.density.shape
        return x, y, z

    @property
    def high(self) -> np.ndarray:
        return np.asarray(self.origin) + np.asarray(self.shape) * self.voxel


def pack_arrays(arrays: dict[str, np.ndarray], meta: dict[str, Any], owner: str = "") -> bytes:
    """Arrays and figures as the bytes of one file; `owner`: for which effect it was made."""
    blosc2 = _blosc()
    blocks, table = [], []
    for name, array in arrays.items():
        array = np.ascontiguousarray(array)
        block = (
            b""
            if not array.size
            else blosc2.compress2(
                array,
                codec=blosc2.Codec.LZ4,
                clevel=3,
                filters=[blosc2.Filter.BITSHUFFLE],
                typesize=array.itemsize,
                nthreads=1,
            )
        )
        blocks.append(block)
        table.append({"name": name, "shape": array.shape, "dtype": array.dtype.str, "bytes": len(block)})
    head = json.dumps({"owner": owner, "arrays": table, "meta": meta}).encode()
    body = b"".join([MAGIC, struct.pack("<I", len(head)), head, *blocks])
    return body + hashlib.blake2b(body, digest_size=SUM_BYTES).digest()


def unpack_arrays(
    data: bytes, wanted: set[str] | None = None
) -> tuple[dict[str, np.ndarray], dict[str, Any]]:
    """The inverse of `pack_arrays`, for all or some arrays; raises ValueError for anything damaged."""
    if len(data) < len(MAGIC) + 4 + SUM_BYTES or not data.startswith(MAGIC):
        raise ValueError("not a frame")
    if hashlib.blake2b(memoryview(data)[:-SUM_BYTES], digest_size=SUM_BYTES).digest() != data[-SUM_BYTES:]:
        raise ValueError("damaged")
    start = len(MAGIC) + 4
    (size,) = struct.unpack_from("<I", data, len(MAGIC))
    head = json.loads(data[start : start + size])
    place, arrays = start + size, {}
    for row in head["arrays"]:
        if wanted is None or row["name"] in wanted:
            array = np.empty(row["shape"], row["dtype"])
            if array.size:
                _blosc().decompress2(data[place : place + row["bytes"]], dst=array)
            arrays[row["name"]] = array
        place += row["bytes"]
    return arrays, head["meta"]


class FrameStore:
    """Frames and full states under a folder, within a size limit.

    Parameters
    ----------
    folder : where to keep them; by default the user's cache
    limit : bytes; the least recently used files go first
    """

    def __init__(self, folder: Path | None = None, limit: int = DEFAULT_LIMIT) -> None:
        self.folder = Path(folder) if folder is not None else user_cache_path("tenka") / "frames"
        self.limit = limit
        self.owner = ""  # the file of the effect for which is put what is put; UNSAVED while it has none
        self._lock = threading.Lock()
        self._puts = 0
        try:
            if not self.folder.is_dir():
                self.folder.mkdir(parents=True, exist_ok=True)
            self._known = {p.name for p in self.folder.iterdir() if not p.name.startswith(".")}
        except OSError as error:
            raise BadInput(
                f"cannot be used for frames ({reason(error)})", "a folder that you may read", self.folder
            ) from None
        for part in leftovers(self.folder):
            with contextlib.suppress(OSError):
                part.unlink(missing_ok=True)

    def has(self, name: str) -> bool:
        return name in self._known

    def look_again(self) -> None:
        """Forget what somebody removed from the folder meanwhile."""
        try:
            there = set(os.listdir(self.folder))
        except OSError:
            there = set()
        with self._lock:
            self._known &= there

    def notice(self, name: str) -> bool:
        """Take up a file that another process wrote into the folder; False when there is none."""
        if (self.folder / name).exists():
            with self._lock:
                self._known.add(name)
        return name in self._known

    def put(self, name: str, arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> None:
        data = pack_arrays(arrays, meta, self.owner)
        try:
            write_atomic(self.folder / name, data, sync=False)
        except BadInput:
            if self.folder.is_dir():
                raise
            # somebody removed the folder: it is made again, and nothing that was in it is known any more
            with contextlib.suppress(OSError):
                self.folder.mkdir(parents=True, exist_ok=True)
            with self._lock:
                self._known.clear()
            write_atomic(self.folder / name, data, sync=False)
        with self._lock:
            self._known.add(name)
            self._puts += 1
            due = self._puts % PRUNE_EVERY == 0
        if due:
            self.prune()

    def get(
        self, name: str, wanted: set[str] | None = None
    ) -> tuple[dict[str, np.ndarray], dict[str, Any]] | None:
        """Arrays and figures under a name; None when it is not there or was damaged (then it is removed)."""
        if name not in self._known:
            return None
        path = self.folder / name
        try:
            found = unpack_arrays(path.read_bytes(), wanted)
        except (OSError, ValueError, KeyError, TypeError, RuntimeError, struct.error, MemoryError):
            self.drop(name)
            return None
        with contextlib.suppress(OSError):  # a cache that may only be read
            os.utime(path)
        return found

    def figures(self, name: str) -> dict[str, Any] | None:
        """The figures of a file without reading its arrays (and so without its checksum)."""
        head = self._head(name)
        return head.get("meta") if head is not None else None

    def _head(self, name: str) -> dict[str, Any] | None:
        try:
            with open(self.folder / name, "rb") as file:
                if file.read(len(MAGIC)) != MAGIC:
                    return None
                (size,) = struct.unpack("<I", file.read(4))
                found = json.loads(file.read(min(size, 1 << 20)))
                return found if isinstance(found, dict) else None
        except (OSError, ValueError, struct.error):
            return None

    def files(self) -> Iterator[tuple[str, int, str]]:
        """Name, bytes and owner of all that is kept; nothing else that lies in the folder."""
        try:
            entries = [e for e in os.scandir(self.folder) if not e.name.startswith(".") and e.is_file()]
        except OSError:
            return
        for entry in entries:
            head = self._head(entry.name)
            if head is not None:
                with contextlib.suppress(OSError):
                    yield entry.name, entry.stat().st_size, str(head.get("owner", ""))

    def note(self, name: str, told: dict[str, Any]) -> None:
        """Keep a few words under a name, beside the files: another note takes the place of the last one."""
        file = self.folder / NOTES / hashlib.blake2b(name.encode(), digest_size=12).hexdigest()
        with contextlib.suppress(OSError):
            file.parent.mkdir(parents=True, exist_ok=True)
        write_atomic(file, json.dumps(told).encode(), sync=False)

    def noted(self, name: str) -> dict[str, Any] | None:
        """What was kept by `note`; None where there is nothing, or what cannot be read."""
        file = self.folder / NOTES / hashlib.blake2b(name.encode(), digest_size=12).hexdigest()
        try:
            found = json.loads(file.read_bytes())
            return found if isinstance(found, dict) else None
        except (OSError, ValueError, RecursionError):
            return None

    def put_frame(self, key: str, frame: Frame) -> None:
        assert frame.velocity is not None
        arrays = {
            name: getattr(frame, name) for name in (*_SEEN, *_MOVING) if getattr(frame, name) is not None
        }
        self.put(
            key, arrays, {"origin": frame.origin, "voxel": frame.voxel, "time": frame.time, **frame.meta}
        )

    def get_frame(self, key: str, velocity: bool = False) -> Frame | None:
        """A frame: all that is seen, and what else moves with `velocity`."""
        found = self.get(key, {*_SEEN, *_MOVING} if velocity else set(_SEEN))
        if found is None:
            return None
        arrays, meta = found
        origin, voxel, time = tuple(meta.pop("origin")), meta.pop("voxel"), meta.pop("time")
        return Frame(
            arrays.pop("density"),
            arrays.pop("temperature"),
            arrays.pop("velocity", None),
            origin,
            voxel,
            time,
            meta,
            **arrays,
        )

    def pin(self, owner: str, names: set[str]) -> None:
        """Keep files from being removed for want of room, on behalf of an effect's file; another set takes
        the place of its last one."""
        file = self.folder / PINS / hashlib.blake2b(owner.encode(), digest_size=12).hexdigest()
        if not names:
            with contextlib.suppress(OSError):
                file.unlink(missing_ok=True)
            return
        with contextlib.suppress(OSError):
            file.parent.mkdir(parents=True, exist_ok=True)
        write_atomic(file, json.dumps({"owner": owner, "names": sorted(names)}).encode(), sync=False)

    def pinned(self) -> set[str]:
        """Files that any effect holds on to; an effect whose file is gone holds nothing."""
        found: set[str] = set()
        for file in (self.folder / PINS).glob("*"):
            try:
                row = json.loads(file.read_bytes())
                if Path(row["owner"]).exists():
                    found |= set(row["names"])
                else:
                    file.unlink(missing_ok=True)
            except (OSError, ValueError, KeyError, TypeError, RecursionError):
                continue
        return found

    def drop(self, name: str) -> None:
        with self._lock:
            self._known.discard(name)
        with contextlib.suppress(OSError):
            (self.folder / name).unlink(missing_ok=True)

    def _is_ours(self, name: str) -> bool:
        """Whether a file is of a store: what others put into the folder is theirs."""
        try:
            with open(self.folder / name, "rb") as file:
                return file.read(len(MAGIC)) == MAGIC
        except OSError:
            return False

    def prune(self) -> None:
        """Remove the least recently used files until the store is within its limit; those that are pinned
        stay."""
        files, pinned = [], self.pinned()
        try:
            held = list(self.folder.iterdir())
        except OSError:
            return
        for path in held:
            try:
                stat = path.stat()
                files.append((stat.st_mtime, stat.st_size, path.name))
            except OSError:
                continue
        files = [f for f in files if not f[2].startswith(".")]
        total = sum(size for _, size, _ in files)
        for _, size, name in sorted(files):
            if total <= self.limit:
                break
            if name in pinned or not self._is_ours(name):
                continue
            self.drop(name)
            total -= size
