"""How each element of a package is played."""

from __future__ import annotations

from tenka.proof.elements.base import Played
from tenka.proof.elements.flipbook import PlayedFlipbook
from tenka.proof.elements.volume import PlayedVolume

PLAYED: dict[str, type[Played]] = {"flipbook": PlayedFlipbook, "volume": PlayedVolume}
"""By the route's word."""
