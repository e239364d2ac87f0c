"""What an effect takes at each moment after it is triggered, and which moment is the worst.

Each line of a ledger is a mean. Its part that goes with what is drawn follows what a game draws of it at a
moment, against that mean; calls are paid whole while it is there.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tenka.budget.cost import Ledger
from tenka.budget.lamps import lit, shining_lights
from tenka.budget.routes.flipbook import mean_cover, viewing_of
from tenka.effect.document import delivered_on
from tenka.effect.model import Delivery, Effect, Tier
from tenka.look.sprites import count_covered
from tenka.package.elements.flipbook import Flipbook
from tenka.package.parts import Element
from tenka.proof.elements.flipbook import quads

MOMENTS = 61
WIDEST = 640  # px of the picture on which sprites are counted here: only how they change is asked for

Figures = Mapping[str, Mapping[int, Mapping[str, Any]]]


@dataclass(frozen=True)
class OverTime:
    """What all lines of a ledger take over time.

    Attributes
    ----------
    times : (n,) s since the first trigger
    lines : (lines, n) ms of drawing, in the order of the ledger's lines
    mean : ms that it comes to as it goes on, where sprites outlast the effect
    """

    times: np.ndarray
    lines: np.ndarray
    mean: float = 0.0

    @property
    def ms(self) -> np.ndarray:
        """All lines together, (n,) ms."""
        found: np.ndarray = self.lines.sum(axis=0)
        return found

    @property
    def worst(self) -> tuple[float, float]:
        """The most that a moment takes, ms, and which one that is, s; infinity where it is as it goes on,
        after the effect's own time."""
        whole = self.ms
        at = int(np.argmax(whole))
        if self.mean > whole[at]:
            return self.mean, math.inf
        return float(whole[at]), float(self.times[at])

    def told(self) -> str:
        """The worst moment in words."""
        ms, at = self.worst
        when = f"at {at:.2f} s" if math.isfinite(at) else "as it goes on"
        return f"at worst {ms:.3f} ms, {when}"


def over_time(
    book: Ledger, effect: Effect, figures: Figures | None = None, triggers: Sequence[float] = (0.0,)
) -> OverTime:
    """The lines of a ledger over time.

    Parameters
    ----------
    effect : what the ledger is of
    figures : of simulated frames, by layer
    triggers : s, rising from 0: when it is triggered. As the effect says, each goes on beside the others,
        begins anew in place of the one before, or is refused while that goes on.

    Notes
    -----
    Each trigger lasts as long as the effect.
    """
    tier = book.tier
    alone = np.linspace(0.0, effect.seconds, MOMENTS)
    curves = np.zeros((len(book.lines), MOMENTS))
    for row, line, (delivery, element) in zip(curves, book.lines, book.elements):
        calls = line.calls_ms
        load = load_of(delivery, element, tier, effect, figures or {}, alone)
        row[:] = (line.ms - calls) * load + calls * (load > 0)
    count = len(book.elements)
    lights = shining_lights(delivered_on(effect, tier.id))
    for row, line, light in zip(curves[count:], book.lines[count:], lights, strict=True):
        row[:] = line.ms * lit(light, alone)
    if len(triggers) == 1:
        return OverTime(alone, curves, book.ms)
    steps = round((triggers[-1] + effect.seconds) / effect.seconds * (MOMENTS - 1)) + 1
    times = np.linspace(0.0, triggers[-1] + effect.seconds, steps)
    runs = _runs(triggers, effect.again, effect.seconds)
    whole = np.zeros((len(curves), steps))
    for begin, end in runs:
        there = (times >= begin) & (times <= end - 1e-9)
        for row, curve in zip(whole, curves):
            row += np.where(there, np.interp(times - begin, alone, curve), 0.0)
    return OverTime(times, whole)


def _runs(triggers: Sequence[float], again: str, lasts: float) -> list[tuple[float, float]]:
    """Begin and end of each run, s."""
    runs: list[tuple[float, float]] = []
    for t in triggers:
        if runs and t < runs[-1][1]:
            if again == "refuse":
                continue
            if again == "restart":
                runs[-1] = (runs[-1][0], t)
        runs.append((t, t + lasts))
    return runs


def load_of(
    delivery: Delivery, element: Element, tier: Tier, effect: Effect, figures: Figures, times: np.ndarray
) -> np.ndarray:
    """What a game draws of an element at some times, as a multiple of the mean on which its line rests.

    Parameters
    ----------
    times : (n,) s since it is triggered

    Returns
    -------
    (n,) float
    """
    load = LOADS.get(element.route)
    if load is None:  # it is there, whole, from its first moment to its last
        return _there(element, effect, times).astype(float)
    return load(delivery, element, tier, effect, figures, times)


def _there(element: Element, effect: Effect, times: np.ndarray) -> np.ndarray:
    """Whether it plays: its last moment is shown for a frame."""
    first, last = element.times[0], element.times[-1] + 1.0 / effect.rate
    return np.asarray((times >= first - 1e-6) & (times <= last + 1e-6))


def _sprites(
    delivery: Delivery, element: Any, tier: Tier, effect: Effect, figures: Figures, times: np.ndarray
) -> np.ndarray:
    """By the pixels that its sprites cover: none before the first is born."""
    assert isinstance(element, Flipbook)
    share = min(1.0, WIDEST / tier.width)
    wide, tall = (max(16, round(side * share)) for side in (tier.width, tier.height))
    view = replace(viewing_of(tier, element), width=wide, height=tall)
    mean = mean_cover(element, element.player, view)[0]
    found = []
    for t in times.tolist():
        table = quads(element, element.player, t, view)
        found.append(float(count_covered(table, element.cuts, view.width, view.height)[:, 0].sum()))
    return np.array(found) / mean if mean > 0 else np.zeros(len(times))


def _alive(
    delivery: Delivery, element: Any, tier: Tier, effect: Effect, figures: Figures, times: np.ndarray
) -> np.ndarray:
    """By how many are alive."""
    own = figures.get(delivery.of[0], {})
    frames = sorted(f for f in own if f >= 0 and "alive" in own[f])
    there = _there(element, effect, times)
    if not frames:
        return there.astype(float)
    at, count = np.array(frames) / effect.rate, np.array([own[f]["alive"] for f in frames], float)
    mean = float(np.interp(np.asarray(element.times), at, count).mean())
    return np.where(there, np.interp(times, at, count) / mean, 0.0) if mean > 0 else np.zeros(len(times))


LOADS: dict[str, Callable[[Delivery, Any, Tier, Effect, Figures, np.ndarray], np.ndarray]] = {
    "flipbook": _sprites,
    "particles": _alive,
    "trails": _alive,
}
"""Routes of which more is drawn at one moment than at another."""
