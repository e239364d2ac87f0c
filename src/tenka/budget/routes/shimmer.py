"""Cost of bending what is behind hot air."""

from __future__ import annotations

import math

from tenka.budget.devices import Device
from tenka.budget.lines import DEPTH_BYTES, MB, Line, Term, calls_of, motion_format, passes_of, texture_bytes
from tenka.effect.model import Tier
from tenka.package.elements.shimmer import Shimmer

FLOPS = 30.0  # of a pixel: two frames, an angle, a picture read aside


def shimmer_line(name: str, element: Shimmer, tier: Tier, d: Device) -> Line:
    """Cost of a sheet through which the picture is read once more."""
    per_m = tier.height / (2.0 * math.tan(math.radians(tier.fov) / 2) * tier.distance)
    one = min(element.size[0] * per_m, tier.width) * min(element.size[1] * per_m, tier.height)
    covered = one * tier.copies
    form = motion_format(d)
    wide, tall = element.textures[0]
    copied = 2.0 * covered * d.target_bytes  # the picture is copied before it is read
    moved = copied + covered * (2.0 * d.target_bytes + DEPTH_BYTES)
    passes = passes_of(d, 2.0 * covered, covered * FLOPS, moved)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d, 2)
    held = texture_bytes(wide, tall, form) / MB
    reasons = {
        "fill": f"{2 * covered / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s, "
        "copied and drawn",
        "arithmetic": f"{FLOPS:g} flop a pixel at {d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{moved / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: "
        f"{copied / MB:.2f} MB to copy the picture",
    }
    terms = (
        Term("covered", covered / 1e6, "Mpx", f"the sheet at {tier.distance:g} m"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("angle atlas", held, "MB", f"{wide} × {tall} px as {form.upper()} with mip levels"),
    )
    return Line(name, "shimmer", passes[bound] + calls.value, 0.0, held, 1.0, covered, terms, bound)
