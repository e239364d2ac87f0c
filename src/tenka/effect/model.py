"""The settings models of an effect: every number an artist can change, declared once."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, model_validator

from tenka.effect.catalogue import Settings, param
from tenka.effect.courses import Value, curve, value_at

SCHEMA_VERSION: Literal[1] = 1
AMBIENT_KELVIN = 288.15
Vec3 = tuple[float, float, float]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


class Stop(Settings):
    """A ramp's stop: a position in [0, 1] and its value, or its linear sRGB colour."""

    at: float = Field(ge=0.0, le=1.0)
    value: float | Vec3


class Ramp(Settings):
    """A value or a colour over something in [0, 1]; straight between stops, held outside them."""

    stops: tuple[Stop, ...] = Field(min_length=1, max_length=32)

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


def ramp(*stops: tuple[float, float | Vec3]) -> Ramp:
    """A ramp from (position, value) pairs."""
    return Ramp(stops=tuple(Stop(at=a, value=v) for a, v in stops))


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


REGIONS = ("sphere", "box", "cylinder", "cone", "torus", "capsule", "curve")
ON_PROP = ("surface", "inside")


class Source(Placed):
    """What feeds a layer."""

    shape: Literal["sphere", "box", "cylinder", "cone", "torus", "capsule", "curve", "surface", "inside"] = param(
        "sphere", "The region that gives birth: a form of its own, or the surface or the inside of a prop.", section="Where", cost="source"
    )
    prop: str = param("", "The prop that gives birth.", section="Where", kind="prop", when=("shape", ON_PROP))
    part: str = param("", "Only these parts of the prop give: names of its materials, nodes or joints, with commas.", section="Where", kind="part",
                      when=("shape", ON_PROP))  # fmt: skip
    part_axis: Literal["z", "x", "y"] = param(
        "z", "The prop's own axis across which the two planes below cut it.", section="Where", when=("shape", ON_PROP)
    )
    part_low: float = param(0.0, "Lower plane: only what lies above it gives, as a share of the prop's extent.", section="Where", low=0, high=1,
                            when=("shape", ON_PROP))  # fmt: skip
    part_high: float = param(1.0, "Upper plane: only what lies below it gives.", section="Where", low=0, high=1, when=("shape", ON_PROP))
    born_at: Literal["area", "points"] = param("area", "Gas is born evenly over the surface, or at the mesh's own points.", section="Where",
                                               when=("shape", ("surface",)))  # fmt: skip
    position: Vec3 = param((0.0, 0.0, 0.5), "Centre of the region; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02, when=("shape", REGIONS))  # fmt: skip
    size: Vec3 = param((0.5, 0.5, 0.5), "Extent of the region along x, y and z.", section="Where", unit="m", soft=(0.05, 5), low=1e-3,
                       high=1e3, step=0.01, when=("shape", ("sphere", "box", "cylinder", "cone", "torus", "capsule")))  # fmt: skip
    curve: tuple[Vec3, ...] = param(((-0.5, 0.0, 0.0), (0.5, 0.0, 0.0)), "Points of the curve, from its position: x y z; x y z.", section="Where",
                                    unit="m", kind="points", low=-1e4, high=1e4, when=("shape", ("curve",)))  # fmt: skip
    thickness: float = param(0.15, "How far from the surface or the curve gas is born.", section="Where", unit="m", soft=(0.02, 1), low=1e-3,
                             high=10, when=("shape", ("surface", "curve")))  # fmt: skip
    offset: float = param(0.0, "Moves the born shell outwards, or inwards when negative.", section="Where", unit="m", soft=(-0.5, 0.5), low=-10,
                          high=10, step=0.01, when=("shape", ("surface", "inside")))  # fmt: skip
    start: float = param(
        -60.0, "When it begins; before 0 is the run-up.", section="What", unit="s", soft=(-5, 10), low=-60, high=600, step=0.02
    )
    end: float = param(600.0, "When it stops giving.", section="What", unit="s", soft=(0, 10), low=-60, high=600, step=0.02)
    emission: Value = param(1.0, "Share of what is given below, over time: the envelope in the tempo.", section="What", low=0, high=10,
                            soft=(0, 1), course=True, cost="source")  # fmt: skip
    density: Value = param(4.0, "Smoke given each second where the source is full; more is darker.", section="What", unit="1/s", low=0, high=200,
                           soft=(0, 12), course=True, cost="source")  # fmt: skip
    temperature: Value = param(300.0, "How much hotter than the air the gas is born; it drives the lift.", section="What", unit="K", low=-280,
                               high=4000, soft=(0, 900), step=5, course=True, cost="source")  # fmt: skip
    fuel: Value = param(0.0, "Fuel given each second; it burns when the layer's fire is on.", section="What", unit="1/s", low=0, high=200,
                        soft=(0, 12), course=True, cost="source")  # fmt: skip
    expansion: Value = param(0.0, "Gas volume pressed in each second, as a share of the source's own.", section="What", unit="1/s", low=-60,
                             high=200, soft=(0, 10), course=True, cost="source")  # fmt: skip
    push: Vec3 = param(
        (0.0, 0.0, 0.0), "Speed that the gas is born with.", section="What", unit="m/s", soft=(-5, 5), low=-200, high=200, step=0.05
    )
    outward: Value = param(0.0, "Speed away from the source's surface; negative draws in.", section="What", unit="m/s", low=-200, high=200,
                           soft=(-4, 4), step=0.05, course=True)  # fmt: skip
    carried: Ramp = param(ramp((0.0, 0.0), (1.0, 0.0)), "Share of its own speed given to the gas, over that speed; below 0 the gas is thrown back.",
                          section="What", kind="ramp")  # fmt: skip
    carried_speed: float = param(
        4.0, "Speed of the source at the ramp's right end.", section="What", unit="m/s", low=0.01, high=200, soft=(0.5, 12)
    )
    grip: float = param(12.0, "How fast the gas at the source takes on its temperature and push.", section="What", unit="1/s", low=0, high=200,
                        soft=(0, 40), step=0.5)  # fmt: skip
    blend: Literal["add", "maximum"] = param("add", "Overlapping sources add up (soft), or the densest wins (sharp).", section="What")
    dye: bool = param(False, "Whether the smoke carries a colour of its own.", section="What")
    dye_colour: Vec3 = param(
        (0.75, 0.3, 0.2), "The colour that is carried.", section="What", kind="colour", low=0, high=1, when=("dye", ("True",))
    )
    shaped_by: Literal["nothing", "image", "colours"] = param(
        "nothing",
        "How much is given where: evenly, by the brightness of an image, or of its mesh's own colours (a plain prop has one, and gives evenly).",
        section="What",
    )
    image: str = param("", "Image that shapes it (PNG, JPEG, TIFF), relative to the effect: bright gives, dark or clear does not.", section="What",
                       kind="image", when=("shaped_by", ("image",)))  # fmt: skip
    image_along: Literal["z", "x", "y"] = param("z", "The source's own axis along which the image is laid over it.", section="What",
                                                when=("shaped_by", ("image",)))  # fmt: skip
    breakup: float = param(0.6, "How strongly noise breaks up the source; 0 is even and looks like a pipe.", section="What", low=0, high=1,
                           cost="source")  # fmt: skip
    breakup_size: float = param(0.25, "Size of the patches.", section="What", unit="m", low=0.01, high=50, soft=(0.05, 2))
    breakup_rate: float = param(1.5, "New patches each second.", section="What", unit="1/s", low=0, high=60, soft=(0, 8))
    breakup_low: float = param(
        0.3, "Noise below this gives nothing: raise it for fewer, sharper patches.", section="What", low=0, high=0.99
    )
    breakup_high: float = param(0.7, "Noise above this gives all.", section="What", low=0.01, high=1)


INSIDE = ("sphere", "box", "cylinder")


class _Force(Placed):
    """Everywhere, or in a region with a soft border."""

    region: Literal["everywhere", "sphere", "box", "cylinder"] = param(
        "everywhere", "Where it acts: everywhere, or inside a region.", section="Where", cost="forces"
    )
    position: Vec3 = param((0.0, 0.0, 1.0), "Centre of the region; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02, when=("region", INSIDE))  # fmt: skip
    region_size: Vec3 = param((2.0, 2.0, 2.0), "Extent of the region along x, y and z.", section="Where", unit="m", soft=(0.1, 10), low=1e-3,
                       high=1e3, step=0.02, when=("region", INSIDE))  # fmt: skip
    border: float = param(0.4, "Width of the border over which it fades in.", section="Where", unit="m", low=1e-3, high=100, soft=(0.05, 2),
                          when=("region", INSIDE))  # fmt: skip


class Wind(_Force):
    kind: Literal["wind"] = "wind"
    speed: Value = param(1.5, "How fast the air moves; the plume leans with it.", section="Motion", unit="m/s", low=0, high=80, soft=(0, 8),
                         course=True, cost="forces")  # fmt: skip
    heading: Value = param(0.0, "Direction it blows to, from +x towards +y.", section="Motion", unit="°", low=-360, high=360, soft=(-180, 180),
                           step=1, course=True, cost="forces")  # fmt: skip
    grip: Value = param(0.8, "How fast the gas takes on the wind.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 4), course=True,
                        cost="forces")  # fmt: skip
    gusts: Value = param(
        0.4, "How much the speed swings, as a share of it.", section="Motion", low=0, high=2, soft=(0, 1), course=True, cost="forces"
    )
    gust_period: float = param(
        2.2, "Time from one gust to the next.", section="Motion", unit="s", low=0.1, high=60, soft=(0.3, 6), cost="forces"
    )
    ground_drag: float = param(0.0, "Height over which the wind grows from nothing at the ground.", section="Motion", unit="m", low=0, high=200,
                               soft=(0, 10), cost="forces")  # fmt: skip


class Turbulence(_Force):
    kind: Literal["turbulence"] = "turbulence"
    strength: Value = param(0.6, "Speed of the swirls that are stirred in each second.", section="Motion", unit="m/s", low=0, high=40, soft=(0, 3),
                            course=True, cost="forces")  # fmt: skip
    size: float = param(0.9, "Size of the swirls.", section="Motion", unit="m", low=0.02, high=100, soft=(0.1, 4), cost="forces")
    detail: float = param(0.5, "Share of swirls of half that size.", section="Motion", low=0, high=1, cost="forces")
    rate: float = param(0.7, "How fast the swirls change.", section="Motion", unit="1/s", low=0, high=20, soft=(0, 4), cost="forces")
    grip: float = param(1.0, "How fast the gas takes them on.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 4), cost="forces")


class Swirl(_Force):
    """A swirl column: gas turns round an axis, rises along it and is drawn in."""

    kind: Literal["swirl"] = "swirl"
    position: Vec3 = param((0.0, 0.0, 1.0), "Middle of the column; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02)  # fmt: skip
    core: float = param(0.6, "Radius of the core, which turns as one.", section="Where", unit="m", low=0.01, high=100, soft=(0.1, 4))
    height: float = param(3.0, "Height of the column.", section="Where", unit="m", low=0.01, high=1000, soft=(0.2, 10))
    spin: Value = param(1.0, "Turns each second in the core; negative turns the other way.", section="Motion", unit="1/s", low=-60, high=60,
                        soft=(-3, 3), course=True, cost="forces")  # fmt: skip
    turned_by: str = param("", "A prop whose turning spins it besides: the two keep in step.", section="Motion", kind="parent")
    step_ratio: float = param(1.0, "Turns of the column for each turn of that prop.", section="Motion", low=-20, high=20, soft=(0, 3),
                              when=("turned_by", ()))  # fmt: skip
    lift: Value = param(
        0.5, "Speed along the column.", section="Motion", unit="m/s", low=-100, high=100, soft=(-4, 4), course=True, cost="forces"
    )
    pull: Value = param(0.3, "Speed towards the axis at the rim of the core.", section="Motion", unit="m/s", low=-100, high=100, soft=(-3, 3),
                        course=True, cost="forces")  # fmt: skip
    falloff: float = param(
        1.5, "How fast it weakens outside the core: the power of distance.", section="Motion", low=0.1, high=8, soft=(0.5, 4)
    )
    grip: Value = param(4.0, "How fast the gas takes on the swirl.", section="Motion", unit="1/s", low=0, high=200, soft=(0, 12), course=True,
                        cost="forces")  # fmt: skip


class Pull(_Force):
    """A point that draws gas in, or pushes it away."""

    kind: Literal["pull"] = "pull"
    position: Vec3 = param((0.0, 0.0, 1.0), "The point; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02)  # fmt: skip
    reach: float = param(
        1.0, "Distance within which it is at its full strength.", section="Where", unit="m", low=0.01, high=100, soft=(0.1, 5)
    )
    strength: Value = param(4.0, "Acceleration towards the point; negative pushes away. Seen where smoke is.", section="Motion", unit="m/s²",
                            low=-1000, high=1000, soft=(-20, 20), course=True, cost="forces")  # fmt: skip
    falloff: float = param(
        2.0, "How fast it weakens beyond its reach: the power of distance.", section="Motion", low=0, high=8, soft=(0, 4)
    )


class Brake(_Force):
    """Drag inside a region."""

    kind: Literal["drag"] = "drag"
    rate: Value = param(1.0, "How fast movement dies down there.", section="Motion", unit="1/s", low=0, high=200, soft=(0, 8), course=True,
                        cost="forces")  # fmt: skip


class Gravity(_Force):
    """A further gravity, besides the one that points down: hot gas rises against it, dense smoke falls with it."""

    kind: Literal["gravity"] = "gravity"
    strength: Value = param(1.0, "Its strength, as a share of the earth's.", section="Motion", low=-20, high=20, soft=(-2, 2), course=True,
                            cost="forces")  # fmt: skip
    heading: Value = param(0.0, "Direction of its fall, from +x towards +y.", section="Motion", unit="°", low=-36000, high=36000, soft=(-180, 180),
                           step=1, course=True)  # fmt: skip
    rise: Value = param(0.0, "Its slope: -90 is down, 90 is up.", section="Motion", unit="°", low=-36000, high=36000, soft=(-90, 90), step=1,
                        course=True)  # fmt: skip


Force = Annotated[Wind | Turbulence | Swirl | Pull | Brake | Gravity, Field(discriminator="kind")]


class Collider(Heard):
    """A prop that stops the layer: only pairs that are listed collide."""

    prop: str = param("", "The prop that stops this gas.", section="Collision", kind="prop", cost="collision")
    slip: Literal["free", "none"] = param("free", "Gas slides along it, or sticks to it.", section="Collision")
    wake: float = param(1.0, "How much of its movement it gives to the gas beside it.", section="Collision", low=-1, high=4, soft=(0, 2))
    skin: float = param(0.0, "Makes it thicker; a thin gate needs at least half a voxel.", section="Collision", unit="m", low=-1, high=10,
                        soft=(0, 0.2), step=0.005)  # fmt: skip


class DomainBox(Settings):
    """The box in which gas is simulated."""

    origin: Vec3 = param(
        (-2.0, -2.0, 0.0), "Lowest corner of the box.", section="Where", unit="m", soft=(-10, 10), low=-1e4, high=1e4, step=0.05
    )
    size: Vec3 = param((4.0, 4.0, 4.0), "Extent of the box: taller for a plume, flat for a floor effect.", section="Where", unit="m",
                       soft=(0.5, 20), low=0.05, high=1e3, step=0.05, cost="step")  # fmt: skip
    voxel: float = param(0.0625, "Edge of one voxel: half of it shows finer curls and costs eight times as much.", section="Where", unit="m",
                         low=0.002, high=10, soft=(0.03, 0.25), step=0.002, cost="step")  # fmt: skip
    open_low: tuple[bool, bool, bool] = param(
        (True, True, False), "Which of the low walls (x, y, floor) let gas through.", section="Where", kind="walls"
    )
    open_high: tuple[bool, bool, bool] = param(
        (True, True, True), "Which of the high walls (x, y, ceiling) let gas through.", section="Where", kind="walls"
    )
    flat: bool = param(False, "One voxel thick along y: quick, for effects that are only seen from the side.", section="Where", cost="step")
    follow: bool = param(
        False, "Simulates only the part of the box that holds gas: the cost follows the gas.", section="Where", cost="step"
    )
    margin: float = param(0.6, "Air kept round the gas when the simulated part follows it.", section="Where", unit="m", low=0.01, high=100,
                          soft=(0.1, 2), when=("follow", ("True",)))  # fmt: skip
    run_up: float = param(1.5, "Seconds simulated before the first shown frame; hides the starting bulge.", section="Where", unit="s", low=0, high=60,
                          soft=(0, 6), step=0.1)  # fmt: skip


class Motion(Settings):
    """How the gas moves."""

    lift: Value = param(
        1.0, "How strongly heat rises; 1 is what physics gives.", section="Motion", low=-5, high=10, soft=(0, 2), course=True, cost="forces"
    )
    weight: Value = param(
        0.05, "How strongly dense smoke sinks.", section="Motion", unit="m/s²", low=-20, high=50, soft=(0, 2), course=True, cost="forces"
    )
    drag: Value = param(
        0.05, "How fast movement dies down.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 2), course=True, cost="forces"
    )
    viscosity: float = param(0.0, "Thickness of the gas: syrupy, slow rolls.", section="Motion", unit="m²/s", low=0, high=10, soft=(0, 0.05),
                             step=0.0005, cost="viscosity")  # fmt: skip
    fine_curl: Value = param(2.0, "Keeps small curls turning; too much gives streaks.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 8),
                             course=True, cost="vorticity")  # fmt: skip
    fine_size: float = param(
        0.12, "Size of the small curls.", section="Motion", unit="m", low=0.005, high=10, soft=(0.03, 0.6), cost="vorticity"
    )
    broad_curl: Value = param(
        1.0, "Keeps large rolls turning.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 8), course=True, cost="vorticity"
    )
    broad_size: float = param(
        0.6, "Size of the large rolls.", section="Motion", unit="m", low=0.02, high=50, soft=(0.1, 3), cost="vorticity"
    )


class Fading(Settings):
    """How what was given goes away."""

    smoke: Value = param(0.06, "Share of the smoke that fades each second.", section="Fading", unit="1/s", low=0, high=60, soft=(0, 1), course=True,
                         cost="scalars")  # fmt: skip
    spread: float = param(0.0, "How fast smoke and heat spread out by themselves, softening edges.", section="Fading", unit="m²/s", low=0, high=10,
                          soft=(0, 0.02), step=0.0002, cost="viscosity")  # fmt: skip
    smoke_linear: Value = param(0.0, "Smoke taken off each second however thin it is: cuts the thin haze.", section="Fading", unit="1/s", low=0, high=60,
                                soft=(0, 0.5), course=True, cost="scalars")  # fmt: skip
    cooling: Value = param(0.5, "Share of the heat lost each second; sets how long the plume keeps rising.", section="Fading", unit="1/s", low=0, high=60,
                           soft=(0, 3), course=True, cost="scalars")  # fmt: skip


class Fire(Settings):
    """How fuel burns."""

    burns: bool = param(False, "Whether fuel burns in this layer.", section="Fire", cost="fire")
    ignition: float = param(150.0, "Fuel hotter than this burns.", section="Fire", unit="K", low=0, high=3000, soft=(20, 600), step=5, when=("burns", ("True",)))  # fmt: skip
    burn_rate: Value = param(3.0, "Share of the fuel that burns each second at the ignition heat; hotter is faster.", section="Fire", unit="1/s",
                             low=0, high=200, soft=(0, 12), course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    heat: Value = param(1400.0, "Heat that burning one unit of fuel gives.", section="Fire", unit="K", low=0, high=20000, soft=(0, 4000), step=20,
                        course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    soot: Value = param(
        0.3, "Smoke that burning one unit of fuel gives.", section="Fire", low=0, high=50, soft=(0, 2), course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    expansion: Value = param(0.5, "Volume that one unit of burning fuel presses in.", section="Fire", low=0, high=100, soft=(0, 6), course=True,
                             cost="fire", when=("burns", ("True",)))  # fmt: skip
    hottest: float = param(
        1900.0, "Heat is not driven above this.", section="Fire", unit="K", low=100, high=6000, soft=(800, 3000), step=20, when=("burns", ("True",)))  # fmt: skip
    radiation: Value = param(900.0, "Heat lost each second at 1000 K by radiation; falls with the fourth power.", section="Fire", unit="K/s", low=0,
                             high=1e5, soft=(0, 4000), step=20, course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    flame_fade: Value = param(2.5, "How fast burnt gas stops being flame: long tongues, or short ones.", section="Fire", unit="1/s", low=0, high=60,
                              soft=(0.5, 8), course=True, cost="scalars", when=("burns", ("True",)))  # fmt: skip


class Quality(Settings):
    """What the solver spends."""

    courant: float = param(3.0, "Voxels that gas may cross in one sub-step; lower is truer and slower.", section="Quality", low=0.3, high=8, soft=(0.5, 5),
                           cost="step")  # fmt: skip
    most_substeps: int = param(
        4, "Upper limit of sub-steps in one frame.", section="Quality", low=1, high=64, soft=(1, 16), step=1, cost="step"
    )

    detail: int = param(2, "How many times finer the final run's voxels are: it keeps the preview's motion and adds smaller curls.", section="Quality",
                        affects="final", low=1, high=4, soft=(1, 4), step=1)  # fmt: skip
    guidance: float = param(10.0, "How firmly the final run is held to the preview's motion; 0 lets it go its own way.", section="Quality", unit="1/s",
                            affects="final", low=0, high=200, soft=(0, 30), step=0.5)  # fmt: skip


class Look(Settings):
    """How the gas is drawn; no change here simulates anything again."""

    colour: Ramp = param(ramp((0.0, (0.80, 0.77, 0.74)), (0.45, (0.52, 0.49, 0.47)), (1.0, (0.20, 0.185, 0.18))),
                         "Colour of the smoke from thin (left) to dense (right).", section="Look", affects="look", kind="ramp")  # fmt: skip
    full_density: float = param(1.2, "Density at the ramp's right end.", section="Look", affects="look", low=0.01, high=100, soft=(0.1, 5))
    extinction: float = param(
        7.0, "How opaque a metre of smoke of density 1 is.", section="Look", unit="1/m", affects="look", low=0, high=500, soft=(0.5, 30)
    )
    shadow: float = param(
        1.0, "How strongly the smoke shades itself; a factor on the extinction.", section="Look", affects="look", low=0, high=4, soft=(0, 2)
    )
    forward: float = param(0.35, "Forward scattering: brighter rims against the light.", section="Look", affects="look", low=-0.9, high=0.95,
                           soft=(-0.5, 0.9))  # fmt: skip
    ambient: float = param(
        1.0, "Light from the sky and the ground into the shaded side.", section="Look", affects="look", low=0, high=5, soft=(0, 2)
    )
    glow: float = param(1.0, "Strength of the light that hot gas gives off, by black-body colour.", section="Look", affects="look", low=0, high=1000,
                        soft=(0, 5))  # fmt: skip
    flame: float = param(1.0, "Brightness of flames, apart from glowing smoke; by black-body colour.", section="Look", affects="look", low=0,
                         high=1000, soft=(0, 6))  # fmt: skip
    flame_heat: float = param(1.0, "Stretches the flames' heat before it becomes colour: above 1 whiter, below redder.", section="Look",
                              affects="look", low=0.1, high=10, soft=(0.5, 2))  # fmt: skip
    carried: float = param(1.0, "How much of the colour that smoke carries is shown, against the ramp above.", section="Look", affects="look", low=0,
                           high=1)  # fmt: skip
    steps: float = param(1.0, "Samples per voxel along each ray in the refined picture.", section="Quality", unit="1/voxel", affects="look", low=0.25,
                         high=4, soft=(0.5, 2))  # fmt: skip


class Player(Settings):
    """How the game plays the flipbook: particles, each of which plays the sequence over its own life."""

    count: int = param(3, "Sprites alive at once; each is a see-through layer over the others.", section="Player", affects="player", low=1, high=2000,
                       soft=(1, 24), step=1, cost="fill")  # fmt: skip
    life: float = param(4.0, "Seconds in which one sprite plays the sequence.", section="Player", unit="s", affects="player", low=0.05, high=60,
                        soft=(0.5, 8))  # fmt: skip
    life_spread: float = param(
        0.1, "How much lives differ, as a share.", section="Player", affects="player", low=0, high=0.9, soft=(0, 0.5)
    )
    scale: float = param(1.0, "Size of a sprite against the size it was packed at.", section="Player", affects="player", low=0.02, high=20,
                         soft=(0.3, 2), cost="fill")  # fmt: skip
    size_spread: float = param(
        0.08, "How much sizes differ, as a share.", section="Player", affects="player", low=0, high=0.9, soft=(0, 0.5), cost="fill"
    )
    rotation: float = param(4.0, "Random turn either way, so that copies do not show.", section="Player", unit="°", affects="player", low=0, high=180,
                            soft=(0, 30))  # fmt: skip
    scatter: float = param(
        0.1, "Radius in which sprites are born.", section="Player", unit="m", affects="player", low=0, high=100, soft=(0, 2)
    )
    drift: Vec3 = param((0.0, 0.0, 0.0), "Speed of a sprite after birth.", section="Player", unit="m/s", affects="player", low=-100, high=100,
                        soft=(-2, 2), step=0.02)  # fmt: skip
    alpha: Ramp = param(ramp((0.0, 0.0), (0.16, 1.0), (0.6, 0.85), (1.0, 0.0)), "Opacity over a sprite's life: up fast, away slowly, never cut off.",
                        section="Player", affects="player", kind="ramp")  # fmt: skip
    blend: bool = param(
        True, "Blends each frame into the next: smoother for two texture reads.", section="Player", affects="player", cost="arithmetic"
    )
    soft_edge: float = param(0.6, "Distance to a surface over which a sprite fades instead of cutting it.", section="Player", unit="m", affects="player",
                             low=0, high=50, soft=(0, 2), cost="arithmetic")  # fmt: skip


class Flipbook(Settings):
    """The flipbook route: how frames are drawn and laid out."""

    first: float = param(
        0.0, "Time of the first packed frame.", section="Atlas", unit="s", affects="pack", low=0, high=600, soft=(0, 8), step=0.02
    )
    last: float = param(
        4.0, "Time of the last packed frame.", section="Atlas", unit="s", affects="pack", low=0, high=600, soft=(0, 8), step=0.02
    )
    columns: int = param(
        8, "Frames in a row of the atlas.", section="Atlas", affects="pack", low=1, high=32, soft=(1, 16), step=1, cost="memory"
    )
    rows: int = param(8, "Rows of frames.", section="Atlas", affects="pack", low=1, high=32, soft=(1, 16), step=1, cost="memory")
    width: int = param(
        2048,
        "Width of the atlas.",
        section="Atlas",
        unit="px",
        affects="pack",
        low=16,
        high=16384,
        soft=(256, 4096),
        step=64,
        cost="memory",
    )
    height: int = param(2048, "Height of the atlas.", section="Atlas", unit="px", affects="pack", low=16, high=16384, soft=(256, 4096), step=64,
                        cost="memory")  # fmt: skip
    padding: int = param(2, "Empty pixels round each frame, so that neighbours do not bleed in.", section="Atlas", unit="px", affects="pack", low=0, high=64,
                         soft=(0, 8), step=1)  # fmt: skip
    alpha_form: Literal["premultiplied", "straight"] = param(
        "premultiplied", "Colour already weighted by alpha (exact), or not.", section="Atlas", label="alpha", affects="pack"
    )
    second: Literal["none", "emission", "temperature"] = param(
        "temperature",
        "A second atlas: the light given off, or the heat to colour by.",
        section="Atlas",
        label="second atlas",
        affects="pack",
        cost="memory",
    )
    heading: float = param(-90.0, "Side from which frames are drawn; -90 looks along +y.", section="Atlas", unit="°", affects="pack", low=-360, high=360,
                           soft=(-180, 180), step=1)  # fmt: skip
    player: Player = Field(default_factory=Player)


class GasLayer(Heard):
    kind: Literal["gas"] = "gas"
    domain: DomainBox = Field(default_factory=DomainBox)
    sources: tuple[Source, ...] = ()
    colliders: tuple[Collider, ...] = ()
    fire: Fire = Field(default_factory=Fire)
    motion: Motion = Field(default_factory=Motion)
    fading: Fading = Field(default_factory=Fading)
    quality: Quality = Field(default_factory=Quality)
    look: Look = Field(default_factory=Look)
    flipbook: Flipbook = Field(default_factory=Flipbook)


class Light(Settings):
    heading: float = param(35.0, "Where the sun stands, from +x towards +y.", section="Light", unit="°", affects="look", low=-720, high=720, soft=(-180, 180),
                           step=1)  # fmt: skip
    height: float = param(
        38.0, "How high the sun stands.", section="Light", unit="°", affects="look", low=3, high=90, soft=(5, 85), step=0.5
    )
    strength: float = param(3.0, "Brightness of the sun.", section="Light", affects="look", low=0, high=100, soft=(0, 8))
    kelvin: float = param(4600.0, "Colour of the sun, as a black body.", section="Light", unit="K", affects="look", low=1000, high=20000, soft=(2000, 9000),
                          step=50)  # fmt: skip
    sky: float = param(0.55, "Brightness of the sky.", section="Light", affects="look", low=0, high=20, soft=(0, 3))
    exposure: float = param(
        0.0, "Brightens or darkens the picture, in stops.", section="Light", unit="EV", affects="look", low=-8, high=8, soft=(-3, 3)
    )


class Camera(Settings):
    """A camera that looks at a point from a distance."""

    target: Vec3 = (0.0, 0.0, 2.0)
    distance: float = Field(12.0, gt=0.01, lt=1e5)
    heading: float = -70.0
    pitch: float = Field(8.0, ge=-89.0, le=89.0)
    fov: float = Field(40.0, gt=1.0, lt=150.0)


class Tier(Settings):
    """A device, this effect's budget on it, and the viewing for which cost is counted."""

    id: Id
    name: str = Field(min_length=1, max_length=30)
    device: str = param("hearth", "Device profile that the game ships on.", section="Viewing", affects="tier", kind="device")
    ms: float = param(2.0, "What this effect may take of the device's frame.", section="Viewing", unit="ms", affects="tier", low=0.001, high=1000, soft=(0.1, 8),
                      label="time budget")  # fmt: skip
    mb: float = param(32.0, "What this effect may take of the device's memory.", section="Viewing", unit="MB", affects="tier", low=0.001, high=1e5,
                      soft=(1, 128), label="memory budget")  # fmt: skip
    distance: float = param(
        14.0, "How far the player stands from it.", section="Viewing", unit="m", affects="tier", low=0.1, high=1e4, soft=(2, 60)
    )
    width: int = param(
        1920, "Width of the game's picture.", section="Viewing", unit="px", affects="tier", low=64, high=8192, soft=(640, 3840), step=20
    )
    height: int = param(
        1080, "Height of the game's picture.", section="Viewing", unit="px", affects="tier", low=64, high=8192, soft=(360, 2160), step=10
    )
    copies: int = param(
        1, "How many of this effect are on screen.", section="Viewing", affects="tier", low=1, high=500, soft=(1, 12), step=1
    )
    fov: float = param(
        50.0,
        "Vertical angle of view of the game's camera.",
        section="Viewing",
        unit="°",
        affects="tier",
        low=5,
        high=140,
        soft=(25, 90),
        step=1,
    )
    levers: dict[str, float] = Field(default_factory=dict)


class Lever(Settings):
    """A control that the game gets: the path of a player setting, and the range it may move in."""

    id: Id
    name: str = Field(min_length=1, max_length=40)
    path: str
    low: float
    high: float

    @model_validator(mode="after")
    def _low_below_high(self) -> Lever:
        if self.low >= self.high:
            raise ValueError("a lever's low must be below its high")
        return self


class Trial(Settings):
    """A kept simulation: everything that shaped it, so that its frames are found again, compared, and gone back to."""

    id: Id
    name: str = param("Trial", "What the trial is called.", section="What", affects="none")
    seconds: float
    rate: float
    seed: int
    props: tuple[Prop, ...]
    forces: tuple[Force, ...]
    layers: tuple[GasLayer, ...]
    light: Light

    @classmethod
    def of(cls, effect: Effect, id: str, name: str) -> Trial:
        return cls(id=id, name=name, **{part: getattr(effect, part) for part in TRIED})

    def onto(self, effect: Effect) -> Effect:
        """The effect as it was when the trial was kept; its camera, tiers, levers and trials stay."""
        return effect.model_copy(update={part: getattr(self, part) for part in TRIED})


TRIED = ("seconds", "rate", "seed", "props", "forces", "layers", "light")


class Effect(Settings):
    """The whole document."""

    schema_version: Literal[1] = SCHEMA_VERSION
    name: str = Field("untitled", min_length=1, max_length=80)
    seconds: float = param(
        4.0, "How long the effect lasts.", section="Where", unit="s", label="length", low=0.05, high=600, soft=(0.5, 12), step=0.1
    )
    rate: float = param(
        24.0, "Frames in a second: simulated, shown and packed.", section="Where", unit="1/s", low=1, high=240, soft=(8, 60), step=1
    )
    seed: int = param(
        1, "Another seed is another gust, another eddy, another puff.", section="Where", low=0, high=2**31 - 1, soft=(0, 100), step=1
    )
    props: tuple[Prop, ...] = ()
    forces: tuple[Force, ...] = ()
    layers: tuple[GasLayer, ...] = ()
    light: Light = Field(default_factory=Light)
    camera: Camera = Field(default_factory=Camera)
    tiers: tuple[Tier, ...] = ()
    levers: tuple[Lever, ...] = ()
    trials: tuple[Trial, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Effect:
        for group in (
            self.props,
            self.forces,
            self.layers,
            self.tiers,
            self.levers,
            self.trials,
            *(l.sources for l in self.layers),
            *(l.colliders for l in self.layers),
        ):
            ids = [item.id for item in group]
            if len(set(ids)) != len(ids):
                raise ValueError(f"two things share the id {next(i for i in ids if ids.count(i) > 1)}")
        known = {p.id: p for p in self.props}
        for layer in self.layers:
            needs = [("source", s) for s in layer.sources if s.shape in ON_PROP] + [("collider", c) for c in layer.colliders]
            for word, item in needs:
                if item.prop not in known:
                    raise ValueError(f"{word} {item.id} names the prop '{item.prop}', which is not in the effect")
        for placed in (*self.props, *self.forces, *(s for layer in self.layers for s in layer.sources)):
            seen, at = {placed.id} if isinstance(placed, Prop) else set(), placed.parent
            while at:
                if at not in known:
                    raise ValueError(f"{placed.id} is carried by the prop '{at}', which is not in the effect")
                if at in seen:
                    raise ValueError(f"{placed.id} is carried by itself, through the prop '{at}'")
                seen.add(at)
                at = known[at].parent
        return self

    @property
    def frames(self) -> int:
        """Number of shown frames."""
        return max(1, round(self.seconds * self.rate))

    def layer(self, id: str | None = None) -> GasLayer:
        for layer in self.layers:
            if id is None or layer.id == id:
                return layer
        raise KeyError(id or "the effect has no layer")

    def tier(self, id: str | None = None) -> Tier:
        for tier in self.tiers:
            if id is None or id.lower() in (tier.id, tier.name.lower()):
                return tier
        raise KeyError(id or "the effect has no tier")


def heard(items: tuple[Any, ...]) -> list[Any]:
    """The items that take part: when any is soloed only those, and never one that is passed over."""
    solo = any(item.solo for item in items)
    return [item for item in items if not item.passed_over and (item.solo or not solo)]


def envelope(source: Source, times: np.ndarray) -> np.ndarray:
    """The source's envelope at many times; see `source_emission`."""
    return np.where((source.start <= times) & (times < source.end), np.maximum(0.0, curve(source.emission, times)), 0.0)


def source_emission(source: Source, t: float) -> float:
    """The source's envelope at `t` seconds: 0 outside its span."""
    return max(0.0, value_at(source.emission, t)) if source.start <= t < source.end else 0.0
