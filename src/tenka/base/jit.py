"""The one way in which kernels are compiled: cached on disk, without the interpreter lock, fast maths
without the assumption that values are finite (a blow-up must be seen)."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from types import FunctionType
from typing import Any

from platformdirs import user_cache_path

from tenka.base import threads

threads.prepare()

import numba  # noqa: E402

FAST = {"contract", "reassoc", "nsz", "arcp", "afn"}


def kernel(function: Callable | None = None, *, parallel: bool = False, inline: bool = False) -> Any:
    """Compile `function` with the project's settings; usable with or without arguments.

    `inline` is for what is called once from a parallel loop with many arrays: a call would count references
    to each of them, and two threads that count at once wait for each other longer than the work takes.
    """
    wrap = numba.njit(
        parallel=parallel, nogil=True, cache=True, fastmath=FAST, inline="always" if inline else "never"
    )
    return wrap(function) if function is not None else wrap


def serial(function: Any) -> Any:
    """A parallel kernel's twin without threads: for arrays so small that waking the threads would cost more
    than the work.

    It has a name of its own, because compiled kernels are kept by name.
    """
    code = function.py_func.__code__
    name = f"{code.co_name}_serial"
    twin = FunctionType(code.replace(co_name=name, co_qualname=name), function.py_func.__globals__, name)
    twin.__module__ = function.py_func.__module__
    return kernel(twin)


prange = numba.prange


@lru_cache(maxsize=1)
def kernels_key() -> str:
    """Tells one state of all kernels from the next: by their sources, and the compiler's version."""
    folder = Path(__file__).parent.parent
    sources = sorted(
        p
        for name in ("base", "scene", "gas", "particles", "run", "look")
        for p in folder.glob(f"{name}/*.py")
    )
    held = hashlib.blake2b(f"{numba.__version__} {folder}".encode(), digest_size=8)  # they are kept beside it
    for source in sources:
        data = source.read_bytes()
        if b"@kernel" in data or b"kernel(" in data:
            held.update(data)
    return held.hexdigest()


def _mark(part: str) -> Path:
    return user_cache_path("tenka") / "kernels" / f"{kernels_key()}-{part}"


def is_compiled(part: str) -> bool:
    """Whether a part of the kernels was compiled and kept on this machine, in their present state."""
    return _mark(part).exists()


def note_compiled(part: str) -> None:
    """Note that a part of the kernels is compiled; where that cannot be kept it is compiled again."""
    with contextlib.suppress(OSError):
        _mark(part).parent.mkdir(parents=True, exist_ok=True)
        for old in _mark(part).parent.glob(f"*-{part}"):
            old.unlink(missing_ok=True)
        _mark(part).touch()
