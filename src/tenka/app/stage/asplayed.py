"""What the stage shows of a package beside the effect: each frame on one still sprite, or as a game plays
it."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.errors import TenkaError
from tenka.package.elements.flipbook import Flipbook
from tenka.package.manifest import MANIFEST
from tenka.proof.engine import Package
from tenka.scene.cameras import View

PACKED, GAME = ":packed", ":game"
PLAYED = {PACKED: "As packed", GAME: "As in the game"}
"""What can be shown of a package, by a word that no trial has as its id."""


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
            players = tuple(
                e.player.on_one_sprite(e.times[-1] - e.times[0]) if isinstance(e, Flipbook) else e.turned
                for e in package.elements
            )
            first = min(e.times[0] for e in package.elements)
            last = max(e.times[-1] for e in package.elements)
            t = min(max(t - first, 0.0), last - first - 1e-4)
        return package.draw(t, view, players).rgb, ""
