"""Particles as births and a law of motion: what drives them is probed of the solver itself, how they are born
is read off their frames, and the law's run is held against the simulation."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.effect.courses import value_at
from tenka.effect.model import Delivery, Effect, heard
from tenka.effect.routes.particles import ParticleBake
from tenka.gas.settings import GRAVITY
from tenka.look.swarm import PointSet, life_of, over
from tenka.pack.driving import (
    field_before,
    field_of,
    frames_of,
    grid_over,
    pushed,
    round_it,
    round_stops,
    stopped,
)
from tenka.pack.layout import Box, the_layer
from tenka.pack.lighting import Cells, Lit, Samples, lit_at_places, over_age
from tenka.pack.routes.base import Job
from tenka.package.law import OVER, Agreement, Field, Ground, Law, Typical
from tenka.package.laws import Births, Fields, Grid, Run, drawn, flown, laid
from tenka.package.parts import Texture, vec3
from tenka.particles.state import Points

FOR_EVER = 1e4  # s
ACROSS = 1024  # texels in a row of the tables of births
MOST_PARTS = 8  # of a frame, in which the law goes on
COMPARED = 60  # moments at which the law's run is held against the simulation


@dataclass
class Told:
    """What is written of particles as a law.

    Attributes
    ----------
    fields : no `stops` where only the ground stops them, no `shade` where light is as well told without
    """

    law: Law
    births: Births
    fields: Fields


@dataclass
class Seen:
    """One moment of the simulation: particles that are there, and each as it is drawn."""

    time: float
    points: Points
    drawn: PointSet
    row: np.ndarray  # in `points`, of each that is drawn


def moments_of_births(
    frames: Iterable[tuple[int, Points, PointSet]], copies: int, rate: float
) -> Iterator[Seen]:
    """Frames with which particle each mark is of."""
    for f, points, marks in frames:
        order = np.argsort(points.id, kind="stable")
        ids = marks.id // copies if copies > 1 else marks.id
        at = np.searchsorted(points.id, ids, sorter=order) if len(points) else np.zeros(0, int)
        yield Seen(f / rate, points, marks, order[at] if len(points) else at)


def told(job: Job, delivery: Delivery, seen: list[Seen], gain: float) -> Told:
    """Particles of a delivery as births and a law."""
    route, layer = delivery.by(ParticleBake), job.layer(delivery)
    box, rate = job.box(delivery), job.effect.rate
    span = seen[0].time, seen[-1].time
    times = np.linspace(*span, 16)
    pull = float(np.mean([value_at(layer.motion.gravity, float(t)) for t in times])) * GRAVITY
    push = pushed(job, layer, box, route.fineness, span, pull)
    stops, thin = stopped(job, layer, box, route.fineness, span)
    born, lit, samples, light_span = _born(layer, seen, push, pull, gain, rate)
    fastest = float(np.linalg.norm(born.speed, axis=1).max(initial=0.0))
    parts = min(max(math.ceil(fastest / rate / thin), 1), MOST_PARTS)  # so that none passes what is thin
    typical = _typical(born, span)

    def law_with(fields: Fields) -> Law:
        named = {name: grid for name, grid in vars(fields).items() if grid is not None}
        stated = {name: field_of(f"{delivery.id}_{name}.exr", grid) for name, grid in named.items()}
        return _law(delivery, layer, len(born), stated, pull, 1.0 / (rate * parts), typical, light_span)

    fields = Fields(push, stops)
    if _is_lit(layer):
        run = Run(law_with(fields), born, fields, seen[0].time)
        for s in samples:  # where the game has them, so that what is astray is lit as it is told there
            run.to(s.time)
            s.place = run.place[s.i]
        lit = lit_at_places(samples, lit, len(born), _lit_cells(box, route.fineness, span, rate))
        born.light, born.over[0, :, :3] = lit.factor, lit.table
        fields = Fields(push, stops, lit.shade)
    found = Told(law_with(fields), born, fields)
    found.law = found.law.model_copy(update={"agrees": agreement(found, seen, gain)})
    return found


UNKNOWN = Agreement(births=0, alive=0, astray=0, most_astray=0, path=0, apart=0, light=0)


def law_before(
    effect: Effect, delivery: Delivery, born: int, box: Box, span: tuple[float, float], folder: Path | None
) -> Law:
    """The law of a delivery before its births are read off: with as many, and fields as large as can be."""
    route, layer = delivery.by(ParticleBake), the_layer(effect, delivery)
    fields = {"push": field_before(f"{delivery.id}_push.exr", effect, layer, box, route.fineness, span)}
    if heard(layer.colliders):
        try:
            low, cell, shape, _ = round_stops(effect, layer, folder, box, route.fineness, span)
        except BadInput:  # packing says what is amiss
            low, cell, shape = round_it(box, route.fineness)
        still = Grid(np.zeros((1, *shape, 0)), low, cell, np.array(span[:1]))
        fields["stops"] = field_of(f"{delivery.id}_stops.exr", still)
    if _is_lit(layer):
        cells = _lit_cells(box, route.fineness, span, effect.rate)
        changing = Grid(np.zeros((len(cells.times), *cells.shape, 0)), cells.low, cells.cell, cells.times)
        fields["shade"] = field_of(f"{delivery.id}_shade.exr", changing)
    none = Births(*(np.zeros((0, 3)),) * 2, *(np.zeros(0),) * 6, np.zeros((2, OVER, 4)))
    return _law(delivery, layer, born, fields, GRAVITY, 1.0 / effect.rate, _typical(none, span))


def _law(
    delivery: Delivery,
    layer: Any,
    count: int,
    fields: dict[str, Field],
    pull: float,
    step: float,
    typical: Typical,
    light_span: float = 0.0,
) -> Law:
    m, look = layer.motion, layer.look
    return Law(
        births=count,
        born=Texture(file=f"{delivery.id}_born.exr"),
        launch=Texture(file=f"{delivery.id}_launch.exr"),
        own=Texture(file=f"{delivery.id}_own.exr"),
        over=Texture(file=f"{delivery.id}_over.exr"),
        light_span=round(light_span, 6),
        columns=max(1, min(count, ACROSS)),
        rows=max(1, -(-count // ACROSS)),
        step=round(step, 9),
        push=fields["push"],
        gravity=round(pull, 6),
        ground=None
        if m.ground == "none"
        else Ground(response=m.ground, bounce=m.bounce, friction=m.friction),
        stops=fields.get("stops"),
        shade=fields.get("shade"),
        thick=round(0.5 / look.scale, 6),
        streak=look.streak if look.form == "streak" else 0.0,
        stretch=look.stretch if look.form in ("disc", "sprite") else 0.0,
        typical=typical,
        agrees=UNKNOWN,
    )


def _born(
    layer: Any, seen: list[Seen], push: Grid, pull: float, gain: float, rate: float
) -> tuple[Births, Lit, list[Samples], float]:
    """How each was born: flown back, by the law, from where it is seen first; its light as it was fitted, as
    it was seen, and over which span of its age, see `Law`."""
    look, first = layer.look, seen[0].time
    of: dict[int, int] = {}
    rows: list[tuple[int, int]] = []
    last: dict[int, int] = {}
    largest = max((float(s.points.width.max()) for s in seen if len(s.points)), default=1.0)
    lives = np.array([value_at(s.life, 0.0) for s in layer.sources], np.float32)
    for at, s in enumerate(seen):
        for row, id in enumerate(s.drawn.id.tolist()):
            if id not in of:
                of[id] = len(rows)
                rows.append((at, row))
            last[id] = at
    k, n = np.array(rows, int).reshape(-1, 2).T

    def gather(read: Any, wide: int = 0) -> np.ndarray:
        out = np.zeros((len(rows), wide) if wide else len(rows))
        for moment in np.unique(k):
            mine = k == moment
            out[mine] = read(seen[moment])[n[mine]]
        return out

    born = gather(lambda s: s.points.born[s.row])
    time = np.array([s.time for s in seen])[k]
    place, speed = gather(lambda s: s.drawn.place, 3), gather(lambda s: s.points.velocity[s.row], 3)
    at_birth = gather(lambda s: s.points.width[s.row])
    life = gather(lambda s: s.points.life[s.row])
    long = gather(lambda s: life_of(s.points, s.time, lives)[s.row])  # share of life at that moment
    nominal = np.where(
        np.isfinite(life), life, np.where(long > 1e-6, (time - born) / np.maximum(long, 1e-6), 1.0)
    )
    width = gather(lambda s: s.drawn.width) / np.maximum(over(look.size_over, long), 1e-3)
    own = (largest / np.maximum(at_birth, 1e-9)) ** layer.motion.size_drag
    back = time - np.maximum(born, first)
    felt, there = np.zeros((len(rows), 4)), place - 0.5 * back[:, None] * speed
    for moment in np.unique(k):
        mine = k == moment
        felt[mine] = push.at(there[mine], seen[moment].time - 0.5 / rate)
    g = np.array([0.0, 0.0, -pull])
    a, rate_of = g + own[:, None] * felt[:, :3], own * felt[:, 3]
    place, speed = flown(a, rate_of, place, speed, -back)
    # one that is gone before its time is gone between two moments
    ends = np.array([last[id] for id in of], int)
    until = np.where(np.isfinite(life), life, FOR_EVER)
    moment = np.array([s.time for s in seen])
    cut = (ends + 1 < len(seen)) & (born + until > moment[np.minimum(ends + 1, len(seen) - 1)] + 1e-6)
    until = np.where(cut, moment[ends] + 0.5 / rate - born, until)
    longest = float(np.minimum(until, moment[-1] - born).max(initial=1e-3))
    axes = [(0.0, nominal), (longest, np.full(len(born), longest))]
    told = [(_samples(seen, of, born, lives, gain), span) for span, lives in axes]
    lit, light, span = min(((over_age(s, len(born)), s, span) for s, span in told), key=lambda f: f[0].left)
    table = np.zeros((2, OVER, 4))
    table[0, :, :3] = lit.table
    table[0, :, 3] = look.opacity * over(look.opacity_over, np.linspace(0, 1, OVER))
    table[1, :, 0] = over(look.size_over, np.linspace(0, 1, OVER))
    return Births(place, speed, born, nominal, until, width, lit.factor, own, table), lit, light, span


def _samples(
    seen: list[Seen], of: dict[int, int], born: np.ndarray, life: np.ndarray, gain: float
) -> list[Samples]:
    """The light of all over a share of `life`, s."""
    found = []
    for s in seen:
        i = np.array([of[id] for id in s.drawn.id.tolist()], int)
        x = np.clip((s.time - born[i]) / np.maximum(life[i], 1e-6), 0, 1) * (OVER - 1)
        found.append(Samples(s.time, i, x, s.drawn.colour * gain, s.drawn.place))
    return found


def _lit_cells(box: Box, most: int, span: tuple[float, float], rate: float) -> Cells:
    """Where light is told by a field."""
    low, cell, shape = grid_over(box, most)
    return Cells(low, cell, shape, frames_of(span, rate, int(np.prod(shape))) / rate)


def _is_lit(layer: Any) -> bool:
    """Whether light on a particle depends on where it is."""
    return bool(layer.look.lit > 0 or layer.look.colour_by.startswith("gas"))


def _typical(b: Births, span: tuple[float, float]) -> Typical:
    """What an emitter that draws by chance would be set to."""

    def spread(values: np.ndarray) -> tuple[float, float]:
        if not len(values):
            return 0.0, 0.0
        return round(float(values.mean()), 6), round(float(values.std()), 6)

    fresh = b.born >= span[0] - 1e-6  # those that were there already say nothing of it
    b = b.picked(fresh) if fresh.any() else b
    pace = np.linalg.norm(b.speed, axis=1)
    ways = b.speed / np.maximum(pace, 1e-9)[:, None]
    mean = ways.mean(axis=0) if len(b) else np.array([0.0, 0.0, 1.0])
    towards = mean / max(float(np.linalg.norm(mean)), 1e-9)
    angle = np.degrees(np.arccos(np.clip(ways @ towards, -1, 1))) if len(b) else np.zeros(1)
    edges = np.linspace(*span, 17) if span[1] > span[0] else np.array([span[0], span[0] + 1e-3])
    count = np.histogram(np.maximum(b.born, span[0]), edges)[0] / np.diff(edges)
    near = b.place if len(b) else np.zeros((1, 3))
    return Typical(
        rate=tuple((round(float(t), 6), round(float(n), 4)) for t, n in zip(edges, count)),
        speed=spread(pace),
        life=spread(np.minimum(b.life, FOR_EVER)),
        width=spread(b.width),
        towards=vec3(towards),
        within=round(float(angle.mean()), 3),
        low=vec3(near.min(axis=0)),
        high=vec3(near.max(axis=0)),
    )


def agreement(found: Told, seen: list[Seen], gain: float) -> Agreement:
    """How the law's run is beside the simulation."""
    law, births = found.law, found.births
    run = Run(law, births, found.fields, seen[0].time)
    ids = {id: n for n, id in enumerate(dict.fromkeys(id for s in seen for id in s.drawn.id.tolist()))}
    chosen = set(np.unique(np.linspace(0, len(seen) - 1, COMPARED).round().astype(int)).tolist())
    off, both, apart, light = [], [], [], []
    length, before = np.zeros(len(births)), births.place.copy()
    for k, s in enumerate(seen):
        run.to(s.time)
        length += np.linalg.norm(run.place - before, axis=1)
        before = run.place.copy()
        if k not in chosen or not len(s.drawn):
            continue
        mine, rows = drawn(law, births, run)
        its = np.array([ids[id] for id in s.drawn.id.tolist()], int)
        common, a, b = np.intersect1d(mine, its, return_indices=True)
        both.append(len(common) / max(len(np.union1d(mine, its)), 1))
        off.append(np.linalg.norm(rows[a, :3] - s.drawn.place[b], axis=1))
        apart.append(max(_gap(rows[:, c], s.drawn.place[:, c]) for c in range(3)) if len(mine) else 1.0)
        want = s.drawn.colour[b] * gain
        light.append(((rows[a, 4:7] - want) ** 2).mean() / max(float((want**2).mean()), 1e-12))
    astray = np.concatenate(off) if off else np.zeros(1)
    astray = astray if len(astray) else np.zeros(1)
    return Agreement(
        births=len(births),
        alive=round(float(np.mean(both)) if both else 1.0, 4),
        astray=round(float(astray.mean()), 6),
        most_astray=round(float(np.quantile(astray, 0.95)), 6),
        path=round(float(length.mean()) if len(length) else 0.0, 6),
        apart=round(min(float(np.mean(apart)) if apart else 0.0, 1.0), 4),
        light=round(float(np.sqrt(np.mean(light))) if light else 0.0, 4),
    )


def _gap(a: np.ndarray, b: np.ndarray) -> float:
    """The largest gap between the shares of two samples up to a place (the statistic of Kolmogorov and
    Smirnov); places less than a thousandth of the spread apart are the same."""
    grain = max(1e-3 * float(np.ptp(b)) if len(b) else 0.0, 1e-4)
    a, b = np.sort(np.round(a / grain)), np.sort(np.round(b / grain))
    x = np.concatenate([a, b])
    below = np.searchsorted(a, x, "right") / max(len(a), 1) - np.searchsorted(b, x, "right") / max(len(b), 1)
    return float(np.abs(below).max(initial=0.0))


def pictures(found: Told) -> dict[str, tuple[np.ndarray, bool]]:
    """The textures of a law by their files: numbers, and whether halves hold them."""
    law, b = found.law, found.births

    def table(*parts: np.ndarray) -> np.ndarray:
        out = np.zeros((law.columns * law.rows, 4), np.float32)
        out[: len(b)] = np.column_stack(parts)
        return out.reshape(law.rows, law.columns, 4)

    held = {
        law.born.file: (table(b.place, b.born), False),
        law.launch.file: (table(b.speed, b.life), False),
        law.own.file: (table(b.width, b.light, b.own, b.until), False),
        law.over.file: (b.over.astype(np.float32), False),
        **{
            getattr(law, name).file: (laid(grid.values), True)
            for name, grid in vars(found.fields).items()
            if grid is not None
        },
    }
    return held
