"""What one sub-step of the solver needs, as plain numbers at one time.

Courses are sampled at `SAMPLES` points a frame and run straight between them. The cache's keys are hashes
of the same samples, so a key can never miss what the solver saw.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np

from tenka.base.randomness import stable_seed
from tenka.effect.courses import Course, Value, curve, value_at
from tenka.effect.model import Force, GasLayer, Source, Turbulence, Wind, envelope, heard, source_emission

SAMPLES = 4


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
def course_samples(value: Value, first: int, count: int, rate: float) -> np.ndarray:
    """A course at sample points `first` to `first + count - 1`, for cache keys."""
    return curve(value, (first + np.arange(count)) / (rate * SAMPLES))


@lru_cache(maxsize=256)
def envelope_samples(source: Source, first: int, count: int, rate: float) -> np.ndarray:
    """A source's emission with its span, at the same points."""
    return envelope(source, (first + np.arange(count)) / (rate * SAMPLES))


@dataclass(frozen=True)
class WindInput:
    speed: float
    heading: float  # radians
    grip: float
    gusts: float
    gust_period: float
    ground_drag: float
    seed: int


@dataclass(frozen=True)
class TurbulenceInput:
    strength: float
    size: float
    detail: float
    rate: float
    grip: float
    seed: int


@dataclass(frozen=True)
class SourceInput:
    source: Source
    emission: float
    density: float
    temperature: float
    seed: int


@dataclass(frozen=True)
class StepInputs:
    """Settings of one sub-step; rates per second, lengths in m."""

    lift: float = 0.0
    weight: float = 0.0
    drag: float = 0.0
    fine_curl: float = 0.0
    fine_size: float = 0.1
    broad_curl: float = 0.0
    broad_size: float = 0.5
    fade: float = 0.0
    fade_linear: float = 0.0
    cooling: float = 0.0
    winds: tuple[WindInput, ...] = ()
    turbulences: tuple[TurbulenceInput, ...] = ()
    sources: tuple[SourceInput, ...] = ()


def resolve(layer: GasLayer, forces: tuple[Force, ...], seed: int, rate: float, t: float) -> StepInputs:
    """The inputs at `t` seconds: courses sampled, what is passed over left out."""

    def at(value: Value, low: float = -math.inf) -> float:
        return max(low, sampled(value, t, rate))

    winds = []
    turbulences = []
    for force in heard(tuple(forces)):
        own = stable_seed(seed, force.id)
        if isinstance(force, Wind):
            winds.append(WindInput(at(force.speed, 0.0), math.radians(at(force.heading)), at(force.grip, 0.0), at(force.gusts, 0.0),
                                   force.gust_period, force.ground_drag, own))  # fmt: skip
        elif isinstance(force, Turbulence):
            turbulences.append(TurbulenceInput(at(force.strength, 0.0), force.size, force.detail, force.rate, force.grip, own))
    sources = []
    for source in heard(layer.sources):
        emission = between(partial(source_emission, source), t, rate)
        sources.append(
            SourceInput(source, emission, at(source.density, 0.0), at(source.temperature), stable_seed(seed, layer.id, source.id))
        )
    m, f = layer.motion, layer.fading
    return StepInputs(
        lift=at(m.lift), weight=at(m.weight), drag=at(m.drag, 0.0),
        fine_curl=at(m.fine_curl, 0.0), fine_size=m.fine_size, broad_curl=at(m.broad_curl, 0.0), broad_size=m.broad_size,
        fade=at(f.smoke, 0.0), fade_linear=at(f.smoke_linear, 0.0), cooling=at(f.cooling, 0.0),
        winds=tuple(winds), turbulences=tuple(turbulences), sources=tuple(sources),
    )  # fmt: skip
