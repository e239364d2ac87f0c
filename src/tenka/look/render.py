"""A whole picture: props, ground and gas, developed to 8 bits. What does not change is kept between pictures."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from tenka.cache.store import Frame
from tenka.effect.model import Camera, Light, Look
from tenka.look.colour import develop
from tenka.look.march import LitVolume, light_volume, march
from tenka.look.raster import cast_shadow, compose, see, shade
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import Mesh

T = TypeVar("T")


@dataclass
class Picture:
    """A finished picture and what it was made from."""

    rgb: np.ndarray  # (h, w, 3) uint8
    linear: np.ndarray  # (h, w, 3) before the film
    alpha: np.ndarray  # (h, w) the gas's own


class _Kept:
    """The newest few results of one kind, by key."""

    def __init__(self, most: int = 2) -> None:
        self._most = most
        self._items: dict[object, object] = {}

    def get(self, key: object, make: Callable[[], T]) -> T:
        if key not in self._items:
            while len(self._items) >= self._most:
                self._items.pop(next(iter(self._items)))
            self._items[key] = make()
        return self._items[key]  # type: ignore[return-value]


class Renderer:
    """Draws frames of one scene; keeps the lit volume, the shadow map and the shaded backdrop while they hold.

    Not for several threads at once.
    """

    def __init__(self) -> None:
        self._lit, self._shadow, self._seen, self._shaded = _Kept(1), _Kept(1), _Kept(), _Kept()
        self._frame: Frame | None = None  # held, so that its id is not given to another

    def volume(self, frame: Frame, look: Look, light: Light) -> LitVolume:
        if frame is not self._frame:
            self._lit, self._frame = _Kept(1), frame
        return self._lit.get((look, light), lambda: light_volume(frame, look, light))

    def draw(self, frame: Frame | None, look: Look, light: Light, view: View, mesh: Mesh, coarse: int = 1) -> Picture:
        """One picture.

        Parameters
        ----------
        frame : None draws the scene without gas
        coarse : gas is drawn at 1/coarse of the size and half the samples when above 1, and edges are not smoothed
        """
        volume = self.volume(frame, look, light) if frame is not None else None
        fine = 2 if coarse == 1 else 1
        big = view.sized(view.width * fine, view.height * fine)
        where = (id(mesh), big.packed().tobytes(), big.width, big.height)
        surfaces = self._seen.get(where, lambda: see(mesh, big))
        shadow = self._shadow.get((id(mesh), light.heading, light.height), lambda: cast_shadow(mesh, light))
        lamp = light.model_copy(update={"exposure": 0.0})
        backdrop = self._shaded.get((*where, lamp), lambda: shade(surfaces, big, light, shadow))
        gas = None
        if volume is not None and not volume.empty:
            h, w = -(-view.height // coarse), -(-view.width // coarse)
            step = fine if coarse == 1 else coarse
            stops = backdrop.depth[step // 2 :: step, step // 2 :: step]
            stops = np.ascontiguousarray(np.pad(stops, ((0, h - stops.shape[0]), (0, w - stops.shape[1])), mode="edge"))
            gas = march(volume, view.sized(w, h), stops, 0.5 if coarse > 1 else 1.0)
        linear, alpha = compose(big, backdrop, fine, gas, coarse, volume)
        return Picture(develop(linear, light.exposure), linear, alpha)


def picture(frame: Frame | None, look: Look, light: Light, camera: Camera, mesh: Mesh, width: int, height: int) -> Picture:
    """One refined picture, for callers that draw once."""
    return Renderer().draw(frame, look, light, view_of(camera, width, height), mesh)
