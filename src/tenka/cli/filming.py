"""`tenka render`: final pictures and movies; `tenka lights`: lights fitted to fires, and as a table."""

from __future__ import annotations

import sys
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.base.jobs import Progress
from tenka.base.words import counted
from tenka.cli.common import (
    Bar,
    File,
    Json,
    Layer,
    app,
    frame_store,
    layer_of,
    open_effect,
    say,
    size_of,
    span_of,
)

SIDES: dict[str, dict[str, float]] = {
    "view": {},
    "front": {"heading": -90.0, "pitch": 0.0},
    "side": {"heading": 0.0, "pitch": 0.0},
    "top": {"pitch": 89.0},
}


@app.command()
def render(
    file: File,
    frame: Annotated[int | None, typer.Option("--frame", help="A single frame to draw, from 0.")] = None,
    frames: Annotated[
        str | None, typer.Option("--frames", help="A:B, the first and the last frame; by default all.")
    ] = None,
    picture: Annotated[
        Path | None,
        typer.Option("--picture", help="PNG or OpenEXR (with layers); numbered, of several frames."),
    ] = None,
    movie: Annotated[Path | None, typer.Option("--movie", help="MP4 or WebM to write.")] = None,
    size: Annotated[str, typer.Option("--size", help="WxH in px.")] = "1280x800",
    layer: Layer = None,
    camera: Annotated[
        str, typer.Option("--camera", help="view, front, side or top, or the name of a camera of the effect.")
    ] = "view",
    passes: Annotated[int, typer.Option("--passes", help="Over how many gas is averaged.")] = 32,
    noise: Annotated[
        float, typer.Option("--noise", help="Draw on until gas is so even, as a share of white; 0: no.")
    ] = 0.0,
    shutter: Annotated[
        float, typer.Option("--shutter", help="Share of a frame's time that is gathered; 0: an instant.")
    ] = 0.0,
    moments: Annotated[int, typer.Option("--moments", help="At how many moments of that it is drawn.")] = 8,
    quality: Annotated[
        str, typer.Option("--quality", help="preview or final: which simulation is drawn.")
    ] = "preview",
    as_json: Json = False,
) -> None:
    """Draw frames as the stage does, as pictures or as a movie; with --layer, of that layer alone."""
    from tenka.pack.film import Film, checked, pictures
    from tenka.pack.reels import reel

    out = movie or picture
    if out is None or (movie is not None and picture is not None):
        raise BadInput("one place to write to is needed", "--picture OUT.png or .exr or --movie OUT.mp4")
    if frame is not None and frames is not None:
        raise BadInput("--frame and --frames exclude each other", "one of them")
    kinds = (".mp4", ".webm") if movie is not None else (".png", ".exr")
    if out.suffix.lower() not in kinds:
        raise BadInput(
            f"'{out.suffix}' is not written here",
            " or ".join(kinds),
            out,
            "--movie" if movie is not None else "--picture",
        )
    if quality not in ("preview", "final"):
        raise BadInput(f"'{quality}' is not a quality", "preview or final", place="--quality")
    final = quality == "final"
    width, height = size_of(size)
    if movie is not None and (width % 2 or height % 2):
        raise BadInput(f"a movie of {width} x {height} px", "even numbers", place="--size")
    effect = open_effect(file)
    if layer is not None:
        layer_of(effect, layer, file)
    alone = frame is not None and movie is None
    span = span_of(f"{frame}:{frame}" if frame is not None else frames, effect.frames)
    through = next((c.id for c in effect.cameras if camera in (c.id, c.name)), "")
    if not through and camera not in SIDES:
        names = ", ".join([*SIDES, *(c.name for c in effect.cameras)])
        raise BadInput(f"no camera is called '{camera}'", f"one of {names}", place="--camera")
    seen = effect.camera.model_copy(update=SIDES.get(camera, {}))
    film = checked(Film(width, height, passes, noise, shutter, moments, layer or "", seen, through, final))
    start = time.perf_counter()
    progress = Bar() if not as_json else Progress()
    with reel(out, effect.rate, span[0], alone) as writing:
        for found in pictures(
            effect,
            file.parent,
            frame_store(),
            film,
            span,
            progress,
            lambda text: print(text, file=sys.stderr),
            writing.layers,
        ):
            writing.add(found)
    seconds, count = time.perf_counter() - start, span[1] - span[0] + 1
    where = str(out) if alone or movie is not None else f"{writing.files[0]} and on"
    row: dict[str, Any] = {
        "frames": count,
        "files": [str(f) for f in writing.files],
        "seconds": round(seconds, 2),
    }
    if alone:
        row = {"picture": str(out), "ms": round(1e3 * seconds, 1)}
    say(
        row,
        as_json,
        f"Drew frame {span[0]} to {where}."
        if alone
        else f"Drew {counted(count, 'frame')} to {where} in {seconds:.0f} s.",
    )


@app.command()
def lights(
    file: File,
    out: Annotated[
        Path | None,
        typer.Option("--out", help="CSV to write: each light in each frame, its place and light."),
    ] = None,
    fit: Annotated[
        str | None, typer.Option("--fit", help="A gas that burns or glows: a light is fitted to it and kept.")
    ] = None,
    as_json: Json = False,
) -> None:
    """Write the lights of an effect as a table; with --fit, fit one to what a gas gives off first."""
    from tenka.effect import storage
    from tenka.effect.model import FIELD
    from tenka.look.firelight import fitted, lights_csv
    from tenka.run.driver import simulate, stored_frames
    from tenka.run.plans import Plan

    if out is None and fit is None:
        raise BadInput("nothing is asked for", "--out OUT.csv, --fit LAYER, or both")
    effect = open_effect(file)
    if fit is not None:
        layer = layer_of(effect, fit, file)
        if layer.HANDS != FIELD:
            raise BadInput(f"{layer.name} is no gas", "a layer of gas", place="--fit")
        plan, store = Plan.of(effect, layer.id, file.parent), frame_store()
        progress = Bar() if not as_json else Progress()
        simulate(plan, store, progress)
        frames = stored_frames(plan, store, progress, range(effect.frames))
        found = fitted(effect, layer, ((n / effect.rate, frame) for n, frame in frames))
        others = tuple(light for light in effect.lights if light.stands_for != layer.id)
        effect = effect.model_copy(update={"lights": (*others, found)})
        storage.save(effect, file)
    if out is not None:
        write_atomic(out, lights_csv(effect).encode())
    row = {"file": str(file), "lights": [light.id for light in effect.lights]}
    where = f" in {out}" if out is not None else ""
    kept = f" {effect.lights[-1].name} is kept in {file}." if fit is not None else ""
    say(row, as_json, f"{counted(len(effect.lights), 'light')}{where}.{kept}")
