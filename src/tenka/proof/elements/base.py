"""What elements of a package are to the stand-in for an engine."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.model import Light
from tenka.look.lamps import NO_LAMPS
from tenka.look.points import count_splats, paint, splats_of
from tenka.look.swarm import PointSet
from tenka.look.volume import LitVolume
from tenka.look.waters import Wet
from tenka.scene.cameras import View
from tenka.scene.meshes import Mesh

ORIGIN = np.zeros((1, 3))
Ride = Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]


@dataclass(frozen=True)
class Run:
    """An effect that was triggered once.

    Attributes
    ----------
    start : s; stopped : from when on nothing of it is born; ended : from when on nothing of it is there
    number : how often it was triggered before, by which takes come round
    """

    start: float = 0.0
    stopped: float = math.inf
    ended: float = math.inf
    number: int = 0


@dataclass(frozen=True)
class Now:
    """A picture of the game.

    Attributes
    ----------
    time : s since the effect was triggered
    carriers : (copies, 3) offsets of copies, m
    gain : 2^exposure: what pictures are of light times that
    ride : how what carries the effect has moved at given times: offset, m, and speed, m/s; it is in the
        carriers already
    stopped : s, from when on no sprite is born
    relit : whether the sun stands elsewhere than when it was packed
    number : how often it was triggered before
    """

    time: float
    view: View
    carriers: np.ndarray
    light: Light
    gain: float
    lamps: np.ndarray = field(default_factory=lambda: NO_LAMPS)
    relit: bool = False
    ride: Ride | None = None
    stopped: float = math.inf
    number: int = 0

    @property
    def copies(self) -> np.ndarray:
        """Offsets of copies before what carries them moved."""
        if self.ride is None:
            return self.carriers
        found: np.ndarray = self.carriers - self.ride(np.array([self.time]))[0]
        return found


@dataclass(frozen=True)
class Drawn:
    """What an element lays over the set, in parts that each have a depth.

    Attributes
    ----------
    depth : (n,) m
    paint : draws some parts, by their numbers from the farthest, given the set's depth and the picture;
        tells bytes of texture that were read
    count : adds one for each layer over each pixel
    quads, particles, samples : what there is of them
    """

    depth: np.ndarray
    paint: Callable[[np.ndarray, np.ndarray, np.ndarray], int]
    count: Callable[[np.ndarray], None]
    quads: int = 0
    particles: int = 0
    samples: int = 0


class Played:
    """An element that was opened; a route that draws, stands or shines says how."""

    def __init__(self, folder: Path, element: Any) -> None:
        self.element = element

    def drawn(self, player: Any, now: Now) -> Drawn | None:
        """What it lays over the set."""
        return None

    def standing(self, now: Now) -> Mesh | None:
        """What of it stands among the set."""
        return None

    def waters(self, player: Any, now: Now) -> list[Wet]:
        """Surfaces of water that it lays into the set."""
        return []

    def casts(self, player: Any, now: Now) -> list[LitVolume]:
        """Gas of it that dims the sun on the set."""
        return []

    def lamps(self, player: Any, now: Now) -> np.ndarray:
        """What it throws on the set, as rows of lamps."""
        return NO_LAMPS


SPLAT_DEPTH = 5  # where a splat holds its depth


def splatted(points: PointSet, now: Now, texel_bytes: int) -> Drawn:
    """Particles or parts of trails as they are laid over the set; `texel_bytes`: read of each."""
    splats = splats_of(points, now.view)
    hidden = np.zeros((now.view.height, now.view.width), np.float32)

    def draw(rows: np.ndarray, depth: np.ndarray, image: np.ndarray) -> int:
        paint(splats[rows], depth, image, hidden)
        return texel_bytes * len(rows)

    def count(layers: np.ndarray) -> None:
        count_splats(splats, layers)

    return Drawn(splats[:, SPLAT_DEPTH], draw, count, particles=len(splats))


def place_in(times: tuple[float, ...], time: float) -> tuple[int, float] | None:
    """The moment before a time, and how far it is on the way to the next, 0 to 1; None outside of them."""
    if not times[0] - 1e-6 <= time <= times[-1] + 1e-6:
        return None
    index = int(np.clip(np.searchsorted(times, time + 1e-6, side="right") - 1, 0, len(times) - 1))
    if index == len(times) - 1:
        return index, 0.0
    return index, float(np.clip((time - times[index]) / (times[index + 1] - times[index]), 0.0, 1.0))
