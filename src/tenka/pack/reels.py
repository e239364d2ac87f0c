"""Where final pictures go: a movie, or a file a frame as PNG or as OpenEXR with layers."""

from __future__ import annotations

import contextlib
import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import beside, reason, write_atomic
from tenka.look.render import Picture

MOVIES = {
    ".mp4": ("libx264", {"crf": "14", "preset": "medium"}),
    ".webm": ("libvpx-vp9", {"crf": "20", "b:v": "0"}),
}
"""Codec of each kind of movie, and how it keeps what is fine: grain of smoke is the first thing that goes."""
STILLS = (".png", ".exr")
CHANNELS = {
    "effect": "the effect alone, over black",
    "set": "the set without it",
    "shadow": "light that the effect keeps from the set",
    "lamps": "light that the effect throws onto the set",
    "motion": "how far what is seen of it moves until the next frame, px to the right and down (X, Y)",
}
"""Layers of an OpenEXR picture besides colour, alpha and depth: (set - shadow) (1 - alpha) + effect is the
picture, and `set` holds `lamps`."""


class Reel(Protocol):
    """Takes pictures in turn."""

    layers: bool
    files: list[Path]

    def add(self, picture: Picture) -> None: ...


@contextlib.contextmanager
def reel(path: Path, rate: float, first: int, alone: bool) -> Iterator[Reel]:
    """A movie or a row of pictures to be written; nothing is left of one that is not finished.

    Parameters
    ----------
    rate : pictures a second
    first : number of the first one
    alone : a single picture, whose name gets no number

    Raises
    ------
    BadInput
        A kind of file that is not written here, or a place that cannot be written to.
    """
    kind = path.suffix.lower()
    if not path.parent.is_dir():
        raise BadInput("cannot be written (its folder is not there)", "a folder that is", path)
    if kind in MOVIES:
        with _movie(path, rate) as found:
            yield found
    elif kind in STILLS:
        yield _Stills(path, first, alone)
    else:
        raise BadInput(f"'{kind}' is not written here", "one of " + ", ".join((*MOVIES, *STILLS)), path)


class _Stills:
    def __init__(self, path: Path, first: int, alone: bool) -> None:
        self.path, self.next, self.alone = path, first, alone
        self.layers = path.suffix.lower() == ".exr"
        self.files: list[Path] = []

    def add(self, picture: Picture) -> None:
        path = self.path
        if not self.alone:
            path = path.with_name(f"{path.stem}.{self.next:04d}{path.suffix}")
        write_atomic(path, exr_of(picture) if self.layers else png_of(picture.rgb))
        self.files.append(path)
        self.next += 1


class _Movie:
    layers = False

    def __init__(self, container: Any, rate: float, kind: str, path: Path) -> None:
        self.container, self.rate, self.kind = container, rate, kind
        self.stream: Any = None
        self.files = [path]

    def add(self, picture: Picture) -> None:
        import av

        height, width = picture.rgb.shape[:2]
        if self.stream is None:
            from fractions import Fraction

            codec, options = MOVIES[self.kind]
            self.stream = self.container.add_stream(
                codec, rate=Fraction(self.rate).limit_denominator(1000), options=options
            )
            self.stream.width, self.stream.height = width - width % 2, height - height % 2
            self.stream.pix_fmt = "yuv420p"
            self.stream.codec_context.color_range = 1  # of video: all players agree on it
            self.stream.codec_context.colorspace = 1  # BT.709
        even = np.ascontiguousarray(picture.rgb[: self.stream.height, : self.stream.width])
        frame = av.VideoFrame.from_ndarray(even, format="rgb24")
        frame = frame.reformat(format="yuv420p", dst_colorspace="ITU709", dst_color_range="MPEG")
        for packet in self.stream.encode(frame):
            self.container.mux(packet)

    def end(self) -> None:
        if self.stream is not None:
            for packet in self.stream.encode(None):
                self.container.mux(packet)
        self.container.close()


@contextlib.contextmanager
def _movie(path: Path, rate: float) -> Iterator[Reel]:
    import av

    part = beside(path)
    kind = path.suffix.lower()
    try:
        container = av.open(str(part), "w", format=kind[1:])
    except (OSError, av.error.FFmpegError) as error:
        raise BadInput(
            f"cannot be written ({_reason(error)})", "a folder that you may write to", path
        ) from error
    movie = _Movie(container, rate, kind, path)
    try:
        yield movie
        movie.end()
        part.replace(path)
    except (OSError, av.error.FFmpegError) as error:
        _drop(container, part)
        raise BadInput(f"cannot be written ({_reason(error)})", "a folder with room", path) from error
    except BaseException:
        _drop(container, part)
        raise


def _reason(error: Exception) -> str:
    return reason(error) if isinstance(error, OSError) else str(error)


def _drop(container: Any, part: Path) -> None:
    with contextlib.suppress(Exception):
        container.close()
    part.unlink(missing_ok=True)


def png_of(rgb: np.ndarray) -> bytes:
    """A picture as PNG."""
    from PIL import Image

    data = io.BytesIO()
    Image.fromarray(rgb).save(data, "PNG")
    return data.getvalue()


def exr_of(picture: Picture) -> bytes:
    """A picture as OpenEXR with layers, half floats, depth as floats; see `CHANNELS`."""
    import tempfile

    import OpenEXR

    top = np.float32(65000.0)  # of half floats

    def half(values: np.ndarray) -> np.ndarray:
        return np.ascontiguousarray(np.clip(values, -top, top), np.float16)

    channels: dict[str, Any] = {"A": half(picture.alpha)}
    for name, values in {"": picture.linear, **picture.layers}.items():
        if name == "depth":
            channels["Z"] = np.ascontiguousarray(values, np.float32)
        else:
            for n, letter in enumerate("RGB" if values.shape[2] == 3 else "XY"):
                channels[f"{name}.{letter}" if name else letter] = half(values[..., n])
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:  # the library writes to files alone
        path = Path(folder) / "picture.exr"
        OpenEXR.File(header, channels).write(str(path))
        return path.read_bytes()
