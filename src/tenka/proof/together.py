"""Several packages in one picture, each from its own moment on and in its own place."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tenka.proof.elements.base import Run
from tenka.proof.engine import Guest, Package, ProofPicture
from tenka.scene.cameras import View


@dataclass(frozen=True)
class Standing:
    """A package that plays in a scene.

    Attributes
    ----------
    at : s, when it is triggered
    lasts : s, after which it is stopped, as its behaviour says
    place : m
    """

    package: Package
    at: float
    lasts: float
    place: tuple[float, float, float]

    def guest(self, time: float, number: int = 0) -> Guest | None:
        """What of it is there; None before it is triggered. `number`: how many are before it, by which takes
        come round."""
        if time < self.at:
            return None
        cut = self.package.manifest.behaviour.stop == "cut"
        run = Run(0.0, self.lasts, self.lasts if cut else math.inf, number)
        return Guest(self.package, time - self.at, np.array([self.place]), (run,))


def draw_together(standing: Sequence[Standing], time: float, view: View, heat: bool = False) -> ProofPicture:
    """The picture a game would show of all of them, in the set of the first.

    Parameters
    ----------
    time : s since the scene's start
    """
    guests = [g for n, s in enumerate(standing) if (g := s.guest(time, n)) is not None]
    host = standing[0].package
    return host.draw(time, view, runs=(), heat=heat, beside=guests)
