"""What is kept of particles and pieces, as one array for each quantity, and what layers hand to each
other."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from typing import Any

import numpy as np

from tenka.base.cubic import slope, through

ASLEEP, STUCK, NEW, RESTS = 1, 2, 4, 8
FREE = -1  # held by no collider


def _empty(dtype: Any, *more: int) -> Any:
    return field(default_factory=lambda: np.zeros((0, *more), dtype))


LAYOUT: dict[str, tuple[Any, tuple[int, ...], bool]] = {}
"""Type and further shape of each array of `Points`, and whether particles may have none: kernels read them
unchecked."""


@dataclass
class Points:
    """Particles, one row each.

    Attributes
    ----------
    id : (n,) int64, which names a particle for good
    born : (n,) float64, s; an age is the present time less this
    life : (n,) float32, s; infinite for those that stay
    place, velocity : (n, 3) float32, m and m/s
    width : (n,) float32, m across, at birth
    heat : (n,) float32, K above the air
    source : (n,) int16, index into the layer's sources
    state : (n,) uint8, bits ASLEEP, STUCK, NEW (since the last frame), RESTS (on another piece)
    holder : (n,) int8, index of the collider that holds a stuck one, or FREE
    colour : (n, 3) float32, linear colour that is carried
    turn : (n, 4) float32, quaternion w x y z of pieces; (0, 4) for particles
    spin : (n, 3) float32, rad/s of pieces; (0, 3) for particles
    still : (n,) float32, s for which a piece has hardly moved, or below 0 how far what sleeps is from
        waking; (0,) for other particles
    """

    id: np.ndarray = _empty(np.int64)
    born: np.ndarray = _empty(np.float64)
    life: np.ndarray = _empty(np.float32)
    place: np.ndarray = _empty(np.float32, 3)
    velocity: np.ndarray = _empty(np.float32, 3)
    width: np.ndarray = _empty(np.float32)
    heat: np.ndarray = _empty(np.float32)
    source: np.ndarray = _empty(np.int16)
    state: np.ndarray = _empty(np.uint8)
    holder: np.ndarray = _empty(np.int8)
    colour: np.ndarray = _empty(np.float32, 3)
    turn: np.ndarray = _empty(np.float32, 4)
    spin: np.ndarray = _empty(np.float32, 3)
    still: np.ndarray = _empty(np.float32)

    def __post_init__(self) -> None:
        n = len(self.id)
        for name, (kind, more, optional) in LAYOUT.items():
            array = getattr(self, name)
            fits = array.shape == (n, *more) or (optional and array.shape == (0, *more))
            if array.dtype != kind or not fits:
                raise ValueError(f"{name} is {array.dtype} {array.shape}; it must be {kind} {(n, *more)}")

    def __len__(self) -> int:
        return len(self.id)

    @property
    def rigid(self) -> bool:
        return len(self.turn) == len(self.id) and len(self.id) > 0

    def picked(self, index: np.ndarray) -> Points:
        """Some of them, by indices or by a mask."""
        n = len(self)
        return Points(
            **{f.name: a[index] if len(a := getattr(self, f.name)) == n else a for f in fields(self)}
        )

    def arrays(self) -> dict[str, np.ndarray]:
        return {f.name: getattr(self, f.name) for f in fields(self)}

    def age(self, t: float) -> np.ndarray:
        """(n,) s."""
        return (t - self.born).astype(np.float32)

    def advanced(self, dt: float) -> Points:
        """The same particles where they are going to be so many seconds later, turned as they turn."""
        place = (self.place + self.velocity * np.float32(dt)).astype(np.float32)
        turn = self.turn
        if self.rigid:
            half = 0.5 * dt * np.linalg.norm(self.spin, axis=1, keepdims=True)
            w, v = np.cos(half), 0.5 * dt * self.spin * np.sinc(half / np.pi)
            a, b = self.turn[:, :1], self.turn[:, 1:]
            real = w * a - (v * b).sum(axis=1, keepdims=True)
            turn = np.concatenate([real, w * b + a * v + np.cross(v, b)], axis=1).astype(np.float32)
        return replace(self, place=place, turn=turn)

    def to_move(self) -> Points:
        """The same particles, with arrays of their own for what a step changes; what stays for good is
        shared."""
        return Points(
            **{name: array.copy() if name in CHANGING else array for name, array in self.arrays().items()}
        )


_NONE: dict[str, np.ndarray] = Points().arrays()
LAYOUT.update({n: (a.dtype, a.shape[1:], n in ("turn", "spin", "still")) for n, a in _NONE.items()})
CHANGING = ("place", "velocity", "heat", "state", "holder", "turn", "spin", "still")


def together(parts: list[Points]) -> Points:
    """All of them, in turn."""
    parts = [p for p in parts if len(p)] or parts[:1]
    return (
        parts[0]
        if len(parts) == 1
        else Points(**{f.name: np.concatenate([getattr(p, f.name) for p in parts]) for f in fields(Points)})
    )


def hold(new: Points, ids: tuple[int, ...]) -> None:
    """Let some pieces stay where they are born, in place."""
    held = np.isin(new.id, np.asarray(ids, np.int64))
    new.state[held] |= np.uint8(STUCK)
    new.velocity[held] = 0.0
    new.spin[held] = 0.0


def rest_of_pieces(n: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Turn, spin and time at rest of pieces that stand upright and still."""
    turn = np.zeros((n, 4), np.float32)
    turn[:, 0] = 1.0
    return turn, np.zeros((n, 3), np.float32), np.zeros(n, np.float32)


BYTES = 8 + 8 + 4 + 12 + 12 + 4 + 4 + 2 + 1 + 1 + 12
"""Of one particle's state; a step holds it about three times over."""


@dataclass
class Events:
    """What happened to particles in a span of time: for those that give birth then.

    Attributes
    ----------
    time : (m,) float64, s
    place, velocity : (m, 3) float32
    parent : (m,) int64 ids; colour : (m, 3) float32
    """

    time: np.ndarray = _empty(np.float64)
    place: np.ndarray = _empty(np.float32, 3)
    velocity: np.ndarray = _empty(np.float32, 3)
    parent: np.ndarray = _empty(np.int64)
    colour: np.ndarray = _empty(np.float32, 3)

    def __post_init__(self) -> None:
        for name, array in self.arrays().items():
            more = (3,) if name in ("place", "velocity", "colour") else ()
            if array.shape != (len(self.time), *more):
                raise ValueError(f"{name} is {array.shape}; it must be {(len(self.time), *more)}")

    def arrays(self) -> dict[str, np.ndarray]:
        return {f.name: getattr(self, f.name) for f in fields(self)}

    def within(self, start: float, end: float) -> Events:
        """Those after `start` and up to `end`."""
        kept = (self.time > start) & (self.time <= end)
        return Events(**{name: array[kept] for name, array in self.arrays().items()})


def all_events(parts: list[Events]) -> Events:
    return (
        Events(**{f.name: np.concatenate([getattr(p, f.name) for p in parts]) for f in fields(Events)})
        if parts
        else Events()
    )


@dataclass
class Paths:
    """How particles went from one time to another, a straight or bent piece each.

    Attributes
    ----------
    since, until : (n,) float64, s; a particle that is born or dies in between has a shorter piece
    first, last : (n, 3) float32, m, where it is then
    before, after : (n, 3) float32, m/s, how fast it goes then
    """

    since: np.ndarray
    until: np.ndarray
    first: np.ndarray
    last: np.ndarray
    before: np.ndarray
    after: np.ndarray
    id: np.ndarray
    born: np.ndarray
    life: np.ndarray
    width: np.ndarray
    heat: np.ndarray
    source: np.ndarray
    colour: np.ndarray
    asleep: np.ndarray

    def at(self, t: np.ndarray, rows: np.ndarray | slice = slice(None)) -> tuple[np.ndarray, np.ndarray]:
        """Places and velocities at a time each: the cubic through both ends with their speeds."""
        since, span = self.since[rows], self.until[rows] - self.since[rows]
        s = np.clip((t - since) / np.maximum(span, 1e-9), 0.0, 1.0)[:, None]
        h = span[:, None]
        ends = self.first[rows], self.last[rows], self.before[rows] * h, self.after[rows] * h
        return through(*ends, s), slope(*ends, s) / np.maximum(h, 1e-9)


@dataclass(frozen=True)
class AirField:
    """A gas as particles feel it, between two moments.

    Attributes
    ----------
    before, after : (nx, ny, nz, 4) float32: velocity in m/s, and density; the grids may lie elsewhere in the
        box
    before_origin, after_origin : m
    start, end : s of the two moments; equal when the gas is felt as it is now
    """

    before: np.ndarray
    before_origin: tuple[float, float, float]
    after: np.ndarray
    after_origin: tuple[float, float, float]
    voxel: float
    start: float
    end: float

    def at(self, t: float) -> tuple[np.ndarray, tuple[float, float, float]]:
        """The field at a time, and where it lies: blended from one moment to the other, or the nearer one
        when the grids differ."""
        share = (
            min(1.0, max(0.0, (t - self.start) / (self.end - self.start))) if self.end > self.start else 0.0
        )
        if self.before_origin != self.after_origin or self.before.shape != self.after.shape:
            return (self.before, self.before_origin) if share < 0.5 else (self.after, self.after_origin)
        if share == 0.0 or self.before is self.after:
            return self.before, self.before_origin
        return self.before + np.float32(share) * (self.after - self.before), self.before_origin


@dataclass
class PointState:
    """All that a step needs and changes.

    Attributes
    ----------
    lost : how many went how, since the start: by age, ends, the limit
    events : what happened since the last frame: births, bounces, deaths
    """

    points: Points
    time: float
    lost: dict[str, int] = field(default_factory=dict)
    events: dict[str, Events] = field(default_factory=dict)


def tell_speeds(p: Points, factor: np.float32) -> None:
    """Tell speeds by another clock, in place."""
    p.velocity *= factor
    p.spin *= factor


def begin_frame(state: PointState) -> PointState:
    """The state without what was noted for the frame before."""
    p = state.points
    if len(p):
        p = p.picked(slice(None))  # type: ignore[arg-type]
        p.state = p.state & np.uint8(255 - NEW)
    return PointState(p, state.time, dict(state.lost), {})


def note_events(
    events: dict[str, Events], new: Points, p: Points, dead: np.ndarray, until: np.ndarray, hits: np.ndarray
) -> None:
    """Add what happened in a step to the events of its frame, in place.

    Parameters
    ----------
    new : what was born
    dead : (n,) of `p`; until : s, when each died
    hits : (n, 7) moment, place and velocity of each one's first blow
    """
    hit, gone = hits[:, 0] > -1e8, dead.astype(bool)
    place, velocity = hits[hit, 1:4].astype(np.float32), hits[hit, 4:7].astype(np.float32)
    found = {
        "birth": Events(new.born, new.place, new.velocity, new.id, new.colour),
        "bounce": Events(hits[hit, 0], place, velocity, p.id[hit], p.colour[hit]),
        "death": Events(until[gone], p.place[gone], p.velocity[gone], p.id[gone], p.colour[gone]),
    }
    for kind, more in found.items():
        events[kind] = all_events([events[kind], more]) if kind in events else more
