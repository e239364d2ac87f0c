"""The command that packs and weighs many effects."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from tenka.base.words import counted
from tenka.cli.common import Bar, Json, app, frame_store, say


@app.command()
def batch(
    folder: Annotated[Path, typer.Argument(help="A folder with effects; those below it count too.")],
    out: Annotated[Path, typer.Option("--out", help="Where packages, pictures and the summary go.")],
    tier: Annotated[
        str, typer.Option("--tier", help="The tier's name; all: each that an effect has.")
    ] = "all",
    likeness: Annotated[
        bool, typer.Option("--likeness", help="Measure each against the stage too: about as long again.")
    ] = False,
    accept: Annotated[
        bool, typer.Option("--accept-uncounted", help="Do not fail for what is seen and not counted.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Pack and weigh every effect of a folder, going on after failures; exit 1 when one is not well.

    OUT gets a package for each effect and tier, batch.json, and batch.html with pictures.
    """
    from tenka.board.batch import batch as every
    from tenka.board.batchpage import SUMMARY_PAGE, check_place, write_summary

    check_place(out)
    found = []
    for one in every(folder, tier, out, frame_store(), Bar(), likeness):
        found.append(one)
        write_summary(found, out, accept)  # so that what is stopped has told what it knows
        takes = f"{one.ms:.3f} of {one.budget_ms:g} ms, {one.mb:.2f} of {one.budget_mb:g} MB"
        takes += f", FLIP {one.like.flip:.4f}" if one.like else ""
        text = f"{one.file:<24} {one.tier_name or one.tier:<8} {one.told:<16} {one.fault or takes}"
        say(asdict(one), as_json, "\n".join([text, *(f"    {t}" for t in (*one.problems, *one.uncounted))]))
    failed = sum(one.failed(accept) for one in found)
    told = f"{failed} of {counted(len(found), 'package')} would hold a build up" if failed else "all is well"
    say({"failed": failed, "of": len(found)}, as_json, f"{told}: see {out / SUMMARY_PAGE}.")
    if failed:
        raise typer.Exit(1)
