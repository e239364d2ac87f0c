"""The cost model: a roofline over what is drawn (Williams, Waterman & Patterson 2009), and real block sizes.

Time of a pass is the largest of its arithmetic, its memory traffic and its fill; each term is kept with its
inputs. Pixels are not estimated: the sprites that Proof would draw are counted on the tier's own picture.
What the model leaves out is said in docs/numerics.md.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.words import counted as count_of
from tenka.budget.devices import BlockFormat, Device, device
from tenka.effect.courses import most
from tenka.effect.document import on_tier
from tenka.effect.model import Camera, Effect, Player, Tier, heard
from tenka.look.shot import SHOWN
from tenka.look.sprites import count_covered
from tenka.pack.layout import bounds_of, describe, left_out, packable, taken
from tenka.package.manifest import Flipbook
from tenka.proof.player import quads
from tenka.run.kinds import KINDS
from tenka.scene.cameras import View, view_of

MOMENTS = 8  # times over a life at which sprites are counted
STEADY_LIVES = 4  # counted after this many lives, when ages are spread
FLOPS = {
    "sample, tint, fade": 22.0,
    "second frame": 14.0,
    "second atlas": 8.0,
    "motion": 26.0,
    "soft edge": 8.0,
}
DEPTH_BYTES = 4.0  # of the depth picture, read for soft edges
PLAIN_TARGET = 4.0  # bytes a pixel for which a device's fill rate is stated
MB = 1e6

BLOCKS: dict[str, tuple[int, int, int]] = {
    "bc1": (4, 4, 8),
    "bc3": (4, 4, 16),
    "bc4": (4, 4, 8),
    "bc5": (4, 4, 16),
    "bc7": (4, 4, 16),
    "astc4x4": (4, 4, 16),
    "astc6x6": (6, 6, 16),
    "astc8x8": (8, 8, 16),
    "r8": (1, 1, 1),
    "rgba8": (1, 1, 4),
}
"""Block width, block height and bytes per block of each texture format."""


def mip_sizes(width: int, height: int) -> list[tuple[int, int]]:
    """Sizes of all mip levels down to one texel."""
    sizes = [(width, height)]
    while sizes[-1] != (1, 1):
        w, h = sizes[-1]
        sizes.append((max(1, w // 2), max(1, h // 2)))
    return sizes


def texture_bytes(width: int, height: int, block: BlockFormat) -> int:
    """Bytes of a whole block-compressed mip chain; partial blocks count whole."""
    bw, bh, size = BLOCKS[block]
    return sum(-(-w // bw) * -(-h // bh) * size for w, h in mip_sizes(width, height))


def colour_format(d: Device) -> BlockFormat:
    """Format of an atlas with colour and alpha."""
    return d.block_format


def second_format(d: Device, holds: str) -> BlockFormat:
    """Format of a second atlas on a device: one channel for temperature, colour without alpha for
    emission."""
    if d.block_format.startswith("astc"):
        return d.block_format
    if d.block_format == "rgba8":
        return "r8" if holds == "temperature" else "rgba8"
    if holds == "temperature":
        return "bc4"
    return "bc7" if d.block_format == "bc7" else "bc1"


def motion_format(d: Device) -> BlockFormat:
    """Format of an atlas of motion: two channels."""
    if d.block_format.startswith("astc"):
        return d.block_format
    return "rgba8" if d.block_format == "rgba8" else "bc5"


def viewing_of(tier: Tier, element: Flipbook) -> View:
    """The game's picture for which cost is counted: level, from `distance`, at the middle of the sprite."""
    middle = element.size[1] * (0.5 - element.pivot[1])
    x, y, z = element.attach
    camera = Camera(target=(x, y, z + middle), distance=tier.distance, heading=-90.0, pitch=0.0, fov=tier.fov)
    return view_of(camera, tier.width, tier.height)


@dataclass(frozen=True)
class Term:
    """One figure of the model with what it was made from."""

    name: str
    value: float
    unit: str
    why: str


@dataclass(frozen=True)
class Line:
    """A layer's delivery on a tier.

    Attributes
    ----------
    ms : of drawing
    update_ms : of moving sprites, which runs beside drawing
    bound : the pass that takes longest
    """

    layer: str
    route: str
    ms: float
    update_ms: float
    mb: float
    overdraw: float
    covered: float
    terms: tuple[Term, ...]
    bound: str


@dataclass(frozen=True)
class Uncounted:
    """A layer that is seen, whose cost is not known, and why."""

    layer: str
    why: str

    def __str__(self) -> str:
        return f"{self.layer} is not counted: {self.why}."


@dataclass(frozen=True)
class Ledger:
    """All lines of an effect on a tier, against its budget."""

    tier: Tier
    device: Device
    lines: tuple[Line, ...] = field(default_factory=tuple)
    problems: tuple[str, ...] = ()
    uncounted: tuple[Uncounted, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def ms(self) -> float:
        """Drawing, ms."""
        return sum(line.ms for line in self.lines)

    @property
    def update_ms(self) -> float:
        """Moving sprites, ms: it runs beside drawing."""
        return sum(line.update_ms for line in self.lines)

    @property
    def mb(self) -> float:
        return sum(line.mb for line in self.lines)

    @property
    def over(self) -> bool:
        """Whether a figure is beyond the budget, or a texture beyond what the device takes."""
        most = max(self.ms, self.update_ms)
        return most > self.tier.ms or self.mb > self.tier.mb or bool(self.problems)

    @property
    def calibration(self) -> str:
        """What the figures rest on, in words."""
        return f"calibrated by {self.device.calibrated}" if self.device.calibrated else "uncalibrated"


def mean_cover(element: Flipbook, player: Player, view: View) -> tuple[float, float, float]:
    """Mean over a life, in the steady state: pixels times layers, pixels with any layer, sprites drawn."""
    found = np.zeros(3)
    for moment in range(MOMENTS):
        table = quads(element, player, (STEADY_LIVES + moment / MOMENTS) * player.life, view)
        covered, pixels = count_covered(table, view.width, view.height).sum(axis=0)
        found += (covered, pixels, len(table))
    covered, pixels, drawn = (float(v) for v in found / MOMENTS)
    return covered, pixels, drawn


def _fetched(element: Flipbook, format: BlockFormat, shrink: int) -> int:
    """Bytes of one frame's blocks at a mip level."""
    bw, bh, size = BLOCKS[format]
    wide, tall = (math.ceil(side / 2**shrink / edge) for side, edge in zip(element.cell, (bw, bh)))
    found: int = wide * tall * size
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
    player, second = element.player, element.second
    # texels that a sprite's frame holds at the mip level at which it is seen; each block is fetched once a
    # sprite
    height_px = element.size[1] * player.scale / (2 * view.half_height * tier.distance / view.height)
    shrink = max(0, round(math.log2(max(1.0, element.cell[1] / max(height_px, 1.0)))))
    frame = _fetched(element, colour_format(d), shrink)
    frame += _fetched(element, second_format(d, second.holds), shrink) if second else 0
    frame += _fetched(element, motion_format(d), 0) if element.motion else 0
    # a tile-based device blends on the chip and writes each pixel once; others read and write it for each
    # layer
    return _Traffic(
        blending=(touched if d.tile_based else 2.0 * covered) * d.target_bytes,
        depth=(touched if d.tile_based else covered) * DEPTH_BYTES if player.soft_edge > 0 else 0.0,
        texture=frame * (2 if player.blend else 1) * sprites,
    )


def _operations(element: Flipbook) -> float:
    """Floating-point operations for a shaded pixel."""
    player = element.player
    flops = FLOPS["sample, tint, fade"]
    flops += FLOPS["second frame"] if player.blend else 0.0
    flops += FLOPS["second atlas"] * (2 if player.blend else 1) if element.second else 0.0
    flops += FLOPS["motion"] if element.motion and player.blend else 0.0
    return flops + (FLOPS["soft edge"] if player.soft_edge > 0 else 0.0)


def flipbook_line(name: str, element: Flipbook, tier: Tier, d: Device) -> Line:
    """Cost of a flipbook on sprites."""
    player, second = element.player, element.second
    view = viewing_of(tier, element)
    one, pixels, drawn = mean_cover(element, player, view)
    covered, touched, sprites = one * tier.copies, pixels * tier.copies, drawn * tier.copies
    traffic = _traffic(element, tier, d, view, covered, touched, sprites)
    flops = _operations(element)
    passes = {
        "fill": covered * d.target_bytes / PLAIN_TARGET / (d.fill_gpixel_s * 1e9) * 1e3,
        "arithmetic": covered * flops / (d.arithmetic_gflop_s * 1e9) * 1e3,
        "memory": traffic.all / (d.bandwidth_gb_s * 1e9) * 1e3,
    }
    bound = max(passes, key=lambda k: passes[k])
    calls_ms = tier.copies * d.draw_call_us / 1e3
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
    atlases = [("colour atlas", colour_format(d), "")]
    if second:
        atlases.append(("second atlas", second_format(d, second.holds), f"{second.holds}, "))
    if element.motion:
        atlases.append(("motion atlas", motion_format(d), ""))
    w, h = element.width, element.height
    held = [
        Term(
            what,
            texture_bytes(w, h, form) / MB,
            "MB",
            f"{holds}{w} × {h} px as {form.upper()} with mip levels",
        )
        for what, form, holds in atlases
    ]
    terms = (
        Term("covered", covered / 1e6, "Mpx", counted),
        Term("overdraw", overdraw, "layers", "mean over the pixels that have any"),
        *(Term(what, ms, "ms", reasons[what]) for what, ms in passes.items()),
        Term("calls", calls_ms, "ms", f"{count_of(tier.copies, 'draw')} of {d.draw_call_us:g} µs"),
        Term("update", update_ms, "ms", moved),
        *held,
    )
    whole_ms, whole_mb = passes[bound] + calls_ms, sum(term.value for term in held)
    return Line(name, "flipbook", whole_ms, update_ms, whole_mb, overdraw, covered, terms, bound)


def _why_unknown(layer: Any, played: Effect) -> str:
    """Why a seen layer that no delivery takes is not counted."""
    if layer.kind not in KINDS or layer.kind not in SHOWN:
        return f"layers of the kind '{layer.kind}' have no delivery yet"
    return "it has no delivery" if not played.deliveries_of(layer.id) else "its delivery is left out here"


def ledger(
    effect: Effect,
    tier_id: str | None = None,
    figures: Mapping[str, Mapping[int, dict[str, Any]]] | None = None,
) -> Ledger:
    """The ledger of an effect on one of its tiers, with the tier's levers in place.

    Every layer that is seen has a line, or is named as not counted.

    Parameters
    ----------
    figures : what was measured of the frames of each layer; kinds whose size only a simulation tells need
        them
    """
    try:
        tier = effect.tier(tier_id)
    except KeyError:
        names = ", ".join(t.name for t in effect.tiers) or "none yet"
        raise BadInput(f"no tier is called '{tier_id}'", f"one of {names}") from None
    d = device(tier.device)
    played = on_tier(effect, tier.id)
    lines, problems, uncounted = [], [], []
    for layer in left_out(played):
        uncounted.append(Uncounted(layer.name, _why_unknown(layer, played)))
    for delivery in packable(played):
        box = bounds_of(played, delivery, figures or {})
        if box is None:
            why = "it has not been simulated yet, so that nobody knows how large it is"
            uncounted += [Uncounted(layer.name, why) for layer in taken(played, delivery)]
            continue
        element = describe(played, delivery, box)
        if max(element.width, element.height) > d.largest_texture_px:
            problems.append(
                f"{delivery.name}: an atlas of {element.width} × {element.height} px is larger than "
                f"{d.name} takes ({d.largest_texture_px} px)."
            )
        lines.append(flipbook_line(delivery.name, element, tier, d))
    return Ledger(tier, d, tuple(lines), tuple(problems), tuple(uncounted), _notes(effect, tier, d))


def _notes(effect: Effect, tier: Tier, d: Device) -> tuple[str, ...]:
    """What a tier's own budget asks of its device beyond what that gives to all effects together, and what
    is not in the ledger."""
    found = []
    shining = [light.name for light in heard(effect.lights) if not light.hidden]
    if shining:
        found.append(
            f"{', '.join(shining)}: what lights take of the frame is the game's own affair, and not counted "
            "here."
        )
    bending = [g.name for g in effect.gases if not g.hidden and most(g.look.shimmer) > 0]
    if bending:
        found.append(f"{', '.join(bending)}: shimmer is not packed, and not counted here.")
    if tier.ms > d.effects_ms:
        found.append(
            f"{tier.name} allows {tier.ms:g} ms where all effects together may take {d.effects_ms:.2f} ms of "
            f"{d.name}'s frame."
        )
    if tier.mb > d.effects_memory_mb:
        found.append(
            f"{tier.name} allows {tier.mb:g} MB where all effects together may take "
            f"{d.effects_memory_mb:g} MB "
            f"of {d.name}'s memory."
        )
    return tuple(found)
