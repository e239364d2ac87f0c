"""The live grid route: a gas described for a small solver in the game."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.catalogue import plain, walk
from tenka.effect.courses import Course, value_at
from tenka.effect.model import Delivery, Effect, GasLayer, heard
from tenka.effect.routes.grid import LiveGrid as Route
from tenka.pack.layout import Box, span_of, the_layer
from tenka.pack.routes.base import Job, Output
from tenka.package.elements.grid import LiveGrid
from tenka.package.manifest import Set
from tenka.package.parts import Texture, vec3


def told_settings(effect: Effect, node: Any) -> dict[str, Any]:
    """Every setting below a thing: its value with its unit, or its values at every frame."""
    found = {}
    for path, p, value, _ in walk(node):
        if isinstance(value, Course):
            times = np.arange(effect.frames) / effect.rate
            held: Any = [round(float(value_at(value, float(t))), 6) for t in times]
        else:
            held = plain(value)
        found[path] = {"value": held, "unit": p.unit} if p.unit else {"value": held}
    return found


def described(effect: Effect, layer: GasLayer) -> dict[str, Any]:
    """A layer in words and numbers for who writes a solver."""
    stops = {c.prop for c in heard(layer.colliders)}
    props = {p.id: p.name for p in effect.props if p.id in stops}
    return {
        "rate": effect.rate,
        "frames": effect.frames,
        "sources": {s.name: told_settings(effect, s) for s in heard(layer.sources)},
        "motion": told_settings(effect, layer.motion),
        "fire": told_settings(effect, layer.fire),
        "fading": told_settings(effect, layer.fading),
        "forces": {f.name: told_settings(effect, f) for f in heard(effect.forces)},
        "stopped_by": sorted(props.values()),
    }


class GridWriter:
    """A description."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> LiveGrid:
        """The box that holds the gas, in so many voxels."""
        route, layer = delivery.by(Route), the_layer(effect, delivery)
        low, high = (np.asarray(b, float) for b in box)
        voxel = float((high - low).max()) / route.longest
        shape = np.maximum(np.ceil((high - low) / voxel - 1e-6), 1).astype(int)
        first, last = span_of(effect, delivery)
        return LiveGrid(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=(round(first, 6), round(last, 6)),
            table=Texture(file=f"{delivery.id}_grid.json"),
            low=vec3(low),
            high=vec3(low + shape * voxel),
            shape=(int(shape[0]), int(shape[1]), int(shape[2])),
            voxel=voxel,
            rate=route.rate,
            passes=route.passes,
            samples=route.samples,
            burns=layer.flames,
            look=layer.look,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: LiveGrid) -> list[Output]:
        """The description, to the byte."""
        layer = the_layer(effect, delivery)
        x, y, z = element.shape
        what = f"{x} × {y} × {z} voxels, sources, forces and movement; Proof does not solve it"
        return [Output(element.table.file, what, float(len(_bytes(effect, layer))), True)]

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """A few numbers."""
        return 1_000_000

    @staticmethod
    def write(job: Job, delivery: Delivery) -> LiveGrid:
        """Write the description."""
        element = GridWriter.describe(job.effect, delivery, job.box(delivery), {}, job.folder)
        (job.target / element.table.file).write_bytes(_bytes(job.effect, job.layer(delivery)))
        return element

    @staticmethod
    def told(element: LiveGrid) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        x, y, z = e.shape
        return (
            f"  {e.table.file}: sources, forces, movement, each value with its unit, courses by frame.\n"
            f"  {x} x {y} x {z} voxels of {e.voxel:.4f} m from {e.low} m; {e.rate:g} steps a second,\n"
            f"  {e.passes} passes of pressure. Carry density and heat along, add sources, let heat rise,\n"
            "  then take the divergence out. Neither Proof nor the page solves it; its cost is that of\n"
            "  such a solver.\n"
        )

    @staticmethod
    def page(folder: Path, element: LiveGrid, stands: Set) -> dict[str, Any]:
        """Nothing: the page does not solve it."""
        return {}


def _bytes(effect: Effect, layer: GasLayer) -> bytes:
    return (json.dumps(described(effect, layer), indent=1, ensure_ascii=False) + "\n").encode()
