"""Water over the set: what is drawn of it, and over what."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.effect.model import Light, WaterLayer, WaterLook
from tenka.look.colour import black_body_colour
from tenka.look.ground import grounded
from tenka.look.heaven import backdrop_of, ground_tile
from tenka.look.raster import Backdrop, bounce_of
from tenka.look.shadows import ShadowMap
from tenka.look.triangles import Surfaces
from tenka.look.volume import sky_of
from tenka.look.waterrow import watered_row
from tenka.look.wet import Sheet, numbers_of, sheet_of
from tenka.run.watering import WaterFrame
from tenka.scene.cameras import View, sun_direction

SUNK = -1e-3  # m: a floor that lies lower opens the ground


@dataclass(frozen=True, eq=False)
class Pool:
    """A water that is drawn.

    Attributes
    ----------
    frame, look : as they are at `t`; a frame has `rise`, `rest`, `depth`, `foam`, `under`, `origin`, `cell`,
        `level`, as `tenka.run.watering.WaterFrame` does
    floor : height of the basin's own floor in its middle and its rise along x and y; the middle; and whether
        it is drawn
    """

    frame: Any
    look: WaterLook
    t: float
    floor: tuple[float, float, float, float, float, bool]

    @property
    def extent(self) -> tuple[float, float, float, float]:
        """x and y from and to, m."""
        f = self.frame
        x, y = f.origin
        return x, y, x + f.cell * f.rise.shape[0], y + f.cell * f.rise.shape[1]

    @classmethod
    def of(cls, layer: WaterLayer, frame: WaterFrame, t: float) -> Pool:
        box, (rise_x, rise_y) = layer.basin, layer.slope
        x, y = (o + 0.5 * s for o, s in zip(box.origin[:2], box.size[:2]))
        own = box.drawn
        return cls(frame, layer.look, t, (box.origin[2], rise_x, rise_y, x, y, own))


class Laid(Protocol):
    """A water of another kind: how it lays itself into a shaded set."""

    def laid(
        self,
        surfaces: Surfaces,
        view: View,
        light: Light,
        shadow: ShadowMap,
        backdrop: Backdrop,
        share: int = 1,
    ) -> Backdrop:
        """The set with it."""


Wet = Pool | Laid


def with_waters(
    pools: Sequence[Wet],
    surfaces: Surfaces,
    view: View,
    light: Light,
    shadow: ShadowMap,
    backdrop: Backdrop,
    share: int = 1,
) -> Backdrop:
    """A shaded set with all its waters: the ground is open over those that are sunk, and hides what lies
    below it elsewhere. For the parameters see `watered`."""
    sunk = [item.extent for item in pools if isinstance(item, Pool) and item.floor[0] < SUNK]
    if sunk:
        surfaces, backdrop = grounded(np.array(sunk, np.float32), surfaces, view, light, shadow, backdrop)
    for item in pools:
        if isinstance(item, Pool):
            backdrop = watered(item, surfaces, view, light, shadow, backdrop, share)
    for item in pools:  # what is thrown is seen over what lies
        if not isinstance(item, Pool):
            backdrop = item.laid(surfaces, view, light, shadow, backdrop, share)
    return backdrop


def watered(
    pool: Pool,
    surfaces: Surfaces,
    view: View,
    light: Light,
    shadow: ShadowMap,
    backdrop: Backdrop,
    share: int = 1,
) -> Backdrop:
    """A shaded set with a water in it.

    Parameters
    ----------
    surfaces, shadow, backdrop : of the same view
    share : each ray stands for so many pixels each way
    """
    look, t = pool.look, pool.t
    now: Any = light
    sheet: Sheet = sheet_of(pool.frame, look, t)
    still, direct, reply = backdrop.still.copy(), backdrop.direct.copy(), backdrop.reply.copy()
    depth = backdrop.depth.copy()
    numbers = numbers_of(look, t)
    with parallel_chunksize(8):
        _watered(
            view.packed(),
            (backdrop.still, backdrop.direct, backdrop.depth, surfaces.face),
            (sheet.fields, sheet.place, sheet.ripples, sheet.lost),
            numbers,
            np.array(pool.floor, np.float32),
            (
                sun_direction(now.heading, now.height).astype(np.float32),
                (black_body_colour(now.kelvin) * now.strength).astype(np.float32),
                sky_of(light).astype(np.float32),
                bounce_of(light).astype(np.float32),
                backdrop_of(light),
                ground_tile(),
                shadow.view.packed(),
                shadow.depth,
            ),
            share,
            (still, direct, reply, depth),
        )
    return replace(backdrop, still=still, direct=direct, reply=reply, depth=depth)


@kernel(parallel=True)
def _watered(view, set_, water, look, floor, world, share, outs):
    for p_ in prange(-(-set_[2].shape[0] // share)):
        watered_row(p_, view, set_, water, look, floor, world, share, outs)
