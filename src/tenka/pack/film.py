"""Final pictures of an effect: frame after frame as the stage shows them, without its haste."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.courses import still
from tenka.effect.model import Camera, Effect
from tenka.look.colour import develop
from tenka.look.motion import motion_of
from tenka.look.render import Picture, Renderer
from tenka.look.shot import gathered, set_of, shot_of
from tenka.pack.books import books_of
from tenka.run.driver import frame_at, simulate
from tenka.run.links import taking_part
from tenka.run.plans import Plan, plans_of
from tenka.scene.cameras import camera_at, through_lens, view_of
from tenka.scene.meshes import Mesh

MOST_PASSES = 256
LENS = 32  # places over a lens that has a width
QUIET = 8  # passes that are drawn before noise is measured


@dataclass(frozen=True)
class Film:
    """How frames are drawn.

    Attributes
    ----------
    width, height : px
    passes : over how many gas is averaged; see `Renderer.draw_shot`
    noise : 0, or share of white: passes are doubled until one doubling changes the gas less than that
    shutter : share of a frame's time in which the picture gathers light; 0 is an instant
    moments : at how many moments of that it is drawn
    layer : id of a layer that is drawn alone; empty for all that are seen
    camera : None for the effect's own
    final : draw the final run, which is simulated where it is not there, rather than the preview
    through : id of a camera of the effect, which may move; it goes before `camera`
    """

    width: int
    height: int
    passes: int = 32
    noise: float = 0.0
    shutter: float = 0.0
    moments: int = 8
    layer: str = ""
    camera: Camera | None = None
    through: str = ""
    final: bool = False

    def camera_at(self, effect: Effect, t: float) -> Camera:
        """What looks on at `t`."""
        own = next((c for c in effect.cameras if c.id == self.through), None)
        return camera_at(own, effect.props, t) if own is not None else self.camera or effect.camera


def playing_plans(effect: Effect, folder: Path | None, film: Film) -> dict[str, Plan]:
    """Plans of what is drawn."""
    ids = {film.layer} if film.layer else {layer.id for layer in taking_part(effect)}
    return {id: plan for id, plan in plans_of(effect, folder, film.final).items() if id in ids}


def made(plans: Mapping[str, Plan], store: FrameStore, span: tuple[int, int], progress: Progress) -> None:
    """Simulate what is drawn of frames `span`, and the past along which it is drawn."""
    for plan in plans.values():
        past = plan.layer.drawn_past
        before = math.ceil(past * plan.effect.rate) + 1 if past else 0
        simulate(plan, store, progress, (max(0, span[0] - before), span[1]))


def pictures(
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    film: Film,
    span: tuple[int, int],
    progress: Progress,
    heard: Callable[[str], None] = lambda _: None,
    layers: bool = False,
) -> Iterator[Picture]:
    """Draw frames from the first to the last of `span`, one in memory at a time; what is not simulated yet
    is simulated first.

    Parameters
    ----------
    heard : hears sentences on what could not be read
    layers : keep what pictures are made of, see `Picture`

    Raises
    ------
    BadInput
        What `simulate` raises.
    """
    plans = playing_plans(effect, folder, film)
    after = 1 if film.shutter > 0 and film.moments > 1 else 0
    made(plans, store, (span[0], min(span[1] + after, effect.frames - 1)), progress)
    books, faults = books_of(effect, folder)
    for fault in faults:
        heard(fault)
    renderer, scene = Renderer(), _Set(effect, folder)
    progress.begin(span[1] - span[0] + 1, "Pictures")

    def shot_at(t: float) -> Any:
        index = min(math.floor(t * effect.rate + 1e-6), effect.frames - 1)
        for plan in plans.values():
            frame_at(plan, store, index, Progress(_cancel=progress._cancel), heard)
        frames, past = gathered(plans, store, index)
        share = t * effect.rate - index
        if share > 1e-6 and index + 1 < effect.frames:
            late, _ = gathered(plans, store, index + 1)
            frames = {
                id: plans[id].kind.between(f, late[id], share) if id in late else f
                for id, f in frames.items()
            }
        return shot_of(effect, frames, folder, t, scene.at(t), past=past, books=books)

    for index in range(span[0], span[1] + 1):
        times = [index / effect.rate]
        if after:
            times = [
                times[0] + film.shutter * (n + 0.5) / film.moments / effect.rate for n in range(film.moments)
            ]
        first = shot_at(times[0])
        drawn = [
            _drawn(renderer, shot_at(t) if n else first, effect, film, t, progress, layers)
            for n, t in enumerate(times)
        ]
        if layers:
            view = view_of(film.camera_at(effect, times[0]), film.width, film.height)
            seen = motion_of(first, still(effect.light, times[0]), view, 1.0 / effect.rate)
            motion = np.where(seen[..., 2:] > 0, seen[..., :2] / np.maximum(seen[..., 2:], 1e-6), 0.0)
            for picture in drawn:
                picture.layers["motion"] = motion
        yield drawn[0] if len(drawn) == 1 else _mean(drawn, still(effect.light, times[0]).exposure)
        progress.step()


class _Set:
    """The props, made anew only where they move."""

    def __init__(self, effect: Effect, folder: Path | None) -> None:
        self._effect, self._folder = effect, folder
        self._last: Mesh | None = None

    def at(self, t: float) -> Mesh:
        found = set_of(self._effect, self._folder, t)
        last = self._last
        if (
            last is None
            or last.points.shape != found.points.shape
            or not np.array_equal(last.points, found.points)
            or not np.array_equal(last.faces, found.faces)
        ):
            self._last = last = found
        return last


def _drawn(
    renderer: Renderer, shot: Any, effect: Effect, film: Film, t: float, progress: Progress, layers: bool
) -> Picture:
    camera, light = film.camera_at(effect, t), still(effect.light, t)
    view = view_of(camera, film.width, film.height)
    progress.check()
    lens = through_lens(view, camera, LENS)
    if len(lens) > 1:  # what is soft is even enough with few passes at each place of the lens
        drawn, few = [], max(8, film.passes // 4)
        for one in lens:
            progress.check()
            drawn.append(renderer.draw_shot(shot, light, one, passes=few, layers=layers))
        return _mean(drawn, light.exposure)
    if film.noise <= 0:
        return renderer.draw_shot(shot, light, view, passes=film.passes, layers=layers)
    passes, before = QUIET, renderer.draw_shot(shot, light, view, passes=QUIET)
    while passes < MOST_PASSES:
        progress.check()
        passes *= 2
        found = renderer.draw_shot(shot, light, view, passes=passes)
        gas = found.alpha > 0.01
        change = np.abs(found.rgb.astype(np.float32) - before.rgb)[gas]
        # a mean of twice as many is nearer to the whole by as much as it has moved
        if not len(change) or float(change.mean()) / 255.0 < film.noise:
            break
        before = found
    return renderer.draw_shot(shot, light, view, passes=passes, layers=layers)


def _mean(drawn: list[Picture], exposure: float) -> Picture:
    """The light of several moments in one picture."""

    def mean(parts: list[np.ndarray]) -> np.ndarray:
        return np.asarray(np.mean(parts, axis=0, dtype=np.float32))

    linear = mean([p.linear for p in drawn])
    layers = {name: mean([p.layers[name] for p in drawn]) for name in drawn[0].layers}
    return replace(
        drawn[0],
        rgb=develop(linear, exposure),
        linear=linear,
        alpha=mean([p.alpha for p in drawn]),
        layers=layers,
    )


def checked(film: Film) -> Film:
    """The same, or a sentence on what cannot be drawn.

    Raises
    ------
    BadInput
        A setting out of its range.
    """
    for value, low, high, name in (
        (film.passes, 1, MOST_PASSES, "passes"),
        (film.noise, 0.0, 0.5, "noise"),
        (film.shutter, 0.0, 1.0, "shutter"),
        (film.moments, 1, 64, "moments"),
    ):
        if not low <= value <= high:
            raise BadInput(f"{value:g} is out of range", f"{low:g} to {high:g}", place=f"--{name}")
    return film
