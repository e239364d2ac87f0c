"""The live water route: a water described for a height-field solver in the game."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.model import Delivery, Effect, WaterLayer, heard
from tenka.effect.routes.livewater import LiveWater as Route
from tenka.pack.layout import Box, span_of, the_layer
from tenka.pack.routes.base import Job, Output
from tenka.pack.routes.grid import told_settings
from tenka.pack.routes.surface import floor_of
from tenka.package.elements.livewater import LiveWater
from tenka.package.manifest import Set
from tenka.package.parts import Texture, vec3
from tenka.scene.poses import pose_at


def described(effect: Effect, layer: WaterLayer) -> dict[str, Any]:
    """A water in words and numbers for who writes a solver."""
    by_id, hulls = {p.id: p for p in effect.props}, {}
    for stop in heard(layer.colliders):
        prop = by_id.get(stop.prop)
        if prop is None:
            continue
        poses = [pose_at(prop, effect.props, f / effect.rate) for f in range(effect.frames)]
        hulls[prop.name] = {
            "acts_as": stop.acts,
            "size": list(prop.size),
            "places": [[round(float(v), 5) for v in pose.origin] for pose in poses],
            "headings": [round(float(np.arctan2(p.turn[1, 0], p.turn[0, 0])), 5) for p in poses],
            **told_settings(effect, stop),
        }
    return {
        "rate": effect.rate,
        "frames": effect.frames,
        "basin": told_settings(effect, layer.basin),
        "sources": {s.name: told_settings(effect, s) for s in heard(layer.sources)},
        "in_water": hulls,
        "flow": told_settings(effect, layer.flow),
        "foam": told_settings(effect, layer.foam),
        "forces": {f.name: told_settings(effect, f) for f in heard(effect.forces)},
    }


class LiveWaterWriter:
    """A description."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> LiveWater:
        """What is solved, in so many cells."""
        route, layer = delivery.by(Route), the_layer(effect, delivery)
        size = (layer.basin.size[0], layer.basin.size[1])
        if route.window == "window":
            size = (min(route.window_size, size[0]), min(route.window_size, size[1]))
        cell = max(size) / route.cells
        first, last = span_of(effect, delivery)
        nx, ny = (max(2, round(s / cell)) for s in size)
        hulls = sum(c.acts == "hull" for c in heard(layer.colliders))
        return LiveWater(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=(round(first, 6), round(last, 6)),
            table=Texture(file=f"{delivery.id}_water.json"),
            window=route.window == "window",
            cells=(nx, ny),
            cell=cell,
            rate=route.rate,
            foams=route.foams,
            movers=hulls,
            level=layer.basin.level,
            floor=floor_of(layer),
            low=vec3(box[0]),
            high=vec3(box[1]),
            look=layer.look,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: LiveWater) -> list[Output]:
        """The description, to the byte."""
        x, y = element.cells
        part = "a square that follows what moves" if element.window else "the whole water"
        what = f"{part} in {x} × {y} cells, sources, hulls and foam; Proof does not solve it"
        return [
            Output(element.table.file, what, float(len(_bytes(effect, the_layer(effect, delivery)))), True)
        ]

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """A few numbers."""
        return 1_000_000

    @staticmethod
    def write(job: Job, delivery: Delivery) -> LiveWater:
        """Write the description."""
        element = LiveWaterWriter.describe(job.effect, delivery, job.box(delivery), {}, job.folder)
        (job.target / element.table.file).write_bytes(_bytes(job.effect, job.layer(delivery)))
        return element

    @staticmethod
    def told(element: LiveWater) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        x, y = e.cells
        part = "a square round what moves, shifted by whole cells" if e.window else "the whole water"
        return (
            f"  {e.table.file}: sources, hulls, flow and foam, each value with its unit, courses by frame.\n"
            f"  {x} x {y} cells of {e.cell:.4f} m: {part}; {e.rate:g} steps a second, blended as they\n"
            "  are drawn. Speeds u, v on the cells' faces, depth h in their middles:\n"
            "  h += dt (what flows in), u -= 9.81 dt dz/dx, where z is the surface; no wave may cross more\n"
            f"  than a cell a step: dt < {e.cell:.4f} / sqrt(2 x 9.81 x depth). A hull adds to h what it\n"
            "  newly displaces and takes back what it frees. Neither Proof nor the page solves it; its cost\n"
            "  is that of such a solver.\n"
        )

    @staticmethod
    def page(folder: Path, element: LiveWater, stands: Set) -> dict[str, Any]:
        """Nothing: the page does not solve it."""
        return {}


def _bytes(effect: Effect, layer: WaterLayer) -> bytes:
    return (json.dumps(described(effect, layer), indent=1, ensure_ascii=False) + "\n").encode()
