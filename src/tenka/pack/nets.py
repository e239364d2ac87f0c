"""A liquid's surface written out: a GLB with a mesh for each frame."""

from __future__ import annotations

from pathlib import Path

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import Effect, LiquidLayer
from tenka.effect.routes.meshes import Meshes
from tenka.pack.outgoing import Written
from tenka.pack.routes.meshes import BYTES_TRIANGLE, BYTES_VERTEX, netted
from tenka.package.netfile import NetWriter
from tenka.run.driver import simulate, stored_frames
from tenka.run.plans import plans_of


def net_bytes(vertices: int) -> float:
    """About what a mesh takes in the file, by its vertices: a closed one has twice as many triangles."""
    return float(vertices * (BYTES_VERTEX + 2 * BYTES_TRIANGLE))


def export_nets(
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    out: Path,
    progress: Progress,
    layer: LiquidLayer,
    span: tuple[int, int] | None,
) -> Written:
    """Write the meshes of a liquid's frames as one `.glb`, as fine as they are drawn.

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    if out.suffix.lower() != ".glb":
        raise BadInput(
            f"'{out.suffix}' is no kind of file for a liquid",
            ".glb: a mesh for each frame; its drops can be written from a layer of particles born of it",
            out,
        )
    first, last = span or (0, effect.frames - 1)
    plan = plans_of(effect, folder)[layer.id]
    simulate(plan, store, progress, (0, last))
    frames = range(first, last + 1)
    progress.begin(len(frames), f"Writing {out.name}")
    writer, most = NetWriter(), 0
    for _, frame in stored_frames(plan, store, progress, frames):
        net = netted(frame, Meshes(coarser=1))
        most = max(most, len(net.points))
        writer.add(net)
        progress.step()
    writer.write(out)
    return Written((out,), len(frames), most, 0)
