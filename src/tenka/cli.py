"""The `tenka` command: a thin skin over the core.

With --json each command prints one JSON object per line on standard output and nothing else there; progress
goes to standard error. Exit 0: done; 1: a check failed; 2: bad input, said in one sentence.
"""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from tenka import __version__
from tenka.base.errors import BadInput, Cancelled, TenkaError
from tenka.base.jobs import Progress

app = typer.Typer(
    add_completion=False, no_args_is_help=True, help="Tenka: shape an effect, pack it, and weigh it.", pretty_exceptions_enable=False
)

File = Annotated[Path, typer.Argument(help="An effect, name.tenka.")]
Json = Annotated[bool, typer.Option("--json", help="One JSON object per line.")]
Layer = Annotated[str | None, typer.Option("--layer", help="The layer's id; by default all of them.")]


def _say(row: dict[str, Any], as_json: bool, text: str) -> None:
    print(json.dumps(row) if as_json else text, flush=True)


class _Bar(Progress):
    """Progress as a line on standard error that is written over itself."""

    def __init__(self) -> None:
        super().__init__()
        self._shown = 0.0
        self.listen = self._show

    def _show(self, _: Progress) -> None:
        now = time.monotonic()
        if now - self._shown < 0.1 and self.done < self.total:
            return
        self._shown = now
        left = f", {self.seconds_left:.0f} s left" if self.seconds_left else ""
        end = "\n" if self.total and self.done >= self.total else ""
        if sys.stderr.isatty() or end:
            print(f"\r{self.what}: {self.done} of {self.total}{left}   ", end=end, file=sys.stderr, flush=True)


def _open(file: Path) -> Any:
    from tenka.effect import storage

    return storage.load(file)


def _layer(effect: Any, id: str | None, file: Path) -> Any:
    try:
        return effect.layer(id)
    except KeyError:
        names = ", ".join(layer.id for layer in effect.layers) or "none"
        raise BadInput(f"no layer is called '{id}'" if id else "the effect has no layer", f"one of: {names}", file) from None


def _store() -> Any:
    from tenka.cache.store import FrameStore

    named = os.environ.get("TENKA_FRAMES")  # the window's own store, when it is not the usual one
    return FrameStore(Path(named) if named else None)


@app.command()
def simulate(
    file: File,
    layer: Layer = None,
    frames: Annotated[str | None, typer.Option("--frames", help="A:B, the first and the last frame.")] = None,
    quality: Annotated[str, typer.Option("--quality", help="preview (half floats) or final (float32).")] = "preview",
    fresh: Annotated[bool, typer.Option("--fresh", help="Use a store of its own that is thrown away: times a whole run.")] = False,
    as_json: Json = False,
) -> None:
    """Simulate frames into the cache."""
    import tempfile

    from tenka.cache.store import FrameStore
    from tenka.run.driver import Report, plans_of
    from tenka.run.driver import simulate as run
    from tenka.run.links import taking_part

    if quality not in ("preview", "final"):
        raise BadInput(f"'{quality}' is not a quality", "preview or final", place="--quality")
    effect = _open(file)
    _layer(effect, layer, file)
    span = _span(frames, effect.frames)
    plans = plans_of(effect, file.parent, final=quality == "final")
    playing = {item.id for item in taking_part(effect)} or {effect.layers[0].id}
    with tempfile.TemporaryDirectory() as spare:
        store = FrameStore(Path(spare)) if fresh else _store()

        def made(id: str, index: int, frame: Any, report: Report) -> None:
            if as_json:
                _say({"layer": id, "frame": index, "time": frame.time, **frame.meta}, True, "")

        for plan in plans.values():
            if plan.layer.id != layer if layer else plan.layer.id not in playing:
                continue
            start = time.perf_counter()
            report = run(plan, store, _Bar(), span, made)
            _told(plan, report, time.perf_counter() - start, as_json)


def _told(plan: Any, report: Any, seconds: float, as_json: bool) -> None:
    """Say what a run of one layer did."""
    stepping = sum(report.parts.values())
    pace = report.substeps / stepping if stepping else 0.0
    row: dict[str, Any] = {"layer": plan.layer.id, "simulated": report.simulated, "reused": report.reused, "substeps": report.substeps,
           "seconds": round(seconds, 3), "steps_per_second": round(pace, 2)}  # fmt: skip
    what = "steps"
    if plan.layer.kind == "gas":
        row["voxels"] = list(_grid(plan.layer).shape)
        x, y, z = row["voxels"]
        what = f"steps of {x} x {y} x {z} voxels"
    _say(row, as_json, f"{plan.layer.name}: {report.simulated} frames simulated, {report.reused} were stored; {report.substeps} {what} "
                       f"in {seconds:.1f} s ({pace:.1f} steps a second).")  # fmt: skip


def _grid(layer: Any) -> Any:
    from tenka.gas.grid import Grid

    return Grid.of(layer.domain)


def _span(text: str | None, count: int) -> tuple[int, int]:
    if text is None:
        return 0, count - 1
    try:
        first, last = (int(part) for part in text.split(":"))
    except ValueError:
        raise BadInput(f"'{text}' is not a span of frames", "A:B such as 0:23", place="--frames") from None
    if not 0 <= first <= last < count:
        raise BadInput(f"frames {first} to {last} are not all in the effect", f"0 to {count - 1}", place="--frames")
    return first, last


def _size(text: str) -> tuple[int, int]:
    try:
        width, height = (int(part) for part in text.lower().split("x"))
    except ValueError:
        raise BadInput(f"'{text}' is not a size", "WxH such as 1280x800", place="--size") from None
    if not (16 <= width <= 8192 and 16 <= height <= 8192):
        raise BadInput(f"a picture of {width} x {height} px", "16 to 8192 px each way", place="--size")
    return width, height


def _save_picture(rgb: Any, picture: Path) -> None:
    import io

    from PIL import Image

    from tenka.base.files import write_atomic

    data = io.BytesIO()
    Image.fromarray(rgb).save(data, "PNG")
    write_atomic(picture, data.getvalue())


@app.command()
def render(
    file: File,
    frame: Annotated[int, typer.Option("--frame", help="Frame to draw, from 0.")],
    picture: Annotated[Path, typer.Option("--picture", help="PNG to write.")],
    size: Annotated[str, typer.Option("--size", help="WxH in px.")] = "1280x800",
    layer: Layer = None,
    camera: Annotated[str, typer.Option("--camera", help="view (the effect's camera), front, side or top.")] = "view",
    as_json: Json = False,
) -> None:
    """Draw one frame as the stage does; with --layer, of that layer alone."""
    from tenka.look.render import Renderer
    from tenka.look.shot import gathered, shot_of
    from tenka.pack.books import books_of
    from tenka.run.driver import plans_of
    from tenka.run.driver import simulate as run
    from tenka.run.links import taking_part
    from tenka.scene.cameras import view_of

    width, height = _size(size)
    effect = _open(file)
    _layer(effect, layer, file)
    index = _span(f"{frame}:{frame}", effect.frames)[0]
    sides = {"view": {}, "front": {"heading": -90.0, "pitch": 0.0}, "side": {"heading": 0.0, "pitch": 0.0}, "top": {"pitch": 89.0}}
    if camera not in sides:
        raise BadInput(f"no camera is called '{camera}'", "one of " + ", ".join(sides), place="--camera")
    playing = {layer} if layer else {item.id for item in taking_part(effect)}
    plans = {id: p for id, p in plans_of(effect, file.parent).items() if id in playing}
    store = _store()
    for plan in plans.values():
        run(plan, store, _Bar(), (0 if plan.layer.kind != "gas" else index, index))
    frames, past = gathered(plans, store, index)
    start = time.perf_counter()
    books, faults = books_of(effect, file.parent)
    for fault in faults:
        print(fault, file=sys.stderr)
    shot = shot_of(effect, frames, file.parent, index / effect.rate, past=past, books=books)
    drawn = Renderer().draw_shot(shot, effect.light, view_of(effect.camera.model_copy(update=sides[camera]), width, height))
    _save_picture(drawn.rgb, picture)
    _say({"picture": str(picture), "ms": round(1e3 * (time.perf_counter() - start), 1)}, as_json, f"Drew frame {index} to {picture}.")


@app.command()
def pack(
    file: File,
    out: Annotated[Path, typer.Option("--out", help="Folder of the package.")],
    tier: Annotated[str | None, typer.Option("--tier", help="Use this tier's lever values.")] = None,
    only: Annotated[str | None, typer.Option("--only", help="The layer to pack; by default the first.")] = None,
    as_json: Json = False,
) -> None:
    """Draw a layer's flipbook and write the package."""
    from tenka.pack.flipbook import pack as write

    effect = _open(file)
    _layer(effect, only, file)
    _tier(effect, tier, file)
    manifest = write(effect, file.parent, _store(), out, _Bar(), only, tier)
    for element in manifest.elements:
        size = (out / element.colour.file).stat().st_size
        _say({"element": element.id, "frames": element.frames, "atlas": [element.width, element.height], "bytes": size, "folder": str(out)}, as_json,
             f"Packed {element.frames} frames of {element.name} in {element.width} x {element.height} px to {out}.")  # fmt: skip


def _tier(effect: Any, tier: str | None, file: Path) -> Any:
    try:
        return effect.tier(tier)
    except KeyError:
        if tier is None:
            return None
        names = ", ".join(t.name for t in effect.tiers) or "none"
        raise BadInput(f"no tier is called '{tier}'", f"one of: {names}", file) from None


@app.command()
def export(
    file: File,
    out: Annotated[Path, typer.Option("--out", help=".ply, .csv or .npz (a file a frame), .usda or .usdc, or .glb for pieces.")],
    layer: Annotated[str | None, typer.Option("--layer", help="The layer of particles or debris; by default the first.")] = None,
    frames: Annotated[str | None, typer.Option("--frames", help="A:B, the first and the last frame.")] = None,
    cull: Annotated[float, typer.Option("--cull", help="Leave out what is ever further than this from the origin, m; 0 keeps all.")] = 0.0,
    off_camera: Annotated[bool, typer.Option("--off-camera", help="Leave out what the effect's camera never sees.")] = False,
    as_json: Json = False,
) -> None:
    """Write a layer's particles or pieces."""
    from tenka.pack.points import export as write

    effect = _open(file)
    span = _span(frames, effect.frames)
    found = write(effect, file.parent, _store(), out, _Bar(), layer, span, cull, off_camera)
    row = {"files": [str(f) for f in found.files], "frames": found.frames, "most": found.points, "culled": found.culled}
    _say(row, as_json, f"Wrote {found.frames} frames, {found.points:,} particles at most, {found.culled:,} strays left out, to {found.files[0]}"
                       + (f" and {len(found.files) - 1} more." if len(found.files) > 1 else "."))  # fmt: skip


@app.command()
def proof(
    folder: Annotated[Path, typer.Argument(help="A package's folder.")],
    frame: Annotated[int, typer.Option("--frame", help="Frame of the game since the start, at the package's rate.")],
    picture: Annotated[Path, typer.Option("--picture", help="PNG to write.")],
    size: Annotated[str, typer.Option("--size", help="WxH in px.")] = "1280x800",
    heat: Annotated[bool, typer.Option("--heat", help="Show overdraw as heat.")] = False,
    as_json: Json = False,
) -> None:
    """Play a package as a game would, and count what that takes."""
    from tenka.proof.engine import Package, package_view

    width, height = _size(size)
    if not 0 <= frame <= 10**7:
        raise BadInput(f"frame {frame}", "0 or more", place="--frame")
    package = Package(folder)
    drawn = package.draw(frame / package.manifest.frame_rate, package_view(package, width, height), heat=heat)
    _save_picture(drawn.rgb, picture)
    c = drawn.counts
    row = {"quads": c.quads, "covered_px": c.covered, "px": c.pixels, "overdraw": round(c.overdraw, 4), "most_layers": c.most,
           "texture_bytes": c.texture_bytes, "picture": str(picture)}  # fmt: skip
    _say(row, as_json, f"{c.quads} quads cover {c.covered:,} px ({c.overdraw:.2f} layers where any, {c.most} at most) and read "
                       f"{c.texture_bytes / 1e6:.2f} MB of texture; drawn to {picture}.")  # fmt: skip


def _print_ledger(book: Any, as_json: bool) -> None:
    for line in book.lines:
        row = {"tier": book.tier.id, "device": book.device.id, "layer": line.layer, "route": line.route, "ms": line.ms, "mb": line.mb,
               "overdraw": line.overdraw, "bound": line.bound, "terms": {t.name: [t.value, t.unit] for t in line.terms}}  # fmt: skip
        text = f"{line.layer} ({line.route}): {line.ms:.3f} ms, {line.mb:.2f} MB, bound by {line.bound}\n"
        text += "\n".join(f"    {t.name:<13} {t.value:9.3f} {t.unit:<6}  {t.why}" for t in line.terms)
        _say(row, as_json, text)
    t = book.tier
    row = {"tier": t.id, "device": book.device.id, "ms": book.ms, "budget_ms": t.ms, "mb": book.mb, "budget_mb": t.mb, "over": book.over,
           "problems": list(book.problems)}  # fmt: skip
    text = f"{t.name} on {book.device.name}: {book.ms:.3f} of {t.ms:g} ms, {book.mb:.2f} of {t.mb:g} MB: {'over budget' if book.over else 'within budget'}"
    _say(row, as_json, "\n".join([text, *book.problems]))


@app.command()
def budget(
    file: File, tier: Annotated[str | None, typer.Option("--tier", help="One tier; by default all.")] = None, as_json: Json = False
) -> None:
    """Print the ledger, with the terms behind each figure."""
    from tenka.budget.cost import ledger

    effect = _open(file)
    for t in [_tier(effect, tier, file)] if tier else effect.tiers:
        _print_ledger(ledger(effect, t.id), as_json)


@app.command()
def gate(file: File, tier: Annotated[str, typer.Option("--tier", help="The tier to hold the effect to.")], as_json: Json = False) -> None:
    """Print a tier's ledger and exit 1 when the effect is over its budget."""
    from tenka.budget.cost import ledger

    effect = _open(file)
    book = ledger(effect, _tier(effect, tier, file).id)
    _print_ledger(book, as_json)
    if book.over:
        raise typer.Exit(1)


@app.command()
def info(file: File, as_json: Json = False) -> None:
    """Say what an effect holds, and what simulating it would take."""
    effect = _open(file)
    row: dict[str, Any] = {"name": effect.name, "frames": effect.frames, "rate": effect.rate, "seconds": effect.seconds, "layers": [],
                           "props": [p.id for p in effect.props], "forces": [f.id for f in effect.forces], "tiers": [t.id for t in effect.tiers],
                           "levers": [lever.id for lever in effect.levers]}  # fmt: skip
    from tenka.particles.solver import STATES_HELD
    from tenka.particles.state import BYTES

    lines = [f"{effect.name}: {effect.frames} frames at {effect.rate:g} a second, {len(effect.props)} props, {len(effect.forces)} forces"]
    for layer in effect.layers:
        if layer.kind != "gas":
            count = _counted(effect, layer, file)
            row["layers"].append({"id": layer.id, "kind": layer.kind, "most": count, "memory_bytes": count * BYTES * STATES_HELD})
            lines.append(
                f"  {layer.name} ({layer.kind}): at most {count:,} at once, {count * BYTES * STATES_HELD / 1e6:.1f} MB while it runs, {layer.run_up:g} s run-up"
            )
            continue
        grid = _grid(layer)
        row["layers"].append({"id": layer.id, "kind": layer.kind, "voxels": list(grid.shape), "memory_bytes": grid.predicted_bytes()})
        x, y, z = grid.shape
        lines.append(f"  {layer.name} ({layer.kind}): {x} x {y} x {z} voxels of {grid.voxel:g} m, {grid.predicted_bytes() / 1e6:.0f} MB while it runs, "
                     f"{layer.domain.run_up:g} s run-up")  # fmt: skip
    lines += [f"  {t.name}: {t.device}, {t.ms:g} ms and {t.mb:g} MB at {t.distance:g} m" for t in effect.tiers]
    _say(row, as_json, "\n".join(lines))


def _counted(effect: Any, layer: Any, file: Path) -> int:
    """How many particles of a layer may be alive at once; of those that are born of particles nobody knows before."""
    from tenka.effect.model import timed
    from tenka.particles.solver import PointSolver

    ready: Any = timed(effect).layer(layer.id)
    return min(
        PointSolver(ready, effect.forces, effect.props, effect.seed, effect.rate, effect.frames, file.parent).predicted(), layer.most
    )


@app.command()
def warm(as_json: Json = False) -> None:
    """Compile the kernels once, so that everything starts at once afterwards."""
    from tenka.budget.warm import warm_up

    start = time.perf_counter()
    warm_up(_Bar() if not as_json else Progress())
    seconds = time.perf_counter() - start
    _say({"seconds": round(seconds, 1)}, as_json, f"Kernels are ready ({seconds:.1f} s).")


@app.command(name="open")
def open_window(
    file: Annotated[Path | None, typer.Argument(help="An effect; by default the demo's plume.")] = None,
    picture: Annotated[Path | None, typer.Option("--picture", help="Draw the window off-screen to this PNG and leave.")] = None,
    station: Annotated[str, typer.Option("--station", help="With --picture: shape, look, pack, budget or proof.")] = "shape",
    size: Annotated[str, typer.Option("--size", help="With --picture: WxH in px.")] = "1280x800",
) -> None:
    """Open the window."""
    from tenka.app.main import run_window

    raise typer.Exit(run_window(file, picture, station, _size(size)))


@app.command()
def version() -> None:
    """Print the version."""
    print(__version__)


def main() -> None:
    """Entry point: turns expected failures into one sentence and an exit code."""
    try:
        code = app(standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except Cancelled:
        print("Stopped.", file=sys.stderr)
        sys.exit(130)
    except KeyboardInterrupt:
        print("Stopped; only whole files were left.", file=sys.stderr)
        sys.exit(130)
    except TenkaError as error:
        print(str(error), file=sys.stderr)
        sys.exit(2)
    except (typer.Exit, SystemExit) as leave:
        sys.exit(getattr(leave, "exit_code", getattr(leave, "code", 0)))
    except Exception as error:
        # usage errors of the command line's own library
        if hasattr(error, "format_message"):
            print(error.format_message(), file=sys.stderr)
            sys.exit(2)
        raise


if __name__ == "__main__":
    main()
