"""The command that tries variants of what is delivered."""

from __future__ import annotations

import math
from typing import Annotated

import typer

from tenka.base.errors import BadInput
from tenka.cli.common import Bar, File, Json, app, frame_store, numbers_of, open_effect, say, tier_of


@app.command()
def sweep(
    file: File,
    tier: Annotated[str | None, typer.Option("--tier", help="The tier; by default the first.")] = None,
    set_: Annotated[
        list[str] | None,
        typer.Option("--set", help="A setting of a delivery and its values: PATH=A,B,C; may be given again."),
    ] = None,
    sides: Annotated[
        str, typer.Option("--sides", help="Degrees round the effect from which it is looked at, with commas.")
    ] = "0",
    scheduler: Annotated[
        str | None,
        typer.Option(
            "--scheduler",
            help="Address of a scheduler whose workers measure, such as tcp://host:8786; by default it is "
            "done here.",
        ),
    ] = None,
    as_json: Json = False,
) -> None:
    """Measure every combination of values on a tier, the cheapest first: cost, and likeness to the stage.

    What was measured before is known again: a sweep that was stopped goes on.
    """
    from tenka.board.sweeping import sweep as tried_all
    from tenka.board.variants import fitted, front

    effect = open_effect(file)
    if not effect.tiers:
        raise BadInput("has no tier", "one to measure on", file)
    tier_of(effect, tier, file)
    on = tier or effect.tiers[0].id
    asked = {}
    for text in set_ or ():
        path, equals, values = text.partition("=")
        if not equals or not values:
            raise BadInput(f"'{text}' says no values", "PATH=A,B,C", place="--set")
        asked[path] = [fitted(effect, path, value) for value in values.split(",")]
    round_it = numbers_of(sides, "degrees with commas between", "--sides")
    found = []
    store, every = frame_store(), {"sides": round_it, "scheduler": scheduler}
    for one in tried_all(effect, on, asked, file.parent, store, Bar(), **every):  # type: ignore[arg-type]
        found.append(one)
        like = one.likeness
        told = ", ".join(f"{path} {value}" for path, value in one.values.items()) or "as it is"
        takes = f"{one.ms:.3f} ms, {one.mb:.2f} MB{' (over)' if one.over else ''}"
        text = f"{told}: {takes}, FLIP {like.flip:.4f}" if like else f"{told}: {one.fault}"
        if like:
            text += f" (worst {like.worst:.4f}), SSIM {like.ssim:.3f}, jerk {like.jerk:.4f}"
            text += f", played otherwise {like.played:.4f}" if like.played else ""
        say(
            {
                "values": dict(one.values),
                "tier": on,
                "ms": one.ms if math.isfinite(one.ms) else None,
                "mb": one.mb if math.isfinite(one.mb) else None,
                "over": one.over,
                "flip": like.flip if like else None,
                "worst": like.worst if like else None,
                "ssim": like.ssim if like else None,
                "jerk": like.jerk if like else None,
                "played": like.played if like else None,
                "fault": one.fault,
                "known": one.known,
            },
            as_json,
            text,
        )
    found.sort(key=lambda one: str(sorted(map(str, one.values.items()))))  # of equals the same one each time
    best = [dict(found[n].values) for n in front(found)]
    say({"front": best}, as_json, f"{len(best)} of {len(found)} are beaten by none in both.")


@app.command()
def suggest(
    file: File,
    tier: Annotated[str | None, typer.Option("--tier", help="The tier; by default the first.")] = None,
    measure: Annotated[
        bool, typer.Option("--measure", help="Measure each, and hold that against what was foretold.")
    ] = False,
    take: Annotated[
        int | None, typer.Option("--take", help="Write the one of this number into the effect's tier.")
    ] = None,
    as_json: Json = False,
) -> None:
    """Find changes that bring a tier within its budget with the least loss, or save much where it is."""
    from tenka.board.suggesting import Suggester, error_of
    from tenka.board.sweeping import Bench
    from tenka.effect import storage

    effect = open_effect(file)
    if not effect.tiers:
        raise BadInput("has no tier", "one to bring within its budget", file)
    tier_of(effect, tier, file)
    on, progress = tier or effect.tiers[0].id, Bar()
    finder = Suggester(Bench(effect, on, file.parent, frame_store(), progress))
    found = finder.suggest(progress)
    if measure:
        known = {s.what: s for s in finder.measure(found)}
        found = [known.get(s.what, s) for s in found]
    now = finder.now
    for n, one in enumerate(found, 1):
        takes = f"{one.ms:.3f} ms, {one.mb:.2f} MB{' (over)' if one.over else ''}"
        text = f"{n}. {one.what}: {takes}, FLIP {one.loss:+.4f}" + (f"; {one.note}" if one.note else "")
        tried = one.tried
        if tried is not None and tried.likeness is None:
            text += f"; cannot be: {tried.fault}"
        elif tried is not None:
            text += f"; measured {tried.ms:.3f} ms, {tried.mb:.2f} MB, FLIP {one.added:+.4f}"
        say(
            {
                "what": one.what,
                "values": {k: v for change in one.changes for k, v in change.values.items()},
                "without": [id for change in one.changes for id in change.without],
                "ms": one.ms,
                "mb": one.mb,
                "over": one.over,
                "flip": one.loss,
                "note": one.note,
                "measured": {"ms": tried.ms, "mb": tried.mb, "flip": one.added}
                if tried is not None and tried.likeness is not None
                else None,
            },
            as_json,
            text,
        )
    if measure:
        done = [s for s in found if s.tried is not None and s.tried.likeness is not None]
        off = {
            "ms": error_of([s.ms for s in done], [s.tried.ms for s in done if s.tried]),
            "mb": error_of([s.mb for s in done], [s.tried.mb for s in done if s.tried]),
        }
        told = {k: v if math.isfinite(v) else None for k, v in off.items()}
        words = ", ".join(f"{100 * v:.1f} % of the {k.upper() if k == 'mb' else k}" for k, v in off.items())
        say({"off": told}, as_json, f"Foretold and measured differ by {words} on average.")
    if not found:
        say({"now": {"ms": now.ms, "mb": now.mb}}, as_json, "Nothing that saves enough was found.")
    if take is not None:
        if not 1 <= take <= len(found):
            raise BadInput(f"there is no suggestion {take}", f"1 to {len(found)}", place="--take")
        storage.save(found[take - 1].effect, file)
        say({"taken": found[take - 1].what}, as_json, f"{found[take - 1].what} is in {file.name} now.")
