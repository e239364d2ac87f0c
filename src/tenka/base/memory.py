"""How the C library gives memory back.

Frames and pictures of some megabytes come and go by the hundred, made in one thread and freed in another. The
GNU C library raises the size above which it maps memory by itself with each of them, up to 32 MB; what is
smaller then lies in one of up to eight heaps a core, each of which keeps its holes. A process that plays and
is edited grew by a third of a megabyte a second in that way, far outside the interpreter's own heap.
"""

from __future__ import annotations

import contextlib
import ctypes

M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8
LARGE = 512 * 1024  # bytes; arrays from this size on are maps of their own, which go back at once
ARENAS = 2


def settle_memory() -> None:
    """Fix the sizes at which memory is mapped and given back, and the number of heaps; once, at the start."""
    with contextlib.suppress(OSError, AttributeError):  # another C library: it has its own ways
        libc = ctypes.CDLL("libc.so.6")
        libc.mallopt(M_ARENA_MAX, ARENAS)
        libc.mallopt(M_MMAP_THRESHOLD, LARGE)
        libc.mallopt(M_TRIM_THRESHOLD, 4 * LARGE)


def give_back() -> None:
    """Return free memory at the end of the heaps to the system."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)
