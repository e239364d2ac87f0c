"""What a ledger needs to know of layers whose size only a simulation tells."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import Effect
from tenka.pack.layout import box_of, packable, taken
from tenka.run.driver import figures_of, simulate
from tenka.run.plans import plans_of


def needed_figures(
    effect: Effect, folder: Path | None, store: FrameStore, progress: Progress
) -> dict[str, Any]:
    """Figures of the layers that need them, by layer; what is missing is simulated.

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    layers = {layer.id: layer for d in packable(effect) for layer in taken(effect, d)}
    unknown = [id for id, layer in layers.items() if box_of(effect, layer, {}) is None]
    if not unknown:
        return {}
    plans, found = plans_of(effect, folder), {}
    for id in unknown:
        simulate(plans[id], store, progress)
        found[id] = figures_of(plans[id], store)
    return found
