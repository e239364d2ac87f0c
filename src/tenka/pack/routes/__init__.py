"""What writes each route."""

from __future__ import annotations

from tenka.pack.routes.base import Writer
from tenka.pack.routes.bodies import BodiesWriter
from tenka.pack.routes.flipbook import FlipbookWriter
from tenka.pack.routes.grid import GridWriter
from tenka.pack.routes.light import LightWriter
from tenka.pack.routes.livewater import LiveWaterWriter
from tenka.pack.routes.meshes import MeshesWriter
from tenka.pack.routes.particles import ParticlesWriter
from tenka.pack.routes.shimmer import ShimmerWriter
from tenka.pack.routes.slices import SlicesWriter
from tenka.pack.routes.surface import SurfaceWriter
from tenka.pack.routes.trails import TrailsWriter
from tenka.pack.routes.volume import VolumeWriter

ROUTES: dict[str, Writer] = {
    "flipbook": FlipbookWriter,
    "particles": ParticlesWriter,
    "trails": TrailsWriter,
    "bodies": BodiesWriter,
    "volume": VolumeWriter,
    "slices": SlicesWriter,
    "grid": GridWriter,
    "light": LightWriter,
    "shimmer": ShimmerWriter,
    "surface": SurfaceWriter,
    "livewater": LiveWaterWriter,
    "meshes": MeshesWriter,
}
"""By the route's word."""
