"""PNG files of a package read back."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from PIL import Image

from tenka.base.errors import BadInput
from tenka.base.files import read_file

MOST_BYTES = 1024**3


def read_png(file: Path, size: tuple[int, int], mode: str) -> np.ndarray:
    """A picture of a size, px, that the manifest states, as uint8.

    Raises
    ------
    BadInput
        Missing, broken, or of another size.
    """
    try:
        with Image.open(io.BytesIO(read_file(file, "a picture", MOST_BYTES)), formats=("PNG",)) as image:
            if image.size != size:
                raise BadInput(
                    f"is {image.size[0]} x {image.size[1]} px",
                    f"{size[0]} x {size[1]} px as the manifest says",
                    file,
                )
            return np.asarray(image.convert(mode))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise BadInput("broken off or not an image", "the PNG that the manifest names", file) from None
