"""Commands that pack, prove and weigh."""

from __future__ import annotations

import math
import sys
from dataclasses import asdict
from itertools import pairwise
from pathlib import Path
from typing import Annotated, Any

import typer

from tenka.base.errors import BadInput
from tenka.base.words import counted
from tenka.cli.common import (
    Bar,
    File,
    Json,
    app,
    frame_store,
    layer_of,
    numbers_of,
    open_effect,
    save_picture,
    say,
    size_of,
    tier_of,
)


@app.command()
def pack(
    file: File,
    out: Annotated[Path, typer.Option("--out", help="Folder of the package.")],
    tier: Annotated[
        str | None, typer.Option("--tier", help="As this tier has it; all: a folder in OUT for each tier.")
    ] = None,
    only: Annotated[
        str | None,
        typer.Option(
            "--only", "--layer", help="Pack this delivery alone, or what delivers this layer: id or name."
        ),
    ] = None,
    accept: Annotated[
        bool, typer.Option("--accept-left-out", help="Do not fail for what is seen and not in the package.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Write the package: all deliveries of what is seen; exit 1 when something seen is not in it."""
    from tenka.effect.document import on_tier
    from tenka.pack.amiss import amiss, twice_shown
    from tenka.pack.layout import left_out
    from tenka.pack.lightmaps import asked_in_vain
    from tenka.pack.packing import pack as write

    effect = open_effect(file)
    only = _only(effect, only, file)
    every = tier is not None and tier.lower() == "all"
    chosen = None if every or tier is None else tier_of(effect, tier, file).id
    written: list[tuple[Path, Any]] = []
    lacks = False
    for name in [t.id for t in effect.tiers] if every else [chosen]:
        folder = out / name if every and name is not None else out
        if every:
            out.mkdir(parents=True, exist_ok=True)
        had = on_tier(effect, name) if name else effect
        manifest = write(
            had, file.parent, frame_store(), folder, Bar(), only, earlier=written, packed_for=name or ""
        )
        written.append((folder, had))
        lacking = left_out(had) if only is None else []
        remarks = [text for d in had.deliveries if only in (None, d.id) if (text := asked_in_vain(had, d))]
        remarks += [*(twice_shown(had) if only is None else ()), *(found.text for found in amiss(had, only))]
        for element in manifest.elements:
            _say_element(element, folder, name, as_json)
        told = [f"{layer.name} is not in the package: no delivery takes it" for layer in lacking]
        for text in (*told, *remarks):
            print(f"{text}.", file=sys.stderr)
        if as_json and (lacking or remarks):
            rows = [{"id": layer.id, "name": layer.name} for layer in lacking]
            row = {"package": str(folder), "tier": name, "left_out": rows, "remarks": remarks}
            say(row, as_json, "")
        lacks = lacks or bool(lacking)
    if lacks and not accept:
        raise typer.Exit(1)


def _only(effect: Any, only: str | None, file: Path) -> str | None:
    """The id of the delivery or layer that is meant by its id or its name."""
    if only is None:
        return None
    for thing in (*effect.deliveries, *effect.layers):
        if only in (thing.id, thing.name) or only.lower() == thing.name.lower():
            return str(thing.id)
    return str(layer_of(effect, only, file).id)


def _say_element(element: Any, folder: Path, tier: str | None, as_json: bool) -> None:
    """One line of what was written."""
    files = element.files
    size = sum((folder / name).stat().st_size for name in files)
    say(
        {
            "element": element.id,
            "route": element.route,
            "layers": list(element.layers),
            "tier": tier,
            "frames": len(element.times),
            "textures": [list(size) for size in element.textures],
            "files": files,
            "bytes": size,
            "folder": str(folder),
            "remark": element.remark,
        },
        as_json,
        f"Packed {element.name} as {element.route}, {counted(len(element.times), 'moment')} in "
        f"{counted(len(files), 'file')} of {size / 1e6:.2f} MB, to {folder}."
        + (f" {element.remark}." if element.remark else ""),
    )


@app.command()
def proof(
    folder: Annotated[Path, typer.Argument(help="A package's folder.")],
    frame: Annotated[
        int, typer.Option("--frame", help="Frame of the game since the start, at the package's rate.")
    ],
    picture: Annotated[Path, typer.Option("--picture", help="PNG to write.")],
    size: Annotated[str, typer.Option("--size", help="WxH in px.")] = "1280x800",
    heat: Annotated[bool, typer.Option("--heat", help="Show overdraw as heat.")] = False,
    changes: Annotated[
        bool,
        typer.Option("--changes", help="Measure how much is seen of it where other deliveries are shown."),
    ] = False,
    as_json: Json = False,
) -> None:
    """Play a package as a game would, and count what that takes."""
    from tenka.proof.engine import Package, package_view
    from tenka.proof.jumps import jumps

    width, height = size_of(size)
    if not 0 <= frame <= 10**7:
        raise BadInput(f"frame {frame}", "0 or more", place="--frame")
    package = Package(folder)
    for name in package.unplayed:
        print(f"{name}: a game solves it, which Proof does not.", file=sys.stderr)
    drawn = package.draw(frame / package.manifest.frame_rate, package_view(package, width, height), heat=heat)
    save_picture(drawn.rgb, picture)
    c = drawn.counts
    row = {
        "quads": c.quads,
        "covered_px": c.covered,
        "px": c.pixels,
        "overdraw": round(c.overdraw, 4),
        "most_layers": c.most,
        "texture_bytes": c.texture_bytes,
        "particles": c.particles,
        "triangles": c.triangles,
        "samples": c.samples,
        "picture": str(picture),
    }
    there = [
        counted(count, what)
        for count, what in (
            (c.quads, "quad"),
            (c.particles, "particle"),
            (c.triangles, "triangle"),
            (c.samples, "volume sample"),
        )
        if count or what == "quad"
    ]
    say(
        row,
        as_json,
        f"{', '.join(there)} cover {c.covered:,} px ({c.overdraw:.2f} layers where any, {c.most} at most) "
        f"and read {c.texture_bytes / 1e6:.2f} MB of texture; drawn to {picture}.",
    )
    for jump in jumps(package, package.camera) if changes else ():
        say(asdict(jump), as_json, f"The change {jump.words}.")


@app.command()
def play(
    folder: Annotated[Path, typer.Argument(help="A package's folder.")],
    shown: Annotated[bool, typer.Option("--open/--no-open", help="Open it in the browser.")] = True,
    as_json: Json = False,
) -> None:
    """Open the page of a package, which plays it in a browser."""
    import webbrowser

    from tenka.package.manifest import PAGE, read

    read(folder)
    page = (folder / PAGE).resolve()
    if not page.is_file():
        raise BadInput("holds no page; it was packed by an earlier Tenka", "a package of now", folder)
    if shown and not webbrowser.open(page.as_uri()):
        raise BadInput("no browser could be opened", f"one; open {page} in it yourself")
    say({"page": str(page)}, as_json, f"{page} plays the package.")


Triggers = Annotated[
    str | None,
    typer.Option("--triggers", help="Seconds at which it is triggered, from 0 on, with commas between."),
]


def _triggers(text: str | None) -> tuple[float, ...]:
    what = "rising seconds from 0 on, as 0,0.5,2"
    found = numbers_of(text, what, "--triggers") if text else (0.0,)
    if len(found) > 64 or found[0] != 0.0 or any(not 0 <= b - a < 1e4 for a, b in pairwise(found)):
        raise BadInput(f"'{text}' is not usable", what, place="--triggers")
    return found


def _print_ledger(book: Any, over: Any, as_json: bool, advice: list[str]) -> None:
    for line in book.lines:
        row = {
            "tier": book.tier.id,
            "tier_name": book.tier.name,
            "device": book.device.id,
            "id": line.id,
            "name": line.layer,
            "layer": line.layer,
            "route": line.route,
            "ms": line.ms,
            "update_ms": line.update_ms,
            "mb": line.mb,
            "overdraw": line.overdraw,
            "bound": line.bound,
            "terms": {t.name: [t.value, t.unit] for t in line.terms},
        }
        text = f"{line.layer} ({line.route}): {line.ms:.3f} ms, {line.mb:.2f} MB, bound by {line.bound}\n"
        text += "\n".join(f"    {t.name:<13} {t.value:9.3f} {t.unit:<6}  {t.why}" for t in line.terms)
        say(row, as_json, text)
    t = book.tier
    row = {
        "tier": t.id,
        "tier_name": t.name,
        "device": book.device.id,
        "ms": book.ms,
        "update_ms": book.update_ms,
        "budget_ms": t.ms,
        "mb": book.mb,
        "budget_mb": t.mb,
        "over": book.over,
        "worst_ms": over.worst[0],
        "worst_at": over.worst[1] if math.isfinite(over.worst[1]) else None,
        "over_time": [[round(t, 4), round(ms, 6)] for t, ms in zip(over.times.tolist(), over.ms.tolist())],
        "calibrated": book.device.calibrated or None,
        "problems": list(book.problems),
        "not_counted": [str(u) for u in book.uncounted],
        "notes": list(book.notes),
        "sizes": advice,
    }
    text = (
        f"{t.name} on {book.device.name}: {book.ms:.3f} of {t.ms:g} ms drawing, {book.update_ms:.3f} "
        "ms updating "
        f"beside it, {book.mb:.2f} of {t.mb:g} MB: {'over budget' if book.over else 'within budget'} "
        f"({book.calibration}); {over.told()}"
    )
    say(row, as_json, "\n".join([text, *book.problems, *map(str, book.uncounted), *book.notes, *advice]))


@app.command()
def budget(
    file: File,
    tier: Annotated[str | None, typer.Option("--tier", help="One tier; by default all.")] = None,
    triggers: Triggers = None,
    as_json: Json = False,
) -> None:
    """Print the ledger, with the terms behind each figure, and its worst moment."""
    from tenka.budget.cost import ledger
    from tenka.budget.figures import needed_figures
    from tenka.budget.overtime import over_time
    from tenka.budget.sizing import size_advice
    from tenka.budget.told import LEFT_OUT
    from tenka.pack.looked import known_cuts

    effect, store = open_effect(file), frame_store()
    figures = needed_figures(effect, file.parent, store, Bar())
    known = known_cuts(store, file.parent)
    when = _triggers(triggers)
    for t in [tier_of(effect, tier, file)] if tier else effect.tiers:
        book = ledger(effect, t.id, figures, file.parent, known)
        over = over_time(book, effect, figures, when)
        _print_ledger(book, over, as_json, size_advice(book, effect))
    if not as_json:
        print(LEFT_OUT)


@app.command()
def gate(
    file: File,
    tier: Annotated[str, typer.Option("--tier", help="The tier to hold the effect to.")],
    accept: Annotated[
        bool, typer.Option("--accept-uncounted", help="Do not fail for what is seen and not counted.")
    ] = False,
    worst: Annotated[
        bool, typer.Option("--worst", help="Hold its worst moment to the budget, and not the mean.")
    ] = False,
    triggers: Triggers = None,
    as_json: Json = False,
) -> None:
    """Print a tier's ledger; exit 1 when the effect is over its budget, or something seen is not counted."""
    from tenka.budget.cost import ledger
    from tenka.budget.figures import needed_figures
    from tenka.budget.overtime import over_time
    from tenka.pack.looked import known_cuts

    effect, store = open_effect(file), frame_store()
    chosen = tier_of(effect, tier, file)
    known = known_cuts(store, file.parent)
    figures = needed_figures(effect, file.parent, store, Bar())
    book = ledger(effect, chosen.id, figures, file.parent, known)
    over = over_time(book, effect, figures, _triggers(triggers))
    _print_ledger(book, over, as_json, [])
    if book.over or (worst and over.worst[0] > book.tier.ms) or (book.uncounted and not accept):
        raise typer.Exit(1)
