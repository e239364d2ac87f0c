"""Cost of a flipbook on sprites: the sprites that Proof would draw are counted on the tier's own picture."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.budget.devices import BlockFormat, Device
from tenka.budget.lines import (
    BLOCKS,
    DEPTH_BYTES,
    MB,
    PLAIN_TARGET,
    Line,
    Term,
    calls_of,
    colour_format,
    light_format,
    motion_format,
    one_channel_format,
    passes_of,
    second_format,
    texture_bytes,
)
from tenka.effect.model import Camera, Player, Tier
from tenka.look.sprites import count_covered
from tenka.package.elements.flipbook import Flipbook
from tenka.proof.elements.flipbook import quads
from tenka.scene.cameras import View, view_of

MOMENTS = 8  # times over a life at which sprites are counted
STEADY_LIVES = 4  # counted after this many lives, when ages are spread
FLOPS = {
    "sample, tint, fade": 22.0,
    "second frame": 14.0,
    "second atlas": 8.0,
    "motion": 26.0,
    "light maps": 34.0,
    "further atlas": 10.0,
    "soft edge": 8.0,
}


def viewing_of(tier: Tier, element: Flipbook) -> View:
    """The game's picture for which cost is counted: level, from `distance`, at the middle of the sprite."""
    middle = element.size[1] * (0.5 - element.pivot[1])
    x, y, z = element.attach
    camera = Camera(target=(x, y, z + middle), distance=tier.distance, heading=-90.0, pitch=0.0, fov=tier.fov)
    return view_of(camera, tier.width, tier.height)


def mean_cover(element: Flipbook, player: Player, view: View) -> tuple[float, float, float]:
    """Mean over a life, in the steady state: pixels times layers, pixels with any layer, sprites drawn."""
    found = np.zeros(3)
    for moment in range(MOMENTS):
        table = quads(element, player, (STEADY_LIVES + moment / MOMENTS) * player.life, view)
        covered, pixels = count_covered(table, element.cuts, view.width, view.height).sum(axis=0)
        found += (covered, pixels, len(table))
    covered, pixels, drawn = (float(v) for v in found / MOMENTS)
    return covered, pixels, drawn


def _fetched(element: Flipbook, format: BlockFormat, shrink: int) -> int:
    """Bytes of one frame's blocks at a mip level."""
    bw, bh, size = BLOCKS[format]
    wide, tall = (math.ceil(side / 2**shrink / edge) for side, edge in zip(element.cell, (bw, bh)))
    found: int = wide * tall * size
    return found


def _atlases(element: Flipbook, d: Device) -> list[tuple[str, BlockFormat, str]]:
    """What a game reads of a flipbook: each atlas, its format, and what it holds."""
    found: list[tuple[str, BlockFormat, str]] = [("colour atlas", colour_format(d), "")]
    if element.second:
        found.append(("second atlas", second_format(d, element.second.holds), f"{element.second.holds}, "))
    if element.motion:
        found.append(("motion atlas", motion_format(d), ""))
    if element.lit:
        found += [("first light atlas", light_format(d), ""), ("second light atlas", light_format(d), "")]
    if element.normals:
        found.append(("normal atlas", motion_format(d), ""))
    if element.distance:
        found.append(("depth atlas", one_channel_format(d), ""))
    return found


@dataclass(frozen=True)
class _Traffic:
    """What the sprites of a flipbook move, in bytes a frame."""

    blending: float
    depth: float
    texture: float

    @property
    def all(self) -> float:
        return self.blending + self.depth + self.texture


def _traffic(
    element: Flipbook, tier: Tier, d: Device, view: View, covered: float, touched: float, sprites: float
) -> _Traffic:
    """Bytes for `covered` shaded pixels over `touched` ones by `sprites` drawn."""
    player = element.player
    # texels that a sprite's frame holds at the mip level at which it is seen; each block is fetched once a
    # sprite
    height_px = (
        element.size[1] * player.scale * player.tall / (2 * view.half_height * tier.distance / view.height)
    )
    shrink = max(0, round(math.log2(max(1.0, element.cell[1] / max(height_px, 1.0)))))
    frame = sum(
        _fetched(element, form, 0 if what == "motion atlas" else shrink)
        for what, form, _ in _atlases(element, d)
    )
    # a tile-based device blends on the chip and writes each pixel once; others read and write it for each
    # layer
    return _Traffic(
        blending=(touched if d.tile_based else 2.0 * covered) * d.target_bytes,
        depth=(touched if d.tile_based else covered) * DEPTH_BYTES if player.soft_edge > 0 else 0.0,
        texture=frame * (2 if player.blend else 1) * sprites,
    )


def operations(element: Flipbook) -> float:
    """Floating-point operations for a shaded pixel."""
    player = element.player
    flops = FLOPS["sample, tint, fade"]
    flops += FLOPS["second frame"] if player.blend else 0.0
    flops += FLOPS["second atlas"] * (2 if player.blend else 1) if element.second else 0.0
    flops += FLOPS["light maps"] * (2 if player.blend else 1) if element.lit else 0.0
    flops += FLOPS["further atlas"] * sum(x is not None for x in (element.normals, element.distance))
    flops += FLOPS["motion"] if element.motion and player.blend else 0.0
    return flops + (FLOPS["soft edge"] if player.soft_edge > 0 else 0.0)


def flipbook_line(name: str, element: Flipbook, tier: Tier, d: Device) -> Line:
    """Cost of a flipbook on sprites."""
    player = element.player
    view = viewing_of(tier, element)
    one, pixels, drawn = mean_cover(element, player, view)
    covered, touched, sprites = one * tier.copies, pixels * tier.copies, drawn * tier.copies
    traffic = _traffic(element, tier, d, view, covered, touched, sprites)
    flops = operations(element)
    passes = passes_of(d, covered, covered * flops, traffic.all)
    bound = max(passes, key=lambda k: passes[k])
    calls = calls_of(tier, d)
    update_ms = player.count * tier.copies / d.particles_per_ms
    overdraw = one / pixels if pixels else 0.0
    where = "written once a pixel: tile-based" if d.tile_based else "read and written for each layer"
    reasons = {
        "fill": f"{covered / 1e6:.2f} Mpx of {d.target_bytes:g} bytes at {d.fill_gpixel_s:g} Gpx/s of "
        f"{PLAIN_TARGET:g}",
        "arithmetic": f"{flops:g} flop a pixel at {d.arithmetic_gflop_s:g} GFLOP/s",
        "memory": f"{traffic.all / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s: {traffic.blending / MB:.2f} MB "
        f"blending ({where}), {traffic.depth / MB:.2f} MB depth, {traffic.texture / MB:.2f} MB texture",
    }
    counted = f"{sprites:.1f} sprites counted on {tier.width} × {tier.height} px at {tier.distance:g} m"
    moved = f"{player.count * tier.copies} sprites at {d.particles_per_ms:g} a ms, beside drawing"
    w, h = element.width, element.height
    held = [
        Term(
            what,
            texture_bytes(w, h, form) / MB,
            "MB",
            f"{holds}{w} × {h} px as {form.upper()} with mip levels",
        )
        for what, form, holds in _atlases(element, d)
    ]
    terms = (
        Term("covered", covered / 1e6, "Mpx", counted),
        Term("overdraw", overdraw, "layers", "mean over the pixels that have any"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        calls,
        Term("update", update_ms, "ms", moved),
        *held,
    )
    whole_ms, whole_mb = passes[bound] + calls.value, sum(term.value for term in held)
    return Line(name, "flipbook", whole_ms, update_ms, whole_mb, overdraw, covered, terms, bound)
