"""Cost of a liquid's meshes: one of them in each frame of the game, and all in memory."""

from __future__ import annotations

import numpy as np

from tenka.base.words import counted as count_of
from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.budget.routes.surface import PIXEL_BYTES, PIXEL_FLOPS
from tenka.budget.routes.volume import covered_by
from tenka.effect.model import Tier
from tenka.package.elements.meshes import MeshFrames

VERTEX_BYTES, INDEX_BYTES, DROP_BYTES = 28.0, 4.0, 20.0
VERTEX_FLOPS = 45.0
FILLED = 0.35  # of the box that holds it, that a liquid is seen to fill
DROP_PIXELS = 4.0


def meshes_line(name: str, element: MeshFrames, tier: Tier, d: Device) -> Line:
    """Its vertices and the pixels that it may cover, of the frame that has most."""
    copies, size = tier.copies, element.player.size
    vertices, triangles, drops = (
        float(max(counts, default=0)) for counts in (element.vertices, element.triangles, element.drops)
    )
    low, high = np.array(element.low), np.array(element.high)
    box = covered_by(size * low, size * high, tier) * copies
    pixels = FILLED * box + DROP_PIXELS * drops * copies
    read = copies * (vertices * VERTEX_BYTES + 3 * triangles * INDEX_BYTES + drops * DROP_BYTES)
    drawn = pixels * (2 * d.target_bytes + PIXEL_BYTES)
    flops = copies * vertices * VERTEX_FLOPS + pixels * PIXEL_FLOPS
    passes = passes_of(d, pixels, flops, read + drawn)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d, 2 if drops else 1, alone=True)
    held = sum(element.vertices) * VERTEX_BYTES + 3 * sum(element.triangles) * INDEX_BYTES
    held = (held + sum(element.drops) * DROP_BYTES) / MB
    reasons = {
        "fill": f"{pixels / 1e6:.3f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{VERTEX_FLOPS:g} flop a vertex and {PIXEL_FLOPS:g} a pixel at "
        f"{d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{(read + drawn) / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {read / MB:.2f} MB of "
        f"geometry, {drawn / MB:.2f} MB of picture",
    }
    meshes = count_of(len(element.times), "mesh", "meshes")
    terms = (
        Term(
            "vertices",
            copies * vertices / 1e3,
            "k",
            f"of the fullest frame, {count_of(copies, 'copy', 'copies')}",
        ),
        Term("covered", pixels / 1e6, "Mpx", f"{FILLED:g} of the box that holds it, at {tier.distance:g} m"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("meshes", held, "MB", f"{meshes} of {VERTEX_BYTES:g} bytes a vertex"),
    )
    whole = passes[bound] + calls.value
    return Line(name, "meshes", whole, 0.0, held, 1.0 if pixels else 0.0, pixels, terms, bound)
