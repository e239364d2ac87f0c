"""What lines of a ledger are made of: terms, passes, and textures as blocks."""

from __future__ import annotations

from dataclasses import dataclass

from tenka.base.words import counted
from tenka.budget.devices import BlockFormat, Device
from tenka.effect.model import Tier

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


def light_format(d: Device) -> BlockFormat:
    """Format of light maps: four channels."""
    return d.block_format


def one_channel_format(d: Device) -> BlockFormat:
    """Format of an atlas of one channel."""
    if d.block_format.startswith("astc"):
        return d.block_format
    return "r8" if d.block_format == "rgba8" else "bc4"


def motion_format(d: Device) -> BlockFormat:
    """Format of an atlas of motion: two channels."""
    if d.block_format.startswith("astc"):
        return d.block_format
    return "rgba8" if d.block_format == "rgba8" else "bc5"


@dataclass(frozen=True)
class Term:
    """One figure of the model with what it was made from; whether copies that are drawn together share it."""

    name: str
    value: float
    unit: str
    why: str
    shared: bool = False


@dataclass(frozen=True)
class Line:
    """A layer's delivery on a tier.

    Attributes
    ----------
    ms : of drawing
    update_ms : of moving sprites, which runs beside drawing
    bound : the pass that takes longest
    id : of the delivery, or of the light
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
    id: str = ""

    @property
    def calls_ms(self) -> float:
        """What of `ms` the device's calls take; nothing where nothing is drawn."""
        return sum(t.value for t in self.terms if t.name == "calls") if self.ms else 0.0

    @property
    def held(self) -> tuple[tuple[str, float], ...]:
        """What `mb` is made of: names and MB, which sum up to it."""
        parts = [(t.name, t.value) for t in self.terms if t.unit == "MB"]
        rest = self.mb - sum(value for _, value in parts)
        return tuple([*parts, ("other", rest)] if rest > 1e-9 else parts)


def calls_of(
    tier: Tier, d: Device, draws: int = 1, alone: bool = False, what: str = "draw", plural: str = ""
) -> Term:
    """What the device's calls take, ms.

    Parameters
    ----------
    draws : for a copy, or for as many as are drawn together
    alone : whether no two copies can be drawn in one call
    what, plural : the word for a call
    """
    together = 1 if alone else min(tier.copies_a_call, tier.copies)
    calls = draws * -(-tier.copies // together)
    why = f"{counted(calls, what, plural)} of {d.draw_call_us:g} µs"
    if together > 1:
        why += f", up to {together} copies in one"
    return Term("calls", calls * d.draw_call_us / 1e3, "ms", why, not alone)


def passes_of(d: Device, fill: float, flops: float, moved: float) -> dict[str, float]:
    """Time of each pass, ms.

    Parameters
    ----------
    fill : pixels drawn; flops : operations; moved : bytes
    """
    return {
        "fill": fill * d.target_bytes / PLAIN_TARGET / (d.fill_gpixel_s * 1e9) * 1e3,
        "arithmetic": flops / (d.arithmetic_gflop_s * 1e9) * 1e3,
        "memory": moved / (d.bandwidth_gb_s * 1e9) * 1e3,
    }
