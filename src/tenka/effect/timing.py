"""Cues put into times: what runs and keys are made from."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from tenka.effect.model import Effect


def timed(effect: Effect) -> Effect:
    """The effect with each cue's time put into the delays of what hangs on it: what runs and keys are made
    from."""
    if not effect.cues:
        return effect
    at = {c.id: c.at for c in effect.cues}

    def moved(layer: Any) -> Any:
        sources = tuple(
            s.model_copy(update={"delay": s.delay + at[s.cue], "cue": ""}) if s.cue else s
            for s in layer.sources
        )
        return layer.model_copy(update={"sources": sources})

    return effect.model_copy(update={"layers": tuple(moved(layer) for layer in effect.layers)})
