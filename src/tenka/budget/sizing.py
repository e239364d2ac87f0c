"""How large frames and voxels should be for what a tier shows: what is wasted, and what is missing."""

from __future__ import annotations

import math
from dataclasses import dataclass

from tenka.base.errors import TenkaError
from tenka.budget.cost import Ledger
from tenka.effect.document import is_there, replaced, with_own
from tenka.effect.model import Effect, GasLayer, Tier
from tenka.look.colour import ramp_table
from tenka.package.elements.flipbook import Flipbook
from tenka.run.findings import Finding

WASTED = 1.7  # texels a pixel, from which it is told
FINE, COARSE = 0.6, 4.0  # pixels that a voxel covers
BLOCK = 4  # px by which sides of a frame go


@dataclass(frozen=True)
class Sizing:
    """A flipbook's frames on a tier.

    Attributes
    ----------
    delivery : id
    held, shown : px of a frame's height as it is written, and as it is seen at its largest
    fitting : px of the textures in which frames are as large as they are shown
    saves : MB of the tier's memory; below 0 where it takes more
    """

    delivery: str
    name: str
    held: int
    shown: float
    fitting: tuple[int, int]
    saves: float


def px_per_m(tier: Tier) -> float:
    """Pixels of a tier's picture that a metre takes at its distance."""
    return float(tier.height / (2.0 * math.tan(math.radians(tier.fov) / 2.0) * tier.distance))


def frame_sizes(book: Ledger) -> list[Sizing]:
    """The frames of all flipbooks that a ledger counts, against what the tier shows of them."""
    found, scale = [], px_per_m(book.tier)
    for line, (delivery, element) in zip(book.lines, book.elements):
        if not isinstance(element, Flipbook) or line.ms == 0.0:
            continue
        player = element.player
        largest = float(max(ramp_table(player.size_over, 33)))
        shown = element.size[1] * player.scale * player.tall * largest * scale
        held = element.cell[1]
        share = shown / held
        wide, tall = (
            count * max(BLOCK, BLOCK * math.ceil(side / count * share / BLOCK))
            for side, count in ((element.width, element.columns), (element.height, element.rows))
        )
        smaller = wide * tall / (element.width * element.height)
        found.append(Sizing(delivery.id, delivery.name, held, shown, (wide, tall), line.mb * (1.0 - smaller)))
    return found


def size_findings(book: Ledger, effect: Effect) -> list[Finding]:
    """Frames that are larger than a tier shows them, in words, with a mend that gives the tier sizes of its
    own."""
    found, tier = [], book.tier
    for s in frame_sizes(book):
        if s.held <= WASTED * s.shown:
            continue
        wide, tall = s.fitting
        words = f"{s.name}: {tier.name} shows its frames {s.shown:.0f} px high, and they have {s.held}: "
        words += f"{wide} × {tall} px would do, {s.saves:.1f} MB less"
        found.append(_with_mend(words, effect, tier, s))
    return found


def shape_findings(book: Ledger, effect: Effect) -> list[Finding]:
    """Frames that are of another shape than what they show, with a mend for every tier."""
    found = []
    for delivery, _ in book.elements:
        shape = book.shapes.get(delivery.id)
        if shape is None:
            continue
        path = f"deliveries.{delivery.id}.route"
        (wide, tall), (now_wide, now_tall) = shape.size, shape.before
        words = f"{delivery.name}: its frames span {now_wide:.1f} × {now_tall:.1f} m; {shape.columns} × "
        words += f"{shape.rows} of them, columns by rows, would span {wide:.1f} × {tall:.1f} m, with "
        words += f"{1.0 / shape.share:.1f} times as many pixels for what is seen"
        names = [f"{path}.{name}" for name in ("columns", "rows")]
        own = any(name in tier.values for tier in effect.tiers for name in names)
        if own or not is_there(effect, names[0]):  # a ledger may be a little behind
            found.append(Finding(words))
            continue
        made = effect
        for name, value in zip(names, (shape.columns, shape.rows)):
            made = replaced(made, name, value)
        found.append(Finding(words, f"{shape.columns} × {shape.rows} frames", made))
    return found


def _with_mend(words: str, effect: Effect, tier: Tier, s: Sizing) -> Finding:
    """A finding with sizes of the tier's own, where they are in range."""
    try:
        for name, value in zip(("width", "height"), s.fitting):
            effect = with_own(effect, tier.id, f"deliveries.{s.delivery}.route.{name}", value)
    except TenkaError:
        return Finding(words)
    return Finding(words, f"{s.fitting[0]} × {s.fitting[1]} px on {tier.name}", effect)


def _voxels(effect: Effect, tier: Tier) -> list[tuple[GasLayer, float]]:
    """Gases that are seen, and how many px of a tier a voxel covers."""
    gases = (x for x in effect.gases if not x.hidden and not x.passed_over)
    return [(layer, layer.domain.voxel * px_per_m(tier)) for layer in gases]


def voxel_findings(effect: Effect) -> list[Finding]:
    """Gases whose voxels are finer than what any tier shows."""
    if not effect.tiers:
        return []
    sharpest, found = max(effect.tiers, key=px_per_m), []
    for layer, px in _voxels(effect, sharpest):
        if px >= FINE:
            continue
        fitting = float(f"{1.0 / px_per_m(sharpest):.2g}")
        factor = (fitting / layer.domain.voxel) ** 4  # of voxels, and of steps that cross one
        words = f"{layer.name}: a voxel covers {px:.1f} px on {sharpest.name}, which shows most of it: "
        words += f"{fitting:g} m would do, about {factor:.0f} times faster"
        domain = layer.domain.model_copy(update={"voxel": fitting})
        made = effect.with_layer(layer.model_copy(update={"domain": domain}))
        found.append(Finding(words, f"Voxels of {fitting:g} m", made))
    return found


def size_advice(book: Ledger, effect: Effect) -> list[str]:
    """How large frames and voxels are on a tier, and how large they would be where a texel is a pixel."""
    found = []
    for s in frame_sizes(book):
        share = s.shown / s.held
        words = f"{s.name}: frames of {s.held} px are seen {s.shown:.0f} px high, {share:.1f} px a texel"
        if share > 1.0:
            (wide, tall), most = s.fitting, book.device.largest_texture_px
            fits = f"{wide} × {tall} px would show all that can be seen, {-s.saves:.1f} MB more"
            words += f"; {fits if max(wide, tall) <= most else 'no texture that the device takes shows all'}"
        found.append(words)
    for layer, px in _voxels(effect, book.tier):
        sharp = f"; {float(f'{2.0 / px_per_m(book.tier):.2g}'):g} m would be 2" if px > COARSE else ""
        found.append(f"{layer.name}: a voxel of {layer.domain.voxel:g} m covers {px:.1f} px{sharp}")
    return found
