"""Commands that open the window, and say the version."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer

from tenka import __version__
from tenka.base.errors import BadInput
from tenka.cli.common import app, size_of


@app.command(name="open")
def open_window(
    file: Annotated[Path | None, typer.Argument(help="An effect; without one, the start page.")] = None,
    picture: Annotated[
        Path | None, typer.Option("--picture", help="Draw the window off-screen to this PNG and leave.")
    ] = None,
    station: Annotated[
        str | None,
        typer.Option(
            "--station",
            help="With --picture: shape, look, pack, budget or proof; of the kiln's plume where no effect is "
            "given.",
        ),
    ] = None,
    size: Annotated[str, typer.Option("--size", help="With --picture: WxH in px.")] = "1280x800",
    scale: Annotated[
        float, typer.Option("--scale", help="Enlarges the whole window, 0.5 to 4, over the desktop's own.")
    ] = 1.0,
) -> None:
    """Open the window."""
    from tenka.app.main import run_window

    if file is not None and not file.exists():
        raise BadInput("is not there", "an effect", file)
    if not 0.5 <= scale <= 4.0:
        raise BadInput(f"a scale of {scale:g}", "0.5 to 4", place="--scale")
    if scale != 1.0:
        os.environ["QT_SCALE_FACTOR"] = f"{scale:g}"
    raise typer.Exit(run_window(file, picture, station, size_of(size)))


@app.command()
def version() -> None:
    """Print the version."""
    print(__version__)
