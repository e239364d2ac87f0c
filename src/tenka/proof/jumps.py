"""What is seen of the change at a distance from which on other deliveries are shown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from tenka.effect.model import Camera
from tenka.effect.routes.base import EVERYWHERE
from tenka.look.flip import flip_map
from tenka.proof.engine import Package, Players, ProofPicture
from tenka.scene.cameras import view_of

SIZE = (480, 300)
MOMENTS = 5
A_LITTLE = 1e-4  # m


@dataclass(frozen=True)
class Jump:
    """A distance at which what is shown changes.

    Attributes
    ----------
    distance : m
    nearer, further : names of what is shown on each side of it alone
    flip : difference of both pictures (FLIP) where anything is seen of either, mean over moments
    worst : the same at the moment at which it is largest; at : that moment, s
    """

    distance: float
    nearer: tuple[str, ...]
    further: tuple[str, ...]
    flip: float
    worst: float
    at: float

    @property
    def words(self) -> str:
        """The same in words."""
        sides = " to ".join(" and ".join(names) or "nothing" for names in (self.nearer, self.further))
        return (
            f"at {self.distance:g} m from {sides}: FLIP {self.flip:.3f} on average, at most "
            f"{self.worst:.3f} at {self.at:.2f} s"
        )


def distances(package: Package) -> list[float]:
    """Where what is shown changes, m."""
    ends = {d for e in package.elements for d in (e.seen_from, e.seen_to)}
    return sorted(ends - {0.0, EVERYWHERE})


def jumps(
    package: Package, camera: Camera, players: Players | None = None, check: Callable[[], None] = lambda: None
) -> list[Jump]:
    """Each change, seen from as far as it is at, from where the camera looks.

    Parameters
    ----------
    check : asked before each picture; it may raise
    """
    found = []
    middle = 0.5 * (package.bounds[0] + package.bounds[1])
    x, y, z = (float(v) for v in middle)
    times = package.span * (np.arange(MOMENTS) + 0.5) / MOMENTS
    for distance in distances(package):
        seen = camera.model_copy(update={"target": (x, y, z), "distance": distance})
        view = view_of(seen, *SIZE)
        sides = [distance - A_LITTLE, distance + A_LITTLE]
        shown = [{e.name for e in package.elements if e.shown_at(np.array([side]))[0]} for side in sides]
        gaps = []
        for time in times.tolist():
            pair: list[ProofPicture] = []
            for side in sides:
                check()
                pair.append(package.draw(time, view, players, held_at=side))
            there = (pair[0].layers > 0) | (pair[1].layers > 0)
            there |= (pair[0].rgb != pair[1].rgb).any(axis=2)
            error = flip_map(pair[0].rgb, pair[1].rgb)
            gaps.append(float(error[there].mean()) if there.any() else 0.0)
        worst = int(np.argmax(gaps))
        found.append(
            Jump(
                distance,
                tuple(sorted(shown[0] - shown[1])),
                tuple(sorted(shown[1] - shown[0])),
                float(np.mean(gaps)),
                gaps[worst],
                float(times[worst]),
            )
        )
    return found
