"""What drives particles and what stops them, as fields over their box: asked of the solver itself."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.courses import Course
from tenka.effect.courses import most as largest
from tenka.effect.model import Effect, heard
from tenka.gas.settings import Moment
from tenka.pack.layout import Box
from tenka.pack.routes.base import Job
from tenka.package.law import Field
from tenka.package.laws import Grid
from tenka.package.parts import vec3
from tenka.particles.contact import BOUNCINESS, FRICTION, RESPONSE, distance_to, stops_of
from tenka.particles.probing import probed
from tenka.run.given import Links
from tenka.scene.props import prop_mesh

MOMENTS, CELLS = 48, 600_000  # of the driving field: at most so many moments, and cells in all
ROUND = 2  # cells round the box
NEARLY = 0.02  # of a field, root mean square: what moments between others may be off
ALIKE = 2e-3  # of a field's largest value: what differs less is the same


def grid_over(box: Box, most: int) -> tuple[np.ndarray, float, tuple[int, int, int]]:
    """Low corner, cell and shape of a grid over a box, with so many cells along its longest side."""
    low, high = (np.asarray(b, float) for b in box)
    cell = max(float((high - low).max()) / most, 1e-3)
    shape = np.maximum(np.ceil((high - low) / cell - 1e-6).astype(int), 1)
    nx, ny, nz = (int(n) for n in shape)
    return low, cell, (nx, ny, nz)


def _sparser(times: np.ndarray, values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Half of the moments, and half of those again, as long as the others lie between them nearly as they
    were."""
    while len(times) > 2:
        kept = np.unique([*range(0, len(times), 2), len(times) - 1])
        left = np.setdiff1d(np.arange(len(times)), kept)
        after = np.searchsorted(kept, left)
        a, b = kept[after - 1], kept[after]
        share = ((times[left] - times[a]) / (times[b] - times[a])).astype(np.float32)[
            :, None, None, None, None
        ]
        off = (1 - share) * values[a] + share * values[b] - values[left]
        if np.sqrt((off**2).mean()) > NEARLY * np.sqrt((values**2).mean()):
            break
        times, values = times[kept], values[kept]
    return times, values


def round_it(box: Box, most: int) -> tuple[np.ndarray, float, tuple[int, int, int]]:
    """The same with some cells more on each side: what stops particles lies where none of them is."""
    low, cell, (nx, ny, nz) = grid_over(box, most)
    return low - ROUND * cell, cell, (nx + 2 * ROUND, ny + 2 * ROUND, nz + 2 * ROUND)


def round_stops(
    effect: Effect, layer: Any, folder: Path | None, box: Box, most: int, span: tuple[float, float]
) -> tuple[np.ndarray, float, tuple[int, int, int], float]:
    """The same round what stops particles, and no further than the widest of them is: what is thin is told as
    finely as that allows; and how thin the thinnest is, m. The whole box where none of it is in there.

    Raises
    ------
    BadInput
        A mesh that cannot be read.
    """
    t, radius = 0.5 * (span[0] + span[1]), 0.5 * max((largest(s.width) for s in layer.sources), default=0.0)
    low, high = (np.asarray(b, float) for b in box)
    there = []
    for collider in heard(layer.colliders):
        prop = next((p for p in effect.props if p.id == collider.prop), None)
        if prop is not None:
            a, b = prop_mesh(prop, effect.props, folder, t).bounds
            there.append((a - collider.skin, b + collider.skin))
    if there:
        near = np.maximum(np.min([a for a, _ in there], axis=0), low) - radius
        far = np.minimum(np.max([b for _, b in there], axis=0), high) + radius
        if (near < far).all():
            low, high = near, far
    thin = min((float((b - a).min()) for a, b in there), default=np.inf)
    return *round_it((low, high), most), thin


def _centres(low: np.ndarray, cell: float, shape: tuple[int, int, int]) -> np.ndarray:
    return np.asarray(low + (np.argwhere(np.ones(shape, bool)) + 0.5) * cell)


def pushed(job: Job, layer: Any, box: Box, most: int, span: tuple[float, float], pull: float) -> Grid:
    """What drives particles of a layer over a box besides gravity, `pull` m/s^2, as its own solver has it; as
    coarse as is the same."""
    plan, rate = job.plans[layer.id], job.effect.rate
    links = Links(job.store, rate, {**plan.feeds, **{k: p for k, p in plan.mates.items() if k != layer.id}})
    member = plan.member(links)
    links.live = {}
    low, cell, shape = grid_over(box, most)
    places = _centres(low, cell, shape)
    frames = frames_of(span, rate, len(places))
    found = np.zeros((len(frames), *shape, 4), np.float32)
    job.progress.begin(len(frames), f"Asking what drives {layer.name}")
    for n, f in enumerate(frames.tolist()):
        links.index = f
        found[n] = probed(member.solver, places, f / rate).reshape(*shape, 4)
        job.progress.step()
    found[..., 2] += np.float32(pull)  # gravity is told apart
    low, cell, found = _plainer(low, cell, found)
    times, found = _sparser(frames[: len(found)] / rate, found)
    found = found.astype(np.float16).astype(np.float32)  # as the package holds it
    return Grid(found, low, cell, times)


def _plainer(low: np.ndarray, cell: float, values: np.ndarray) -> tuple[np.ndarray, float, np.ndarray]:
    """The same field with one moment where it does not change, and one cell where it is the same
    everywhere."""
    scale = np.maximum(np.abs(values).max(axis=(0, 1, 2, 3)), 1e-6)
    if (np.ptp(values, axis=0) <= ALIKE * scale).all():
        values = values.mean(axis=0, keepdims=True)
    if (np.ptp(values, axis=(1, 2, 3)) <= ALIKE * scale).all():
        shape = np.array(values.shape[1:4])
        values = values.mean(axis=(1, 2, 3), keepdims=True)
        cell = float(cell * shape.max())
    return low, cell, values


def stopped(
    job: Job, layer: Any, box: Box, most: int, span: tuple[float, float]
) -> tuple[Grid | None, float]:
    """Distances to what stops particles besides the ground, with how; what moves stands as it does in the
    middle of the time. And how thin the thinnest is, as far as the field tells it, m."""
    if not layer.colliders:
        return None, np.inf
    plan, t = job.plans[layer.id], 0.5 * (span[0] + span[1])
    bare = layer.model_copy(update={"motion": layer.motion.model_copy(update={"ground": "none"})})
    moment = Moment(plan.effect.props, job.effect.rate, t, 1e-3)
    stops = stops_of(bare, plan.effect.props, moment, job.folder).packed()
    if not len(stops.rows):
        return None, np.inf
    low, cell, shape, thin = round_stops(job.effect, layer, job.folder, box, most, span)
    places = _centres(low, cell, shape)
    far = np.array(
        [
            [distance_to(n, stops, 0.0, (x, y, z)) for x, y, z in places.tolist()]
            for n in range(len(stops.rows))
        ]
    )
    nearest = far.argmin(axis=0)
    traits = stops.rows[nearest][:, [BOUNCINESS, FRICTION, RESPONSE]]
    held = np.column_stack([far.min(axis=0), traits]).astype(np.float32)
    return Grid(held.reshape(1, *shape, 4), low, cell, np.array([t])), max(thin, cell)


def frames_of(span: tuple[float, float], rate: float, cells: int) -> np.ndarray:
    """The effect's frames at which a field of so many cells is held."""
    first, last = span[0] * rate, max(span[1] * rate - 1, span[0] * rate)
    count = max(1, min(MOMENTS, CELLS // cells))
    return np.unique(np.linspace(first, last, count).round().astype(int))


def field_before(
    file: str, effect: Effect, layer: Any, box: Box, most: int, span: tuple[float, float]
) -> Field:
    """The field that drives, as large as it can be, before it is known how alike it is everywhere."""
    m = layer.motion
    low, cell, shape = grid_over(box, most)
    if not m.follows and not heard(effect.forces):
        shape, cell = (1, 1, 1), cell * max(shape)
    changes = m.follows or heard(effect.forces) or any(isinstance(v, Course) for v in (m.gravity, m.drag))
    frames = (
        frames_of(span, effect.rate, int(np.prod(shape))) if changes else np.array([span[0] * effect.rate])
    )
    return field_of(file, Grid(np.zeros((len(frames), *shape, 0)), low, cell, frames / effect.rate))


def field_of(file: str, grid: Grid) -> Field:
    """A field as a manifest states it."""
    nx, ny, nz = grid.values.shape[1:4]
    return Field(
        file=file,
        shape=(nx, ny, nz),
        low=vec3(grid.low),
        cell=round(grid.cell, 6),
        times=tuple(round(float(t), 6) for t in grid.times),
    )
