"""What a package holds, by route."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from tenka.package.elements.bodies import Bodies
from tenka.package.elements.flipbook import Flipbook
from tenka.package.elements.grid import LiveGrid
from tenka.package.elements.light import LightTrack
from tenka.package.elements.livewater import LiveWater
from tenka.package.elements.meshes import MeshFrames
from tenka.package.elements.particles import Particles
from tenka.package.elements.shimmer import Shimmer
from tenka.package.elements.slices import Slices
from tenka.package.elements.surface import Surface
from tenka.package.elements.trails import Trails
from tenka.package.elements.volume import Volume
from tenka.package.parts import Element

AnyElement = Annotated[
    Flipbook
    | Particles
    | Trails
    | Bodies
    | Volume
    | Slices
    | LiveGrid
    | LightTrack
    | Shimmer
    | Surface
    | LiveWater
    | MeshFrames,
    Field(discriminator="route"),
]
ELEMENTS: dict[str, type[Element]] = {
    "flipbook": Flipbook,
    "particles": Particles,
    "trails": Trails,
    "bodies": Bodies,
    "volume": Volume,
    "slices": Slices,
    "grid": LiveGrid,
    "light": LightTrack,
    "shimmer": Shimmer,
    "surface": Surface,
    "livewater": LiveWater,
    "meshes": MeshFrames,
}
"""The part of the manifest for each route."""
