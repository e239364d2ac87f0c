"""How each element of a package is played."""

from __future__ import annotations

from tenka.proof.elements.base import Played
from tenka.proof.elements.bodies import PlayedBodies
from tenka.proof.elements.flipbook import PlayedFlipbook
from tenka.proof.elements.grid import PlayedGrid
from tenka.proof.elements.light import PlayedLight
from tenka.proof.elements.livewater import PlayedLiveWater
from tenka.proof.elements.meshes import PlayedMeshes
from tenka.proof.elements.particles import PlayedParticles
from tenka.proof.elements.shimmer import PlayedShimmer
from tenka.proof.elements.slices import PlayedSlices
from tenka.proof.elements.surface import PlayedSurface
from tenka.proof.elements.trails import PlayedTrails
from tenka.proof.elements.volume import PlayedVolume

PLAYED: dict[str, type[Played]] = {
    "flipbook": PlayedFlipbook,
    "particles": PlayedParticles,
    "trails": PlayedTrails,
    "bodies": PlayedBodies,
    "volume": PlayedVolume,
    "slices": PlayedSlices,
    "grid": PlayedGrid,
    "light": PlayedLight,
    "shimmer": PlayedShimmer,
    "surface": PlayedSurface,
    "livewater": PlayedLiveWater,
    "meshes": PlayedMeshes,
}
"""By the route's word."""

UNPLAYED = frozenset(("grid", "livewater"))
"""Routes that a game solves itself: this stand-in has no solver."""
