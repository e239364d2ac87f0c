"""Textures in blocks of 4 x 4 texels, as graphics devices read them: BC1, BC3, BC4, BC5 and BC7.

The formats are those of the DirectX texture block compression specification. Ends of a block's line through
colour are its principal axis, then refined by least squares for the indices that they give (Brown 2006);
BC7 uses its mode 6 alone: one line through red, green, blue and alpha with ends of 7 bits and sixteen steps.
Errors are those of the stored bytes.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel, prange

EDGE = 4
BYTES = {"bc1": 8, "bc3": 16, "bc4": 8, "bc5": 16, "bc7": 16}
ROUNDS = 3  # of least squares
WEIGHTS = np.array([0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64], np.float32)


@kernel(inline=True)
def _axis_ends(px, channels, low, high):
    """The ends of a block along its principal axis."""
    mean = np.zeros(4, np.float32)
    for c in range(channels):
        for n in range(16):
            mean[c] += px[n, c]
        mean[c] /= np.float32(16.0)
    axis = np.ones(4, np.float32)
    for _ in range(8):
        turned = np.zeros(4, np.float32)
        for n in range(16):
            d = np.float32(0.0)
            for c in range(channels):
                d += (px[n, c] - mean[c]) * axis[c]
            for c in range(channels):
                turned[c] += d * (px[n, c] - mean[c])
        most = np.float32(0.0)
        for c in range(channels):
            most = max(most, abs(turned[c]))
        if most < np.float32(1e-6):
            break
        for c in range(channels):
            axis[c] = turned[c] / most
    size = np.float32(0.0)
    for c in range(channels):
        size += axis[c] * axis[c]
    least, top = np.float32(1e30), np.float32(-1e30)
    for n in range(16):
        d = np.float32(0.0)
        for c in range(channels):
            d += (px[n, c] - mean[c]) * axis[c]
        least, top = min(least, d / size), max(top, d / size)
    for c in range(channels):
        low[c] = min(max(np.float32(0.0), mean[c] + least * axis[c]), np.float32(255.0))
        high[c] = min(max(np.float32(0.0), mean[c] + top * axis[c]), np.float32(255.0))


@kernel(inline=True)
def _refined(px, channels, shares, low, high):
    """The ends that fit a block best for the share of the way that each texel has; the same where that does
    not tell."""
    aa, ab, bb = np.float32(0.0), np.float32(0.0), np.float32(0.0)
    for n in range(16):
        b = shares[n]
        a = np.float32(1.0) - b
        aa += a * a
        ab += a * b
        bb += b * b
    det = aa * bb - ab * ab
    if abs(det) < np.float32(1e-4):
        return
    for c in range(channels):
        pa, pb = np.float32(0.0), np.float32(0.0)
        for n in range(16):
            pa += (np.float32(1.0) - shares[n]) * px[n, c]
            pb += shares[n] * px[n, c]
        low[c] = min(max(np.float32(0.0), (bb * pa - ab * pb) / det), np.float32(255.0))
        high[c] = min(max(np.float32(0.0), (aa * pb - ab * pa) / det), np.float32(255.0))


@kernel(inline=True)
def _put(block, at, count, value):
    """Bits into a block, from the lowest."""
    for k in range(count):
        if (value >> k) & 1:
            block[(at + k) >> 3] |= np.uint8(1 << ((at + k) & 7))


@kernel
def _bc7(px, block, weights):
    """One block in mode 6; its squared error."""
    low, high = np.zeros(4, np.float32), np.zeros(4, np.float32)
    _axis_ends(px, 4, low, high)
    ends, best = np.zeros((2, 4), np.int32), np.zeros((2, 4), np.int32)
    bits, best_bits = np.zeros(2, np.int32), np.zeros(2, np.int32)
    index, best_index = np.zeros(16, np.int32), np.zeros(16, np.int32)
    shares, least = np.zeros(16, np.float32), np.float32(1e30)
    for _ in range(ROUNDS):
        for e in range(2):
            off = np.float32(1e30)
            for p in range(2):
                d = np.float32(0.0)
                for c in range(4):
                    v = high[c] if e else low[c]
                    q = min(max(np.float32(0.0), np.floor((v - p) / 2 + np.float32(0.5))), np.float32(127.0))
                    d += (2 * q + p - v) ** 2
                if d < off:
                    off, bits[e] = d, p
            for c in range(4):
                v = high[c] if e else low[c]
                q = np.floor((v - bits[e]) / 2 + np.float32(0.5))
                ends[e, c] = np.int32(min(max(np.float32(0.0), q), np.float32(127.0)))
        a, b = np.zeros(4, np.float32), np.zeros(4, np.float32)
        size = np.float32(0.0)
        for c in range(4):
            a[c], b[c] = np.float32(2 * ends[0, c] + bits[0]), np.float32(2 * ends[1, c] + bits[1])
            size += (b[c] - a[c]) ** 2
        error = np.float32(0.0)
        for n in range(16):
            d = np.float32(0.0)
            for c in range(4):
                d += (px[n, c] - a[c]) * (b[c] - a[c])
            guess = np.int32(d / size * np.float32(15.0) + np.float32(0.5)) if size > np.float32(0.0) else 0
            near = np.float32(1e30)
            for k in range(max(0, min(15, guess) - 1), max(0, min(15, guess)) + 2):
                if k > 15:
                    continue
                off = np.float32(0.0)
                for c in range(4):
                    v = np.floor(((np.float32(64.0) - weights[k]) * a[c] + weights[k] * b[c] + 32) / 64)
                    off += (v - px[n, c]) ** 2
                if off < near:
                    near, index[n] = off, k
            shares[n] = weights[index[n]] / np.float32(64.0)
            error += near
        if error < least:
            least = error
            best[:], best_bits[:], best_index[:] = ends, bits, index
        _refined(px, 4, shares, low, high)
    if best_index[0] > 7:  # the first texel's index has no highest bit
        for c in range(4):
            best[0, c], best[1, c] = best[1, c], best[0, c]
        best_bits[0], best_bits[1] = best_bits[1], best_bits[0]
        for n in range(16):
            best_index[n] = 15 - best_index[n]
    block[:] = 0
    _put(block, 6, 1, 1)
    at = 7
    for c in range(4):
        for e in range(2):
            _put(block, at, 7, best[e, c])
            at += 7
    _put(block, 63, 1, best_bits[0])
    _put(block, 64, 1, best_bits[1])
    at = 65
    for n in range(16):
        count = 3 if n == 0 else 4
        _put(block, at, count, best_index[n])
        at += count
    return least


@kernel(inline=True)
def _to_565(v):
    r = np.int32(v[0] * np.float32(31.0 / 255.0) + np.float32(0.5))
    g = np.int32(v[1] * np.float32(63.0 / 255.0) + np.float32(0.5))
    b = np.int32(v[2] * np.float32(31.0 / 255.0) + np.float32(0.5))
    return (min(r, 31) << 11) | (min(g, 63) << 5) | min(b, 31)


@kernel(inline=True)
def _of_565(code, out):
    r, g, b = (code >> 11) & 31, (code >> 5) & 63, code & 31
    out[0], out[1], out[2] = (
        np.float32((r << 3) | (r >> 2)),
        np.float32((g << 2) | (g >> 4)),
        np.float32((b << 3) | (b >> 2)),
    )


@kernel
def _bc1(px, block):
    """One block of four colours; its squared error."""
    low, high = np.zeros(4, np.float32), np.zeros(4, np.float32)
    _axis_ends(px, 3, low, high)
    a, b = np.zeros(4, np.float32), np.zeros(4, np.float32)
    index, best_index = np.zeros(16, np.int32), np.zeros(16, np.int32)
    shares, least, best_first, best_second = np.zeros(16, np.float32), np.float32(1e30), 0, 0
    for _ in range(ROUNDS):
        first, second = _to_565(low), _to_565(high)
        _of_565(first, a)
        _of_565(second, b)
        size = np.float32(0.0)
        for c in range(3):
            size += (b[c] - a[c]) ** 2
        error = np.float32(0.0)
        for n in range(16):
            d = np.float32(0.0)
            for c in range(3):
                d += (px[n, c] - a[c]) * (b[c] - a[c])
            k = np.int32(d / size * np.float32(3.0) + np.float32(0.5)) if size > np.float32(0.0) else 0
            k = max(0, min(3, k))
            for c in range(3):
                error += ((np.float32(3 - k) * a[c] + np.float32(k) * b[c]) / np.float32(3.0) - px[n, c]) ** 2
            index[n], shares[n] = k, np.float32(k) / np.float32(3.0)
        if error < least:
            least, best_first, best_second = error, first, second
            best_index[:] = index
        _refined(px, 3, shares, low, high)
    if best_first < best_second:  # four colours need the larger end first
        best_first, best_second = best_second, best_first
        for n in range(16):
            best_index[n] = 3 - best_index[n]
    elif best_first == best_second:
        best_index[:] = 0
    block[:] = 0
    _put(block, 0, 16, best_first)
    _put(block, 16, 16, best_second)
    for n in range(16):  # the steps of the way are numbered 0, 2, 3, 1
        k = best_index[n]
        _put(block, 32 + 2 * n, 2, 0 if k == 0 else 2 if k == 1 else 3 if k == 2 else 1)
    return least


@kernel
def _bc4(px, channel, block):
    """One block of one channel in eight steps; its squared error."""
    low, high = np.float32(255.0), np.float32(0.0)
    for n in range(16):
        low, high = min(low, px[n, channel]), max(high, px[n, channel])
    block[:] = 0
    first, second = np.int32(high), np.int32(low)
    block[0], block[1] = np.uint8(first), np.uint8(second)
    error = np.float32(0.0)
    if first == second:
        return error
    for n in range(16):
        k = np.int32((high - px[n, channel]) / (high - low) * np.float32(7.0) + np.float32(0.5))
        v = (np.float32(7 - k) * first + np.float32(k) * second) / np.float32(7.0)
        error += (v - px[n, channel]) ** 2
        _put(block, 16 + 3 * n, 3, 0 if k == 0 else 1 if k == 7 else k + 1)
    return error


@kernel(parallel=True)
def _encode(image, kind, weights, out, errors):
    """All blocks of a picture; kinds: 1, 3, 4, 5, 7. `errors`: squared, of each row of blocks."""
    rows, columns = out.shape[0], out.shape[1]
    for p_ in prange(rows):
        j = np.int64(p_)
        px, spare = np.zeros((16, 4), np.float32), np.zeros(16, np.uint8)
        for i in range(columns):
            for n in range(16):
                y = min(4 * j + n // 4, image.shape[0] - 1)
                x = min(4 * i + n % 4, image.shape[1] - 1)
                for c in range(4):
                    px[n, c] = np.float32(image[y, x, c])
            block = out[j, i]
            if kind == 7:
                errors[j] += _bc7(px, block, weights)
            elif kind == 1:
                errors[j] += _bc1(px, block)
            elif kind == 3:
                errors[j] += _bc4(px, 3, spare[:8])
                block[:8] = spare[:8]
                errors[j] += _bc1(px, spare[:8])
                block[8:] = spare[:8]
            elif kind == 4:
                errors[j] += _bc4(px, 0, block)
            else:
                errors[j] += _bc4(px, 0, spare[:8])
                block[:8] = spare[:8]
                errors[j] += _bc4(px, 1, spare[:8])
                block[8:] = spare[:8]


CHANNELS = {"bc1": 3, "bc3": 4, "bc4": 1, "bc5": 2, "bc7": 4}


def compressed(image: np.ndarray, form: str) -> tuple[bytes, float]:
    """A picture in blocks, and its mean squared error over the channels that the form keeps.

    Parameters
    ----------
    image : (height, width, 4) uint8; sides that are no multiple of 4 are filled with their last texels
    form : bc1, bc3, bc4 (red), bc5 (red and green) or bc7
    """
    height, width, _ = image.shape
    rows, columns = -(-height // EDGE), -(-width // EDGE)
    out = np.zeros((rows, columns, BYTES[form]), np.uint8)
    errors = np.zeros(rows, np.float64)
    _encode(np.ascontiguousarray(image), int(form[2:]), WEIGHTS, out, errors)
    texels = rows * columns * EDGE * EDGE
    return out.tobytes(), float(errors.sum()) / (texels * CHANNELS[form])


def psnr(error: float) -> float:
    """Peak signal to noise of a mean squared error of bytes, dB; at most 99."""
    return min(99.0, 10.0 * float(np.log10(255.0**2 / max(error, 1e-12))))
