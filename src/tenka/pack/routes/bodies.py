"""The bodies route: one mesh of all pieces with textures of how they stand, or a node with keys for each."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput, TenkaError
from tenka.base.exr import exr_bytes
from tenka.base.words import counted
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes.bodies import BodyBake
from tenka.look.pieces import MOST_BODIES, kept_pieces, posed, shapes_of
from tenka.pack.bodies import write_bodies
from tenka.pack.layout import Box, the_layer
from tenka.pack.outgoing import Outgoing
from tenka.pack.routes.base import Job, Output, moments_of, paged_rows
from tenka.pack.turning import continuous
from tenka.pack.variants import jobs_of, whole_box
from tenka.package.elements.bodies import Bodies, Pieces
from tenka.package.manifest import Set
from tenka.package.parts import Texture, vec3
from tenka.package.rows import nodes_of, stands_of
from tenka.package.stands import mesh_of
from tenka.scene.gltf import Builder
from tenka.scene.meshes import joined

MOST_PAGED = 250_000  # pieces over all moments that the page holds
BYTES_OF_TRIANGLE = 3 * (12 + 12 + 16 + 8)  # in the GLB: place, normal, colour, piece


class BodiesWriter:
    """Pieces as animated geometry."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Bodies:
        """As many pieces as were ever there at once; exactly how many is known when they are written."""
        route, layer = delivery.by(BodyBake), the_layer(effect, delivery)
        moments = moments_of(effect, delivery)
        held = [m for f, m in figures.get(layer.id, {}).items() if f in set(moments)]
        pieces = int(min(max((m["alive"] for m in held), default=0), MOST_BODIES))
        try:
            shapes = shapes_of(layer, effect, folder) or ()
        except TenkaError:
            shapes = ()
        mean = float(np.mean([len(s.mesh.faces) for s in shapes])) if shapes else 0.0
        starts = tuple(round(mean * n) for n in range(pieces + 1)) if route.form == "textures" else ()
        takes = [
            _take(delivery, number, pieces, starts, round(mean * pieces)) for number in range(route.takes)
        ]
        return Bodies(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=tuple(round(f / effect.rate, 6) for f in moments),
            form=route.form,
            precision=route.precision,
            **_values(takes[0]),
            further=tuple(takes[1:]),
            low=vec3(box[0]),
            high=vec3(box[1]),
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Bodies) -> list[Output]:
        """The mesh and its textures."""
        found = []
        for take in (element, *element.further):
            mesh = f"{counted(take.pieces, 'piece')}, {counted(take.triangles, 'triangle')}"
            if take.places is None or take.turns is None:
                moments = counted(len(element.times), "moment")
                found.append(Output(take.mesh.file, f"{mesh}, a node with keys for each over {moments}"))
                continue
            bits = 16 if element.precision == "half" else 32
            size = f"{take.pieces} × {len(element.times)} px of {bits} bits"
            found += [
                Output(take.mesh.file, mesh, float(BYTES_OF_TRIANGLE * take.triangles)),
                Output(take.places.file, f"{size}: place and size"),
                Output(take.turns.file, f"{size}: turn"),
            ]
        return found

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """Where all pieces stand at all moments."""
        most = min(MOST_BODIES, getattr(the_layer(effect, delivery), "most", MOST_BODIES))
        return 64 * most * len(moments_of(effect, delivery))

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Bodies:
        """Gather where each piece of each take stands at each moment, and write them."""
        jobs = jobs_of(job, delivery, delivery.by(BodyBake).takes)
        box = whole_box(jobs, delivery)
        element = BodiesWriter.describe(job.effect, delivery, box, {}, job.folder)
        takes = [_written(mine, delivery, own) for mine, own in zip(jobs, (element, *element.further))]
        return element.model_copy(update={**_values(takes[0]), "further": tuple(takes[1:])})

    @staticmethod
    def told(element: Bodies) -> str:
        """What an engine needs to know of it, with formulas."""
        e, pieces = element, counted(element.pieces, "piece")
        more = (
            f"  {e.takes} takes, of which the game plays the next each time: further ones in\n"
            if e.further
            else ""
        )
        more += "".join(f"  {', '.join(take.held)}\n" for take in e.further)
        if e.places is None or e.turns is None:
            return more + (
                f"  {e.mesh.file}: {pieces}, each a node with keys of place, turn and size;\n"
                f"  its second 0 is {e.times[0]:.3f} s. A piece that is not there has no size.\n"
            )
        return more + (
            f"  {e.mesh.file}: {pieces}, {counted(e.triangles, 'triangle')}; vertices about the middle\n"
            "  of their piece, which the second coordinate set tells: (piece + 0.5) / pieces.\n"
            f"  {e.places.file}: column piece, row moment, the first at the top: place in m, alpha size.\n"
            f"  {e.turns.file}: laid out alike, the quaternion x, y, z, w (set.moving has w first).\n"
            "  Both are in the axes of this package, z up; the GLB is y up. With a vertex (a, b, c) of it,\n"
            "  v = (a, -c, b), and q = (x, y, z): vertex = place + size * (v + 2 q x (q x v + w v)).\n"
            "  Mix places, and turns (then made long 1 again), between two moments where a piece has a size\n"
            "  in both; else the nearer moment holds. Textures must not be compressed or filtered.\n"
        )

    @staticmethod
    def page(folder: Path, element: Bodies, stands: Set) -> dict[str, Any]:
        """The meshes and where their pieces stand."""
        return {"takes": [_paged(folder, element.take(number)) for number in range(element.takes)]}


def _paged(folder: Path, element: Bodies) -> dict[str, Any]:
    """A take's mesh and where its pieces stand."""
    if not element.pieces:
        return {}
    file, starts = folder / element.mesh.file, element.starts
    if element.form == "nodes":
        mesh, starts, places, turns = nodes_of(file, tuple(t - element.times[0] for t in element.times))
    else:
        mesh, (places, turns) = mesh_of(file), stands_of(folder, element)
    which = np.repeat(np.arange(len(starts) - 1), np.diff(starts) * 3)

    def text(values: np.ndarray, kind: type = np.float32) -> str:
        return base64.b64encode(np.ascontiguousarray(values, kind).tobytes()).decode()

    return {
        **paged_rows(element.times, np.concatenate([places, turns], axis=2), MOST_PAGED, np.float32),
        "places": text(mesh.points[mesh.faces]),
        "colours": text(np.repeat(mesh.colours, 3, axis=0)),
        "pieces": text(which),
    }


def _take(delivery: Delivery, number: int, pieces: int, starts: tuple[int, ...], triangles: int) -> Pieces:
    """A take before it is written; the first has no number in its names."""
    stem = delivery.id if not number else f"{delivery.id}_{number + 1}"
    textures = delivery.by(BodyBake).form == "textures"
    return Pieces(
        mesh=Texture(file=f"{stem}.glb"),
        places=Texture(file=f"{stem}_places.exr") if textures else None,
        turns=Texture(file=f"{stem}_turns.exr") if textures else None,
        pieces=pieces,
        starts=starts,
        triangles=triangles,
    )


def _values(take: Pieces) -> dict[str, Any]:
    return {name: getattr(take, name) for name in Pieces.model_fields}


def _written(job: Job, delivery: Delivery, element: Pieces) -> Pieces:
    """Gather where each piece of a take stands at each moment, and write it."""
    layer = job.layer(delivery)
    shapes = shapes_of(layer, job.effect, job.folder)
    if shapes is None:
        raise BadInput(f"{layer.name} has no mesh to be written", "pieces, or a prop to be drawn as")
    moments = job.moments(delivery)
    if delivery.by(BodyBake).form == "nodes":
        job.progress.begin(len(moments), f"Writing {delivery.name}")
        frames = range(moments[0], moments[-1] + 1, delivery.by(BodyBake).every)
        way = Outgoing(
            job.plans[layer.id], job.store, job.progress, layer, frames, np.zeros(0, np.int64), shapes
        )
        target = job.target / element.mesh.file
        pieces = write_bodies(target, way).points
        return element.model_copy(update={"pieces": pieces, "triangles": nodes_of(target, (0.0,))[1][-1]})
    job.progress.begin(len(moments), f"Gathering {delivery.name}")
    rows: dict[int, int] = {}
    kinds: list[int] = []
    held = []
    for f, frame in job.frames(layer, moments):
        p = kept_pieces(layer, frame.points)
        p = p.picked(np.arange(min(len(p), MOST_BODIES)))
        stand = posed(layer, p, f / job.effect.rate, len(shapes))
        for id, kind in zip(p.id.tolist(), stand.kind.tolist()):
            if id not in rows:
                rows[id] = len(kinds)
                kinds.append(int(kind))
        at = np.array([rows[id] for id in p.id.tolist()], np.int64)
        held.append((at, p.place, stand.size, stand.turn))
        job.progress.step()
    places = np.zeros((len(held), max(len(kinds), 1), 4), np.float32)
    turns = np.zeros_like(places)
    turns[..., 3] = 1.0
    for n, (at, place, size, turn) in enumerate(held):
        if n:  # what is gone keeps its turn, so that nothing spins on the way back
            turns[n] = turns[n - 1]
        places[n, at] = np.concatenate([place, np.asarray(size)[:, None]], axis=1)
        turns[n, at] = np.asarray(turn)[:, [1, 2, 3, 0]]
    for piece in range(len(kinds)):
        turns[:, piece] = continuous(turns[:, piece])
    half = delivery.by(BodyBake).precision == "half"
    assert element.places is not None and element.turns is not None
    (job.target / element.places.file).write_bytes(exr_bytes(places, half))
    (job.target / element.turns.file).write_bytes(exr_bytes(turns, half))
    meshes = [shapes[k].mesh for k in kinds]
    starts = np.concatenate([[0], np.cumsum([len(m.faces) for m in meshes])]).astype(int)
    whole = joined(meshes)
    file = Builder()
    which = np.repeat(np.arange(len(meshes)), np.diff(starts) * 3)
    piece_uv = np.stack([(which + 0.5) / max(len(meshes), 1), np.zeros(len(which))], axis=1)
    if len(meshes):
        file.node({"name": delivery.id, "mesh": file.mesh(delivery.id, whole, piece_uv)})
    (job.target / element.mesh.file).write_bytes(file.to_bytes())
    return element.model_copy(
        update={"pieces": len(kinds), "starts": tuple(int(s) for s in starts), "triangles": int(starts[-1])}
    )
