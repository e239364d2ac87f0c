"""Cost of particles that a game draws from textures."""

from __future__ import annotations

import math

import numpy as np

from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.effect.model import Tier
from tenka.package.elements.particles import Particles
from tenka.package.law import Law

FLOPS = 16.0  # of a pixel: its cover, its light, the mix
LEAST_PX = 1.2  # across: a smaller one is drawn as large as this
TEXELS = {"place": 16, "paint": 8, "way": 8}  # bytes of a particle in a moment, in each texture
STATE = 32  # bytes of a particle that the game moves: place, age, velocity, and which it is
BORN, FIELD = 48, 8  # bytes of a birth in its tables, and of a cell of a field
CORNERS = 16  # cells read of a field for one place and time: 8 of two moments
MOVING = 140.0  # flop of a step of one: reading what drives it, and its motion


def covered_px(element: Particles, tier: Tier) -> tuple[float, float]:
    """Pixels that one particle covers on average, and how many are drawn."""
    player = element.player
    per_m = tier.height / (2.0 * math.tan(math.radians(tier.fov) / 2) * tier.distance)
    wide = max(element.mean_width * player.width * per_m, LEAST_PX)
    if element.form == "point":
        wide = LEAST_PX
    long = element.mean_length * player.width * per_m
    return 0.25 * math.pi * wide**2 + wide * long, element.mean_alive * player.share


def moved(law: Law) -> int:
    """Bytes that are read and written to move one by its law."""
    fields = law.fields
    cells = sum(CORNERS if max(f.shape) > 1 else 1 for f in fields)
    return 2 * STATE + cells * FIELD


def held_by(element: Particles, each: int) -> tuple[float, str]:
    """Memory that particles hold, MB, and of what."""
    law = element.law
    wide, tall = element.textures[0]
    if law is None:
        return wide * tall * each / MB, f"{wide} × {tall} px of {each} bytes, without compression"
    cells = sum(w * h for w, h in element.textures[4:])
    held = law.births * BORN + cells * FIELD + element.most * STATE
    return held / MB, (
        f"{law.births:,} births of {BORN} bytes, {cells:,} cells of {FIELD}, {element.most:,} of {STATE} "
        "that are moved"
    )


def particles_line(name: str, element: Particles, tier: Tier, d: Device) -> Line:
    """Cost of particles: what they cover, and what is read of them each frame; with a law, their motion."""
    one, alive = covered_px(element, tier)
    count = alive * tier.copies
    room = float(tier.width * tier.height)
    covered = min(one * count, room * max(count, 1.0))
    law = element.law
    each = sum(size for key, size in TEXELS.items() if key != "way" or element.way is not None)
    read, flops, moves = 2.0 * each * count, covered * FLOPS, f"two moments of {each} bytes each"
    if law is not None:
        read, moves = moved(law) * count, f"{moved(law)} bytes each: it is moved, and what drives it is read"
        flops += MOVING * count
    blending = 2.0 * covered * d.target_bytes
    passes = passes_of(d, covered, flops, read + blending)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d)
    held, holds = held_by(element, each)
    size = (np.array(element.high) - np.array(element.low)) + 1e-6
    per_m = tier.height / (2.0 * math.tan(math.radians(tier.fov) / 2) * tier.distance)
    touched = min(float(max(size[0], size[1]) * size[2]) * per_m**2 * tier.copies, room, covered)
    moving = f" and {MOVING:g} a particle" if law is not None else ""
    reasons = {
        "fill": f"{covered / 1e6:.3f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{FLOPS:g} flop a pixel{moving} at {d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{(read + blending) / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {read / MB:.2f} MB of "
        f"particles, {moves}, {blending / MB:.2f} MB blending",
    }
    terms = (
        Term("covered", covered / 1e6, "Mpx", f"{one:.1f} px each, {count:,.0f} drawn on average"),
        Term("overdraw", covered / max(touched, 1.0), "layers", "over the box in which they fly"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("textures", held, "MB", holds),
    )
    whole = passes[bound] + calls.value
    return Line(name, "particles", whole, 0.0, held, terms[1].value, covered, terms, bound)
