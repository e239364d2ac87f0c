"""What speed is measured against, in the same run: plain advection, a cosine transform, memory bandwidth."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
import scipy.fft

from tenka.base.jit import kernel, prange

F = np.float32


@kernel(parallel=True)
def plain_advection(q, c, dt, out):
    """(a) One field's trilinear advection: single-step trace, cell-centred velocity, nothing done by hand."""
    nx, ny, nz = q.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                x = min(max(F(i) - dt * c[i, j, k, 0], F(0)), F(nx) - F(1.001))
                y = min(max(F(j) - dt * c[i, j, k, 1], F(0)), F(ny) - F(1.001))
                z = min(max(F(k) - dt * c[i, j, k, 2], F(0)), F(nz) - F(1.001))
                a, b, d = np.int64(x), np.int64(y), np.int64(z)
                fx, fy, fz = x - F(a), y - F(b), z - F(d)
                gx, gy, gz = F(1) - fx, F(1) - fy, F(1) - fz
                out[i, j, k] = gx * (
                    gy * (gz * q[a, b, d] + fz * q[a, b, d + 1])
                    + fy * (gz * q[a, b + 1, d] + fz * q[a, b + 1, d + 1])
                ) + fx * (
                    gy * (gz * q[a + 1, b, d] + fz * q[a + 1, b, d + 1])
                    + fy * (gz * q[a + 1, b + 1, d] + fz * q[a + 1, b + 1, d + 1])
                )


class Advection:
    """Yardstick (a) for a grid of n^3."""

    name = "a: plain advection"

    def __init__(self, n: int) -> None:
        rng = np.random.default_rng(0)
        self.q, self.out = rng.random((n, n, n)).astype(F), np.zeros((n, n, n), F)
        self.c = rng.standard_normal((n, n, n, 3)).astype(F)

    def __call__(self) -> None:
        plain_advection(self.q, self.c, F(0.5), self.out)


class Cosine:
    """Yardstick (b): one forward and inverse cosine transform of n^3."""

    name = "b: cosine transform"

    def __init__(self, n: int) -> None:
        self.q = np.random.default_rng(0).random((n, n, n)).astype(F)

    def __call__(self) -> None:
        scipy.fft.idctn(scipy.fft.dctn(self.q, workers=2), workers=2)


@kernel(parallel=True)
def _triad(a, b, c):
    for i in prange(a.size):
        a[i] = b[i] + F(3.0) * c[i]


class Triad:
    """Yardstick (c): a = b + 3 c over 32 million floats (384 MB moved)."""

    name = "c: triad"

    def __init__(self) -> None:
        self.a, self.b, self.c = (np.ones(1 << 25, F) for _ in range(3))

    def __call__(self) -> None:
        _triad(self.a, self.b, self.c)


def timed(call: Callable[[], object]) -> float:
    """Milliseconds of one call."""
    start = time.perf_counter()
    call()
    return 1e3 * (time.perf_counter() - start)


def in_turn(work: Callable[[], object], yardstick: Callable[[], object], runs: int) -> tuple[float, float]:
    """Median ms of the work and of the yardstick, measured in turn, since the machine's clock drifts."""
    work()
    yardstick()
    pairs = [(timed(work), timed(yardstick)) for _ in range(runs)]
    a, b = zip(*pairs)
    return float(np.median(a)), float(np.median(b))
