"""DDS files: block-compressed textures with their mip chain, with the header that names the exact format."""

from __future__ import annotations

import io
import struct

import numpy as np
from PIL import Image

from tenka.base.blocks import BYTES, EDGE, compressed

FORMATS = {
    ("bc1", True): 72,
    ("bc1", False): 71,
    ("bc3", True): 78,
    ("bc3", False): 77,
    ("bc4", False): 80,
    ("bc5", False): 83,
    ("bc7", True): 99,
    ("bc7", False): 98,
}
"""Numbers of the formats, by whether colour is stored as sRGB."""
HEAD = 128 + 20
CAPS, HEIGHT, WIDTH, PIXELS, MIPS, LINEAR = 0x1, 0x2, 0x4, 0x1000, 0x20000, 0x80000
FOURCC, TEXTURE, MIPMAP, COMPLEX, TWO_D = 0x4, 0x1000, 0x400000, 0x8, 3
PREMULTIPLIED, STRAIGHT = 2, 1


def dds_bytes(
    levels: list[np.ndarray], form: str, srgb: bool, premultiplied: bool = False
) -> tuple[bytes, float]:
    """A file of all levels, and the mean squared error of the largest.

    Parameters
    ----------
    levels : (height, width, 4) uint8, each half as large as the one before
    """
    height, width, _ = levels[0].shape
    flags = CAPS | HEIGHT | WIDTH | PIXELS | LINEAR | (MIPS if len(levels) > 1 else 0)
    caps = TEXTURE | (MIPMAP | COMPLEX if len(levels) > 1 else 0)
    parts, first = [], 0.0
    for n, level in enumerate(levels):
        data, error = compressed(level, form)
        first = error if n == 0 else first
        parts.append(data)
    size = -(-width // EDGE) * -(-height // EDGE) * BYTES[form]
    head = struct.pack("<4s7I44x", b"DDS ", 124, flags, height, width, size, 0, len(levels))
    head += struct.pack("<2I4s5I", 32, FOURCC, b"DX10", 0, 0, 0, 0, 0)
    head += struct.pack("<5I", caps, 0, 0, 0, 0)
    head += struct.pack("<5I", FORMATS[form, srgb], TWO_D, 0, 1, PREMULTIPLIED if premultiplied else STRAIGHT)
    return b"".join([head, *parts]), first


def dds_size(width: int, height: int, levels: int, form: str) -> int:
    """Bytes of such a file."""
    found = HEAD
    for n in range(levels):
        w, h = max(1, width >> n), max(1, height >> n)
        found += -(-w // EDGE) * -(-h // EDGE) * BYTES[form]
    return found


BACKDROPS = (0.0, 127.0, 255.0)  # over which what is drawn through an alpha is looked at


def opened(data: bytes) -> np.ndarray:
    """The largest level of a file as bytes, (height, width, 4) uint8, by another library than wrote it."""
    # it knows fewer formats than there are: whether bytes are sRGB changes none of them
    number = struct.unpack_from("<I", data, 128)[0]
    form = next(name for (name, _), n in FORMATS.items() if n == number)
    told = data[:128] + struct.pack("<I", FORMATS[form, False]) + data[132:]
    with Image.open(io.BytesIO(told), formats=("DDS",)) as image:
        return np.asarray(image.convert("RGBA"))


def blended_error(wanted: np.ndarray, found: np.ndarray, straight: bool) -> float:
    """Mean squared error of two pictures with alpha where they are drawn, over the backdrop on which it is
    largest: a colour that is lost is one, and so is an alpha.

    Parameters
    ----------
    wanted, found : (height, width, 4) uint8; straight : whether colour is not weighted by alpha yet
    """
    worst = 0.0
    for behind in BACKDROPS:
        drawn = []
        for rgba in (wanted, found):
            alpha = rgba[..., 3:].astype(np.float32) / np.float32(255)
            colour = rgba[..., :3].astype(np.float32) * (alpha if straight else np.float32(1))
            drawn.append(np.minimum(colour + (1 - alpha) * np.float32(behind), np.float32(255)))
        worst = max(worst, float(np.square(drawn[0] - drawn[1]).mean()))
    return worst
