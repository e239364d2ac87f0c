"""What the commands share: options, opening, progress, saying."""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Annotated, Any

import typer

from tenka import __version__
from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.base.ranges import LARGEST


class _Commands(typer.Typer):
    """Commands whose options take no number that is none."""

    def command(self, *names: Any, **how: Any) -> Any:  # type: ignore[override]
        register = super().command(*names, **how)

        def kept(function: Callable[..., Any]) -> Callable[..., Any]:
            @wraps(function)
            def checked(**named: Any) -> Any:
                for name, value in named.items():
                    if isinstance(value, float) and not abs(value) <= LARGEST:
                        place = "--" + name.replace("_", "-")
                        raise BadInput(f"'{value}' is not usable", "a number", place=place)
                return function(**named)

            register(checked)
            return function

        return kept


app = _Commands(
    add_completion=True,
    no_args_is_help=True,
    help="Tenka: shape an effect, pack it, and weigh it.",
    pretty_exceptions_enable=False,
)


def _told(version: bool) -> None:
    if version:
        print(__version__)
        raise typer.Exit


@app.callback()
def whole(
    version: Annotated[
        bool, typer.Option("--version", help="Print the version and leave.", callback=_told, is_eager=True)
    ] = False,
) -> None:
    """Tenka: shape an effect, pack it, and weigh it."""


File = Annotated[Path, typer.Argument(help="An effect, name.tenka.")]


Json = Annotated[bool, typer.Option("--json", help="One JSON object per line.")]


Layer = Annotated[str | None, typer.Option("--layer", help="The layer's id; by default all of them.")]


def say(row: dict[str, Any], as_json: bool, text: str) -> None:
    print(json.dumps(row) if as_json else text, flush=True)


class Bar(Progress):
    """Progress as a line on standard error that is written over itself."""

    def __init__(self) -> None:
        super().__init__()
        self._shown = 0.0
        self.listen = self._show

    def _show(self, _: Progress) -> None:
        now = time.monotonic()
        if now - self._shown < 0.1 and self.done < self.total:
            return
        self._shown = now
        left = f", {self.seconds_left:.0f} s left" if self.seconds_left else ""
        end = "\n" if self.total and self.done >= self.total else ""
        if sys.stderr.isatty() or end:
            print(
                f"\r{self.what}: {self.done} of {self.total}{left}   ", end=end, file=sys.stderr, flush=True
            )


_opened: list[Path] = []  # the effect that was opened last: what is stored is of it


def open_effect(file: Path) -> Any:
    from tenka.effect import storage

    _opened[:] = [file.resolve()]
    return storage.load(file)


def layer_of(effect: Any, id: str | None, file: Path) -> Any:
    try:
        return effect.layer(id)
    except KeyError:
        names = ", ".join(layer.id for layer in effect.layers) or "none"
        raise BadInput(
            f"no layer is called '{id}'" if id else "the effect has no layer", f"one of: {names}", file
        ) from None


def frame_store() -> Any:
    from tenka.cache.store import FrameStore

    named = os.environ.get("TENKA_FRAMES")  # the window's own store, when it is not the usual one
    store = FrameStore(Path(named) if named else None)
    store.owner = os.environ.get("TENKA_OWNER") or "".join(map(str, _opened))
    return store


def span_of(text: str | None, count: int) -> tuple[int, int]:
    if text is None:
        return 0, count - 1
    try:
        first, last = (int(part) for part in text.split(":"))
    except ValueError:
        raise BadInput(f"'{text}' is not a span of frames", "A:B such as 0:23", place="--frames") from None
    if not 0 <= first <= last < count:
        raise BadInput(
            f"frames {first} to {last} are not all in the effect", f"0 to {count - 1}", place="--frames"
        )
    return first, last


def numbers_of(text: str, what: str, place: str, count: int | None = None) -> tuple[float, ...]:
    """Numbers with commas between.

    Parameters
    ----------
    what : what is expected there, such as "degrees with commas between"
    count : how many there must be; by default any

    Raises
    ------
    BadInput
        What is no number, or none that can be.
    """
    try:
        found = tuple(float(part) for part in text.split(","))
    except ValueError:
        found = ()
    if not found or not all(abs(x) <= LARGEST for x in found) or (count is not None and len(found) != count):
        raise BadInput(f"'{text}' is not usable", what, place=place)
    return found


def places_of(texts: list[str]) -> Any:
    """Places given as x,y,z, (n, 3) m."""
    import numpy as np

    found = [numbers_of(text, "x,y,z in m such as 0,0.5,1", "--at", 3) for text in texts]
    return np.array(found, float).reshape(-1, 3)


def size_of(text: str) -> tuple[int, int]:
    try:
        width, height = (int(part) for part in text.lower().split("x"))
    except ValueError:
        raise BadInput(f"'{text}' is not a size", "WxH such as 1280x800", place="--size") from None
    if not (16 <= width <= 8192 and 16 <= height <= 8192):
        raise BadInput(f"a picture of {width} x {height} px", "16 to 8192 px each way", place="--size")
    return width, height


def save_picture(rgb: Any, picture: Path) -> None:
    from tenka.base.files import write_atomic
    from tenka.pack.reels import png_of

    write_atomic(picture, png_of(rgb))


def tier_of(effect: Any, tier: str | None, file: Path) -> Any:
    try:
        return effect.tier(tier)
    except KeyError:
        if tier is None:
            return None
        names = ", ".join(t.name for t in effect.tiers) or "none"
        raise BadInput(f"no tier is called '{tier}'", f"one of: {names}", file) from None
