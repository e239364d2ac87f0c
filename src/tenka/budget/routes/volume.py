"""Cost of a volume that the game marches through."""

from __future__ import annotations

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from tenka.base.words import counted as count_of
from tenka.budget.devices import Device
from tenka.budget.lines import MB, Line, Term, calls_of, passes_of
from tenka.effect.model import Camera, Tier
from tenka.package.elements.volume import Volume
from tenka.scene.cameras import view_of

FLOPS = 38.0  # of a sample: eight voxels mixed, its light, its share
REUSE = 8.0  # samples that share what is read for one, with neighbours in a cache
HELD = 2  # moments in memory at once, between which the game blends
BYTES = {"half": 2, "float": 4, "8 bit": 1}
VELOCITY_BYTES = 8  # of a voxel: four halves, as graphics devices hold three
CHANNELS = {"velocity": 3, "colour": 3}


def covered_by(low: np.ndarray, high: np.ndarray, tier: Tier) -> float:
    """Pixels of the tier's picture that a box covers, seen level from the tier's distance."""
    x, y, z = (float(v) for v in 0.5 * (low + high))
    camera = Camera(target=(x, y, z), distance=tier.distance, heading=-90.0, pitch=0.0, fov=tier.fov)
    view = view_of(camera, tier.width, tier.height)
    corners = np.array(
        [[a, b, c] for a in (low[0], high[0]) for b in (low[1], high[1]) for c in (low[2], high[2])]
    )
    at = view.project(corners)
    if at[:, 2].min() <= 0.05:  # the camera is in it
        return float(tier.width * tier.height)
    inside = np.clip(at[:, :2], 0, (tier.width, tier.height))
    try:
        return float(ConvexHull(inside).volume)
    except QhullError:
        return 0.0


def volume_line(name: str, element: Volume, tier: Tier, d: Device) -> Line:
    """Cost of a volume: rays over the box that holds it, so many samples each."""
    player = element.player
    pixels = covered_by(np.array(element.low), np.array(element.high), tier) * tier.copies
    samples = pixels * player.samples
    each = BYTES[element.precision] * sum(CHANNELS.get(g.name, 1) for g in element.grids)
    texture, blending = samples * each / REUSE, 2.0 * pixels * d.target_bytes
    passes = passes_of(d, pixels, samples * FLOPS, texture + blending)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d, alone=True)
    nx, ny, nz = element.shape
    grid = nx * ny * nz * each / MB
    moving = nx * ny * nz * VELOCITY_BYTES / MB if element.frames[0].velocity is not None else 0.0
    reasons = {
        "fill": f"{pixels / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s",
        "arithmetic": f"{FLOPS:g} flop a sample at {d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{(texture + blending) / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {texture / MB:.2f} MB "
        f"of voxels, each read for {REUSE:g} samples, {blending / MB:.2f} MB blending",
    }
    terms = (
        Term(
            "covered",
            pixels / 1e6,
            "Mpx",
            f"the box on {tier.width} × {tier.height} px at {tier.distance:g} m",
        ),
        Term("samples", samples / 1e6, "M", f"{player.samples} along each ray"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term(
            "grids",
            HELD * grid,
            "MB",
            f"{nx} × {ny} × {nz} voxels of {each} bytes, {HELD} moments at once; "
            f"{count_of(len(element.frames), 'file')} are read from disk as it plays",
        ),
    )
    if moving:
        why = f"{VELOCITY_BYTES} bytes a voxel, {HELD} moments at once, for particles that it carries"
        terms = (*terms, Term("velocity", HELD * moving, "MB", why))
    return Line(
        name,
        "volume",
        passes[bound] + calls.value,
        0.0,
        HELD * (grid + moving),
        1.0 if pixels else 0.0,
        pixels,
        terms,
        bound,
    )
