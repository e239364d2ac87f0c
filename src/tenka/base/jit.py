"""The one way in which kernels are compiled: cached on disk, without the interpreter lock, fast maths
without the assumption that values are finite (a blow-up must be seen)."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from types import FunctionType
from typing import Any

from platformdirs import user_cache_path

from tenka.base import threads

threads.prepare()

import numba  # noqa: E402

from tenka.base import late_code  # noqa: E402

CHECKED = bool(numba.config.BOUNDSCHECK)  # type: ignore[attr-defined]
KEPT = 4  # states of the kernels whose machine code is kept: other checkouts, earlier versions
FAST = {"contract", "reassoc", "nsz", "arcp", "afn"}


@lru_cache(maxsize=1)
def kernels_key() -> str:
    """Tells one state of all kernels from the next: by their sources, and the compiler's version."""
    folder = Path(__file__).parent.parent
    sources = sorted(
        p
        for name in ("base", "scene", "gas", "water", "liquid", "particles", "run", "look", "proof")
        for p in folder.glob(f"{name}/**/*.py")
    )
    told = f"{numba.__version__} {folder} {CHECKED}"  # they are kept beside it
    held = hashlib.blake2b(told.encode(), digest_size=8)
    for source in sources:
        data = source.read_bytes()
        if b"@kernel" in data or b"kernel(" in data:
            held.update(data)
    return held.hexdigest()


def _keep_apart() -> None:
    """Keep machine code in a folder of its own for each state of the sources.

    The compiler's cache looks at the file of a kernel alone: code that was made of an older kernel in another
    file, which it calls, would go on being used.
    """
    if "NUMBA_CACHE_DIR" in os.environ:
        return
    home = user_cache_path("tenka") / "kernels"
    mine = home / kernels_key()
    numba.config.CACHE_DIR = str(mine)  # type: ignore[attr-defined]
    with contextlib.suppress(OSError):
        mine.mkdir(parents=True, exist_ok=True)
        os.utime(mine)
        others = sorted((p for p in home.iterdir() if p.is_dir()), key=lambda p: p.stat().st_mtime)
        for old in others[:-KEPT]:
            shutil.rmtree(old, ignore_errors=True)


_keep_apart()


late_code.install()


def kernel(function: Callable | None = None, *, parallel: bool = False, inline: bool = False) -> Any:
    """Compile `function` with the project's settings; usable with or without arguments.

    With NUMBA_BOUNDSCHECK=1 in the environment each index is checked, and all runs in one thread.

    `inline` is for what is called once from a parallel loop with many arrays: a call would count references
    to each of them, and two threads that count at once wait for each other longer than the work takes.
    """
    settings: dict[str, Any] = {
        "parallel": parallel and not CHECKED,  # an error in another thread would be lost
        "nogil": True,
        "cache": True,
        "fastmath": FAST,
        "error_model": "numpy",  # a check for division by zero keeps a loop from becoming vector code
        "inline": "always" if inline else "never",
        "no_cfunc_wrapper": True,  # nobody calls kernels from C, and it is made of every function otherwise
    }
    wrap = numba.njit(**settings)
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
parallel_chunksize = numba.parallel_chunksize


def _mark(part: str) -> Path:
    return Path(numba.config.CACHE_DIR) / f"{kernels_key()}.{part}.done"  # type: ignore[attr-defined]


def is_compiled(part: str) -> bool:
    """Whether a part of the kernels was compiled and kept on this machine, in their present state."""
    return _mark(part).exists()


def note_compiled(part: str) -> None:
    """Note that a part of the kernels is compiled; where that cannot be kept it is compiled again."""
    with contextlib.suppress(OSError):
        _mark(part).parent.mkdir(parents=True, exist_ok=True)
        _mark(part).touch()
