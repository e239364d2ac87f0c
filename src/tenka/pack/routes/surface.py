"""The surface route: a water's surface in atlases, and what the page plays of it."""

from __future__ import annotations

import base64
import math
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tenka.base.errors import BadInput
from tenka.base.words import counted
from tenka.effect.courses import still
from tenka.effect.model import Delivery, Effect, WaterLayer
from tenka.effect.routes.surface import SurfaceMaps as Route
from tenka.pack.layout import Box, the_layer
from tenka.pack.routes.base import Job, Output, moments_of
from tenka.pack.seas import Sampled, in_turn, kept_size, sampled, texels_of, turns_of
from tenka.package.elements.surface import Floor, Surface
from tenka.package.manifest import Set
from tenka.package.parts import Texture, vec3
from tenka.package.surfaces import Atlases
from tenka.water.basin import FILM

WIDEST = 16_384  # px of an atlas
PAGE_TEXELS, PAGE_MOMENTS = 96, 64  # along a side, and moments, that the page holds


def floor_of(layer: WaterLayer) -> Floor:
    """The basin's own floor."""
    box = layer.basin
    x, y = (round(o + 0.5 * s, 6) for o, s in zip(box.origin[:2], box.size[:2]))
    return Floor(height=box.origin[2], rise=layer.slope, middle=(x, y), seen=box.drawn)


def _sheet(count: int, frame: tuple[int, int]) -> tuple[int, int]:
    """Columns and rows of an atlas that is about square."""
    columns = max(1, min(count, round(math.sqrt(count * frame[1] / frame[0]))))
    return columns, -(-count // columns)


class SurfaceWriter:
    """Atlases of heights, covers and flow."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Surface:
        """The atlases on their sheets; how high its waves are is known when they are written."""
        route, layer = delivery.by(Route), the_layer(effect, delivery)
        cells, edge = layer.basin.cells, layer.basin.edge
        size, _ = kept_size(route, (cells[0] * edge, cells[1] * edge))
        frame = texels_of(size, route.texels)
        turns = turns_of(route, moments_of(effect, delivery), effect.rate)
        columns, rows = _sheet(len(turns.moments), frame)
        if max(columns * frame[0], rows * frame[1]) > WIDEST:
            raise BadInput(
                f"would be {columns * frame[0]:,} x {rows * frame[1]:,} px",
                f"at most {WIDEST:,} px: fewer texels, or one frame in more",
                place=f"{delivery.name}, surface",
            )
        own = figures.get(layer.id, {})
        held = [own[f] for f in turns.needed if f in own]
        start = turns.moments[0] / effect.rate
        x, y, _ = layer.basin.origin
        return Surface(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=tuple(round(f / effect.rate - start, 6) for f in turns.moments),
            heights=Texture(file=f"{delivery.id}_height.png"),
            covers=Texture(file=f"{delivery.id}_cover.png"),
            flow=Texture(file=f"{delivery.id}_flow.png") if route.flow else None,
            bits=16 if route.bits == "16" else 8,
            columns=columns,
            rows=rows,
            frame=frame,
            lowest=min([m.get("lowest", 0.0) for m in held], default=-0.5),
            highest=max([m.get("highest", 0.0) for m in held], default=0.5),
            deepest=max([m.get("deepest", 0.0) for m in held], default=max(layer.basin.depth, 0.0)),
            pace=max([m.get("fastest", 0.0) for m in held], default=0.0),
            level=layer.basin.level,
            origins=((x, y),) * len(turns.moments),
            size=size,
            loops=route.ends == "loop",
            edges=route.edges,
            normals=route.normals,
            floor=floor_of(layer),
            low=vec3(box[0]),
            high=vec3(box[1]),
            look=layer.look,
            player=route.player,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Surface) -> list[Output]:
        """The atlases."""
        (wide, tall), (w, h) = element.textures[0], element.frame
        cells = f"{wide} × {tall} px, {counted(len(element.times), 'frame')} of {w} × {h}"
        found = [
            Output(element.heights.file, f"{cells}: heights of {element.bits} bits"),
            Output(element.covers.file, f"{cells}: {'normals, ' * element.normals}foam, depth"),
        ]
        if element.flow is not None:
            found.append(Output(element.flow.file, f"{cells}: flow, and what hulls cover"))
        return found

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """The atlases while they are filled, and the frames that a loop holds."""
        route, layer = delivery.by(Route), the_layer(effect, delivery)
        size = layer.basin.size
        w, h = texels_of((size[0], size[1]), route.texels)
        count = len(moments_of(effect, delivery))
        return w * h * count * 14 + int(route.blend * effect.rate) * w * h * 24

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Surface:
        """Sample every frame, and fill the atlases."""
        route, layer, effect = delivery.by(Route), job.layer(delivery), job.effect
        element = SurfaceWriter.describe(
            effect, delivery, job.box(delivery), job.figures(delivery), job.folder
        )
        turns = turns_of(route, job.moments(delivery), effect.rate)
        w, h = element.frame
        sheet = (element.rows * h, element.columns * w)
        heights = np.zeros(sheet, np.float32)
        covers, flow = np.zeros((*sheet, 4), np.uint8), np.zeros((*sheet, 3), np.uint8)
        job.progress.begin(len(turns.moments), f"Sampling {delivery.name}")
        origins, changes, before, first = [], [], None, None
        surfaces = in_turn(
            turns, lambda of: job.frames(layer, of, True), lambda frame: sampled(frame, element.frame, route)
        )
        for index, now in enumerate(surfaces):
            row, column = divmod(index, element.columns)
            here = np.s_[row * h : row * h + h, column * w : column * w + w]
            heights[here] = _up(now.rise)
            covers[here] = _covers(now, element, route)
            flow[here] = _flow(now, element)
            origins.append((round(now.origin[0], 6), round(now.origin[1], 6)))
            if before is not None:
                changes.append(float(np.abs(now.rise - before.rise).mean()))
            first, before = now if first is None else first, now
            job.progress.step()
        seam = 0.0
        if element.loops and changes and first is not None and before is not None:
            usual = float(np.median(changes))
            seam = float(np.abs(first.rise - before.rise).mean()) / max(usual, 1e-12)
        lowest, highest = float(heights.min()), float(heights.max())
        highest = max(highest, lowest + 1e-4)
        top = 2.0**element.bits - 1.0
        level = np.clip((heights - lowest) / (highest - lowest), 0.0, 1.0) * top + 0.5
        kind = np.uint16 if element.bits == 16 else np.uint8
        Image.fromarray(level.astype(kind)).save(job.target / element.heights.file, compress_level=4)
        Image.fromarray(covers).save(job.target / element.covers.file, compress_level=4)
        if element.flow is not None:
            Image.fromarray(flow).save(job.target / element.flow.file, compress_level=4)
        return element.model_copy(
            update={"lowest": lowest, "highest": highest, "origins": tuple(origins), "seam": round(seam, 4)}
        )

    @staticmethod
    def told(element: Surface) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        (w, h), top = e.frame, 2**e.bits - 1
        text = (
            f"  {e.heights.file}: {len(e.times)} frames of {w} x {h} texels in {e.columns} x {e.rows} cells\n"
            f"  from the top left, y up in each. Height = {e.level:g} + {e.lowest:.6g} + v / {top} x "
            f"{e.highest - e.lowest:.6g} m.\n"
            f"  {e.covers.file}: "
            + ("normal x, y = (red, green) / 127.5 - 1, z = sqrt(1 - x x - y y); " if e.normals else "")
            + f"foam = blue / 255;\n  depth = alpha / 255 x {e.deepest:.6g} m, 0 where it is dry: draw "
            "nothing there.\n"
        )
        if e.flow is not None:
            text += (
                f"  {e.flow.file}: flow x, y = ((red, green) / 127.5 - 1) x {e.pace:.6g} m/s; blue / 255 is\n"
                "  how much of the texel a hull covers: draw no water where it is over a half.\n"
            )
        a, b, c = e.look.absorbs
        mirror = ((e.look.bends - 1) / (e.look.bends + 1)) ** 2
        text += (
            f"  A plane of {e.size[0]:g} x {e.size[1]:g} m from `origins` of the frame, of\n"
            "  `squares` squares; blend two frames by time"
            f"{', round and round' if e.loops else '; then it stays as it ended'}.\n"
            "  Filter within a frame alone: keep half a texel from its sides.\n"
            f"  Water of d m lets through exp(-({a:g}, {b:g}, {c:g}) d - {e.look.murk:g} d) and mirrors by\n"
            f"  Schlick's law, with {mirror:.4f} straight down. Waves, foam and pace may be multiplied as\n"
            "  the player says.\n"
        )
        return text

    @staticmethod
    def page(folder: Path, element: Surface, stands: Set) -> dict[str, Any]:
        """Heights, foam and depth of some moments, coarse, as bytes of pictures in an array."""
        atlas = Atlases(folder, element)
        even = np.linspace(0, len(element.times) - 1, min(PAGE_MOMENTS, len(element.times)))
        chosen = np.unique(even.round().astype(int)).tolist()
        step = max(1, -(-max(element.frame) // PAGE_TEXELS))
        span = max(element.highest - element.lowest, 1e-6)
        layers = []
        for index in chosen:
            now = atlas.at(index)
            rise, foam, depth = (f[::step, ::step] for f in (now.rise, now.foam, now.depth))
            share = np.clip((rise - element.lowest) / span, 0.0, 1.0) * 65535.0 + 0.5
            whole = share.astype(np.uint16)
            deep = np.clip(depth / max(element.deepest, 1e-6), 0, 1) * 255 + 0.5
            texels = np.stack([whole >> 8, whole & 255, foam * 255 + 0.5, deep], axis=2).astype(np.uint8)
            layers.append(np.swapaxes(texels, 0, 1))
        look = still(element.look, 0.0)
        cell = element.size[0] / element.frame[0]
        return {
            "shape": [layers[0].shape[1], layers[0].shape[0]],
            "step": cell * step,
            "first": [0.5 * cell, 0.5 * cell],
            "times": [element.times[n] for n in chosen],
            "origins": [element.origins[n] for n in chosen],
            "rough": float(look.rough),
            "foam": float(look.foam),
            "ripples": float(look.ripples),
            "layers": base64.b64encode(zlib.compress(np.stack(layers).tobytes(), 6)).decode(),
        }


def _up(field: np.ndarray) -> np.ndarray:
    """A field, (nx, ny, ...), as rows of a picture from the top."""
    return np.swapaxes(field, 0, 1)[::-1]


def _covers(now: Sampled, element: Surface, route: Route) -> np.ndarray:
    step = [s / n for s, n in zip(element.size, element.frame)]
    if route.normals:
        if route.edges == "tiled":
            slopes = [(np.roll(now.rise, -1, a) - np.roll(now.rise, 1, a)) / (2 * step[a]) for a in (0, 1)]
        else:
            slopes = list(np.gradient(now.rise, *step))
        over = 1.0 / np.sqrt(1.0 + slopes[0] ** 2 + slopes[1] ** 2)
        x, y = -slopes[0] * over, -slopes[1] * over
    else:
        x = y = np.zeros_like(now.rise)
    deep = np.where(now.depth > FILM, np.maximum(now.depth / max(element.deepest, 1e-6), 1 / 255), 0.0)
    parts = [127.5 + 127.5 * x, 127.5 + 127.5 * y, 255 * now.foam, 255 * deep]
    return _up(np.clip(np.rint(np.stack(parts, axis=2)), 0, 255).astype(np.uint8))


def _flow(now: Sampled, element: Surface) -> np.ndarray:
    scale = 127.5 / max(element.pace, 1e-6)
    parts = [127.5 + scale * now.flow[0], 127.5 + scale * now.flow[1], 255 * now.under]
    return _up(np.clip(np.rint(np.stack(parts, axis=2)), 0, 255).astype(np.uint8))
