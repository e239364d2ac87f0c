"""Water over the set: what is drawn of it, and over what."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np

from tenka.base.jit import kernel, parallel_chunksize, prange
from tenka.effect.model import WaterLayer, WaterLook
from tenka.look.ground import grounded
from tenka.look.over import Over
from tenka.look.raster import Backdrop
from tenka.look.waterrow import watered_row
from tenka.look.wet import Sheet, numbers_of, sheet_of
from tenka.run.watering import WaterFrame

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

    def laid(self, over: Over) -> Backdrop:
        """A shaded set with it."""
        return watered(self, over)

    @classmethod
    def of(cls, layer: WaterLayer, frame: WaterFrame, t: float) -> Pool:
        box, (rise_x, rise_y) = layer.basin, layer.slope
        x, y = (o + 0.5 * s for o, s in zip(box.origin[:2], box.size[:2]))
        own = box.drawn
        return cls(frame, layer.look, t, (box.origin[2], rise_x, rise_y, x, y, own))


class Laid(Protocol):
    """A water of another kind: how it lays itself into a shaded set."""

    def laid(self, over: Over) -> Backdrop:
        """The set with it."""


Wet = Pool | Laid


def with_waters(pools: Sequence[Wet], over: Over) -> Backdrop:
    """A shaded set with all its waters: the ground is open over those that are sunk, and hides what lies
    below it elsewhere; what is thrown is seen over what lies."""
    lying = [item for item in pools if isinstance(item, Pool)]
    sunk = [pool.extent for pool in lying if pool.floor[0] < SUNK]
    if sunk:
        surfaces, backdrop = grounded(
            np.array(sunk, np.float32), over.surfaces, over.view, over.light, over.shadow, over.backdrop
        )
        over = replace(over, surfaces=surfaces, backdrop=backdrop)
    thrown: list[Laid] = [item for item in pools if not isinstance(item, Pool)]
    for item in (*lying, *thrown):
        over = replace(over, backdrop=item.laid(over))
    return over.backdrop


def watered(pool: Pool, over: Over) -> Backdrop:
    """A shaded set with a water in it."""
    look, t = pool.look, pool.t
    sheet: Sheet = sheet_of(pool.frame, look, t)
    outs = over.copies()
    with parallel_chunksize(8):
        _watered(
            over.view.packed(),
            over.shown,
            (sheet.fields, sheet.place, sheet.ripples, sheet.lost),
            numbers_of(look, t),
            np.array(pool.floor, np.float32),
            over.world,
            over.share,
            outs,
        )
    return over.with_these(outs)


@kernel(parallel=True)
def _watered(view, set_, water, look, floor, world, share, outs):
    for p_ in prange(-(-set_[2].shape[0] // share)):
        watered_row(p_, view, set_, water, look, floor, world, share, outs)
