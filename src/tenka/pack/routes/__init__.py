"""What writes each route."""

from __future__ import annotations

from tenka.pack.routes.base import Writer
from tenka.pack.routes.bodies import BodiesWriter
from tenka.pack.routes.flipbook import FlipbookWriter
from tenka.pack.routes.light import LightWriter
from tenka.pack.routes.particles import ParticlesWriter
from tenka.pack.routes.volume import VolumeWriter

ROUTES: dict[str, Writer] = {
    "bodies": BodiesWriter,
    "flipbook": FlipbookWriter,
    "light": LightWriter,
    "particles": ParticlesWriter,
    "volume": VolumeWriter,
}
"""By the route's word."""
