"""Particles and pieces written out: sequences of PLY, CSV or NPZ, USD points and instances, GLB with a track
for each piece."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import POINTS, Effect, PointLayer
from tenka.effect.routes.meshes import Meshes
from tenka.look.pieces import shapes_of
from tenka.pack.bodies import write_bodies
from tenka.pack.nets import export_nets
from tenka.pack.outgoing import Axes, Outgoing, Written, columns_of
from tenka.pack.usd import write_usd
from tenka.particles.files import write_points
from tenka.run.driver import simulate, stored_frames
from tenka.run.frames import PointFrame
from tenka.run.plans import Plan, plans_of
from tenka.scene.cameras import view_of

SEQUENCES = (".ply", ".csv", ".npz")


def _layer(effect: Effect, id: str | None) -> Any:
    """A layer by its id, or the first of particles or debris, else of liquid."""
    able = [layer for layer in effect.layers if layer.HANDS == POINTS]
    found = [layer for layer in able if id in (None, layer.id)]
    if not found:
        what, names = "layer of particles, debris or liquid", ", ".join(layer.id for layer in able)
        wanted = f"one of: {names}" if names else "one to write out"
        raise BadInput(f"'{id}' is no {what}" if id else f"has no {what}", wanted, place="export")
    return min(found, key=lambda layer: layer.kind in Meshes.TAKES)


BYTES_OF_EACH = {".ply": 76.0, ".csv": 152.0, ".npz": 50.0, ".usda": 134.0, ".usdc": 44.0, ".glb": 60.0}
BYTES_OF_FRAME = {".ply": 400.0, ".csv": 150.0, ".npz": 3400.0, ".usda": 160.0, ".usdc": 90.0, ".glb": 0.0}
BYTES_OF_TRACK = 1500.0
"""Of a point in a frame, of a frame, and of a piece with a track, as measured of the demos' sparks and
pieces."""


def predicted(kind: str, alive: list[int], first: int) -> tuple[list[str], float]:
    """Endings of the names of the files that an export writes, and about how many bytes they take together,
    without the meshes of pieces.

    Parameters
    ----------
    kind : ending of the file
    alive : how many there are in each frame that is written
    first : index of the first of these frames
    """
    size = sum(alive) * BYTES_OF_EACH[kind] + len(alive) * BYTES_OF_FRAME[kind]
    if kind not in SEQUENCES:
        return [kind], size + (BYTES_OF_TRACK * max(alive, default=0) if kind == ".glb" else 0.0)
    digits = max(4, len(str(first + len(alive))))
    return [f"_{f + 1:0{digits}d}{kind}" for f in range(first, first + len(alive))], size


def frames_of(
    plan: Plan, store: FrameStore, progress: Progress, frames: range
) -> Iterator[tuple[int, PointFrame]]:
    """Stored frames of a layer of particles in turn; one is in memory at a time."""
    for f, frame in stored_frames(plan, store, progress, frames):
        assert isinstance(frame, PointFrame)
        yield f, frame
        progress.step()


def export(
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    out: Path,
    progress: Progress | None = None,
    layer_id: str | None = None,
    span: tuple[int, int] | None = None,
    cull: float = 0.0,
    off_camera: bool = False,
    axes: Axes = Axes(),
) -> Written:
    """Write a layer of particles or debris, or the meshes of a liquid: the file's ending says how.

    Parameters
    ----------
    out : `.ply`, `.csv`, `.npz`: one file a frame, numbered; `.usda`, `.usdc`: points, or instances of
        pieces; `.glb`: pieces with their tracks
    cull : pieces and particles that are ever further than this from the effect's origin are left out, m; 0
        keeps all
    off_camera : leave out what is never in the effect's camera's picture
    axes : units and axes of a sequence; USD and GLB say their own

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    progress = progress or Progress()
    layer = _layer(effect, layer_id)
    if layer.kind in Meshes.TAKES:
        return export_nets(effect, folder, store, out, progress, layer, span)
    kind = out.suffix.lower()
    if kind not in (*SEQUENCES, ".usda", ".usdc", ".usd", ".glb"):
        raise BadInput(
            f"'{out.suffix}' is no kind of file for points", ".ply, .csv, .npz, .usda, .usdc or .glb", out
        )
    if kind == ".glb" and layer.look.form != "mesh":
        raise BadInput(
            f"{layer.name} is not drawn as meshes, which alone are written as GLB", "a layer of debris", out
        )
    first, last = span or (0, effect.frames - 1)
    plan = plans_of(effect, folder)[layer.id]
    simulate(plan, store, progress, (0, last))
    frames = range(first, last + 1)
    dropped = (
        _strays(plan, layer, effect, store, progress, frames, cull, off_camera)
        if cull > 0 or off_camera
        else np.zeros(0, np.int64)
    )
    progress.begin(len(frames), f"Writing {out.name}")
    shapes = shapes_of(layer, effect, folder) if layer.look.form == "mesh" else None
    job = Outgoing(plan, store, progress, layer, frames, dropped, shapes)
    if kind in SEQUENCES:
        return _sequence(out, job, axes)
    return write_bodies(out, job) if kind == ".glb" else write_usd(out, job)


def _strays(
    plan: Plan,
    layer: PointLayer,
    effect: Effect,
    store: FrameStore,
    progress: Progress,
    frames: range,
    cull: float,
    off_camera: bool,
) -> np.ndarray:
    """Ids of those that are ever too far away, or never in the picture."""
    progress.begin(len(frames), "Looking for outliers")
    view = view_of(effect.camera, 1600, 900)
    far, seen, all_ = set[int](), set[int](), set[int]()
    for _, frame in frames_of(plan, store, progress, frames):
        p = frame.points
        if not len(p):
            continue
        all_.update(p.id.tolist())
        if cull > 0:
            far.update(p.id[np.linalg.norm(p.place, axis=1) > cull].tolist())
        if off_camera:
            seen.update(p.id[view.sees(p.place, 0.5 * p.width)].tolist())
    gone = far | ((all_ - seen) if off_camera else set())
    return np.array(sorted(gone), np.int64)


def _sequence(out: Path, job: Outgoing, axes: Axes) -> Written:
    """A file a frame, numbered as the frames are."""
    digits = max(4, len(str(job.frames[-1] + 1)))
    files, most = [], 0
    for f, (time, p) in zip(job.frames, job.points()):
        file = out.with_name(f"{out.stem}_{f + 1:0{digits}d}{out.suffix.lower()}")
        write_points(file, axes.of(columns_of(job.layer, p, time)))
        files.append(file)
        most = max(most, len(p))
    return Written(tuple(files), len(job.frames), most, len(job.dropped))
