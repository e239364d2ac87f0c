"""What the Pack station shows of each route."""

from __future__ import annotations

from tenka.app.pack.base import RouteView
from tenka.app.pack.flipbook import ContactView
from tenka.app.pack.light import HeatView, LightView
from tenka.app.pack.particles import AliveView
from tenka.app.pack.volume import VolumeView
from tenka.app.pack.water import LiquidView, WaterView

VIEWS: dict[str, type[RouteView]] = {
    "flipbook": ContactView,
    "particles": AliveView,
    "trails": AliveView,
    "bodies": AliveView,
    "volume": VolumeView,
    "slices": VolumeView,
    "grid": VolumeView,
    "light": LightView,
    "shimmer": HeatView,
    "surface": WaterView,
    "livewater": WaterView,
    "meshes": LiquidView,
}
"""By the route's word."""
