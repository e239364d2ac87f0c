"""The same effect with few and with many sub-steps, and by how much the two differ."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.cache.store import Frame, FrameStore
from tenka.effect.model import Effect
from tenka.run.driver import simulate
from tenka.run.frames import PointFrame
from tenka.run.links import taking_part
from tenka.run.plans import Plan, plans_of

COUNTS = (1, 4)
LEAST = 1e-6  # voxels that are crossed in a step


def _by_limit(setting: str) -> Callable[[Any, int], Any]:
    """Steps of a solver that takes as many as its largest step asks for, up to a limit: next to nothing is
    asked of a step, so that the limit counts wherever anything moves."""

    def stepped(layer: Any, count: int) -> Any:
        update = {"courant": LEAST, setting: count}
        return layer.model_copy(update={"quality": layer.quality.model_copy(update=update)})

    return stepped


def _by_count(layer: Any, count: int) -> Any:
    return layer.model_copy(update={"steps": count})


STEPPED: dict[str, Callable[[Any, int], Any]] = {
    "gas": _by_limit("most_substeps"),
    "liquid": _by_limit("most_steps"),
    "particles": _by_count,
    "debris": _by_count,
}
"""How the sub-steps of each kind are set; a kind that is not here has none to set."""


@dataclass(frozen=True)
class Differing:
    """A figure of a layer with few and with many sub-steps.

    Attributes
    ----------
    few, many : means over the frames
    off : mean difference of a frame, as a share of the largest of its figures
    """

    layer: str
    what: str
    unit: str
    few: float
    many: float
    off: float


@dataclass(frozen=True)
class Stepping:
    """Both runs.

    Attributes
    ----------
    counts : sub-steps of each
    seconds : that stepping took; 0 where the frames were there
    rows : what differs, layer by layer
    left : layers whose steps cannot be set
    """

    counts: tuple[int, int]
    seconds: tuple[float, float]
    rows: tuple[Differing, ...]
    left: tuple[str, ...]

    def told(self) -> str:
        """The largest difference in words."""
        if not self.rows:
            return "Nothing differs: no layer has sub-steps to set."
        few, many = self.counts
        parts = []
        for layer in dict.fromkeys(r.layer for r in self.rows):
            mine = [r for r in self.rows if r.layer == layer]
            where = next((r for r in mine if r.what.startswith("Where")), None)
            most = max(mine, key=lambda r: r.off)
            told = f"{most.what.lower()} differs by {100 * most.off:.1f} %"
            if where is not None and where.unit:
                told = f"the same one is {where.many:.3g} {where.unit} away"
            elif where is not None:
                told = f"{100 * where.off:.1f} % of the smoke is elsewhere"
            parts.append(f"{layer}: {told}")
        words = f"Between {few} and {many} sub-steps: {'; '.join(parts)}."
        if min(self.seconds) > 0:
            words += f" {many} take {self.seconds[1] / self.seconds[0]:.1f} times as long."
        return words


def with_steps(effect: Effect, count: int) -> Effect:
    """The effect with so many sub-steps in each frame of every layer that has some to set."""
    layers = tuple(
        STEPPED[layer.kind](layer, count) if layer.kind in STEPPED else layer for layer in effect.layers
    )
    return effect.model_copy(update={"layers": layers})


def compare_steps(
    effect: Effect, folder: Path | None, store: FrameStore, progress: Progress, counts: Sequence[int] = COUNTS
) -> Stepping:
    """Simulate twice and hold both against each other.

    Raises
    ------
    BadInput
        Not two numbers of sub-steps from 1 to 32, the smaller first.
    TooLarge, Unstable, Cancelled
    """
    if len(counts) != 2 or not 1 <= counts[0] < counts[1] <= 32:
        raise BadInput("sub-steps that cannot be compared", "two numbers from 1 to 32, the smaller first")
    few, many = counts
    playing = {layer.id for layer in taking_part(effect)}
    runs, seconds = [], []
    for count in (few, many):
        plans = {id: p for id, p in plans_of(with_steps(effect, count), folder).items() if id in playing}
        begun, made = time.perf_counter(), 0
        for plan in plans.values():
            made += simulate(plan, store, progress).simulated
        seconds.append(time.perf_counter() - begun if made else 0.0)
        runs.append(plans)
    rows = list[Differing]()
    progress.begin(len(runs[0]), "Comparing")
    for id in runs[0]:
        rows += _differing(runs[0][id], runs[1][id], store, progress)
        progress.step()
    left = tuple(x.name for x in effect.layers if x.id in playing and x.kind not in STEPPED)
    return Stepping((few, many), (seconds[0], seconds[1]), tuple(rows), left)


def _differing(a: Plan, b: Plan, store: FrameStore, progress: Progress) -> list[Differing]:
    """All figures that frames have, and where the gas is or how far apart the same particles are."""
    name, frames = a.layer.name, range(a.effect.frames)
    figures = [[store.figures(plan.name(f)) or {} for f in frames] for plan in (a, b)]
    found = []
    for id, what, unit in a.kind.measures:
        pair = [[_number(row, id) for row in own] for own in figures]
        if any(v is None for own in pair for v in own):
            continue
        few, many = np.array(pair, float)
        most = float(np.abs([few, many]).max())
        if most > 0:
            off = float(np.abs(few - many).mean()) / most
            found.append(Differing(name, what, unit, float(few.mean()), float(many.mean()), off))
    apart = []
    for f in frames:
        progress.check()
        pair = [plan.read(store, f) for plan in (a, b)]
        if (one := _apart(*pair)) is not None:
            apart.append(one)
    if apart:
        what, unit = ("Where smoke is", "") if a.layer.kind == "gas" else ("Where the same one is", "m")
        gone, share = (float(np.mean([row[n] for row in apart])) for n in (0, 1))
        found.append(Differing(name, what, unit, 0.0, gone, share))
    return found


def _number(row: Mapping[str, Any], id: str) -> float | None:
    value = row.get(id)
    return float(value) if isinstance(value, int | float) else None


def _apart(a: Any, b: Any) -> tuple[float, float] | None:
    """How far frames are apart, and that as a share: of smoke what is elsewhere, of particles the mean way
    between the same ones against the size of what they fill. None where there is nothing."""
    if isinstance(a, Frame) and isinstance(b, Frame):
        if a.shape != b.shape:  # a box that moves with what is in it
            return None
        x, y = a.density.astype(np.float32), b.density.astype(np.float32)
        whole = float(x.sum() + y.sum())
        share = float(np.abs(x - y).sum()) / whole if whole > 0 else 0.0
        return share, share
    if isinstance(a, PointFrame) and isinstance(b, PointFrame):
        _, at, of = np.intersect1d(a.points.id, b.points.id, return_indices=True)
        if not len(at):
            return None
        x, y = a.points.place[at], b.points.place[of]
        size = float(np.linalg.norm(y.max(axis=0) - y.min(axis=0)))
        gone = float(np.linalg.norm(x - y, axis=1).mean())
        return gone, min(1.0, gone / size) if size > 1e-6 else 0.0
    return None
