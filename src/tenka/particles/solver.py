"""The particle step: births, motion, ends; and bodies where a layer's points are pieces."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from tenka.base.clock import step_time
from tenka.base.errors import TooLarge, Unstable
from tenka.effect.fading import rate_of
from tenka.effect.model import Camera, Force, PointLayer, Prop, heard
from tenka.effect.ownclock import OwnClock, clock_of
from tenka.gas.felt import resolve_forces
from tenka.gas.grid import MEMORY_SHARE, free_bytes
from tenka.gas.settings import GRAVITY as G
from tenka.gas.settings import SAMPLES, Moment
from tenka.particles.acting import NO_FIELD, Acting, acting
from tenka.particles.births import born, source_seed
from tenka.particles.bodies import advance_bodies
from tenka.particles.contact import Packed, stops_of
from tenka.particles.files import cloud_at
from tenka.particles.floating import floating, lumps_of
from tenka.particles.motion import (
    AIR,
    BED,
    CAMERA,
    CARRIED,
    COOLING,
    DRAG,
    END,
    ENDS,
    FELT,
    FOLLOW,
    FORCED,
    GRAVITY,
    LARGEST,
    NOTING,
    NUMBERS,
    SIZE_DRAG,
    START,
    advance,
    extents,
)
from tenka.particles.paths import FAR_APART, ended, paths_of
from tenka.particles.pieces import Piece, kind_of, pieces_of
from tenka.particles.played import played
from tenka.particles.schedule import Schedule
from tenka.particles.spots import Context
from tenka.particles.state import (
    BYTES,
    AirField,
    Events,
    Paths,
    Points,
    PointState,
    begin_frame,
    hold,
    note_events,
    tell_speeds,
    together,
)
from tenka.particles.wet import drowned
from tenka.scene.cameras import view_of
from tenka.water.felt import WaterField
from tenka.water.lumps import Lumps

POINTS_VERSION = 7
"""Part of every cache key: raise it when a change here changes results."""

STATES_HELD = 3
MOST_SPEED = 3e4  # m/s


@dataclass
class PointSolver:
    """A layer's settings, bound to an effect; steps from one time to another.

    Parameters
    ----------
    layer, forces, props : what takes part
    seed, rate, frames : the effect's
    folder : where the effect's files are
    camera : the effect's own, for what ends out of its picture
    gas, paths, events : what other layers hand over for the span of a step
    made : pieces by their ids, in place of those that the layer is made of
    """

    layer: PointLayer
    forces: tuple[Force, ...]
    props: tuple[Prop, ...]
    seed: int
    rate: float
    frames: int
    folder: Path | None = None
    camera: Camera = field(default_factory=Camera)
    gas: Callable[[str], AirField | None] = lambda _: None
    paths: Callable[[str], Paths | None] = lambda _: None
    events: Callable[[str, str], Events] = lambda _a, _b: Events()
    keeps_events: bool = False
    keeps_paths: bool = False
    made: tuple[Piece, ...] = ()
    water: Callable[[str], WaterField | None] = lambda _: None

    def __post_init__(self) -> None:
        self.parts: dict[str, float] = {}
        self.substeps = 0
        self._schedule()
        self.refuse_if_too_many()

    @property
    def clock(self) -> OwnClock:
        """That of the layer, by which it is stepped."""
        return clock_of(self.layer.time_scale, self.rate)

    def _context(self) -> Context:
        return Context(
            self.props, self.folder, self.rate, self.gas, self.paths, self.events, self.clock, self.water
        )

    def _schedule(self) -> None:
        self._ignored: tuple[str, ...] | None = None
        first = -run_up_frames_of(self.layer, self.rate)
        count = (self.frames - 1 - first) * SAMPLES + 1
        self.sources = [(i, s) for i, s in enumerate(self.layer.sources) if s in heard(self.layer.sources)]
        self.schedules = {
            i: Schedule.of(
                s,
                source_seed(self.seed, self.layer, s),
                first / self.rate,
                max(count, 2),
                self.rate,
                self.clock,
            )
            for i, s in self.sources
        }

    def predicted(self) -> int:
        """How many may be alive at once, at most."""
        total = 0.0
        for i, s in self.sources:
            if s.shape == "file":
                total += len(cloud_at(s, self.folder, 0).place)
            elif s.shape == "pieces":
                total += self.layer.cut.cuts if self.layer.cut is not None else 0
            elif s.shape not in ("particles", "water"):
                total += self.schedules[i].most_alive()
        return math.ceil(min(total, 1e15))

    def ignored(self) -> tuple[str, ...]:
        """Columns of the sources' files of points that nothing here reads; looked up once."""
        if self._ignored is None:
            clouds = [cloud_at(s, self.folder, 0) for _, s in self.sources if s.shape == "file"]
            self._ignored = tuple(dict.fromkeys(name for cloud in clouds for name in cloud.ignored))
        return self._ignored

    def refuse_if_too_many(self) -> None:
        """Raise `TooLarge`, with the predicted memory, before anything is made."""
        count = min(self.predicted(), self.layer.most)
        need, free = count * BYTES * STATES_HELD, free_bytes()
        if need > MEMORY_SHARE * free:
            raise TooLarge(
                f"{count:,} particles at once in {self.layer.name} would take about {need / 1e9:.1f} "
                "GB of memory, and "
                f"{MEMORY_SHARE * free / 1e9:.1f} GB can be used here; lower the rate, the burst or the life."
            )

    def start(self) -> PointState:
        """The state at the beginning of the run: what is born at that very moment, at an age of nothing."""
        t = -run_up_frames_of(self.layer, self.rate) / self.rate
        ctx = self._context()
        fresh = [
            born(self.layer, i, self.schedules[i], ctx, t - 1e-9, t)
            for i, s in self.sources
            if not (s.shape == "file" and s.plays)
        ]
        shown = [
            played(self.layer, self.folder, self.rate, i, s, t, self.clock)
            for i, s in self.sources
            if s.shape == "file" and s.plays
        ]
        new = together([f for f in (*fresh, *shown) if len(f)] or [Points()])
        lost: dict[str, int] = {}
        new = self._admitted(new, self.layer.most, lost)
        state = PointState(new, t, lost)
        if self.keeps_events and len(new):
            state.events["birth"] = Events(new.born, new.place, new.velocity, new.id, new.colour)
        return state

    def _admitted(self, new: Points, room: int, lost: dict[str, int]) -> Points:
        """Births, no more than there is room for; pieces that are held lie still."""
        if len(new) > room:
            lost["refused"] = lost.get("refused", 0) + len(new) - max(room, 0)
            new = new.picked(np.arange(max(room, 0)))
        if self.layer.held_ids and len(new):
            hold(new, self.layer.held_ids)
        return new

    def take_settings(self, layer: PointLayer, forces: tuple[Force, ...], props: tuple[Prop, ...]) -> None:
        self.layer, self.forces, self.props = layer, forces, props
        self._schedule()

    def step(self, state: PointState, until: float) -> tuple[PointState, Paths | None]:
        """Advance to the time `until`, s; `state` is left as it was. Also how each particle went, where that
        is kept. What happens after `state.time` and up to `until` belongs to this step.

        Raises
        ------
        Unstable
            When a place is no longer finite.
        """
        layer, t0, t1 = self.layer, state.time, until
        dt = t1 - t0
        clock = time.perf_counter()
        ctx = self._context()
        fresh = [
            born(layer, i, self.schedules[i], ctx, t0, t1)
            for i, s in self.sources
            if not (s.shape == "file" and s.plays)
        ]
        lost, events = dict(state.lost), dict(state.events)
        new = together([f for f in fresh if len(f)] or [Points()])
        new = self._admitted(new, layer.most - len(state.points), lost)
        p = together([state.points, new]) if len(new) else state.points.to_move()
        self._time("births", clock)
        clock = time.perf_counter()
        same = not len(new)  # then the state's own arrays are how things were before
        before = (state.points.place, state.points.velocity) if same else (p.place.copy(), p.velocity.copy())
        moment = Moment(self.props, self.rate, t0, dt, self.clock)
        stops = stops_of(layer, self.props, moment, self.folder)
        n = len(p)
        noting = self.keeps_events or layer.body is not None
        dead, hits = np.zeros(n, np.uint8), np.zeros((n if noting else 1, 7))
        hits[:, 0] = -1e9
        self._time("collision", clock)
        clock = time.perf_counter()
        if n:
            self.move(p, moment, stops.packed(), dead, hits, t1)
            fastest = extents(p.place, p.velocity, p.width)[2]
            if not fastest < MOST_SPEED:
                raise Unstable(
                    f"{layer.name} came apart at {t0:.2f} s: a particle's speed is {fastest:.3g} "
                    "m/s; look for a force that is far too strong."
                )
        if n and layer.ends.in_water:
            drowned(p, ctx.water(layer.ends.in_water), dead, t1)
        self._time("motion", clock)
        clock = time.perf_counter()
        paths = paths_of(*before, p, t0, t1, dead) if self.keeps_paths else None
        if self.keeps_events and n:
            note_events(events, new, p, dead, ended(p, t0, t1, dead), hits)
        gone = int(np.count_nonzero(dead))
        if gone:
            by_age = int((dead.astype(bool) & (p.born + p.life <= t1)).sum())
            lost["age"] = lost.get("age", 0) + by_age
            lost["ends"] = lost.get("ends", 0) + gone - by_age
            p = p.picked(dead == 0)
        frames = [
            played(layer, self.folder, self.rate, i, s, t1, self.clock)
            for i, s in self.sources
            if s.shape == "file" and s.plays
        ]
        if frames:
            shown = {i for i, s in self.sources if s.shape == "file" and s.plays}
            p = together([p.picked(~np.isin(p.source, list(shown))) if len(p) else p, *frames])
        self.substeps += 1
        self._time("ends", clock)
        return PointState(p, t1, lost, events), paths

    def _numbers(self, p: Points, moment: Moment, gas: AirField | None, largest: float) -> np.ndarray:
        """The row of a step's numbers, see tenka.particles.motion."""
        layer, m = self.layer, self.layer.motion
        bed = getattr(layer, "bed", None)
        rests = bool(bed and bed.rests)
        e, out = layer.ends, np.zeros(NUMBERS)
        out[START], out[END], out[LARGEST] = moment.own, moment.own + moment.span, largest
        out[GRAVITY], out[DRAG] = moment.at(m.gravity) * G, moment.at(m.drag, 0.0)
        out[SIZE_DRAG], out[FORCED] = m.size_drag, moment.at(m.forces, 0.0)
        out[FOLLOW], out[COOLING] = moment.at(m.follow, 0.0), rate_of(moment.at(m.heat_half_life))
        out[CARRIED], out[FELT] = gas is not None, gas is not None and rests
        out[NOTING] = self.keeps_events or layer.body is not None
        settles = False
        if bed is not None:
            settles = bool(bed.rests and bed.settles)
            out[BED:ENDS] = (bed.rests, bed.wakes_at, bed.wake_reach, bed.lift)
        out[ENDS:AIR] = (e.below, e.height, e.reach, e.leaves_gas, e.off_camera, settles)
        out[CAMERA:] = view_of(self.camera, 16, 9).packed()
        return out

    def _forces(self, p: Points, moment: Moment, box: tuple[np.ndarray, np.ndarray, float]) -> Acting:
        """The forces that are felt where the particles are in the middle of the step."""
        low, high, pace = box
        dt, now = moment.span, moment.own
        low, high = low - 0.5 * dt * pace, high + 0.5 * dt * pace
        if float((high - low).max()) > FAR_APART:  # a few strays must not make the eddies coarse for the rest
            low = np.maximum(low, np.quantile(p.place, 0.01, axis=0) - pace * dt)
            high = np.minimum(high, np.quantile(p.place, 0.99, axis=0) + pace * dt)
        felt = self.forces if moment.at(self.layer.motion.forces, 0.0) > 0 else ()
        resolved = resolve_forces(felt, moment, self.seed, lambda pull: (pull * G,))
        flown = 0.5 * (now + dt - np.maximum(now, p.born))[:, None]
        places = p.place + flown * p.velocity if resolved.turbulences else None
        return acting(resolved, low.astype(float), high.astype(float), now + 0.5 * dt, places)

    def move(
        self, p: Points, moment: Moment, stops: Packed, dead: np.ndarray, hits: np.ndarray, until: float
    ) -> None:
        """Move all particles over a step, in place; their times and speeds are told by the effect's clock."""
        clock = self.clock
        if clock.runs_true:
            return self._move(p, moment, stops, dead, hits, until)
        own = replace(
            p, born=clock.own(p.born), life=np.asarray(clock.own_lasting(p.born, p.life), np.float32)
        )  # with the arrays that are moved
        tell_speeds(p, np.float32(1.0 / clock.scale_at(moment.t)))
        self._move(own, moment, stops, dead, hits, clock.own(until))
        scale = np.float32(clock.scale_at(until))
        tell_speeds(p, scale)
        hit = hits[:, 0] > -1e8
        # what happens in a step belongs to it: no rounding may put it before or after
        hits[hit, 0] = np.clip(clock.effect(hits[hit, 0]), np.nextafter(moment.t, until), until)
        hits[hit, 4:7] *= scale

    def _move(
        self, p: Points, moment: Moment, stops: Packed, dead: np.ndarray, hits: np.ndarray, until: float
    ) -> None:
        """Move all particles over a step, in place."""
        layer = self.layer
        low, high, pace, largest = extents(p.place, p.velocity, p.width)
        acts = self._forces(p, moment, (low, high, pace))
        gas = self.gas(layer.motion.follows) if layer.motion.follows else None
        numbers = self._numbers(p, moment, gas, largest)
        numbers[END] = until
        field = gas or NO_FIELD
        felt, where = field.at(moment.t + 0.5 * moment.dt)
        if gas is not None and moment.stretch != 1.0:
            felt = felt * np.array([*3 * [moment.stretch], 1.0], np.float32)
        numbers[AIR:CAMERA] = (*where, field.voxel)
        if layer.body is not None:
            view, made = view_of(self.camera, 16, 9), self._made(p.id)
            wet = self.water(layer.body.floats) if layer.body.floats else None
            pull = float(numbers[GRAVITY])
            afloat = floating(layer.body, wet, pull, made[0], moment)
            advance_bodies(
                p, layer, self.clock.rate, made, numbers, acts, stops, felt, view, dead, hits, afloat
            )
        else:
            advance(p, numbers, acts, stops, felt, dead, hits)

    def _made(self, id: np.ndarray) -> tuple[tuple[Piece, ...], np.ndarray]:
        """All pieces that there are, and which each is."""
        if self.made:
            return self.made, id.astype(np.int64)
        own = pieces_of(self.layer, self.props, self.folder)
        return own, kind_of(self.layer, id, len(own))

    def lumps(self, points: Points) -> Lumps | None:
        """Its pieces as hulls in a water."""
        return lumps_of(points, *self._made(points.id)) if self.layer.body is not None else None

    def _time(self, part: str, since: float) -> None:
        self.parts[part] = self.parts.get(part, 0.0) + time.perf_counter() - since

    def frame(self, state: PointState, count: int = 1, check: Callable[[], None] | None = None) -> PointState:
        """Advance to the next frame in `count` sub-steps, or as many as the layer asks for."""
        index = round(state.time * self.rate)
        state = begin_frame(state)
        count = max(count, self.layer.steps)
        for sub in range(count):
            if check is not None:
                check()
            state.time = step_time(index, sub, count, self.rate)
            state, _ = self.step(state, step_time(index, sub + 1, count, self.rate))
        return state


def run_up_frames_of(layer: PointLayer, rate: float) -> int:
    """Frames simulated before frame 0."""
    return round(layer.run_up * rate)
