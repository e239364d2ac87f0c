"""What one sub-step of the solver needs, as plain numbers at one time.

Courses are sampled at `SAMPLES` points a frame and run straight between them. The cache's keys are hashes
of the same samples, so a key can never miss what the solver saw.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from tenka.base.clock import SAMPLES
from tenka.base.randomness import stable_seed
from tenka.effect.courses import Course, Value, curve, value_at
from tenka.effect.fading import pace_of, rate_of
from tenka.effect.model import (
    AMBIENT_KELVIN,
    CURL_SIZES,
    ON_PROP,
    Collider,
    Feed,
    Force,
    GasLayer,
    Placed,
    Prop,
    Ramp,
    Source,
    Swirl,
    heard,
    mean_envelope,
    ramp_at,
)
from tenka.effect.ownclock import TRUE, OwnClock, clock_of
from tenka.gas.felt import TurbulenceInput, WindInput, resolve_forces
from tenka.gas.placed import LocalInput
from tenka.scene.poses import STILL, Motion, Pose, motion_between, pose_of

GRAVITY = 9.81


def sampled(value: Value, t: float, rate: float) -> float:
    """A course at `t`, straight between the points at which it is sampled."""
    return between(lambda at: value_at(value, at), t, rate) if isinstance(value, Course) else float(value)


def between(curve: Callable[[float], float], t: float, rate: float) -> float:
    """Any function of time, straight between the same points."""
    x = t * rate * SAMPLES
    i = math.floor(x + 1e-6)
    f = x - i
    a = curve(i / (rate * SAMPLES))
    return a if f < 1e-6 else a + (curve((i + 1) / (rate * SAMPLES)) - a) * f


@lru_cache(maxsize=2048)
def course_samples(value: Value, first: int, count: int, rate: float, delay: float = 0.0) -> np.ndarray:
    """A course at sample points `first` to `first + count - 1`, `delay` seconds later than it is drawn, for
    cache keys."""
    return curve(value, (first + np.arange(count)) / (rate * SAMPLES) - delay)


@lru_cache(maxsize=256)
def envelope_samples(source: Feed, first: int, count: int, rate: float) -> np.ndarray:
    """How a source gives between each of the same points and the one before, (2, count): its share of the
    time, and the mean of its emission over all of it."""
    cell = 1.0 / (rate * SAMPLES)
    return np.stack(mean_envelope(source, (first - 1 + np.arange(count)) * cell, cell))


def emitted(source: Feed, t: float, dt: float, rate: float) -> tuple[float, float]:
    """The share of a step from `t` for `dt` seconds in which a source gives, and its mean emission then.

    Any division of a frame into steps gives the same amount, that of the envelope's own integral.
    """
    first, last = t * rate * SAMPLES, (t + dt) * rate * SAMPLES
    low = math.floor(first + 1e-6)
    count = max(1, math.ceil(last - 1e-6) - low)
    lengths = np.diff(np.clip(low + np.arange(count + 1), first, last))
    share, amount = envelope_samples(source, low + 1, count, rate) @ lengths / (last - first)
    return float(share), float(amount / share) if share > 0 else 0.0


@dataclass(frozen=True)
class SourceInput:
    source: Source
    emission: float  # while it gives
    density: float
    temperature: float
    seed: int
    fuel: float = 0.0
    expansion: float = 0.0
    outward: float = 0.0
    pose: Pose = STILL
    motion: Motion | None = None  # when it moves
    time: float = 0.0  # s, of the prop's own animation
    share: float = 1.0  # of the step in which it gives
    stretch: float = 1.0  # effect seconds in an own one, for speeds that are told by the effect's clock


@dataclass(frozen=True)
class ColliderInput:
    collider: Collider
    prop: Prop
    pose: Pose
    motion: Motion | None = None
    time: float = 0.0
    stretch: float = 1.0


@dataclass(frozen=True)
class FireInput:
    ignition: float
    rate: float
    heat: float
    soot: float
    expansion: float
    hottest: float
    radiation: float


@dataclass(frozen=True)
class StepInputs:
    """Settings of one sub-step; rates per second, lengths in m."""

    lift: float = 0.0
    weight: float = 0.0
    drag: float = 0.0
    viscosity: float = 0.0
    curls: tuple[tuple[float, float], ...] = ()  # size and rate, an octave apart, from the smallest on
    fade: float = 0.0
    fade_linear: float = 0.0
    cooling: float = 0.0
    spread: float = 0.0
    flame_fade: float = 0.0
    fire: FireInput | None = None
    winds: tuple[WindInput, ...] = ()
    turbulences: tuple[TurbulenceInput, ...] = ()
    locals: tuple[LocalInput, ...] = ()
    sources: tuple[SourceInput, ...] = ()
    colliders: tuple[ColliderInput, ...] = ()

    @property
    def fastest_mover(self) -> float:
        """Speed in m/s of the fastest source or collider, at its centre."""
        motions = [s.motion for s in self.sources] + [c.motion for c in self.colliders]
        return max((float(np.linalg.norm(m.speed)) for m in motions if m is not None), default=0.0)


def curls_by_size(rate: float, sizes: Ramp) -> tuple[tuple[float, float], ...]:
    """The rate of each octave of sizes, (m, 1/s): the mean of the curve over it."""
    first, last = (round(math.log2(size)) for size in CURL_SIZES)
    octaves = np.arange(first, last + 1)
    fine = octaves[:, None] + (np.arange(16) + 0.5) / 16 - 0.5
    share = ramp_at(sizes, (fine - first) / (last - first)).mean(axis=1)
    return tuple((2.0 ** int(n), rate * max(0.0, float(s))) for n, s in zip(octaves, share))


class Moment:
    """Courses and poses round one step from `t` for `dt` seconds, as every solver takes them.

    Attributes
    ----------
    own, span : the same by the layer's own clock; speeds are of that
    """

    def __init__(
        self, props: tuple[Prop, ...], rate: float, t: float, dt: float, clock: OwnClock = TRUE
    ) -> None:
        self.props, self.rate, self.t, self.dt = props, rate, t, dt
        self.own = clock.own(t)
        self.span = dt if clock.runs_true else clock.own(t + dt) - self.own

    @property
    def stretch(self) -> float:
        """Seconds of the effect in a second of own time."""
        return self.dt / self.span if self.span else 1.0

    def at(self, value: Value, low: float = -math.inf) -> float:
        return max(low, sampled(value, self.t, self.rate))

    def pose(self, placed: Placed, share: float) -> Pose:
        return pose_of(placed, self.props, lambda value: sampled(value, self.t + share * self.dt, self.rate))

    def placing(self, placed: Placed) -> tuple[Pose, Motion | None]:
        """Where a thing is in the middle of the step, and its mean velocity over it when it moves."""
        before, after = self.pose(placed, 0.0), self.pose(placed, 1.0)
        if before.same_as(after):
            return before, None
        return self.pose(placed, 0.5), motion_between(before, after, self.span)

    def in_step(self, swirl: Swirl, own: Pose) -> float:
        """Turns a second that the prop which turns a swirl makes about the swirl's axis."""
        prop = next((p for p in self.props if p.id == swirl.turned_by), None)
        motion = self.placing(prop)[1] if prop is not None else None
        return (
            0.0 if motion is None else swirl.step_ratio * float(motion.spin @ own.turn[:, 2]) / (2 * math.pi)
        )


def resolve(
    layer: GasLayer,
    forces: tuple[Force, ...],
    props: tuple[Prop, ...],
    seed: int,
    rate: float,
    t: float,
    dt: float,
) -> StepInputs:
    """The inputs of a step from `t` for `dt` seconds: courses sampled, what is passed over left out.

    What moves is where it is in the middle of the step, with its mean velocity over it by the layer's own
    clock.
    """

    moment = Moment(props, rate, t, dt, clock_of(layer.time_scale, rate))
    at = moment.at

    def gravity(pull: float) -> tuple[float, ...]:
        return pull * at(layer.motion.lift) * GRAVITY / AMBIENT_KELVIN, pull * at(layer.motion.weight)

    acting = resolve_forces(tuple(forces), moment, seed, gravity)
    m, f, b = layer.motion, layer.fading, layer.fire
    fire = FireInput(
        b.ignition,
        at(b.burn_rate, 0.0),
        at(b.heat, 0.0),
        at(b.soot, 0.0),
        at(b.expansion, 0.0),
        b.hottest,
        at(b.radiation, 0.0),
    )
    return StepInputs(
        lift=at(m.lift),
        weight=at(m.weight),
        drag=at(m.drag, 0.0),
        viscosity=at(m.viscosity, 0.0),
        curls=curls_by_size(at(m.curls, 0.0), m.curl_sizes),
        fade=rate_of(at(f.half_life)),
        fade_linear=pace_of(at(f.clear_out)),
        cooling=rate_of(at(f.heat_half_life)),
        spread=at(f.spread, 0.0),
        flame_fade=at(b.flame_fade, 0.0),
        fire=fire if b.burns else None,
        winds=acting.winds,
        turbulences=acting.turbulences,
        locals=acting.locals,
        sources=_sources(layer, props, moment, seed),
        colliders=_colliders(layer, props, moment),
    )


def _as_now(source: Source, own: Callable[[Value], float]) -> Source:
    """A source whose size, push and break-up are those of one moment."""
    changes: dict[str, object] = {}
    size, push = own(source.size_over), own(source.push_over)
    if size != 1.0:
        x, y, z = source.size
        changes |= {"size": (size * x, size * y, size * z), "thickness": size * source.thickness}
    if push != 1.0:
        x, y, z = source.push
        changes["push"] = (push * x, push * y, push * z)
    if isinstance(source.breakup, Course):
        changes["breakup"] = min(max(own(source.breakup), 0.0), 1.0)
    return source.model_copy(update=changes) if changes else source


def _sources(layer: GasLayer, props: tuple[Prop, ...], moment: Moment, seed: int) -> tuple[SourceInput, ...]:
    t, rate = moment.t, moment.rate
    sources = []
    for source in heard(layer.sources):
        placed: Placed = source
        if source.shape in ON_PROP:
            placed = next((p for p in props if p.id == source.prop), source)
        late, middle = source.delay, t + 0.5 * moment.dt
        share, emission = emitted(source, t, moment.dt, rate)

        def own(value: Value, low: float = -math.inf) -> float:
            return max(
                low,
                between(lambda at: value_at(value, at - late), middle, rate)
                if isinstance(value, Course)
                else float(value),
            )

        sources.append(
            SourceInput(
                _as_now(source, own),
                emission,
                own(source.density, 0.0),
                own(source.temperature),
                stable_seed(seed, layer.id, source.id),
                own(source.fuel, 0.0),
                own(source.expansion),
                own(source.outward),
                *moment.placing(placed),
                middle,
                share,
                moment.stretch,
            )
        )
    return tuple(sources)


def _colliders(layer: GasLayer, props: tuple[Prop, ...], moment: Moment) -> tuple[ColliderInput, ...]:
    colliders = []
    for collider in heard(layer.colliders):
        prop = next((p for p in props if p.id == collider.prop), None)
        if prop is not None:
            middle = moment.t + 0.5 * moment.dt
            colliders.append(ColliderInput(collider, prop, *moment.placing(prop), middle, moment.stretch))
    return tuple(colliders)
