"""Cost of pieces as animated geometry."""

from __future__ import annotations

import numpy as np

from tenka.base.words import counted as count_of
from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.budget.routes.volume import covered_by
from tenka.effect.model import Tier
from tenka.package.elements.bodies import Bodies

FLOPS_A_VERTEX = 90.0  # a turn, a place, a projection
FLOPS_A_PIXEL = 60.0  # sun, sky and a shadow
FILLED = 0.25  # of the box in which they fly that pieces cover at most
BYTES_A_VERTEX = 28  # place, normal, colour, piece, as a game holds them
TEXEL = {"half": 8, "float": 16}


def bodies_line(name: str, element: Bodies, tier: Tier, d: Device) -> Line:
    """Cost of bodies: their vertices each frame, and the pixels that they may cover."""
    vertices = 3.0 * element.triangles * tier.copies
    box = covered_by(np.array(element.low), np.array(element.high), tier) * tier.copies
    covered = FILLED * box
    textures = element.form == "textures"
    each = TEXEL[element.precision] if textures else 16
    read = vertices * BYTES_A_VERTEX + (4.0 * each * element.pieces * tier.copies if textures else 0.0)
    drawn = covered * (d.target_bytes + 4.0)  # a picture and its depth, written
    flops = vertices * FLOPS_A_VERTEX + covered * FLOPS_A_PIXEL
    passes = passes_of(d, covered, flops, read + drawn)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d, 1 if textures else max(element.pieces, 1))
    update_ms = 0.0 if textures else element.pieces * tier.copies / d.particles_per_ms
    takes = (element, *element.further)
    mesh = sum(take.triangles for take in takes) * 3 * BYTES_A_VERTEX / MB
    bake = 2 * each * sum(take.pieces for take in takes) * len(element.times) / MB
    of = f", {count_of(len(takes), 'take')}" if len(takes) > 1 else ""
    where = "textures of places and turns" if textures else "keys of places and turns"
    reasons = {
        "fill": f"{covered / 1e6:.3f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{FLOPS_A_VERTEX:g} flop a vertex and {FLOPS_A_PIXEL:g} a pixel at "
        f"{d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{(read + drawn) / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {read / MB:.2f} MB of "
        f"geometry, {drawn / MB:.2f} MB of picture",
    }
    terms = (
        Term(
            "vertices",
            vertices / 1e3,
            "k",
            f"{count_of(element.pieces, 'piece')}, {count_of(element.triangles, 'triangle')}",
        ),
        Term("covered", covered / 1e6, "Mpx", f"at most {FILLED:g} of the box in which they fly"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("mesh", mesh, "MB", f"{BYTES_A_VERTEX} bytes a vertex{of}"),
        Term("moves", bake, "MB", f"{where}, {count_of(len(element.times), 'moment')}{of}"),
    )
    whole = passes[bound] + calls.value
    return Line(name, "bodies", whole, update_ms, mesh + bake, 1.0 if covered else 0.0, covered, terms, bound)
