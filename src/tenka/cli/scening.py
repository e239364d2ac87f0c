"""The command for several effects on one time axis."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from tenka.base.errors import BadInput
from tenka.cli.common import Bar, Json, app, frame_store, numbers_of, save_picture, say, size_of


@app.command()
def scene(
    file: Annotated[Path, typer.Argument(help="A scene, name.scene.json.")],
    add: Annotated[
        list[Path] | None, typer.Option("--add", help="Put an effect into it first; may be given again.")
    ] = None,
    at: Annotated[float, typer.Option("--at", help="With --add: when it is triggered, s.")] = 0.0,
    place: Annotated[str, typer.Option("--place", help="With --add: x,y,z in m.")] = "0,0,0",
    tier: Annotated[
        str | None, typer.Option("--tier", help="By default the first of the first effect.")
    ] = None,
    out: Annotated[Path | None, typer.Option("--out", help="Pack all of it into this folder.")] = None,
    apart: Annotated[
        bool, typer.Option("--apart", help="Packages alone, without the file that brings them together.")
    ] = False,
    picture: Annotated[
        Path | None, typer.Option("--picture", help="PNG of all of it as a game plays it.")
    ] = None,
    time: Annotated[float, typer.Option("--time", help="Of the picture, s since the scene's start.")] = 0.0,
    size: Annotated[str, typer.Option("--size", help="WxH in px.")] = "1280x800",
    as_json: Json = False,
) -> None:
    """Weigh several effects on one time axis, and pack them together or apart."""
    import tempfile

    from tenka.board.scening import TOGETHER, pack_scene, players_of, runs_of, standing_in, weigh
    from tenka.effect.scenes import Scene, load_scene, save_scene
    from tenka.proof.engine import package_view
    from tenka.proof.together import draw_together

    told = (
        load_scene(file) if file.exists() or not add else Scene(name=file.name.split(".")[0][:80] or "scene")
    )
    if add:
        told = _with(told, file, add, at, place)
        save_scene(told, file)
    store, progress = frame_store(), Bar()
    first = _first_tier(told, file) if tier is None else tier
    players = players_of(told, file.resolve().parent, first)
    width, height = size_of(size)
    book = weigh(players, store, progress)
    for p, mean, worst in runs_of(book):
        row = {
            "name": p.name,
            "package": p.key,
            "at": p.at,
            "place": list(p.place),
            "mean": mean,
            "worst": worst,
        }
        where = ", ".join(f"{v:g}" for v in p.place)
        text = f"{p.name:<24} from {p.at:5.2f} to {p.at + p.effect.seconds:5.2f} s at {where} m: "
        say(row, as_json, text + f"{mean:.3f} ms, {worst:.3f} at worst")
    ms, when = book.worst
    row = {"worst_ms": ms, "worst_at": when, "mb": book.mb, "budget_ms": book.budget_ms}
    row |= {"budget_mb": book.budget_mb, "over": book.over, "not_counted": list(book.uncounted)}
    words = f"All together: at worst {ms:.3f} of {book.budget_ms:.2f} ms, at {when:.2f} s; {book.mb:.2f} of "
    words += f"{book.budget_mb:g} MB: {'over' if book.over else 'within'} what all effects may take"
    say(row, as_json, "\n".join([words, *book.uncounted]))
    if out is not None:
        folders = pack_scene(told, players, store, out, progress, apart)
        where = "apart" if apart else f"together, by {out / TOGETHER}"
        say({"folders": [str(f) for f in folders]}, as_json, f"{len(folders)} packages in {out}, {where}.")
    if picture is not None:
        if not 0 <= time <= 1e4:
            raise BadInput(f"{time:g} s", "0 or more", place="--time")
        with tempfile.TemporaryDirectory() as spare:
            place_of = out if out is not None else Path(spare)
            if out is None:
                pack_scene(told, players, store, place_of, progress, apart=True)
            standing = standing_in(players, place_of)
            drawn = draw_together(standing, time, package_view(standing[0].package, width, height))
        save_picture(drawn.rgb, picture)
        say({"picture": str(picture), "covered_px": drawn.counts.covered}, as_json, f"Drawn to {picture}.")


def _first_tier(told: Any, file: Path) -> str:
    from tenka.effect import storage

    if not told.members:
        raise BadInput("has no effect in it", "one or more: --add EFFECT", file)
    effect = storage.load(file.resolve().parent / told.members[0].effect)
    if not effect.tiers:
        raise BadInput("has no tier", "one to weigh it on", told.members[0].effect)
    return effect.tiers[0].name


def _with(told: Any, file: Path, add: list[Path], at: float, place: str) -> Any:
    """The scene with effects at its end."""
    import os

    from tenka.base.tree import checked
    from tenka.effect import storage
    from tenka.effect.scenes import MOST, Member

    x, y, z = numbers_of(place, "x,y,z in m", "--place", 3)
    if len(told.members) + len(add) > MOST:
        raise BadInput("more effects than a scene holds", f"at most {MOST}", file)
    for effect in add:
        name = storage.load(effect).name
        way = os.path.relpath(effect.resolve(), file.resolve().parent)
        row = {"name": name, "effect": Path(way).as_posix(), "at": at, "place": (x, y, z)}
        told = told.put(len(told.members), checked(Member, row))
    return told
