"""The frame store: one file per frame and key, written whole, checked on reading, removed oldest first.

Arrays are compressed with blosc2 (LZ4, bit-shuffled); docs/decisions says why. A file ends in a checksum of
all that is before it, keyed by its store: one that does not match is removed, and its frame counts as not
simulated. So does one whose arrays are not what its head says, or not what a frame is made of.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import math
import os
import re
import secrets
import struct
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from platformdirs import user_cache_path

from tenka.base.errors import BadInput
from tenka.base.files import beside, leftovers, reason, write_atomic

MAGIC = b"TNKF0002"
SUM_BYTES = 16
DEFAULT_LIMIT = 8 * 1024**3
PRUNE_EVERY = 48
KEY, KEY_BYTES = ".key", 32
PINS = ".pins"
NOTES = ".notes"
UNSAVED = "not saved yet"
_SEEN = ("density", "temperature", "flame", "dye")
_MOVING = ("velocity", "fuel")
_KINDS = re.compile(r"\|b1|[<|][iu]1|<[iu][248]|<f[248]")  # numbers alone: nothing that is an object
_DAMAGED = (
    ArithmeticError,
    AttributeError,
    LookupError,
    MemoryError,
    RecursionError,
    RuntimeError,
    struct.error,
)
DAMAGED = (OSError, TypeError, ValueError, *_DAMAGED)
"""What the reader of a damaged file may raise: of such a file nothing is kept."""
Made = TypeVar("Made")


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


def sealed(body: bytes, key: bytes) -> bytes:
    """The bytes of a file with its checksum, which only who has the key can make."""
    return body + hashlib.blake2b(body, digest_size=SUM_BYTES, key=key).digest()


def opened(data: bytes, key: bytes) -> memoryview:
    """The bytes of a file without its checksum; raises ValueError where that is another."""
    body = memoryview(data)[:-SUM_BYTES]
    held = hashlib.blake2b(body, digest_size=SUM_BYTES, key=key).digest()
    if not secrets.compare_digest(held, data[-SUM_BYTES:]):
        raise ValueError("damaged")
    return body


def pack_arrays(
    arrays: dict[str, np.ndarray], meta: dict[str, Any], owner: str = "", key: bytes = b""
) -> bytes:
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
    return sealed(b"".join([MAGIC, struct.pack("<I", len(head)), head, *blocks]), key)


def unpack_arrays(
    data: bytes, wanted: set[str] | None = None, key: bytes = b""
) -> tuple[dict[str, np.ndarray], dict[str, Any]]:
    """The inverse of `pack_arrays`, for all or some arrays; raises ValueError for anything damaged."""
    if len(data) < len(MAGIC) + 4 + SUM_BYTES or not data.startswith(MAGIC):
        raise ValueError("not a frame")
    body = opened(data, key)
    start = len(MAGIC) + 4
    (size,) = struct.unpack_from("<I", body, len(MAGIC))
    head = json.loads(bytes(body[start : start + size]))
    if not isinstance(head["meta"], dict):
        raise ValueError("its head is none")
    place, arrays = start + size, {}
    for row in head["arrays"]:
        name, shape, kind, length = row["name"], row["shape"], row["dtype"], row["bytes"]
        if not all(type(n) is int and n >= 0 for n in (*shape, length)) or place + length > len(body):
            raise ValueError("its head does not fit what it holds")
        if wanted is None or name in wanted:
            arrays[name] = _array(bytes(body[place : place + length]), tuple(shape), kind)
        place += length
    if place != len(body):
        raise ValueError("its head does not fit what it holds")
    return arrays, head["meta"]


def _array(block: bytes, shape: tuple[int, ...], kind: str) -> np.ndarray:
    """An array from its block, whose own head must tell the same size: it is written to unasked."""
    if not _KINDS.fullmatch(kind):
        raise ValueError("no numbers")
    size = math.prod(shape) * np.dtype(kind).itemsize
    if not size:
        return np.empty(shape, kind)
    if len(block) < 32 or _blosc().get_cbuffer_sizes(block)[:2] != (size, len(block)):
        raise ValueError("a block holds other than its head says")
    array = np.empty(shape, kind)
    _blosc().decompress2(block, dst=array)
    return array


def is_name(name: str) -> bool:
    """Whether a name can be that of a file in a store, and of none anywhere else."""
    return re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9._+-]{0,199}", name) is not None


def _frame(arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> Frame:
    """A frame of arrays that fit each other; raises what a damaged file raises."""
    x, y, z = (float(v) for v in meta.pop("origin"))
    voxel, time = float(meta.pop("voxel")), float(meta.pop("time"))
    density = arrays.pop("density")
    if not all(map(math.isfinite, (x, y, z, time))) or not 0 < voxel < 1e6:
        raise ValueError("no place")
    if density.ndim != 3 or density.dtype.kind != "f" or not density.size:
        raise ValueError("no frame")
    wanted = {"velocity": (3, *density.shape), "dye": (*density.shape, 4)}
    for name, array in arrays.items():
        if array.shape != wanted.get(name, density.shape) or array.dtype.kind != "f":
            raise ValueError("arrays that do not fit")
    temperature, velocity = arrays.pop("temperature"), arrays.pop("velocity", None)
    return Frame(density, temperature, velocity, (x, y, z), voxel, time, meta, **arrays)


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
        self._key = self._own_key()

    def _own_key(self) -> bytes:
        """What this store's checksums are keyed by, made once: a file from elsewhere has another."""
        file = self.folder / KEY
        with contextlib.suppress(OSError):
            if not file.exists():
                part = beside(file)
                part.touch(0o600)
                part.write_bytes(secrets.token_bytes(KEY_BYTES))
                try:
                    os.link(part, file)  # another process may have been first: then its key is everybody's
                finally:
                    part.unlink(missing_ok=True)
            if len(found := file.read_bytes()) == KEY_BYTES:
                return found
        return secrets.token_bytes(KEY_BYTES)

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
        if is_name(name) and (self.folder / name).exists():
            with self._lock:
                self._known.add(name)
        return name in self._known

    def put(self, name: str, arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> None:
        if not is_name(name):
            raise BadInput(f"'{name[:60]}' is no name of a frame")
        data = pack_arrays(arrays, meta, self.owner, self._key)
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
            found = unpack_arrays(path.read_bytes(), wanted, self._key)
        except DAMAGED:
            self.drop(name)
            return None
        with contextlib.suppress(OSError):  # a cache that may only be read
            os.utime(path)
        return found

    def made(
        self,
        name: str,
        make: Callable[[dict[str, np.ndarray], dict[str, Any]], Made],
        wanted: set[str] | None = None,
    ) -> Made | None:
        """What `make` makes of the arrays and figures under a name; None when they are not there, damaged
        or not what it takes (then the file is removed)."""
        found = self.get(name, wanted)
        if found is None:
            return None
        try:
            return make(*found)
        except DAMAGED:
            self.drop(name)
            return None

    def body(self, name: str) -> bytes:
        """A file as another store can take it up, with `adopt`; raises ValueError when it is damaged."""
        return bytes(opened((self.folder / name).read_bytes(), self._key))

    def adopt(self, name: str, body: bytes) -> None:
        """Take up a file of another store under this one's key; raises ValueError when it holds other than
        its head says, or when its name is none of a file in a store."""
        if not is_name(name):
            raise ValueError(f"'{name[:60]}' is no name of a frame")
        data = sealed(body, self._key)
        try:
            unpack_arrays(data, None, self._key)
        except DAMAGED:
            raise ValueError("damaged") from None
        write_atomic(self.folder / name, data, sync=False)
        self.notice(name)

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
        return self.made(key, _frame, {*_SEEN, *_MOVING} if velocity else set(_SEEN))

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
