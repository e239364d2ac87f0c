"""Cost of a water's surface that the game lifts from textures, and of one that it solves itself."""

from __future__ import annotations

import numpy as np

from tenka.base.words import counted as count_of
from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.budget.routes.volume import covered_by
from tenka.effect.model import Tier
from tenka.package.elements.livewater import LiveWater
from tenka.package.elements.surface import Surface

PIXEL_FLOPS = 170.0  # of a pixel: normal, Fresnel, mirrored sky, what is seen through it, foam
VERTEX_FLOPS = 60.0  # of a vertex: two frames of heights read and mixed, and its place
PIXEL_BYTES = 12.0  # of a pixel: the set behind it and its depth
CELL_FLOPS, FOAM_FLOPS, MOVER_FLOPS = 55.0, 30.0, 12.0  # of a cell in a step
LIVE_FIELDS, LIVE_BYTES, HELD = 3, 2, 2  # depth and speeds; of a value; copies of all


def covered(low: np.ndarray, high: np.ndarray, tier: Tier) -> float:
    """Pixels of the tier's picture that a water covers, seen from a little above."""
    return covered_by(low, np.array([high[0], high[1], max(high[2], low[2] + 0.02)]), tier)


def surface_line(name: str, element: Surface, tier: Tier, d: Device) -> Line:
    """Cost of a lifted plane: its vertices, and a shaded pixel for each that it covers."""
    player, copies = element.player, tier.copies
    w, h = element.size
    squares = (player.squares, max(1, round(player.squares * min(w, h) / max(w, h))))
    vertices = float((squares[0] + 1) * (squares[1] + 1)) * copies
    pixels = covered(np.array(element.low), np.array(element.high), tier) * copies
    each = element.bits // 8 + 4 + (4 if element.flow is not None else 0)
    flops = vertices * VERTEX_FLOPS + pixels * PIXEL_FLOPS
    moved = vertices * 2 * element.bits / 8 + pixels * (2 * (each - element.bits // 8) + PIXEL_BYTES)
    moved += 2.0 * pixels * d.target_bytes
    passes = passes_of(d, pixels, flops, moved)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d)
    wide, tall = element.textures[0]
    held = wide * tall * each / MB
    reasons = {
        "fill": f"{pixels / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{PIXEL_FLOPS:g} flop a pixel, {VERTEX_FLOPS:g} a vertex, at "
        f"{d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{moved / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s",
    }
    terms = (
        Term(
            "vertices",
            vertices / 1e3,
            "k",
            f"{squares[0]} × {squares[1]} squares, {count_of(copies, 'plane')}",
        ),
        Term(
            "covered",
            pixels / 1e6,
            "Mpx",
            f"the water on {tier.width} × {tier.height} px at {tier.distance:g} m",
        ),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("atlases", held, "MB", f"{wide} × {tall} px of {each} bytes, not compressed"),
    )
    return Line(
        name, "surface", passes[bound] + calls.value, 0.0, held, 1.0 if pixels else 0.0, pixels, terms, bound
    )


def livewater_line(name: str, element: LiveWater, tier: Tier, d: Device) -> Line:
    """Cost of a height-field solver in a frame of the game, and of drawing what it makes."""
    nx, ny = element.cells
    cells = float(nx * ny) * tier.copies
    steps = element.rate * d.frame_ms / 1e3
    each = CELL_FLOPS + (FOAM_FLOPS if element.foams else 0.0) + MOVER_FLOPS * min(element.movers, 1)
    fields = LIVE_FIELDS + (1 if element.foams else 0)
    flops = cells * steps * each
    moved = cells * steps * LIVE_BYTES * 3.0 * fields
    pixels = covered(np.array(element.low), np.array(element.high), tier) * tier.copies
    drawn = cells * VERTEX_FLOPS + pixels * PIXEL_FLOPS
    seen = pixels * PIXEL_BYTES + 2.0 * pixels * d.target_bytes
    passes = passes_of(d, pixels, flops + drawn, moved + seen)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d, round(steps * (3 + element.movers)) + 1, True, "pass", "passes")
    held = cells * fields * LIVE_BYTES * HELD / MB
    reasons = {
        "fill": f"{pixels / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{flops / 1e9:.4f} GFLOP of the solver, {drawn / 1e9:.3f} of drawing, at "
        f"{d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{(moved + seen) / MB:.1f} MB at {d.bandwidth_gb_s:g} GB/s: "
        f"{moved / MB:.1f} MB of the solver",
    }
    terms = (
        Term("cells", cells / 1e3, "k", f"{nx} × {ny}, {count_of(tier.copies, 'copy', 'copies')}"),
        Term("steps", steps, "", f"a frame of {d.frame_ms:g} ms, {each:g} flop a cell each"),
        Term("covered", pixels / 1e6, "Mpx", f"the water at {tier.distance:g} m"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("fields", held, "MB", f"{fields} fields of {LIVE_BYTES} bytes, twice"),
    )
    return Line(
        name,
        "livewater",
        passes[bound] + calls.value,
        0.0,
        held,
        1.0 if pixels else 0.0,
        pixels,
        terms,
        bound,
    )
