"""The flipbook route: frames drawn from a side, laid out in an atlas, written with manifest and set."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from tenka.base.errors import BadInput, TooLarge
from tenka.base.files import swap_folder
from tenka.base.jobs import Progress
from tenka.base.srgb import to_srgb
from tenka.cache.store import Frame, FrameStore
from tenka.effect.document import with_levers
from tenka.effect.model import REGIONS, Effect, GasLayer
from tenka.gas.grid import Grid, free_bytes
from tenka.look.colour import glow_table
from tenka.look.march import light_volume, march
from tenka.package import manifest as form
from tenka.run.driver import Plan, simulate, stored_frames
from tenka.scene.cameras import View, side_view
from tenka.scene.glb import to_bytes
from tenka.scene.poses import pose_at
from tenka.scene.props import prop_mesh

BLACK_BODY_STEPS = 33


@dataclass(frozen=True)
class Layout:
    """Where each frame goes, and which frames."""

    cell: tuple[int, int]  # px, with padding
    content: tuple[int, int]  # px
    frames: tuple[int, ...]  # effect frames, in the order of the cells
    size: tuple[float, float]  # m
    pivot: tuple[float, float]
    attach: tuple[float, float, float]


def content_view(layer: GasLayer, width: int, height: int) -> View:
    """The side from which frames are drawn: orthographic, holding the whole domain."""
    grid = Grid.of(layer.domain)
    low = np.asarray(grid.origin)
    return side_view(low, low + np.asarray(grid.size), layer.flipbook.heading, width, height)


def _gas(effect: Effect, id: str | None) -> GasLayer:
    """The gas layer whose flipbook is written."""
    try:
        return effect.gas(id)
    except KeyError:
        raise BadInput(
            f"'{id}' is no gas, which alone is packed as a flipbook" if id else "has no gas to pack", "a gas layer", place="pack"
        ) from None


def layout(effect: Effect, layer: GasLayer) -> Layout:
    """Lay out a layer's flipbook.

    The pivot is the middle of the sources' feet, so that a sprite stands where the gas is born.

    Raises
    ------
    BadInput
        When a frame would have no pixel left.
    """
    book = layer.flipbook
    cell = (book.width // book.columns, book.height // book.rows)
    content = (cell[0] - 2 * book.padding, cell[1] - 2 * book.padding)
    if min(content) < 4:
        raise BadInput(f"{book.columns} x {book.rows} frames leave {content[0]} x {content[1]} px for each", "at least 4 x 4",
                       place=f"layer {layer.name}, atlas")  # fmt: skip
    last = min(round(book.last * effect.rate), effect.frames - 1)
    first = min(round(book.first * effect.rate), last)
    count = min(book.columns * book.rows, last - first + 1)
    frames = tuple(round(float(f)) for f in np.linspace(first, last, count))
    view = content_view(layer, *content)
    grid = Grid.of(layer.domain)
    feet = [pose_at(s, effect.props, 0.0).origin - np.array([0, 0, s.size[2] / 2]) for s in layer.sources if s.shape in REGIONS]
    base = np.mean(feet, axis=0) if feet else np.asarray(grid.origin) + np.array([grid.size[0] / 2, grid.size[1] / 2, 0])
    px, py, _ = view.project(base[None])[0]
    size = (2 * view.half_width, 2 * view.half_height)
    x, y, z = (float(v) for v in base)
    return Layout(cell, content, frames, size, (float(px / content[0]), float(1 - py / content[1])), (x, y, z))


def describe(effect: Effect, layer: GasLayer) -> form.Flipbook:
    """The flipbook as its manifest will state it, before anything is drawn."""
    book, plan = layer.flipbook, layout(effect, layer)
    second = None
    if book.second != "none":
        second = form.SecondAtlas(file=f"{layer.id}_{book.second}.png", holds=book.second, scale=1.0)
    return form.Flipbook(
        id=layer.id, name=layer.name, colour=form.ColourAtlas(file=f"{layer.id}_colour.png", alpha=book.alpha_form), second=second,
        width=book.width, height=book.height, columns=book.columns, rows=book.rows, padding=book.padding, frames=len(plan.frames),
        times=tuple(round(f / effect.rate, 6) for f in plan.frames), size=plan.size, pivot=plan.pivot, attach=plan.attach,
        heading=book.heading, player=book.player,
    )  # fmt: skip


def draw_cell(frame: Frame, effect: Effect, layer: GasLayer, width: int, height: int) -> np.ndarray:
    """One frame as `march` gives it, (height, width, 8), with twice the samples each way averaged for clean edges."""
    volume = light_volume(frame, layer.look, effect.light)
    view = content_view(layer, width * 2, height * 2)
    raw = march(volume, view)
    return raw.reshape(height, 2, width, 2, raw.shape[2]).mean(axis=(1, 3))


def encode(raw: np.ndarray, alpha_form: str, exposure: float) -> np.ndarray:
    """Linear premultiplied (h, w, 4+) to 8-bit RGBA: sRGB-encoded colour, premultiplied or straight."""
    alpha = np.clip(raw[..., 3:4], 0.0, 1.0)
    colour = raw[..., :3] * 2.0**exposure
    if alpha_form == "straight":
        colour = np.where(alpha > 1 / 512, colour / np.maximum(alpha, 1 / 512), 0.0)
    return (np.concatenate([to_srgb(colour), alpha], axis=2) * 255.0 + 0.5).astype(np.uint8)


class _Second:
    """The second atlas, whose scale is known only when all frames are drawn."""

    def __init__(self, holds: str, height: int, width: int) -> None:
        self.holds = holds
        self.data = np.zeros((height, width, 3) if holds == "emission" else (height, width), np.float32)

    def put(self, raw: np.ndarray, y: int, x: int) -> None:
        h, w = raw.shape[:2]
        if self.holds == "emission":
            self.data[y : y + h, x : x + w] = raw[..., 4:7]
        else:
            self.data[y : y + h, x : x + w] = np.where(raw[..., 3] > 1 / 255, raw[..., 7] / np.maximum(raw[..., 3], 1e-3), 0.0)

    def finish(self, exposure: float, glow: float) -> tuple[np.ndarray, float, tuple[tuple[float, float, float], ...]]:
        scale = max(1e-3, float(self.data.max()))
        if self.holds == "emission":
            gain = 2.0**exposure
            return (to_srgb(self.data / scale) * 255 + 0.5).astype(np.uint8), scale * gain, ()
        table = glow_table()
        at = np.linspace(0.0, scale, BLACK_BODY_STEPS) / (4400.0 - 288.15) * (len(table) - 1)
        rgb = np.stack([np.interp(at, np.arange(len(table)), table[:, c]) for c in range(3)], axis=1) * glow * 2.0**exposure
        lookup = tuple((round(float(r), 7), round(float(g), 7), round(float(b), 7)) for r, g, b in rgb)
        return (np.clip(self.data / scale, 0, 1) * 255 + 0.5).astype(np.uint8), scale, lookup


def pack(
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    out: Path,
    progress: Progress | None = None,
    layer_id: str | None = None,
    tier: str | None = None,
    drawn: Callable[[int, np.ndarray], None] | None = None,
) -> form.Manifest:
    """Write a package: simulate what is missing, draw, lay out, and swap the folder in whole.

    Parameters
    ----------
    folder : of the effect, for its meshes
    tier : use this tier's lever values as the player's own
    drawn : hears of each finished cell (index, RGBA)

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    progress = progress or Progress()
    if tier is not None:
        effect = with_levers(effect, tier)
    layer = _gas(effect, layer_id)
    plan = layout(effect, layer)
    book = layer.flipbook
    need = book.width * book.height * 4 * (1 + (4 if book.second != "none" else 0))
    if need > 0.5 * free_bytes():
        raise TooLarge(f"An atlas of {book.width} x {book.height} px would take about {need / 1e9:.1f} GB of memory; choose a smaller one.")
    run = Plan.of(effect, layer.id, folder)
    simulate(run, store, progress, (plan.frames[0], plan.frames[-1]))
    element = describe(effect, layer)

    def fill(target: Path) -> None:
        colour = np.zeros((book.height, book.width, 4), np.uint8)
        second = _Second(book.second, book.height, book.width) if book.second != "none" else None
        progress.begin(len(plan.frames), "Drawing frames")
        low, high = np.full(3, np.inf), np.full(3, -np.inf)
        for index, (_, frame) in enumerate(stored_frames(run, store, progress, list(plan.frames))):
            raw = draw_cell(frame, effect, layer, *plan.content)
            rgba = encode(raw, book.alpha_form, effect.light.exposure)
            row, column = divmod(index, book.columns)
            y, x = row * plan.cell[1] + book.padding, column * plan.cell[0] + book.padding
            colour[y : y + plan.content[1], x : x + plan.content[0]] = rgba
            if second is not None:
                second.put(raw, y, x)
            low, high = np.minimum(low, frame.origin), np.maximum(high, frame.high)
            if drawn is not None:
                drawn(index, rgba)
            progress.step()
        progress.begin(3, "Writing the atlas")
        Image.fromarray(colour, "RGBA").save(target / element.colour.file, compress_level=4)
        progress.step()
        final = element
        if second is not None and element.second is not None:
            data, scale, lookup = second.finish(effect.light.exposure, layer.look.glow)
            Image.fromarray(data).save(target / element.second.file, compress_level=4)
            final = element.model_copy(update={"second": element.second.model_copy(update={"scale": scale, "black_body": lookup})})
        progress.step()
        meshes = {p.id: prop_mesh(p, effect.props, folder) for p in effect.props if not p.hidden}
        credits = tuple(dict.fromkeys(p.credit for p in effect.props if p.credit and p.id in meshes))
        (target / "set.glb").write_bytes(to_bytes(meshes, effect.camera, "; ".join(credits)))
        light = effect.light
        path = f"layers.{layer.id}.flipbook.player."
        whole = form.Manifest(
            effect=effect.name, frame_rate=effect.rate, bounds_low=_vec(low), bounds_high=_vec(high),
            levers=tuple(lever.model_copy(update={"path": f"{layer.id}.player.{lever.path[len(path):]}"})
                         for lever in effect.levers if lever.path.startswith(path)),
            tiers=tuple(form.TierEntry(id=t.id, name=t.name, device=t.device, levers=t.levers) for t in effect.tiers),
            set=form.Set(file="set.glb", sun_heading=light.heading, sun_height=light.height, sun_strength=light.strength,
                         sun_kelvin=light.kelvin, sky=light.sky, exposure=light.exposure, credits=credits),
            elements=(final,),
        )  # fmt: skip
        (target / form.MANIFEST).write_bytes(whole.dumps())
        progress.step()

    swap_folder(out, fill)
    return form.read(out)


def _vec(v: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (round(float(c), 6) for c in v)
    return x, y, z
