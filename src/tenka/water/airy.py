"""Waves of every length at their own speed: a correction of the pressure by Airy's theory.

Shallow water lets all waves go at sqrt(g h); in water that is deep for them, short ones are slower:
w^2 = g k tanh(k h). The pressure of a wave is therefore taken as K times its height, with the K that makes
the step itself, in time and space as it is, go at that speed. K hangs on the depth: the correction is found
for three depths by a cosine transform (walls all round) on cells of twice the size, and each cell takes its
own between them, evenly in 1 / depth. Where the surface is far from rest for its depth (bores, dry beds) it
is faded out: there the water is shallow.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy.fft import dctn, idctn

from tenka.base.jit import kernel, prange
from tenka.water.basin import Basin
from tenka.water.flow import GRAVITY

LEVELS = 3
COARSE = 2  # cells across one of the transform
STEEP, BROKEN = 0.2, 0.5  # of the depth: how far from rest the correction begins to fade, and is gone
LEAST = 0.02  # m: less deep than this all waves are long


def factor(k2: np.ndarray, seen2: np.ndarray, depth: float, dt: float) -> np.ndarray:
    """K for waves in water of a depth.

    Parameters
    ----------
    k2 : squares of their wave numbers, 1/m^2; seen2 : the same as the grid's differences have them
    """
    k = np.sqrt(k2)
    own = GRAVITY * k * np.tanh(k * depth)
    stepped = 4.0 * np.sin(np.minimum(0.5 * dt * np.sqrt(own), 0.5 * np.pi)) ** 2 / dt**2
    return np.where(k2 > 0, stepped / np.maximum(GRAVITY * depth * seen2, 1e-12), 1.0)


def _kept(half: np.ndarray) -> np.ndarray:
    """How much of a wave is left when it is gathered on coarse cells and read between them again, itself and
    what of it comes back as its alias; `half`: its phase over half a cell."""
    own, alias = (0.75 * np.cos(p) + 0.25 * np.cos(3.0 * p) for p in (half, 0.5 * np.pi - half))
    return np.asarray(own**2 + alias**2)


@dataclass
class Airy:
    """The correction for a basin and a step, s."""

    basin: Basin
    dt: float
    depths: np.ndarray = field(init=False)
    factors: np.ndarray = field(init=False)
    which: np.ndarray = field(init=False)
    _out: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        nx, ny = self.basin.shape
        coarse = -(-nx // COARSE), -(-ny // COARSE)
        wet = np.maximum(self.basin.rest[self.basin.rest > LEAST], LEAST)
        low, high = (float(wet.min()), float(wet.max())) if wet.size else (1.0, 1.0)
        count = LEVELS if high > 1.01 * low else 1
        self.depths = 1.0 / np.linspace(1.0 / low, 1.0 / high, count)
        cell = self.basin.cell
        k = [np.pi * np.arange(n) / (n * COARSE * cell) for n in coarse]
        k2 = k[0][:, None] ** 2 + k[1][None] ** 2
        seen2 = sum(
            (2.0 / cell * np.sin(np.minimum(0.5 * part * cell, 0.5 * np.pi))) ** 2
            for part in (k[0][:, None], k[1][None])
        )
        kept = _kept(0.5 * k[0] * cell)[:, None] * _kept(0.5 * k[1] * cell)[None]
        self.factors = np.stack(
            [((factor(k2, seen2, float(d), self.dt) - 1.0) / kept).astype(np.float32) for d in self.depths]
        )
        place = (1.0 / np.maximum(self.basin.rest, LEAST) - 1.0 / self.depths[0]) * (count - 1)
        span = 1.0 / self.depths[-1] - 1.0 / self.depths[0]
        self.which = np.clip(place / span if count > 1 else 0.0 * place, 0, count - 1).astype(np.float32)
        self._out = np.zeros((nx, ny), np.float32)

    def pressed(self, rise: np.ndarray, head: np.ndarray | None = None) -> np.ndarray:
        """The surface whose slope drives, m; written over at the next call.

        Parameters
        ----------
        head : (nx, ny) m of water that presses on it; what is narrow does not reach deep either
        """
        nx, ny = self.basin.shape
        small = np.zeros((-(-nx // COARSE), -(-ny // COARSE)), np.float32)
        raised = rise if head is None else rise + head
        _halved(raised, self.basin.rest, small)
        waves = dctn(small, type=2, overwrite_x=True)
        parts = idctn(waves * self.factors, type=2, axes=(1, 2), overwrite_x=True, workers=2)
        _corrected(rise, raised, self.basin.rest, parts, self.which, self._out)
        return self._out


@kernel(parallel=True)
def _halved(rise, rest, out):
    """The surface gathered on coarse cells, as the adjoint of reading between them: so the correction takes
    from no wave more than it has. What is dry counts as at rest."""
    nx, ny = rise.shape
    for a in prange(out.shape[0]):
        row = np.zeros(ny, np.float32)
        for turn in range(4):
            i = COARSE * a + turn - 1
            i = -1 - i if i < 0 else (2 * nx - 1 - i if i >= nx else i)
            share = np.float32(0.375) if turn == 1 or turn == 2 else np.float32(0.125)
            up, deep = rise[np.uint64(i)], rest[np.uint64(i)]
            for j in range(ny):
                row[j] += share * (up[j] if deep[j] > np.float32(0.0) else np.float32(0.0))
        for b in range(out.shape[1]):
            j = COARSE * b
            before, after = max(j - 1, 0), min(j + 1, ny - 1)
            beyond = j + 2 if j + 2 < ny else 2 * ny - 3 - j
            inner = np.float32(0.375) * (row[j] + row[after])
            out[a, b] = inner + np.float32(0.125) * (row[before] + row[max(beyond, 0)])


@kernel
def _finer(row, out):
    """A row read between coarse cells of twice the size: three parts of the nearer one, and one of the
    other."""
    n, last = out.size, row.size - 1
    for b in range(row.size):
        here = np.float32(0.75) * row[b]
        if 2 * b < n:
            out[2 * b] = here + np.float32(0.25) * row[max(b - 1, 0)]
        if 2 * b + 1 < n:
            out[2 * b + 1] = here + np.float32(0.25) * row[min(b + 1, last)]


@kernel(parallel=True)
def _corrected(rise, raised, rest, parts, which, out):
    """The surface with the correction of each cell's own depth, read between coarse cells."""
    nx, ny = rise.shape
    levels, na, nb = parts.shape
    one, none = np.float32(1.0), np.float32(0.0)
    slope = one / np.float32(BROKEN - STEEP)
    for p_ in prange(nx):
        i = np.int64(p_)
        a = i // 2
        other = min(max(a - 1 if i % 2 == 0 else a + 1, 0), na - 1)
        coarse, fine, total = np.empty(nb, np.float32), np.empty(ny, np.float32), np.zeros(ny, np.float32)
        own = which[i]
        for m in range(levels):
            near, far = parts[m, a], parts[m, other]
            for b in range(nb):
                coarse[b] = np.float32(0.75) * near[b] + np.float32(0.25) * far[b]
            _finer(coarse, fine)
            level = np.float32(m)
            for j in range(ny):
                total[j] += max(one - abs(own[j] - level), none) * fine[j]
        deep, up, over, to = rest[i], rise[i], raised[i], out[i]
        for j in range(ny):
            off = abs(up[j]) / max(deep[j], np.float32(LEAST))
            keep = min(max(none, (np.float32(BROKEN) - off) * slope), one)
            to[j] = over[j] + (keep * total[j] if deep[j] > np.float32(LEAST) else none)
