"""The one way in which kernels are compiled: cached on disk, without the interpreter lock, fast maths
without the assumption that values are finite (a blow-up must be seen)."""

from __future__ import annotations

from collections.abc import Callable
from types import FunctionType
from typing import Any

from tenka.base import threads

threads.prepare()

import numba  # noqa: E402

FAST = {"contract", "reassoc", "nsz", "arcp", "afn"}


def kernel(function: Callable | None = None, *, parallel: bool = False, inline: bool = False) -> Any:
    """Compile `function` with the project's settings; usable with or without arguments.

    `inline` is for what is called once from a parallel loop with many arrays: a call would count references to each of them,
    and two threads that count at once wait for each other longer than the work takes.
    """
    wrap = numba.njit(parallel=parallel, nogil=True, cache=True, fastmath=FAST, inline="always" if inline else "never")
    return wrap(function) if function is not None else wrap


def serial(function: Any) -> Any:
    """A parallel kernel's twin without threads: for arrays so small that waking the threads would cost more than the work.

    It has a name of its own, because compiled kernels are kept by name.
    """
    code = function.py_func.__code__
    name = f"{code.co_name}_serial"
    twin = FunctionType(code.replace(co_name=name, co_qualname=name), function.py_func.__globals__, name)
    twin.__module__ = function.py_func.__module__
    return kernel(twin)


prange = numba.prange
