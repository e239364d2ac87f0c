"""The slices route: cross-sections of a gas, lit by the whole, an atlas for each."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tenka.base.srgb import to_srgb
from tenka.base.words import counted
from tenka.cache.store import Frame
from tenka.effect.courses import still, value_at
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes.slices import SliceStack
from tenka.look.lamps import WIDE
from tenka.look.shot import shot_of
from tenka.look.volume import LitVolume, light_volume
from tenka.pack.layout import Box, span_of, taken
from tenka.pack.routes.base import Job, Output
from tenka.pack.slicing import Slab, slab_of, sliced
from tenka.package.elements.slices import Slice, Slices
from tenka.package.manifest import Set
from tenka.package.parts import vec3
from tenka.run.driver import frame_between
from tenka.scene.meshes import joined

FINE = 4  # times as many slices are looked at when sheets are spaced
PLAIN = 0.25  # of the mean that every stretch of depth counts at least
MOMENTS = 5  # that are looked at for that
SEEN = 1.5 / 255


def _slab(route: SliceStack, box: Box) -> Slab:
    low, high = (np.asarray(b, float) for b in box)
    return slab_of(low, high, route.heading, route.side, route.count)


def _times(effect: Effect, delivery: Delivery) -> tuple[float, ...]:
    route = delivery.by(SliceStack)
    first, last = span_of(effect, delivery)
    count = min(route.columns * route.rows, int((last - first) * effect.rate + 1e-6) + 1)
    return tuple(round(float(t), 6) for t in np.linspace(first, last, count))


def _element(effect: Effect, delivery: Delivery, slab: Slab) -> Slices:
    route = delivery.by(SliceStack)
    axes = slab.axes
    deep = float(np.linalg.norm(axes[2]))
    middles = 0.5 * (slab.edges[1:] + slab.edges[:-1]) - slab.edges[0]
    sheets = tuple(
        Slice(file=f"{delivery.id}_slice_{n + 1:02d}.png", away=round(float(away), 6))
        for n, away in enumerate(middles)
    )
    return Slices(
        id=delivery.id,
        name=delivery.name,
        layers=tuple(layer.name for layer in taken(effect, delivery)),
        times=_times(effect, delivery),
        sheets=sheets,
        columns=route.columns,
        rows=route.rows,
        frame=(slab.view.width, slab.view.height),
        corner=vec3(slab.corner),
        axes=(vec3(axes[0]), vec3(axes[1]), vec3(axes[2] / deep)),
        deep=round(deep, 6),
        scale=1.0,
        player=route.player,
    )


class SlicesWriter:
    """Sheets one behind the other."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Slices:
        """Even sheets; those without anything are known when they are drawn."""
        return _element(effect, delivery, _slab(delivery.by(SliceStack), box))

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Slices) -> list[Output]:
        """An atlas for each sheet."""
        wide, tall = element.textures[0]
        w, h = element.frame
        what = f"{counted(len(element.sheets), 'sheet')}, each {wide} × {tall} px: "
        what += f"{counted(len(element.times), 'frame')} of {w} × {h} px"
        return [Output(f"{element.files[0]} to {element.files[-1]}", what)]

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """All sheets while they are drawn."""
        route = delivery.by(SliceStack)
        return 16 * route.count * route.columns * route.rows * route.side**2

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Slices:
        """Cut every moment, and write the sheets that hold anything."""
        effect, route = job.effect, delivery.by(SliceStack)
        slab = _slab(route, job.box(delivery))
        times = _times(effect, delivery)
        if route.spacing == "where it changes":
            slab = _spaced(job, delivery, slab, times)
        element = _element(effect, delivery, slab)
        gain = np.float32(2.0 ** value_at(effect.light.exposure, 0.0))
        w, h = element.frame
        shape = (len(element.sheets), route.rows * h, route.columns * w, 4)
        stack = np.zeros(shape, np.float32)
        job.progress.begin(len(times), f"Cutting {delivery.name}")
        for index, t in enumerate(times):
            parts = sliced(lit_at(job, delivery, t), slab)
            row, column = divmod(index, route.columns)
            place = (slice(None), slice(row * h, row * h + h), slice(column * w, column * w + w))
            stack[(*place, slice(0, 3))] = (parts[..., :3] + parts[..., 4:7]) * gain
            stack[(*place, 3)] = parts[..., 3]
            job.progress.step()
        scale = max(1.0, float(stack[..., :3].max()))
        kept = []
        for n, sheet in enumerate(element.sheets):
            if stack[n].max() < SEEN:
                continue
            texels = np.concatenate([to_srgb(stack[n, ..., :3] / scale), stack[n, ..., 3:]], axis=2)
            texels = (np.clip(texels, 0, 1) * 255 + 0.5).astype(np.uint8)
            Image.fromarray(texels, "RGBA").save(job.target / sheet.file, compress_level=4)
            kept.append(sheet)
            job.progress.check()
        if not kept:  # nothing is ever seen: one empty sheet says so
            kept = [element.sheets[0]]
            empty = np.zeros(stack.shape[1:], np.uint8)
            Image.fromarray(empty, "RGBA").save(job.target / kept[0].file, compress_level=4)
        return element.model_copy(update={"sheets": tuple(kept), "scale": scale})

    @staticmethod
    def told(element: Slices) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        w, h = e.frame
        return (
            f"  {e.files[0]} ...: {counted(len(e.sheets), 'sheet')}, frames of {w} x {h} px in "
            f"{e.columns} x {e.rows} cells.\n"
            "  A sheet's texel (u, v), from the left and from below, is at corner + away axes[2]\n"
            f"  + u axes[0] + v axes[1]; its light is its colour, decoded from sRGB, times {e.scale:.6g},\n"
            "  premultiplied. Seen from aside, with c the cosine of the angle to a sheet's normal (not\n"
            "  below 1/8), A = 1 - (1 - a)^(1/c) and light times A / a. Draw sheets from the farthest:\n"
            "  picture = light + picture (1 - A); mix two frames in time.\n"
        )

    @staticmethod
    def page(folder: Path, element: Slices, stands: Set) -> dict[str, Any]:
        """The sheets' pictures."""
        return {"images": element.files}


def lit_at(job: Job, delivery: Delivery, t: float) -> LitVolume:
    """A gas at a moment under the lights of the effect, s."""
    effect, layer = job.effect, job.layer(delivery)
    frame: Frame = frame_between(job.plans[layer.id], job.store, t, job.progress)
    alone = effect.model_copy(update={"layers": (layer,)})
    shot = shot_of(alone, {layer.id: frame}, job.folder, t, joined([]), {}, {})
    lamps = np.array([lamp.row for lamp in shot.on(layer.name)], np.float32).reshape(-1, WIDE)
    return light_volume(frame, still(layer.look, t), still(effect.light, t), lamps=lamps)


def _spaced(job: Job, delivery: Delivery, slab: Slab, times: tuple[float, ...]) -> Slab:
    """Sheets so that each holds as much of what is seen and of how it changes with depth."""
    count = len(slab.edges) - 1
    fine = Slab(
        slab.view.sized(24, max(4, round(24 * slab.view.height / slab.view.width))),
        np.linspace(slab.edges[0], slab.edges[-1], FINE * count + 1),
    )
    weight = np.zeros(FINE * count)
    chosen = np.unique(np.linspace(0, len(times) - 1, MOMENTS).round().astype(int)).tolist()
    job.progress.begin(len(chosen), f"Looking at {delivery.name}")
    for index in chosen:
        alpha = sliced(lit_at(job, delivery, times[index]), fine)[..., 3]
        weight += alpha.mean(axis=(1, 2)) + np.abs(np.gradient(alpha, axis=0)).mean(axis=(1, 2))
        job.progress.step()
    if weight.sum() <= 0:
        return slab
    sums = np.concatenate([[0.0], np.cumsum(weight + PLAIN * weight.mean())])
    return Slab(slab.view, np.interp(np.linspace(0, sums[-1], count + 1), sums, fine.edges))
