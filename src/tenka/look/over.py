"""What waters are laid over: a shaded set with all that belongs to its view."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tenka.effect.model import Light
from tenka.look.colour import black_body_colour
from tenka.look.heaven import backdrop_of, ground_tile
from tenka.look.raster import Backdrop, bounce_of
from tenka.look.shadows import ShadowMap
from tenka.look.triangles import Surfaces
from tenka.look.volume import sky_of
from tenka.scene.cameras import View, sun_direction


@dataclass(frozen=True)
class Over:
    """A shaded set.

    Attributes
    ----------
    surfaces, shadow, backdrop : of the same view
    share : each ray stands for so many pixels each way
    """

    surfaces: Surfaces
    view: View
    light: Light
    shadow: ShadowMap
    backdrop: Backdrop
    share: int = 1

    @property
    def shown(self) -> tuple[np.ndarray, ...]:
        """The set as rays take it: light that stays, the sun's, depth, and faces."""
        return self.backdrop.still, self.backdrop.direct, self.backdrop.depth, self.surfaces.face

    @property
    def world(self) -> tuple[np.ndarray, ...]:
        """What shines, as rays take it: way to the sun and its light, sky, ground, what lies behind, the
        ground's grain, and the shadows."""
        now: Any = self.light
        return (
            sun_direction(now.heading, now.height).astype(np.float32),
            (black_body_colour(now.kelvin) * now.strength).astype(np.float32),
            sky_of(now).astype(np.float32),
            bounce_of(now).astype(np.float32),
            backdrop_of(now),
            ground_tile(),
            self.shadow.view.packed(),
            self.shadow.depth,
        )

    def copies(self) -> tuple[np.ndarray, ...]:
        """What is written into: light that stays, the sun's, the answer, and depth."""
        b = self.backdrop
        return b.still.copy(), b.direct.copy(), b.reply.copy(), b.depth.copy()

    def with_these(self, outs: tuple[np.ndarray, ...]) -> Backdrop:
        """The set with what was written."""
        still, direct, reply, depth = outs
        return replace(self.backdrop, still=still, direct=direct, reply=reply, depth=depth)
