"""Cost of a stack of sheets."""

from __future__ import annotations

import numpy as np

from tenka.base.words import counted as count_of
from tenka.budget.devices import Device
from tenka.budget.lines import (
    BLOCKS,
    DEPTH_BYTES,
    MB,
    Line,
    Term,
    calls_of,
    colour_format,
    passes_of,
    texture_bytes,
)
from tenka.budget.routes.volume import covered_by
from tenka.effect.model import Tier
from tenka.package.elements.slices import Slices

FLOPS = 34.0  # of a pixel of a sheet: two frames, light, a soft edge


def slices_line(name: str, element: Slices, tier: Tier, d: Device) -> Line:
    """Cost of sheets: each covers what the box does, one over the other."""
    corner, axes = np.array(element.corner), np.array(element.axes)
    ends = np.stack([corner, corner + axes[0] + axes[1] + element.deep * axes[2]])
    box = covered_by(ends.min(axis=0), ends.max(axis=0), tier) * tier.copies
    count = len(element.sheets)
    covered = box * count
    form = colour_format(d)
    bw, bh, size = BLOCKS[form]
    w, h = element.frame
    texture = 2.0 * count * tier.copies * -(-w // bw) * -(-h // bh) * size
    blending = (box if d.tile_based else 2.0 * covered) * d.target_bytes
    depth = (box if d.tile_based else covered) * DEPTH_BYTES if element.player.soft_edge > 0 else 0.0
    moved = texture + blending + depth
    passes = passes_of(d, covered, covered * FLOPS, moved)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d)
    wide, tall = element.textures[0]
    held = count * texture_bytes(wide, tall, form) / MB
    reasons = {
        "fill": f"{covered / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{FLOPS:g} flop a pixel at {d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{moved / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {blending / MB:.2f} MB blending, "
        f"{depth / MB:.2f} MB depth, {texture / MB:.2f} MB texture",
    }
    size_told = f"{wide} × {tall} px as {form.upper()} with mip levels"
    terms = (
        Term(
            "covered", covered / 1e6, "Mpx", f"{count_of(count, 'sheet')} over the box at {tier.distance:g} m"
        ),
        Term("overdraw", float(count), "layers", "one sheet over the other"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("sheets", held, "MB", f"{count_of(count, 'atlas', 'atlases')}, each {size_told}"),
    )
    return Line(name, "slices", passes[bound] + calls.value, 0.0, held, float(count), covered, terms, bound)
