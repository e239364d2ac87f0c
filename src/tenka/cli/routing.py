"""The command that holds routes against each other."""

from __future__ import annotations

import math
from typing import Annotated

import typer

from tenka.base.errors import BadInput
from tenka.cli.common import Bar, File, Json, app, frame_store, numbers_of, open_effect, say, tier_of


@app.command()
def routes(
    file: File,
    delivery: Annotated[
        str | None,
        typer.Option("--delivery", help="Whose layers are shown; by default the first that can be."),
    ] = None,
    tier: Annotated[str | None, typer.Option("--tier", help="The tier; by default the first.")] = None,
    kinds: Annotated[
        str | None, typer.Option("--routes", help="As flipbook,slices; by default all that can show them.")
    ] = None,
    distances: Annotated[
        str | None, typer.Option("--distances", help="m, as 5,10,40; by default about the tier's.")
    ] = None,
    take: Annotated[
        bool, typer.Option("--take", help="Write into the effect's tier which route is shown where.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Hold routes of the same layers against each other by distance: what each takes and loses, which wins.

    Of those within the tier's budget the one wins that loses least, of those that lose alike the cheapest.
    """
    from tenka.board.routing import compare, compared_routes, taken, winners
    from tenka.effect import storage
    from tenka.effect.document import delivered_on
    from tenka.effect.routes import ROUTES

    effect = open_effect(file)
    if not effect.tiers or not effect.deliveries:
        raise BadInput("has no tier, or no delivery", "one of each to compare", file)
    tier_of(effect, tier, file)
    on = tier or effect.tiers[0].id
    played = delivered_on(effect, on)
    able = [d for d in played.deliveries if compared_routes(played, d)]
    of = delivery or (able[0].id if able else effect.deliveries[0].id)
    asked = tuple(kinds.split(",")) if kinds else ()
    away = numbers_of(distances, "m with commas between", "--distances") if distances else ()
    found = []
    for s in compare(effect, on, of, file.parent, frame_store(), Bar(), asked, away):
        found.append(s)
        t, like = s.tried, s.tried.likeness
        takes = f"{t.ms:.3f} ms, {t.mb:.2f} MB{' (over)' if t.over else ''}"
        known = math.isfinite(t.ms)
        lost = f"FLIP {s.loss:.4f}" if like is not None and not s.fault else s.fault
        text = f"{ROUTES[s.kind].TITLE} at {s.distance:g} m: {takes + ', ' if known else ''}{lost}"
        row = {"route": s.kind, "distance": s.distance, "over": t.over, "fault": s.fault}
        row |= {"ms": t.ms, "alone": s.alone, "mb": t.mb} if known else {}
        say(row | {"flip": s.loss if math.isfinite(s.loss) else None}, as_json, text)
    best = winners(found)
    for b in best:
        text = f"{ROUTES[b.kind].TITLE} from {b.near:g} m" + (
            f" to {b.far:g} m" if b is not best[-1] else " on"
        )
        say({"show": b.kind, "near": b.near, "far": b.far}, as_json, f"Best: {text}.")
    if take and best:
        storage.save(taken(effect, on, of, best), file)
        say({"taken": True}, as_json, f"{file.name} shows each where it wins, on {effect.tier(on).name}.")
