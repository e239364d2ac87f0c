"""What the stage shows of a package beside the effect: each frame on one still sprite, or as a game plays
it."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.errors import TenkaError
from tenka.effect.flipbook import Player
from tenka.effect.placed import ramp
from tenka.package.manifest import MANIFEST, Flipbook
from tenka.proof.engine import Package
from tenka.scene.cameras import View

PACKED, GAME = ":packed", ":game"
PLAYED = {PACKED: "As packed", GAME: "As in the game"}
"""What can be shown of a package, by a word that no trial has as its id."""


def still_sprite(element: Flipbook) -> Player:
    """The settings under which one sprite shows each frame at its own time, as large as it was drawn."""
    span = max(element.times[-1] - element.times[0], 0.05)
    return element.player.model_copy(
        update={
            "count": 1,
            "life": span,
            "life_spread": 0.0,
            "scale": 1.0,
            "size_spread": 0.0,
            "rotation": 0.0,
            "scatter": 0.0,
            "drift": (0.0, 0.0, 0.0),
            "alpha": ramp((0.0, 1.0), (1.0, 1.0)),
        }
    )


class Played:
    """The newest package, opened once, drawn by the stage's worker."""

    def __init__(self) -> None:
        self._open: tuple[object, Package | None, str] = (None, None, "")

    def drawn(self, what: str, folder: Path, t: float, view: View) -> tuple[np.ndarray | None, str]:
        """A package's picture `t` s after the effect's start, (h, w, 3) uint8; or why there is none."""
        file = folder / MANIFEST
        try:
            key: object = (folder, file.stat().st_mtime_ns)
        except OSError:
            return None, "There is no package yet: Pack, the third station, writes one."
        if self._open[0] != key:
            try:
                self._open = (key, Package(folder), "")
            except TenkaError as error:
                self._open = (key, None, str(error))
        _, package, fault = self._open
        if package is None:
            return None, fault
        players = package.players()
        if what == PACKED:
            players = tuple(still_sprite(e) for e in package.elements)
            first = min(e.times[0] for e in package.elements)
            last = max(e.times[-1] for e in package.elements)
            t = min(max(t - first, 0.0), last - first - 1e-4)
        return package.draw(t, view, players).rgb, ""
