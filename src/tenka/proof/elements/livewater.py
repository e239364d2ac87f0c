"""A live water: the stand-in has no solver, and says so by drawing nothing."""

from __future__ import annotations

from tenka.proof.elements.base import Played


class PlayedLiveWater(Played):
    """A live water, which a game solves and Proof does not."""
