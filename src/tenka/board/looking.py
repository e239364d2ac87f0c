"""From where, when and before what variants are looked at: as large as a tier shows them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from tenka.effect.courses import still
from tenka.effect.document import delivered_on
from tenka.effect.model import Camera, Effect, Tier
from tenka.pack.layout import bounds_of, packable
from tenka.scene.cameras import View, view_of

MOST_MOMENTS = 8
LEAST_PX, MOST_PX = 72, 320  # of a picture's sides
MARGIN = 1.12  # round what is seen
Backdrop = Literal["grey", "sky", "dark"]


@dataclass(frozen=True)
class Looking:
    """From where, when and before what variants are looked at.

    Attributes
    ----------
    frames : indices of the effect's frames
    sides : degrees by which the effect's camera goes round what it looks at
    size : px
    backdrops : what else than its own the effect is held before, from the first side
    at : x, y, z that it looks at, m; by default as the effect's camera does
    half_height : tangent of half the picture's height, from the camera; 0: as the camera has it
    held_at : m, as how far away all counts for a game; 0: as far as it is
    density : px of the tier's picture that one of these stands for; above 1 where that is too large to try
    """

    frames: tuple[int, ...]
    sides: tuple[float, ...] = (0.0,)
    size: tuple[int, int] = (240, 150)
    backdrops: tuple[Backdrop, ...] = ()
    at: tuple[float, float, float] | None = None
    half_height: float = 0.0
    held_at: float = 0.0
    density: float = 1.0

    @classmethod
    def of(cls, effect: Effect, sides: tuple[float, ...] = (0.0,)) -> Looking:
        """Moments that lie evenly over an effect, in pairs of neighbours, so that motion is seen; by the
        effect's own camera."""
        return cls(moments(effect), sides)

    @classmethod
    def on(
        cls,
        effect: Effect,
        tier: Tier,
        figures: Mapping[str, Mapping[int, Any]],
        sides: tuple[float, ...] = (0.0,),
        distance: float | None = None,
    ) -> Looking:
        """As large as the effect is in a tier's picture, at the tier's distance or another one, from where
        the effect's camera stands: what stands in its way there is the same.

        Parameters
        ----------
        figures : of simulated frames, by layer; without them the camera's own picture is taken
        """
        away, plain = distance or tier.distance, cls.of(effect, sides)
        played = delivered_on(effect, tier.id)
        boxes = [box for d in packable(played) if (box := bounds_of(played, d, figures)) is not None]
        if not boxes:
            return plain
        low, high = (np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0))
        view = view_of(effect.camera, 16, 10)
        middle = (low + high) / 2
        reach = float(np.linalg.norm(middle - view.eye))
        if np.all(np.abs(view.eye - middle) <= (high - low) / 2) or reach < 0.1:  # it stands in it
            return replace(plain, held_at=away, backdrops=_others(effect))
        px_per_m = tier.height / (2.0 * math.tan(math.radians(tier.fov) / 2) * away)
        across = float(np.linalg.norm((high - low)[:2]))  # from whichever side
        leans = abs(math.radians(effect.camera.pitch))
        wide = MARGIN * across
        tall = MARGIN * ((high - low)[2] * math.cos(leans) + across * math.sin(leans))
        density = max(1.0, wide * px_per_m / MOST_PX, tall * px_per_m / MOST_PX)
        width, height = (min(MOST_PX, max(LEAST_PX, math.ceil(m * px_per_m / density))) for m in (wide, tall))
        return cls(
            plain.frames,
            sides,
            (width, height),
            _others(effect),
            (float(middle[0]), float(middle[1]), float(middle[2])),
            height * density / px_per_m / 2.0 / reach,
            away,
            density,
        )

    def cameras(self, effect: Effect) -> list[Camera]:
        """The camera of each side."""
        camera = effect.camera
        if self.at is not None:
            way = np.array(self.at) - view_of(camera, 16, 10).eye
            reach = float(np.linalg.norm(way))
            fov = math.degrees(2.0 * math.atan(self.half_height))
            camera = Camera(
                target=self.at,
                distance=reach,
                heading=math.degrees(math.atan2(way[1], way[0])) + 180.0,
                pitch=math.degrees(math.asin(min(1.0, max(-1.0, -way[2] / reach)))),
                fov=min(149.0, max(1.01, fov)),
            )
        return [camera.model_copy(update={"heading": camera.heading + side}) for side in self.sides]

    def rows(self, effect: Effect) -> list[tuple[View, Backdrop]]:
        """View and backdrop of each row of pictures: every side before its own, the first before others."""
        own = still(effect.light, 0.0).backdrop
        views = [view_of(camera, *self.size) for camera in self.cameras(effect)]
        return [(view, own) for view in views] + [(views[0], other) for other in self.backdrops]

    @property
    def firsts(self) -> list[int]:
        """Which of the frames are held against the stage: the first of each pair of neighbours."""
        return [n for n, f in enumerate(self.frames) if n == 0 or f - self.frames[n - 1] > 1]

    @property
    def distance(self) -> float | None:
        """As how far away all counts, m; None: as it is."""
        return self.held_at or None


def moments(effect: Effect) -> tuple[int, ...]:
    """Frames that lie evenly over an effect, in pairs of neighbours, so that motion is seen."""
    pairs = min(MOST_MOMENTS // 2, max(1, effect.frames // 2))
    first = np.linspace(0, max(effect.frames - 2, 0), pairs + 2)[1:-1].round()
    found = sorted({int(f) + k for f in first for k in (0, 1) if int(f) + k < effect.frames})
    return tuple(found) or (0,)


def _others(effect: Effect) -> tuple[Backdrop, ...]:
    """A further backdrop, as unlike the effect's own as there is one."""
    return ("sky",) if still(effect.light, 0.0).backdrop == "dark" else ("dark",)
