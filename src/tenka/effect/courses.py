"""Courses: a value over time, as a constant, keys, a wave, noise, or a combination of these."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from tenka.base.cubic import through
from tenka.base.randomness import stable_seed, unit_array
from tenka.base.ranges import LARGEST, Real

Ease = Literal["linear", "smooth", "through", "hold"]


class _Node(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Key(_Node):
    """A value at a time, and how the course leaves it towards the next key.

    `smooth` rests at both keys, `through` passes them with a slope: `slope` in units a second, or without one
    that of the line between the neighbours.
    """

    t: Real
    v: Real
    ease: Ease = "smooth"
    slope: Real | None = None


class Keys(_Node):
    kind: Literal["keys"] = "keys"
    keys: tuple[Key, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _ordered(self) -> Keys:
        times = [k.t for k in self.keys]
        if any(b <= a for a, b in zip(times, times[1:])):
            raise ValueError("keys must be in order of time, each at a time of its own")
        return self

    def slope_at(self, index: int) -> float:
        """The slope with which a `through` piece passes a key."""
        key = self.keys[index]
        if key.slope is not None:
            return key.slope
        a, b = self.keys[max(index - 1, 0)], self.keys[min(index + 1, len(self.keys) - 1)]
        return (b.v - a.v) / (b.t - a.t) if b.t > a.t else 0.0

    def at(self, t: float) -> float:
        keys = self.keys
        if t <= keys[0].t:
            return keys[0].v
        for i, (a, b) in enumerate(zip(keys, keys[1:])):
            if t < b.t:
                span = b.t - a.t
                share = (t - a.t) / span
                if a.ease == "hold":
                    return a.v
                if a.ease == "through":
                    slopes = span * self.slope_at(i), span * self.slope_at(i + 1)
                    return float(through(a.v, b.v, *slopes, share))
                if a.ease == "smooth":
                    share = share * share * (3.0 - 2.0 * share)
                return a.v + (b.v - a.v) * share
        return keys[-1].v


class Wave(_Node):
    """`base + amount * sin(2 pi (t / period + phase))`."""

    kind: Literal["wave"] = "wave"
    base: Real = 0.0
    amount: Real = 1.0
    period: float = Field(1.0, gt=0.0, le=LARGEST)
    phase: Real = 0.0

    def at(self, t: float) -> float:
        return self.base + self.amount * math.sin(2.0 * math.pi * (t / self.period + self.phase))


class Noise(_Node):
    """Smooth noise in [-1, 1] times `amount`, round `base`; new values every `period` seconds."""

    kind: Literal["noise"] = "noise"
    base: Real = 0.0
    amount: Real = 1.0
    period: float = Field(1.0, gt=0.0, le=LARGEST)
    seed: int = Field(0, ge=-(2**63), lt=2**63)

    def at(self, t: float) -> float:
        return self.base + self.amount * float(smooth_noise(self.seed, t / self.period))


class Sum(_Node):
    kind: Literal["sum"] = "sum"
    of: tuple[Value, ...] = Field(min_length=1)

    def at(self, t: float) -> float:
        return sum(value_at(v, t) for v in self.of)


class Product(_Node):
    kind: Literal["product"] = "product"
    of: tuple[Value, ...] = Field(min_length=1)

    def at(self, t: float) -> float:
        return math.prod(value_at(v, t) for v in self.of)


class Absolute(_Node):
    kind: Literal["absolute"] = "absolute"
    of: Value

    def at(self, t: float) -> float:
        return abs(value_at(self.of, t))


class Clamp(_Node):
    kind: Literal["clamp"] = "clamp"
    of: Value
    low: Real = 0.0
    high: Real = 1.0

    @model_validator(mode="after")
    def _low_below_high(self) -> Clamp:
        if self.low > self.high:
            raise ValueError("a clamp's low must not be above its high")
        return self

    def at(self, t: float) -> float:
        return min(self.high, max(self.low, value_at(self.of, t)))


Course = Keys | Wave | Noise | Sum | Product | Absolute | Clamp
Value = Real | Annotated[Course, Field(discriminator="kind")]
KINDS: dict[str, type[BaseModel]] = {
    "keys": Keys,
    "wave": Wave,
    "noise": Noise,
    "sum": Sum,
    "product": Product,
    "absolute": Absolute,
    "clamp": Clamp,
}

for _model in (Sum, Product, Absolute, Clamp):
    _model.model_rebuild()


def value_at(value: Value, t: float) -> float:
    """A plain number as it is, or a course at `t` seconds."""
    return value.at(t) if isinstance(value, Course) else float(value)


def still(node: Any, t: float) -> Any:
    """Settings with each course in them put to its value at `t`; the same where there is none."""
    found = {name: value.at(t) for name, value in node if isinstance(value, _Node) and hasattr(value, "at")}
    return node.model_copy(update=found) if found else node


def most(value: Value) -> float:
    """The largest value that a number or a course takes within the first minute."""
    if not isinstance(value, Course):
        return float(value)
    keyed = np.array([k.t for k in value.keys]) if isinstance(value, Keys) else np.zeros(0)
    return float(np.max(curve(value, np.concatenate([np.linspace(0.0, 60.0, 1201), keyed]))))


def smooth_noise(seed: int, x: np.ndarray | float) -> np.ndarray:
    """Value noise in one dimension with a smooth (quintic) blend, in [-1, 1]."""
    i = np.floor(x)
    f = x - i
    a, b = (2.0 * unit_array(seed, i + k).astype(np.float64) - 1.0 for k in (0, 1))
    return a + (b - a) * f * f * f * (f * (6.0 * f - 15.0) + 10.0)


def course_from(
    kind: str, value: Value, t: float, low: float | None = None, high: float | None = None
) -> Value:
    """A course of `kind` that has, at `t` seconds, the value that `value` has there.

    Nothing jumps when a value is made to move: `constant` keeps the present value, and a combination
    keeps what was there as its first part.
    """
    now = value_at(value, t)
    amount = abs(now) * 0.25 or 0.25
    if kind == "constant":
        return now
    if kind == "keys":
        return Keys(keys=(Key(t=t, v=now),))
    if kind == "wave":
        return Wave(base=now, amount=amount, period=1.0, phase=-(t % 1.0))
    if kind == "noise":
        seed = stable_seed("course", now)
        return Noise(base=now - amount * float(smooth_noise(seed, t)), amount=amount, period=1.0, seed=seed)
    if kind == "sum":
        return Sum(of=(value, Wave(base=0.0, amount=amount, period=1.0, phase=-(t % 1.0))))
    if kind == "product":
        return Product(of=(value, Wave(base=1.0, amount=0.25, period=1.0, phase=-(t % 1.0))))
    if kind == "absolute":
        return Absolute(of=value) if now >= 0 else Absolute(of=-now)
    if kind == "clamp":
        return Clamp(
            of=value,
            low=min(now, low if low is not None else now),
            high=max(now, high if high is not None else now),
        )
    raise ValueError(f"no course is called {kind}")


def curve(value: Value, times: np.ndarray) -> np.ndarray:
    """A course at many times at once, as `value_at` gives it one by one."""
    if isinstance(value, Wave):
        return np.asarray(
            value.base + value.amount * np.sin(2.0 * np.pi * (times / value.period + value.phase))
        )
    if isinstance(value, Noise):
        return np.asarray(value.base + value.amount * smooth_noise(value.seed, times / value.period))
    if isinstance(value, Sum):
        return np.asarray(np.sum([curve(v, times) for v in value.of], axis=0))
    if isinstance(value, Product):
        return np.asarray(np.prod([curve(v, times) for v in value.of], axis=0))
    if isinstance(value, Absolute):
        return np.asarray(np.abs(curve(value.of, times)))
    if isinstance(value, Clamp):
        return np.asarray(np.clip(curve(value.of, times), value.low, value.high))
    if isinstance(value, Keys):
        return np.array([value.at(float(t)) for t in times])
    return np.full(len(times), float(value))


def with_key(course: Keys, t: float, v: float, ease: Ease = "smooth") -> Keys:
    """The course with a key at `t`, replacing one within a millisecond of it."""
    kept = [k for k in course.keys if abs(k.t - t) > 1e-3]
    return Keys(keys=tuple(sorted([*kept, Key(t=t, v=v, ease=ease)], key=lambda k: k.t)))


def with_burst(value: Value, t: float, seconds: float, rise: float) -> Keys:
    """A course with a burst of 1 that begins at `t`, is full after `rise` and has died down after `seconds`.

    Keys keep what they are outside it; anything else gives way: the burst is then all there is.
    """
    end = t + max(seconds, rise + 1e-3)
    before, after = 0.0, 0.0
    kept: tuple[Key, ...] = ()
    if isinstance(value, Keys):
        before, after = value.at(t), value.at(end)
        kept = tuple(k for k in value.keys if k.t < t - 1e-6 or k.t > end + 1e-6)
    burst = (Key(t=t, v=before, ease="linear"), Key(t=t + rise, v=1.0), Key(t=end, v=after))
    return Keys(keys=tuple(sorted((*kept, *burst), key=lambda k: k.t)))


def moved_key(course: Keys, index: int, t: float, v: float) -> Keys:
    """The course with one key moved; it stops a millisecond short of its neighbours."""
    keys = list(course.keys)
    before = keys[index - 1].t + 1e-3 if index > 0 else -math.inf
    after = keys[index + 1].t - 1e-3 if index + 1 < len(keys) else math.inf
    keys[index] = keys[index].model_copy(update={"t": min(after, max(before, t)), "v": v})
    return Keys(keys=tuple(keys))
