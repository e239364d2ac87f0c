"""What a ledger says in words."""

from __future__ import annotations

from tenka.budget.cost import Ledger
from tenka.budget.overtime import OverTime
from tenka.budget.sizing import shape_findings, size_findings, voxel_findings
from tenka.effect.model import Effect
from tenka.run.findings import Finding

LEFT_OUT = (
    "Not in these figures: pixels that are shaded for nothing along the edges of sprites, sorting, changes "
    "of state between draws, shadows of lights, textures that are read in and given up again, and what the "
    "frame's other work takes from caches. Fill, arithmetic and memory are taken to overlap wholly: the "
    "longest counts. A tile-based device is taken to hold a tile's layers on the chip, others to blend in "
    "memory. A profile that was calibrated has in its rates what of this the measured scenes had."
)
"""What the model does not know, for those who will object."""


def over_budget(book: Ledger) -> Finding:
    """What of a tier's budget is exceeded, as a finding."""
    what = [f"{book.ms:.2f} of {book.tier.ms:g} ms drawing"] if book.ms > book.tier.ms else []
    what += [f"{book.update_ms:.2f} of {book.tier.ms:g} ms updating"] if book.update_ms > book.tier.ms else []
    what += [f"{book.mb:.1f} of {book.tier.mb:g} MB"] if book.mb > book.tier.mb else []
    return Finding(f"Over the budget of {book.tier.name}: {', '.join([*what, *book.problems])}")


def sizing(book: Ledger | None, effect: Effect) -> list[Finding]:
    """What is larger than anybody sees, or of another shape, with mends of the effect that a ledger is of."""
    found = voxel_findings(effect)
    return found if book is None else [*found, *size_findings(book, effect), *shape_findings(book, effect)]


def over_at_worst(book: Ledger, over: OverTime | None) -> Finding | None:
    """That a moment is beyond the budget, where the mean is not."""
    if over is None or book.over or over.worst[0] <= book.tier.ms:
        return None
    return Finding(f"{book.tier.name} is within its budget on average, but {over.told()}")
