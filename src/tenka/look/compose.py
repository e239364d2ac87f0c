"""Gas over the set: the two pictures laid on each other by depth."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.look.march import ray_of
from tenka.look.raster import ONE, ZERO, Backdrop, _sun_at
from tenka.look.volume import LitVolume
from tenka.scene.cameras import View


@kernel
def _between(i, factor, n):
    x = min(
        max((np.float32(i) + np.float32(0.5)) / np.float32(factor) - np.float32(0.5), ZERO), np.float32(n - 1)
    )
    a = min(np.int64(x), n - 1)
    return a, min(a + 1, n - 1), x - np.float32(a)


@kernel(parallel=True)
def _compose(
    view,
    still,
    direct,
    depth,
    fine,
    gas,
    factor,
    shadowed,
    towards,
    origin,
    h,
    field,
    low,
    high,
    linear,
    alpha,
):
    height, width, _ = linear.shape
    big_h, big_w = depth.shape
    share = ONE / np.float32(fine * fine)
    for p_ in prange(height):
        j = np.int64(p_)
        a, b, f = _between(j, factor, gas.shape[0])
        for i in range(width):
            red, green, blue = ZERO, ZERO, ZERO
            known, sun_known = np.float32(-1.0), ONE  # neighbours on one surface share the gas's shadow
            for q in range(fine):
                y = j * fine + q
                for p in range(fine):
                    x = i * fine + p
                    sun = ONE
                    deep = depth[y, x]
                    if (
                        shadowed
                        and direct[y, x, 0] + direct[y, x, 1] > ZERO
                        and abs(deep - known) < np.float32(0.02) * deep
                    ):
                        sun = sun_known
                    elif shadowed and direct[y, x, 0] + direct[y, x, 1] > ZERO:
                        u = (np.float32(x) + np.float32(0.5)) * np.float32(2.0) / np.float32(big_w) - ONE
                        v = ONE - (np.float32(y) + np.float32(0.5)) * np.float32(2.0) / np.float32(big_h)
                        ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
                        t = depth[y, x] / max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
                        sun = _sun_at(
                            ox + t * dx, oy + t * dy, oz + t * dz, towards, origin, h, field, low, high
                        )
                        known, sun_known = deep, sun
                    red += still[y, x, 0] + direct[y, x, 0] * sun
                    green += still[y, x, 1] + direct[y, x, 1] * sun
                    blue += still[y, x, 2] + direct[y, x, 2] * sun
            c, d, g = _between(i, factor, gas.shape[1])
            w0, w1, w2, w3 = (ONE - f) * (ONE - g), (ONE - f) * g, f * (ONE - g), f * g
            cover = w0 * gas[a, c, 3] + w1 * gas[a, d, 3] + w2 * gas[b, c, 3] + w3 * gas[b, d, 3]
            alpha[j, i] = cover
            for n in range(3):
                back = (red if n == 0 else (green if n == 1 else blue)) * share
                front = (
                    w0 * (gas[a, c, n] + gas[a, c, n + 4])
                    + w1 * (gas[a, d, n] + gas[a, d, n + 4])
                    + w2 * (gas[b, c, n] + gas[b, c, n + 4])
                    + w3 * (gas[b, d, n] + gas[b, d, n + 4])
                )
                linear[j, i, n] = front + (ONE - cover) * back


def compose(
    view: View, backdrop: Backdrop, fine: int, gas: np.ndarray | None, factor: int, volume: LitVolume | None
) -> tuple[np.ndarray, np.ndarray]:
    """Gas over its backdrop, which it shades: (h, w, 3) linear light and the gas's (h, w) alpha.

    Parameters
    ----------
    view : that of the backdrop, which is `fine` times as large each way as the result
    gas : what `march` gave, at 1/factor of the result's size, or None
    """
    height, width = view.height // fine, view.width // fine
    linear, alpha = np.empty((height, width, 3), np.float32), np.empty((height, width), np.float32)
    gas = np.zeros((1, 1, 8), np.float32) if gas is None else gas
    zero = np.zeros(3, np.float32)
    if volume is None or volume.empty:
        _compose(
            view.packed(),
            backdrop.still,
            backdrop.direct,
            backdrop.depth,
            fine,
            gas,
            factor,
            False,
            zero,
            zero,
            ONE,
            np.zeros((2, 2, 2, 4), np.float32),
            zero,
            zero,
            linear,
            alpha,
        )
    else:
        _compose(
            view.packed(),
            backdrop.still,
            backdrop.direct,
            backdrop.depth,
            fine,
            gas,
            factor,
            True,
            volume.towards,
            volume.origin.astype(np.float32),
            np.float32(volume.voxel),
            volume.field,
            volume.low,
            volume.high,
            linear,
            alpha,
        )
    return linear, alpha


@kernel(parallel=True)
def lean_to(mean, one, share):
    """Add one more to a mean, in place; both flat."""
    for m in prange(mean.size):
        mean[m] += share * (one[m] - mean[m])


@kernel(parallel=True)
def _lay_over(gas4, slice_, factor, linear, alpha):
    height, width, _ = linear.shape
    gas = gas4[:, :, slice_]
    for p_ in prange(height):
        j = np.int64(p_)
        a, b, f = _between(j, factor, gas.shape[0])
        for i in range(width):
            c, d, g = _between(i, factor, gas.shape[1])
            w0, w1, w2, w3 = (ONE - f) * (ONE - g), (ONE - f) * g, f * (ONE - g), f * g
            cover = w0 * gas[a, c, 3] + w1 * gas[a, d, 3] + w2 * gas[b, c, 3] + w3 * gas[b, d, 3]
            if cover <= ZERO and gas[a, c, 4] + gas[a, d, 4] + gas[b, c, 4] + gas[b, d, 4] <= ZERO:
                continue
            for n in range(3):
                front = (
                    w0 * (gas[a, c, n] + gas[a, c, n + 4])
                    + w1 * (gas[a, d, n] + gas[a, d, n + 4])
                    + w2 * (gas[b, c, n] + gas[b, c, n + 4])
                    + w3 * (gas[b, d, n] + gas[b, d, n + 4])
                )
                linear[j, i, n] = front + (ONE - cover) * linear[j, i, n]
            alpha[j, i] = ONE - (ONE - alpha[j, i]) * (ONE - cover)


def lay_over(gas: np.ndarray, slice_: int, factor: int, linear: np.ndarray, alpha: np.ndarray) -> None:
    """Lay one slice of what `march_slices` gave, at 1/factor of the size, over a picture, in place."""
    _lay_over(gas, slice_, factor, linear, alpha)
