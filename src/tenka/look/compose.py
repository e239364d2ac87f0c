"""Gas over the set: the set in the shadows of all gases, and gas laid over it slice by slice."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.look.raster import ONE, ZERO, Backdrop, _sun_at
from tenka.look.rays import ray_of
from tenka.look.volume import LitVolume
from tenka.scene.cameras import View

ALIKE = np.float32(0.02)  # of a depth: neighbours whose depths differ less lie on one surface
HALF = np.float32(0.5)


@kernel(parallel=True)
def _dim(view, direct, depth, run, towards, origin, h, field, low, high, first, share):
    """Multiply the share of the sun that comes to each pixel of the set by what a gas lets through."""
    big_h, big_w = depth.shape
    for p_ in prange(-(-big_h // run)):
        j0 = np.int64(p_) * run
        for i0 in range(0, big_w, run):
            known, sun_known = np.float32(-1.0), ONE  # neighbours on one surface share the gas's shadow
            for y in range(j0, min(j0 + run, big_h)):
                for x in range(i0, min(i0 + run, big_w)):
                    if direct[y, x, 0] + direct[y, x, 1] <= ZERO:
                        share[y, x] = ONE
                        continue
                    deep = depth[y, x]
                    if abs(deep - known) >= ALIKE * deep:
                        u = (np.float32(x) + HALF) * np.float32(2.0) / np.float32(big_w) - ONE
                        v = ONE - (np.float32(y) + HALF) * np.float32(2.0) / np.float32(big_h)
                        ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
                        t = deep / max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
                        sun_known = _sun_at(
                            ox + t * dx, oy + t * dy, oz + t * dz, towards, origin, h, field, low, high
                        )
                        known = deep
                    share[y, x] = sun_known if first else share[y, x] * sun_known


@kernel(parallel=True)
def _reduce(still, direct, share, fine, shaded, linear):
    height, width, _ = linear.shape
    part = ONE / np.float32(fine * fine)
    for p_ in prange(height):
        j = np.int64(p_)
        into = linear[j].reshape(-1)
        into[:] = ZERO
        for y in range(j * fine, j * fine + fine):
            held, straight = still[y].reshape(-1), direct[y].reshape(-1)
            sun = share[y] if shaded else held
            for x in range(width * fine):
                lets = sun[x] if shaded else ONE
                at = 3 * (x // fine)
                into[at] += (held[3 * x] + straight[3 * x] * lets) * part
                into[at + 1] += (held[3 * x + 1] + straight[3 * x + 1] * lets) * part
                into[at + 2] += (held[3 * x + 2] + straight[3 * x + 2] * lets) * part


def settled(
    view: View, backdrop: Backdrop, fine: int, volumes: Sequence[LitVolume] = (), coarse: int = 1
) -> np.ndarray:
    """The set in the shadows of gases, (h, w, 3) linear light.

    Parameters
    ----------
    view : that of the backdrop, which is `fine` times as large each way as the result
    coarse : neighbours on one surface within blocks of so many each way share their shadow
    """
    linear = np.empty((view.height // fine, view.width // fine, 3), np.float32)
    there = [v for v in volumes if not v.empty]
    share = np.empty(backdrop.depth.shape if there else (0, 0), np.float32)
    for n, volume in enumerate(there):
        _dim(
            view.packed(),
            backdrop.direct,
            backdrop.depth,
            fine * coarse,
            volume.towards,
            volume.origin.astype(np.float32),
            np.float32(volume.voxel),
            volume.field,
            volume.low,
            volume.high,
            n == 0,
            share,
        )
    _reduce(backdrop.still, backdrop.direct, share, fine, bool(there), linear)
    return linear


@kernel(parallel=True)
def _lay_known(gas, known, stops, window, linear, alpha):
    whole = known[0, 0] and known[0, 1] and known[1, 0] and known[1, 1]
    for p_ in prange(max(window[3] - window[1], 0)):
        j = window[1] + np.int64(p_)
        if whole:
            front, behind, hides = gas[j].reshape(-1), linear[j].reshape(-1), alpha[j]
            for i in range(window[0], window[2]):
                keep = ONE - front[4 * i + 3]
                behind[3 * i] = front[4 * i] + keep * behind[3 * i]
                behind[3 * i + 1] = front[4 * i + 1] + keep * behind[3 * i + 1]
                behind[3 * i + 2] = front[4 * i + 2] + keep * behind[3 * i + 2]
                hides[i] = ONE - (ONE - hides[i]) * keep
            continue
        for i in range(window[0], window[2]):
            red, green, blue, cover = ZERO, ZERO, ZERO, ZERO
            if known[j & 1, i & 1]:
                red, green, blue, cover = gas[j, i, 0], gas[j, i, 1], gas[j, i, 2], gas[j, i, 3]
            else:
                here, total = stops[j, i], ZERO
                for b in range(max(j - 1, window[1]), min(j + 2, window[3])):
                    for a in range(max(i - 1, window[0]), min(i + 2, window[2])):
                        if known[b & 1, a & 1]:
                            # what lies across an edge of the set counts for next to nothing
                            off = abs(stops[b, a] - here) / max(stops[b, a], here)
                            weight = (HALF if a != i and b != j else ONE) / (np.float32(1e-5) + off * off)
                            total += weight
                            red += weight * gas[b, a, 0]
                            green += weight * gas[b, a, 1]
                            blue += weight * gas[b, a, 2]
                            cover += weight * gas[b, a, 3]
                if total > ZERO:
                    over = ONE / total
                    red, green, blue, cover = red * over, green * over, blue * over, cover * over
            if cover <= ZERO and red + green + blue <= ZERO:
                continue
            linear[j, i, 0] = red + (ONE - cover) * linear[j, i, 0]
            linear[j, i, 1] = green + (ONE - cover) * linear[j, i, 1]
            linear[j, i, 2] = blue + (ONE - cover) * linear[j, i, 2]
            alpha[j, i] = ONE - (ONE - alpha[j, i]) * (ONE - cover)


def lay_known(
    gas: np.ndarray,
    known: np.ndarray,
    stops: np.ndarray,
    window: tuple[int, int, int, int],
    linear: np.ndarray,
    alpha: np.ndarray,
) -> None:
    """Lay one slice of gas over a picture, in place, of which only some of each four pixels are known: the
    others are the means of their neighbours.

    Parameters
    ----------
    known : (2, 2) which of each four are
    stops : (h, w) depths of the set
    window : the pixels that the gas may be in; see `reached`
    """
    _lay_known(gas, known, stops, np.array(window, np.int64), linear, alpha)


@kernel
def _between(i, factor, n):
    x = min(max(ZERO, (np.float32(i) + HALF) / np.float32(factor) - HALF), np.float32(n - 1))
    a = min(np.int64(x), n - 1)
    return a, min(a + 1, n - 1), x - np.float32(a)


@kernel(parallel=True)
def _lay_over(gas, factor, window, linear, alpha):
    wide = max(window[2] - window[0], 0)
    for p_ in prange(max(window[3] - window[1], 0)):
        j = window[1] + np.int64(p_)
        a, b, f = _between(j, factor, gas.shape[0])
        top, foot = gas[a].reshape(-1), gas[b].reshape(-1)
        first, _, _ = _between(window[0], factor, gas.shape[1])
        _, last, _ = _between(max(window[2] - 1, 0), factor, gas.shape[1])
        row = np.empty(4 * (last + 1 - first), np.float32)  # between the two rows, all that is needed of it
        most = ZERO
        for n in range(row.size):
            row[n] = (ONE - f) * top[4 * first + n] + f * foot[4 * first + n]
            most = max(most, row[n])
        if most <= ZERO:
            continue
        behind, hides = linear[j].reshape(-1), alpha[j]
        for q in range(wide):
            i = window[0] + q
            c, d, g = _between(i, factor, gas.shape[1])
            c, d = 4 * (c - first), 4 * (d - first)
            keep = ONE - ((ONE - g) * row[c + 3] + g * row[d + 3])
            behind[3 * i] = (ONE - g) * row[c] + g * row[d] + keep * behind[3 * i]
            behind[3 * i + 1] = (ONE - g) * row[c + 1] + g * row[d + 1] + keep * behind[3 * i + 1]
            behind[3 * i + 2] = (ONE - g) * row[c + 2] + g * row[d + 2] + keep * behind[3 * i + 2]
            hides[i] = ONE - (ONE - hides[i]) * keep


def lay_over(
    gas: np.ndarray, factor: int, window: tuple[int, int, int, int], linear: np.ndarray, alpha: np.ndarray
) -> None:
    """Lay one slice of what `march_slices` gave, at 1/factor of the size, over a picture, in place.

    Parameters
    ----------
    window : the pixels of the gas's picture that it may be in; see `reached`
    """
    h, w = alpha.shape
    edge = 0 if factor == 1 else 1  # pixels between the gas's
    wide = (
        max((window[0] - edge) * factor, 0),
        max((window[1] - edge) * factor, 0),
        min((window[2] + edge) * factor, w),
        min((window[3] + edge) * factor, h),
    )
    _lay_over(gas, factor, np.array(wide, np.int64), linear, alpha)
