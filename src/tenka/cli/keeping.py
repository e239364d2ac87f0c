"""The command that tells of what is kept of simulations, and removes it."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from tenka.base.errors import BadInput
from tenka.base.words import counted, size_of
from tenka.cli.common import Json, app, frame_store, open_effect, say

WAYS = ("needless", "measured", "all")


@app.command()
def kept(
    file: Annotated[
        Path | None, typer.Argument(help="An effect: what is stored, and why the rest is made again.")
    ] = None,
    clean: Annotated[
        str | None,
        typer.Option(
            "--clean",
            help="Remove: needless (of earlier states, and of effects that are gone), measured (of the "
            "board), or all. With a file, of that effect alone.",
        ),
    ] = None,
    as_json: Json = False,
) -> None:
    """Tell what frames take on the disk, by effect and trial, and what would be made again and why."""
    from tenka.run.holdings import MEASURED, holdings, remove
    from tenka.run.noted import why_again
    from tenka.run.plans import plans_of

    if clean is not None and clean not in WAYS:
        raise BadInput(f"'{clean}' is no way to clean", f"one of: {', '.join(WAYS)}", place="--clean")
    effect = open_effect(file) if file is not None else None
    store = frame_store()
    owner = str(file.resolve()) if file is not None else ""
    found = [h for h in holdings(store) if not owner or h.owner == owner]
    for h in found:
        for what, part in sorted(h.parts.items(), key=lambda row: -row[1].bytes):
            row = {"effect": h.title, "file": h.owner, "what": what, "files": len(part.names)}
            text = f"{h.title:<24} {what:<24} {size_of(part.bytes):>12}  {counted(len(part.names), 'file')}"
            say({**row, "bytes": part.bytes}, as_json, text)
    if effect is not None and file is not None:
        for plan in plans_of(effect, file.parent).values():
            stored, why = plan.stored(store), why_again(plan, store)
            text = f"{plan.layer.name}: {sum(stored)} of {counted(len(stored), 'frame')} stored"
            row = {"layer": plan.layer.id, "stored": sum(stored), "frames": len(stored), "why": why}
            say(row, as_json, f"{text}; to be made again: {why}" if why else text)
    if clean is None:
        total = sum(h.bytes for h in found)
        say({"bytes": total, "limit": store.limit}, as_json, f"{size_of(total)} of {size_of(store.limit)}.")
        return
    names = list[str]()
    for h in found:
        every = [name for part in h.parts.values() for name in part.names]
        measured = [name for name in every if name.endswith(MEASURED)]
        names += {"needless": h.needless, "measured": measured, "all": every}[clean]
    count = remove(store, names)
    say({"removed": count}, as_json, f"{counted(count, 'file')} removed.")
