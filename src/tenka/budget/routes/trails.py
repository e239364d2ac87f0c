"""Cost of trails that a game draws behind particles."""

from __future__ import annotations

import math

from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.effect.model import Tier
from tenka.package.elements.trails import Trails

FLOPS_A_PIXEL = 16.0
FLOPS_A_CORNER = 120.0  # of a strip: a cubic, a turn to the camera
CORNERS = 2 * 3  # between two moments
TEXEL = 32


def trails_line(name: str, element: Trails, tier: Tier, d: Device) -> Line:
    """Cost of trails: strips as long as their heads go in the time that they last."""
    player = element.player
    per_m = tier.height / (2.0 * math.tan(math.radians(tier.fov) / 2) * tier.distance)
    seconds = element.seconds * player.length
    long = element.mean_speed * seconds * per_m
    mean = sum(element.width_over) / len(element.width_over)
    wide = max(element.mean_width * mean * player.width * per_m, 1.2)
    count = element.mean_alive * tier.copies
    covered = min(long * wide * count, float(tier.width * tier.height) * max(count, 1.0))
    step = (element.times[-1] - element.times[0]) / max(len(element.times) - 1, 1)
    back = max(1.0, seconds / max(step, 1e-6))  # moments behind each head
    corners = CORNERS * back * count
    read, blending = TEXEL * back * count, 2.0 * covered * d.target_bytes
    flops = covered * FLOPS_A_PIXEL + corners * FLOPS_A_CORNER
    passes = passes_of(d, covered, flops, read + blending)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d)
    width, height = element.textures[0]
    held = width * height * TEXEL / MB
    reasons = {
        "fill": f"{covered / 1e6:.3f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{FLOPS_A_CORNER:g} flop a corner and {FLOPS_A_PIXEL:g} a pixel at "
        f"{d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{(read + blending) / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {read / MB:.2f} MB of "
        f"heads, {blending / MB:.2f} MB blending",
    }
    terms = (
        Term("covered", covered / 1e6, "Mpx", f"{long:.0f} × {wide:.1f} px each, {count:,.0f} on average"),
        Term("corners", corners / 1e3, "k", f"{back:.0f} moments behind each head"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("textures", held, "MB", f"{width} × {height} px of {TEXEL} bytes, without compression"),
    )
    return Line(
        name, "trails", passes[bound] + calls.value, 0.0, held, 1.0 if covered else 0.0, covered, terms, bound
    )
