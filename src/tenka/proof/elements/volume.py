"""Volumes marched through, as an engine would."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.effect.courses import still
from tenka.effect.routes.volume import VolumePlayer
from tenka.look.march import march, reached
from tenka.look.volume import LitVolume, light_volume
from tenka.package.elements.volume import Volume
from tenka.package.grids import frame_of, mixed
from tenka.proof.elements.base import Drawn, Now, Played, place_in
from tenka.scene.cameras import View

KEPT = 3  # moments, and lit ones, that are held
STEPS = 4  # where a lit volume keeps its samples a voxel
SEEN_ALPHA = 0.004


class PlayedVolume(Played):
    """A volume; files are read as they are played."""

    element: Volume

    def __init__(self, folder: Path, element: Volume) -> None:
        super().__init__(folder, element)
        self.folder = folder
        self._frames: dict[int, object] = {}
        self._lit: dict[object, LitVolume] = {}
        frame_of(folder, element, 0)  # what is broken is told when the package is opened

    def _frame(self, index: int) -> object:
        if index not in self._frames:
            while len(self._frames) >= KEPT:
                self._frames.pop(next(iter(self._frames)))
            self._frames[index] = frame_of(self.folder, self.element, index)
        return self._frames[index]

    def lit(self, player: VolumePlayer, now: Now) -> LitVolume | None:
        """What is there now, lit by the set's sun, sky and lights."""
        at = place_in(self.element.times, now.time)
        if at is None:
            return None
        index, share = at
        key = (index, round(share, 3), player.density, player.glow, now.lamps.tobytes())
        if key not in self._lit:
            while len(self._lit) >= KEPT:
                self._lit.pop(next(iter(self._lit)))
            frame = self._frame(index)
            if share > 1e-3:
                frame = mixed(frame, self._frame(index + 1), share)  # type: ignore[arg-type]
            look = still(self.element.look, now.time)
            look = look.model_copy(
                update={
                    "extinction": look.extinction * player.density,
                    "flame": look.flame * player.glow,
                    "glow": look.glow * player.glow,
                }
            )
            self._lit[key] = light_volume(frame, look, still(now.light, now.time), lamps=now.lamps)  # type: ignore[arg-type]
        return self._lit[key]

    def casts(self, player: VolumePlayer, now: Now) -> list[LitVolume]:
        volume = self.lit(player, now)
        return [] if volume is None or volume.empty or len(now.carriers) > 1 else [volume]

    def drawn(self, player: VolumePlayer, now: Now) -> Drawn | None:
        volume = self.lit(player, now)
        if volume is None or volume.empty:
            return None
        size = float(np.linalg.norm(np.subtract(self.element.high, self.element.low)))
        step = size / player.samples / volume.voxel  # voxels from sample to sample
        detail = 1.0 / (step * float(volume.params[STEPS]))
        middle = volume.origin + 0.5 * (volume.low + volume.high) * volume.voxel
        views = [_moved(now.view, carrier) for carrier in now.carriers]
        depth = np.array([(middle - v.eye) @ v.forward for v in views])
        boxes = [reached(volume, v) for v in views]
        covered = sum(max(0, x1 - x0) * max(0, y1 - y0) for x0, y0, x1, y1 in boxes)

        def paint(rows: np.ndarray, far: np.ndarray, image: np.ndarray) -> int:
            for row in rows.tolist():
                found = march(volume, views[row], far, detail)
                light = (found[..., :3] + found[..., 4:7]) * np.float32(now.gain)
                image *= 1.0 - found[..., 3:4]
                image += light
            return 0

        def count(layers: np.ndarray) -> None:
            for view in views:
                layers += march(volume, view, None, 0.25 * detail)[..., 3] > SEEN_ALPHA

        return Drawn(depth, paint, count, samples=int(covered * player.samples))


def _moved(view: View, by: np.ndarray) -> View:
    """The same camera as one sees it from what was carried away."""
    return View(
        view.eye - by,
        view.forward,
        view.right,
        view.up,
        view.half_height,
        view.width,
        view.height,
        view.orthographic,
    )
