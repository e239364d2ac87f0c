"""Cells of flipbooks: what is delivered, drawn from a side at a moment, and how it moves there."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.courses import still
from tenka.effect.model import Delivery, Effect, Flipbook
from tenka.look.alone import drawn_alone
from tenka.look.motion import motion_of, spread
from tenka.look.shot import shot_of
from tenka.look.sprites import Book
from tenka.pack.layout import Layout, content_view, span_of, taken
from tenka.pack.survey import Survey, survey_of
from tenka.run.driver import frame_between, past_of
from tenka.run.plans import Plan
from tenka.scene.meshes import joined

NOTHING = joined([])


def draw_cell(
    effect: Effect,
    delivery: Delivery,
    frames: Mapping[str, Any],
    t: float,
    plan: Layout,
    size: tuple[int, int],
    folder: Path | None = None,
    past: Mapping[str, Any] | None = None,
    books: dict[str, Book] | None = None,
) -> np.ndarray:
    """What a delivery takes at one moment as `drawn_alone` gives it, (height, width, 8), with twice the
    samples each way averaged for clean edges.

    Parameters
    ----------
    frames, past : of its layers, by id
    """
    width, height = size
    alone = effect.model_copy(update={"layers": tuple(taken(effect, delivery))})
    shot = shot_of(alone, frames, folder, t, NOTHING, past or {}, books)
    light = still(effect.light, t)
    raw = drawn_alone(shot, light, content_view(plan, delivery.by(Flipbook), width * 2, height * 2))
    found: np.ndarray = raw.reshape(height, 2, width, 2, raw.shape[2]).mean(axis=(1, 3))
    return found


def frames_at(
    effect: Effect,
    delivery: Delivery,
    plans: Mapping[str, Plan],
    store: FrameStore,
    t: float,
    progress: Progress,
    whole: bool = False,
    kept: dict[str, dict[object, Any]] | None = None,
) -> tuple[dict[str, Any], dict[str, Any]]:
    """The frames of a delivery's layers at a moment (`whole`: with their velocity), and the past of each.
    `kept` holds the newest frames of each for the next moments."""
    frames, past = {}, {}
    for layer in taken(effect, delivery):
        run = plans[layer.id]
        newest = None if kept is None else kept.setdefault(layer.id, {})
        frames[layer.id] = frame_between(run, store, t, progress, whole, newest)
        past[layer.id] = past_of(run, store, int(t * effect.rate + 1e-6))
    return frames, past


def shares_of(plan: Layout, index: int) -> list[tuple[float, float]]:
    """What a cell is made of: shares of what is seen at times, s; two of them where a loop's end turns into
    its begin."""
    t = plan.times[index]
    other, share = plan.blends[index] if plan.blends else (t, 0.0)
    return [(part, at) for part, at in ((1.0 - share, t), (share, other)) if part > 0]


def moved_cell(
    effect: Effect,
    delivery: Delivery,
    frames: Mapping[str, Any],
    t: float,
    gap: float,
    plan: Layout,
    folder: Path | None,
    past: Mapping[str, Any],
) -> np.ndarray:
    """How what is seen of a delivery moves within `gap` s, (height, width, 2), as shares of the frame; also
    beside it, where it is read when frames are blended."""
    width, height = plan.content
    alone = effect.model_copy(update={"layers": tuple(taken(effect, delivery))})
    shot = shot_of(alone, frames, folder, t, NOTHING, past)
    view = content_view(plan, delivery.by(Flipbook), width, height)
    return spread(motion_of(shot, still(effect.light, t), view, gap)) / np.array((width, height), np.float32)


def surveyed_times(effect: Effect, delivery: Delivery) -> np.ndarray:
    """Times of all frames of a flipbook's span, s."""
    first, last = span_of(effect, delivery)
    return np.arange(int(first * effect.rate + 1e-6), int(last * effect.rate + 1e-6) + 1) / effect.rate


def survey_cells(
    effect: Effect,
    delivery: Delivery,
    plan: Layout,
    times: np.ndarray,
    read: Callable[..., tuple[dict[str, Any], dict[str, Any]]],
    folder: Path | None,
    books: dict[str, Book],
    step: Callable[[], object],
) -> Survey:
    """A look at a flipbook's frames.

    Parameters
    ----------
    plan : its layout without a look
    read : the frames of its layers at a time, and the past of each
    step : is called after each
    """

    def draw(t: float, size: tuple[int, int]) -> np.ndarray:
        frames, past = read(t=t)
        step()
        return draw_cell(effect, delivery, frames, t, plan, size, folder, past, books)

    return survey_of(times, draw, plan.content[0] / plan.content[1])
