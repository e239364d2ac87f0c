"""Cost of a gas that the game solves itself."""

from __future__ import annotations

import numpy as np

from tenka.base.words import counted as count_of
from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.budget.routes.volume import FLOPS, REUSE, covered_by
from tenka.effect.model import Tier
from tenka.package.elements.grid import LiveGrid

CARRY_FLOPS, PASS_FLOPS, OTHER_FLOPS = 90.0, 9.0, 60.0
"""Of a voxel in a step: carrying its fields along; one pass of pressure; sources, rise, divergence."""
FIELDS = {False: 6, True: 8}  # speed (3), pressure, density, heat; fuel and flame where it burns
BYTES = 2  # of a value
HELD = 2  # copies of all fields: from and to


def grid_line(name: str, element: LiveGrid, tier: Tier, d: Device) -> Line:
    """Cost of a solver in a frame of the game, and of marching through what it makes."""
    nx, ny, nz = element.shape
    voxels = float(nx * ny * nz) * tier.copies
    steps = element.rate * d.frame_ms / 1e3  # in a frame of the game
    fields = FIELDS[element.burns]
    flops = voxels * steps * (CARRY_FLOPS + OTHER_FLOPS + PASS_FLOPS * element.passes)
    moved = voxels * steps * BYTES * (3.0 * fields + 3.0 * element.passes)
    pixels = covered_by(np.array(element.low), np.array(element.high), tier) * tier.copies
    samples = pixels * element.samples
    seen = samples * BYTES * 2 / REUSE + 2.0 * pixels * d.target_bytes
    passes = passes_of(d, pixels, flops + samples * FLOPS, moved + seen)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d, round(steps * (element.passes + 4)) + 1, True, "pass", "passes")
    held = voxels * fields * BYTES * HELD / MB
    reasons = {
        "fill": f"{pixels / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{flops / 1e9:.3f} GFLOP of the solver, {samples * FLOPS / 1e9:.3f} of marching, "
        f"at {d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{(moved + seen) / MB:.1f} MB at {d.bandwidth_gb_s:g} GB/s: "
        f"{moved / MB:.1f} MB of the solver",
    }
    terms = (
        Term("voxels", voxels / 1e3, "k", f"{nx} × {ny} × {nz}, {count_of(tier.copies, 'copy', 'copies')}"),
        Term("steps", steps, "", f"a frame of {d.frame_ms:g} ms, {element.passes} passes of pressure each"),
        Term(
            "covered", pixels / 1e6, "Mpx", f"the box at {tier.distance:g} m, {element.samples} samples a ray"
        ),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("fields", held, "MB", f"{fields} fields of {BYTES} bytes, twice"),
    )
    return Line(
        name, "grid", passes[bound] + calls.value, 0.0, held, 1.0 if pixels else 0.0, pixels, terms, bound
    )
