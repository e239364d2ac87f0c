"""Light maps of a gas: how it looks lit from six sides and from all round, from which a game lights it anew;
and what follows from them: which way it faces, and how far away it is.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from tenka.base.srgb import to_srgb
from tenka.effect.courses import still
from tenka.effect.model import FIELD, Delivery, Effect, Flipbook, Light
from tenka.look.colour import black_body_colour
from tenka.look.march import march
from tenka.look.volume import LitVolume, light_volume, sky_of, smoothed
from tenka.pack.layout import Layout, content_view, taken
from tenka.pack.slicing import slab_round, sliced
from tenka.package.elements import flipbook as form
from tenka.scene.cameras import View

SIDES = ("right", "left", "top", "bottom", "back", "front")
WHITE = 5778.0  # K: the colour is taken out again
DEEP = 32  # slices in which the distance is found
LEAST = 1 / 255  # of cover: less is nowhere


def only_gas(effect: Effect, delivery: Delivery) -> bool:
    """Whether light maps can be made: of gas alone."""
    return all(layer.HANDS == FIELD for layer in taken(effect, delivery))


def asked_in_vain(effect: Effect, delivery: Delivery) -> str:
    """What is asked for and cannot be made, as a phrase; nothing where all can."""
    if delivery.route.kind != "flipbook":
        return ""
    book = delivery.by(Flipbook)
    wanted = [
        n
        for n, on in (("light maps", book.six_way), ("normals", book.normals), ("depth", book.distance))
        if on
    ]
    if not wanted or only_gas(effect, delivery):
        return ""
    others = ", ".join(x.name for x in taken(effect, delivery) if x.HANDS != FIELD)
    return (
        f"{delivery.name} gets no {' and '.join(wanted)}: they are made of gas alone, and it draws {others}"
    )


def _heading_of(view: View, side: str) -> tuple[float, float]:
    """Heading and height, degrees, of a light from a side of a level view."""
    way = {
        "right": view.right,
        "left": -view.right,
        "top": view.up,
        "bottom": -view.up,
        "back": view.forward,
        "front": -view.forward,
    }[side]
    flat = float(np.hypot(way[0], way[1]))
    heading = float(np.degrees(np.arctan2(way[1], way[0]))) if flat > 1e-6 else 0.0
    return heading, float(np.degrees(np.arctan2(way[2], flat)))


def lit_cell(
    effect: Effect, delivery: Delivery, frames: Mapping[str, Any], t: float, plan: Layout
) -> tuple[np.ndarray, np.ndarray]:
    """Light of each side, then from all round, and cover, (height, width, 8), red, green and blue alike; and
    how much of each colour comes back on the whole, (3,)."""
    width, height = plan.content
    view = content_view(plan, delivery.by(Flipbook).heading, width, height)
    base = still(effect.light, t).model_copy(update={"kelvin": WHITE, "strength": 1.0, "sky": 0.0})
    out, whole = np.zeros((height, width, 8), np.float32), np.zeros(3)
    for layer in taken(effect, delivery):
        frame = frames[layer.id]
        look, fields = still(layer.look, t).model_copy(update={"flame": 0.0, "glow": 0.0}), smoothed(frame)
        cover = None
        for n, side in enumerate((*SIDES, "round")):
            light = _turned(base, view, side)
            lit = march(light_volume(frame, look, light, fields), view)
            given = black_body_colour(WHITE) if side != "round" else np.asarray(sky_of(light), float)
            colour = lit[..., :3] / np.maximum(given, 1e-6).astype(np.float32)
            out[..., n] += colour.mean(axis=2)
            whole += colour.sum(axis=(0, 1), dtype=float)
            cover = lit[..., 3]
        assert cover is not None
        out[..., 7] = cover + (1.0 - cover) * out[..., 7]
    return out, whole


def _turned(base: Light, view: View, side: str) -> Light:
    """A light from a side alone, or the sky alone."""
    if side == "round":
        return base.model_copy(update={"strength": 0.0, "sky": 1.0})
    heading, height = _heading_of(view, side)
    return base.model_copy(update={"heading": heading, "height": height})


def depth_cell(
    effect: Effect, delivery: Delivery, frames: Mapping[str, Any], t: float, plan: Layout
) -> np.ndarray:
    """How far what is seen lies in the box, from its near side (0) to its far side (1), (height, width): the
    mean over what each depth gives to the picture; 1 where nothing is."""
    width, height = plan.content
    view = content_view(plan, delivery.by(Flipbook).heading, width, height)
    slab = slab_round(*plan.box, view, DEEP)
    through = np.ones((height, width), np.float32)
    sums, weight = np.zeros_like(through), np.zeros_like(through)
    volumes: list[LitVolume] = []
    for layer in taken(effect, delivery):
        look = still(layer.look, t)
        volumes.append(light_volume(frames[layer.id], look, still(effect.light, t)))
    stacks = [sliced(volume, slab)[..., 3] for volume in volumes]
    for n in range(DEEP):
        here = np.zeros_like(through)
        for stack in stacks:
            here = stack[n] + (1.0 - stack[n]) * here
        sums += through * here * np.float32((n + 0.5) / DEEP)
        weight += through * here
        through *= 1.0 - here
    return np.where(weight > LEAST, sums / np.maximum(weight, LEAST), 1.0).astype(np.float32)


def faces(lit: np.ndarray) -> np.ndarray:
    """Which way a gas faces, (h, w, 3) unit vectors to the right, up and to the viewer: the way from which it
    is lit most, which of an opaque body is its normal (Woodham 1980)."""
    right, left, top, bottom, back, front = (lit[..., n] for n in range(6))
    way = np.stack([right - left, top - bottom, np.maximum(front - back, 0.0) + 0.25 * front], axis=2)
    size = np.linalg.norm(way, axis=2, keepdims=True)
    flat = np.array([0.0, 0.0, 1.0], np.float32)
    found: np.ndarray = np.where(size > 1e-6, way / np.maximum(size, 1e-6), flat)
    return found


class LightSheets:
    """The light maps as they are filled; their scales are known at the end."""

    def __init__(self, element: form.Flipbook) -> None:
        self.element = element
        shape = (element.height, element.width)
        self.lit = np.zeros((*shape, 8), np.float32) if element.lit or element.normals else None
        self.depth = np.ones(shape, np.float32) if element.distance is not None else None
        self.whole = np.zeros(3)

    def put(
        self,
        effect: Effect,
        delivery: Delivery,
        held: list[tuple[float, float, Any]],
        plan: Layout,
        y: int,
        x: int,
    ) -> None:
        """Draw what is asked for into a cell: of some moments, each with its share, time and frames."""
        place = slice(y, y + plan.content[1]), slice(x, x + plan.content[0])
        if self.depth is not None:
            self.depth[place] = 0.0
        for share, t, frames in held:
            if self.lit is not None:
                lit, whole = lit_cell(effect, delivery, frames, t, plan)
                self.lit[place] += np.float32(share) * lit
                self.whole += share * whole
            if self.depth is not None:
                self.depth[place] += np.float32(share) * depth_cell(effect, delivery, frames, t, plan)

    def pictures(self) -> tuple[form.Flipbook, list[tuple[str, np.ndarray]]]:
        """The element with its scales, and each file's texels."""
        e, found = self.element, list[tuple[str, np.ndarray]]()
        if e.lit is not None and self.lit is not None:
            scale, around = (max(float(self.lit[..., c].max()), 1e-6) for c in (slice(0, 6), 6))
            coded = np.clip(to_srgb(self.lit[..., :6] / np.float32(scale)), 0, 1)
            first = np.concatenate([coded[..., :3], self.lit[..., 7:8]], axis=2)
            second = np.concatenate([coded[..., 3:6], self.lit[..., 6:7] / np.float32(around)], axis=2)
            found += [(e.lit.first.file, _bytes(first)), (e.lit.second.file, _bytes(second))]
            tint = self.whole / max(float(self.whole.mean()), 1e-9)
            r, g, b = (round(float(v), 5) for v in np.clip(tint, 0, 3))
            lit = e.lit.model_copy(update={"scale": scale, "round_scale": around, "tint": (r, g, b)})
            e = e.model_copy(update={"lit": lit})
        if e.normals is not None and self.lit is not None:
            found.append((e.normals.file, _bytes(0.5 + 0.5 * faces(self.lit))))
        if e.distance is not None and self.depth is not None:
            found.append((e.distance.file, _bytes(self.depth)))
        return e, found


def _bytes(values: np.ndarray) -> np.ndarray:
    found: np.ndarray = (np.clip(values, 0.0, 1.0) * 255.0 + 0.5).astype(np.uint8)
    return found
