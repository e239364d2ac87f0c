"""The cost model: a roofline over what is drawn (Williams, Waterman & Patterson 2009), and real block sizes.

Time of a pass is the largest of its arithmetic, its memory traffic and its fill; each term is kept with its
inputs. Pixels are not estimated: the sprites that Proof would draw are counted on the tier's own picture.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from tenka.base.errors import BadInput
from tenka.budget.devices import BlockFormat, Device, device
from tenka.effect.document import with_levers
from tenka.effect.model import Camera, Effect, GasLayer, Player, Tier
from tenka.look.sprites import count_covered
from tenka.pack.flipbook import describe
from tenka.package.manifest import Flipbook
from tenka.proof.player import quads
from tenka.scene.cameras import View, view_of

MOMENTS = 8  # times over a life at which sprites are counted
STEADY_LIVES = 4  # counted after this many lives, when ages are spread
FLOPS = {"sample, tint, fade": 22.0, "second frame": 14.0, "soft edge": 8.0}
TARGET_BYTES = 8.0  # a blended pixel is read and written, 4 bytes each
MB = 1e6

BLOCKS: dict[str, tuple[int, int, int]] = {
    "bc1": (4, 4, 8), "bc3": (4, 4, 16), "bc4": (4, 4, 8), "bc5": (4, 4, 16), "bc7": (4, 4, 16),
    "astc4x4": (4, 4, 16), "astc6x6": (6, 6, 16), "astc8x8": (8, 8, 16), "rgba8": (1, 1, 4),
}  # fmt: skip
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
    return d.block_format


def second_format(d: Device, holds: str) -> BlockFormat:
    """Format of a second atlas: one channel for temperature, colour without alpha for emission."""
    if d.block_format.startswith("astc"):
        return d.block_format
    return "bc4" if holds == "temperature" else "bc1"


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
    """A layer's delivery on a tier."""

    layer: str
    route: str
    ms: float
    mb: float
    overdraw: float
    covered: float
    terms: tuple[Term, ...]
    bound: str


@dataclass(frozen=True)
class Ledger:
    """All lines of an effect on a tier, against its budget."""

    tier: Tier
    device: Device
    lines: tuple[Line, ...] = field(default_factory=tuple)
    problems: tuple[str, ...] = ()

    @property
    def ms(self) -> float:
        return sum(line.ms for line in self.lines)

    @property
    def mb(self) -> float:
        return sum(line.mb for line in self.lines)

    @property
    def over(self) -> bool:
        return self.ms > self.tier.ms or self.mb > self.tier.mb or bool(self.problems)


def mean_cover(element: Flipbook, player: Player, view: View) -> tuple[float, float, float]:
    """Mean over a life, in the steady state: pixels times layers, pixels with any layer, sprites drawn."""
    found = np.zeros(3)
    for moment in range(MOMENTS):
        table = quads(element, player, (STEADY_LIVES + moment / MOMENTS) * player.life, view)
        covered, pixels = count_covered(table, view.width, view.height).sum(axis=0)
        found += (covered, pixels, len(table))
    covered, pixels, drawn = (float(v) for v in found / MOMENTS)
    return covered, pixels, drawn


def flipbook_line(layer: GasLayer, element: Flipbook, tier: Tier, d: Device) -> Line:
    """Cost of a flipbook on sprites."""
    player = element.player
    view = viewing_of(tier, element)
    one, pixels, drawn = mean_cover(element, player, view)
    covered = one * tier.copies
    flops = (
        FLOPS["sample, tint, fade"] + (FLOPS["second frame"] if player.blend else 0) + (FLOPS["soft edge"] if player.soft_edge > 0 else 0)
    )
    bw, bh, size = BLOCKS[d.block_format]
    # texels that a sprite's frame holds at the mip level at which it is seen; each block is fetched once a sprite
    height_px = element.size[1] * player.scale / (2 * view.half_height * tier.distance / view.height)
    shrink = max(0, round(math.log2(max(1.0, element.cell[1] / max(height_px, 1.0)))))
    blocks = math.ceil(element.cell[0] / 2**shrink / bw) * math.ceil(element.cell[1] / 2**shrink / bh)
    fetched = blocks * size * (2 if player.blend else 1) * drawn * tier.copies
    traffic = covered * TARGET_BYTES + fetched
    fill_ms = covered / (d.fill_gpixel_s * 1e9) * 1e3
    arithmetic_ms = covered * flops / (d.arithmetic_gflop_s * 1e9) * 1e3
    memory_ms = traffic / (d.bandwidth_gb_s * 1e9) * 1e3
    update_ms = player.count * tier.copies / d.particles_per_ms
    passes = {"fill": fill_ms, "arithmetic": arithmetic_ms, "memory": memory_ms}
    bound = max(passes, key=lambda k: passes[k])
    colour = texture_bytes(element.width, element.height, colour_format(d))
    second = texture_bytes(element.width, element.height, second_format(d, element.second.holds)) if element.second else 0
    terms: tuple[Term, ...] = (
        Term(
            "covered",
            covered / 1e6,
            "Mpx",
            f"{drawn * tier.copies:.1f} sprites counted on {tier.width} x {tier.height} px at {tier.distance:g} m",
        ),
        Term("overdraw", one / pixels if pixels else 0.0, "layers", "mean over the pixels that have any"),
        Term("fill", fill_ms, "ms", f"{covered / 1e6:.2f} Mpx at {d.fill_gpixel_s:g} Gpx/s"),
        Term("arithmetic", arithmetic_ms, "ms", f"{flops:g} flop a pixel at {d.arithmetic_gflop_s:g} GFLOP/s"),
        Term("memory", memory_ms, "ms", f"{traffic / MB:.2f} MB at {d.bandwidth_gb_s:g} GB/s, of which {fetched / MB:.2f} MB texture"),
        Term("update", update_ms, "ms", f"{player.count * tier.copies} sprites at {d.particles_per_ms:g} a ms"),
        Term("colour atlas", colour / MB, "MB", f"{element.width} x {element.height} px as {colour_format(d).upper()} with mip levels"),
    )
    if element.second:
        terms += (
            Term(
                "second atlas",
                second / MB,
                "MB",
                f"{element.second.holds} as {second_format(d, element.second.holds).upper()} with mip levels",
            ),
        )
    return Line(
        layer.name, "flipbook", passes[bound] + update_ms, (colour + second) / MB, one / pixels if pixels else 0.0, covered, terms, bound
    )


def ledger(effect: Effect, tier_id: str | None = None) -> Ledger:
    """The ledger of an effect on one of its tiers, with the tier's levers in place."""
    try:
        tier = effect.tier(tier_id)
    except KeyError:
        names = ", ".join(t.name for t in effect.tiers) or "none yet"
        raise BadInput(f"no tier is called '{tier_id}'", f"one of {names}") from None
    d = device(tier.device)
    played = with_levers(effect, tier.id)
    lines, problems = [], []
    for layer in played.gases:
        if layer.passed_over or layer.hidden:
            continue
        element = describe(played, layer)
        if max(element.width, element.height) > d.largest_texture_px:
            problems.append(
                f"{layer.name}: an atlas of {element.width} x {element.height} px is larger than {d.name} takes ({d.largest_texture_px} px)."
            )
        lines.append(flipbook_line(layer, element, tier, d))
    return Ledger(tier, d, tuple(lines), tuple(problems))
