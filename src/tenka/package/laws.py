"""Particles moved by the law that a package states: a reading of it that knows nothing of the solver."""

from __future__ import annotations

from dataclasses import dataclass, fields
from pathlib import Path

import numpy as np
from scipy.ndimage import map_coordinates

from tenka.base.exr import read_exr
from tenka.package.columns import Columns
from tenka.package.elements.particles import Particles
from tenka.package.law import OVER, Field, Law

FLIES, HELD, GONE = 0, 1, 2
RESPONSES = {"bounce": 0, "stick": 1, "die": 2}
REST = 0.02  # m/s: what comes back slower from a blow lies
BLOWS, HALVINGS = 4, 12
WIDE = 11  # of a row: place, width, light, opacity, way


@dataclass(frozen=True)
class Grid:
    """Values over a box, (moments, nx, ny, nz, 4), and where they lie."""

    values: np.ndarray
    low: np.ndarray
    cell: float
    times: np.ndarray

    def at(self, place: np.ndarray, time: float, channels: int = 4) -> np.ndarray:
        """(n, channels) at places, (n, 3), straight between cells and moments; beyond the ends what is
        there."""
        m = float(np.interp(time, self.times, np.arange(len(self.times))))
        first = int(m)
        share = m - first
        where = ((place - self.low) / self.cell - 0.5).T
        found = np.zeros((len(place), channels))
        for moment, part in ((first, 1.0 - share), (min(first + 1, len(self.times) - 1), share)):
            if part <= 0.0:
                continue
            for c in range(channels):
                held = self.values[moment, ..., c]
                found[:, c] += part * map_coordinates(held, where, order=1, mode="nearest")
        return found


@dataclass(frozen=True)
class Fields:
    """What drives particles, what stops them besides the ground, and how light it is, over their box."""

    push: Grid
    stops: Grid | None = None
    shade: Grid | None = None


def grid_of(folder: Path, field: Field) -> Grid:
    """A field of a package.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    raw = read_exr(folder / field.file, *field.texture)
    nx, ny, nz = field.shape
    values = raw.reshape(len(field.times), ny, nz, nx, 4).transpose(0, 3, 1, 2, 4)
    return Grid(values, np.array(field.low), field.cell, np.array(field.times))


def fields_of(folder: Path, law: Law) -> Fields:
    """All fields of a law.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    stops, shade = (grid_of(folder, f) if f is not None else None for f in (law.stops, law.shade))
    return Fields(grid_of(folder, law.push), stops, shade)


def laid(values: np.ndarray) -> np.ndarray:
    """A field, (moments, nx, ny, nz, 4), as the picture that holds it."""
    moments, nx, ny, nz, wide = values.shape
    return values.transpose(0, 2, 3, 1, 4).reshape(moments * ny, nz * nx, wide)


def flown(
    a: np.ndarray, k: np.ndarray, place: np.ndarray, speed: np.ndarray, r: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Places and velocities after `r` seconds, (n,), of dv/dt = a - k v, in closed form; with r below 0
    before."""
    x = k * r
    small = np.abs(x) < 1e-4
    safe = np.where(small, 1.0, k)
    gone = np.where(small, r * (1 - x / 2 * (1 - x / 3)), -np.expm1(-x) / safe)
    fallen = np.where(small, r * r * (0.5 - x / 6 * (1 - x / 4)), (r - gone) / safe)
    after = np.exp(-x)[:, None] * speed + gone[:, None] * a
    return place + gone[:, None] * speed + fallen[:, None] * a, after


@dataclass
class Births:
    """The tables of a law, as they are read or before they are written.

    Attributes
    ----------
    place, speed : (n, 3) m and m/s, when it begins
    born, life, until : (n,) s; until: how long it is there after its birth
    width, light, own : (n,) m, a factor, and the share of what drives it
    over : (2, OVER, 4) see `tenka.package.law.Law`
    """

    place: np.ndarray
    speed: np.ndarray
    born: np.ndarray
    life: np.ndarray
    until: np.ndarray
    width: np.ndarray
    light: np.ndarray
    own: np.ndarray
    over: np.ndarray

    def __len__(self) -> int:
        return len(self.born)

    def picked(self, which: np.ndarray) -> Births:
        """Some of them."""
        held = {f.name: getattr(self, f.name)[which] for f in fields(self) if f.name != "over"}
        return Births(**held, over=self.over)


def births_of(folder: Path, law: Law) -> Births:
    """The births of a package.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    born, launch, own = (
        read_exr(folder / t.file, law.columns, law.rows).reshape(-1, 4)[: law.births].astype(float)
        for t in (law.born, law.launch, law.own)
    )
    over = read_exr(folder / law.over.file, OVER, 2)
    return Births(
        born[:, :3], launch[:, :3], born[:, 3], launch[:, 3], own[:, 3], own[:, 0], own[:, 1], own[:, 2], over
    )


class Run:
    """A law's run: where all particles are, step by step.

    Attributes
    ----------
    time : s
    place, speed, state : of all births, begun or not
    """

    def __init__(self, law: Law, births: Births, fields: Fields, first: float) -> None:
        self.law, self.births, self.fields = law, births, fields
        self.time, self.first = first, first
        self.place, self.speed = births.place.copy(), births.speed.copy()
        self.state = np.zeros(len(births), np.int8)

    def there(self) -> np.ndarray:
        """Indices of those that are there now."""
        b = self.births
        began = np.maximum(b.born, self.first) <= self.time + 1e-9
        return np.flatnonzero(began & (self.time < b.born + b.until - 1e-9) & (self.state != GONE))

    def to(self, time: float) -> None:
        """Go on to a time, in steps of the law's own length."""
        while self.time < time - 1e-9:
            self._step(min(self.time + self.law.step, time))

    def _step(self, t1: float) -> None:
        b, t0 = self.births, self.time
        since = np.maximum(np.maximum(b.born, self.first), t0)
        r = np.minimum(b.born + b.until, t1) - since
        go = np.flatnonzero((r > 0) & (self.state == FLIES))
        r, x, v = r[go], self.place[go], self.speed[go]
        felt = self.fields.push.at(x + 0.5 * r[:, None] * v, 0.5 * (t0 + t1))
        g = np.array([0.0, 0.0, -self.law.gravity])
        own = b.own[go]
        a, k = g + own[:, None] * felt[:, :3], own * felt[:, 3]
        x, v, state = self._met(x, v, a, k, r, b.width[go] * self.law.thick)
        self.place[go], self.speed[go], self.state[go] = x, v, state
        self.time = t1

    def _distance(self, place: np.ndarray, radius: np.ndarray) -> np.ndarray:
        """How far each is from what stops it, (n,) m."""
        far = np.full(len(place), np.inf) if self.law.ground is None else place[:, 2] - radius
        if self.fields.stops is None:
            return far
        return np.asarray(np.minimum(far, self.fields.stops.at(place, self.time, 1)[:, 0] - radius))

    def _surface(self, place: np.ndarray, radius: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The same; the way off it, (n, 3); bounce, friction and response there, (n, 3)."""
        ground, away = self.law.ground, np.tile([0.0, 0.0, 1.0], (len(place), 1))
        far, traits = np.full(len(place), np.inf), np.zeros((len(place), 3))
        if ground is not None:
            far = place[:, 2] - radius
            traits[:] = (ground.bounce, ground.friction, RESPONSES[ground.response])
        stops = self.fields.stops
        if stops is not None:
            step = 0.5 * stops.cell
            held = stops.at(place, self.time)
            near = held[:, 0] - radius < far
            ends = [
                [stops.at(place[near] + s * step * e, self.time, 1)[:, 0] for s in (1, -1)] for e in np.eye(3)
            ]
            off = np.stack([a - b for a, b in ends], axis=1)
            away[near] = off / np.maximum(np.linalg.norm(off, axis=1, keepdims=True), 1e-9)
            far = np.minimum(far, held[:, 0] - radius)
            traits[near] = np.column_stack([held[near, 1], held[near, 2], np.round(held[near, 3])])
        return far, away, traits

    def _met(
        self, x: np.ndarray, v: np.ndarray, a: np.ndarray, k: np.ndarray, r: np.ndarray, radius: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Ways of particles that may meet something, and what becomes of them."""
        state = np.zeros(len(x), np.int8)
        end, speed = flown(a, k, x, v, r)
        if self.law.ground is None and self.fields.stops is None:
            return end, speed, state
        rest = np.arange(len(x))
        left = r.copy()
        for _ in range(BLOWS):
            far = self._distance(end[rest], radius[rest])
            rest = rest[far < 0]
            if not len(rest):
                break
            i = rest
            low, high = np.zeros(len(i)), left[i].copy()
            for _ in range(HALVINGS):  # to when it meets it
                half = 0.5 * (low + high)
                p, _ = flown(a[i], k[i], x[i], v[i], half)
                inside = self._distance(p, radius[i]) < 0
                low, high = np.where(inside, low, half), np.where(inside, half, high)
            p, w = flown(a[i], k[i], x[i], v[i], low)
            far, away, traits = self._surface(p, radius[i])
            p = p + np.maximum(-far, 0.0)[:, None] * away
            into = (w * away).sum(axis=1)
            slide = w - into[:, None] * away
            bounced = np.where(traits[:, 2] == 0, -traits[:, 0] * into, 0.0)
            left[i] -= low
            x[i], v[i] = p, w
            # one that is given back flies on; Coulomb's law over the blow
            back = (bounced >= REST) & (into < 0)
            loss = traits[:, 1] * (bounced - into)
            v[i[back]] = (_rubbed(slide, loss) + bounced[:, None] * away)[back]
            x[i[back]] += 1e-5 * away[back]
            end[i], speed[i] = flown(a[i], k[i], x[i], v[i], left[i])
            state[i[traits[:, 2] == 2]] = GONE
            sticks = traits[:, 2] == 1
            state[i[sticks]] = HELD
            end[i[sticks]], speed[i[sticks]] = p[sticks], 0.0
            # the others lie: friction takes of what the blow and the weight press
            lies = ~back & ~sticks & (traits[:, 2] == 0)
            j, n = i[lies], away[lies]
            load = a[j] - k[j, None] * v[j]
            press = np.maximum(-(load * n).sum(axis=1), 0.0)
            along = load - (load * n).sum(axis=1)[:, None] * n
            rubbed = _rubbed(slide[lies], traits[lies, 1] * np.maximum(-into[lies], 0.0))
            after = _rubbed(rubbed + left[j, None] * along, traits[lies, 1] * press * left[j])
            end[j] = x[j] + 0.5 * left[j, None] * (rubbed + after)
            speed[j] = after
            deep = self._surface(end[j], radius[j])
            end[j] += np.maximum(-deep[0], 0.0)[:, None] * deep[1]
            rest = i[back]
        return end, speed, state


def _rubbed(slide: np.ndarray, loss: np.ndarray) -> np.ndarray:
    """Speeds along a surface, less what friction takes of each."""
    along = np.linalg.norm(slide, axis=1)
    kept = np.where(along > 1e-9, np.maximum(along - loss, 0.0) / np.maximum(along, 1e-9), 0.0)
    return slide * kept[:, None]


def _of(over: np.ndarray, share: np.ndarray) -> np.ndarray:
    """Both rows of what goes over a life, at shares of it, (2, n, 4)."""
    x = np.clip(share, 0.0, 1.0) * (OVER - 1)
    low = np.minimum(x.astype(int), OVER - 2)
    part = (x - low)[:, None]
    return np.asarray((1 - part) * over[:, low] + part * over[:, low + 1])


def drawn(law: Law, births: Births, run: Run) -> tuple[np.ndarray, np.ndarray]:
    """Those that are there now: which they are, and a row of each, (n, 11): place and width, m; light;
    opacity; way, m."""
    i = run.there()
    age = run.time - births.born[i]
    lived = _of(births.over, age / np.maximum(births.life[i], 1e-6))
    light = lived[0] if law.light_span <= 0 else _of(births.over, age / law.light_span)[0]
    rows = np.zeros((len(i), WIDE), np.float32)
    width = births.width[i] * lived[1][:, 0]
    rows[:, :3], rows[:, 3] = run.place[i], width
    shade = run.fields.shade
    there = shade.at(run.place[i], run.time, 3) if shade is not None else 1.0
    rows[:, 4:7], rows[:, 7] = light[:, :3] * births.light[i, None] * there, lived[0][:, 3]
    rows[:, 8:] = -run.speed[i] * (law.streak + law.stretch * width)[:, None]
    return i, rows


def columns_of(law: Law, births: Births, times: tuple[float, ...]) -> Columns:
    """Which column each birth has among rows of moments."""
    first = np.searchsorted(times, np.maximum(births.born, times[0]) - 1e-9)
    last = np.searchsorted(times, births.born + births.until - 1e-9) - 1
    lives = {n: (int(a), int(b)) for n, (a, b) in enumerate(zip(first, last)) if b >= a}
    return Columns.given(lives)


def run_rows(folder: Path, element: Particles) -> np.ndarray:
    """All moments of particles that a law moves, (moments, columns, 11), see `drawn`.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    law = element.law
    assert law is not None
    births = births_of(folder, law)
    run = Run(law, births, fields_of(folder, law), element.times[0])
    columns = columns_of(law, births, element.times)
    of = np.zeros(len(births), np.int64)
    of[list(columns.of)] = list(columns.of.values())
    found = np.zeros((len(element.times), max(columns.count, 1), WIDE), np.float32)
    for n, time in enumerate(element.times):
        run.to(time)
        ids, rows = drawn(law, births, run)
        found[n, of[ids]] = rows
    return found
