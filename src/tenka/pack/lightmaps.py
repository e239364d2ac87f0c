"""Light maps of a gas: how it looks lit from six sides and from all round, from which a game lights it anew;
and what follows from them: which way it faces, and how far away it is. Thrown water says the latter by its
surface.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.srgb import to_srgb
from tenka.effect.courses import still
from tenka.effect.model import Delivery, Effect, Flipbook, Light
from tenka.look.colour import black_body_colour
from tenka.look.liquids import Splash
from tenka.look.march import march
from tenka.look.shot import shot_of
from tenka.look.skins import met
from tenka.look.triangles import FAR
from tenka.look.volume import LitVolume, light_volume, sky_of, smoothed
from tenka.pack.layout import Layout, able_of, content_view, maps_asked, taken
from tenka.pack.slicing import slab_round, sliced
from tenka.package.elements import flipbook as form
from tenka.scene.cameras import View
from tenka.scene.meshes import joined

SIDES = ("right", "left", "top", "bottom", "back", "front")
WHITE = 5778.0  # K: the colour is taken out again
DEEP = 32  # slices in which the distance is found
LEAST = 1 / 255  # of cover: less is nowhere


OF = {"light maps": "gas alone", "normals": "gas alone or thrown water alone"}
OF["depth"] = OF["normals"]


def asked_in_vain(effect: Effect, delivery: Delivery) -> str:
    """What is asked for and cannot be made, as a phrase; nothing where all can."""
    if delivery.route.kind != "flipbook":
        return ""
    able = able_of(effect, delivery)
    vain = [name for name in maps_asked(delivery) if name not in able]
    if not vain:
        return ""
    layers = taken(effect, delivery)
    others = ", ".join(x.name for x in [x for x in layers if vain[0] not in x.MAPS] or layers)
    return (
        f"{delivery.name} gets no {' and '.join(vain)}: they are made of {OF[vain[0]]}, and it draws {others}"
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
    view = content_view(plan, delivery.by(Flipbook), width, height)
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


def skin_cell(
    effect: Effect, delivery: Delivery, frames: Mapping[str, Any], t: float, plan: Layout, folder: Path | None
) -> np.ndarray:
    """Thrown water by its surface, (height, width, 5): which way it faces to the right, up and to the
    viewer, how deep in the box it is seen, and where it is (1), averaged over four rays a texel."""
    width, height = plan.content
    view = content_view(plan, delivery.by(Flipbook), 2 * width, 2 * height)
    alone = effect.model_copy(update={"layers": tuple(taken(effect, delivery))})
    near, far = slab_round(*plan.box, view, 1).edges
    deep = np.full((view.height, view.width), FAR, np.float32)
    out = np.zeros((view.height, view.width, 5), np.float32)
    axes = np.stack([view.right, view.up, -view.forward]).astype(np.float32)
    for splash in shot_of(alone, frames, folder, t, joined([])).waters:
        if not isinstance(splash, Splash):
            continue
        depth, facing = met(splash, view, deep)
        hit = depth < deep
        out[hit, :3] = facing[hit] @ axes.T
        out[hit, 3] = np.clip((depth[hit] - near) / max(far - near, 1e-6), 0.0, 1.0)
        out[hit, 4] = 1.0
        deep = np.minimum(deep, depth)
    mean: np.ndarray = out.reshape(height, 2, width, 2, 5).mean(axis=(1, 3))
    return mean


def depth_cell(
    effect: Effect, delivery: Delivery, frames: Mapping[str, Any], t: float, plan: Layout
) -> np.ndarray:
    """How far what is seen lies in the box, from its near side (0) to its far side (1), (height, width): the
    mean over what each depth gives to the picture; 1 where nothing is."""
    width, height = plan.content
    view = content_view(plan, delivery.by(Flipbook), width, height)
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


def facing_of(skin: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Unit vectors (h, w, 3) and depths (h, w) of what `skin_cell` gave; where no surface is, they face the
    viewer and lie far."""
    way, there = skin[..., :3], skin[..., 4]
    size = np.linalg.norm(way, axis=2, keepdims=True)
    flat = np.array([0.0, 0.0, 1.0], np.float32)
    normals = np.where(size > 1e-3, way / np.maximum(size, 1e-3), flat)
    depth = np.where(there > LEAST, skin[..., 3] / np.maximum(there, LEAST), 1.0)
    return normals.astype(np.float32), depth.astype(np.float32)


class LightSheets:
    """The light maps as they are filled; their scales are known at the end."""

    def __init__(self, element: form.Flipbook, able: tuple[str, ...], folder: Path | None) -> None:
        self.element, self.folder = element, folder
        shape, by_light = (element.height, element.width), "light maps" in able
        asks = element.normals is not None or element.distance is not None
        self.skin = np.zeros((*shape, 5), np.float32) if asks and not by_light else None
        lit = by_light and (element.lit is not None or element.normals is not None)
        self.lit = np.zeros((*shape, 8), np.float32) if lit else None
        self.depth = np.ones(shape, np.float32) if by_light and element.distance is not None else None
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
            if self.skin is not None:
                self.skin[place] += np.float32(share) * skin_cell(
                    effect, delivery, frames, t, plan, self.folder
                )
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
        normals = None if self.lit is None else faces(self.lit)
        depth = self.depth
        if self.skin is not None:
            normals, depth = facing_of(self.skin)
        if e.normals is not None and normals is not None:
            found.append((e.normals.file, _bytes(0.5 + 0.5 * normals)))
        if e.distance is not None and depth is not None:
            found.append((e.distance.file, _bytes(depth)))
        return e, found


def _bytes(values: np.ndarray) -> np.ndarray:
    found: np.ndarray = (np.clip(values, 0.0, 1.0) * 255.0 + 0.5).astype(np.uint8)
    return found
