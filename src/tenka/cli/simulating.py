"""Commands that simulate, draw and write out."""

from __future__ import annotations

import os
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
    places_of,
    say,
    span_of,
)


@app.command()
def simulate(
    file: File,
    layer: Layer = None,
    frames: Annotated[str | None, typer.Option("--frames", help="A:B, the first and the last frame.")] = None,
    quality: Annotated[
        str, typer.Option("--quality", help="preview (half floats) or final (float32).")
    ] = "preview",
    fresh: Annotated[
        bool, typer.Option("--fresh", help="Use a store of its own that is thrown away: times a whole run.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Simulate frames into the cache."""
    import tempfile

    from tenka.cache.store import FrameStore
    from tenka.run.driver import Report
    from tenka.run.driver import simulate as run
    from tenka.run.links import taking_part
    from tenka.run.plans import plans_of

    if quality not in ("preview", "final"):
        raise BadInput(f"'{quality}' is not a quality", "preview or final", place="--quality")
    effect = open_effect(file)
    layer_of(effect, layer, file)
    span = span_of(frames, effect.frames)
    plans = plans_of(effect, file.parent, final=quality == "final")
    playing = {item.id for item in taking_part(effect)} or {effect.layers[0].id}
    with tempfile.TemporaryDirectory() as spare:
        store = FrameStore(Path(spare)) if fresh else frame_store()

        def made(id: str, index: int, frame: Any, report: Report) -> None:
            if as_json:
                say({"layer": id, "frame": index, "time": frame.time, **frame.meta}, True, "")

        for plan in plans.values():
            if plan.layer.id != layer if layer else plan.layer.id not in playing:
                continue
            start = time.perf_counter()
            report = run(plan, store, Bar(), span, made)
            _told(plan, report, time.perf_counter() - start, as_json)


def _told(plan: Any, report: Any, seconds: float, as_json: bool) -> None:
    """Say what a run of one layer did."""
    stepping = sum(report.parts.values())
    pace = report.substeps / stepping if stepping else 0.0
    figures, words = plan.kind.told(plan.effect, plan.layer, plan.folder)
    row = {
        "layer": plan.layer.id,
        "simulated": report.simulated,
        "reused": report.reused,
        "substeps": report.substeps,
        "seconds": round(seconds, 3),
        "steps_per_second": round(pace, 2),
        **figures,
    }
    say(
        row,
        as_json,
        f"{plan.layer.name}: {counted(report.simulated, 'frame')} simulated, {report.reused} were stored; "
        f"{counted(report.substeps, 'step')} in {seconds:.1f} s ({pace:.1f} steps a second); {words}.",
    )


@app.command()
def export(
    file: File,
    out: Annotated[
        Path,
        typer.Option(
            "--out",
            help=".ply, .csv or .npz (a file a frame), .usda or .usdc, or .glb for pieces and liquids.",
        ),
    ],
    layer: Annotated[
        str | None,
        typer.Option("--layer", help="The layer of particles, debris or liquid; by default the first."),
    ] = None,
    frames: Annotated[str | None, typer.Option("--frames", help="A:B, the first and the last frame.")] = None,
    cull: Annotated[
        float,
        typer.Option(
            "--cull",
            help="Leave out outliers: what is ever further than this from the origin, m; 0 keeps all.",
        ),
    ] = 0.0,
    off_camera: Annotated[
        bool, typer.Option("--off-camera", help="Leave out what the effect's camera never sees.")
    ] = False,
    unit: Annotated[str, typer.Option("--unit", help="m or cm, in PLY, CSV and NPZ.")] = "m",
    up: Annotated[str, typer.Option("--up", help="z or y points up, in PLY, CSV and NPZ.")] = "z",
    as_json: Json = False,
) -> None:
    """Write a layer's particles or pieces, or the meshes of a liquid."""
    from tenka.pack.outgoing import UNITS_PER_M, Axes
    from tenka.pack.points import export as write

    for value, known, place in ((unit, tuple(UNITS_PER_M), "--unit"), (up, ("z", "y"), "--up")):
        if value not in known:
            raise BadInput(f"'{value}' is not known here", " or ".join(known), place=place)

    effect = open_effect(file)
    span = span_of(frames, effect.frames)
    found = write(
        effect, file.parent, frame_store(), out, Bar(), layer, span, cull, off_camera, Axes(unit, up)
    )
    row = {
        "files": [str(f) for f in found.files],
        "frames": found.frames,
        "most": found.points,
        "culled": found.culled,
    }
    say(
        row,
        as_json,
        f"Wrote {counted(found.frames, 'frame')}, {counted(found.points, 'particle')} at most, "
        f"{counted(found.culled, 'outlier')} left out, to {found.files[0]}"
        + (f" and {len(found.files) - 1} more." if len(found.files) > 1 else "."),
    )


@app.command()
def info(file: File, as_json: Json = False) -> None:
    """Say what an effect holds, and what simulating it would take."""
    effect = open_effect(file)
    row: dict[str, Any] = {
        "name": effect.name,
        "frames": effect.frames,
        "rate": effect.rate,
        "seconds": effect.seconds,
        "layers": [],
        "props": [p.id for p in effect.props],
        "forces": [f.id for f in effect.forces],
        "lights": [light.id for light in effect.lights],
        "cameras": [camera.id for camera in effect.cameras],
        "deliveries": [{"id": d.id, "route": d.route.kind, "of": list(d.of)} for d in effect.deliveries],
        "tiers": [t.id for t in effect.tiers],
        "levers": [lever.id for lever in effect.levers],
    }
    from tenka.run.kinds import kind_of

    lines = [
        f"{effect.name}: {counted(effect.frames, 'frame')} at {effect.rate:g} a second, "
        f"{counted(len(effect.props), 'prop')}, {counted(len(effect.forces), 'force')}, "
        f"{counted(len(effect.lights), 'light')}, {counted(len(effect.cameras), 'camera')}"
    ]
    for layer in effect.layers:
        figures, words = kind_of(layer).told(effect, layer, file.parent)
        row["layers"].append({"id": layer.id, "kind": layer.kind, **figures})
        lines.append(f"  {layer.name} ({layer.kind}): {words}, {layer.run_up_seconds:g} s run-up")
    names = {layer.id: layer.name for layer in effect.layers}
    lines += [
        f"  {d.name} is delivered as {d.route.kind}: {', '.join(names[id] for id in d.of)}"
        for d in effect.deliveries
    ]
    lines += [
        f"  {t.name}: {t.device}, {t.ms:g} ms and {t.mb:g} MB at {t.distance:g} m" for t in effect.tiers
    ]
    say(row, as_json, "\n".join(lines))


@app.command()
def heap(
    file: File,
    prop: Annotated[str, typer.Option("--prop", help="The prop whose copies fall, with all in its heap.")],
    out: Annotated[
        Path | None, typer.Option("--out", help="Effect to write; by default the file itself.")
    ] = None,
    as_json: Json = False,
) -> None:
    """Drop the copies of a prop as a heap, and keep how they lie."""
    from tenka.effect import storage
    from tenka.particles.heap import dropped, heaped

    effect = open_effect(file)
    names = [p.name for p in heaped(effect, prop)]
    found = dropped(effect, prop, file.parent, Bar() if not as_json else Progress())
    count = sum(len(p.lies) for p in found.props if p.name in names)
    storage.save(found, out or file)
    say(
        {"file": str(out or file), "props": names, "copies": count},
        as_json,
        f"{counted(count, 'copy', 'copies')} of {', '.join(names)} lie as they fell, in {out or file}.",
    )


@app.command()
def paths(
    file: File,
    frame: Annotated[int, typer.Option("--frame", help="Frame at which the lines begin, from 0.")],
    out: Annotated[Path, typer.Option("--out", help="CSV to write, a row for each point of a line.")],
    layer: Layer = None,
    where: Annotated[str, typer.Option("--where", help="The field that says where they begin.")] = "density",
    least: Annotated[float, typer.Option("--least", help="They begin where it is at least this.")] = 0.05,
    at: Annotated[
        list[str] | None, typer.Option("--at", help="x,y,z in m: a line that begins there; may be repeated.")
    ] = None,
    count: Annotated[int, typer.Option("--count", help="How many lines begin by the field.")] = 160,
    before: Annotated[float, typer.Option("--before", help="s before the frame.")] = 0.0,
    after: Annotated[float, typer.Option("--after", help="s after the frame.")] = 0.5,
    value: Annotated[str, typer.Option("--value", help="A field whose values on the way are written.")] = "",
    as_json: Json = False,
) -> None:
    """Write the lines along which a gas goes, through simulated time."""
    from tenka.effect.model import FIELD
    from tenka.look.inspect import FIELDS
    from tenka.look.pathlines import pathlines, paths_csv, seeds_of
    from tenka.run.driver import simulate as run
    from tenka.run.plans import Plan

    effect = open_effect(file)
    known = [f.id for f in FIELDS]
    for name, place in ((where, "--where"), (value or where, "--value")):
        if name not in known:
            raise BadInput(f"no field is called '{name}'", "one of " + ", ".join(known), place=place)
    gas = layer_of(effect, layer or (effect.gases[0].id if effect.gases else None), file)
    if gas.HANDS != FIELD:
        raise BadInput(f"{gas.name} is no gas", "a layer of gas", place="--layer")
    index = span_of(f"{frame}:{frame}", effect.frames)[0]
    first, last = (max(0, index - round(before * effect.rate)), index + round(after * effect.rate))
    plan, store = Plan.of(effect, gas.id, file.parent), frame_store()
    run(plan, store, Bar() if not as_json else Progress(), (first, min(last, effect.frames - 1)))
    whole = plan.read(store, index, True)
    seeds = places_of(at) if at else seeds_of(whole, where, least, count)
    lines = pathlines(
        lambda n: plan.read(store, n, True) if 0 <= n < effect.frames else None,
        index,
        effect.rate,
        seeds,
        index - first,
        last - index,
        value,
    )
    write_atomic(out, paths_csv(lines).encode())
    say(
        {"file": str(out), "lines": len(lines.places), "points": int(lines.alive.sum())},
        as_json,
        f"Wrote {counted(len(lines.places), 'line')} with "
        f"{counted(int(lines.alive.sum()), 'point')} to {out}.",
    )


@app.command()
def warm(
    part: Annotated[
        str | None, typer.Option("--part", help="Compile this part alone, in this process.")
    ] = None,
    again: Annotated[bool, typer.Option("--again", help="Also what is compiled already.")] = False,
    gently: Annotated[bool, typer.Option("--gently", help="Let everything else go first.")] = False,
    as_json: Json = False,
) -> None:
    """Compile the kernels once, so that everything starts at once afterwards."""
    from tenka.budget.warm import PARTS, compile_part, warm_up

    if part is not None and part not in PARTS:
        raise BadInput(f"'{part}' is no part of the kernels", "one of " + ", ".join(PARTS), place="--part")
    if gently:
        os.nice(15)
    start = time.perf_counter()
    if part is None:
        warm_up(Bar() if not as_json else Progress(), again)
    else:
        compile_part(part, lambda n: say({"part": part, "kernels": n}, True, "") if as_json else None)
    seconds = time.perf_counter() - start
    say({"seconds": round(seconds, 1)}, as_json, f"Kernels are ready ({seconds:.1f} s).")
