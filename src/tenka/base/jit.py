"""The one way in which kernels are compiled: cached on disk, without the interpreter lock, fast maths
without the assumption that values are finite (a blow-up must be seen)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from tenka.base import threads

threads.prepare()

import numba  # noqa: E402

FAST = {"contract", "reassoc", "nsz", "arcp", "afn"}


def kernel(function: Callable | None = None, *, parallel: bool = False) -> Any:
    """Compile `function` with the project's settings; usable with or without arguments."""
    wrap = numba.njit(parallel=parallel, nogil=True, cache=True, fastmath=FAST)
    return wrap(function) if function is not None else wrap


prange = numba.prange
