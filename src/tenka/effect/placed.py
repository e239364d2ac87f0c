"""What stands in the scene: ramps, whatever can be heard or placed, and props."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from tenka.base.cubic import through
from tenka.base.ranges import Real
from tenka.effect.catalogue import PATH, WHAT, WHERE, Settings
from tenka.effect.courses import Value, curve

AMBIENT_KELVIN = 288.15
Vec3 = tuple[Real, Real, Real]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


class Stop(Settings):
    """A ramp's stop: a position in [0, 1] and its value, or its linear sRGB colour."""

    at: float = Field(ge=0.0, le=1.0)
    value: Real | Vec3


class Ramp(Settings):
    """A value or a colour over something in [0, 1]: straight between stops, eased, held, or smooth through
    them; held outside them."""

    stops: tuple[Stop, ...] = Field(min_length=1, max_length=32)
    ease: Literal["straight", "eased", "held", "through"] = "straight"

    @model_validator(mode="after")
    def _ordered(self) -> Ramp:
        places = [s.at for s in self.stops]
        if any(b < a for a, b in zip(places, places[1:])):
            raise ValueError("a ramp's stops must be in order")
        if len({isinstance(s.value, tuple) for s in self.stops}) > 1:
            raise ValueError("a ramp holds values or colours, not both")
        return self

    @property
    def coloured(self) -> bool:
        return isinstance(self.stops[0].value, tuple)


def ramp(
    *stops: tuple[float, float | Vec3], ease: Literal["straight", "eased", "held", "through"] = "straight"
) -> Ramp:
    """A ramp from (position, value) pairs."""
    return Ramp(stops=tuple(Stop(at=a, value=v) for a, v in stops), ease=ease)


def ramp_at(ramp: Ramp, x: np.ndarray) -> np.ndarray:
    """A ramp at many places, (n,) values or (n, 3) colours; held outside its stops.

    `eased` rests at each stop (smoothstep), `through` passes them with the slope between their neighbours.
    """
    at = np.array([s.at for s in ramp.stops])
    values = np.array([s.value for s in ramp.stops], float).reshape(len(at), -1)
    x = np.asarray(x, float)
    i = np.clip(np.searchsorted(at, x, side="right") - 1, 0, len(at) - 1)
    j = np.minimum(i + 1, len(at) - 1)
    span = np.maximum(at[j] - at[i], 1e-12)
    f = np.clip((x - at[i]) / span, 0.0, 1.0)[..., None]
    a, b = values[i], values[j]
    if ramp.ease == "held":
        out = a
    elif ramp.ease == "through" and len(at) > 1:
        low, high = np.maximum(np.arange(len(at)) - 1, 0), np.minimum(np.arange(len(at)) + 1, len(at) - 1)
        slope = (values[high] - values[low]) / np.maximum(at[high] - at[low], 1e-12)[:, None]
        out = through(a, b, slope[i] * span[..., None], slope[j] * span[..., None], f)
    else:
        out = a + (b - a) * (f * f * (3 - 2 * f) if ramp.ease == "eased" else f)
    return out if ramp.coloured else out[..., 0]


class Heard(Settings):
    """What can be soloed, hidden, or passed over (left out of the simulation)."""

    id: Id
    name: str = Field(min_length=1, max_length=60)
    solo: bool = False
    hidden: bool = False
    passed_over: bool = False


class Placed(Heard):
    """What stands somewhere and may move: its pose is that of its parent, then its own (see
    tenka.scene.poses)."""

    position: Vec3 = WHERE.number(
        (0.0, 0.0, 0.0),
        "m",
        -1e4,
        1e4,
        "Where it stands; with a parent, as seen from it.",
        soft=(-10, 10),
        step=0.02,
    )
    turn: Value = WHERE.moving(
        0.0, "°", -36000, 36000, "Turns it round the vertical.", soft=(-180, 180), step=1
    )
    tilt: Value = WHERE.moving(
        0.0,
        "°",
        -36000,
        36000,
        "Leans it over, in the direction in which it is turned.",
        soft=(-90, 90),
        step=1,
    )
    parent: str = WHERE.param("", "The prop that carries it along.", kind="parent")
    path: tuple[Vec3, ...] = PATH.number(
        (), "m", -1e4, 1e4, "Points that it passes, from its position, smoothly: x y z; x y z.", kind="points"
    )
    travel: Value = PATH.moving(
        0.0,
        "",
        0,
        1,
        "How far along its path it is, as a share of the way; give it a course.",
        when=("path", ()),
    )
    faces_path: bool = PATH.param(False, "Turns to face where its path goes.", when=("path", ()))
    shift_x: Value = PATH.moving(
        0.0, "m", -1e4, 1e4, "How far it has moved along x; give it a course.", soft=(-3, 3), step=0.02
    )
    shift_y: Value = PATH.moving(
        0.0, "m", -1e4, 1e4, "How far it has moved along y; give it a course.", soft=(-3, 3), step=0.02
    )
    shift_z: Value = PATH.moving(
        0.0, "m", -1e4, 1e4, "How far it has risen; give it a course.", soft=(-3, 3), step=0.02
    )


class Meeting(Heard):
    """What a layer meets: only pairs that are listed do."""

    prop: str = ""

    @property
    def by_prop(self) -> bool:
        """Whether it is a prop; else it is of another layer."""
        return True


REGIONS = ("point", "sphere", "box", "cylinder", "cone", "torus", "capsule", "curve", "pieces")
SIZED = ("sphere", "box", "cylinder", "cone", "torus", "capsule")
ON_PROP = ("surface", "inside")
FROM_LAYER = ("gas", "particles", "water", "liquid")


POSE = ("turn", "tilt", "parent", "path", "travel", "faces_path", "shift_x", "shift_y", "shift_z")
OWN_SPEED = ("carried", "carried_speed")


class Feed(Placed):
    """What feeds a layer: where, and when. Each kind of layer says what is given.

    Attributes
    ----------
    IDLE : by shape, settings that do nothing then: what is on a prop stands where that stands
    """

    IDLE: ClassVar[dict[str, tuple[str, ...]]] = dict.fromkeys(ON_PROP, POSE)

    shape: str = WHERE.param("sphere", "The region that gives birth.", cost="source")
    of: str = WHERE.param(
        "", "The layer that gives birth.", kind="layer", when=("shape", FROM_LAYER), label="from layer"
    )
    prop: str = WHERE.param("", "The prop that gives birth.", kind="prop", when=("shape", ON_PROP))
    part: str = WHERE.param(
        "",
        "Only these parts of the prop give: names of its materials, nodes or joints, with commas.",
        kind="part",
        when=("shape", ON_PROP),
    )
    part_axis: Literal["z", "x", "y"] = WHERE.param(
        "z", "The prop's own axis across which the two planes below cut it.", when=("shape", ON_PROP)
    )
    part_low: float = WHERE.number(
        0.0,
        "",
        0,
        1,
        "Lower plane: only what lies above it gives, as a share of the prop's extent.",
        when=("shape", ON_PROP),
    )
    part_high: float = WHERE.number(
        1.0, "", 0, 1, "Upper plane: only what lies below it gives.", when=("shape", ON_PROP)
    )
    born_at: Literal["area", "points"] = WHERE.param(
        "area", "Born evenly over the surface, or at the mesh's own points.", when=("shape", ("surface",))
    )
    position: Vec3 = WHERE.number(
        (0.0, 0.0, 0.5),
        "m",
        -1e4,
        1e4,
        "Centre of the region; with a parent, as seen from it.",
        soft=(-10, 10),
        step=0.02,
        when=("shape", REGIONS),
    )
    size: Vec3 = WHERE.number(
        (0.5, 0.5, 0.5),
        "m",
        1e-3,
        1e3,
        "Extent of the region along x, y and z.",
        soft=(0.05, 5),
        step=0.01,
        when=("shape", SIZED),
    )
    size_over: Value = WHERE.moving(
        1.0,
        "",
        0.001,
        100,
        "Share of its size, or of its thickness, over time.",
        soft=(0.1, 2),
        when=("shape", (*SIZED, "surface", "curve")),
    )
    curve: tuple[Vec3, ...] = WHERE.number(
        ((-0.5, 0.0, 0.0), (0.5, 0.0, 0.0)),
        "m",
        -1e4,
        1e4,
        "Points of the curve, from its position: x y z; x y z.",
        kind="points",
        when=("shape", ("curve",)),
    )
    thickness: float = WHERE.number(
        0.15,
        "m",
        1e-3,
        10,
        "How far from the surface or the curve it gives birth.",
        soft=(0.02, 1),
        when=("shape", ("surface", "curve")),
    )
    offset: float = WHERE.number(
        0.0,
        "m",
        -10,
        10,
        "Moves the born shell outwards, or inwards when negative.",
        soft=(-0.5, 0.5),
        step=0.01,
        when=("shape", ("surface", "inside")),
    )
    cue: str = WHAT.param(
        "", "The cue that its times are counted from: moving the cue moves all that hangs on it.", kind="cue"
    )
    delay: float = WHAT.number(
        0.0, "s", -600, 600, "Moves all of its timing, later or earlier.", soft=(-1, 3), step=0.02
    )
    start: float = WHAT.number(
        -60.0,
        "s",
        -60,
        600,
        "When it begins; before 0 is the run-up.",
        soft=(-5, 10),
        step=0.02,
        named=((-60.0, "from the start"),),
    )
    end: float = WHAT.number(
        600.0, "s", -60, 600, "When it stops giving.", soft=(0, 10), step=0.02, named=((600.0, "to the end"),)
    )
    emission: Value = WHAT.moving(
        1.0,
        "",
        0,
        10,
        "Share of what is given below, over time: the envelope in the tempo.",
        soft=(0, 1),
        cost="source",
    )
    carried: Ramp = WHAT.param(
        ramp((0.0, 0.0), (1.0, 0.0)),
        "Share of its own speed given on, over that speed; below 0 it is thrown back.",
        kind="ramp",
        label="own speed given",
    )
    carried_speed: float = WHAT.number(
        4.0,
        "m/s",
        0.01,
        200,
        "Speed of the source at the ramp's right end.",
        soft=(0.5, 12),
        label="full own speed",
    )


def envelope(feed: Feed, times: np.ndarray) -> np.ndarray:
    """A feed's envelope at many times: 0 outside its span."""
    times = times - feed.delay
    return np.where(
        (feed.start <= times) & (times < feed.end), np.maximum(0.0, curve(feed.emission, times)), 0.0
    )


MOMENTS = (np.arange(32) + 0.5) / 32  # of a cell of time, over which an envelope is averaged


def mean_envelope(feed: Feed, first: np.ndarray, length: float) -> tuple[np.ndarray, np.ndarray]:
    """How a feed gives in each of the spans of `length` seconds that begin at `first`.

    Returns
    -------
    share : of the span in which it gives, exact in where it begins and ends
    amount : mean of the envelope over the whole span
    """
    low = np.maximum(first - feed.delay, feed.start)
    part = np.maximum(np.minimum(first - feed.delay + length, feed.end) - low, 0.0)
    moments = low[:, None] + MOMENTS * part[:, None]
    level = np.maximum(0.0, curve(feed.emission, moments.ravel())).reshape(moments.shape)
    share = part / length
    return share, np.asarray(np.mean(level, axis=1) * share)


def heard(items: tuple[Any, ...]) -> list[Any]:
    """The items that take part: when any is soloed only those, and never one that is passed over."""
    solo = any(item.solo for item in items)
    return [item for item in items if not item.passed_over and (item.solo or not solo)]
