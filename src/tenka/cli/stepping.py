"""The command that compares numbers of sub-steps."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

import typer

from tenka.base.errors import BadInput
from tenka.cli.common import Bar, File, Json, app, frame_store, open_effect, say


@app.command()
def steps(
    file: File,
    counts: Annotated[str, typer.Option("--counts", help="Few and many sub-steps of a frame.")] = "1,4",
    as_json: Json = False,
) -> None:
    """Simulate with few and with many sub-steps, and tell by how much the two differ."""
    from tenka.run.stepping import compare_steps

    try:
        pair = [int(part) for part in counts.split(",")]
    except ValueError:
        raise BadInput(f"'{counts}' are no two numbers", "as 1,4", place="--counts") from None
    found = compare_steps(open_effect(file), file.parent, frame_store(), Bar(), pair)
    few, many = found.counts
    for r in found.rows:
        text = f"{r.layer}: {r.what}: {r.few:.4g} with {few}, {r.many:.4g} with {many} {r.unit}".rstrip()
        if r.few == 0.0 and r.what.startswith("Where"):
            text = f"{r.layer}: {r.what}: {r.many:.4g} {r.unit} apart"
        say({**asdict(r), "counts": found.counts}, as_json, f"{text}; {100 * r.off:.2f} %")
    for name in found.left:
        say({"layer": name, "left": True}, as_json, f"{name}: its solver has no sub-steps to set.")
    say({"seconds": found.seconds, "counts": found.counts}, as_json, found.told())
