"""The flipbook route: what is delivered drawn from a side, laid out in atlases."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tenka.base.blocks import psnr
from tenka.base.exr import exr_bytes
from tenka.base.randomness import stable_seed
from tenka.base.srgb import from_srgb, to_srgb
from tenka.base.words import counted
from tenka.effect.courses import most, value_at
from tenka.effect.model import Delivery, Effect
from tenka.effect.model import Flipbook as Book
from tenka.look.colour import ramp_table
from tenka.pack.atlases import MotionSheet, SecondSheet, bled, encode, levelled
from tenka.pack.cutting import cut_out, seen_of
from tenka.pack.dds import blended_error, dds_bytes, dds_size, opened
from tenka.pack.flipbook import draw_cell, frames_at, moved_cell, shares_of, survey_cells, surveyed_times
from tenka.pack.layout import Box, Layout, able_of, atlas_bytes, describe, framed, layout, second_of, taken
from tenka.pack.lightmaps import LightSheets
from tenka.pack.looked import keep_cut, look_name
from tenka.pack.routes.base import Job, Output
from tenka.pack.survey import Survey, seam_of
from tenka.pack.variants import jobs_of, whole_box
from tenka.package.atlas import halved
from tenka.package.elements.flipbook import BlockTexture, Flipbook
from tenka.package.manifest import Set

SECOND = {
    "emission": "  read() adds {file}: its colour, decoded from sRGB, times {scale:.6g}; may be above 1.\n",
    "temperature": (
        "  read() adds the glow of {file}: its red times {scale:.6g} K above the air, looked up in\n"
        "  `black_body` ({steps} even steps), times a.\n"
    ),
}
MOTION = (
    "  Along motion: with red and green of {file} from 0 to 255,\n"
    "  m = ((red, green) / 127 - 1) ({x:.6g}, {y:.6g}) is the way to the next frame as a share of a frame,\n"
    "  right and down. Read frame n at uv - f m and frame n + 1 at uv + (1 - f) m, each with its own m.\n"
)
LIT = (
    "  Lit anew: {a} has the light from right, left, top (decoded from sRGB, times {e.scale:.6g}),\n"
    "  {b} from bottom, back, front likewise, and from all round in alpha (times {e.round_scale:.6g}).\n"
    "  With l the unit vector to the light (right, up, to the viewer): colour = tint (light (lx^2 right or\n"
    "  left + ly^2 top or bottom + lz^2 front or back) + sky x all round), tint {e.tint}.\n"
)
CUT = (
    "  `cut_out` has convex shapes, {one}: corners (x, y) from the frame's lower left corner,\n"
    "  anticlockwise. Draw a fan of them, corner at (x - pivot_x, y - pivot_y) times the sprite's size,\n"
    "  instead of the whole frame; what is seen while frames n and n + 1 are blended is within shape n.\n"
)
OPACITIES = 1024


class FlipbookWriter:
    """Atlases of frames."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Flipbook:
        """The flipbook as its manifest will state it."""
        return describe(effect, delivery, box)

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Flipbook) -> list[Output]:
        """The atlases; what a PNG takes is known only when it is drawn."""
        size = f"{element.width} × {element.height} px"
        inner = [side - 2 * element.padding for side in element.cell]
        held = [
            Output(
                element.colour.file,
                f"{size}, {counted(element.frames, 'frame')} of {inner[0]} × {inner[1]} px, "
                f"{element.colour.alpha} alpha",
            )
        ]
        if element.second is not None:
            held.append(Output(element.second.file, f"{size}, {element.second.holds}"))
        if element.motion is not None:
            held.append(Output(element.motion.file, f"{size}, motion"))
        if element.lit is not None:
            held.append(Output(element.lit.first.file, f"{size}, light from right, left, top; cover"))
            held.append(Output(element.lit.second.file, f"{size}, light from bottom, back, front; all round"))
        if element.normals is not None:
            held.append(Output(element.normals.file, f"{size}, which way it faces"))
        if element.distance is not None:
            held.append(Output(element.distance.file, f"{size}, how deep it is seen"))
        for copy in element.further:
            held.append(
                Output(copy.file, "all light as 16-bit floats" if copy.file.endswith("exr") else "a copy")
            )
        for block in element.blocks:
            told = f"{block.form.upper()}, {counted(element.levels, 'level')}"
            taken_ = dds_size(element.width, element.height, element.levels, block.form)
            held.append(Output(block.file, told, float(taken_), True))
        return held

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """What the atlases take while they are drawn."""
        return atlas_bytes(effect, delivery)

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Flipbook:
        """Draw the frames of a delivery and write its atlases."""
        effect, book, progress = job.effect, delivery.by(Book), job.progress
        jobs = jobs_of(job, delivery, book.variants)
        layers, box = taken(effect, delivery), whole_box(jobs, delivery)
        plan = layout(effect, delivery, box, _looked_at(jobs, delivery, box))
        element = describe(effect, delivery, box, plan)
        holds = second_of(effect, delivery)
        colour = np.zeros((book.height, book.width, 4), np.uint8)
        second = SecondSheet(holds, book.height, book.width) if holds != "none" else None
        motion = MotionSheet(element) if element.motion is not None else None
        exposure = value_at(effect.light.exposure, 0.0)  # one for all cells: a course of it is the camera's
        lit = LightSheets(element, able_of(effect, delivery), job.folder)
        cells = list[np.ndarray]()
        whole = np.zeros((book.height, book.width, 4), np.float32) if book.further == "EXR" else None
        progress.begin(element.frames, f"Drawing frames of {delivery.name}")
        for index in range(element.frames):
            which, of_it = divmod(index, len(plan.times))
            mine = jobs[which]
            held = _moments(mine, delivery, plan, of_it, motion is not None)
            raw = _mixed(held, partial(_cell, mine, delivery, plan))
            raw = levelled(raw, book.alpha_floor, book.alpha_contrast)
            rgba = encode(raw, book.alpha_form, exposure, holds == "none")
            row, column = divmod(index, book.columns)
            y, x = row * plan.cell[1] + book.padding, column * plan.cell[0] + book.padding
            colour[y : y + plan.content[1], x : x + plan.content[0]] = rgba
            if second is not None:
                second.put(raw, y, x)
            if whole is not None:
                light = (raw[..., :3] + raw[..., 4:7]) * np.float32(2.0**exposure)
                cell = (slice(y, y + plan.content[1]), slice(x, x + plan.content[0]))
                whole[cell] = np.concatenate([light, raw[..., 3:4]], axis=2)
            if motion is not None:
                gap = partial(_moved, mine, delivery, plan, _gap(plan, of_it))
                motion.put(_mixed(held, gap), y, x)
            lit.put(mine.effect, delivery, [(share, t, frames) for share, t, frames, _ in held], plan, y, x)
            if element.loop:
                cells.append(rgba[::2, ::2])
            if job.drawn is not None:
                job.drawn(delivery.id, index, rgba)
            progress.step()
        each = len(plan.times)
        seams = [seam_of(cells[n : n + each]) for n in range(0, len(cells), each)] if each > 2 else []
        if seams:
            worst = max(seam / max(step, 1e-9) for seam, step in seams)
            element = element.model_copy(update={"seam": round(worst, 4)})
        if book.alpha_form == "straight":
            bled(colour, element)
        Image.fromarray(colour, "RGBA").save(job.target / element.colour.file, compress_level=4)
        progress.check()
        moves = light = None
        if motion is not None and element.motion is not None:
            motion.agree(element, colour)
            data, scales = motion.finish()
            moves = motion.data
            Image.fromarray(data).save(job.target / element.motion.file, compress_level=4)
            told = element.motion.model_copy(update={"scale": scales})
            element = element.model_copy(update={"motion": told})
        if second is not None and element.second is not None:
            glow = max(most(getattr(layer.look, "glow", 1.0)) for layer in layers)
            data, scale, lookup = second.finish(exposure, glow)
            light = data if holds == "emission" else None
            Image.fromarray(data).save(job.target / element.second.file, compress_level=4)
            kept = element.second.model_copy(update={"scale": scale, "black_body": lookup})
            element = element.model_copy(update={"second": kept})
        if book.cut_out != "none":
            progress.check()
            cut = cut_out(seen_of(element, colour, light, moves), book.corners, book.cut_out == "one for all")
            keep_cut(job.store, look_name(effect, delivery, dict(job.plans)), cut)
            element = element.model_copy(update={"cut_out": cut})
        mapped, sheets = lit.pictures()
        element = element.model_copy(update={"lit": mapped.lit})
        for name, texels in sheets:
            Image.fromarray(texels).save(job.target / name, compress_level=4)
        if whole is not None:
            (job.target / element.further[0].file).write_bytes(exr_bytes(whole, True))
        elif element.further:
            for name, copy in zip(element.sheets, element.further):
                with Image.open(job.target / name) as image:
                    image.save(job.target / copy.file, "TGA", compression="tga_rle")
        progress.check()
        return element.model_copy(update={"blocks": tuple(_blocked(job, element, b) for b in element.blocks)})

    @staticmethod
    def told(element: Flipbook) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        text = (
            f"  {e.colour.file}: {e.width} x {e.height} px, {e.columns} x {e.rows} cells, "
            f"{counted(e.frames, 'frame')} over {e.times[-1] - e.times[0]:.3f} s,\n"
            f"  {e.size[0]:.3f} x {e.size[1]:.3f} m, {e.colour.alpha} alpha\n"
        )
        if e.second is not None:
            steps = len(e.second.black_body)
            text += SECOND[e.second.holds].format(file=e.second.file, scale=e.second.scale, steps=steps)
        if e.variants > 1:
            text += (
                f"  {e.variants} variants of {len(e.times)} frames, one after another: a sprite plays one.\n"
            )
        if e.loop and e.period is not None:
            text += f"  A loop of {e.period:.3f} s: after its last frame comes its first again.\n"
        if e.cut_out is not None:
            text += CUT.format(one="one" if len(e.cut_out.shapes) == 1 else "one for each frame, n")
        for block in e.blocks:
            text += (
                f"  {block.file}: {block.of} in {block.form.upper()} blocks, "
                f"{counted(block.levels, 'level')}, {block.psnr:.1f} dB.\n"
            )
        if e.lit is not None:
            text += LIT.format(e=e.lit, a=e.lit.first.file, b=e.lit.second.file)
        if e.normals is not None:
            text += f"  {e.normals.file}: red right, green up, blue to the viewer; (v - 127.5) / 127.5.\n"
        if e.further:
            text += f"  {', '.join(copy.file for copy in e.further)}: the same for other uses.\n"
        if e.distance is not None:
            text += (
                f"  {e.distance.file}: grey d of 255 is seen {e.distance.near:.3f} m before the sprite's\n"
                f"  plane, less d / 255 x {e.distance.near + e.distance.far:.3f} m.\n"
            )
        if e.motion is not None:
            text += MOTION.format(file=e.motion.file, x=e.motion.scale[0], y=e.motion.scale[1])
        return text

    @staticmethod
    def page(folder: Path, element: Flipbook, stands: Set) -> dict[str, Any]:
        """What the package's page needs besides the manifest."""
        return {
            "images": [s.file for s in (element.colour, element.second, element.motion) if s is not None],
            "seed": stable_seed("player", element.id),
            "opacity": np.round(ramp_table(element.player.alpha, OPACITIES), 6).tolist(),
            "tints": np.round(ramp_table(element.player.tint_over, OPACITIES), 6).tolist(),
            "through": np.round(ramp_table(element.player.frames_over, OPACITIES), 6).tolist(),
            "sizes": np.round(ramp_table(element.player.size_over, OPACITIES), 6).tolist(),
        }


def _blocked(job: Job, element: Flipbook, block: BlockTexture) -> BlockTexture:
    """Write an atlas in blocks with its smaller levels, made in linear light where it holds colour; and how
    well that went."""
    coloured = block.form in ("bc1", "bc3", "bc7")
    with Image.open(job.target / block.of) as image:
        raw = np.asarray(image.convert("RGBA"))
    straight = coloured and element.colour.alpha == "straight" and block.of == element.colour.file
    level = raw.astype(np.float32) / np.float32(255)
    if coloured:
        level[..., :3] = from_srgb(level[..., :3])
        if straight:
            level[..., :3] *= level[..., 3:]
    levels = halved(level, element.levels)
    bytes_ = [raw]
    for small in levels[1:]:
        if coloured:
            if straight:
                small[..., :3] /= np.maximum(small[..., 3:], 1 / 512)
            small[..., :3] = to_srgb(small[..., :3])
        bytes_.append((np.clip(small, 0, 1) * 255 + 0.5).astype(np.uint8))
    data, error = dds_bytes(bytes_, block.form, coloured, coloured and not straight)
    (job.target / block.file).write_bytes(data)
    if block.of == element.colour.file:
        error = blended_error(raw, opened(data), straight)
    return block.model_copy(update={"levels": len(levels), "psnr": round(psnr(error), 2)})


Held = tuple[float, float, dict[str, Any], dict[str, Any]]


def _looked_at(jobs: list[Job], delivery: Delivery, box: Box) -> Survey | None:
    """A look at every frame of the span of each variant, where the layout needs it."""
    if not delivery.by(Book).looks_first:
        return None
    first = jobs[0]
    times = surveyed_times(first.effect, delivery)
    first.progress.begin(len(times) * len(jobs), f"Looking at {delivery.name}")
    plan, found = layout(first.effect, delivery, box), []
    delivery = framed(first.effect, delivery)
    for job in jobs:
        read = partial(
            frames_at, job.effect, delivery, job.plans, job.store, progress=job.progress, kept=job.kept
        )
        found.append(
            survey_cells(job.effect, delivery, plan, times, read, job.folder, job.books, job.progress.step)
        )
    return replace(found[0], others=tuple(found[1:]))


def _cell(
    job: Job, delivery: Delivery, plan: Layout, t: float, frames: dict[str, Any], past: dict[str, Any]
) -> np.ndarray:
    """What a cell shows at a time."""
    return draw_cell(job.effect, delivery, frames, t, plan, plan.content, job.folder, past, job.books)


def _moments(job: Job, delivery: Delivery, plan: Layout, index: int, whole: bool) -> list[Held]:
    """What a cell is made of: shares, times, frames and their past."""
    return [
        (part, at, *frames_at(job.effect, delivery, job.plans, job.store, at, job.progress, whole, job.kept))
        for part, at in shares_of(plan, index)
    ]


def _mixed(
    held: list[Held], draw: Callable[[float, dict[str, Any], dict[str, Any]], np.ndarray]
) -> np.ndarray:
    """The sum of what is drawn of some moments, each by its share."""
    found = [np.float32(share) * draw(t, frames, past) for share, t, frames, past in held]
    return found[0] if len(found) == 1 else found[0] + found[1]


def _moved(
    job: Job,
    delivery: Delivery,
    plan: Layout,
    gap: float,
    t: float,
    frames: dict[str, Any],
    past: dict[str, Any],
) -> np.ndarray:
    """How what is seen moves from a cell to the next."""
    return moved_cell(job.effect, delivery, frames, t, gap, plan, job.folder, past)


def _gap(plan: Layout, index: int) -> float:
    """Seconds from a frame to the next."""
    if plan.period is not None:
        return plan.period / len(plan.times)
    last = len(plan.times) - 1
    return plan.times[min(index + 1, last)] - plan.times[min(index, max(last - 1, 0))]
