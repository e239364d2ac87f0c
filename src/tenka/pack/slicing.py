"""Gas cut into cross-sections, each lit by the whole: pictures of what every slice alone gives and hides."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from tenka.look.march import OUTPUTS, march_between
from tenka.look.volume import LitVolume
from tenka.scene.cameras import View, side_view


@dataclass(frozen=True)
class Slab:
    """A box round a gas that stands across a heading, cut along it.

    Attributes
    ----------
    view : orthographic, with the pixels of a slice
    edges : (n + 1,) m from the view's eye, of the slices, near ones first
    """

    view: View
    edges: np.ndarray

    @property
    def corner(self) -> np.ndarray:
        """The box's lower, left, near corner, m."""
        v = self.view
        near: np.ndarray = v.eye + self.edges[0] * v.forward
        return near - v.half_width * v.right - v.half_height * v.up

    @property
    def axes(self) -> np.ndarray:
        """(3, 3) m: how far the box goes to the right, up, and away."""
        v = self.view
        deep = self.edges[-1] - self.edges[0]
        return np.stack([2 * v.half_width * v.right, 2 * v.half_height * v.up, deep * v.forward])


def slab_of(low: np.ndarray, high: np.ndarray, heading: float, side: int, count: int) -> Slab:
    """A slab that holds a box, with square pixels, `side` of them along the longer side, and even slices."""
    probe = side_view(low, high, heading, side, side)
    corners = np.array(
        [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
    )
    at = (corners - probe.eye) @ np.stack([probe.right, probe.up, probe.forward], axis=1)
    wide, tall = (max(float(np.abs(at[:, k]).max()), 1e-6) for k in (0, 1))
    edge = 2 * max(wide, tall) / side
    width, height = (max(2, round(2 * half / edge)) for half in (wide, tall))
    view = View(probe.eye, probe.forward, probe.right, probe.up, tall, width, height, True)
    near, far = float(at[:, 2].min()), float(at[:, 2].max())
    return Slab(view, np.linspace(near, far, count + 1))


def slab_round(low: np.ndarray, high: np.ndarray, view: View, count: int) -> Slab:
    """A slab across a view that is there already, from the near end of a box to its far end."""
    corners = np.array(
        [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
    )
    deep = (corners - view.eye) @ view.forward
    return Slab(view, np.linspace(float(deep.min()), float(deep.max()), count + 1))


def sliced(volume: LitVolume, slab: Slab) -> np.ndarray:
    """What each slice gives and hides by itself, (n, height, width, 8) as `march` gives it: light thrown
    back (premultiplied), alpha, light given off, heat.

    Each is marched alone, so that what is thick in front hides nothing of what is behind.
    """
    v = slab.view
    if volume.empty:
        return np.zeros((len(slab.edges) - 1, v.height, v.width, OUTPUTS), np.float32)
    return np.stack([march_between(volume, v, a, b) for a, b in pairwise(slab.edges.tolist())])
