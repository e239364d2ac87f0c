"""A variant of what is delivered, packed and played, against the stage's own pictures."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.jobs import Progress
from tenka.board.likeness import Likeness, likeness
from tenka.cache.store import FrameStore
from tenka.effect.courses import still
from tenka.effect.document import delivered_on
from tenka.effect.model import Camera, Effect
from tenka.look.render import Renderer
from tenka.look.shot import gathered, seen, shot_of
from tenka.pack.books import books_of
from tenka.pack.layout import span_of
from tenka.pack.packing import pack
from tenka.proof.engine import Package
from tenka.run.driver import simulate
from tenka.run.plans import plans_of
from tenka.scene.cameras import view_of

MOST_MOMENTS = 8


@dataclass(frozen=True)
class Looking:
    """From where and when variants are looked at.

    Attributes
    ----------
    frames : indices of the effect's frames
    sides : degrees by which the effect's camera goes round it
    size : px
    """

    frames: tuple[int, ...]
    sides: tuple[float, ...] = (0.0,)
    size: tuple[int, int] = (240, 150)

    @classmethod
    def of(cls, effect: Effect, sides: tuple[float, ...] = (0.0,)) -> Looking:
        """Moments that lie evenly over an effect, in pairs of neighbours, so that motion is seen."""
        pairs = min(MOST_MOMENTS // 2, max(1, effect.frames // 2))
        first = np.linspace(0, max(effect.frames - 2, 0), pairs + 2)[1:-1].round()
        found = sorted({int(f) + k for f in first for k in (0, 1) if int(f) + k < effect.frames})
        return cls(tuple(found) or (0,), sides)

    def cameras(self, effect: Effect) -> list[Camera]:
        """The effect's camera from each side."""
        camera = effect.camera
        return [camera.model_copy(update={"heading": camera.heading + side}) for side in self.sides]


def on_one_sprite(effect: Effect) -> Effect:
    """The effect with each flipbook played as one sprite that lasts as long as its frames: what is measured
    is how well it was drawn, and not how many a game shows."""
    deliveries = []
    for d in effect.deliveries:
        if d.route.kind == "flipbook":
            first, last = span_of(effect, d)
            player = d.route.player.on_one_sprite(last - first)  # type: ignore[union-attr]
            d = d.model_copy(update={"route": d.route.model_copy(update={"player": player})})
        deliveries.append(d)
    return effect.model_copy(update={"deliveries": tuple(deliveries)})


def references(
    effect: Effect, folder: Path | None, store: FrameStore, looking: Looking, progress: Progress
) -> list[list[np.ndarray]]:
    """The stage's pictures, a row for each side; what is missing is simulated.

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    whole = plans_of(effect, folder)
    plans = {layer.id: whole[layer.id] for layer in seen(effect)}
    for plan in plans.values():
        simulate(plan, store, progress)
    books, _ = books_of(effect, folder)
    progress.begin(len(looking.sides) * len(looking.frames), "Drawing what variants are held against")
    found = []
    for camera in looking.cameras(effect):
        view, row, renderer = view_of(camera, *looking.size), list[np.ndarray](), Renderer()
        for index in looking.frames:
            t = index / effect.rate
            frames, past = gathered(plans, store, index)
            shot = shot_of(effect, frames, folder, t, past=past, books=books)
            row.append(renderer.draw_shot(shot, still(effect.light, t), view).rgb)
            progress.step()
        found.append(row)
    return found


def measured(
    effect: Effect,
    tier: str,
    folder: Path | None,
    store: FrameStore,
    looking: Looking,
    against: Sequence[Sequence[np.ndarray]],
    progress: Progress,
) -> tuple[Likeness, np.ndarray]:
    """How like an effect is as a tier gets it, and its middle picture.

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    played = on_one_sprite(delivered_on(effect, tier))
    with tempfile.TemporaryDirectory() as spare:
        target = Path(spare) / "package"
        pack(played, folder, store, target, progress)
        package = Package(target)
        first = min(e.times[0] for e in package.elements)
        rows = []
        for camera in looking.cameras(effect):
            progress.check()
            view = view_of(camera, *looking.size)
            rows.append([package.draw(f / effect.rate - first, view).rgb for f in looking.frames])
    return likeness(against, rows), rows[0][len(rows[0]) // 2]
