"""The shimmer route: angles by which a gas's heat turns light."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tenka.base.words import counted
from tenka.effect.courses import still
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes.shimmer import Shimmer as Route
from tenka.look.shimmer import bends_of
from tenka.pack.layout import Box, span_of, taken
from tenka.pack.routes.base import Job, Output
from tenka.pack.routes.slices import lit_at
from tenka.pack.slicing import Slab, slab_of
from tenka.package.elements.shimmer import Shimmer
from tenka.package.manifest import Set
from tenka.package.parts import Texture


def _slab(route: Route, box: Box) -> Slab:
    return slab_of(np.asarray(box[0], float), np.asarray(box[1], float), route.heading, route.side, 1)


class ShimmerWriter:
    """An atlas of angles."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Shimmer:
        """The atlas on its sheet; how far its angles go is known when it is drawn."""
        route = delivery.by(Route)
        slab = _slab(route, box)
        view = slab.view
        first, last = span_of(effect, delivery)
        count = min(route.columns * route.rows, int((last - first) * effect.rate + 1e-6) + 1)
        x, y, z = (round(float(v), 6) for v in 0.5 * (np.asarray(box[0]) + np.asarray(box[1])))
        return Shimmer(
            id=delivery.id,
            name=delivery.name,
            layers=tuple(layer.name for layer in taken(effect, delivery)),
            times=tuple(round(float(t), 6) for t in np.linspace(first, last, count)),
            atlas=Texture(file=f"{delivery.id}_shimmer.png"),
            columns=route.columns,
            rows=route.rows,
            frame=(view.width, view.height),
            centre=(x, y, z),
            size=(2 * view.half_width, 2 * view.half_height),
            scale=1e-3,
            player=route.player,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Shimmer) -> list[Output]:
        """The atlas."""
        (wide, tall), (w, h) = element.textures[0], element.frame
        what = f"{wide} × {tall} px, {counted(len(element.times), 'frame')} of {w} × {h} px: angles"
        return [Output(element.atlas.file, what)]

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """The atlas while it is drawn."""
        route = delivery.by(Route)
        return 12 * route.columns * route.rows * route.side**2

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Shimmer:
        """Sum the missing index along every ray, moment by moment."""
        route, layer, box = delivery.by(Route), job.layer(delivery), job.box(delivery)
        element = ShimmerWriter.describe(job.effect, delivery, box, {}, job.folder)
        view = _slab(route, box).view
        w, h = element.frame
        sheet = np.zeros((element.rows * h, element.columns * w, 2), np.float32)
        job.progress.begin(len(element.times), f"Measuring the heat of {delivery.name}")
        for index, t in enumerate(element.times):
            row, column = divmod(index, element.columns)
            strength = np.float32(still(layer.look, t).shimmer)
            bends = strength * bends_of(lit_at(job, delivery, t), view)
            sheet[row * h : row * h + h, column * w : column * w + w] = bends
            job.progress.step()
        scale = max(float(np.abs(sheet).max()), 1e-9)
        texels = np.zeros((*sheet.shape[:2], 3), np.uint8)
        texels[..., :2] = np.rint(127.0 + 127.0 * sheet / scale)
        Image.fromarray(texels).save(job.target / element.atlas.file, compress_level=4)
        return element.model_copy(update={"scale": scale})

    @staticmethod
    def told(element: Shimmer) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        return (
            f"  {e.atlas.file}: frames of {e.frame[0]} x {e.frame[1]} px in {e.columns} x {e.rows} cells;\n"
            f"  ((red, green) / 127 - 1) x {e.scale:.6g} rad to the right and down, times `strength`.\n"
            f"  A sheet of {e.size[0]:.3f} x {e.size[1]:.3f} m at {e.centre} faces the camera;\n"
            "  what is b m behind it is seen angle x b m beside its place.\n"
        )

    @staticmethod
    def page(folder: Path, element: Shimmer, stands: Set) -> dict[str, Any]:
        """The atlas."""
        return {"images": element.files}
