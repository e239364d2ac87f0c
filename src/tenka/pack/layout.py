"""Where the frames of a flipbook lie, which moments they show and from which side: all that is known before
anything is drawn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.effect.document import replaced
from tenka.effect.model import REGIONS, Effect, Layer
from tenka.look.shot import SHOWN, seen
from tenka.package import manifest as form
from tenka.run.findings import Finding
from tenka.run.kinds import KINDS, kind_of
from tenka.scene.cameras import View, side_view
from tenka.scene.poses import pose_at

Box = tuple[np.ndarray, np.ndarray]


@dataclass(frozen=True)
class Layout:
    """Where each frame goes, and which moments they are.

    Attributes
    ----------
    cell, content : px, with and without padding
    times : s, of the frames in the order of the cells
    box : what is seen whole, low and high corner in m
    """

    cell: tuple[int, int]
    content: tuple[int, int]
    times: tuple[float, ...]
    box: Box
    size: tuple[float, float]  # m
    pivot: tuple[float, float]
    attach: tuple[float, float, float]


def packable(effect: Effect) -> list[Layer]:
    """The layers that are seen and can be drawn into a flipbook."""
    return [layer for layer in seen(effect) if layer.kind in SHOWN and layer.kind in KINDS]


def left_out(effect: Effect) -> list[Layer]:
    """The layers that are seen, and that no package holds: their kind is not drawn here."""
    held = {layer.id for layer in packable(effect)}
    return [layer for layer in seen(effect) if layer.id not in held]


def lost_flames(effect: Effect, only: str | None = None) -> list[Finding]:
    """The layers that burn, and of whose light the flipbook holds the heat alone; each with a mend."""
    return [
        Finding(
            f"{layer.name}'s flames are not in its flipbook: its second atlas holds heat alone",
            "Pack its light",
            replaced(effect, f"layers.{layer.id}.flipbook.second", "as needed"),
        )
        for layer in packable(effect)
        if layer.flames and second_of(layer) == "temperature" and only in (None, layer.id)
    ]


def box_of(effect: Effect, layer: Layer, figures: Mapping[int, dict[str, Any]]) -> Box | None:
    """The box in which a layer is seen; None while that is not known: it has not been simulated."""
    return kind_of(layer).bounds(effect, layer, dict(figures))


def span_of(effect: Effect, layer: Layer) -> tuple[float, float]:
    """First and last moment of a flipbook, s."""
    end = (effect.frames - 1) / effect.rate
    last = min(layer.flipbook.last, end)
    return min(layer.flipbook.first, last), last


def content_view(layout: Layout, heading: float, width: int, height: int) -> View:
    """The side from which frames are drawn: orthographic, holding the whole box."""
    return side_view(*layout.box, heading, width, height)


def layout(effect: Effect, layer: Layer, box: Box) -> Layout:
    """Lay out a layer's flipbook: moments evenly spread over its span, no more than there are frames.

    The pivot is the middle of the sources' feet, so that a sprite stands where the layer is born.

    Raises
    ------
    BadInput
        When a frame would have no pixel left.
    """
    book = layer.flipbook
    cell = (book.width // book.columns, book.height // book.rows)
    content = (cell[0] - 2 * book.padding, cell[1] - 2 * book.padding)
    if min(content) < 4:
        raise BadInput(
            f"{book.columns} x {book.rows} frames leave {content[0]} x {content[1]} px for each",
            "at least 4 x 4",
            place=f"layer {layer.name}, atlas",
        )
    first, last = span_of(effect, layer)
    count = min(book.columns * book.rows, int((last - first) * effect.rate + 1e-6) + 1)
    times = tuple(round(float(t), 9) for t in np.linspace(first, last, count))
    low, high = (np.asarray(b, float) for b in box)
    feet = [
        pose_at(s, effect.props, 0.0).origin - np.array([0, 0, s.size[2] / 2])
        for s in layer.sources
        if s.shape in REGIONS
    ]
    middle = (low + high) / 2
    base = np.mean(feet, axis=0) if feet else np.array([middle[0], middle[1], low[2]])
    view = side_view(low, high, book.heading, *content)
    px, py, _ = view.project(base[None])[0]
    size = (2 * view.half_width, 2 * view.half_height)
    x, y, z = (float(v) for v in base)
    pivot = (float(px / content[0]), float(1 - py / content[1]))
    return Layout(cell, content, times, (low, high), size, pivot, (x, y, z))


def second_of(layer: Layer) -> str:
    """What a layer's second atlas holds: emission, temperature or nothing (none)."""
    chosen = layer.flipbook.second
    if chosen == "as needed":
        return "emission" if layer.glows else "none"
    if chosen == "temperature" and not hasattr(layer, "fire"):
        return "emission" if layer.glows else "none"  # only a gas has a heat that can be seen
    return chosen


def describe(effect: Effect, layer: Layer, box: Box) -> form.Flipbook:
    """The flipbook as its manifest will state it, before anything is drawn."""
    book, plan, holds = layer.flipbook, layout(effect, layer, box), second_of(layer)
    second = None
    if holds == "emission" or holds == "temperature":
        second = form.SecondAtlas(file=f"{layer.id}_{holds}.png", holds=holds, scale=1.0)
    return form.Flipbook(
        id=layer.id,
        name=layer.name,
        colour=form.ColourAtlas(file=f"{layer.id}_colour.png", alpha=book.alpha_form),
        second=second,
        width=book.width,
        height=book.height,
        columns=book.columns,
        rows=book.rows,
        padding=book.padding,
        frames=len(plan.times),
        times=tuple(round(t, 6) for t in plan.times),
        size=plan.size,
        pivot=plan.pivot,
        attach=plan.attach,
        heading=book.heading,
        player=book.player,
    )


def atlas_bytes(layer: Layer) -> int:
    """Memory that a layer's atlases take while they are drawn."""
    book = layer.flipbook
    return book.width * book.height * 4 * (1 + (4 if second_of(layer) != "none" else 0))
