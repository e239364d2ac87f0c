"""What the Pack station shows of each route."""

from __future__ import annotations

from tenka.app.pack.base import RouteView
from tenka.app.pack.flipbook import ContactView
from tenka.app.pack.volume import VolumeView

VIEWS: dict[str, type[RouteView]] = {"flipbook": ContactView, "volume": VolumeView}
"""By the route's word."""
