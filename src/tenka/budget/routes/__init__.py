"""What each route costs."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from tenka.budget.devices import Device
from tenka.budget.lines import Line
from tenka.budget.routes.bodies import bodies_line
from tenka.budget.routes.flipbook import flipbook_line
from tenka.budget.routes.grid import grid_line
from tenka.budget.routes.light import light_line
from tenka.budget.routes.meshes import meshes_line
from tenka.budget.routes.particles import particles_line
from tenka.budget.routes.shimmer import shimmer_line
from tenka.budget.routes.slices import slices_line
from tenka.budget.routes.surface import livewater_line, surface_line
from tenka.budget.routes.trails import trails_line
from tenka.budget.routes.volume import volume_line
from tenka.effect.model import Tier

ROUTES: dict[str, Callable[[str, Any, Tier, Device], Line]] = {
    "flipbook": flipbook_line,
    "particles": particles_line,
    "trails": trails_line,
    "bodies": bodies_line,
    "volume": volume_line,
    "slices": slices_line,
    "grid": grid_line,
    "light": light_line,
    "shimmer": shimmer_line,
    "surface": surface_line,
    "livewater": livewater_line,
    "meshes": meshes_line,
}
"""By the route's word: its line, from its name, its element, the tier and the device."""
