"""What stands in the scene: ramps, whatever can be heard or placed, and props."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, model_validator

from tenka.effect.catalogue import Settings, param
from tenka.effect.courses import Value, curve, value_at

AMBIENT_KELVIN = 288.15
Vec3 = tuple[float, float, float]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


class Stop(Settings):
    """A ramp's stop: a position in [0, 1] and its value, or its linear sRGB colour."""

    at: float = Field(ge=0.0, le=1.0)
    value: float | Vec3


class Ramp(Settings):
    """A value or a colour over something in [0, 1]: straight between stops, eased, held, or smooth through them; held outside them."""

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


def ramp(*stops: tuple[float, float | Vec3], ease: Literal["straight", "eased", "held", "through"] = "straight") -> Ramp:
    """A ramp from (position, value) pairs."""
    return Ramp(stops=tuple(Stop(at=a, value=v) for a, v in stops), ease=ease)


def ramp_at(ramp: Ramp, x: np.ndarray) -> np.ndarray:
    """A ramp at many places, (n,) values or (n, 3) colours; held outside its stops.

    `eased` rests at each stop (smoothstep), `through` passes them with the slope between their neighbours (cubic Hermite).
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
        u, v = slope[i] * span[..., None], slope[j] * span[..., None]
        out = a * (1 + 2 * f) * (1 - f) ** 2 + b * f * f * (3 - 2 * f) + u * f * (1 - f) ** 2 - v * f * f * (1 - f)
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
    """What stands somewhere and may move: its pose is that of its parent, then its own (see tenka.scene.poses)."""

    position: Vec3 = param(
        (0.0, 0.0, 0.0),
        "Where it stands; with a parent, as seen from it.",
        section="Where",
        unit="m",
        soft=(-10, 10),
        low=-1e4,
        high=1e4,
        step=0.02,
    )
    turn: Value = param(0.0, "Turns it round the vertical.", section="Where", unit="°", soft=(-180, 180), low=-36000, high=36000, step=1,
                        course=True)  # fmt: skip
    tilt: Value = param(0.0, "Leans it over, in the direction in which it is turned.", section="Where", unit="°", soft=(-90, 90), low=-36000,
                        high=36000, step=1, course=True)  # fmt: skip
    parent: str = param("", "The prop that carries it along.", section="Where", kind="parent")
    path: tuple[Vec3, ...] = param((), "Points that it passes, from its position, smoothly: x y z; x y z.", section="Path", unit="m", kind="points",
                                   low=-1e4, high=1e4)  # fmt: skip
    travel: Value = param(0.0, "How far along its path it is, as a share of the way; give it a course.", section="Path", low=0, high=1, course=True,
                          when=("path", ()))  # fmt: skip
    faces_path: bool = param(False, "Turns to face where its path goes.", section="Path", when=("path", ()))
    shift_x: Value = param(0.0, "How far it has moved along x; give it a course.", section="Path", unit="m", soft=(-3, 3), low=-1e4, high=1e4,
                           step=0.02, course=True)  # fmt: skip
    shift_y: Value = param(0.0, "How far it has moved along y; give it a course.", section="Path", unit="m", soft=(-3, 3), low=-1e4, high=1e4,
                           step=0.02, course=True)  # fmt: skip
    shift_z: Value = param(0.0, "How far it has risen; give it a course.", section="Path", unit="m", soft=(-3, 3), low=-1e4, high=1e4,
                           step=0.02, course=True)  # fmt: skip


class Prop(Placed):
    """A primitive or a mesh in the scene."""

    shape: Literal["sphere", "box", "cylinder", "cone", "figure", "mesh"] = param(
        "box", "The prop's form; the figure is 1.75 m tall, for scale; a mesh comes from a file.", section="Where"
    )
    file: str = param("", "Mesh file (GLB, OBJ, PLY or STL), relative to the effect.", section="Where", kind="file",
                      when=("shape", ("mesh",)))  # fmt: skip
    size: Vec3 = param((1.0, 1.0, 1.0), "Its extent along x, y and z; for a mesh or the figure, a factor on each.", section="Where", unit="m",
                       soft=(0.05, 10), low=1e-3, high=1e3, step=0.02)  # fmt: skip
    unit: Literal["metres", "centimetres", "millimetres", "inches", "feet"] = param(
        "metres", "What one unit of the mesh file is.", section="Mesh", when=("shape", ("mesh",))
    )
    up: Literal["file", "z", "y", "x"] = param(
        "file",
        "Which axis of the mesh file points up: as its format has it, or one of its axes.",
        section="Mesh",
        when=("shape", ("mesh",)),
    )
    keep: float = param(1.0, "Share of the mesh's triangles that is kept: fewer are drawn and packed faster.", section="Mesh", low=0.01, high=1,
                        step=0.01, when=("shape", ("mesh",)))  # fmt: skip
    clip: str = param("", "The animation of the mesh file that it plays.", section="Mesh", kind="clip", when=("shape", ("mesh",)))
    clip_start: float = param(0.0, "When the animation begins.", section="Mesh", unit="s", low=-600, high=600, soft=(-2, 4), step=0.02,
                              when=("clip", ()))  # fmt: skip
    clip_speed: float = param(
        1.0, "How fast it plays; negative plays it backwards.", section="Mesh", low=-20, high=20, soft=(0, 3), when=("clip", ())
    )
    clip_end: Literal["repeat", "hold", "back"] = param("repeat", "After its end it begins again, holds, or plays back.", section="Mesh",
                                                        when=("clip", ()))  # fmt: skip
    copies: int = param(1, "How many of it are scattered about, joined into one.", section="Copies", low=1, high=2000, soft=(1, 40), step=1)
    spread: Vec3 = param((2.0, 2.0, 0.0), "Box in which the copies lie, round its own place.", section="Copies", unit="m", soft=(0, 10), low=0,
                         high=1e3, step=0.05, when=("scattered", ("True",)))  # fmt: skip
    copies_turn: float = param(180.0, "How far each is turned by chance, either way.", section="Copies", unit="°", low=0, high=180, step=1,
                               when=("scattered", ("True",)))  # fmt: skip
    copies_size: float = param(
        0.2, "How much their sizes differ, as a share.", section="Copies", low=0, high=0.9, when=("scattered", ("True",))
    )
    copies_seed: int = param(1, "Another number scatters them anew.", section="Copies", low=0, high=9999, soft=(0, 100), step=1,
                             when=("scattered", ("True",)))  # fmt: skip
    credit: str = param("", "Who made the mesh and under which terms; it goes into the package.", section="Mesh", affects="pack",
                        when=("shape", ("mesh",)))  # fmt: skip
    colour: Vec3 = param((0.45, 0.42, 0.38), "Surface colour of a primitive.", section="Look", affects="look", kind="colour", low=0, high=1,
                         when=("shape", ("sphere", "box", "cylinder", "cone")))  # fmt: skip

    @property
    def scattered(self) -> bool:
        return self.copies > 1


REGIONS = ("point", "sphere", "box", "cylinder", "cone", "torus", "capsule", "curve")
SIZED = ("sphere", "box", "cylinder", "cone", "torus", "capsule")
ON_PROP = ("surface", "inside")
FROM_LAYER = ("gas", "particles")


class Feed(Placed):
    """What feeds a layer: where, and when. Each kind of layer says what is given."""

    shape: str = param("sphere", "The region that gives birth.", section="Where", cost="source")
    of: str = param("", "The layer that gives birth.", section="Where", kind="layer", when=("shape", FROM_LAYER))
    prop: str = param("", "The prop that gives birth.", section="Where", kind="prop", when=("shape", ON_PROP))
    part: str = param("", "Only these parts of the prop give: names of its materials, nodes or joints, with commas.", section="Where", kind="part",
                      when=("shape", ON_PROP))  # fmt: skip
    part_axis: Literal["z", "x", "y"] = param(
        "z", "The prop's own axis across which the two planes below cut it.", section="Where", when=("shape", ON_PROP)
    )
    part_low: float = param(0.0, "Lower plane: only what lies above it gives, as a share of the prop's extent.", section="Where", low=0, high=1,
                            when=("shape", ON_PROP))  # fmt: skip
    part_high: float = param(1.0, "Upper plane: only what lies below it gives.", section="Where", low=0, high=1, when=("shape", ON_PROP))
    born_at: Literal["area", "points"] = param("area", "Born evenly over the surface, or at the mesh's own points.", section="Where",
                                               when=("shape", ("surface",)))  # fmt: skip
    position: Vec3 = param((0.0, 0.0, 0.5), "Centre of the region; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02, when=("shape", REGIONS))  # fmt: skip
    size: Vec3 = param((0.5, 0.5, 0.5), "Extent of the region along x, y and z.", section="Where", unit="m", soft=(0.05, 5), low=1e-3,
                       high=1e3, step=0.01, when=("shape", SIZED))  # fmt: skip
    curve: tuple[Vec3, ...] = param(((-0.5, 0.0, 0.0), (0.5, 0.0, 0.0)), "Points of the curve, from its position: x y z; x y z.", section="Where",
                                    unit="m", kind="points", low=-1e4, high=1e4, when=("shape", ("curve",)))  # fmt: skip
    thickness: float = param(0.15, "How far from the surface or the curve it gives birth.", section="Where", unit="m", soft=(0.02, 1), low=1e-3,
                             high=10, when=("shape", ("surface", "curve")))  # fmt: skip
    offset: float = param(0.0, "Moves the born shell outwards, or inwards when negative.", section="Where", unit="m", soft=(-0.5, 0.5), low=-10,
                          high=10, step=0.01, when=("shape", ("surface", "inside")))  # fmt: skip
    cue: str = param("", "The cue that its times are counted from: moving the cue moves all that hangs on it.", section="What", kind="cue")
    delay: float = param(
        0.0, "Moves all of its timing, later or earlier.", section="What", unit="s", low=-600, high=600, soft=(-1, 3), step=0.02
    )
    start: float = param(
        -60.0, "When it begins; before 0 is the run-up.", section="What", unit="s", soft=(-5, 10), low=-60, high=600, step=0.02
    )
    end: float = param(600.0, "When it stops giving.", section="What", unit="s", soft=(0, 10), low=-60, high=600, step=0.02)
    emission: Value = param(1.0, "Share of what is given below, over time: the envelope in the tempo.", section="What", low=0, high=10,
                            soft=(0, 1), course=True, cost="source")  # fmt: skip
    carried: Ramp = param(ramp((0.0, 0.0), (1.0, 0.0)), "Share of its own speed given on, over that speed; below 0 it is thrown back.",
                          section="What", kind="ramp")  # fmt: skip
    carried_speed: float = param(
        4.0, "Speed of the source at the ramp's right end.", section="What", unit="m/s", low=0.01, high=200, soft=(0.5, 12)
    )


def envelope(feed: Feed, times: np.ndarray) -> np.ndarray:
    """The envelope at many times; see `emission_at`."""
    times = times - feed.delay
    return np.where((feed.start <= times) & (times < feed.end), np.maximum(0.0, curve(feed.emission, times)), 0.0)


def emission_at(feed: Feed, t: float) -> float:
    """A feed's envelope at `t` seconds: 0 outside its span."""
    t -= feed.delay
    return max(0.0, value_at(feed.emission, t)) if feed.start <= t < feed.end else 0.0


def heard(items: tuple[Any, ...]) -> list[Any]:
    """The items that take part: when any is soloed only those, and never one that is passed over."""
    solo = any(item.solo for item in items)
    return [item for item in items if not item.passed_over and (item.solo or not solo)]
