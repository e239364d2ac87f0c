"""Pictures that shape a source."""

from __future__ import annotations

import io
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy import ndimage

from tenka.base.errors import BadInput
from tenka.base.files import read_file, stamp_of_file
from tenka.effect.model import Source
from tenka.gas.region import Region
from tenka.scene.surface import BRIGHTNESS

MOST_PIXELS = 64_000_000


MOST_IMAGE_BYTES = 256 * 1024 * 1024


def image_file(source: Source, folder: Path | None) -> Path:
    """Where a source's image is on disk."""
    file = Path(source.image)
    return file if file.is_absolute() else (folder or Path.cwd()) / file


@lru_cache(maxsize=8)
def _brightness(file: Path, stamp: int) -> np.ndarray:
    """(width, height) of an image, from its lower left corner: brightness times opacity."""
    from PIL import Image

    data = read_file(file, "an image", MOST_IMAGE_BYTES)
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "TIFF")) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise BadInput(f"is {opened.width} x {opened.height} px", f"at most {MOST_PIXELS:,} px", file)
            opened.thumbnail((1024, 1024))
            rgba = np.asarray(opened.convert("RGBA"), np.float32) / 255.0
    except BadInput:
        raise
    except Exception:  # its readers raise whatever their parsers do
        raise BadInput("broken off or not an image", "a PNG, JPEG or TIFF", file) from None
    return np.ascontiguousarray(((rgba[..., :3] @ np.array(BRIGHTNESS, np.float32)) * rgba[..., 3])[::-1].T)


def brightness_of(file: Path) -> np.ndarray:
    """How bright an image is, (width, height) from its lower left corner; files used last are kept.

    Raises
    ------
    BadInput
        Missing, broken, of another kind, or too large.
    """
    return _brightness(file, stamp_of_file(file, "an image"))


def image_share(source: Source, folder: Path | None, region: Region, points: np.ndarray) -> np.ndarray:
    """How bright a source's image is at (n, 3) points in its own coordinates, laid over its bounds; nothing
    outside them.

    Raises
    ------
    BadInput
        An image that cannot be read.
    """
    if not source.image:
        raise BadInput("has no image to be shaped by", "an image file", place=f"source {source.name}")
    file = image_file(source, folder)
    bright = brightness_of(file)
    across = [a for a in range(3) if a != "xyz".index(source.image_along)]
    place = (points[:, across] - region.low[across]) / np.maximum(
        region.high[across] - region.low[across], 1e-9
    )
    at = place * np.array(bright.shape) - 0.5
    return ndimage.map_coordinates(bright, at.T, order=1, mode="grid-constant", cval=0.0)
