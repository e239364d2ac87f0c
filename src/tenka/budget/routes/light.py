"""Cost of a light that the game lets shine."""

from __future__ import annotations

import numpy as np

from tenka.base.words import counted as count_of
from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.budget.routes.volume import covered_by
from tenka.effect.model import Tier
from tenka.package.elements.light import LightTrack

FLOPS = 28.0  # of a pixel: distance, angle, fall-off, colour
BYTES = 20.0  # read of a pixel's depth, normal and colour
KEY_BYTES = 32


def light_line(name: str, element: LightTrack, tier: Tier, d: Device) -> Line:
    """Cost of a light without shadows, on what lies within its reach."""
    told = f"{count_of(len(element.keys), 'key')}; its shadows are not counted"
    return shining(
        name, np.array(element.keys[0][:3]), element.player.reach, len(element.keys), told, tier, d
    )


def shining(name: str, middle: np.ndarray, reach: float, keys: int, told: str, tier: Tier, d: Device) -> Line:
    """Cost of what shines from a place.

    Parameters
    ----------
    middle : (3,) m
    reach : m
    keys : of its table
    told : what is held of it, and what is not counted
    """
    covered = covered_by(middle - reach, middle + reach, tier) * tier.copies
    moved = covered * (BYTES + d.target_bytes)
    passes = passes_of(d, covered, covered * FLOPS, moved)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d, alone=True, what="light")
    held = KEY_BYTES * keys / MB
    reasons = {
        "fill": f"{covered / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{FLOPS:g} flop a pixel at {d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{moved / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {BYTES:g} bytes of each pixel are read",
    }
    terms = (
        Term("covered", covered / 1e6, "Mpx", f"all within {reach:.3g} m, at {tier.distance:g} m"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("keys", held, "MB", told),
    )
    return Line(name, "light", passes[bound] + calls.value, 0.0, held, 0.0, covered, terms, bound)
