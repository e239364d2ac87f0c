"""Pictures of numbers as OpenEXR: textures that a game reads, and how they are read back."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput

LETTERS = "RGBA"
MOST = np.float32(65000.0)  # of halves
FARTHEST = 1e7  # from 0, of a number that is read: beyond it squares of what is drawn lose all sense


def exr_bytes(values: np.ndarray, half: bool = False) -> bytes:
    """A picture, (height, width, 1 to 4), as OpenEXR with channels R, G, B, A; floats of 32 bits, or halves.

    The same bytes for the same numbers.
    """
    import OpenEXR

    channels: dict[str, Any] = {}
    for n in range(values.shape[2]):
        part = values[..., n]
        kept = np.clip(part, -MOST, MOST).astype(np.float16) if half else part.astype(np.float32)
        channels[LETTERS[n]] = np.ascontiguousarray(kept)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:  # the library writes to files alone
        path = Path(folder) / "picture.exr"
        OpenEXR.File(header, channels).write(str(path))
        return path.read_bytes()


def read_exr(file: Path, width: int, height: int, letters: str = LETTERS) -> np.ndarray:
    """A picture of numbers, (height, width, channels) float32.

    Raises
    ------
    BadInput
        Missing, broken, of another size, without one of the channels, or with what is no number.
    """
    import OpenEXR

    try:
        with OpenEXR.File(str(file), separate_channels=True) as opened:
            held = opened.channels()
            found = [np.asarray(held[letter].pixels, np.float32) for letter in letters]
    except KeyError as missing:
        raise BadInput(
            f"has no channel {missing.args[0]}", "the texture that the manifest names", file
        ) from None
    except Exception:  # the library raises errors of its own kinds
        raise BadInput("broken off or not OpenEXR", "the texture that the manifest names", file) from None
    if found[0].shape != (height, width):
        tall, wide = found[0].shape
        raise BadInput(f"is {wide} x {tall} px", f"{width} x {height} px as the manifest says", file)
    values = np.stack(found, axis=2)
    if not (np.abs(values) <= FARTHEST).all():
        raise BadInput("holds what is no number, or a huge one", f"numbers up to {FARTHEST:g}", file)
    return values
