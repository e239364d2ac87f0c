"""By which ways layers reach the game. A route is registered here with its settings, in `tenka.pack.routes`
with what it writes, in `tenka.package.elements` with its part of the manifest, in `tenka.proof.elements` with
how it is played, in `tenka.budget.routes` with what it costs, and in `tenka.app.pack` with its view."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from tenka.effect.routes.base import RouteSettings
from tenka.effect.routes.bodies import BodyBake
from tenka.effect.routes.flipbook import Flipbook
from tenka.effect.routes.grid import LiveGrid
from tenka.effect.routes.light import LightTrack
from tenka.effect.routes.livewater import LiveWater
from tenka.effect.routes.meshes import Meshes
from tenka.effect.routes.particles import ParticleBake
from tenka.effect.routes.shimmer import Shimmer
from tenka.effect.routes.slices import SliceStack
from tenka.effect.routes.surface import SurfaceMaps
from tenka.effect.routes.trails import TrailBake
from tenka.effect.routes.volume import Volume

Route = Annotated[
    Flipbook
    | ParticleBake
    | TrailBake
    | BodyBake
    | Volume
    | SliceStack
    | LiveGrid
    | LightTrack
    | Shimmer
    | SurfaceMaps
    | LiveWater
    | Meshes,
    Field(discriminator="kind"),
]
ROUTES: dict[str, type[RouteSettings]] = {
    "flipbook": Flipbook,
    "particles": ParticleBake,
    "trails": TrailBake,
    "bodies": BodyBake,
    "volume": Volume,
    "slices": SliceStack,
    "grid": LiveGrid,
    "light": LightTrack,
    "shimmer": Shimmer,
    "surface": SurfaceMaps,
    "livewater": LiveWater,
    "meshes": Meshes,
}
"""Settings of each route, by the word that stands in files."""
