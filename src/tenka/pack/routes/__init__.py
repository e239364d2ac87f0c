"""What writes each route."""

from __future__ import annotations

from tenka.pack.routes.base import Writer
from tenka.pack.routes.flipbook import FlipbookWriter
from tenka.pack.routes.volume import VolumeWriter

ROUTES: dict[str, Writer] = {"flipbook": FlipbookWriter, "volume": VolumeWriter}
"""By the route's word."""
