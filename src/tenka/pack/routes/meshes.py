"""Writes the mesh route: a liquid's surface as a mesh for each moment."""

from __future__ import annotations

import base64
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.words import counted
from tenka.effect.courses import still
from tenka.effect.model import Delivery, Effect, LiquidLayer
from tenka.effect.routes.meshes import Meshes
from tenka.liquid.nets import clustered, net_of, sampled
from tenka.pack.layout import Box, the_layer
from tenka.pack.routes.base import Job, Output, moments_of
from tenka.package.elements.meshes import MeshFrames
from tenka.package.manifest import Set
from tenka.package.netfile import NetFile, NetFrame, NetWriter
from tenka.package.parts import Texture, vec3
from tenka.run.liquids import LiquidFrame

BYTES_VERTEX, BYTES_TRIANGLE, BYTES_DROP = 28, 9, 20
FEWER = 1.45  # power of how much coarser a mesh is, by which it has fewer vertices, measured
GUESSED = 0.22  # of the area of a box's walls that a liquid's surface has, before it is simulated
A_VOXEL = 5.0  # vertices of a mesh for each voxel across which its surface goes, before it is written
PAGE_FRAMES, PAGE_VERTICES = 24, 60_000


def netted(frame: LiquidFrame, route: Meshes) -> NetFrame:
    """A frame as it is written."""
    net = net_of(frame.skin, route.coarser)
    foam = sampled(frame.foam, net.points, frame.origin, frame.voxel)
    drops = np.zeros((0, 5), np.float32)
    if route.loose:
        alone = frame.loose.picked(frame.loose.heat < 0.5)
        drops = np.concatenate([alone.place, alone.width[:, None], alone.colour[:, :1]], axis=1)
    return NetFrame(net.points, net.normals, np.clip(foam, 0, 255).astype(np.uint8), net.faces, drops)


def _expected(
    layer: LiquidLayer, route: Meshes, figures: Mapping[int, Any], moments: list[int]
) -> tuple[list[int], list[int]]:
    """Vertices and drops of each frame, as its figures tell; of those that are not simulated as the fullest
    that is, or as the box's own walls have."""
    known = [figures[f] for f in moments if f in figures]
    x, y, z = layer.tank.size
    cell = layer.tank.voxel * (0.5 if layer.quality.surface == "fine" else 1.0)
    guess = int(GUESSED * 2.0 * (x * y + y * z + z * x) / cell**2)
    usual = {
        "skin": max((m.get("skin", 0) for m in known), default=guess),
        "loose": max((m.get("loose", 0) for m in known), default=guess // 8),
    }
    found = [figures.get(f, usual) for f in moments]
    drops = [int(m.get("loose", 0)) if route.loose else 0 for m in found]
    return [int(m.get("skin", 0) / route.coarser**FEWER) for m in found], drops


class MeshesWriter:
    """A GLB of meshes."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> MeshFrames:
        """The meshes as they are expected from the figures of the frames."""
        route, layer = delivery.by(Meshes), the_layer(effect, delivery)
        moments = moments_of(effect, delivery)
        vertices, drops = _expected(layer, route, figures.get(layer.id, {}), moments)
        return MeshFrames(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=tuple(round(f / effect.rate, 6) for f in moments),
            mesh=Texture(file=f"{delivery.id}.glb"),
            vertices=tuple(vertices),
            triangles=tuple(2 * n for n in vertices),
            drops=tuple(drops),
            low=vec3(box[0]),
            high=vec3(box[1]),
            look=layer.look,
            player=route.player,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: MeshFrames) -> list[Output]:
        """The file."""
        most = max(element.vertices, default=0)
        what = (
            f"{counted(len(element.times), 'mesh', 'meshes')}, at most {counted(most, 'vertex', 'vertices')}"
        )
        if any(element.drops):
            what += f", {counted(max(element.drops), 'single drop')}"
        size = BYTES_VERTEX * sum(element.vertices) + BYTES_TRIANGLE * sum(element.triangles)
        return [Output(element.mesh.file, what, float(size + BYTES_DROP * sum(element.drops)))]

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """The meshes while they are gathered."""
        tank = the_layer(effect, delivery).tank
        area = sum(a * b for a, b in ((0, 1), (1, 2), (0, 2)) for a, b in [(tank.size[a], tank.size[b])])
        each = A_VOXEL * area / (tank.voxel * delivery.by(Meshes).coarser) ** 2
        return int(each * len(moments_of(effect, delivery)) * (BYTES_VERTEX + 2 * BYTES_TRIANGLE))

    @staticmethod
    def write(job: Job, delivery: Delivery) -> MeshFrames:
        """Mesh every frame, and write them as one file."""
        route, layer = delivery.by(Meshes), job.layer(delivery)
        element = MeshesWriter.describe(
            job.effect, delivery, job.box(delivery), job.figures(delivery), job.folder
        )
        moments = job.moments(delivery)
        job.progress.begin(len(moments), f"Meshing {delivery.name}")
        out, counts = NetWriter(), []
        for _, frame in job.frames(layer, moments):
            net = netted(frame, route)
            out.add(net)
            counts.append((len(net.points), len(net.faces), len(net.drops)))
            job.progress.step()
        out.write(job.target / element.mesh.file)
        vertices, triangles, drops = (tuple(c) for c in zip(*counts))
        return element.model_copy(update={"vertices": vertices, "triangles": triangles, "drops": drops})

    @staticmethod
    def told(element: MeshFrames) -> str:
        """What an engine needs to know of it, with formulas."""
        e, look = element, element.look
        meshes = counted(len(e.times), "mesh", "meshes")
        a, b, c = look.absorbs
        mirror = ((look.bends - 1) / (look.bends + 1)) ** 2
        return (
            f"  {e.mesh.file}: {meshes}, frame_0000 and on, each also a node; show the last\n"
            "  whose time has come. Their triangles differ from frame to frame: nothing is to be blended.\n"
            f"  At most {max(e.vertices):,} vertices and {max(e.triangles):,} triangles. COLOR_0 is foam.\n"
            f"  Points with _WIDTH (m) and _AIR (0 to 1) are single drops, at most {max(e.drops):,}.\n"
            f"  Water of d m lets through exp(-({a:g}, {b:g}, {c:g}) d - {look.murk:g} d), bends by "
            f"{look.bends:g} and\n  mirrors by Schlick's law, with {mirror:.4f} straight on.\n"
        )

    @staticmethod
    def page(folder: Path, element: MeshFrames, stands: Set) -> dict[str, Any]:
        """Some of the meshes, places in 16 bits of the box."""
        nets = NetFile(folder / element.mesh.file)
        even = np.linspace(0, len(element.times) - 1, min(PAGE_FRAMES, len(element.times)))
        chosen = np.unique(even.round().astype(int)).tolist()
        low, high = (np.asarray(c, np.float32) for c in (element.low, element.high))
        span = np.maximum(high - low, 1e-6)

        def text(values: np.ndarray) -> str:
            return base64.b64encode(zlib.compress(np.ascontiguousarray(values).tobytes(), 6)).decode()

        frames = []
        for index in chosen:
            net = nets.at(index)
            if len(net.points) > PAGE_VERTICES:
                net = _thinned(net, PAGE_VERTICES)
            at = np.clip((net.points - low) / span, 0, 1) * 65535 + 0.5
            turned = np.clip(net.normals * 127, -127, 127).astype(np.int8)
            rest = np.concatenate([turned, (net.foam // 2).astype(np.int8)[:, None]], axis=1)
            frames.append(
                {
                    "places": text(np.pad(at, ((0, 0), (0, 1))).astype(np.uint16)),
                    "rest": text(rest),
                    "faces": text(net.faces.astype(np.uint32)),
                    "drops": text(net.drops.astype(np.float32)),
                    "count": int(net.faces.size),
                    "alone": len(net.drops),
                }
            )
        look = still(element.look, 0.0)
        return {
            "times": [element.times[n] for n in chosen],
            "frames": frames,
            "rough": float(look.rough),
            "foam": float(look.foam),
        }


def _thinned(net: NetFrame, most: int) -> NetFrame:
    """A mesh with fewer vertices."""
    edge = float(np.ptp(net.points, axis=0).max()) / 400
    while True:
        found, group = clustered(net.points, net.normals, net.faces, edge)
        if len(found.points) <= most:
            foam = np.bincount(group, net.foam) / np.maximum(np.bincount(group), 1)
            return NetFrame(found.points, found.normals, foam.astype(np.uint8), found.faces, net.drops)
        edge *= 1.25
