"""Numba's threading layer, made ready before the first parallel kernel.

Numba's own work queue aborts the process when two threads enter it, so the TBB layer is required: one
thread simulates while another draws. Its wheel keeps the library in the environment's `lib` folder,
where the system's loader does not look, so it is loaded here by path first.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import sys
import threading
from pathlib import Path

_ready = False


def prepare() -> None:
    """Load TBB and select it; safe to call many times, and cheap after the first."""
    global _ready
    if _ready:
        return
    for name in ("libtbb.so.12", "libtbb.so"):
        path = Path(sys.prefix) / "lib" / name
        if path.exists():
            ctypes.CDLL(str(path), mode=ctypes.RTLD_GLOBAL)
            break
    os.environ.setdefault("NUMBA_THREADING_LAYER", "tbb")
    import numba

    numba.config.THREADING_LAYER = "tbb"  # type: ignore[attr-defined]
    import scipy.linalg  # noqa: F401  (loads its BLAS, so that the limit below reaches it)
    import threadpoolctl

    # BLAS threads go on spinning after each product and take the cores from the kernels; the products
    # here are shared out among the kernels' own threads instead. It also fixes the order of sums.
    threadpoolctl.threadpool_limits(1, user_api="blas")
    sys.setswitchinterval(0.001)  # the interface thread must get the interpreter back quickly
    _ready = True


def give_way(nice: int) -> None:
    """Let this thread, and the kernels' threads that it starts, run after the interface thread's.

    Two kernels at once keep both cores busy; without this the window waits for its turn among them.
    """
    with contextlib.suppress(OSError):  # not allowed here: only the smoothness suffers
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), nice)


def threading_layer() -> str:
    """Name of the threading layer in use, after the first parallel kernel ran."""
    import numba

    return str(numba.threading_layer())
